"""Small worlds to test on, and the libraries in them; real small drives are in `volumes`."""

from __future__ import annotations

import io
import os
import random
import shutil
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import redirect_stdout
from dataclasses import dataclass, field
from pathlib import Path

import pytest
import tomlkit
from filelock import FileLock
from hypothesis import settings

from nuvik.__main__ import run
from nuvik.core.hosts.volumes import Listing, Volume
from nuvik.core.model.drive import Drive
from nuvik.core.stages.workspace import Workspace, open_workspace
from volumes import RealDrives

MB, GB = 1_000_000, 1_000_000_000

_IN_MEMORY = Path("/dev/shm")


def pytest_configure(config: pytest.Config) -> None:
    work_in_memory()
    os.environ["NUVIK_CONFIG"] = os.path.join(tempfile.gettempdir(), "nuvik-test-config", "none.toml")
    os.environ.setdefault("NUVIK_LOG", os.path.join(tempfile.gettempdir(), "nuvik-test-log"))
    # No test fails because the machine is busy.
    settings.register_profile("nuvik", deadline=None)
    settings.load_profile("nuvik")


def work_in_memory() -> None:
    """Worlds, and the images behind real drives, stand in memory where the system has such a place: what is tested
    on them is order and limits, not this machine's own disk.
    """
    if os.access(_IN_MEMORY, os.W_OK) and shutil.disk_usage(_IN_MEMORY).free > 2_000 * MB:
        os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", str(_IN_MEMORY))
        tempfile.tempdir = str(_IN_MEMORY)


@dataclass
class World:
    """A world of two or three drives in a temporary folder, to be changed and opened again at will."""

    folder: Path
    data: dict = field(default_factory=dict)
    cards: list[dict] = field(default_factory=list)

    def drive(self, id: str, **facts) -> dict:
        declared = {
            "id": id,
            "label": id.capitalize(),
            "folder": id,
            "capacity_bytes": 1000 * MB,
            "usable_bytes": 1000 * MB,
            "headroom_bytes": 50 * MB,
            "filesystem": "ext4",
            "medium": "ssd",
            "read_bytes_per_s": 400 * MB,
            "write_bytes_per_s": 300 * MB,
            "small_reads_per_s": 5000,
            **facts,
        }
        (self.folder / id).mkdir(exist_ok=True)
        self.data.setdefault("drive", []).append(declared)
        return declared

    def write(self, **changes) -> None:
        self.data.update(changes)
        self.folder.joinpath("world.toml").write_text(tomlkit.dumps(self.data))
        if self.cards:
            cards = {"format": "nuvik-cards/1", "library": self.cards}
            self.folder.joinpath("cards.toml").write_text(tomlkit.dumps(cards))

    def attach(self, id: str, attached: bool = True) -> None:
        """Attach a drive, or take it away."""
        next(drive for drive in self.data["drive"] if drive["id"] == id)["attached"] = attached
        self.write()

    def open(self) -> Workspace:
        return open_workspace(str(self.folder), waits=False)

    def surveyed(self) -> Workspace:
        """The home, opened and just surveyed."""
        workspace = self.open()
        workspace.survey.take()
        return workspace

    def run(self, *words: str) -> int:
        """A command of the program in this home; its exit code."""
        return run([*words, "--world", str(self.folder)])

    def prints(self, *words: str, code: int = 0) -> str:
        """What a command of the program prints, which has to end with this exit code."""
        with redirect_stdout(io.StringIO()) as printed:
            assert self.run(*words) == code, words
        return printed.getvalue()

    def path(self, *parts: str) -> str:
        return str(self.folder.joinpath(*parts))


def a_world(folder: Path, **drives: dict) -> World:
    """A new world in this folder with these drives, by their id; the facts are for what is special about them."""
    made = World(folder, {"format": "nuvik-world/1", "name": "Test House", "time_scale": 0})
    folder.mkdir(parents=True, exist_ok=True)
    for id, facts in drives.items():
        made.drive(id, **facts)
    made.write()
    return made


