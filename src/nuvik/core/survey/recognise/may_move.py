"""May it move? A verdict with its reason for every library; what is not wise differs from what is not possible."""

from __future__ import annotations

import os
import time
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from nuvik.core.hosts.base import Host
from nuvik.core.model.drive import Drive
from nuvik.core.model.library import Card, Verdict
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within
from nuvik.core.model.surroundings import Surroundings
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.survey.recognise.trade_words import PLUG_INS, UNFINISHED
from nuvik.core.survey.walk.folder_tree import Folder

OVERRULED = "you overruled this: "
PINNED = "it is pinned"
_JUST_NOW_S = 120
"""Assumed: what changed within two minutes may still be in work."""

NEEDS_TETHER = "choose a tether first, so that programs find it when it has moved"


@dataclass(frozen=True, slots=True)
class Judgement:
    """Whether a library may move."""

    verdict: Verdict
    reason: str = ""
    """The end of a sentence: why not, or why not now, or what to know; empty when there is nothing to say."""

    @property
    def movable(self) -> bool:
        return self.verdict in (Verdict.FREE, Verdict.LATER)


class Open:
    """What programs have open, for quick questions."""

    def __init__(self, used: Sequence[tuple[str, str]]) -> None:
        self._used = sorted(used)
        self._paths = [path for path, _ in self._used]

    def by(self, folder: str) -> str | None:
        """A program that has something open in this folder."""
        if (place := bisect_left(self._paths, folder)) < len(self._paths) and self._paths[place] == folder:
            return self._used[place][1]
        place = bisect_left(self._paths, folder.rstrip(os.sep) + os.sep)
        if place < len(self._paths) and is_within(self._paths[place], folder):
            return self._used[place][1]
        return None


def judge(
    host: Host, folder: Folder, drive: Drive, card: Card | None, about: Surroundings, opened: Open, stays: str = ""
) -> Judgement:
    """The gravest that is true of a library; the user may overrule what is only unwise. `stays` is what its kind
    and place say against moving it.
    """
    for reason in _impossible(host, folder, drive):
        return Judgement(Verdict.IMPOSSIBLE, reason)
    for reason in _unwise(folder, card, about, stays):
        if card is None or not card.overrule:
            return Judgement(Verdict.UNWISE, reason)
        return Judgement(Verdict.FREE, OVERRULED + reason)
    for reason in _later(folder, opened):
        return Judgement(Verdict.LATER, reason)
    if not drive.rules.symlinks and not (card and card.leads):
        return Judgement(Verdict.FREE, f"{drive.rules.name} holds no links: {NEEDS_TETHER}")
    return Judgement(Verdict.FREE)


def _impossible(host: Host, folder: Folder, drive: Drive) -> Iterator[str]:
    if reason := host.why_protected(folder.path):
        yield reason
    # A file system that keeps no owners shows the same one, whoever uses it.
    if drive.rules.permissions and (reason := host.why_not_yours(folder.path)):
        yield reason
    if folder.extent.sub_volumes:
        yield "it is or holds a sub-volume of its drive, which cannot be moved like a folder"
    if drive.read_only:
        yield f"{shown(drive.label)} is read-only"
    if shared := folder.shared:
        yield (
            f"{format_count(len(shared), 'file')} in it {'has' if len(shared) == 1 else 'have'} a second name (hard "
            f"link) outside: {shown(shared[0])}"
        )
    if away := folder.extent.not_here_files:
        what = f"{format_count(away, 'file')} ({format_bytes(folder.extent.not_here_bytes)})"
        yield f"{what} in it are with a cloud service and not on this computer"


def _unwise(folder: Folder, card: Card | None, about: Surroundings, stays: str) -> Iterator[str]:
    if card is not None and card.pinned:
        yield PINNED
    if card is not None and not card.movable:
        yield card.why_not or "its card says that it must stay"
    if stays:
        yield stays
    if folder.name.casefold() in PLUG_INS:
        yield "programs look for plug-ins only here"
    for program in about.programs:
        if "installed" in program.source and is_within(program.path, folder.path):
            yield f"“{shown(program.name)}” is installed here, and its updater expects it here"


def _later(folder: Folder, opened: Open) -> Iterator[str]:
    if user := opened.by(folder.path):
        yield f"{user} has it open"
    unfinished = UNFINISHED & folder.extensions.keys()
    if unfinished:
        yield f"it contains an unfinished file ({sorted(unfinished)[0]})"
    newest_s = folder.extent.newest_content_s
    if newest_s is not None and 0 <= time.time() - newest_s < _JUST_NOW_S:
        yield "something in it changed in the last two minutes"
