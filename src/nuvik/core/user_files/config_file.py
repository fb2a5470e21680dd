"""The configuration: what holds for every call unless the call says otherwise, in a TOML file of the user's."""

from __future__ import annotations

import os
from dataclasses import dataclass, fields
from typing import TYPE_CHECKING

import platformdirs

from nuvik.core.model.errors import BadInput, Refused
from nuvik.core.model.names import shown
from nuvik.core.user_files.safe_file import write_text

if TYPE_CHECKING:
    from tomlkit import TOMLDocument

CHOICES = {"units": ("decimal", "binary"), "theme": ("night", "day", "contrast")}
"""What these may be; `state` is a folder."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Config:
    """Empty texts are what the user left open."""

    units: str = ""
    """decimal (GB) or binary (GiB)."""
    theme: str = ""
    """With which the screens begin: night, day or contrast."""
    state: str = ""
    """Where Nuvik keeps its database for this computer."""


NAMES = tuple(field.name for field in fields(Config))


def config_path() -> str:
    """Where it is kept; NUVIK_CONFIG says another place."""
    return os.environ.get("NUVIK_CONFIG") or os.path.join(platformdirs.user_config_dir("nuvik"), "config.toml")


def read_config() -> Config:
    """As it stands; the plain one where there is none. Raises Refused, naming the file, where it cannot be used."""
    if not os.path.lexists(config_path()):  # as for most, who need not wait for the reader of such files
        return Config()
    try:
        return Config(**{name: _checked(name, value) for name, value in _document().unwrap().items()})
    except BadInput as slip:
        raise Refused(
            f"{shown(config_path())}: {slip.what}", next_step=f"{slip.next_step} Or delete the file."
        ) from None


def set_in_config(name: str, value: str | None) -> None:
    """Set one value, or forget it; comments and the rest stay. Raises BadInput and Refused."""
    import tomlkit

    document = _document()
    if value is None:
        document.pop(_known(name), None)
    else:
        document[name] = _checked(name, value)
    os.makedirs(os.path.dirname(config_path()), exist_ok=True)
    write_text(config_path(), tomlkit.dumps(document))


def _document() -> TOMLDocument:
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    try:
        with open(config_path(), encoding="utf-8") as file:
            return tomlkit.load(file)
    except FileNotFoundError:
        return tomlkit.document()
    except (OSError, UnicodeDecodeError, TOMLKitError) as fault:
        raise Refused(f"{shown(config_path())} cannot be read: {fault}.", next_step="Correct or delete it.") from None


def _known(name: str) -> str:
    if name not in NAMES:
        raise BadInput(f"“{shown(name)}” cannot be configured.", next_step=f"Choose one of: {', '.join(NAMES)}.")
    return name


def _checked(name: str, value: object) -> str:
    text = value.strip() if isinstance(value, str) else ""
    if choices := CHOICES.get(_known(name)):
        if text not in choices:
            raise BadInput(
                f"{name} cannot be “{shown(str(value))}”.", next_step=f"Choose one of: {', '.join(choices)}."
            )
        return text
    if not os.path.isabs(os.path.expanduser(text)):
        raise BadInput(f"{name} must be the full path of a folder.", next_step="Begin it with / or ~.")
    return os.path.expanduser(text)