@pytest.fixture
def world(tmp_path: Path) -> World:
    """Kestrel (small), Heron (large, slow), Wren (portable), all empty."""
    small = {"capacity_bytes": 200 * MB, "usable_bytes": 200 * MB, "headroom_bytes": 20 * MB, "system": True}
    large = {"medium": "hdd", "small_reads_per_s": 90}
    return a_world(tmp_path / "world", kestrel=small, heron=large, wren={"portable": True})


@pytest.fixture
def ferry(world: World) -> Path:
    source = Path(world.path("kestrel", "Games", "Ferry"))
    (source / "data").mkdir(parents=True)
    for number, path in enumerate(("start.bin", "data/one.bin", "data/two.bin")):
        (source / path).write_bytes(b"%d" % number * 5_000)
        os.utime(source / path, ns=(10**18, 10**18 + number))
    return source


@pytest.fixture
def house(world):
    """Kestrel is short of its headroom; one hostile name."""
    fill(world.path("kestrel", "Games", "Ferrymoss"))
    fill(world.path("kestrel", "Games", os.fsdecode(b"[red]Lantern\x1b[31m \xff")), seed=2)
    put(world.path("kestrel", "Games", "Ferrymoss", "big.pack"), 180 * MB)
    world.data["drive"][1].update(capacity_bytes=1_500 * MB, usable_bytes=1_500 * MB)
    world.write()
    return world


def put(path: str | Path, count_bytes: int = 10, mode: int = 0o644) -> Path:
    path = Path(path)
    path.parent.mkdir(parents=True, exist_ok=True)
    with open(path, "wb") as file:
        file.truncate(count_bytes)
    path.chmod(mode)
    _an_hour_old(path)
    return path


def _an_hour_old(path: Path) -> None:
    """What changed just now may still be in work, so Nuvik proposes nothing for it."""
    moment_s = time.time() - 3_600
    os.utime(path, (moment_s, moment_s))


ODD_NAMES = (b"with space", b"new\nline", b"not-utf8-\xff\xfe", b"[bold]x", b"\x1b[31mred", b"-rf", "ünï".encode())


def fill(
    root: str | Path, files: int = 12, seed: int = 1, odd: bool = False, names: Sequence[bytes] = ODD_NAMES
) -> Path:
    """A library with nested folders, uneven real contents and a sparse file; with `odd`, everything that may hurt."""
    chance, root = random.Random(seed), Path(root)
    (root / "data" / "deep" / "er").mkdir(parents=True)
    (root / "empty").mkdir()
    places = [root, root / "data", root / "data" / "deep", root / "data" / "deep" / "er"]
    for number in range(files):
        path = places[number % 4] / f"file-{number:04d}.bin"
        path.write_bytes(chance.randbytes(chance.choice([0, 1, 700, 5_000, 70_000])))
        os.utime(path, ns=(1_600_000_000_123_456_700 + number, 1_500_000_000_987_654_300 + number))
    with open(root / "sparse.dat", "wb") as file:
        file.write(b"begin")
        file.seek(3 * MB)
        file.write(b"end")
    _an_hour_old(root / "sparse.dat")
    if odd:
        make_odd(root, names)
    return root


def make_odd(root: Path, names: Sequence[bytes] = ODD_NAMES) -> None:
    """Hostile names, links of every kind, read-only things."""
    for name in names:
        with open(os.path.join(os.fsencode(root), name), "wb") as file:
            file.write(b"contents of " + name)
    (root / "inner-link").symlink_to("data/deep")
    (root / "file-link").symlink_to("file-0000.bin")
    (root / "broken-link").symlink_to("nowhere/at all")
    (root / "far-link").symlink_to("/etc/hostname")
    (root / "data" / "up-link").symlink_to("../file-0000.bin")
    os.link(root / "file-0004.bin", root / "data" / "second-name.bin")
    locked = root / "locked"
    locked.mkdir()
    (locked / "read-only.txt").write_text("do not write")
    (locked / "read-only.txt").chmod(0o444)
    (root / "program").write_text("#!/bin/sh\n")
    (root / "program").chmod(0o755)
    locked.chmod(0o555)


