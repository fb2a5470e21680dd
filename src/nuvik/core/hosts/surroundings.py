"""What this computer says of its folders: standard folders, menu entries, installed programs, recent files.

Sources: the XDG Base Directory, user-dirs and Desktop Entry specifications and the desktop bookmark specification
(XBEL); Known Folders and the Uninstall keys of the registry on Windows; the folders of the home on a Mac. The Windows
and Mac parts are written against those documents and were not run.
"""

from __future__ import annotations

import configparser
import os
import shlex
import shutil
import sys
from collections.abc import Iterable, Mapping
from urllib.parse import unquote_to_bytes, urlsplit

import platformdirs

from nuvik.core.model.clock import moment_of
from nuvik.core.model.library import Kind
from nuvik.core.model.surroundings import Program, Recent, Surroundings

_LONGEST_LIST_BYTES = 32 * 2**20
_MENU_FIELDS = ("%f", "%F", "%u", "%U", "%i", "%c", "%k")
_RUNNERS = {"env", "sh", "bash", "python", "python3", "java", "xdg-open", "flatpak", "snap"}
"""What starts other programs: a menu entry with one of these says nothing of where the program lies."""


def surroundings_of(home: str, holders: Iterable[str] = ()) -> Surroundings:
    """All that can be learnt; what is missing or broken is passed over. `holders` are folders of the system that only
    hold what belongs to users.
    """
    standard = {
        platformdirs.user_documents_dir(): Kind.DOCUMENT,
        platformdirs.user_downloads_dir(): Kind.DOWNLOAD,
        platformdirs.user_pictures_dir(): Kind.PHOTO,
        platformdirs.user_videos_dir(): Kind.VIDEO,
        platformdirs.user_music_dir(): Kind.SOUND,
    }
    # Where a standard folder is not set up, the specification says the home itself.
    standard = {os.path.realpath(path): kind for path, kind in standard.items() if os.path.realpath(path) != home}
    caches, containers, settings = places_of_programs(home)
    return Surroundings(
        home=home,
        standard=standard,
        caches=frozenset(caches),
        containers=frozenset(containers),
        settings=frozenset(settings),
        holders=frozenset(holders),
        programs=tuple(_programs(home)),
        recent=tuple(recent_files(_recent_list(home))),
    )


def places_of_programs(home: str, system: str = sys.platform) -> tuple[list[str], list[str], list[str]]:
    """Where programs keep caches, data and settings: the folders above those of each program."""
    if system == "darwin":
        library = os.path.join(home, "Library")
        inner = ("Application Support", "Containers", "Group Containers", "Developer")
        holding = [library, *(os.path.join(library, name) for name in inner)]
        return [os.path.join(library, "Caches")], holding, [os.path.join(library, "Preferences")]
    if system == "win32":
        data = os.path.join(home, "AppData")
        return [os.path.join(data, "Local", "Temp")], [data, *(os.path.join(data, n) for n in ("Local", "Roaming"))], []
    cache = os.environ.get("XDG_CACHE_HOME") or os.path.join(home, ".cache")
    data = os.environ.get("XDG_DATA_HOME") or os.path.join(home, ".local", "share")
    settings = os.environ.get("XDG_CONFIG_HOME") or os.path.join(home, ".config")
    return [cache], [os.path.join(home, ".local"), data], [settings]


# -- programs ----------------------------------------------------------------------------------------------


def _programs(home: str) -> Iterable[Program]:
    if sys.platform == "win32":
        yield from _installed_on_windows()
    elif sys.platform == "linux":
        data = os.environ.get("XDG_DATA_HOME") or os.path.join(home, ".local", "share")
        others = os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share"
        for place in (data, *others.split(":")):
            yield from menu_entries(os.path.join(place, "applications"))


