"""Five people and their computers. The shapes are those of the trade; every name is made up."""

from __future__ import annotations

import json
import os
from collections.abc import Callable

from homes.build import Builder
from homes.words import Words
from nuvik.core.model.library import Kind

Person = Callable[[Builder, Words], None]

_ELF = b"\x7fELF\x02\x01\x01"
_WINDOWS_PROGRAM = b"MZ\x90\x00"
_QCOW = b"QFI\xfb\x00\x00\x00\x03"


def everyday(home: Builder, words: Words) -> None:
    """What every home has: standard folders, settings, keys, caches, the trash."""
    at = home.places.home
    names = {
        "DESKTOP": words.desktop,
        "DOCUMENTS": words.documents,
        "DOWNLOAD": words.downloads,
        "MUSIC": words.music,
        "PICTURES": words.pictures,
        "VIDEOS": words.videos,
    }
    lines = [f'XDG_{name}_DIR="$HOME/{folder}"\n' for name, folder in names.items()]
    home.text(f"{at}/.config/user-dirs.dirs", "".join(lines))
    home.text(f"{at}/.bashrc", "alias ll='ls -l'\n")
    home.stays(f"{at}/.config")
    home.files(f"{at}/.config/lantern-editor", "settings-{}.json", 6, 0.01)
    home.files(f"{at}/.config/lantern-editor/Cache/data", "f_{}", 40, 6)
    home.library(f"{at}/.config/lantern-editor/Cache", Kind.CACHE, may_move=None, counts=False)
    home.stays(f"{at}/.ssh")
    home.files(f"{at}/.ssh", "key-{}", 3, 0.0)
    home.stays(f"{at}/.gnupg")
    home.files(f"{at}/.gnupg/private-keys-v1.d", "{}.key", 4, 0.0)
    home.stays(f"{at}/.local/share/keyrings")
    home.file(f"{at}/.local/share/keyrings/login.keyring", 0.02)
    home.stays(f"{at}/.local/share/Trash")
    home.files(f"{at}/.local/share/Trash/files/old things", "IMG_{}.jpg", 30, 5)
    home.files(f"{at}/.local/share/Trash/info", "{}.trashinfo", 1, 0.0)
    home.library(f"{at}/.cache/skiff-browser", Kind.CACHE, may_move=None)
    home.files(f"{at}/.cache/skiff-browser/profile1/entries", "{}", 120, 4)
    home.library(f"{at}/.cache/thumbnails", Kind.CACHE, may_move=None, counts=False)
    home.files(f"{at}/.cache/thumbnails/large", "{}.png", 90, 0.05)
    home.stays(f"{at}/.skiff")
    profile = f"{at}/.skiff/profile1"
    home.file(f"{profile}/places.sqlite", 60, begins=b"SQLite format 3\x00")
    home.file(f"{profile}/cookies.sqlite", 8, begins=b"SQLite format 3\x00")
    home.files(f"{profile}/storage/default/site", "{}.bin", 20, 4)
    home.library(f"{at}/{words.downloads}", Kind.DOWNLOAD)
    home.files(f"{at}/{words.downloads}", "setup-{}.exe", 4, 120, begins=_WINDOWS_PROGRAM)
    home.files(f"{at}/{words.downloads}", "scan {}.pdf", 25, 2)
    home.file(f"{at}/{words.downloads}/archive.zip", 900, begins=b"PK\x03\x04")
    home.library(f"{at}/{words.documents}", Kind.DOCUMENT)
    for subject in ("Tax", "Letters", "School", "Insurance"):
        home.files(f"{at}/{words.documents}/{subject}", "paper {}.pdf", 30, 3)
        home.files(f"{at}/{words.documents}/{subject}", "note {}.odt", 12, 0.4)
    home.files(f"{at}/{words.desktop}", "shortcut {}.desktop", 5, 0.0)


# -- the player --------------------------------------------------------------------------------------------


