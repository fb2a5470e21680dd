"""Ejecting a volume on Windows, as documented for DeviceIoControl: lock, dismount, allow removal, eject."""

from __future__ import annotations

import ctypes
import sys
import time

from nuvik.core.model.errors import Refused
from nuvik.core.model.names import shown

_GENERIC_READ, _GENERIC_WRITE = 0x80000000, 0x40000000
_SHARED, _OPEN_EXISTING = 0x00000003, 3
_LOCK_VOLUME, _DISMOUNT_VOLUME = 0x00090018, 0x00090020
_MEDIA_REMOVAL, _EJECT_MEDIA = 0x002D4804, 0x002D4808
_TRIES, _PAUSE_S = 20, 0.5


def volume_name(path: str) -> str:
    r"""The name by which a volume is opened, such as `\\.\E:`, from a path on it. Raises ValueError for other paths."""
    if len(path) < 2 or path[1] != ":" or not path[0].isalpha():
        raise ValueError(path)
    return rf"\\.\{path[0].upper()}:"


def eject_letter(path: str) -> bool:
    """Eject the volume of a drive letter; whether the medium was ejected, too. Raises Refused."""
    if sys.platform != "win32":
        raise OSError("only on Windows")
    kernel = ctypes.WinDLL("kernel32", use_last_error=True)
    kernel.CreateFileW.restype = ctypes.c_void_p
    try:
        name = volume_name(path)
    except ValueError:
        raise Refused(f"{shown(path)} has no drive letter.", next_step="Eject it in the system's own tray.") from None
    handle = kernel.CreateFileW(name, _GENERIC_READ | _GENERIC_WRITE, _SHARED, None, _OPEN_EXISTING, 0, None)
    if handle in (None, ctypes.c_void_p(-1).value):
        raise _refusal(path)
    try:
        for _ in range(_TRIES):
            if _control(kernel, handle, _LOCK_VOLUME):
                break
            time.sleep(_PAUSE_S)
        else:
            raise Refused(f"Something still uses {shown(path)}.", next_step="Close it, then try again.")
        if not _control(kernel, handle, _DISMOUNT_VOLUME):
            raise _refusal(path)
        allow = ctypes.c_byte(0)
        _control(kernel, handle, _MEDIA_REMOVAL, allow)
        return _control(kernel, handle, _EJECT_MEDIA)
    finally:
        kernel.CloseHandle(ctypes.c_void_p(handle))


def _control(kernel: ctypes.CDLL, handle: int, code: int, data: ctypes.c_byte | None = None) -> bool:
    returned = ctypes.c_ulong(0)
    given = (ctypes.byref(data), ctypes.sizeof(data)) if data is not None else (None, 0)
    return bool(kernel.DeviceIoControl(ctypes.c_void_p(handle), code, *given, None, 0, ctypes.byref(returned), None))


def _refusal(path: str) -> Refused:
    words = ctypes.FormatError(ctypes.get_last_error()) if sys.platform == "win32" else ""  # type: ignore[attr-defined,unused-ignore]
    return Refused(f"{shown(path)} cannot be ejected: {words}.", next_step="Eject it in the system's own tray.")
