"""Five more people, made in another style after the rules were written: real programs keep their things in stranger
ways than a tidy home shows. Every name is made up; the shapes are those of program stores, engines and systems.
"""

from __future__ import annotations

from homes.build import Builder
from homes.people import Person
from homes.words import Words
from nuvik.core.model.library import Kind

_ELF, _EXE, _ZIP = b"\x7fELF\x02\x01\x01", b"MZ\x90\x00", b"PK\x03\x04"
_SQLITE = b"SQLite format 3\x00"


def tinkerer(home: Builder, words: Words) -> None:
    """Compilers, package stores, containers, models, emulated telephones."""
    at, shelf = home.places.home, home.places.shelf
    for channel in ("stable-x86_64-linux", "nightly-x86_64-linux"):
        chain = f"{at}/.forge/toolchains/{channel}"
        home.files(f"{chain}/bin", "forge-{}", 8, 12, begins=_ELF, runs=True)
        home.files(f"{chain}/lib", "libforge_driver-{}.so", 2, 160, begins=_ELF, runs=True)
        home.files(f"{chain}/lib/target/lib", "core-{}.rlib", 30, 4)
        home.files(f"{chain}/share/doc/html", "page{}.html", 400, 1.6)
        home.files(f"{chain}/etc", "completions-{}", 3, 0.0)
    home.stays(f"{at}/.forge", Kind.PROGRAM, Kind.OTHER)
    for version in ("3.11.7", "3.12.1"):
        kept = f"{at}/.pyforge/versions/{version}"
        home.files(f"{kept}/bin", "tool{}", 12, 8, begins=_ELF, runs=True)
        home.files(f"{kept}/lib/python/site-packages/numbers", "mod{}.so", 40, 10, begins=_ELF, runs=True)
        home.files(f"{kept}/include", "h{}.h", 60, 0.05)
    home.text(f"{at}/.pyforge/.git/HEAD", "ref: refs/heads/main\n")
    home.stays(f"{at}/.pyforge", Kind.PROGRAM, Kind.OTHER, Kind.PROJECT)
    for group in ("com/acme/core", "org/harbour/net", "io/kiln/json"):
        home.files(f"{at}/.jarstore/repository/{group}/1.2.3", "lib-{}.jar", 12, 14, begins=_ZIP)
    home.stays(f"{at}/.jarstore", Kind.OTHER, Kind.CACHE, Kind.PROGRAM)
    home.files(f"{at}/.npack/_cacache/content-v2/sha512/a1", "{}", 300, 3)
    home.library(f"{at}/.npack/_cacache", Kind.CACHE, may_move=None, counts=False)
    home.library(f"{at}/.npack", Kind.CACHE, Kind.OTHER, may_move=None, counts=False)
    suite = home.library(f"{at}/boa3", Kind.PROGRAM, Kind.OTHER, may_move=None)
    home.files(f"{suite}/bin", "boa-{}", 20, 4, begins=_ELF, runs=True)
    home.files(f"{suite}/lib", "libmath{}.so", 40, 20, begins=_ELF)
    home.files(f"{suite}/share/terminfo", "t{}", 30, 0.01)
    home.files(f"{suite}/pkgs/blas-1.0/lib", "libblas{}.so", 10, 60, begins=_ELF)
    home.files(f"{suite}/envs/thesis/lib", "libm{}.so", 30, 30, begins=_ELF)
    go = f"{at}/go"
    home.files(f"{go}/pkg/mod/example.org/net@v1.2", "file{}.go", 400, 0.9)
    home.files(f"{go}/bin", "serve{}", 6, 30, begins=_ELF, runs=True)
    home.library(go, *Kind, may_move=None, counts=False)
    home.library(f"{go}/pkg", *Kind, may_move=None, counts=False)
    sdk = home.library(f"{at}/Pocket/Sdk", Kind.PROGRAM, Kind.OTHER, Kind.DISC_IMAGE, may_move=None)
    home.file(f"{sdk}/emulator/emulate", 40, begins=_ELF, runs=True)
    home.files(f"{sdk}/emulator/lib64", "libgl{}.so", 12, 20, begins=_ELF)
    home.file(f"{sdk}/system-images/pocket-34/x86_64/system.img", 2_600)
    home.files(f"{sdk}/platforms/pocket-34", "pocket{}.jar", 2, 30, begins=_ZIP)
    home.files(f"{sdk}/build-tools/34.0.0", "tool{}", 10, 6, begins=_ELF, runs=True)
    home.library(f"{at}/Pocket", *Kind, may_move=None, counts=False)
    home.file(f"{at}/.pocket/avd/Phone_34.avd/userdata.img", 6_000)
    home.file(f"{at}/.pocket/avd/Phone_34.avd/config.ini")
    home.stays(f"{at}/.pocket", *Kind)
    blobs = f"{at}/.hearth/models/blobs"
    home.files(blobs, "sha256-{}", 4, 4_500)
    home.library(f"{at}/.hearth/models", *Kind, may_move=None, counts=False)
    home.stays(f"{at}/.hearth", *Kind)
    hub = home.library(f"{at}/.cache/modelhub", Kind.CACHE, may_move=None)
    home.files(f"{hub}/hub/models--acme--tiny/blobs", "{}", 5, 900)
    weights = home.library(f"{shelf}/models", Kind.OTHER, Kind.DOCUMENT, Kind.PROJECT, Kind.DOWNLOAD)
    home.files(weights, "tern-7b-q{}.gguf", 5, 4_200)
    layers = home.stays(f"{at}/.local/share/stevedore/overlay2")
    for layer in ("0a1b", "2c3d", "4e5f"):
        home.files(f"{layers}/{layer}/diff/usr/lib", "lib{}.so", 30, 12, begins=_ELF)
        home.text(f"{layers}/{layer}/link", layer)
    home.stays(f"{at}/.local/share/stevedore")
    for project in ("code/weather/frontend", "code/weather/backend", "code/dotfiles-of-mine", "thesis"):
        place = home.library(f"{at}/{project}", Kind.PROJECT, counts=project != "code/dotfiles-of-mine")
        home.text(f"{place}/.git/HEAD", "ref: refs/heads/main\n")
        home.files(f"{place}/.git/objects/pack", "pack-{}.pack", 2, 90)
        home.files(f"{place}/node_modules/dep/dist", "i{}.js", 200, 2)
        home.files(f"{place}/target/debug/deps", "lib{}.rlib", 30, 12)
    # A second working copy without version control, as people unpack them.
    unpacked = home.library(f"{at}/code/emulator-src-0.9", Kind.PROJECT, Kind.PROGRAM, Kind.OTHER)
    home.files(f"{unpacked}/src", "core{}.c", 300, 0.4)
    home.files(f"{unpacked}/build/obj", "core{}.o", 300, 2)
    home.file(f"{unpacked}/Makefile")
    home.file(f"{unpacked}/README.md")
    home.files(f"{at}/.local/lib/python3.11/site-packages/torchlight/lib", "libtorch{}.so", 6, 500, begins=_ELF)
    home.stays(f"{at}/.local/lib", Kind.PROGRAM, Kind.OTHER)
    box = home.library(f"{shelf}/vm/images", Kind.DISC_IMAGE, counts=False)
    home.library(f"{shelf}/vm", Kind.DISC_IMAGE)
    home.file(f"{box}/ubuntu-like", 22_000, begins=b"QFI\xfb\x00\x00\x00\x03")
    home.file(f"{box}/router", 900, begins=b"QFI\xfb\x00\x00\x00\x03")


