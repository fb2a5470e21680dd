"""Torture: moves on real small drives while everything fails that can, for as long as wanted. Needs the rights of root.

    python3 start.py torture [--minutes N] [--seed N] [--pairs ext4:xfs,btrfs:ntfs]

A round moves a library to and fro by random acts. In each act something goes wrong at a random file operation: the
machine dies, a drive loses its power, an operation fails with one of several errors (and another one in the recovery),
or something else renames, replaces, links, grows or maps what Nuvik is about to touch. After each act every byte must
be on one of the two drives, and in the end the library must be whole in one place, found by its old path, with nothing
of Nuvik's left. A round that fails prints its seed and its story.
"""

from __future__ import annotations

import argparse
import errno
import mmap
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

import pytest

from conftest import fill, leftovers, picture
from nuvik.core.carrying.aside_folders import held
from nuvik.core.carrying.run import carry_plan, release, resume, undo
from nuvik.core.hosts.file_op_hook import FileOpHook
from nuvik.core.model.errors import NuvikError
from nuvik.core.model.journal import State
from nuvik.core.planning.drafting.make_plan import make_plan
from nuvik.core.stages.workspace import Workspace, open_workspace
from test_promise import Dead
from volumes import RealDrives

SYSTEMS = {"ext4": "60M", "xfs": "300M", "btrfs": "150M", "ntfs": "60M", "exfat": "60M"}
ERRORS = (errno.ENOSPC, errno.EIO, errno.EROFS, errno.EPERM, errno.EBUSY)
HAVE_POWER_CUTS = ("ext4", "xfs")
ACTS = ("resume", "undo", "release", "mend", "shift")


class Trouble(FileOpHook):
    """A hook that makes something go wrong at chosen operations, counted from the first of an act."""

    def __init__(self, hook, at: dict[int, Callable[[str, str], None]]) -> None:
        self._hook, self._at, self.count = hook, at, 0

    def before(self, operation: str, path: str, count_bytes: int = 0) -> None:
        self.count += 1
        if (happen := self._at.get(self.count)) is not None:
            happen(operation, path)
        self._hook.before(operation, path, count_bytes)

    def read_back(self, path: str, data: bytes) -> bytes:
        return self._hook.read_back(path, data)