def player(home: Builder, words: Words) -> None:
    at, shelf = home.places.home, home.places.shelf
    client = f"{at}/.local/share/lampwick"
    _client(home, client, {"Quarry Lights": 32_000, "Ember Reach": 18_000, "The Salt Road": 9_000}, first=1001)
    second = f"{shelf}/LampwickLibrary"
    titles = {"Züge & Brücken": 41_000, "Hollow Tide": 27_000, "Paper Fleet": 3_500, "Nine Wells": 14_000}
    _client(home, second, titles, first=2001, with_program=False)
    unfinished = f"{second}/titles/downloading/3001"
    home.files(unfinished, "chunk_{}.partial", 8, 400)
    home.library(unfinished, Kind.GAME, Kind.DOWNLOAD, may_move=None, counts=False)
    home.library(f"{second}/titles/downloading", Kind.GAME, Kind.DOWNLOAD, may_move=None, counts=False)
    # A second client, which keeps its titles in the home.
    for title, megabytes in {"Driftwood": 6_000, "Magpie Court": 11_000, "Vale of Bells": 2_400}.items():
        _game(home, home.library(f"{at}/{words.games}/Cobbler/{title}", Kind.GAME), megabytes, "script")
    home.stays(f"{at}/.config/cobbler")
    home.files(f"{at}/.config/cobbler/logs", "cobbler-{}.log", 20, 1)
    # Windows titles, each in a layer of its own.
    for title, megabytes in {"iron-harvesters": 22_000, "mirror-lake": 7_500}.items():
        prefix = home.library(f"{at}/{words.games}/{title}", Kind.GAME)
        inside = f"{prefix}/drive_c/Program Files/{title.replace('-', ' ').title()}"
        _game(home, inside, megabytes, "windows")
        home.files(f"{prefix}/drive_c/windows/system32", "lib{}.dll", 60, 1.5, begins=_WINDOWS_PROGRAM)
        home.text(f"{prefix}/system.reg", "REGEDIT\n")
    # Titles without any client, on the second drive, and recordings.
    for title, megabytes in {"Tin Kingdom": 5_000, "Kestrel Valley": 16_000}.items():
        _game(home, home.library(f"{shelf}/{words.games}/{title}", Kind.GAME), megabytes, "program below")
    home.library(f"{at}/{words.videos}", Kind.VIDEO)
    home.files(f"{at}/{words.videos}/Clips", "clip {}.mkv", 25, 700)
    for name in ("quarry lights", "hollow tide", "driftwood"):
        home.files(f"{at}/.local/share/{name}/saves", "slot{}.sav", 6, 2)


def _client(home: Builder, at: str, titles: dict[str, int], first: int, with_program: bool = True) -> None:
    """A game client's folder: its own program, manifests, titles on a shelf, layers, shader caches, logs."""
    home.stays(at)
    home.never.remove(at)  # whether it may move is open; what it holds may
    if with_program:
        home.file(f"{at}/runtime/lampwick", 60, begins=_ELF, runs=True)
        home.files(f"{at}/runtime/lib", "libruntime{}.so", 40, 4, begins=_ELF)
        home.library(f"{at}/runtime", Kind.PROGRAM, may_move=None, counts=False)
        home.files(f"{at}/logs", "client-{}.log", 15, 2)
        home.files(f"{at}/config", "profile-{}.cfg", 8, 0.02)
        home.files(f"{at}/webcache/blocks", "data_{}", 30, 8)
        home.library(f"{at}/webcache", Kind.CACHE, may_move=None, counts=False)
    for number, (title, megabytes) in enumerate(titles.items(), first):
        manifest = {"id": number, "name": title, "folder": title, "state": "ready"}
        home.text(f"{at}/titles/{number}.manifest", json.dumps(manifest))
        _game(home, home.library(f"{at}/titles/common/{title}", Kind.GAME), megabytes, "program")
        cache = f"{at}/titles/shadercache/{number}"
        home.files(cache, "pipeline_{}.bin", 6, 40)
        home.library(cache, Kind.CACHE, may_move=None, counts=False)
    home.library(f"{at}/titles/shadercache", Kind.CACHE, may_move=None, counts=False)


