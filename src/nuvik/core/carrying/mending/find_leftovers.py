"""Finding what Nuvik left on the attached drives, and saying of each thing what it is and what would be right.

Nothing is changed, and nothing is believed only because a journal or a sidecar says so: the disk is looked at.
"""

from __future__ import annotations

import json
import os
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from nuvik.core.carrying.aside_folders import CONTENT, held, held_folder, incoming_folder
from nuvik.core.carrying.mending.find_broken_settings import find_broken_settings
from nuvik.core.carrying.mending.seen_here import SeenMove, seen_by_journal, seen_by_sidecar
from nuvik.core.carrying.places import Anchors
from nuvik.core.carrying.renames import is_link_to
from nuvik.core.carrying.sidecar import ABOUT, Sidecar, read_sidecar
from nuvik.core.carrying.work import Work
from nuvik.core.hosts.anchors import Anchor
from nuvik.core.hosts.base import drive_holding
from nuvik.core.hosts.files import Files
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import system_words
from nuvik.core.model.journal import Move, State
from nuvik.core.model.leftover import Leftover, Repair
from nuvik.core.model.names import OURS_PREFIX, shown
from nuvik.core.model.paths import is_within
from nuvik.core.survey.walk.find_folders import find_folders
from nuvik.core.survey.walk.take_inventory import take_inventory

_NAME = re.compile(rf"{re.escape(OURS_PREFIX)}-(incoming|held|emptied)-(\d{{1,15}})-([0-9a-f]{{8}})")
_LED_AWAY = (State.ON_TRIAL, State.RELEASED)


@dataclass(frozen=True, slots=True)
class _Folder:
    """An incoming or held folder that lies on a drive."""

    path: str
    role: str
    drive: Drive
    known: bool
    sidecar: Sidecar | None

    @property
    def content(self) -> str:
        return os.path.join(self.path, CONTENT)

    def leftover(self, move: Move | None, what: str, right: str, repair: Repair = Repair.NONE) -> Leftover:
        return Leftover(
            role=self.role,
            path=self.path,
            drive=self.drive.id,
            library=move.library if move else "",
            what=what,
            right=right,
            repair=repair,
            move=move,
            known=self.known,
        )


def find_leftovers(work: Work, below: Sequence[str] = ()) -> list[Leftover]:
    """Everything of Nuvik's on the attached drives, or only `below` some folders: its own folders, and the links and
    settings of what was moved that do not lead there. What can be mended comes first.

    Takes as long as reading the names of all folders does. Raises StopRequested.
    """
    drives = work.drives()
    anchors = work.host.anchors(drives)
    moves, leftovers = _by_name(work), []
    points = frozenset(work.host.mount_points())
    everything = {anchor.point: drive for drive in drives for anchor in _whole_views(anchors.get(drive.id, ()))}
    chosen = {folder: drive for folder in below if (drive := drive_holding(drives, folder)) is not None}
    for root, drive in (chosen if below else everything).items():
        for path in find_folders(work.host.files, root, _is_ours, points - {root}, work.stop):
            leftovers.append(_judged(work, path, drive, moves, anchors))
    leftovers += find_broken_tethers(work, list(moves.values()))
    return sorted(leftovers, key=lambda leftover: (leftover.repair is Repair.NONE, leftover.path))


def find_broken_tethers(work: Work, moves: list[Move]) -> list[Leftover]:
    """The links, settings and checks of what was moved that do not hold; quick, since no drive is gone through."""
    return [*_links(work, moves), *find_broken_settings(work, moves)]


def judge_again(work: Work, leftover: Leftover) -> Leftover | None:
    """A leftover as it is now; None when it is gone, or all is well. Raises StopRequested."""
    drives, moves = work.drives(), _by_name(work)
    if leftover.role == "link":
        return next((link for link in _links(work, list(moves.values())) if link.path == leftover.path), None)
    if leftover.role == "setting":
        settings = find_broken_settings(work, list(moves.values()))
        return next((each for each in settings if (each.path, each.number) == (leftover.path, leftover.number)), None)
    drive = next((drive for drive in drives if drive.id == leftover.drive and drive.attached), None)
    if drive is None or not work.host.files.exists(leftover.path):
        return None
    return _judged(work, leftover.path, drive, moves, work.host.anchors(drives))


def _by_name(work: Work) -> dict[tuple[int, str], Move]:
    """The moves of the journal, by what the names of their own folders say."""
    return {(move.first_id or move.id, move.token): move for move in work.journal.moves()}


def _is_ours(name: str) -> bool:
    return _NAME.fullmatch(name) is not None


def _whole_views(anchors: tuple[Anchor, ...] | list[Anchor]) -> list[Anchor]:
    """Of a volume's several mounts those that together show all of it that is mounted."""
    chosen: list[Anchor] = []
    for anchor in sorted(anchors, key=lambda anchor: len(anchor.root)):
        if not any(is_within(anchor.root, other.root) for other in chosen):
            chosen.append(anchor)
    return chosen


