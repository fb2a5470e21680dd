"""The Title Box, a stand-in for the programs that know their titles by path: a few titles, their places, and progress.

It keeps where each title lies in a settings file of its own (TOML: `[[title]]` with `name` and `place`, and
`new_titles`, the folder for the next ones), refuses to open one whose place is wrong, holds a lock while it runs, says
that it is busy while it updates, and keeps how far each title was played beside its files. So moving titles, and where
new ones land, can be tried, and tested, with no real program.

    python -m nuvik.demo.title_box WORLD              lists the titles
    python -m nuvik.demo.title_box WORLD open TITLE   opens one and plays it for a quarter of an hour
    python -m nuvik.demo.title_box WORLD add TITLE    brings a new one, into the folder for new titles
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import cast

import tomlkit

from nuvik.core.hosts.world import WorldHost
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError, Refused
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.demo.title_reading import read_and_compute, reading_of, seconds_from

SETTINGS = os.path.join("kestrel", "Settings", "title-box", "titles.toml")
"""Within the world."""
_LOCK, _UPDATING, _PROGRESS = "running", "updating", "minutes-played.txt"
_QUARTER_MINUTES = 15
_NEW_TITLE_BYTES = 12_000_000_000


@dataclass(frozen=True, slots=True)
class Opened:
    """A title that was opened."""

    name: str
    place: str
    seconds: float
    """How long that took, from the drive on which it lies."""
    minutes: int
    """How long it was played so far."""


class TitleBox:
    """The program, on a world."""

    def __init__(self, world: str) -> None:
        self._world = os.path.realpath(world)
        self.file = os.path.join(self._world, SETTINGS)

    def make(self, places: dict[str, str], new_titles: str) -> None:
        """Rewrite the settings, with these titles at their places, and the folder for new ones."""
        os.makedirs(os.path.dirname(self.file), exist_ok=True)
        document = tomlkit.document()
        document.add(tomlkit.comment("Where the Title Box puts new titles, and where it looks for those it has."))
        document["new_titles"] = new_titles
        titles = tomlkit.aot()
        for name, place in places.items():
            titles.append(tomlkit.item({"name": name, "place": place}))
        document["title"] = titles
        self._write(document)

    def _write(self, document: tomlkit.TOMLDocument) -> None:
        with open(self.file, "w", encoding="utf-8") as file:
            file.write(tomlkit.dumps(document))

    def titles(self) -> dict[str, str]:
        """Where each title lies, as the program believes. Raises Refused."""
        try:
            return {str(title["name"]): str(title["place"]) for title in self._read().unwrap()["title"]}
        except (KeyError, TypeError) as fault:
            raise self._unreadable(fault) from None

    def _read(self) -> tomlkit.TOMLDocument:
        try:
            with open(self.file, encoding="utf-8") as file:
                return tomlkit.load(file)
        except (OSError, ValueError) as fault:
            raise self._unreadable(fault) from None

    def _unreadable(self, fault: object) -> Refused:
        return Refused(
            f"The Title Box cannot read {shown(self.file)}: {fault}.", next_step="Make the demo again with --fresh."
        )

    def add(self, name: str, holds_bytes: int = _NEW_TITLE_BYTES) -> str:
        """Bring a new title, into the folder for new ones; gives its place. Raises Refused."""
        with self.running():
            document = self._read()
            place = os.path.join(str(document.get("new_titles", "")), name)
            if not os.path.isabs(place) or os.path.lexists(place) or os.sep in name:
                raise Refused(
                    f"The Title Box cannot put {shown(name)} at {shown(place)}.", next_step="Choose another name."
                )
            os.makedirs(place)
            with open(os.path.join(place, "title.bin"), "wb") as file:
                file.truncate(holds_bytes)
            cast("tomlkit.items.AoT", document["title"]).append(tomlkit.item({"name": name, "place": place}))
            self._write(document)
            return place

    @contextmanager
    def running(self) -> Iterator[None]:
        """While this lasts, the program runs: its lock is there, and its settings file is open."""
        lock = self._beside(_LOCK)
        if os.path.exists(self._beside(_UPDATING)):
            raise Refused("The Title Box is busy updating.", next_step="Wait until it is done.")
        try:
            descriptor = os.open(lock, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o644)
        except FileExistsError:
            raise Refused(
                "The Title Box is running already.", next_step=f"Close it, or remove {shown(lock)}."
            ) from None
        try:
            with open(self.file, encoding="utf-8"):
                yield
        finally:
            os.close(descriptor)
            os.unlink(lock)

    def set_updating(self, on: bool) -> None:
        """Let it be busy, or not."""
        if on:
            with open(self._beside(_UPDATING), "w", encoding="utf-8"):
                pass
        elif os.path.exists(self._beside(_UPDATING)):
            os.unlink(self._beside(_UPDATING))

    def _beside(self, name: str) -> str:
        return os.path.join(os.path.dirname(self.file), name)

    def open(self, name: str, really: bool = False) -> Opened:
        """Open a title and play it for a quarter of an hour; `really` reads and computes what that takes, as a program
        would. Raises Refused where its place is wrong.
        """
        with self.running():
            place = self.titles().get(name)
            if place is None:
                raise Refused(f"The Title Box has no title “{shown(name)}”.", next_step=f"It has: {self._names()}.")
            # It does not follow links: programs like that are why settings are changed.
            if not os.path.isdir(place) or os.path.islink(place):
                raise Refused(
                    f"The Title Box does not find {shown(name)} at {shown(place)}.",
                    next_step="Tell it the right place in its settings.",
                )
            if really:
                read_and_compute(place, reading_of(place))
            minutes = self._played(place) + _QUARTER_MINUTES
            with open(os.path.join(place, _PROGRESS), "w", encoding="utf-8") as file:
                file.write(f"{minutes}\n")
            return Opened(name, place, self._opens_in_s(place), minutes)

    def _names(self) -> str:
        return ", ".join(map(shown, self.titles()))

    @staticmethod
    def _played(place: str) -> int:
        try:
            with open(os.path.join(place, _PROGRESS), encoding="utf-8") as file:
                return int(file.read())
        except (OSError, ValueError):
            return 0

    def _opens_in_s(self, place: str) -> float:
        """By the speeds that the world declares for the drive."""
        inside = os.path.relpath(place, self._world)
        drive = next((each for each in WorldHost(self._world).drives() if _is_on(each, place)), None)
        if drive is None:
            raise Refused(f"{shown(inside)} is on no drive of this world.", next_step="Choose a place on one.")
        return seconds_from(drive, reading_of(place))


def _is_on(drive: Drive, place: str) -> bool:
    return drive.attached and is_within(place, drive.path)


def main(words: list[str]) -> int:
    """The program as a command. Gives an exit code."""
    if not words or len(words) not in (1, 3) or (len(words) == 3 and words[1] not in ("open", "add")):
        sys.stderr.write(f"{__doc__}\n")
        return 2
    box = TitleBox(words[0])
    try:
        if len(words) == 1:
            for name, place in box.titles().items():
                sys.stdout.write(f"{name}: {place}\n")
        elif words[1] == "add":
            sys.stdout.write(f"{words[2]} is at {box.add(words[2])} now.\n")
        else:
            opened = box.open(words[2], really=True)
            sys.stdout.write(
                f"{opened.name} opened in {opened.seconds:.1f} s from {opened.place}; {opened.minutes} min played.\n"
            )
    except NuvikError as trouble:
        sys.stderr.write(f"{trouble.what} {trouble.next_step}\n")
        return 3
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
