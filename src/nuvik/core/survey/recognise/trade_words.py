"""What names and endings say about a folder: the words of the trade, in one place."""

from __future__ import annotations

from nuvik.core.model.library import Kind

ENDINGS: dict[Kind, frozenset[str]] = {
    Kind.VIDEO: frozenset(
        [".mp4", ".mkv", ".mov", ".avi", ".webm", ".m4v", ".mpg", ".mpeg", ".ts", ".mts", ".m2ts", ".vob", ".ogv"]
    ),
    Kind.PHOTO: frozenset(
        [
            *[".jpg", ".jpeg", ".png", ".tif", ".tiff", ".fits", ".fit", ".heic", ".webp", ".gif", ".bmp"],
            # What sensors saw, as cameras write it.
            *[".raw", ".dng", ".cr2", ".cr3", ".nef", ".arw", ".rw2", ".orf", ".raf", ".srw", ".pef", ".x3f"],
        ]
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
CODE_ENDINGS = (
    LIBRARY_ENDINGS
    | RUN_ENDINGS
    | frozenset(
        [
            ".py",
            ".pyc",
            ".js",
            ".ts",
            ".o",
            ".a",
            ".h",
            ".c",
            ".cpp",
            ".hpp",
            ".rs",
            ".go",
            ".java",
            ".class",
            ".rb",
            ".pl",
            ".lua",
            ".css",
            ".map",
            ".whl",
            ".rlib",
        ]
    )
)
"""Endings of code, to be run or to be made into programs."""
UNFINISHED = frozenset([".part", ".partial", ".incomplete", ".unfinished", ".download"])
"""Endings that many programs give to files they have not finished."""

COLLECTIONS = {kind.folder.casefold(): kind for kind in Kind}
"""The folders that Nuvik itself makes for each kind on a drive."""

ONE_LIBRARY: dict[str, Kind] = {
    **dict.fromkeys(
        ["photos", "pictures", "fotos", "bilder", "images", "imágenes", "immagini", "afbeeldingen", "zdjęcia"],
        Kind.PHOTO,
    ),
    **dict.fromkeys(["videos", "films", "movies", "filme", "vidéos", "vídeos", "películas"], Kind.VIDEO),
    **dict.fromkeys(["music", "sounds", "musik", "musique", "música", "musica", "muziek", "muzyka"], Kind.SOUND),
    **dict.fromkeys(["documents", "dokumente", "documentos", "documenti", "documenten", "papers"], Kind.DOCUMENT),
    **dict.fromkeys(["downloads", "téléchargements", "descargas", "scaricati"], Kind.DOWNLOAD),
}
"""Folders of these names, in several languages, are one collection, whatever folders it is sorted into."""
SHELVES: dict[str, Kind] = {
    **dict.fromkeys(["games", "titles", "spiele", "jeux", "juegos", "giochi", "spellen", "gry"], Kind.GAME),
    **dict.fromkeys(
        ["opt", "apps", "applications", "programs", "programme", "programmes", "logiciels", "programas", "software"],
        Kind.PROGRAM,
    ),
    **dict.fromkeys(["program files", "program files (x86)", "tools"], Kind.PROGRAM),
    **dict.fromkeys(
        ["projects", "projekte", "projets", "proyectos", "progetti", "projecten", "repos", "src", "workspace"],
        Kind.PROJECT,
    ),
    **dict.fromkeys(["machines", "virtual machines", "vms", "disc images", "disk images"], Kind.DISC_IMAGE),
    **dict.fromkeys(["caches"], Kind.CACHE),
}
"""In folders of these names each thing stands for itself."""
BACKUP_WORDS = frozenset(
    [
        "backup",
        "backups",
        "sicherung",
        "sicherungen",
        "sauvegarde",
        "sauvegardes",
        "copia",
        "copias",
        "respaldo",
        "respaldos",
    ]
)
HOME_WORDS = frozenset(
    [
        *ONE_LIBRARY,
        *["desktop", "schreibtisch", "bureau", "escritorio", "scrivania", "bureaublad", "pulpit"],
        *["appdata", ".config", ".local", "library", "application", "data"],
    ]
)
"""Folders that a person's home has, on one system or another."""
OLD_HOME = frozenset(
    ["desktop", "schreibtisch", "bureau", "escritorio", "scrivania", "bureaublad", "pulpit", "appdata", ".config"]
)
"""Of those, the ones that nobody makes by hand on another drive: they came with a copy of a whole home."""
OF_THE_FILE_SYSTEM = frozenset(
    ["lost+found", "System Volume Information", "$RECYCLE.BIN", ".Trashes", ".Spotlight-V100", ".fseventsd"]
)
"""Folders that systems keep on every volume for themselves."""
TRASH = frozenset(["trash", ".trash", "$recycle.bin", ".trashes"])
VERSION_CONTROL = frozenset([".git", ".hg", ".svn", ".bzr", "_darcs", ".fossil"])
"""What version control keeps in the folder of a project."""
MAIL_FOLDERS = frozenset(["cur", "new", "tmp"])
"""A folder with these three holds mail (the Maildir convention)."""
LAYER = "drive_c"
"""The folder in which a layer for Windows programs keeps what they take for their first drive."""
MACHINE_ENDINGS = frozenset([".qcow2", ".vdi", ".vmdk", ".vhd", ".vhdx", ".img", ".iso", ".hdd"])
ARCHIVE_ENDINGS = frozenset([".zip", ".tar", ".gz", ".bz2", ".xz", ".zst", ".7z", ".tgz"])
CAMERA_FOLDER = "DCIM"
"""Cameras keep their pictures and films in a folder of this name (Design rule for Camera File system)."""
INSTALLED_TREE = frozenset(["bin", "sbin", "lib", "lib64", "libexec", "share", "include", "etc", "man"])
"""Folders of an installed program (Filesystem Hierarchy Standard)."""
CACHE_TAG = "CACHEDIR.TAG"
"""The name of the file that marks a cache (Cache Directory Tagging Specification)."""

PARTS: dict[str, Kind | None] = {
    **dict.fromkeys(["media", "footage", "clips", "audio", "recordings", "assets", "sources", "dcim"], None),
    **dict.fromkeys(["samples", "instruments", "sound sets", "songs"], None),
    **dict.fromkeys(["cache", "caches", "proxies", "previews", "peaks", "render cache", "temp", "tmp"], Kind.CACHE),
    **dict.fromkeys(["backup", "backups", "autosave", "auto-saves", "old versions"], Kind.BACKUP),
    **dict.fromkeys(["plug-ins", "plugins", "extensions"], Kind.PROGRAM),
    **dict.fromkeys(["add-ons", "addons", "expansions", "extra content"], Kind.GAME),
}
"""Folders inside a library that may be placed on their own; None: the kind is what they hold."""
MADE_ANEW = frozenset(
    [
        *["node_modules", "bower_components", "vendor", "packages", "deps"],
        *["venv", ".venv", "virtualenv", ".tox", ".nox", "site-packages"],
        *["build", "_build", "dist", "out", "output", "target", "obj", "bin", "deriveddata", ".gradle", ".next"],
        *["renders", "render files", "exports"],
    ]
)
"""Folders of a project that hold what programs make from the rest or fetch again: dependencies, virtual environments,
build output, renders.
"""
VIRTUAL_ENVIRONMENT = "pyvenv.cfg"
"""The file that marks a virtual environment (PEP 405)."""
PLUG_INS = frozenset(["plug-ins", "plugins", "extensions"])
