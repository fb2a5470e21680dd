"""Which formats of settings files there are, and of which one a file is."""

from __future__ import annotations

import os

from nuvik.core.model.errors import BadInput
from nuvik.core.model.names import shown
from nuvik.core.settings.json_format import JsonFormat
from nuvik.core.settings.line_formats import DesktopEntryFormat, IniFormat, PlainFormat
from nuvik.core.settings.plist_format import PlistFormat
from nuvik.core.settings.setting_format import SettingFormat
from nuvik.core.settings.toml_format import TomlFormat
from nuvik.core.settings.yaml_format import YamlFormat

FORMATS: dict[str, SettingFormat] = {
    form.name: form
    for form in (
        JsonFormat(),
        TomlFormat(),
        IniFormat(),
        PlistFormat(),
        DesktopEntryFormat(),
        PlainFormat(),
        YamlFormat(),
    )
}
_BY_ENDING = {ending: form for form in FORMATS.values() for ending in form.endings}


def format_named(name: str) -> SettingFormat:
    """The format of this name. Raises BadInput."""
    if (named := FORMATS.get(name.strip().casefold())) is None:
        raise BadInput(
            f"“{shown(name)}” is not a format of settings files.", next_step=f"Choose one of: {', '.join(FORMATS)}."
        )
    return named


def format_of(path: str, data: bytes = b"") -> SettingFormat | None:
    """The format of a file by the ending of its name, else by how it begins; None where it seems to hold none."""
    by_ending = _BY_ENDING.get(os.path.splitext(path)[1].casefold())
    if by_ending is not None:
        return by_ending
    head = data[:200].lstrip(b"\xef\xbb\xbf \t\r\n")
    if data.startswith(b"bplist00") or b"<plist" in data[:400]:
        return FORMATS["plist"]
    if head.startswith((b"{", b"[\n", b"[ ")):
        return FORMATS["json"]
    if head.startswith(b"["):
        return FORMATS["ini"]
    return None
