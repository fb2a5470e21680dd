"""Homes as two other systems lay them out, to measure the same rules on them. Every name is made up."""

from __future__ import annotations

from homes.build import Builder
from homes.people import Person
from homes.words import Words
from nuvik.core.model.library import Kind

_EXE, _ZIP, _SQLITE = b"MZ\x90\x00", b"PK\x03\x04", b"SQLite format 3\x00"


def illustrator(home: Builder, words: Words) -> None:
    """A Mac: bundles that look like one file, and much below Library."""
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    support = f"{at}/Library/Application Support"
    home.files(f"{support}/Vellum/Brushes", "brush{}.brush", 200, 3)
    home.stays(f"{support}/Vellum")
    home.files(f"{support}/Chat/Cache/Cache_Data", "f_{}", 300, 2)
    home.library(f"{support}/Chat/Cache", Kind.CACHE, may_move=None, counts=False)
    home.files(f"{support}/Chat/IndexedDB", "{}.ldb", 60, 4)
    home.stays(f"{support}/Chat")
    home.files(f"{support}/PhoneSync/Backup/0000-1111", "{}", 400, 12)
    home.library(f"{support}/PhoneSync", *Kind, may_move=None, counts=False)
    home.library(f"{support}/PhoneSync/Backup", Kind.BACKUP, Kind.OTHER, may_move=None, counts=False)
    home.library(f"{at}/Library/Caches/com.vellum.app", Kind.CACHE, may_move=None)
    home.files(f"{at}/Library/Caches/com.vellum.app/tiles", "{}.tile", 300, 5)
    home.files(f"{at}/Library/Mail/V10/box/Inbox.mbox/Data/Messages", "{}.emlx", 900, 0.6)
    home.stays(f"{at}/Library/Mail")
    home.files(f"{at}/Library/Containers/com.pigeon.note/Data/Library/store", "{}.sqlite", 3, 300, begins=_SQLITE)
    home.stays(f"{at}/Library/Containers/com.pigeon.note")
    home.stays(f"{at}/Library/Containers")
    home.files(f"{at}/Library/Messages/Attachments/0a", "IMG_{}.heic", 300, 3)
    home.stays(f"{at}/Library/Messages", *Kind)
    home.files(f"{at}/Library/Developer/Emulator/Devices/A1-B2/data/Library", "blob{}.bin", 60, 90)
    home.stays(f"{at}/Library/Developer", *Kind)
    home.never.remove(f"{at}/Library/Developer")
    for inner in ("Emulator", "Emulator/Devices", "Emulator/Devices/A1-B2"):
        home.library(f"{at}/Library/Developer/{inner}", *Kind, may_move=None, counts=False)
    home.stays(f"{at}/Library")
    home.library(f"{at}/Pictures", Kind.PHOTO)
    photos = f"{at}/Pictures/Everything.photolibrary"
    home.library(photos, Kind.PHOTO, counts=False)
    for letter in "0123456789ABCDEF":
        home.files(f"{photos}/originals/{letter}", f"{letter}{{}}.heic", 60, 3)
    home.files(f"{photos}/resources/derivatives", "{}.jpeg", 300, 0.4)
    home.file(f"{photos}/database/Photos.sqlite", 500, begins=_SQLITE)
    home.library(f"{at}/Movies", Kind.VIDEO)
    film = f"{at}/Movies/Short film.filmbundle"
    home.files(f"{film}/Original Media", "A{}.mov", 12, 2_000)
    home.files(f"{film}/Render Files/High Quality", "{}.mov", 20, 200)
    home.file(f"{film}/project.flexo", 30)
    home.library(f"{at}/Music", Kind.SOUND)
    home.files(f"{at}/Music/Media/Music/Ada Wend/First", "{} song.m4a", 60, 9)
    home.file(f"{at}/Music/Media/Library.musicdb", 20)
    home.library(f"{at}/Documents", Kind.DOCUMENT)
    home.files(f"{at}/Documents/Invoices", "invoice {}.pdf", 120, 0.8)
    home.files(f"{at}/Documents/Fonts", "face{}.otf", 150, 0.3)
    home.library(f"{at}/Downloads", Kind.DOWNLOAD)
    home.files(f"{at}/Downloads", "installer {}.dmg", 6, 400)
    client = home.library(f"{at}/Desktop/Client Harbour", *Kind)
    home.files(client, "poster {}.art", 40, 350)
    home.library(f"{at}/Desktop", *Kind, counts=False)
    for app, megabytes in (("Vellum", 2_400), ("Type Tamer", 300)):
        bundle = home.library(f"{at}/Applications/{app}.app", Kind.PROGRAM, may_move=None)
        home.file(f"{bundle}/Contents/MacOS/{app}", 60, runs=True)
        home.files(f"{bundle}/Contents/Frameworks", "lib{}.dylib", 30, megabytes / 40)
        home.files(f"{bundle}/Contents/Resources", "r{}.car", 10, megabytes / 40)
    home.files(f"{at}/.Trash", "old {}.mov", 4, 500)
    home.stays(f"{at}/.Trash")
    backup = home.library(f"{portable}/Studio.sparsebundle", Kind.BACKUP, Kind.DISC_IMAGE)
    home.files(f"{backup}/bands", "{}", 300, 67)
    home.text(f"{backup}/Info.plist", "<plist></plist>\n")
    box = home.library(f"{shelf}/Boxes/Linux.boxvm", Kind.DISC_IMAGE)
    home.library(f"{shelf}/Boxes", Kind.DISC_IMAGE, counts=False)
    home.file(f"{box}/disk.img", 24_000)
    home.text(f"{box}/config.plist", "<plist></plist>\n")
    jobs = home.library(f"{shelf}/Jobs", *Kind)
    for year in (2021, 2022, 2023):
        for job in ("Ferry line", "Museum"):
            home.files(f"{jobs}/{year}/{job}/Art", "sheet{}.art", 20, 120)
            home.files(f"{jobs}/{year}/{job}/Export", "sheet{}.pdf", 20, 20)
            home.library(f"{jobs}/{year}/{job}", *Kind, counts=False)
        home.library(f"{jobs}/{year}", *Kind, counts=False)