def student(home: Builder, words: Words) -> None:
    """Sandboxed programs, a synchronised folder, lectures, notes, a telephone's pictures."""
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    for app, size in (("org.quill.Writer", 300), ("net.tern.Chat", 1_800), ("io.reel.Player", 90)):
        home.files(f"{at}/.var/app/{app}/cache/blocks", "{}", 60, size / 60)
        home.library(f"{at}/.var/app/{app}/cache", Kind.CACHE, may_move=None, counts=False)
        home.files(f"{at}/.var/app/{app}/config", "{}.conf", 9, 0.01)
        home.file(f"{at}/.var/app/{app}/data/store.sqlite", size / 3, begins=_SQLITE)
        home.stays(f"{at}/.var/app/{app}/data")
        home.stays(f"{at}/.var/app/{app}")
    home.stays(f"{at}/.var")
    home.stays(f"{at}/.var/app")
    home.files(f"{at}/snaps/chat/common/.config/storage", "{}.ldb", 90, 5)
    home.library(f"{at}/snaps", *Kind, may_move=None, counts=False)  # nothing marks it as a program's own
    browser = f"{at}/.mozarella/browser/k2x9.default-release"
    home.file(f"{browser}/places.sqlite", 70, begins=_SQLITE)
    home.files(f"{browser}/storage/default/https+++mail", "{}.sqlite", 20, 30, begins=_SQLITE)
    home.files(f"{browser}/extensions", "{}.xpi", 10, 4, begins=_ZIP)
    home.stays(f"{at}/.mozarella")
    home.files(f"{at}/.config/chromite/Default/Service Worker/CacheStorage/a1", "{}_0", 300, 3)
    home.files(f"{at}/.config/chromite/Default/IndexedDB/site", "{}.ldb", 60, 6)
    for cache in ("Default/Service Worker/CacheStorage", "Default/Service Worker", "Default"):
        home.library(f"{at}/.config/chromite/{cache}", *Kind, may_move=None, counts=False)
    home.stays(f"{at}/.config/chromite")
    home.file(f"{at}/.thunderous/x1.default/global-messages-db.sqlite", 500, begins=_SQLITE)
    home.files(f"{at}/.thunderous/x1.default/ImapMail/imap.example.org", "Folder{}", 8, 350, begins=b"From - Mon\n")
    home.stays(f"{at}/.thunderous")
    sync = home.library(f"{at}/Cloudberry", *Kind, may_move=None)
    home.file(f"{sync}/.sync_a1b2.db", 20, begins=_SQLITE)
    home.files(f"{sync}/Uni/Semester 3/Linear algebra", "sheet {}.pdf", 40, 2)
    home.files(f"{sync}/Uni/Semester 4/Optics", "slides {}.pptx", 30, 12)
    home.files(f"{sync}/Photos from phone", "IMG_{}.jpg", 200, 4)
    for folder in ("Uni", "Uni/Semester 3", "Uni/Semester 4", "Photos from phone"):
        home.library(f"{sync}/{folder}", *Kind, may_move=None, counts=False)
    lectures = home.library(f"{at}/{words.videos}", Kind.VIDEO)
    for week in range(1, 9):
        home.files(f"{lectures}/Lectures/Week {week}", "part{}.mp4", 4, 400)
    vault = home.library(f"{at}/Notebook", Kind.DOCUMENT, Kind.PROJECT, Kind.OTHER, counts=False)
    home.files(vault, "note {}.md", 900, 0.01)
    home.files(f"{vault}/attachments", "paste {}.png", 150, 1.2)
    books = home.library(f"{at}/Books", Kind.DOCUMENT)
    for author in ("Wend, Ada", "Korvin, J", "Tiler, M"):
        home.files(f"{books}/{author}", "{} title.epub", 30, 5)
        home.files(f"{books}/{author}", "{} scan.pdf", 10, 80)
    phone = home.library(f"{portable}/Phone 2023-05", Kind.PHOTO, Kind.VIDEO, Kind.BACKUP)
    home.files(f"{phone}/DCIM/Camera", "IMG_{}.jpg", 400, 5)
    home.files(f"{phone}/DCIM/Camera", "VID_{}.mp4", 30, 180)
    home.files(f"{phone}/Messenger/Media", "IMG-{}.jpg", 200, 0.3)
    home.library(f"{at}/{words.pictures}", Kind.PHOTO)
    home.files(f"{at}/{words.pictures}/Screenshots", "Screenshot {}.png", 150, 1)
    catalogue = f"{at}/{words.pictures}/Catalogue"
    home.file(f"{catalogue}/library.db", 200, begins=_SQLITE)
    home.files(f"{catalogue}/previews", "{}.pvw", 300, 0.8)
    home.library(f"{at}/{words.music}", Kind.SOUND)
    home.files(f"{at}/{words.music}/Podcasts/The Long View", "episode {}.mp3", 60, 45)
    disc = home.library(f"{shelf}/lab image 12.vdi", Kind.DISC_IMAGE)
    home.file(disc, 9_000)


