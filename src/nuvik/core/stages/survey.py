"""The stage Survey: what is on the drives, and what the user says of it."""

from __future__ import annotations

import logging
import os
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta

from nuvik.core.hosts.base import drive_holding
from nuvik.core.model.clock import moment_of, moment_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput, NotNamed, Refused
from nuvik.core.model.fallback import Newer
from nuvik.core.model.library import Card, Library, Timing
from nuvik.core.model.names import shown
from nuvik.core.model.paths import normalised
from nuvik.core.model.progress import Stop, SurveyReport, no_report
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.planning.drafting.moved_since import moved_since
from nuvik.core.planning.drafting.wishes_input import number_of
from nuvik.core.planning.placement.kinds_learnt import with_kinds_learnt
from nuvik.core.planning.placement.waiting import timed
from nuvik.core.planning.placement.waiting_history import seen_readings
from nuvik.core.stages.computer import Computer
from nuvik.core.store.card_store import CardBox, Moved
from nuvik.core.store.exports import save_libraries
from nuvik.core.store.journal import Journal
from nuvik.core.store.snapshots import (
    drive_history,
    keep_snapshot,
    latest_snapshot,
    library_history,
    moments,
    snapshot_before,
    together,
)
from nuvik.core.survey.card_input import card_with_form, card_with_options
from nuvik.core.survey.history.growth import Growth, growth
from nuvik.core.survey.newer_where import newer_where
from nuvik.core.survey.recognise.may_move import PINNED
from nuvik.core.survey.take_survey import judged, walked, walked_again, with_card
from nuvik.core.survey.twins import Reading, Twins, find_twins
from nuvik.core.survey.walk.folder_tree import Folder, Tree
from nuvik.core.survey.walk.kept_trees import keep_walked, kept_walked
from nuvik.core.survey.walk.quick_walk import Again, WalkedTree
from nuvik.core.survey.walk.walk_pool import size_tree
from nuvik.core.user_files.cards_file import cards_text, read_cards_file
from nuvik.core.user_files.safe_file import free_stem, write_text

log = logging.getLogger(__name__)
_KEPT_FOR_S, _FEW_CHANGES = 86_400.0, 0.05
"""Trees that were kept so long ago, or of which a larger share changed, are rewritten after a quick survey."""


