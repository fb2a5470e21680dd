"""The Known Folders of Windows: where the user's standard folders are, read and set through the shell's own calls.

Written against the documentation of SHGetKnownFolderPath and SHSetKnownFolderPath; it has never run.
"""

from __future__ import annotations

import sys
import uuid

from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Kind
from nuvik.core.model.names import shown

FOLDERS = {
    Kind.DOCUMENT: uuid.UUID("FDD39AD0-238F-46AF-ADB4-6C85480369C7"),
    Kind.DOWNLOAD: uuid.UUID("374DE290-123F-4565-9164-39C4925E467B"),
    Kind.PHOTO: uuid.UUID("33E28130-4E1E-4676-835A-5A39835C3BC3"),
    Kind.VIDEO: uuid.UUID("18989B1D-99B5-455B-841C-AB7C74E4DDFC"),
    Kind.SOUND: uuid.UUID("4BD8D571-6D19-48D3-BE97-422220080E43"),
}
"""KNOWNFOLDERID, as documented."""


def known_folder(kind: Kind) -> str:
    """Where the folder for a kind is; empty where the system does not tell."""
    if sys.platform != "win32":
        return ""
    import ctypes

    path = ctypes.c_wchar_p()
    folder = (ctypes.c_byte * 16).from_buffer_copy(FOLDERS[kind].bytes_le)
    failed = ctypes.windll.shell32.SHGetKnownFolderPath(ctypes.byref(folder), 0, None, ctypes.byref(path))
    try:
        return "" if failed else str(path.value or "")
    finally:
        ctypes.windll.ole32.CoTaskMemFree(path)


def set_known_folder(kind: Kind, path: str) -> None:
    """Let the folder for a kind be elsewhere from now on; what is in it stays where it is. Raises Refused."""
    if sys.platform != "win32":
        raise Refused("Only Windows has Known Folders.", next_step="Choose the folder in the programs that bring it.")
    import ctypes

    folder = (ctypes.c_byte * 16).from_buffer_copy(FOLDERS[kind].bytes_le)
    result = ctypes.windll.shell32.SHSetKnownFolderPath(ctypes.byref(folder), 0, None, ctypes.c_wchar_p(path))
    if result:
        raise Refused(
            f"Windows does not let {shown(path)} be that folder (error {result & 0xFFFFFFFF:#010x}).",
            next_step="Choose another folder.",
        )
