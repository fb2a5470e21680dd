"""Taking a survey: drives and libraries become one dated snapshot.

The trees are sized first, in one pass; then libraries are recognised in them, so that each gets its figures from the
same pass and nothing counts twice.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from nuvik.core.hosts.base import Host, drive_holding
from nuvik.core.model.clock import moment_or_none, now_text
from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NotNamed, Refused
from nuvik.core.model.history import Sighting
from nuvik.core.model.library import Card, Library, Verdict
from nuvik.core.model.names import shown
from nuvik.core.model.paths import is_within, normalised, parents
from nuvik.core.model.progress import Stop, SurveyReport, no_report
from nuvik.core.model.snapshot import Problem, Snapshot
from nuvik.core.survey.history.last_use import RecentFiles, use_of
from nuvik.core.survey.loose_data import large_files, largest_loose, loose_folders, small_things
from nuvik.core.survey.recognise.evidence import SETTLED, Context
from nuvik.core.survey.recognise.find_libraries import LibraryCandidate, find_candidates, guess_of
from nuvik.core.survey.recognise.library_parts import parts_of
from nuvik.core.survey.recognise.may_move import NEEDS_TETHER, OVERRULED, PINNED, Open, judge
from nuvik.core.survey.recognise.names_apart import names_apart
from nuvik.core.survey.recognise.trade_words import OF_THE_FILE_SYSTEM
from nuvik.core.survey.walk.folder_tree import Folder, Tree, folder_in
from nuvik.core.survey.walk.no_collecting import no_collecting
from nuvik.core.survey.walk.quick_walk import Again, WalkedTree, quick_trees
from nuvik.core.survey.walk.walk_pool import WALKED_ALONE_ENTRIES, Glimpse, size_tree, size_trees

_LINKS_LOOKED_AT = 2_000
"""So many links of a library are followed to tell whether they lead anywhere."""

History = Mapping[str, Sequence[Sighting]]
"""What earlier surveys found, by library id, oldest first."""


def survey(
    host: Host,
    drives: tuple[Drive, ...],
    paths: tuple[str, ...] = (),
    cards: Iterable[Card] = (),
    history: History | None = None,
    report: SurveyReport = no_report,
    stop: Stop | None = None,
) -> Snapshot:
    """Measure the drives and every library below `paths` (by default the host's own roots).

    A survey that is stopped gives what it has so far, marked as not complete.
    Raises Refused when a path is not there or lies on no drive.
    """
    cards = tuple(cards)
    return judged(host, drives, walked(host, drives, paths, cards, report, stop), cards, history)


def walked(
    host: Host,
    drives: tuple[Drive, ...],
    paths: tuple[str, ...] = (),
    cards: Iterable[Card] = (),
    report: SurveyReport = no_report,
    stop: Stop | None = None,
    glimpse: Glimpse | None = None,
) -> list[Tree]:
    """The sized trees of a survey. Raises Refused as `survey` does."""
    roots = _apart([_root(host, drives, path) for path in paths] or list(host.default_roots()), host.mount_points())
    home = host.surroundings().home
    return size_trees(host, drives, roots, kept_for(cards), report, stop, homes=[home] if home else (), glimpse=glimpse)


def walked_again(
    host: Host,
    drives: tuple[Drive, ...],
    before: Sequence[WalkedTree],
    cards: Iterable[Card] = (),
    report: SurveyReport = no_report,
    stop: Stop | None = None,
) -> tuple[list[Tree], Again]:
    """The sized trees of a survey of everything, of which only what changed since was walked, where that can be told.
    Raises StopRequested.
    """
    roots, home, cards = _apart(list(host.default_roots()), host.mount_points()), host.surroundings().home, tuple(cards)
    homes, stop = [home] if home else [], stop or Stop()
    with no_collecting():
        trees, whole, again = quick_trees(host, drives, roots, kept_for(cards), homes, before, stop)
    full = size_trees(host, drives, whole, kept_for(cards), report, stop, homes=homes) if whole else []
    count = sum(len(tree.folders) for tree in full)
    order = {root: number for number, root in enumerate(roots)}
    every = sorted([*trees, *full], key=lambda tree: order.get(tree.root.path, 0))
    return every, Again((), again.walked + count, again.folders + count)


def judged(
    host: Host,
    drives: tuple[Drive, ...],
    trees: Sequence[Tree],
    cards: Iterable[Card] = (),
    history: History | None = None,
    so_far: bool = False,
) -> Snapshot:
    """The snapshot of sized trees: their libraries, as evidence and cards say. Quick: no drive is walked again.

    `so_far` is for trees that are still being walked: only what is quickest to learn of their libraries.
    """
    by_path = {card.path: card for card in cards}
    silent = [drive.path for drive in drives if not drive.attached]
    silent += [tree.root.path for tree in trees if tree.silent]
    context = Context(host, host.surroundings(), frozenset(silent))
    problems = [
        *_problems(trees),
        *(Problem(path=drive.path, problem=f"{drive.label} is away") for drive in drives if not drive.attached),
    ]
    # What lies on a drive that does not answer must not be looked at again: that would hang as well.
    trees = [tree for tree in trees if not tree.silent]

    def small_bytes(path: str) -> int:
        drive = drive_holding(drives, path)
        return int(drive.usable_bytes * host.small_share) if drive is not None else 0

    candidates, outside = find_candidates(trees, by_path, context, small_bytes)
    opened = Open(())
    if not so_far:
        trees = [*trees, *size_trees(host, drives, outside, kept_for(by_path.values()))]
        opened = Open(host.open_files())
    makers = _Makers(host, drives, context, opened, RecentFiles(context.about.recent), history or {})
    if not so_far:
        # People install nothing with a package manager in their home.
        others = [candidate.path for candidate in candidates if not is_within(candidate.path, context.about.home)]
        makers.packages = host.packages_owning([path for path in others if host.why_protected(path) is None])
    libraries = makers.all(candidates, trees)
    if so_far:
        return Snapshot(taken_at=now_text(), host=host.name, drives=drives, libraries=libraries, complete=False)
    loose = loose_folders(trees, libraries, drives, small_bytes)
    return Snapshot(
        taken_at=now_text(),
        host=host.name,
        drives=drives,
        libraries=libraries,
        problems=tuple(problems),
        complete=all(tree.complete for tree in trees),
        loose=largest_loose(loose),
        small_things=small_things(loose),
        large_files=large_files(host, trees, libraries, drives),
    )


def survey_library(
    host: Host,
    drives: tuple[Drive, ...],
    path: str,
    cards: Iterable[Card] = (),
    history: History | None = None,
    stop: Stop | None = None,
) -> Library:
    """Measure one folder as a library of its own, whatever it holds. Raises Refused as `survey` does, StopRequested."""
    root = _root(host, drives, path)
    if reason := host.why_protected(root):
        raise Refused(f"{shown(root)} must not be moved: {reason}.", next_step="Choose a library inside it.")
    context = Context(host, host.surroundings())
    tree = size_tree(host, drives, root, stop, alone_entries=WALKED_ALONE_ENTRIES)
    candidate = LibraryCandidate(root, next((card for card in cards if card.path == root), None))
    makers = _Makers(
        host,
        drives,
        context,
        Open([(root, user) for user in host.used_by(root)[:1]]),
        RecentFiles(context.about.recent),
        history or {},
    )
    return makers.all([candidate], [tree])[0]


def with_card(library: Library, card: Card) -> Library:
    """A library as a changed card says, until the next survey looks again."""
    library = replace(
        library,
        name=card.name or library.name,
        kind=card.kind or library.kind,
        opens_per_week=library.opens_per_week if card.opens_per_week is None else card.opens_per_week,
        needs_read_bytes_per_s=card.needs_read_bytes_per_s,
        working_set=card.working_set,
        opening_factor=card.opening_factor or 1.0,
        computing_s=card.computing_s,
        timings=card.timings,
        pattern=card.pattern,
        tethers=card.tethers,
        always_attached=card.always_attached,
        keep_with=card.keep_with,
        apart_from=card.apart_from,
        collection=card.collection,
        falls_back_to=card.falls_back_to,
    )
    if card.opens_per_week is not None:
        library = replace(library, use_source=f"{library.use_source.split('; openings:')[0]}; openings: your card")
    if library.verdict is Verdict.IMPOSSIBLE:
        return library
    if card.leads and library.caution.endswith(NEEDS_TETHER):
        library = replace(library, caution="")
    overruled = library.caution.startswith(OVERRULED)
    if card.overrule and (overruled or library.verdict is Verdict.UNWISE):
        reason = library.why_not or library.caution.removeprefix(OVERRULED)
        return replace(
            library, movable=True, verdict=Verdict.FREE, why_not=None, caution=OVERRULED + reason if reason else ""
        )
    if card.pinned:
        return replace(library, movable=False, verdict=Verdict.UNWISE, why_not=PINNED)
    if library.why_not == PINNED:
        return replace(library, movable=True, verdict=Verdict.FREE, why_not=None)
    if overruled:
        return replace(
            library, movable=False, verdict=Verdict.UNWISE, caution="", why_not=library.caution.removeprefix(OVERRULED)
        )
    return library


def kept_for(cards: Iterable[Card]) -> list[str]:
    """The folders that must be listed separately at any depth: those of cards, and their parts."""
    paths = []
    for card in cards:
        paths.append(card.path)
        paths += [os.path.normpath(os.path.join(card.path, part.path)) for part in card.parts]
    return paths


def _apart(roots: Sequence[str], mount_points: Iterable[str]) -> list[str]:
    """Roots of which none lies in another. What is mounted below a root is not part of it: it stays a root itself."""
    mounts = set(mount_points)

    def swallowed(root: str, other: str) -> bool:
        if root == other or not is_within(root, other):
            return False
        return not any(
            place in mounts and is_within(place, other) and place != other for place in (root, *parents(root))
        )

    return [root for root in dict.fromkeys(roots) if not any(swallowed(root, other) for other in roots)]


def _root(host: Host, drives: tuple[Drive, ...], path: str) -> str:
    clean = normalised(path)
    # Only the parents are resolved: a link itself must stay a link, so that it is recognised.
    clean = os.path.join(os.path.realpath(os.path.dirname(clean)), os.path.basename(clean))
    drive = drive_holding(drives, clean)
    if drive is None:
        raise NotNamed(
            f"{shown(clean)} is on none of the drives of {host.name}.",
            next_step="“nuvik drives” lists them.",
        )
    if not drive.attached:
        raise Refused(f"{shown(clean)} is on {drive.label}, which is away.", next_step="Attach the drive.")
    if not host.files.exists(clean):
        raise NotNamed(f"There is nothing at {shown(clean)}.", next_step="Check the path.")
    return clean


def _problems(trees: Iterable[Tree]) -> Iterable[Problem]:
    for tree in trees:
        for path, what in tree.root.problems:
            if os.path.basename(path) not in OF_THE_FILE_SYSTEM:
                yield Problem(path=path, problem=what)


@dataclass(slots=True)
class _Makers:
    """Makes libraries of candidates."""

    host: Host
    drives: tuple[Drive, ...]
    context: Context
    opened: Open
    recent: RecentFiles
    history: History
    packages: Mapping[str, str] = field(default_factory=dict)
    """The package that owns a path."""
    _no_access_times: dict[str, str | None] = field(default_factory=dict)

    def all(self, candidates: Iterable[LibraryCandidate], trees: Sequence[Tree]) -> tuple[Library, ...]:
        """Largest first."""
        made = []
        for candidate in candidates:
            drive = drive_holding(self.drives, candidate.path)
            folder = folder_in(trees, candidate.path)
            if drive is not None and folder is not None:
                made.append(self._library(candidate, folder, drive))
        return names_apart(sorted(made, key=lambda library: (-library.on_disk_bytes, library.path)))

    def _library(self, candidate: LibraryCandidate, folder: Folder, drive: Drive) -> Library:
        card, path, extent = candidate.card, candidate.path, folder.extent
        seems = guess_of(candidate, folder, self.context)
        stays = candidate.inside if seems.kind in SETTLED else ""
        if package := self.packages.get(path):
            stays = f"the package {shown(package)} owns it, and updates expect it here"
        judged = judge(self.host, folder, drive, card, self.context.about, self.opened, seems.stays or stays)
        identifier = f"{drive.id}:{os.path.relpath(path, drive.path)}"
        if drive.id not in self._no_access_times:
            self._no_access_times[drive.id] = self.host.access_times(drive)
        use = use_of(
            extent, card, self.recent.below(path), self.history.get(identifier, ()), self._no_access_times[drive.id]
        )
        links = _links(folder, self.context)
        # Where files may be compressed, what they hold less than their length comes back in a copy.
        holes = drive.rules.holes and not self.host.counts_lengths
        return Library(
            id=identifier,
            name=(card.name if card else None) or candidate.title or os.path.basename(path) or path,
            kind=seems.kind,
            path=path,
            drive=drive.id,
            bytes=extent.bytes,
            on_disk_bytes=extent.on_disk_bytes,
            files=extent.files,
            folders=extent.folders,
            largest_file_bytes=extent.largest_file_bytes,
            hole_bytes=extent.hole_bytes if holes else 0,
            cold_bytes=extent.cold_bytes,
            last_used=use.last_used,
            opens_per_week=use.opens_per_week,
            use_source=use.source,
            newest_content=moment_or_none(extent.newest_content_s),
            newest_access=moment_or_none(extent.newest_access_s),
            movable=judged.movable,
            why_not=None if judged.movable else judged.reason,
            caution=judged.reason if judged.movable else "",
            verdict=judged.verdict,
            tether=candidate.tether,
            parts=tuple(
                part if holes else replace(part, hole_bytes=0)
                for part in parts_of(card, folder, seems.kind, self.context)
            ),
            needs_read_bytes_per_s=card.needs_read_bytes_per_s if card else None,
            opening_factor=(card.opening_factor if card else None) or 1.0,
            computing_s=card.computing_s if card else None,
            timings=card.timings if card else (),
            pattern=card.pattern if card else None,
            tethers=card.tethers if card else (),
            sizes=tuple(sorted(folder.histogram.items())),
            why=seems.why,
            confidence=round(seems.confidence, 2),
            hidden=_hidden(path, drive),
            working_set=bool(card and card.working_set),
            shared_files=len(folder.shared),
            always_attached=bool(card and card.always_attached),
            keep_with=card.keep_with if card else (),
            apart_from=card.apart_from if card else (),
            collection=card.collection if card else None,
            falls_back_to=card.falls_back_to if card else None,
            not_here_files=extent.not_here_files,
            links_in=links[0],
            links_out=links[1],
            links_broken=links[2],
        )


def _hidden(path: str, drive: Drive) -> bool:
    return any(name.startswith(".") for name in os.path.relpath(path, drive.path).split(os.sep))


def _links(folder: Folder, context: Context) -> tuple[int, int, int]:
    """How many links lead into the library, out of it, and nowhere."""
    inside = outside = broken = 0
    for number, link in enumerate(folder.links):
        looks = number < _LINKS_LOOKED_AT and context.answers(link.goal_path)
        if looks and not os.path.exists(link.path):
            broken += 1
        elif is_within(link.goal_path, folder.path):
            inside += 1
        else:
            outside += 1
    return inside, outside, broken