@dataclass
class Round:
    """One library between two drives, what it must hold, and the story so far."""

    chance: random.Random
    drives: RealDrives
    source: str
    target: str
    state: str
    adversary: bool = False
    story: list[str] = field(default_factory=list)
    mapped: list[mmap.mmap] = field(default_factory=list)
    writers: list[BinaryIO] = field(default_factory=list)
    """Files that a program has open, into which it writes once the act is over."""
    mounts: list[Path] = field(default_factory=list)
    was_cut: str = ""
    """The drive that lost its power in this act."""
    must_be: dict[str, bytes] = field(default_factory=dict)
    """By the name of its file, each content that may not be lost."""

    def begin(self) -> None:
        self.library = fill(self.place(self.source) / "Shelf" / "Library", files=7, odd=self.keeps_everything)
        self.whole = picture(self.library)
        for path in self.library.rglob("*"):
            if path.is_file() and not path.is_symlink():
                self.must_be[path.name] = path.read_bytes()
        os.sync()

    def place(self, name: str) -> Path:
        return self.drives.place / name

    @property
    def keeps_everything(self) -> bool:
        return {self.source, self.target} <= {"ext4", "xfs", "btrfs"}

    # -- acts ----------------------------------------------------------------------------------------------

    def act(self, name: str, trouble: dict[int, Callable[[str, str], None]]) -> None:
        """Do something; whatever Nuvik says in words is fine, a fault of its own is not."""
        workspace = open_workspace(state=self.state)
        known = {move.id for move in workspace.logbook.moves()}
        hook = Trouble(workspace.computer.host.files.hook, trouble)
        workspace.computer.host.files.hook = hook
        try:
            self.do(name, workspace)
            outcome = "done"
        except Dead:
            outcome = "the machine dies"
        except NuvikError as words:
            outcome = str(words)
        except OSError as fault:
            if name != "shift" or {move.id for move in open_workspace(state=self.state).logbook.moves()} != known:
                raise
            outcome = f"cannot be looked at: {fault}"  # before anything was begun, which the commands put into words
        self.story.append(f"{name} ({hook.count} operations): {outcome}")

    def do(self, name: str, workspace: Workspace) -> None:
        if name == "shift":
            plan = make_plan(workspace.plan.draft([(str(self.library), str(self.place(self.target)))]))
            carry_plan(workspace.carry.work(), plan, on_trial=self.chance.random() < 0.5)
        elif name == "mend":
            places = [str(self.place(self.source)), str(self.place(self.target))]
            workspace.logbook.mend(workspace.logbook.leftovers(places))
        elif name == "resume":
            resume(workspace.carry.work())
        elif name == "undo":
            undo(workspace.carry.work(), "last")
        else:
            release(workspace.carry.work(), "all", even_if_unread=True)

    # -- trouble -------------------------------------------------------------------------------------------

    def trouble(self) -> dict[int, Callable[[str, str], None]]:
        """What goes wrong in an act: nothing, one thing, or two."""
        kinds = [self.die, self.fail, self.fail]
        kinds += [self.cut] if {self.source, self.target} & set(HAVE_POWER_CUTS) else []
        kinds += [self.meddle] * 4 if self.adversary else []
        count = self.chance.choice([0, 1, 1, 1, 2])
        return {self.chance.randrange(1, 220): self.chance.choice(kinds)() for _ in range(count)}

    def die(self) -> Callable[[str, str], None]:
        def happen(operation: str, path: str) -> None:
            self.story.append(f"  dies before {operation} {path}")
            raise Dead

        return happen

    def fail(self, number: int | None = None) -> Callable[[str, str], None]:
        number = number or self.chance.choice(ERRORS)

        def happen(operation: str, path: str) -> None:
            self.story.append(f"  {errno.errorcode[number]} at {operation} {path}")
            raise OSError(number, os.strerror(number), path)

        return happen

    def cut(self) -> Callable[[str, str], None]:
        able = [name for name in (self.source, self.target) if name in HAVE_POWER_CUTS]
        name = self.chance.choice(able)

        def happen(operation: str, path: str) -> None:
            self.story.append(f"  the power of {name} is cut before {operation} {path}")
            self.drives.cut(name)
            self.was_cut = name
            raise Dead

        return happen

    def meddle(self) -> Callable[[str, str], None]:
        def happen(operation: str, path: str) -> None:
            deeds = [self.replace_folder, self.rename, self.grow, self.add, self.map, self.open_file, self.mount]
            deed = self.chance.choice(deeds)
            with suppress(OSError, IndexError):  # nothing of the user's may be left to meddle with
                self.story.append(f"  before {operation} {path}: {deed()}")

        return happen

    def user_files(self) -> list[Path]:
        """The files that the user or a program of hers may be working with: not the copy that nobody sees yet."""
        theirs = []
        for name in (self.source, self.target):
            for path in self.place(name).rglob("*"):
                ours = [part for part in path.parts if part.startswith(".nuvik-incoming")]
                if not ours and path.is_file() and not path.is_symlink() and path.name in self.must_be:
                    theirs.append(path)
        return theirs

    def grow(self) -> str:
        path = self.chance.choice(self.user_files())
        content = b"newer work %d" % self.chance.randrange(10**9)
        _write_durably(path, content)
        for other in self.user_files():
            if other.samefile(path):
                self.must_be[other.name] = content
        return f"{path} is rewritten"

    def add(self) -> str:
        path = self.chance.choice(self.user_files()).parent / f"new-{self.chance.randrange(10**9)}"
        self.must_be[path.name] = os.fsencode(path.name)
        _write_durably(path, self.must_be[path.name])
        return f"{path} is new"

    def map(self) -> str:
        path = self.chance.choice([path for path in self.user_files() if path.stat().st_size])
        with open(path, "r+b") as file:
            self.mapped.append(mmap.mmap(file.fileno(), 0))
        return f"{path} is mapped for writing"

    def open_file(self) -> str:
        path = self.chance.choice(self.user_files())
        self.writers.append(open(path, "r+b"))  # noqa: SIM115
        return f"{path} is opened by a program"

    def write_late(self) -> None:
        """The programs write into what they have open, wherever that is now."""
        for file in self.writers:
            content = b"late work %d" % self.chance.randrange(10**9)
            with suppress(OSError):  # its drive lost its power
                if os.fstat(file.fileno()).st_nlink == 0:
                    raise AssertionError(f"{file.name} was removed while a program may write to it")
                os.ftruncate(file.fileno(), 0)
                os.pwrite(file.fileno(), content, 0)
                os.fsync(file.fileno())
                for path in self.user_files():
                    if os.path.samestat(path.stat(), os.fstat(file.fileno())):
                        self.must_be[path.name] = content
            with suppress(OSError):
                file.close()
        self.writers.clear()

    def mount(self) -> str:
        """Something else is mounted over a folder."""
        folder = self.chance.choice(self.user_files()).parent
        subprocess.run(["mount", "-t", "tmpfs", "none", str(folder)], check=True)
        (folder / "elsewhere.txt").write_text("not to be touched")
        self.mounts.append(folder)
        return f"something is mounted at {folder}"

    def unmount(self) -> None:
        for folder in reversed(self.mounts):
            listed = subprocess.run(["findmnt", "-n", "-o", "TARGET", "-t", "tmpfs"], capture_output=True, text=True)
            for point in listed.stdout.split():
                if point.startswith(str(self.drives.place)):
                    kept = (Path(point) / "elsewhere.txt").read_text()
                    assert kept == "not to be touched", f"what was mounted at {folder} was touched"
                    subprocess.run(["umount", point], check=True)
        self.mounts.clear()

    def rename(self) -> str:
        folder = self.chance.choice(self.user_files()).parent
        away = folder.with_name(f"{folder.name}-away-{self.chance.randrange(10**9)}")
        folder.rename(away)
        return f"{folder} becomes {away}"

    def replace_folder(self) -> str:
        outcome = self.rename()
        folder, away = outcome.split(" becomes ")
        os.symlink(away, folder)
        return f"{outcome}, and a link leads there"

    # -- what must hold ------------------------------------------------------------------------------------

    def back(self) -> None:
        """After an act: a drive that lost its power is mounted again."""
        name, self.was_cut = self.was_cut, ""
        if name:
            self.drives.back(name)

    def check_nothing_is_lost(self) -> None:
        there: dict[bytes, Path] = {}
        for name in (self.source, self.target):
            for path in self.place(name).rglob("*"):
                if path.is_file() and not path.is_symlink():
                    there[path.read_bytes()] = path
        for name, content in self.must_be.items():
            assert content in there, f"{name} is lost"

    def check_it_is_whole(self) -> None:
        """Without an adversary: whole, marks and all, in a place that the journal tells."""
        moves = open_workspace(state=self.state).logbook.moves()
        places = {self.library, *(Path(path) for move in moves for path in (move.target, held(move)))}
        pictures = [self.as_kept(picture(place)) for place in places if place.is_dir() and not place.is_symlink()]
        if self.as_kept(self.whole) not in pictures:
            wrong = [self.as_kept(self.whole).items() - seen.items() for seen in pictures]
            raise AssertionError(f"it is whole nowhere; what is wrong in each place: {wrong}")

    def as_kept(self, seen: dict) -> dict:
        """What both file systems keep of it."""
        if self.keeps_everything:
            return seen
        return {name: (facts[0], facts[2] if facts[0] == "file" else None) for name, facts in seen.items()}

    def end(self) -> None:
        """Without trouble it comes to its end: in one place, found by its old path, nothing left."""
        for mapped in self.mapped:
            mapped.close()
        for _ in range(8):
            workspace = open_workspace(state=self.state)
            moves = workspace.logbook.moves()
            if any(not move.state.finished for move in moves):
                self.act(self.chance.choice(["resume", "undo"]), {})
            elif any(move.state is State.ON_TRIAL for move in moves):
                self.act(self.chance.choice(["release", "undo"]), {})
            else:
                break
        else:
            raise AssertionError("it does not come to an end")
        assert picture(self.library, follow=False) or self.library.is_symlink()
        assert self.library.is_dir(), "the old path opens it"
        self.check_it_is_whole()
        self.act("mend", {})
        assert not leftovers(self.place(self.source)) and not leftovers(self.place(self.target)), "things are left"


