"""The calls about drives that come and go: what is in the way of ejecting one, and ejecting it."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from nuvik.core.carrying.lock import carrying_lock
from nuvik.core.model.drive import Drive
from nuvik.core.model.ejecting import Ejected, Hindrance
from nuvik.core.model.errors import Refused
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.progress import Stop
from nuvik.core.stages.computer import Computer

_LOOK_EVERY_S = 1.0
_NAMED = 4


@dataclass(frozen=True, slots=True)
class EjectStage:
    """What stands between a drive and its cable."""

    computer: Computer

    def in_the_way(self, drive: Drive) -> list[Hindrance]:
        """What has to end before a drive may be unplugged, what matters most first; empty when nothing has."""
        host, places = self.computer.host, (drive.path, *drive.also_at)
        ways = [Hindrance(what=why, may_end=False) for why in host.why_no_eject(drive)]
        if any(is_within(self.computer.state_folder, place) for place in places):
            ways.append(
                Hindrance(what=f"Nuvik keeps its database on it ({shown(self.computer.state_folder)})", may_end=False)
            )
        beneath = [
            other
            for other in host.mount_points()
            if any(other != place and is_within(other, place) for place in places)
        ]
        if beneath:
            ways.append(Hindrance(what=f"{shown(beneath[0])} is mounted within it", may_end=True))
        used: dict[str, list[str]] = {}
        for path, program in host.open_files():
            if any(is_within(path, os.path.realpath(place)) for place in places):
                used.setdefault(program, []).append(path)
        for program, paths in used.items():
            more = f" and {len(paths) - 1} more" if len(paths) > 1 else ""
            ways.append(Hindrance(what=f"{program} has {shown(paths[0])} open{more}", may_end=True))
        return ways

    def eject(
        self,
        drive: Drive,
        wait_s: float = 0.0,
        report: Callable[[Sequence[Hindrance]], None] = lambda waiting: None,
        stop: Stop | None = None,
    ) -> Ejected:
        """Flush a drive and eject it; for so many seconds it waits for what is in the way. Raises Refused, with all
        that is in the way, and StopRequested.
        """
        label, stop = shown(drive.label), stop or Stop()
        if not drive.attached:
            raise Refused(f"{label} is away already.", next_step="Nothing is to be done.")
        if drive.system:
            raise Refused(f"{label} holds the system.", next_step="It stays where it is while the computer runs.")
        with carrying_lock(self.computer.state_folder, f"ejecting {label}"):  # nothing is carried meanwhile
            until_s = time.monotonic() + wait_s
            while ways := self.in_the_way(drive):
                if time.monotonic() >= until_s or not all(way.may_end for way in ways):
                    raise _refusal(label, ways)
                report(ways)
                stop.check()
                time.sleep(_LOOK_EVERY_S)
            self.computer.host.files.sync_volume(drive.path)
            switched_off = self.computer.host.eject(drive)
        return Ejected(drive=drive.id, label=drive.label, switched_off=switched_off)

    def attach(self, drive: Drive) -> None:
        """Attach a drive of a world again. Raises Refused on a real computer: there a cable does that."""
        if drive.attached:
            raise Refused(f"{shown(drive.label)} is attached.", next_step="Nothing is to be done.")
        self.computer.host.attach(drive)


def _refusal(label: str, ways: Sequence[Hindrance]) -> Refused:
    what = "; ".join(way.what for way in ways[:_NAMED]) + (" …" if len(ways) > _NAMED else "")
    able = all(way.may_end for way in ways)
    return Refused(
        f"{label} cannot be ejected now: {what}.",
        next_step="Close that, then try again." if able else "Move that to another drive first.",
    )