def _game(home: Builder, at: str, megabytes: float, how: str) -> None:
    """A title: something that starts it, one or several large data files, many small ones."""
    if how == "program":
        home.file(f"{at}/{os.path.basename(at).split()[0].lower()}", 30, begins=_ELF, runs=True)
    elif how == "program below":
        home.file(f"{at}/bin/x64/start", 30, begins=_ELF, runs=True)
    elif how == "windows":
        home.file(f"{at}/Game.exe", 40, begins=_WINDOWS_PROGRAM)
        home.files(at, "engine{}.dll", 6, 5, begins=_WINDOWS_PROGRAM)
    else:
        home.text(f"{at}/start.sh", "#!/bin/sh\nexec ./data/engine\n")
        os.chmod(f"{at}/start.sh", 0o755)
        home.file(f"{at}/data/engine", 20, begins=_ELF, runs=True)
    packs = home.chance.randint(1, 9)
    home.files(f"{at}/data/packs", "pack{}.bin", packs, megabytes * 0.8 / packs)
    home.files(f"{at}/data/audio", "bank{}.ogg", 12, megabytes * 0.01)
    home.files(f"{at}/data/text", "strings_{}.txt", 14, 0.02)
    if home.chance.random() < 0.4:
        home.files(f"{at}/addons/fan made", "skin{}.png", 9, 2)


# -- the film maker ----------------------------------------------------------------------------------------


def film_maker(home: Builder, words: Words) -> None:
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    for number, film in enumerate(("Harbour at Night", "Kiln", "Wedding of the Millers")):
        project = home.library(f"{shelf}/{words.projects}/{film}", Kind.PROJECT)
        home.file(f"{project}/{film}.cutlist", 4)
        home.files(f"{project}/Footage/card A", "A{}.mov", 14, 2_400)
        home.files(f"{project}/Audio", "take {}.wav", 20, 60)
        home.files(f"{project}/Cache/peaks", "{}.pk", 80, 2)
        home.files(f"{project}/Proxies", "A{}_proxy.mp4", 14, 200)
        home.files(f"{project}/Renders", "{}.mp4", 1 + number, 3_000)
        home.files(f"{project}/Backups", f"{film} {{}}.cutlist", 12, 4)
    # A standard folder is a whole; a project in it may be shown as part of it, or by itself.
    home.library(f"{at}/{words.videos}", Kind.VIDEO)
    quick = home.library(f"{at}/{words.videos}/Edit/Trailer cut", Kind.PROJECT, counts=False)
    home.files(f"{quick}/Footage", "B{}.mov", 6, 1_500)
    home.files(f"{quick}/Audio", "music {}.wav", 4, 70)
    home.files(f"{quick}/Cache", "{}.tmp", 30, 20)
    home.file(f"{quick}/Trailer cut.cutlist", 2)
    footage = home.library(f"{portable}/Footage archive", Kind.VIDEO)
    for year, month in ((2021, 4), (2022, 9), (2023, 6), (2024, 1)):
        home.files(f"{footage}/{year}-{month:02}/DCIM/100CLIPS", "CLIP{}.MP4", 12, 1_800)
        home.files(f"{footage}/{year}-{month:02}/DCIM/100CLIPS", "CLIP{}.XML", 12, 0.01)
    stock = home.library(f"{shelf}/Stock sounds", Kind.SOUND)
    for group in ("Rain", "Streets", "Doors", "Crowds"):
        home.files(f"{stock}/{group}", f"{group.lower()} {{}}.wav", 40, 25)
    home.library(f"{at}/{words.pictures}", Kind.PHOTO)
    for year in (2019, 2020, 2021, 2022):
        home.files(f"{at}/{words.pictures}/{year}/stills", "DSC{}.jpg", 60, 9)
    editor = home.library(f"{at}/opt/reelbench", Kind.PROGRAM, may_move=None)
    home.file(f"{editor}/bin/reelbench", 90, begins=_ELF, runs=True)
    home.files(f"{editor}/lib", "lib{}.so", 70, 12, begins=_ELF)
    home.files(f"{editor}/share/luts", "look{}.cube", 40, 1)
    home.stays(f"{at}/.local/share/reelbench")
    home.files(f"{at}/.local/share/reelbench/plugins", "filter{}.so", 12, 6, begins=_ELF)
    home.library(f"{at}/.cache/reelbench", Kind.CACHE, may_move=None)
    home.files(f"{at}/.cache/reelbench/previews", "{}.jpg", 200, 6)
    backup = home.library(f"{portable}/{words.backups}", Kind.BACKUP)
    for month in range(1, 7):
        home.files(f"{backup}/2024-{month:02}-01", "project {}.zip", 3, 900, begins=b"PK\x03\x04")


