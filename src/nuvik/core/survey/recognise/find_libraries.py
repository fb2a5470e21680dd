"""Finding the libraries in sized trees: the cut of each tree, what cards say, and where links lead.

What overlaps is counted once: the outermost library wins, and what lies in it are its parts.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from nuvik.core.model.library import Card, Kind
from nuvik.core.model.paths import is_within, parents
from nuvik.core.survey.recognise.cut import Cut
from nuvik.core.survey.recognise.evidence import Context, Guess, guess
from nuvik.core.survey.recognise.trade_words import COLLECTIONS, ONE_LIBRARY, PLURALS, SHELVES
from nuvik.core.survey.walk.folder_tree import Folder, Tree, folder_in

_BY_PLACE = 0.85
SmallBytes = Callable[[str], int]
"""Below how many bytes a folder of the drive that holds this path is no library."""


@dataclass(frozen=True, slots=True)
class LibraryCandidate:
    """A folder or file taken for a library."""

    path: str
    card: Card | None = None
    tether: str | None = None
    """The link that leads here, when there is one."""
    guess: Guess | None = None
    """What it seems to be; None when it was not looked at yet."""
    inside: str = ""
    """Why what lies here is better not moved, from a folder above."""
    title: str = ""
    """As a manifest calls it, where one does."""


def find_candidates(
    trees: Sequence[Tree], cards: Mapping[str, Card], context: Context, small_bytes: SmallBytes
) -> tuple[list[LibraryCandidate], list[str]]:
    """The libraries in these trees, in the order of their paths; and files and folders that need a look of their own:
    single files, and folders outside the trees to which links lead.
    """
    search = _Search(trees, cards, context, small_bytes)
    search.cut_all({})
    if tethers := search.tethers():
        # What a link leads to is a library by itself, also where it would else be part of another.
        search.cut_all(tethers)
    candidates, roots = search.candidates, {tree.root.path for tree in trees}
    outermost = [
        candidate
        for path, candidate in candidates.items()
        if not any(above in candidates for above in parents(path, roots))
    ]
    outside = [candidate.path for candidate in outermost if folder_in(trees, candidate.path) is None]
    return sorted(outermost, key=lambda candidate: candidate.path), outside


class _Search:
    """Cutting the trees, at first without and then with the links."""

    def __init__(
        self, trees: Sequence[Tree], cards: Mapping[str, Card], context: Context, small_bytes: SmallBytes
    ) -> None:
        self._trees, self._cards, self._context, self._small_bytes = trees, cards, context, small_bytes
        self._taken = {path for path, card in cards.items() if not card.ignored and not card.titles}
        self._about_cards = {path for path, card in cards.items() if not card.ignored}
        self._roots = {tree.root.path for tree in trees}
        about = context.about
        self._kept_open = {*about.containers, *about.caches, *about.settings, *about.holders}
        self._kept_open |= {above for place in (about.home, *self._kept_open) for above in (place, *parents(place))}
        self._opened: list[Folder] = []
        self.candidates: dict[str, LibraryCandidate] = {}

    def cut_all(self, tethers: Mapping[str, str]) -> None:
        """Cut every tree; `tethers` gives the link that leads to a folder."""
        self._opened, self.candidates = [], {}
        taken = self._taken | tethers.keys()
        above = {folder for path in self._about_cards | tethers.keys() for folder in parents(path)}
        for tree in self._trees:
            root = tree.root.path
            if root in self._taken:
                self._add(LibraryCandidate(root, self._cards[root]), tethers)
                continue
            cut = Cut(tree, self._context, self._cards, taken, above, self._kept_open, self._small_bytes(root))
            self._opened += cut.opened
            for pick in cut.picks:
                self._add(
                    LibraryCandidate(pick.path, self._cards.get(pick.path), None, pick.guess, pick.inside, pick.title),
                    tethers,
                )
        for path in sorted(self._taken - self.candidates.keys()):
            # A card may stand on a single file.
            if folder_in(self._trees, os.path.dirname(path)) is not None and self._is_file(path):
                self._add(LibraryCandidate(path, self._cards[path]), tethers)
        for path in tethers.keys() - self.candidates.keys():
            self._add(LibraryCandidate(path), tethers)

    def _add(self, candidate: LibraryCandidate, tethers: Mapping[str, str]) -> None:
        link = tethers.get(candidate.path)
        if link is not None:
            candidate = replace(candidate, tether=link, card=candidate.card or self._cards.get(link))
        self.candidates[candidate.path] = candidate

    def tethers(self) -> dict[str, str]:
        """The links in opened folders that lead to a folder that may be a library, by where they lead."""
        whole = {path for path, candidate in self.candidates.items() if candidate.guess and candidate.guess.sealed}
        titles = Counter(os.path.dirname(path) for path in self.candidates)
        tethers: dict[str, str] = {}
        for folder in self._opened:
            for name, goal in folder.own.link_list:
                link = os.path.join(folder.path, name)
                if not self._context.answers(os.path.normpath(os.path.join(folder.path, goal))):
                    continue
                if os.sep in name or (real := self._leads_to(folder, link)) is None:
                    continue
                if titles[real] > 1 and real not in self._about_cards and folder.path not in self._kept_open:
                    continue  # a way to a shelf, so that what is spread over drives is seen in one folder
                if not any(above in whole for above in parents(real)):
                    tethers.setdefault(real, link)
        return tethers

    def _leads_to(self, folder: Folder, link: str) -> str | None:
        host, real = self._context.host, os.path.realpath(link)
        card = self._cards.get(link) or self._cards.get(real)
        if (card is not None and card.ignored) or real in self._roots or is_within(folder.path, real):
            return None
        try:
            leads_to_folder = host.files.is_folder(real)
        except OSError:
            return None
        return real if leads_to_folder and host.why_protected(real) is None else None

    def _is_file(self, path: str) -> bool:
        """A link is no file: what it leads to is found by itself."""
        files = self._context.host.files
        try:
            return files.exists(path) and not files.is_link(path) and not files.is_folder(path)
        except OSError:
            return False


def guess_of(candidate: LibraryCandidate, folder: Folder, context: Context) -> Guess:
    """What a library holds: as its card says, else by its place, else by its signs."""
    seems = candidate.guess or _guess_alone(folder, context)
    if candidate.card is not None and candidate.card.kind is not None:
        return replace(seems, kind=candidate.card.kind, confidence=1.0, why="its card says so")
    return seems


def _guess_alone(folder: Folder, context: Context) -> Guess:
    """What a folder seems to be that was not reached from above."""
    seems = guess(folder, context)
    above = os.path.basename(os.path.dirname(folder.path))
    kind = _kind_by_name(above)
    if kind is None or seems.confidence > _BY_PLACE:
        return seems
    return replace(seems, kind=kind, confidence=_BY_PLACE, why=f"it is next to other {PLURALS[kind]} in “{above}”")


def _kind_by_name(name: str) -> Kind | None:
    folded = name.casefold()
    return SHELVES.get(folded) or ONE_LIBRARY.get(folded) or COLLECTIONS.get(folded)
