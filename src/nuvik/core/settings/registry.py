"""Values in the registry of Windows, where many programs keep their settings.

Written against the documentation of `winreg` and of the registry; it has never run. Only texts are read and written,
and a value keeps its type, so that one with variables in it (`REG_EXPAND_SZ`) stays one.
"""

from __future__ import annotations

import sys

from nuvik.core.model.errors import Refused, system_words
from nuvik.core.model.names import shown

FORMAT = "registry"
_HIVES = {
    "HKEY_CURRENT_USER": "HKEY_CURRENT_USER",
    "HKCU": "HKEY_CURRENT_USER",
    "HKEY_LOCAL_MACHINE": "HKEY_LOCAL_MACHINE",
    "HKLM": "HKEY_LOCAL_MACHINE",
}


def hive_and_key(path: str) -> tuple[str, str]:
    r"""The name of the hive and the key below it, of a path such as `HKCU\Software\Title Box`. Raises Refused."""
    hive, _, key = path.replace("/", "\\").strip("\\").partition("\\")
    name = _HIVES.get(hive.upper())
    if name is None or not key or "\0" in path:
        raise Refused(
            f"{shown(path)} is not a key of the registry.", next_step=r"Write for example HKCU\Software\Title Box."
        )
    return name, key


def read_registry(path: str, name: str) -> str:
    """The text of a value. Raises Refused where there is none, and on other systems."""
    return _value(path, name)[0]


def _value(path: str, name: str) -> tuple[str, int]:
    hive, key = hive_and_key(path)
    if sys.platform != "win32":
        raise Refused("Only Windows has a registry.", next_step="Choose a settings file.")
    import winreg

    try:
        with winreg.OpenKey(getattr(winreg, hive), key) as opened:
            text, kind = winreg.QueryValueEx(opened, name)
    except OSError as fault:
        words = system_words(fault)
        raise Refused(f"“{shown(name)}” in {shown(path)} cannot be read: {words}.", next_step="Check both.") from None
    if kind not in (winreg.REG_SZ, winreg.REG_EXPAND_SZ):
        raise Refused(f"“{shown(name)}” in {shown(path)} is no text.", next_step="Choose another value.")
    return str(text), int(kind)


def write_registry(path: str, name: str, before: str, after: str) -> None:
    """Put `after` in the place of `before`, which must be there now, flushed to the disk. Raises Refused."""
    now, kind = _value(path, name)
    if now == after:
        return
    if now != before:
        raise Refused(
            f"“{shown(name)}” in {shown(path)} has been changed: it is “{shown(now)}” now.",
            next_step="Look at it; it is left as it is.",
        )
    if sys.platform != "win32":
        return
    import winreg

    hive, key = hive_and_key(path)
    try:
        with winreg.OpenKey(getattr(winreg, hive), key, 0, winreg.KEY_SET_VALUE) as opened:
            winreg.SetValueEx(opened, name, 0, kind, after)
            winreg.FlushKey(opened)
    except OSError as fault:
        words = system_words(fault)
        raise Refused(f"{shown(path)} cannot be changed: {words}.", next_step="Get permission to change it.") from None