# -- folders -----------------------------------------------------------------------------------------------


def _judged(work: Work, path: str, drive: Drive, moves: dict[tuple[int, str], Move], anchors: Anchors) -> Leftover:
    match = _NAME.fullmatch(os.path.basename(path))
    assert match is not None
    role, number, token = match.group(1), int(match.group(2)), match.group(3)
    files, known = work.host.files, moves.get((number, token))
    if role == "emptied":
        return _emptied(files, path, drive)
    sidecar = read_sidecar(files, path)
    folder = _Folder(path, role, drive, known is not None, sidecar)
    if known is not None and not known.state.finished:
        return folder.leftover(
            known,
            f"Move {known.id} of {shown(known.library)} is unfinished: {known.state.in_words}.",
            f"“nuvik resume” goes on with it; “nuvik undo {known.id}” takes it back.",
        )
    if known is not None and known.state is State.ON_TRIAL and role == "held":
        return folder.leftover(
            known,
            f"The original of {shown(known.library)}, kept while move {known.id} is on trial.",
            f"“nuvik release {known.id}” lets it go; “nuvik undo {known.id}” takes the move back.",
        )
    if known is not None:
        seen = seen_by_journal(work, known)
    elif sidecar is not None and sidecar.role == role:
        seen = seen_by_sidecar(sidecar, number, token, work.drives(), anchors)
    else:
        seen = None
    move = seen.move if seen else None
    try:
        files.names_at(path)
    except PermissionError:
        return folder.leftover(
            move,
            "A folder of Nuvik's that you may not look into: it belongs to another user of this computer.",
            "Whoever it belongs to can run “nuvik mend”.",
        )
    except OSError:
        pass  # what follows says so
    if (empty := _if_empty(files, folder, move)) is not None:
        return empty
    if seen is None or move is None:
        return folder.leftover(
            None,
            f"A folder of Nuvik's that does not say which library it belongs to: {shown(folder.content)}.",
            "Look inside; move what you need to where it belongs. Then delete the folder.",
        )
    lies_at = incoming_folder(move) if role == "incoming" else held_folder(move)
    # The drive that it lies on is one end of the move; what says otherwise is not believed.
    if not (seen.target_is_here if role == "incoming" else seen.source_is_here):
        label = seen.target_label if role == "incoming" else seen.source_label
        which = "which this is not"
        if sidecar and not (sidecar.target_volume if role == "incoming" else sidecar.source_volume).identity:
            which = "and the system does not say whether this is that drive"
        return folder.leftover(
            move,
            f"A folder of the move of {shown(move.library)}, made on the drive {shown(label)}, {which}.",
            f"Look into {shown(folder.content)}; if you need it, move it to where it belongs. Then delete the folder.",
        )
    if lies_at != path:
        return folder.leftover(
            move,
            f"A folder of the move of {shown(move.library)} that does not lie where it was made, {shown(lies_at)}.",
            "Move it back there and run “nuvik mend” again, or take out of it what you need.",
        )
    try:
        return _incoming(files, folder, seen) if role == "incoming" else _held(files, folder, seen)
    except OSError as fault:
        words = system_words(fault)
        return folder.leftover(
            move,
            f"A folder of the move of {shown(move.library)}, of which not everything can be looked at: {words}.",
            "Check its drive and run “nuvik mend” again.",
        )


def _emptied(files: Files, path: str, drive: Drive) -> Leftover:
    """What a folder held that was emptied: nothing is done about it without being asked."""
    try:
        about = json.loads(files.read_text(os.path.join(path, ABOUT)))
        name, place = shown(str(about["name"])), shown(str(about["path"]))
    except (OSError, ValueError, TypeError, KeyError):
        name, place = "a folder", "a place that nothing tells"
    return Leftover(
        role="emptied",
        path=path,
        drive=drive.id,
        library=name,
        what=f"What {name} held at {place} before it was emptied.",
        right="“nuvik empty” releases it or puts it back. If that does not list it, delete it: programs rebuild it.",
        repair=Repair.NONE,
    )


def _if_empty(files: Files, folder: _Folder, move: Move | None) -> Leftover | None:
    """A folder without content, or with nothing but a link that was prepared there."""
    try:
        if files.exists(folder.content) and not files.is_link(folder.content):
            return None
        if set(files.names_at(folder.path)) - {ABOUT, ABOUT + ".new", CONTENT}:
            return None
        if files.is_link(folder.content) and not (
            move is not None and is_link_to(files, folder.content, move.target, *move.was_target, move.source)
        ):
            return None
    except OSError:
        return None
    return folder.leftover(move, "An empty folder that a move left behind.", "It can go.", Repair.CLOSE)


