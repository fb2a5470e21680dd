"""What other systems' tools print, written from their documented formats. Every name in it is invented."""

from __future__ import annotations

from pathlib import Path

GB = 10**9
_FOLDER = Path(__file__).parent / "samples_of_tools"
_INFO = "diskutil-info-"


def _text(name: str) -> str:
    return (_FOLDER / name).read_text(encoding="utf-8")


LSBLK = _text("lsblk.json")
MOUNTINFO = _text("mountinfo.txt")
MAC_LIST = (_FOLDER / "diskutil-list.plist").read_bytes()
MAC_INFOS = {path.stem.removeprefix(_INFO): path.read_bytes() for path in _FOLDER.glob(f"{_INFO}*.plist")}
MAC_PROFILE = _text("system_profiler.json")
WINDOWS = _text("windows_drives.json")
