"""TOML 1.0, with its comments and order kept."""

from __future__ import annotations

from typing import Any

from nuvik.core.settings.setting_format import (
    NotReadable,
    SettingFormat,
    Value,
    decoded,
    encoded,
    key_of,
    texts_in,
)


class TomlFormat(SettingFormat):
    """Read and written by a library that keeps everything else as it was."""

    name = "toml"
    endings = (".toml",)

    def values(self, data: bytes) -> list[Value]:
        return [Value(key_of(path), str(text)) for path, text in texts_in(_document(data))]

    def put(self, data: bytes, value: Value, text: str) -> bytes:
        import tomlkit
        from tomlkit.exceptions import TOMLKitError
        from tomlkit.items import StringType

        document = _document(data)
        path = next(path for path, _ in texts_in(document) if key_of(path) == value.key)
        holder: Any = document
        for name in path[:-1]:
            holder = holder[name]
        kind = holder[path[-1]]._t
        literal = kind in (StringType.SLL, StringType.MLL) and "'" not in text
        try:
            holder[path[-1]] = tomlkit.string(text, literal=literal)
            return encoded(tomlkit.dumps(document))
        except (TOMLKitError, ValueError) as fault:
            raise NotReadable(f"“{value.key}” cannot be written: {fault}") from None


def _document(data: bytes) -> Any:
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    try:
        return tomlkit.parse(decoded(data))
    except (TOMLKitError, RecursionError, ValueError) as fault:
        raise NotReadable(f"it is not TOML: {fault}") from None
