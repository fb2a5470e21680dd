"""What speaks for a folder being a shelf: each of its sub-folders is a library, and all are of one kind."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping

from nuvik.core.model.library import Kind
from nuvik.core.survey.recognise.evidence import Context, Guess
from nuvik.core.survey.recognise.shape import Shape
from nuvik.core.survey.recognise.trade_words import COLLECTIONS, ONE_LIBRARY, PLURALS, SHELVES
from nuvik.core.survey.walk.folder_tree import Folder

_ALIKE = 0.8
"""Assumed: of things on a shelf four in five are plainly of one kind."""
_FEWEST_ALIKE = 3
_STAND_FOR_THEMSELVES = frozenset([Kind.GAME, Kind.PROGRAM, Kind.PROJECT, Kind.DISC_IMAGE])
_WEAK = 0.3
"""Own evidence up to here says nothing against the shelf."""
_BY_LIKENESS, _BY_NAME = 0.87, 0.85
_EACH = {
    Kind.GAME: "each with a program and large data files",
    Kind.PROGRAM: "each with a program and what it loads",
    Kind.PROJECT: "each laid out as a project",
    Kind.DISC_IMAGE: "each with images of disks",
}


def shelf_of(folder: Folder, context: Context, inner: Mapping[str, Guess]) -> Guess | None:
    """Of which kind the things on it are; None when nothing speaks for a shelf. `inner` is what each of its larger
    sub-folders seems to be by itself.
    """
    kinds = Counter(seems.kind for seems in inner.values())
    kind, count = kinds.most_common(1)[0] if kinds else (Kind.OTHER, 0)
    if kind is Kind.GAME and count > 1:
        # Beside other games, the image of a disc with something that plays it is one.
        discs = [name for name, seems in inner.items() if seems.kind is Kind.DISC_IMAGE]
        count += sum(bool(Shape(folder.below[name]).runnable) for name in discs)
    if kind in _STAND_FOR_THEMSELVES and count >= _FEWEST_ALIKE and count >= _ALIKE * len(inner):
        words = f"it is one of {count} folders alike, {_EACH[kind]}"
        return Guess(kind, _BY_LIKENESS, words)
    name = folder.name.casefold()
    named = (
        SHELVES.get(name) or ONE_LIBRARY.get(name) or COLLECTIONS.get(name) or context.about.standard.get(folder.path)
    )
    if named is None:
        return None
    return Guess(named, _BY_NAME, f"it is next to other {PLURALS[named]} in “{folder.name}”")


def fits(shelf: Guess, folder: Folder, own: Guess, opened: bool, kinds: Collection[Kind]) -> bool:
    """Whether a sub-folder is one of the things on a shelf, rather than what its own evidence says. `opened` is whether
    it would by itself be opened, which a thing on a shelf is not, and `kinds` what it would then hold.
    """
    if own.kind is shelf.kind:
        return not opened
    if own.kind is Kind.DISC_IMAGE and shelf.kind is Kind.GAME:
        return True  # among games, the image of a disc is one
    if own.sealed or own.confidence > shelf.confidence:
        return False
    if opened and _STAND_FOR_THEMSELVES & set(kinds):
        return False  # it is a shelf itself
    if shelf.kind in (Kind.GAME, Kind.PROGRAM) and own.confidence > _WEAK:
        return bool(Shape(folder).runnable)
    # A project or program may well hold a cache or media that would stand out by themselves.
    return shelf.kind is not Kind.DISC_IMAGE and (not opened or shelf.kind in _STAND_FOR_THEMSELVES)
