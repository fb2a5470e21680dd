"""What names and endings say about a folder: the words of the trade, in one place."""

from __future__ import annotations

from nuvik.core.model.library import Kind

ENDINGS: dict[Kind, frozenset[str]] = {
    Kind.VIDEO: frozenset([".mp4", ".mkv", ".mov", ".avi", ".webm", ".m4v", ".mpg", ".mpeg", ".ts", ".mts", ".ogv"]),
    Kind.PHOTO: frozenset(
        [".jpg", ".jpeg", ".png", ".tif", ".tiff", ".raw", ".dng", ".fits", ".fit", ".heic", ".webp", ".gif", ".bmp"]
    ),
    Kind.SOUND: frozenset([".wav", ".flac", ".mp3", ".ogg", ".opus", ".m4a", ".aac", ".aif", ".aiff"]),
    Kind.DOCUMENT: frozenset(
        [
            ".pdf",
            ".txt",
            ".md",
            ".odt",
            ".ods",
            ".odp",
            ".doc",
            ".docx",
            ".xls",
            ".xlsx",
            ".ppt",
            ".pptx",
            ".epub",
            ".csv",
            ".tex",
            ".html",
        ]
    ),
    Kind.DISC_IMAGE: frozenset([".iso", ".img", ".qcow2", ".vdi", ".vmdk", ".vhd", ".vhdx"]),
    Kind.BACKUP: frozenset([".bak", ".backup"]),
}
"""Endings of file names that belong to one kind."""
PLURALS = {
    Kind.VIDEO: "films",
    Kind.PHOTO: "pictures",
    Kind.SOUND: "sound files",
    Kind.DOCUMENT: "documents",
    Kind.DISC_IMAGE: "disc images",
    Kind.BACKUP: "backup files",
    Kind.GAME: "games",
    Kind.PROGRAM: "programs",
    Kind.PROJECT: "projects",
    Kind.CACHE: "caches",
    Kind.DOWNLOAD: "downloads",
    Kind.OTHER: "things",
}
RUN_ENDINGS = frozenset([".exe", ".appimage", ".x86_64", ".sh", ".bat", ".com"])
"""Endings of what may be run, for file systems that keep no such permission."""
LIBRARY_ENDINGS = frozenset([".dll", ".so", ".dylib", ".jar"])
"""Endings of what programs load."""
UNFINISHED = frozenset([".part", ".partial", ".incomplete", ".unfinished", ".download"])
"""Endings that many programs give to files they have not finished."""

COLLECTIONS = {kind.folder.casefold(): kind for kind in Kind}
"""Folders of these names hold libraries of one kind."""
OF_THE_FILE_SYSTEM = frozenset(
    ["lost+found", "System Volume Information", "$RECYCLE.BIN", ".Trashes", ".Spotlight-V100", ".fseventsd"]
)
"""Folders that systems keep on every volume for themselves."""
CACHE_TAG = "CACHEDIR.TAG"
"""The name of the file that marks a cache (Cache Directory Tagging Specification)."""

PARTS: dict[str, Kind | None] = {
    **dict.fromkeys(["media", "footage", "clips", "audio", "recordings", "assets", "sources"], None),
    **dict.fromkeys(["cache", "caches", "proxies", "previews", "peaks", "render cache", "temp", "tmp"], Kind.CACHE),
    **dict.fromkeys(["backup", "backups", "autosave", "auto-saves", "old versions"], Kind.BACKUP),
    **dict.fromkeys(["plug-ins", "plugins", "extensions"], Kind.PROGRAM),
    **dict.fromkeys(["add-ons", "addons", "expansions", "extra content"], Kind.GAME),
}
"""Folders inside a library that may be placed on their own; None: the kind is what they hold."""
PLUG_INS = frozenset(["plug-ins", "plugins", "extensions"])