def late_night(home: Builder, words: Words) -> None:
    """Games as engines lay them out, some of them hard to tell."""
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    store = f"{shelf}/Stile/stileapps"
    for number, (title, build) in enumerate(_ENGINES.items(), 4001):
        place = home.library(f"{store}/common/{title}", Kind.GAME)
        build(home, place, title)
        home.text(
            f"{store}/entry_{number}.vdx",
            f'"Entry"\n{{\n\t"number"\t\t"{number}"\n\t"name"\t\t"{title}: The Game"\n\t"folder"\t\t"{title}"\n}}\n',
        )
    for number in (4001, 4002, 4003):
        layer = f"{store}/layers/{number}/pfx/drive_c"
        home.files(f"{layer}/windows/system32", "mod{}.dll", 90, 2, begins=_EXE)
        home.files(f"{layer}/users/player/Saved Games", "slot{}.sav", 5, 2)
        home.library(f"{store}/layers/{number}", *Kind, may_move=None, counts=False)
        home.library(f"{store}/layers/{number}/pfx", *Kind, may_move=None, counts=False)
        home.files(f"{store}/shaders/{number}", "blob{}", 4, 90)
        home.library(f"{store}/shaders/{number}", *Kind, may_move=None, counts=False)
    home.library(f"{store}/layers", *Kind, may_move=None, counts=False)
    home.library(f"{store}/shaders", *Kind, may_move=None, counts=False)
    home.files(f"{store}/community/4001/88912", "mod{}.pak", 6, 200)
    for folder in ("community", "community/4001", "community/4001/88912"):
        home.library(f"{store}/{folder}", *Kind, may_move=None, counts=False)
    home.files(f"{store}/fetching/4009", "depot_{}.chunk", 12, 300)
    for folder in ("fetching", "fetching/4009"):
        home.library(f"{store}/{folder}", *Kind, may_move=None, counts=False)
    runtime = home.library(f"{store}/common/Layer 9.0", Kind.PROGRAM, Kind.GAME, may_move=None, counts=False)
    home.files(f"{runtime}/files/lib64/wine", "mod{}.so", 200, 3, begins=_ELF)
    home.files(f"{runtime}/files/bin", "layer{}", 6, 8, begins=_ELF, runs=True)
    home.file(f"{runtime}/layer", runs=True)
    # Cartridges by console, and discs.
    roms = home.library(f"{portable}/Roms", *Kind)
    for console, ending, size in (("handheld", "gbx", 16), ("sixteen", "smx", 3), ("disc", "iso", 1_400)):
        home.files(f"{roms}/{console}", f"Title {{}}.{ending}", 12, size)
        home.library(f"{roms}/{console}", *Kind, counts=False)
    for number in range(1, 13):
        home.library(f"{roms}/disc/Title {number:03}.iso", *Kind, counts=False)
    recordings = home.library(f"{portable}/Recorded", Kind.VIDEO)
    home.files(recordings, "2024-0{}.mkv", 9, 4_000)
    # The launcher of blocks: a program's own folder with worlds in it.
    blocks = f"{at}/.blockhouse"
    home.files(f"{blocks}/libraries/org/lib", "l{}.jar", 80, 3, begins=_ZIP)
    home.files(f"{blocks}/versions", "1.{}.jar", 6, 25, begins=_ZIP)
    home.files(f"{blocks}/saves/Our island/region", "r.{}.mca", 200, 8)
    home.stays(blocks, *Kind)
    for folder in ("saves", "saves/Our island", "saves/Our island/region"):
        home.library(f"{blocks}/{folder}", *Kind, may_move=None, counts=False)