def menu_entries(folder: str) -> Iterable[Program]:
    """The programs that the `.desktop` files of a folder start, by full path."""
    try:
        names = sorted(name for name in os.listdir(folder) if name.endswith(".desktop"))
    except OSError:
        return
    for name in names:
        try:
            with open(os.path.join(folder, name), encoding="utf-8") as file:
                program = menu_entry(file.read(_LONGEST_LIST_BYTES))
        except (OSError, UnicodeDecodeError):
            continue
        if program is not None:
            yield program


def menu_entry(text: str) -> Program | None:
    """One `.desktop` file; None where it names no program by a path. Never raises."""
    parser = configparser.RawConfigParser(strict=False, delimiters=("=",), comment_prefixes=("#",))
    try:
        parser.read_string(text)
        entry = parser["Desktop Entry"]
        words = [word for word in shlex.split(entry.get("exec", "")) if word not in _MENU_FIELDS]
    except (configparser.Error, KeyError, ValueError):
        return None
    while words and ("=" in words[0] or os.path.basename(words[0]) in _RUNNERS):
        words.pop(0)
    path = words[0] if words else entry.get("path", "")
    if path and not os.path.isabs(path):
        path = shutil.which(path) or ""
    if not path or "\0" in path:
        return None
    return Program(entry.get("name", os.path.basename(path)), os.path.realpath(path), "a menu entry")


def _installed_on_windows() -> Iterable[Program]:
    """The system's list of installed programs. Never run: written against the registry's documentation."""
    if sys.platform != "win32":
        return
    import winreg

    for hive in (winreg.HKEY_LOCAL_MACHINE, winreg.HKEY_CURRENT_USER):
        for place in (
            r"SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall",
            r"SOFTWARE\WOW6432Node\Microsoft\Windows\CurrentVersion\Uninstall",
        ):
            try:
                with winreg.OpenKey(hive, place) as key:
                    for number in range(winreg.QueryInfoKey(key)[0]):
                        with winreg.OpenKey(key, winreg.EnumKey(key, number)) as entry:
                            values = [winreg.EnumValue(entry, n)[:2] for n in range(winreg.QueryInfoKey(entry)[1])]
                        program = installed_program(dict(values))
                        if program is not None:
                            yield program
            except OSError:
                continue


def installed_program(values: Mapping[str, object]) -> Program | None:
    """An entry of the list; None for what has no folder of its own, and for parts of the system."""
    folder = str(values.get("InstallLocation") or "").strip().strip('"').rstrip("\\/")
    if not folder or "\0" in folder or values.get("SystemComponent") == 1:
        return None
    name = str(values.get("DisplayName") or folder.replace("\\", "/").rpartition("/")[2])
    return Program(name, folder, "the system's list of installed programs")


# -- recent files ------------------------------------------------------------------------------------------


def _recent_list(home: str) -> str:
    data = os.environ.get("XDG_DATA_HOME") or os.path.join(home, ".local", "share")
    path = os.path.join(data, "recently-used.xbel")
    try:
        if os.path.getsize(path) > _LONGEST_LIST_BYTES:
            return ""
        with open(path, encoding="utf-8", errors="replace") as file:
            return file.read()
    except OSError:
        return ""


def recent_files(text: str) -> Iterable[Recent]:
    """The bookmarks of an XBEL list that name files, with the last visit. Nothing for a broken list."""
    from xml.etree import ElementTree

    # Entities are the one way in which a small list could become a huge one; the format has no use for them.
    if not text or "<!ENTITY" in text:
        return
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError:
        return
    for bookmark in root.iter("bookmark"):
        link = bookmark.get("href", "")
        moments = [_moment_s(bookmark.get(name, "")) for name in ("visited", "modified", "added")]
        used_s = max(moments)
        if link.startswith("file:") and used_s > 0:
            try:
                path = os.fsdecode(unquote_to_bytes(urlsplit(link).path))
            except ValueError:
                continue
            if os.path.isabs(path) and "\0" not in path:
                yield Recent(os.path.normpath(path), used_s)


def _moment_s(text: str) -> float:
    try:
        moment = moment_of(text)
        return moment.timestamp() if moment.tzinfo else 0.0
    except (ValueError, OverflowError):
        return 0.0