def _write_durably(path: Path, content: bytes) -> None:
    with open(path, "wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    folder = os.open(path.parent, os.O_RDONLY)
    os.fsync(folder)
    os.close(folder)


@contextmanager
def a_round(drives: RealDrives, source: str, target: str, seed: int) -> Iterator[Round]:
    """A round on drives that are empty. Whatever breaks in it is raised as AssertionError with the story."""
    for name in (source, target):
        for path in (drives.place / name).iterdir():
            if path.name != "lost+found":
                shutil.rmtree(path, ignore_errors=True)
    state = tempfile.mkdtemp(prefix="nuvik-torture-")
    round_ = Round(random.Random(seed), drives, source, target, state, adversary=seed % 2 == 1)
    try:
        round_.begin()
        yield round_
    except Exception as fault:
        story = "\n".join(round_.story)
        raise AssertionError(f"{source} to {target}, seed {seed}: {fault!r}\n{story}") from fault
    finally:
        for held_open in (*round_.mapped, *round_.writers):
            with suppress(OSError):
                held_open.close()
        round_.unmount()
        round_.back()
        shutil.rmtree(state)


def one_round(drives: RealDrives, source: str, target: str, seed: int, acts: int = 5) -> Round:
    """Random acts with random trouble. Raises AssertionError when the promise is broken."""
    with a_round(drives, source, target, seed) as round_:
        for number in range(acts):
            round_.act("shift" if number == 0 else round_.chance.choice(ACTS), round_.trouble())
            round_.unmount()
            round_.write_late()
            round_.back()
            round_.check_nothing_is_lost()
            if not round_.adversary:
                round_.check_it_is_whole()
        if not round_.adversary:
            round_.end()
        round_.check_nothing_is_lost()
    return round_


def failing_round(drives: RealDrives, source: str, target: str, at: list[int], number: int) -> None:
    """There and back, with the operations of these numbers failing in each act. Raises as `one_round`."""
    with a_round(drives, source, target, seed=0) as round_:
        for act in ("shift", "resume", "undo", "resume"):
            round_.act(act, {count: round_.fail(number) for count in at})
            round_.check_it_is_whole()
        round_.end()


def main(words: list[str]) -> int:
    parser = argparse.ArgumentParser(description="Moves on real drives while everything fails that can.")
    parser.add_argument("--minutes", type=float, default=60.0)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument("--pairs", default="", help="such as ext4:xfs,btrfs:ntfs; all by default")
    given = parser.parse_args(words)
    every = [
        (system, other)
        for system in SYSTEMS
        for other in SYSTEMS
        if system != other and system not in ("ntfs", "exfat")
    ]
    pairs = [tuple(pair.split(":")) for pair in given.pairs.split(",") if pair] or every
    until, seed, failed, rounds = time.monotonic() + given.minutes * 60, given.seed, 0, 0
    while time.monotonic() < until:
        for source, target in pairs:
            place, images = Path(tempfile.mkdtemp(prefix="nuvik-torture-drives-", dir="/tmp")), tempfile.mkdtemp()
            drives = RealDrives(place, Path(images))
            try:
                for name in (source, target):
                    drives.up(name, SYSTEMS[name], name)
                for _ in range(20):
                    seed, rounds = seed + 1, rounds + 1
                    try:
                        one_round(drives, source, target, seed)
                    except pytest.skip.Exception:
                        break  # the system holds on to a volume whose power was cut
                    except AssertionError as broken:
                        failed += 1
                        print(f"\n{broken}\n", flush=True)
            finally:
                drives.down()
                shutil.rmtree(place, ignore_errors=True)
                shutil.rmtree(images, ignore_errors=True)
            print(f"{rounds} rounds, {failed} failed", flush=True)
            if time.monotonic() > until:
                break
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