def _data_folder(home: Builder, at: str, title: str) -> None:
    """A program with a folder of data of the same name, as one engine has it."""
    home.file(f"{at}/{title}.exe", 0.7, begins=_EXE)
    home.file(f"{at}/Player.dll", 28, begins=_EXE)
    home.files(f"{at}/{title}_Data", "sharedassets{}.assets", 60, 90)
    home.files(f"{at}/{title}_Data", "level{}", 60, 4)
    home.files(f"{at}/{title}_Data/Managed", "Module{}.dll", 120, 0.4, begins=_EXE)


def _packs(home: Builder, at: str, title: str) -> None:
    """The program deep below, data in a few huge packs."""
    home.file(f"{at}/{title}.exe", 0.4, begins=_EXE)
    home.file(f"{at}/{title}/Binaries/Win64/{title}-Win64-Shipping.exe", 90, begins=_EXE)
    home.files(f"{at}/{title}/Content/Paks", "pakchunk{}-Windows.pak", 5, 6_000)
    home.files(f"{at}/Engine/Binaries/ThirdParty/Audio", "a{}.dll", 20, 1, begins=_EXE)


def _many_small(home: Builder, at: str, title: str) -> None:
    """Data in very many small files, as flight and train simulators have it."""
    home.file(f"{at}/{title.lower()}", 60, begins=_ELF, runs=True)
    for region in range(12):
        home.files(f"{at}/scenery/tile{region:02}", "obj{}.dds", 120, 3)
    home.files(f"{at}/aircraft/glider", "part{}.obj", 100, 1)