# -- the musician ------------------------------------------------------------------------------------------


def musician(home: Builder, words: Words) -> None:
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    studio = home.library(f"{shelf}/Tonework", Kind.SOUND, Kind.PROJECT)
    for song in ("Low Sun", "Ferryman", "Untitled 7", "Glass Stairs"):
        home.files(f"{studio}/Songs/{song}/Audio Files", "track {}.wav", 24, 55)
        home.file(f"{studio}/Songs/{song}/{song}.song", 3)
        home.files(f"{studio}/Songs/{song}/Bounces", "mix {}.wav", 3, 60)
    for pack in ("Felt Piano", "Brushed Kit", "Old Organ", "Choir of Ten", "Bowed Metal"):
        home.files(f"{studio}/Samples/{pack}", "note {}.wav", 60, 12)
    home.stays(f"{at}/.plugins")
    home.files(f"{at}/.plugins", "synth{}.so", 10, 30, begins=_ELF)
    home.library(f"{at}/Sound libraries", Kind.SOUND)
    instruments = home.library(f"{at}/Sound libraries/Grand strings", Kind.SOUND, counts=False)
    home.files(f"{instruments}/Samples", "strings_{}.flac", 80, 60)
    home.file(f"{instruments}/Grand strings.instrument", 20)
    other = home.library(f"{at}/Sound libraries/Prepared piano", Kind.SOUND, counts=False)
    home.files(f"{other}/Samples", "prep_{}.flac", 60, 30)
    home.file(f"{other}/Prepared piano.instrument", 20)
    home.library(f"{at}/{words.music}", Kind.SOUND)
    for artist in ("Ada Wend", "The Tilers", "Korvin Quartet"):
        for album in ("First", "Second", "Live"):
            home.files(f"{at}/{words.music}/{artist}/{album}", "{} song.flac", 11, 30)
            home.file(f"{at}/{words.music}/{artist}/{album}/cover.jpg", 1)
    recordings = home.library(f"{portable}/Recordings", Kind.SOUND)
    for year in (2020, 2021, 2022):
        for month in (3, 7, 11):
            home.files(f"{recordings}/{year}-{month:02}-14 rehearsal", "mic {}.wav", 8, 350)
    workstation = home.library(f"{at}/opt/tonework-5", Kind.PROGRAM, may_move=None)
    home.file(f"{workstation}/tonework", 120, begins=_ELF, runs=True)
    home.files(f"{workstation}/modules", "mod{}.so", 50, 8, begins=_ELF)
    single = home.library(f"{at}/Applications/Scorewright-3.AppImage", Kind.PROGRAM, may_move=None)
    home.file(single, 240, begins=_ELF, runs=True)
    home.file(f"{at}/Applications/Tuner-1.AppImage", 90, begins=_ELF, runs=True)
    home.library(f"{at}/Applications/Tuner-1.AppImage", Kind.PROGRAM, may_move=None, counts=False)
    home.library(f"{at}/Applications", Kind.PROGRAM, may_move=None, counts=False)


# -- the programmer ----------------------------------------------------------------------------------------