def office_player(home: Builder, words: Words) -> None:
    """Windows: a store's games, a client's games, packages of programs, copies of files with their dates."""
    at, shelf, portable = home.places.home, home.places.shelf, home.places.portable
    local, roaming = f"{at}/AppData/Local", f"{at}/AppData/Roaming"
    home.files(f"{local}/Temp", "tmp{}.tmp", 200, 3)
    home.library(f"{local}/Temp", Kind.CACHE, may_move=None, counts=False)
    home.files(f"{local}/Skiff/User Data/Default/Cache/Cache_Data", "f_{}", 300, 3)
    home.library(f"{local}/Skiff/User Data/Default/Cache", Kind.CACHE, may_move=None, counts=False)
    home.files(f"{local}/Skiff/User Data/Default/Extensions", "{}.js", 300, 0.5)
    home.stays(f"{local}/Skiff")
    home.files(f"{local}/Packages/Vendor.Cards_8x/LocalState", "{}.dat", 40, 8)
    home.stays(f"{local}/Packages", *Kind)
    home.file(f"{local}/Programs/quill-editor/quill.exe", 150, begins=_EXE)
    home.files(f"{local}/Programs/quill-editor/resources", "r{}.pak", 10, 20)
    home.stays(f"{local}/Programs", Kind.PROGRAM, Kind.OTHER)
    home.library(f"{local}/Programs/quill-editor", Kind.PROGRAM, Kind.GAME, may_move=False, counts=False)
    home.files(f"{roaming}/Talkative/blob_storage", "{}", 90, 12)
    home.stays(f"{roaming}/Talkative")
    home.stays(roaming)
    home.stays(local)
    home.library(f"{at}/Documents", Kind.DOCUMENT)
    home.files(f"{at}/Documents/Letters", "letter {}.docx", 90, 1)
    home.files(f"{at}/Documents/Mail archive", "archive{}.pst", 2, 1_500)
    home.files(f"{at}/Documents/My Games/Hollow Tide/Saves", "save{}.sav", 30, 4)
    home.library(f"{at}/Pictures", Kind.PHOTO)
    home.files(f"{at}/Pictures/Camera Roll", "IMG_{}.jpg", 200, 4)
    home.library(f"{at}/Videos", Kind.VIDEO)
    home.files(f"{at}/Videos/Captures", "Hollow Tide {}.mp4", 12, 900)
    home.library(f"{at}/Downloads", Kind.DOWNLOAD)
    home.files(f"{at}/Downloads", "setup{}.exe", 6, 300, begins=_EXE)
    home.files(f"{at}/Downloads", "photos{}.zip", 3, 700, begins=_ZIP)
    home.files(f"{at}/Saved Games/Carrack", "slot{}.sav", 9, 1)
    for title, megabytes in (("Quiet Orchard", 9_000), ("Tin Parade", 21_000), ("Glass Road", 4_000)):
        game = home.library(f"{shelf}/StoreGames/{title}", Kind.GAME)
        home.file(f"{game}/Content/{title.split()[0]}.exe", 30, begins=_EXE)
        home.files(f"{game}/Content/data", "chunk{}.bundle", 5, megabytes / 5)
        home.file(f"{game}/Content/appxmanifest.xml", 0.01)
        home.file(f"{game}/Content/launch_helper.exe", 1, begins=_EXE)
    for title, megabytes in (("Hollow Tide", 18_000), ("Nine Wells", 7_000), ("Marsh Patrol", 2_000)):
        game = home.library(f"{shelf}/Lampwick/games/{title}", Kind.GAME)
        home.file(f"{game}/bin/win64/{title.split()[0].lower()}.exe", 40, begins=_EXE)
        home.files(f"{game}/bin/win64", "lib{}.dll", 12, 4, begins=_EXE)
        home.files(f"{game}/content", "pak{:0>2}.vpk".replace("{:0>2}", "{}"), 12, megabytes / 12)
    home.file(f"{shelf}/Lampwick/lampwick.exe", 6, begins=_EXE)
    home.files(f"{shelf}/Lampwick/logs", "log{}.txt", 9, 0.5)
    suite = home.library(f"{shelf}/Program Files/Paperwork", Kind.PROGRAM, may_move=None)
    home.file(f"{suite}/office/write.exe", 40, begins=_EXE)
    home.files(f"{suite}/office", "part{}.dll", 120, 8, begins=_EXE)
    copies = home.library(f"{portable}/FileCopies/jo/HOMEPC", Kind.BACKUP, Kind.DOCUMENT, Kind.PHOTO)
    home.files(f"{copies}/Data/C/Users/jo/Documents", "letter {} (2024_01_10 10_00_00 UTC).docx", 200, 1)
    home.files(f"{copies}/Data/C/Users/jo/Pictures", "IMG_{} (2024_01_10 10_00_00 UTC).jpg", 300, 4)
    home.file(f"{copies}/Configuration/catalog1.edb", 60)
    image = home.library(f"{portable}/SystemImage/HOMEPC", Kind.BACKUP, Kind.DISC_IMAGE)
    home.file(f"{image}/Backup 2024-03-01 190000/0a1b2c.vhdx", 30_000)
    home.files(f"{image}/Backup 2024-03-01 190000", "{}.xml", 8, 0.05)
    home.library(f"{image}/Backup 2024-03-01 190000", Kind.BACKUP, Kind.DISC_IMAGE, counts=False)
    films = home.library(f"{portable}/My Movies", Kind.VIDEO)
    home.files(films, "Long Night {}.mkv", 8, 2_500)


OTHER_SYSTEMS: dict[str, tuple[str, Person]] = {
    "illustrator": ("darwin", illustrator),
    "office player": ("win32", office_player),
}
"""Each with the system whose home it is, as Python names it."""