def _java(home: Builder, at: str, title: str) -> None:
    """A runtime, archives and a script."""
    home.files(f"{at}/jre/lib", "lib{}.so", 30, 4, begins=_ELF)
    home.file(f"{at}/jre/bin/java", 0.1, begins=_ELF, runs=True)
    home.files(f"{at}/lib", "game{}.jar", 8, 60, begins=_ZIP)
    home.file(f"{at}/{title}.sh", runs=True)
    home.files(f"{at}/music", "theme{}.ogg", 20, 8)


def _script_and_game(home: Builder, at: str, title: str) -> None:
    """A script that starts what lies in a folder called game, with support files beside it."""
    home.file(f"{at}/start.sh", runs=True)
    home.file(f"{at}/game/{title}.x86_64", 24, begins=_ELF, runs=True)
    home.file(f"{at}/game/data.pck", 3_800)
    home.files(f"{at}/support", "icon{}.png", 4, 0.2)


def _old_disc(home: Builder, at: str, title: str) -> None:
    """An old game for another system in a box that plays its disc."""
    home.file(f"{at}/box.exe", 4, begins=_EXE)
    home.file(f"{at}/{title}.iso", 640)
    home.file(f"{at}/box.conf")


_ENGINES = {
    "Fernway": _data_folder,
    "Carrack": _packs,
    "SKYLARK 12": _many_small,
    "Delve": _java,
    "Ironbark": _script_and_game,
    "Old Harbour": _old_disc,
}


def returner(home: Builder, words: Words) -> None:
    """Another system's whole drive, kept beside the new one."""
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    old = f"{portable}"
    home.files(f"{old}/Windows/System32", "core{}.dll", 300, 3, begins=_EXE)
    home.library(f"{old}/Windows", *Kind, may_move=None, counts=False)  # it is only a copy here
    for program in ("Paperwork Suite", "Lantern Player"):
        place = home.library(f"{old}/Program Files/{program}", Kind.PROGRAM, may_move=None)
        home.file(f"{place}/{program.split()[0]}.exe", 20, begins=_EXE)
        home.files(place, "module{}.dll", 60, 6, begins=_EXE)
        home.files(f"{place}/Resources", "r{}.dat", 20, 3)
    home.library(f"{old}/Program Files", Kind.PROGRAM, may_move=None, counts=False)
    games = f"{old}/Program Files (x86)/Stile/stileapps/common"
    for title, build in (("Fernway", _data_folder), ("Carrack", _packs), ("Old Harbour", _old_disc)):
        build(home, home.library(f"{games}/{title}", Kind.GAME, may_move=None), title)
    user = f"{old}/Users/Robin"
    home.library(user, Kind.BACKUP, may_move=None)
    for folder, pattern, size in (
        ("Documents", "letter {}.docx", 0.6),
        ("Pictures/2015", "P10{}.JPG", 4),
        ("Music/Mixed", "{}.mp3", 6),
        ("Videos", "clip{}.mp4", 120),
    ):
        home.files(f"{user}/{folder}", pattern, 60, size)
    home.files(f"{user}/Desktop", "{}.lnk", 20, 0.0)
    home.files(f"{user}/AppData/Local/Chromite/User Data/Default/Cache", "f_{}", 200, 2)
    home.library(f"{old}/Users", Kind.BACKUP, may_move=None, counts=False)
    home.files(f"{old}/ProgramData/Vendor", "d{}.bin", 20, 5)
    home.library(f"{old}/ProgramData", *Kind, may_move=None, counts=False)
    home.library(f"{old}/ProgramData/Vendor", *Kind, may_move=None, counts=False)
    home.files(f"{old}/$RECYCLE.BIN/S-1-5-21", "$R{}.mp4", 4, 300)
    new = home.library(f"{shelf}/Inbox from old pc", *Kind)
    home.files(new, "copy of {}.pdf", 80, 3)
    home.files(f"{new}/New folder (2)", "IMG_{}.jpg", 120, 4)
    home.library(f"{new}/New folder (2)", *Kind, counts=False)
    archive = home.library(f"{shelf}/mailbox-2016.pst", *Kind, counts=False)
    home.file(archive, 4_000)
    home.library(f"{at}/{words.pictures}", Kind.PHOTO)
    home.files(f"{at}/{words.pictures}/Camera Roll", "WIN_{}.jpg", 90, 3)