def programmer(home: Builder, words: Words) -> None:
    at, shelf = home.places.home, home.places.shelf
    for place, megabytes in {
        "src/reef/engine": 900,
        "src/reef/site": 400,
        "src/tools/almanac": 250,
        "src/almond": 1_500,
        "work/billing-service": 700,
    }.items():
        project = home.library(f"{at}/{place}", Kind.PROJECT)
        _repository(home, project, megabytes)
    for toolchain in ("stable-x86_64", "nightly-x86_64"):
        home.file(f"{at}/.smelter/toolchains/{toolchain}/bin/smelt", 40, begins=_ELF, runs=True)
        home.files(f"{at}/.smelter/toolchains/{toolchain}/lib", "lib{}.so", 50, 12, begins=_ELF)
        home.library(f"{at}/.smelter/toolchains/{toolchain}", Kind.PROGRAM, may_move=None, counts=False)
    home.library(f"{at}/.smelter/toolchains", Kind.PROGRAM, may_move=None, counts=False)
    home.library(f"{at}/.smelter", Kind.PROGRAM, may_move=None, counts=False)
    home.files(f"{at}/.smelter/registry/cache", "crate-{}.tgz", 120, 3)
    home.library(f"{at}/.smelter/registry/cache", Kind.CACHE, may_move=None, counts=False)
    home.library(f"{at}/.smelter/registry", Kind.CACHE, may_move=None, counts=False)
    for name, megabytes in {"compiler-cache": 3_000, "wheels": 1_200}.items():
        home.library(f"{at}/.cache/{name}", Kind.CACHE, may_move=None)
        home.files(f"{at}/.cache/{name}/objects", "{}", 150, megabytes / 150)
    tagged = home.library(f"{at}/builds/output", Kind.CACHE, may_move=None)
    home.text(f"{tagged}/CACHEDIR.TAG", "Signature: 8a477f597d28d172789f06886806bc55\n")
    home.files(f"{tagged}/objects", "o{}.o", 90, 8)
    storage = home.stays(f"{at}/.local/share/containers/storage")
    for layer in ("a91f", "b02c", "c77d"):
        home.files(f"{storage}/overlay/{layer}/diff/usr/lib", "lib{}.so", 60, 10, begins=_ELF)
        home.text(f"{storage}/overlay/{layer}/link", layer)
    home.stays(f"{at}/.local/share/containers")
    for machine in ("old-desktop", "test-bench"):
        box = home.library(f"{shelf}/Machines/{machine}", Kind.DISC_IMAGE)
        home.file(f"{box}/{machine}.qcow2", 30_000, begins=_QCOW)
        home.text(f"{box}/{machine}.xml", f"<domain type='kvm'><name>{machine}</name></domain>\n")
    image = home.library(f"{shelf}/installer-media.iso", Kind.DISC_IMAGE)
    home.file(image, 4_500)
    data = home.library(f"{shelf}/datasets/river-levels", Kind.DOCUMENT, Kind.OTHER, Kind.PROJECT)
    home.files(data, "year_{}.csv", 40, 120)
    more = home.library(f"{shelf}/datasets/street-noise", Kind.SOUND, Kind.OTHER, Kind.PROJECT)
    home.files(f"{more}/clips", "{}.wav", 300, 12)
    home.file(f"{more}/labels.csv", 4)
    database = home.stays(f"{at}/.local/share/tidepool-db/data")
    home.text(f"{database}/VERSION", "15\n")
    home.files(f"{database}/base/1634", "{}", 60, 40)
    home.files(f"{database}/wal", "0000{}", 8, 16)
    home.stays(f"{at}/.local/share/tidepool-db")
    mail = home.stays(f"{at}/.mail/work")
    for box_name in ("cur", "new", "tmp"):
        os.makedirs(f"{mail}/INBOX/{box_name}", exist_ok=True)
    home.files(f"{mail}/INBOX/cur", "17000{}.M1P1.host:2,S", 300, 0.6)
    home.stays(f"{at}/.mail")