def picture(root: str | os.PathLike, times: bool = True, follow: bool = False) -> dict[bytes, tuple]:
    """Everything that must survive a move: contents, kinds, modes, times, link texts, hard links and holes. With
    `follow`, links to folders count as what they lead to.
    """
    seen: dict[bytes, tuple] = {}
    first_names: dict[int, bytes] = {}
    top = os.fsencode(root)
    for here, folders, files in os.walk(top, followlinks=follow):
        for name in [b".", *folders, *files]:
            path = os.path.join(here, name)
            facts, relative = os.stat(path) if follow else os.lstat(path), os.path.relpath(path, top)
            stamp = facts.st_mtime_ns if times else None
            if os.path.islink(path) and not follow:
                seen[relative] = ("link", os.readlink(path), stamp)
            elif os.path.isdir(path):
                seen[relative] = ("folder", facts.st_mode, stamp)
            else:
                with open(path, "rb") as file:
                    contents = file.read()
                twin = first_names.setdefault(facts.st_ino, relative) if facts.st_nlink > 1 else relative
                small = facts.st_blocks * 512 < facts.st_size // 2
                seen[relative] = ("file", facts.st_mode, contents, twin, small, stamp)
    return seen


def count_descriptors() -> int:
    """How many descriptors this process has open; always 0 where the system does not list them."""
    return len(os.listdir("/dev/fd")) if os.path.isdir("/dev/fd") else 0


def leftovers(root: str | os.PathLike) -> list[str]:
    """Nuvik's own hidden folders below a place."""
    return [str(path) for path in Path(root).rglob(".nuvik-*")]


def a_drive(**facts) -> Drive:
    """A portable solid-state drive on a cable, as a value; `facts` change it."""
    plain = {
        "id": "wren",
        "label": "Wren",
        "path": "/wren",
        "medium": "ssd",
        "link": "usb-3.2-gen2",
        "filesystem": "ext4",
        "cluster_bytes": 4096,
        "portable": True,
        "attached": True,
        "system": False,
        "capacity_bytes": 900 * 10**9,
        "usable_bytes": 850 * GB,
        "used_bytes": 500 * GB,
        "headroom_bytes": 50 * GB,
        "read_bytes_per_s": 980 * MB,
        "write_bytes_per_s": 850 * MB,
        "small_reads_per_s": 6000,
        "disk_bytes": 1000 * GB,
        "filesystem_bytes": 880 * GB,
        "speed_source": "measured",
    }
    return Drive(**{**plain, **facts})


class SystemOf:
    """A system that lists these volumes."""

    def __init__(self, *volumes: Volume) -> None:
        self.volumes = volumes

    def listing(self) -> Listing:
        return Listing(volumes=self.volumes)

    def temperature_c(self, disks: object) -> float | None:
        return None


@pytest.fixture
def real_drives() -> Iterator[RealDrives]:
    """Real small file systems, where this machine may mount them; skipped with the reason where it may not."""
    if not hasattr(os, "geteuid") or os.geteuid() != 0 or shutil.which("losetup") is None:
        pytest.skip("loop devices need the rights of root")
    # Mounted where a user's drives may be; the images behind them lie in memory, where nothing else slows them down.
    place = Path("/tmp") / f"nuvik-drives-{os.getpid()}"
    images = Path(tempfile.mkdtemp(prefix="nuvik-images-"))
    place.mkdir()
    drives = RealDrives(place, images)
    # Every process of the machine sees them, so that two tests on real drives take turns.
    with FileLock(Path(tempfile.gettempdir()) / "nuvik-real-drives.lock"):
        yield drives
        drives.down()
    shutil.rmtree(place, ignore_errors=True)
    shutil.rmtree(images, ignore_errors=True)