def archivist(home: Builder, words: Words) -> None:
    """Drives filled over years: films loose in the root, camera cards as they came, boxes of samples, images."""
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    home.files(f"{portable}", "Evening Film {}.mkv", 6, 3_000)  # loose in the root of a drive
    for number in (1, 2, 3, 4):
        series = f"{portable}/TV/The Weir/Season {number}"
        home.files(series, "The Weir S0" + str(number) + "E{}.mkv", 8, 700)
        home.files(series, "The Weir S0" + str(number) + "E{}.srt", 8, 0.1)
    home.library(f"{portable}/TV", Kind.VIDEO)
    cards = home.library(f"{portable}/Cards", Kind.PHOTO, Kind.VIDEO)
    for card in ("SD 64 blue", "SD 64 red", "SD 128"):
        home.files(f"{cards}/{card}/DCIM/101_PANA", "P101{}.RW2", 150, 22)
        home.files(f"{cards}/{card}/PRIVATE/AVCHD/BDMV/STREAM", "{}.MTS", 8, 700)
    scans = home.library(f"{shelf}/Scans", Kind.PHOTO, Kind.DOCUMENT)
    for box in range(1, 7):
        home.files(f"{scans}/Box {box:02}", "scan_{}.tif", 40, 45)
    discs = home.library(f"{shelf}/Disc dumps", Kind.DISC_IMAGE, Kind.VIDEO)
    home.files(discs, "DISC_{}.iso", 7, 4_300)
    dvd = home.library(f"{shelf}/Wedding disc", Kind.VIDEO)
    home.files(f"{dvd}/VIDEO_TS", "VTS_01_{}.VOB", 5, 1_000)
    home.files(f"{dvd}/VIDEO_TS", "VTS_01_{}.IFO", 2, 0.05)
    home.library(f"{dvd}/VIDEO_TS", Kind.VIDEO, counts=False)
    samples = home.library(f"{shelf}/Drum boxes", Kind.SOUND)
    for box in ("Tin Kit", "Cellar Kit", "Brush Kit"):
        home.files(f"{samples}/{box}/Samples", "hit_{}.aif", 200, 4)
    home.files(samples, "readme {}.txt", 3, 0.01)
    dumps = home.library(f"{shelf}/server dumps", Kind.BACKUP)
    home.files(dumps, "web-2024-0{}.tar.zst", 8, 1_500)
    snapshots = home.library(f"{shelf}/timeback", Kind.BACKUP)
    for day in ("2024-01-05_10-00-01", "2024-02-05_10-00-02", "2024-03-05_10-00-01"):
        home.files(f"{snapshots}/snapshots/{day}/localhost/usr/lib", "lib{}.so", 80, 5, begins=_ELF)
        home.files(f"{snapshots}/snapshots/{day}/localhost/etc", "c{}.conf", 30, 0.01)
    maps = home.library(f"{shelf}/Maps", *Kind)
    home.files(f"{maps}/tiles/12", "{}.mbtiles", 8, 900)
    home.library(f"{maps}/tiles", *Kind, counts=False)
    home.library(f"{maps}/tiles/12", *Kind, counts=False)
    telescope = home.library(f"{shelf}/Nights", Kind.PHOTO, Kind.PROJECT)
    for night in ("2024-01-12 Comet", "2024-02-03 Cluster", "2024-03-18 Moon"):
        home.files(f"{telescope}/{night}/lights", "L_{}.fits", 80, 33)
        home.files(f"{telescope}/{night}/darks", "D_{}.fits", 20, 33)
    home.library(f"{at}/{words.documents}/Genealogy", Kind.DOCUMENT, Kind.PROJECT, counts=False)
    home.files(f"{at}/{words.documents}/Genealogy/parish books", "page {}.pdf", 90, 6)


STRANGERS: dict[str, Person] = {
    "tinkerer": tinkerer,
    "student": student,
    "late-night player": late_night,
    "returner": returner,
    "archivist": archivist,
}