@dataclass(frozen=True, slots=True)
class SurveyStage:
    """The calls of this stage."""

    computer: Computer
    trees: list[Tree] = field(default_factory=list)
    """The folders of the last whole survey of this run of Nuvik, to be judged again when the user says more of them."""
    unkept: list[Snapshot] = field(default_factory=list)
    """The last survey, where it could not be remembered."""

    # -- surveys -------------------------------------------------------------------------------------------

    def take(
        self,
        paths: Sequence[str] = (),
        report: SurveyReport = no_report,
        stop: Stop | None = None,
        so_far: Callable[[Snapshot], None] | None = None,
    ) -> Snapshot:
        """Survey and keep the snapshot; what a survey of some folders, or one that was stopped, did not reach is kept
        as it was known. Gives what was surveyed; of a stopped survey of everything, with what was known before.

        A survey that takes long calls `so_far` now and then with the libraries that it has come upon.
        Raises Refused.
        """
        computer = self.computer
        history = library_history(computer.database)
        drives, cards = computer.drives(), self.cards()

        def glimpse(trees: Sequence[Tree]) -> Callable[[], None]:
            snapshot = judged(computer.host, drives, trees, cards, history, so_far=True)
            return lambda: so_far(snapshot) if so_far is not None else None

        trees = walked(computer.host, drives, tuple(paths), cards, report, stop, glimpse if so_far else None)
        taken = judged(computer.host, drives, trees, cards, history)
        if not paths:
            self._keep_trees(trees)
        log.info("surveyed: %d libraries, %d problems", len(taken.libraries), len(taken.problems))
        roots = tuple(os.path.realpath(normalised(path)) for path in paths)
        silent = {drive_holding(drives, tree.root.path) for tree in trees if tree.silent}
        unreached = frozenset(drive.id for drive in silent if drive is not None)
        before = self._as_moved(latest_snapshot(computer.database), drives)
        whole = together(before, taken, roots, unreached)
        self._keep(whole)
        return _learnt(taken if roots else whole)

    def take_quickly(self, report: SurveyReport = no_report, stop: Stop | None = None) -> tuple[Snapshot, Again]:
        """Survey everything, but walk only what changed since the last survey, by the stamps of folders; how much that
        was. What was never surveyed as a whole is walked as a whole. Raises Refused and StopRequested.
        """
        computer = self.computer
        drives, cards = computer.drives(), self.cards()
        kept = kept_walked(computer.state_folder)
        trees, again = walked_again(computer.host, drives, kept, cards, report, stop)
        if stop is not None:
            stop.check()
        taken = judged(computer.host, drives, trees, cards, library_history(computer.database))
        age_s = time.time() - min((tree.walked_at_s for tree in kept), default=0.0)
        new = {tree.root.path for tree in trees} - {tree.rules.root for tree in kept}
        self._keep_trees(trees, bool(new) or age_s > _KEPT_FOR_S or again.walked > _FEW_CHANGES * again.folders)
        log.info("surveyed quickly: %d of %d folders walked", again.walked, again.folders)
        silent = {drive_holding(drives, tree.root.path) for tree in trees if tree.silent}
        before = self._as_moved(latest_snapshot(computer.database), drives)
        whole = together(before, taken, (), frozenset(drive.id for drive in silent if drive is not None))
        self._keep(whole)
        return _learnt(whole), again

    def _keep_trees(self, trees: Sequence[Tree], to_disk: bool = True) -> None:
        """Keep trees for cards that are changed meanwhile, and on disk for the next quick survey. What little changed
        since they were kept is as soon walked again as written.
        """
        self.trees[:] = trees
        if to_disk and not self.computer.database.why_only_read:
            keep_walked(
                self.computer.state_folder,
                [kept for tree in trees if (kept := WalkedTree.of(tree)) is not None],
            )

    def _keep(self, snapshot: Snapshot) -> None:
        database = self.computer.database
        readings = seen_readings(_learnt(snapshot))
        database.keep_if_possible(lambda: keep_snapshot(database, snapshot, readings))
        self.unkept[:] = [snapshot] if database.not_kept else []

    def judge_again(self) -> Snapshot:
        """What the folders of the last survey are as the cards say now, without walking the drives once more; kept as
        a snapshot. Raises Refused before the first survey.
        """
        if not self.trees:
            raise Refused("Nothing was surveyed since Nuvik was started.", next_step="Survey first.")
        computer = self.computer
        history = library_history(computer.database)
        snapshot = judged(computer.host, computer.drives(), self.trees, self.cards(), history)
        self._keep(snapshot)
        return _learnt(snapshot)

    def latest(self) -> Snapshot:
        """The latest snapshot, with the drives as they are and the libraries as their cards say now; with no library
        before the first survey.
        """
        drives = self.computer.drives()
        seen = self.unkept[-1] if self.unkept else latest_snapshot(self.computer.database)
        kept = self._as_moved(seen, drives)
        if kept is None:
            return Snapshot(taken_at="", host=self.computer.host.name, drives=drives, libraries=())
        cards = {card.path: card for card in self.cards(drives)}
        libraries = tuple(
            with_card(library, cards.get(library.path) or Card(path=library.path))
            if library.path in cards or library.why_not == PINNED
            else library
            for library in kept.libraries
        )
        return _learnt(replace(kept, libraries=libraries)).with_drives(drives)

    def _as_moved(self, kept: Snapshot | None, drives: Sequence[Drive]) -> Snapshot | None:
        """What was carried since a snapshot was taken counts as seen."""
        moves = Journal(self.computer.database).moves() if kept is not None else []
        return kept and moved_since(kept, moves, drives, self.computer.is_taken)

    def changes(self, since: str | None = None) -> tuple[Snapshot, Snapshot] | None:
        """The snapshot that was the latest on a day, such as 2026-10-01, or at a moment, such as 2026-10-01T14:30 (by
        default: the one before the latest), and the latest; None while there are not two. Raises BadInput where no
        survey was taken since then, or none until then.
        """
        database = self.computer.database
        taken, now = moments(database), latest_snapshot(database)
        if since is not None and taken:
            since = _moment_within(since, taken)
        if now is None or len(taken) < 2:
            return None
        until = max(moment for moment in taken[:-1] if since is None or moment <= since)
        before = snapshot_before(database, until)
        return None if before is None else (before, now)

    def growth(self) -> dict[str, Growth | None]:
        """How fast each drive fills, by its id."""
        seen = drive_history(self.computer.database)
        return {drive.id: growth(seen.get(drive.id, [])) for drive in self.computer.drives()}

    def room_to_grow(self, weeks: float) -> dict[str, int]:
        """Headroom by drive id, with what each drive is going to take in so many weeks at its rate so far on top.

        A drive whose rate is not known yet, or that does not grow, is left out.
        """
        drives = {drive.id: drive for drive in self.computer.drives()}
        return {
            drive_id: drives[drive_id].headroom_bytes + round(rate.bytes_per_week * weeks)
            for drive_id, rate in self.growth().items()
            if rate is not None and rate.bytes_per_week > 0 and drives[drive_id].attached
        }

    def save(self, snapshot: Snapshot, libraries: Iterable[Library], path: str) -> None:
        """Write libraries to a file, CSV or JSON by its ending. Raises BadInput and Refused."""
        save_libraries(snapshot, libraries, path)

    # -- looking closer ------------------------------------------------------------------------------------

    def seen_folder(self, path: str) -> Folder | None:
        """A folder as the last survey of this run of Nuvik saw it, without a look at its drive."""
        return next((folder for tree in self.trees if (folder := tree.at_path(path)) is not None), None)

    def folders_in(self, library: Library, stop: Stop | None = None) -> Folder:
        """The folders of a library as they are now. Raises StopRequested."""
        return size_tree(self.computer.host, self.computer.drives(), library.path, stop).root

    def twins(self, report: Reading, stop: Stop | None = None) -> list[Twins]:
        """Large files that lie on two drives. Raises StopRequested."""
        return find_twins(self.computer.host, self.latest(), report, stop)

    def fallbacks(self, snapshot: Snapshot) -> list[tuple[Library, Library]]:
        """Each library that has a fallback, with that."""
        pairs = ((library, snapshot.fallback_of(library)) for library in snapshot.libraries)
        return [(library, fallback) for library, fallback in pairs if fallback is not None]

    def newer_where(self, library: Library, fallback: Library, stop: Stop | None = None) -> Newer:
        """Compare a library with its fallback, file by file. Raises Refused and StopRequested."""
        return newer_where(self.computer.host, library, fallback, stop)

    # -- cards ---------------------------------------------------------------------------------------------

    def cards(self, drives: Sequence[Drive] | None = None) -> tuple[Card, ...]:
        """All cards; the user's own override those of a world's file. `drives` are the present ones unless given."""
        known = self.computer.drives() if drives is None else drives
        moved = self._moved()
        kept = CardBox(self.computer.database).cards(known)
        cards = {path: replace(card, path=path) for card in kept for path in [moved.now_at(card.path)]}
        for card in self.computer.host.cards():
            card = replace(card, path=moved.now_at(card.path))
            cards[card.path] = cards[card.path].laid_over(card) if card.path in cards else card
        return tuple(cards.values())

    def card(self, path: str, drives: Sequence[Drive] | None = None) -> Card:
        """The card of a library, by its path or by one from which it was moved; an empty card when it has none."""
        path = self._moved().now_at(path)
        return next((card for card in self.cards(drives) if card.path == path), Card(path=path))

    def _moved(self) -> Moved:
        return Moved.by(Journal(self.computer.database), self.computer.is_taken)

    def first_place(self, path: str) -> str:
        """Where what is at a path was before anything was moved."""
        return self._moved().first_at(path)

    def keep_cards(self, cards: Iterable[Card], drives: Sequence[Drive] | None = None) -> None:
        """Remember cards; the next survey goes by them. Raises Refused when one is on no drive."""
        drives = self.computer.drives() if drives is None else tuple(drives)
        moved = self._moved()
        kept = []
        for card in cards:
            # By the place from which it was moved: so its card is right when it goes back, too.
            card = replace(card, path=moved.first_at(card.path))
            drive = drive_holding(drives, card.path)
            if drive is None:
                raise NotNamed(
                    f"{shown(card.path)} is on none of the drives of {shown(self.computer.host.name)}.",
                    next_step="“nuvik drives” lists them.",
                )
            kept.append((card, drive))
        CardBox(self.computer.database).keep(kept, drives)

    def card_from_form(
        self, card: Card, fields: Mapping[str, str], libraries: Iterable[Library], **flags: bool
    ) -> Card:
        """The card with what the fields of a form say; not kept yet. Raises BadInput."""
        return card_with_form(card, fields, libraries, **flags)

    def card_from_options(self, card: Card, **typed: object) -> Card:
        """The card with what the options of a command say; not kept yet. Raises BadInput and Refused."""
        return card_with_options(card, typed)

    def timed(self, path: str, took_s: float) -> Card:
        """The card of a library that the user saw opening in so many seconds from where it is now; not kept yet. What
        was timed from other drives still counts: two of them tell computing from reading.

        Raises Refused when no survey knows the library, BadInput for a time that cannot be.
        """
        snapshot = self.latest()
        library = next((library for library in snapshot.libraries if library.path == path), None)
        if library is None:
            raise Refused(f"No library is known at {shown(path)}.", next_step="Survey first, then time it.")
        if not 0 < took_s < 86_400:
            raise BadInput(
                f"A library cannot open in {took_s:g} seconds.", next_step="Say how many seconds it took to open."
            )
        card, now = self.card(path), Timing(drive=library.drive, seconds=took_s)
        timings = (*(each for each in card.timings if each.drive != library.drive), now)
        fitted = timed(library, timings, {drive.id: drive for drive in snapshot.drives})
        return replace(card, timings=timings, opening_factor=fitted.opening_factor, computing_s=fitted.computing_s)

    def timed_as_typed(self, card: Card, seconds: str) -> Card:
        """A card with the seconds that a library took to open, as typed; the same card for an empty text. Raises
        BadInput and Refused.
        """
        took_s = number_of(seconds, "seconds to open")
        return card if took_s is None else self.timed(card.path, took_s)

    def merge(self, libraries: Sequence[Library]) -> str:
        """Let the folder that holds these libraries be one library from now on; its path. Raises Refused."""
        folders = {os.path.dirname(library.path) for library in libraries}
        if len(folders) != 1:
            raise Refused(
                "These libraries are not in one folder." if libraries else "No library is marked.",
                next_step="Mark libraries that are side by side in one folder.",
            )
        folder = folders.pop()
        if reason := self.computer.host.why_protected(folder):
            raise Refused(f"{shown(folder)} cannot be one library: {reason}.", next_step="Choose others.")
        card = self.card(folder)
        self.keep_cards([replace(card, titles=False, ignored=False, name=card.name or os.path.basename(folder))])
        return folder

    def split(self, library: Library, drives: Sequence[Drive] | None = None) -> None:
        """Let each folder of a library be a library of its own from now on. Raises Refused when it holds none."""
        if library.folders < 2:
            raise Refused(f"{shown(library.name)} holds no folders.", next_step="Only folders can stand on their own.")
        self.keep_cards([replace(self.card(library.path, drives), titles=True, ignored=False)], drives)

    def with_cards(self, snapshot: Snapshot, *paths: str) -> Snapshot:
        """A snapshot with these libraries as their cards now say, without measuring them again."""
        cards = {path: Card(path=path) for path in paths} | {card.path: card for card in self.cards(snapshot.drives)}
        changed = set(paths)
        return _learnt(
            replace(
                snapshot,
                libraries=tuple(
                    with_card(library, cards[library.path]) if library.path in changed else library
                    for library in snapshot.libraries
                ),
            )
        )

    def free_export(self, folder: str) -> str:
        """Where libraries can be written in a folder as CSV and JSON, replacing nothing; without an ending."""
        return free_stem(os.path.join(folder, "nuvik-libraries"), (".csv", ".json"))

    def export_cards(self, path: str) -> int:
        """Write every card to a TOML file; how many. Raises Refused."""
        cards = self.cards()
        write_text(path, cards_text(cards))
        return len(cards)

    def import_cards(self, path: str) -> int:
        """Read cards from a TOML file; where one says something, it counts from now on. How many. Raises Refused."""
        cards = read_cards_file(path, os.path.dirname(os.path.abspath(path)))
        known = {card.path: card for card in self.cards()}
        self.keep_cards(card.laid_over(known[card.path]) if card.path in known else card for card in cards)
        return len(cards)


def _learnt(snapshot: Snapshot) -> Snapshot:
    """With what recorded libraries tell of others of their kind."""
    return replace(snapshot, libraries=with_kinds_learnt(snapshot.libraries))


def _moment_within(text: str, taken: Sequence[str]) -> str:
    """A moment between the first survey and the last; of a day, its end. Raises BadInput."""
    try:
        moment = datetime.fromisoformat(text.strip()).astimezone(UTC)
    except (ValueError, OverflowError):
        raise BadInput(f"“{shown(text)}” is not a date.", next_step="Write it as 2026-10-01.") from None
    first, last = taken[0][:10], taken[-1][:10]
    if moment > datetime.now(UTC):
        raise BadInput(f"{text} has not come yet.", next_step=f"The last survey is of {last}.")
    until = moment if len(text.strip()) > len(first) else moment + timedelta(days=1)
    if until < moment_of(taken[0]):
        raise BadInput(f"{text} is before the first survey, of {first}.", next_step="Name that day, or a later one.")
    if moment > moment_of(taken[-1]):
        raise BadInput(f"No survey was taken since {text}.", next_step=f"Survey again; the last is of {last}.")
    return moment_text(until.timestamp())