def _incoming(files: Files, folder: _Folder, seen: SeenMove) -> Leftover:
    move, name = seen.move, shown(seen.move.library)
    if not seen.source_is_here:
        return folder.leftover(
            move,
            f"A copy of {name} that was not finished. Its original is on {shown(seen.source_label)}, which is away.",
            f"Attach {shown(seen.source_label)} and run “nuvik mend” again.",
        )
    if files.exists(move.source) and not files.is_link(move.source):
        return folder.leftover(
            move,
            f"A copy of {name} that was not finished. The original is at {shown(move.source)}.",
            "The copy can go." if not move.visible else "Once the original has all that is in it, the copy can go.",
            Repair.REMOVE_COPY,
        )
    if files.exists(held(move)):
        return folder.leftover(
            move,
            f"A copy of {name}, whose original is kept at {shown(held(move))}.",
            "Deal with the original first; then run “nuvik mend” again.",
        )
    return folder.leftover(
        move,
        f"A copy of {name} that was not finished, and nothing is at {shown(move.source)} any more: this may be all "
        "there is of it.",
        f"Look at {shown(folder.content)}, and move it to where you want it.",
    )


def _held(files: Files, folder: _Folder, seen: SeenMove) -> Leftover:
    move, name = seen.move, shown(seen.move.library)
    if not seen.target_is_here:
        return folder.leftover(
            move,
            f"The original of {name}, which was moved to {shown(seen.target_label)}; that drive is away.",
            f"Attach {shown(seen.target_label)} and run “nuvik mend” again. If it is lost, move "
            f"{shown(folder.content)} back to {shown(move.source)}.",
        )
    whole = _is_whole(files, folder)
    if files.exists(move.target) and not files.is_link(move.target):
        return folder.leftover(
            # What is in pieces was being released: it must never be taken for the library.
            move if whole else replace(move, state=State.RELEASING),
            f"The original of {name}, which was moved to {shown(move.target)}. The journal does not know that it is "
            "kept.",
            "Recorded again, it can be released or taken back.",
            Repair.RECORD,
        )
    if not whole:
        return folder.leftover(
            move,
            f"What is left of the original of {name}: it was being released, and its copy is not at "
            f"{shown(move.target)} any more.",
            f"Find the copy first. What is left lies at {shown(folder.content)}.",
        )
    if files.exists(move.source) and not is_link_to(files, move.source, move.target, *move.was_target):
        return folder.leftover(
            move,
            f"The original of {name}. Its copy is not at {shown(move.target)} any more, and something else is at "
            f"{shown(move.source)}.",
            f"Move that away and run “nuvik mend” again; the original lies at {shown(folder.content)}.",
        )
    return folder.leftover(
        move,
        f"The original of {name}. Its copy is not at {shown(move.target)} any more.",
        f"It can go back to {shown(move.source)}.",
        Repair.PUT_BACK,
    )


def _is_whole(files: Files, folder: _Folder) -> bool:
    """Whether a held original still has everything that its sidecar says it had; False where none says anything."""
    holding = folder.sidecar.holding if folder.sidecar else None
    if holding is None:
        return False
    now = take_inventory(files, folder.content)
    return (len(now.entries), now.files, now.bytes) == (holding.entries, holding.files, holding.bytes)


# -- links -------------------------------------------------------------------------------------------------


def _links(work: Work, moves: list[Move]) -> Iterator[Leftover]:
    """The links of finished moves by which programs do not find what was moved."""
    files, latest = work.host.files, {}
    for move in moves:
        if move.tether.leaves_link and move.state in _LED_AWAY:
            latest[move.source_drive, move.source_place or move.source] = move
    for move in latest.values():
        seen = seen_by_journal(work, move)
        if not seen.source_is_here:
            continue
        try:
            finding = _link(files, seen)
        except OSError:
            continue  # the drive went while it was looked at
        if finding is not None:
            what, right, repair = finding
            yield Leftover(
                role="link",
                path=seen.move.source,
                drive=move.source_drive,
                library=move.library,
                what=what,
                right=right,
                repair=repair,
                move=move,
            )


def _link(files: Files, seen: SeenMove) -> tuple[str, str, Repair] | None:
    move, name, label = seen.move, shown(seen.move.library), shown(seen.target_label)
    link = move.source
    if not seen.target_is_here:
        if not files.is_link(link):
            return None
        return f"{name} is on {label}, which is away.", f"Attach {label} to use it.", Repair.NONE
    there = files.exists(move.target) and not files.is_link(move.target)
    if is_link_to(files, link, *move.was_target) and there:
        return (
            f"The link at {shown(link)} leads to where its drive was mounted before.",
            f"It can lead to {shown(move.target)} instead.",
            Repair.LEAD_ANEW,
        )
    if not files.exists(link):
        if not there:
            return None  # both were removed
        return (
            f"The link at {shown(link)} is gone, so programs do not find {name}.",
            f"It can be made again, to {shown(move.target)}.",
            Repair.LEAD_ANEW,
        )
    if is_link_to(files, link, move.target) and not there:
        return (
            f"{name} is not at {shown(move.target)} any more, where the link at {shown(link)} leads.",
            "Bring it back there, or delete the link.",
            Repair.NONE,
        )
    return None