def _repository(home: Builder, at: str, megabytes: float) -> None:
    home.text(f"{at}/.git/HEAD", "ref: refs/heads/main\n")
    home.text(f"{at}/.git/config", "[core]\n")
    home.files(f"{at}/.git/objects/pack", "pack-{}.pack", 3, megabytes * 0.1)
    home.files(f"{at}/src", "module_{}.c", 40, 0.05)
    home.files(f"{at}/node_modules/left/lib", "index{}.js", 80, megabytes * 0.4 / 80)
    home.text(f"{at}/.venv/pyvenv.cfg", "home = /usr/bin\n")
    home.files(f"{at}/.venv/lib/site", "m{}.so", 30, megabytes * 0.2 / 30, begins=_ELF)
    home.files(f"{at}/build", "out{}.o", 30, megabytes * 0.3 / 30)


# -- the family --------------------------------------------------------------------------------------------


def family(home: Builder, words: Words) -> None:
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    photos = home.library(f"{portable}/{words.pictures}", Kind.PHOTO)
    for year in range(2012, 2022):
        for event in (words.holidays, "Birthdays"):
            home.files(f"{photos}/{year}/{event}", "IMG_{}.jpg", 30, 4)
        home.files(f"{photos}/{year}/{words.holidays}", "MOV_{}.mp4", 2, 150)
    home.library(f"{at}/{words.pictures}", Kind.PHOTO)
    home.files(f"{at}/{words.pictures}/2024/Garden", "IMG_{}.jpg", 120, 5)
    home.files(f"{at}/{words.pictures}/2023/Lake", "IMG_{}.jpg", 80, 5)
    films = home.library(f"{shelf}/{words.films}", Kind.VIDEO)
    for film in ("The Long Ferry", "Snow in May", "Two Lighthouses", "Postman", "The Orchard"):
        home.file(f"{films}/{film} (2019)/{film}.mkv", 6_000)
        home.file(f"{films}/{film} (2019)/{film}.srt")
    home.library(f"{shelf}/{words.music}", Kind.SOUND)
    for artist in ("Ada Wend", "Children's choir"):
        home.files(f"{shelf}/{words.music}/{artist}/Collected", "{}.mp3", 40, 8)
    old = home.library(f"{portable}/{words.old_laptop}", Kind.BACKUP, Kind.OTHER)
    home.files(f"{old}/{words.documents}", "letter {}.doc", 60, 0.5)
    home.files(f"{old}/{words.pictures}/2009", "P{}.jpg", 100, 3)
    home.files(f"{old}/{words.music}/Mixed", "{}.mp3", 50, 5)
    home.files(f"{old}/{words.desktop}", "thing {}.pdf", 10, 1)
    home.files(f"{old}/AppData/Roaming/program", "{}.dat", 20, 2)
    phone = home.library(f"{shelf}/Phone backup", Kind.BACKUP)
    for date in ("20230101", "20230601", "20240101"):
        home.files(f"{phone}/{date}/media", "IMG{}.jpg", 40, 4)
        home.file(f"{phone}/{date}/contacts.vcf", 0.2)
    mail = home.stays(f"{at}/.pigeon/profile/Mail")
    home.files(f"{mail}/account", "box{}", 6, 300, begins=b"From sender@example.org Mon Jan  1\n")
    home.files(f"{mail}/account", "box{}.index", 6, 2)
    home.stays(f"{at}/.pigeon")
    for title, megabytes in {"Word Garden": 900, "Little Trains": 2_500}.items():
        _game(home, home.library(f"{at}/{words.games}/{title}", Kind.GAME), megabytes, "program")
    # The second user, whose home this user may look into but does not own.
    other = home.stays(f"{os.path.dirname(at)}/{os.path.basename(at)}-2")
    home.files(f"{other}/{words.pictures}/2022", "IMG_{}.jpg", 60, 4)
    home.files(f"{other}/{words.music}/Various", "{}.mp3", 20, 6)


PEOPLE: dict[str, Person] = {
    "player": player,
    "film maker": film_maker,
    "musician": musician,
    "programmer": programmer,
    "family": family,
}
