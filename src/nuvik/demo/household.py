"""Who lives at the Hollin Observatory: its drives and libraries. Everything here is invented."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from nuvik.core.model.library import Kind

WORLD_NAME = "Hollin Observatory"
TIME_SCALE = 120
"""Two simulated minutes a second: a move of a hundred gigabytes takes some ten seconds to watch."""

GB = 1_000_000_000
MB = 1_000_000

DRIVES: list[dict[str, Any]] = [
    {
        "id": "kestrel",
        "label": "Kestrel",
        "folder": "kestrel",
        "capacity_bytes": 512_110_190_592,
        "usable_bytes": 511_101_108_224,
        "other_bytes": 96 * GB,
        "filesystem": "ext4",
        "cluster_bytes": 4096,
        "medium": "nvme",
        "model": "Marl Swift 512",
        "link": "pcie-3x4",
        "best_link": "pcie-4x4",
        "temperature_c": 47.0,
        "portable": False,
        "attached": True,
        "system": True,
        "read_bytes_per_s": 3_100 * MB,
        "write_bytes_per_s": 2_200 * MB,
        "sustained_write_bytes_per_s": 900 * MB,
        "burst_bytes": 24 * GB,
        "small_reads_per_s": 48_000,
    },
    {
        "id": "dunlin",
        "label": "Dunlin",
        "folder": "dunlin",
        "capacity_bytes": 1_000_204_886_016,
        "usable_bytes": 983_349_346_304,
        "other_bytes": 2 * GB,
        "filesystem": "ext4",
        "cluster_bytes": 4096,
        "model": "Marl Plain 1000",
        "medium": "ssd",
        "link": "sata-6g",
        "temperature_c": 36.0,
        "portable": False,
        "attached": True,
        "system": False,
        "read_bytes_per_s": 540 * MB,
        "write_bytes_per_s": 490 * MB,
        "small_reads_per_s": 9_000,
    },
    {
        "id": "heron",
        "label": "Heron",
        "folder": "heron",
        "capacity_bytes": 4_000_787_030_016,
        "usable_bytes": 3_936_818_806_784,
        "other_bytes": 31 * GB,
        "filesystem": "ext4",
        "cluster_bytes": 4096,
        "model": "Oxbow Broad 4T",
        "medium": "hdd",
        "link": "sata-6g",
        "temperature_c": 41.0,
        "portable": False,
        "attached": True,
        "system": False,
        "read_bytes_per_s": 185 * MB,
        "write_bytes_per_s": 175 * MB,
        "small_reads_per_s": 95,
    },
    {
        "id": "wren",
        "label": "Wren",
        "folder": "wren",
        "capacity_bytes": 1_000_204_886_016,
        "usable_bytes": 983_349_346_304,
        "other_bytes": 0,
        "filesystem": "ext4",
        "cluster_bytes": 4096,
        "model": "Quillpost Field 1T",
        "medium": "ssd",
        "link": "usb-3.2-gen2",
        "portable": True,
        "attached": True,
        "system": False,
        "read_bytes_per_s": 980 * MB,
        "write_bytes_per_s": 850 * MB,
        "sustained_write_bytes_per_s": 420 * MB,
        "burst_bytes": 60 * GB,
        "small_reads_per_s": 6_500,
    },
    {
        "id": "bittern",
        "label": "Bittern",
        "folder": "bittern",
        "capacity_bytes": 2_000_398_934_016,
        "usable_bytes": 2_000_263_577_600,
        "other_bytes": 0,
        "filesystem": "exfat",
        "cluster_bytes": 131_072,
        "model": "Oxbow Satchel 2T",
        "medium": "hdd",
        "link": "usb-3.2-gen1",
        "portable": True,
        "attached": False,
        "system": False,
        "read_bytes_per_s": 120 * MB,
        "write_bytes_per_s": 110 * MB,
        "small_reads_per_s": 70,
    },
    {
        "id": "pipit",
        "label": "Pipit",
        "folder": "pipit",
        "capacity_bytes": 64_023_257_088,
        "usable_bytes": 63_999_836_160,
        "other_bytes": 0,
        "filesystem": "fat32",
        "cluster_bytes": 32_768,
        "model": "Quillpost Clip 64",
        "medium": "flash",
        "link": "usb-2",
        "portable": True,
        "attached": True,
        "system": False,
        "read_bytes_per_s": 32 * MB,
        "write_bytes_per_s": 11 * MB,
        "small_reads_per_s": 450,
    },
]


CANDIDATES: dict[str, Any] = {
    "currency": "EUR",
    "ports": ["usb-3.2-gen2", "sata-6g"],
    "drive": [
        {
            "label": "Marl Swift 2 TB",
            "capacity_bytes": 2_000_398_934_016,
            "price": 128.0,
            "medium": "nvme",
            "read_bytes_per_s": 6_800 * MB,
            "write_bytes_per_s": 5_200 * MB,
            "small_reads_per_s": 60_000,
            "port": "pcie-3x4",
        },
        {
            "label": "Marl Brook 2 TB bare",
            "capacity_bytes": 2_000_398_934_016,
            "price": 104.0,
            "medium": "nvme",
            "read_bytes_per_s": 3_500 * MB,
            "write_bytes_per_s": 2_900 * MB,
        },
        {
            "label": "Quillpost Field 2 TB",
            "capacity_bytes": 2_000_398_934_016,
            "price": 159.0,
            "medium": "ssd",
            "read_bytes_per_s": 1_000 * MB,
            "write_bytes_per_s": 900 * MB,
            "case": "usb-3.2-gen2",
        },
        {
            "label": "Oxbow Satchel 5 TB",
            "capacity_bytes": 5_000_947_302_400,
            "price": 117.0,
            "medium": "hdd",
            "read_bytes_per_s": 140 * MB,
            "write_bytes_per_s": 130 * MB,
            "case": "usb-3.2-gen1",
            "port": "usb-3.2-gen1",
        },
    ],
    "case": [{"label": "Tinker brass case", "price": 24.0, "link": "usb-3.2-gen2", "takes": ["nvme"]}],
    "upgrade": [
        {
            "drive": "wren",
            "label": "Wren on a faster port",
            "price": 39.0,
            "case": "usb-3.2-gen2x2",
            "port": "usb-3.2-gen2x2",
            "read_bytes_per_s": 2_000 * MB,
            "write_bytes_per_s": 1_700 * MB,
        },
    ],
}
"""What the family thinks of buying."""


@dataclass(frozen=True, slots=True)
class Household:
    """A library of the family."""

    drive: str
    folder: str
    kind: Kind
    bytes: int
    age_days: int
    """Days since it was last used."""
    opens_per_week: float = 0.0
    files: int = 12
    parts: dict[str, tuple[Kind, float]] = field(default_factory=dict)
    """Sub-folders that may be placed on their own, with their share of the bytes."""
    stays: str = ""
    """Why it must not move, if it must not."""
    largest_share: float = 0.0
    """The share of the bytes that one single file takes; 0 for an even spread."""
    moved: tuple[str, int, bool] | None = None
    """The drive from which it was moved, how many days ago, and whether that is on trial still."""

    @property
    def first_drive(self) -> str:
        """Where it was before anything was moved."""
        return self.drive if self.moved is None else self.moved[0]


_PROJECT = {"Media": (Kind.VIDEO, 0.55), "Cache": (Kind.CACHE, 0.3), "Backups": (Kind.BACKUP, 0.1)}
_PROGRAM = {"Plug-ins": (Kind.PROGRAM, 0.1), "Cache": (Kind.CACHE, 0.35)}

LIBRARIES: list[Household] = [
    # Kestrel: small, fast, nearly full
    Household("kestrel", "Games/Comet Courier", Kind.GAME, 93_100 * MB, 2, 4, 40, {"Add-ons": (Kind.GAME, 0.12)}),
    Household("kestrel", "Games/Saltmarsh Signalman", Kind.GAME, 61_400 * MB, 431, 0, 30),
    Household("kestrel", "Games/Nine Kettles Deep", Kind.GAME, 36_900 * MB, 64, 0.5, 24),
    Household("kestrel", "Programs/Attic Planetarium", Kind.PROGRAM, 18_200 * MB, 1, 6, 26, _PROGRAM),
    Household(
        "kestrel",
        "Programs/Vane Frame Stacker",
        Kind.PROGRAM,
        4_250 * MB,
        3,
        5,
        22,
        {"Plug-ins": (Kind.PROGRAM, 0.4)},
        stays="other programs look for its plug-ins in this place",
    ),
    Household(
        "kestrel",
        "Programs/Dome Roof Control",
        Kind.PROGRAM,
        640 * MB,
        1,
        7,
        10,
        stays="it opens the dome roof and is started by the system from here",
    ),
    Household("kestrel", ".vane-working-cache", Kind.CACHE, 74_300 * MB, 5, 2, 36),
    Household("kestrel", "Projects/Autumn Mosaic", Kind.PROJECT, 22_100 * MB, 6, 3, 28, _PROJECT),
    Household("kestrel", "Projects/Occultation Log", Kind.PROJECT, 1_370 * MB, 38, 1, 12),
    Household("kestrel", "Photos/Planet Captures 2025-2026", Kind.PHOTO, 48_600 * MB, 12, 1, 32),
    Household("kestrel", "Documents/Observatory Notebook", Kind.DOCUMENT, 310 * MB, 0, 9, 18),
    Household("kestrel", "Documents/Family Papers", Kind.DOCUMENT, 2_140 * MB, 9, 2, 20),
    Household("kestrel", "Downloads/Star Chart Parcels", Kind.DOWNLOAD, 9_150 * MB, 402, 0, 9),
    Household("kestrel", "Sounds/Meteor Radio This Month", Kind.SOUND, 6_020 * MB, 1, 3, 16),
    # Dunlin: the second chip drive
    Household("dunlin", "Games/Gannet Rally Hollow", Kind.GAME, 112_000 * MB, 21, 1, 38),
    Household("dunlin", "Games/Ferrymoss", Kind.GAME, 7_400 * MB, 4, 3, 14, moved=("heron", 150, False)),
    Household("dunlin", "Games/Mill Lane Orrery", Kind.GAME, 55_300 * MB, 530, 0, 26),
    Household("dunlin", "Programs/Spectra Bench Hollin", Kind.PROGRAM, 11_300 * MB, 15, 1, 18, _PROGRAM),
    Household("dunlin", "Projects/Lunar Mosaic", Kind.PROJECT, 64_800 * MB, 47, 0.5, 26, _PROJECT),
    Household("dunlin", "Videos/Transit Films", Kind.VIDEO, 82_500 * MB, 120, 0.25, 9, largest_share=0.3),
    Household("dunlin", "Disc images/Old Study Computer", Kind.DISC_IMAGE, 118_000 * MB, 610, 0, 3, largest_share=0.9),
    Household("dunlin", "Photos/Family Album", Kind.PHOTO, 76_200 * MB, 8, 2, 40),
    Household("dunlin", "Sounds/Family Music", Kind.SOUND, 41_700 * MB, 2, 5, 40),
    # Heron: large and slow
    Household("heron", "Photos/Deep-Sky Frames Archive", Kind.PHOTO, 900_000 * MB, 2, 6, 60),
    Household("heron", "Photos/Planet Captures 2019-2024", Kind.PHOTO, 410_000 * MB, 33, 0.5, 48),
    Household("heron", "Sounds/Meteor Radio Archive", Kind.SOUND, 265_000 * MB, 140, 0, 36),
    Household("heron", "Videos/All-Sky Camera Films", Kind.VIDEO, 520_000 * MB, 19, 0.5, 44),
    Household("heron", "Videos/Family Films", Kind.VIDEO, 190_000 * MB, 11, 1, 24),
    Household("heron", "Backups/Kestrel Nightly", Kind.BACKUP, 310_000 * MB, 1, 0, 30),
    Household("heron", "Projects/Finished Mosaics", Kind.PROJECT, 88_400 * MB, 390, 0, 22, _PROJECT),
    Household("heron", "Documents/Star Chart Atlas", Kind.DOCUMENT, 34_100 * MB, 52, 0.5, 20),
    Household("heron", "Games/Winter Kite Makers", Kind.GAME, 46_200 * MB, 720, 0, 22),
    Household("heron", "Games/Lodestone Lane Nine", Kind.GAME, 23_600 * MB, 6, 4, 20),
    Household("heron", "Disc images/Workshop Discs", Kind.DISC_IMAGE, 14_200 * MB, 880, 0, 4),
    Household("heron", "Other/Attic Odds and Ends", Kind.OTHER, 1_900 * MB, 260, 0, 14),
    Household("heron", "Programs/Tide and Eclipse Tables", Kind.PROGRAM, 3_300 * MB, 26, 1, 12),
    # Wren: goes along on field trips
    Household("wren", "Photos/Field Trip Frames", Kind.PHOTO, 134_000 * MB, 17, 1, 36),
    Household("wren", "Programs/Travelling Planetarium", Kind.PROGRAM, 9_600 * MB, 17, 1, 16, _PROGRAM),
    Household("wren", "Sounds/Field Radio Recordings", Kind.SOUND, 27_300 * MB, 17, 0.5, 18),
    Household("wren", "Photos/Holiday Pictures", Kind.PHOTO, 58_900 * MB, 99, 0.25, 30),
    Household("wren", "Games/Pocket Regatta Hollin", Kind.GAME, 4_100 * MB, 30, 1, 10, moved=("dunlin", 5, True)),
    Household("wren", "Documents/Field Checklists", Kind.DOCUMENT, 45 * MB, 17, 1, 8),
    # Bittern: in the cupboard
    Household("bittern", "Backups/Observatory Yearly", Kind.BACKUP, 640_000 * MB, 200, 0, 24),
    Household("bittern", "Videos/Old Family Films", Kind.VIDEO, 230_000 * MB, 410, 0, 18),
    Household("bittern", "Photos/Frames 2012-2018", Kind.PHOTO, 480_000 * MB, 330, 0, 30),
    # Pipit: lent to the astronomy club
    Household("pipit", "Documents/Charts for the Club", Kind.DOCUMENT, 1_200 * MB, 45, 0.25, 10),
    Household("pipit", "Documents/Talk Slides", Kind.DOCUMENT, 310 * MB, 45, 0.25, 8),
    Household("pipit", "Videos/Club Evening Films", Kind.VIDEO, 6_400 * MB, 160, 0, 6),
]

FIRST_PLACES = {
    f"{library.drive}/{library.folder}": f"{library.first_drive}/{library.folder}"
    for library in LIBRARIES
    if library.moved is not None
}
"""Where libraries that were moved are now, and where they were first."""

LOOSE: list[tuple[str, int, int]] = [
    ("heron/Frames to sort 2021.tar", 14_600 * MB, 1_480),
    ("dunlin/study desktop, everything.img", 8_900 * MB, 812),
    ("wren/panorama test.tif", 1_350 * MB, 96),
]
"""Files that lie in no library: path, bytes, days since they changed."""
COPIED_BY_HAND = ("dunlin/Videos/Transit Films", "heron/transit film, safe copy")
"""The largest film of this library was once copied by hand, and the copy forgotten."""

EXTENSIONS: dict[Kind, tuple[str, ...]] = {
    Kind.GAME: (".pack", ".bin", ".map"),
    Kind.PROGRAM: (".bin", ".dat", ".lib"),
    Kind.VIDEO: (".mkv", ".mp4"),
    Kind.PHOTO: (".fits", ".tif", ".jpg"),
    Kind.SOUND: (".flac", ".wav"),
    Kind.DOCUMENT: (".pdf", ".odt", ".txt"),
    Kind.PROJECT: (".dat", ".proj"),
    Kind.CACHE: (".tile", ".tmp"),
    Kind.BACKUP: (".bak", ".tar"),
    Kind.DOWNLOAD: (".zip", ".tar"),
    Kind.DISC_IMAGE: (".img", ".iso"),
    Kind.OTHER: (".dat",),
}

TITLES = (
    "kestrel/Games/Comet Courier",
    "kestrel/Games/Saltmarsh Signalman",
    "heron/Games/Lodestone Lane Nine",
)
"""The games that the household's Title Box starts."""
