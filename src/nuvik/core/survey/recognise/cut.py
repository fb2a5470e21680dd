"""Which folders of the trees are libraries: the cut of each tree that explains it best.

Every folder may be a library as a whole, may be opened (then its sub-folders are judged on their own), or may be a
shelf of things alike. What each choice explains is counted in bytes, weighted with its confidence; from the leaves up,
each folder takes the choice that explains most. Of choices that are nearly equal the simpler wins: fewer libraries.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace

from nuvik.core.hosts.base import held_bytes
from nuvik.core.model.library import Card, Kind
from nuvik.core.model.names import OURS_PREFIX
from nuvik.core.model.paths import is_within, parents
from nuvik.core.survey.recognise.evidence import SETTLED, UNKNOWN, Context, Guess, guess, place_of_a_program
from nuvik.core.survey.recognise.manifests import Named, named_by_manifests
from nuvik.core.survey.recognise.shape import Shape
from nuvik.core.survey.recognise.shelves import fits, shelf_of
from nuvik.core.survey.recognise.single_files import file_guess
from nuvik.core.survey.recognise.trade_words import OF_THE_FILE_SYSTEM
from nuvik.core.survey.walk.folder_tree import Folder, Tree

SIMPLER = 1.05
"""Opening a folder must explain so many times as much as taking it whole."""
_SMALL_CONFIDENCE = 0.1
"""What is too small to be a library explains little, wherever it lies."""
_CERTAIN, _BY_MANIFEST, _PLAIN = 1.0, 0.92, 0.8
_TITLES = "you said that each folder here is one library"


@dataclass(frozen=True, slots=True)
class Pick:
    """A folder or file that is a library."""

    path: str
    guess: Guess
    inside: str = ""
    """Why what lies here is better not moved, from a folder above."""
    title: str = ""
    """As a manifest calls it, where one does."""


@dataclass(slots=True)
class _Choice:
    """What is done with a folder, and how much that explains."""

    score: float
    guess: Guess | None = None
    """As a library; None when it is opened or left alone."""
    opened: bool = False
    shelf: Guess | None = None
    own: Guess | None = None
    """Its own evidence, whatever is chosen."""
    files: tuple[tuple[str, Guess], ...] = ()
    kinds: frozenset[Kind] = frozenset()
    """Of the libraries in it when it is opened."""
    named: Mapping[str, Named] = field(default_factory=dict)
    """Its sub-folders of which a manifest speaks."""
    title: str = ""
    """As a manifest calls it."""
    titles: int = 0
    """Titles that lie side by side in it, or itself as one."""
    settled: tuple[float, int] = (0.0, 0)
    """Of the score, and of the bytes, what belongs to the program in whose folder it lies, if it lies in one."""


class Cut:
    """The cut of one tree.

    `taken` are folders that are libraries whatever they hold (those of cards, and those that links lead to);
    `above` are the folders above these, and `kept_open` others that must be opened.
    """

    def __init__(
        self,
        tree: Tree,
        context: Context,
        cards: Mapping[str, Card],
        taken: Collection[str],
        above: Collection[str],
        kept_open: Collection[str],
        small_bytes: int,
    ) -> None:
        self._tree, self._context, self._cards = tree, context, cards
        self._taken, self._above, self._kept_open, self._small_bytes = taken, above, kept_open, small_bytes
        self._above_mounts = {above for point in context.host.mount_points() for above in parents(point)}
        self._everywhere = context.host.why_protected(os.path.join(tree.root.path, "any"))
        """Why whatever lies in this tree is protected, if it is a part of the system."""
        self._choices: dict[str, _Choice] = {}
        self._protected: dict[str, str] = {}
        """Why each folder is a whole that the system protects."""
        self.opened: list[Folder] = []
        """The folders that are opened: links in them may lead to libraries."""
        self.picks: list[Pick] = []
        for folder in reversed(list(self._to_judge(tree.root))):
            self._choices[folder.path] = self._choose(folder)
        self._collect()

    def _to_judge(self, root: Folder) -> Iterator[Folder]:
        """Every folder but those inside one that is a whole whatever it holds: since the system protects it, or since
        it is too small for anything in it to be a library. Each comes before those in it.
        """
        waiting = [root]
        while waiting:
            folder = waiting.pop()
            yield folder
            if not self._is_too_small(folder) and not self._is_protected(folder):
                waiting.extend(folder.below.values())

    # -- choosing, from the leaves up ----------------------------------------------------------------------

    def _choose(self, folder: Folder) -> _Choice:
        path, size = folder.path, folder.held_bytes
        card = self._cards.get(path)
        if folder.name.startswith(OURS_PREFIX) or (folder.name in OF_THE_FILE_SYSTEM and folder.above is not None):
            return _Choice(0.0)
        if card is not None and card.ignored:
            return _Choice(0.0)
        if path in self._taken:
            own = self._guess(folder)
            return _Choice(_CERTAIN * size, guess=own, own=own)
        if card is not None and card.titles:
            return self._opened(folder, Guess(card.kind or Kind.OTHER, _CERTAIN, _TITLES), None)
        if self._must_open(folder):
            shelf = shelf_of(folder, self._context, self._own_kinds(folder))
            return self._opened(folder, shelf, None)
        if not folder.has_files or (size < self._small_bytes and folder.own.links):
            return self._opened(folder, None, None)
        if size < self._small_bytes:
            return _Choice(_SMALL_CONFIDENCE * size)
        if (reason := self._protected.get(path)) is not None:
            return _Choice(size, guess=Guess(Kind.OTHER, _CERTAIN, reason, sealed=True))
        own = self._guess(folder)
        whole = _Choice(own.confidence * size, guess=own, own=own, titles=int(own.kind is Kind.GAME))
        if own.sealed:
            return whole
        opened = self._opened(folder, shelf_of(folder, self._context, self._own_kinds(folder)), own)
        explains = opened.score
        if own.stays:
            # What belongs to the program whose folder this is explains no more by itself than as a part of it.
            score, settled_bytes = opened.settled
            explains += own.confidence * settled_bytes - score
        return opened if explains > SIMPLER * whole.score else whole

    def _guess(self, folder: Folder) -> Guess:
        return guess(folder, self._context, sum(self._choices[inner.path].titles for inner in folder.below.values()))

    def _is_too_small(self, folder: Folder) -> bool:
        """Whether nothing in a folder can be a library: neither by its size, nor by a card or a link that leads there,
        be it one in the folder itself.
        """
        if folder.held_bytes >= self._small_bytes or not folder.has_files or folder.own.links:
            return False
        return not (self._must_open(folder) or folder.path in self._taken or folder.path in self._cards)

    def _is_protected(self, folder: Folder) -> bool:
        """Whether a folder of the system is a whole; what lies in one that was asked for is judged like anything else.
        What the user or a link says of it, and of anything in it, comes first.
        """
        path = folder.path
        if self._must_open(folder) or path in self._taken or path in self._cards or path in self._above_mounts:
            return False
        if not folder.has_files or folder.held_bytes < self._small_bytes:
            return False
        reason = self._context.host.why_protected(path)
        if reason is None or reason == self._everywhere:
            return False
        self._protected[path] = reason
        return True

    def _must_open(self, folder: Folder) -> bool:
        return folder.above is None or folder.path in self._above or folder.path in self._kept_open

    def _own_kinds(self, folder: Folder) -> dict[str, Guess]:
        """What each sub-folder that is large enough seems to be, by name."""
        return {
            inner.name: choice.own
            for inner in folder.below.values()
            if (choice := self._choices[inner.path]).own is not None
        }

    def _opened(self, folder: Folder, shelf: Guess | None, own: Guess | None) -> _Choice:
        files, score, settled = [], 0.0, (0.0, 0)
        for length, _, name in folder.own.big:
            path = os.path.join(folder.path, name)
            if os.sep in name or length < self._small_bytes:
                continue
            seems = file_guess(self._context.host, path)
            size = held_bytes(self._context.host, path, length)
            if seems is not None and size >= self._small_bytes:
                files.append((path, seems))
                score += seems.confidence * size
                if seems.kind in SETTLED:
                    settled = (settled[0] + seems.confidence * size, settled[1] + size)
        kinds: set[Kind] = set()
        titles, named = 0, self._named(folder)
        for inner in folder.below.values():
            choice = self._beneath(inner, shelf, named)
            # Pieces of which nothing is known explain less than the whole of which nothing is known.
            gains = choice.score if choice.guess is not UNKNOWN else choice.score / 2
            score += gains
            kinds |= choice.kinds if choice.guess is None else {choice.guess.kind}
            if choice.guess is None:
                titles += choice.titles
                settled = (settled[0] + choice.settled[0], settled[1] + choice.settled[1])
            else:
                titles += choice.guess.kind is Kind.GAME
                if choice.guess.kind in SETTLED:
                    settled = (settled[0] + gains, settled[1] + inner.held_bytes)
        return _Choice(
            score,
            opened=True,
            shelf=shelf,
            own=own,
            files=tuple(files),
            kinds=frozenset(kinds),
            named=named,
            titles=titles,
            settled=settled,
        )

    def _named(self, folder: Folder) -> Mapping[str, Named]:
        """Where titles lie, a manifest may name them, and others that are not so plain."""
        inner = self._own_kinds(folder)
        titles = sum(seems.kind is Kind.GAME for seems in inner.values())
        others = sum(seems.kind is not Kind.GAME and seems.confidence >= _PLAIN for seems in inner.values())
        # Beside “Games” in a home lie films, too, and files that speak of them.
        if titles <= others or is_within(self._context.about.home, folder.path):
            return {}
        return named_by_manifests(self._context.host, folder.path, inner.keys())

    def _beneath(self, folder: Folder, shelf: Guess | None, named: Mapping[str, Named]) -> _Choice:
        """A sub-folder of an opened folder: as it is by itself, or as one of the things on a shelf."""
        choice = self._choices[folder.path]
        own, size = choice.own, folder.held_bytes
        if own is not None and folder.name in named and (shelf is None or shelf.confidence < _CERTAIN):
            manifest = named[folder.name]
            as_title = f" as “{manifest.title}”" if manifest.title else ""
            seems = Guess(Kind.GAME, _BY_MANIFEST, f"{manifest.file} names it{as_title}", True, own.stays)
            score = choice.score if folder.path in self._taken else _BY_MANIFEST * size
            return _Choice(score, guess=seems, own=own, title=manifest.title)
        if shelf is None:
            return choice
        if shelf.confidence == _CERTAIN:  # the user's word, which no evidence outweighs
            if not choice.score:
                return choice
            kind = shelf.kind if shelf.kind is not Kind.OTHER else (own or guess(folder, self._context)).kind
            return _Choice(size, guess=replace(shelf, kind=kind))
        if own is None or not fits(shelf, folder, own, choice.opened, choice.kinds):
            return choice
        if own.kind is shelf.kind and own.confidence >= shelf.confidence:
            return choice
        if folder.path in self._taken:
            return replace(choice, guess=shelf)
        if choice.opened and shelf.confidence * size * SIMPLER < choice.score:
            return choice
        return _Choice(shelf.confidence * size, guess=replace(shelf, stays=own.stays), own=own)

    # -- collecting, from the root down --------------------------------------------------------------------

    def _collect(self) -> None:
        root = self._choices[self._tree.root.path]
        waiting: list[tuple[Folder, _Choice, str]] = [(self._tree.root, root, "")]
        while waiting:
            folder, choice, inside = waiting.pop()
            if choice.guess is not None:
                self.picks.append(Pick(folder.path, choice.guess, inside, choice.title))
            elif choice.opened:
                self.opened.append(folder)
                place = place_of_a_program(Shape(folder), self._context)
                inside = place.stays if place is not None else inside
                self.picks += [Pick(path, seems, inside) for path, seems in choice.files]
                waiting += [
                    (inner, self._beneath(inner, choice.shelf, choice.named), inside) for inner in folder.below.values()
                ]
