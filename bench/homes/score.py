"""How much of the truth a survey shows."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

from homes.build import Builder
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.paths import is_within


@dataclass(slots=True)
class Score:
    """Counts over one home or several."""

    wanted: int = 0
    shown_of_wanted: int = 0
    shown: int = 0
    right: int = 0
    kinds_right: int = 0
    kinds: int = 0
    verdicts_right: int = 0
    verdicts: int = 0
    faults: list[str] = field(default_factory=list)
    """Movable although it must not be."""
    remarks: list[str] = field(default_factory=list)

    def __str__(self) -> str:
        return (
            f"recall {_share(self.shown_of_wanted, self.wanted)}, precision {_share(self.right, self.shown)}, "
            f"kinds {_share(self.kinds_right, self.kinds)}, verdicts {_share(self.verdicts_right, self.verdicts)}, "
            f"{len(self.faults)} movable that must not be"
        )

    @property
    def recall(self) -> float:
        return self.shown_of_wanted / max(1, self.wanted)

    @property
    def precision(self) -> float:
        return self.right / max(1, self.shown)

    @property
    def kind_share(self) -> float:
        return self.kinds_right / max(1, self.kinds)

    def __add__(self, other: Score) -> Score:
        return Score(*(getattr(self, name) + getattr(other, name) for name in Score.__slots__))


def score(home: Builder, libraries: Sequence[Library], small_bytes: Callable[[str], int]) -> Score:
    """Compare a survey's libraries with the truth; those outside the home's places do not count, nor do folders that
    take less than `small_bytes` says for their drive.
    """
    size_of = _length if home.holes else _held
    places = home.places
    roots = (places.home, places.shelf, places.portable)
    libraries = [library for library in libraries if any(is_within(library.path, root) for root in roots)]
    # A folder that holds nothing but one other folder is the same as that.
    by_path = {_innermost(library.path): library for library in libraries}
    truths = {_innermost(truth.path): truth for truth in home.truths}
    kinds_at: dict[str, set[Kind]] = {}
    for truth in home.truths:
        kinds_at.setdefault(_innermost(truth.path), set()).update(truth.kinds)
    result = Score()
    for truth in home.truths:
        counts = truth.counts and _size(truth.path, size_of) >= small_bytes(truth.path)
        library = by_path.get(_innermost(truth.path))
        result.wanted += counts
        result.shown_of_wanted += counts and library is not None
        if library is None:
            if counts:
                result.remarks.append(f"missed: {truth.path}")
            continue
        result.kinds += 1
        if library.kind in kinds_at[_innermost(truth.path)]:
            result.kinds_right += 1
        else:
            result.remarks.append(
                f"kind {library.kind} instead of {', '.join(truth.kinds)}: {truth.path} ({library.why})"
            )
        if truth.may_move is not None:
            result.verdicts += 1
            if library.movable is truth.may_move:
                result.verdicts_right += 1
            else:
                result.remarks.append(f"movable is {library.movable}: {truth.path} ({library.why_not})")
    for library in libraries:
        result.shown += 1
        truth_here = truths.get(_innermost(library.path))
        result.right += truth_here is not None
        if truth_here is None:
            result.remarks.append(f"no library: {library.path} ({library.kind}, {library.why})")
        if library.movable and (truth_here is None or truth_here.may_move is False):
            result.faults += [f"{library.path} has {path}" for path in home.never if _touch(library.path, path)]
    return result


def _innermost(path: str) -> str:
    while os.path.isdir(path):
        names = os.listdir(path)
        if len(names) != 1 or not os.path.isdir(os.path.join(path, names[0])):
            break
        path = os.path.join(path, names[0])
    return path


def _size(path: str, size_of: Callable[[os.stat_result], int]) -> int:
    if not os.path.isdir(path):
        return size_of(os.stat(path))
    return sum(size_of(os.lstat(os.path.join(at, name))) for at, _, names in os.walk(path) for name in names)


def _held(facts: os.stat_result) -> int:
    return facts.st_blocks * 512


def _length(facts: os.stat_result) -> int:
    return facts.st_size


def _touch(first: str, second: str) -> bool:
    return is_within(first, second) or is_within(second, first)


def total(scores: Iterable[Score]) -> Score:
    return sum(scores, Score())


def _share(part: int, whole: int) -> str:
    return f"{part / max(1, whole):.0%} ({part} of {whole})"
