"""Reading and writing cards as TOML: input that is not trusted, checked field by field.

Every error names the file, the field, and what is allowed there.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import asdict, replace
from pathlib import PurePosixPath
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, field_validator

from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Card, Kind, Part, Timing
from nuvik.core.model.names import shown
from nuvik.core.model.opening import FolderShare, ReadPattern
from nuvik.core.model.paths import is_within
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.user_files.toml_file import field_name, read_checked

CARDS_FILE = "cards.toml"
CARDS_FORMAT = "nuvik-cards/1"
_OTHERS = ("keep_with", "apart_from")
"""Fields that name other libraries."""


def inside(folder: str) -> str:
    """A path written relative to the file, which must not lead out. Raises ValueError."""
    parts = PurePosixPath(folder.replace("\\", "/")).parts
    if not parts or parts[0] == "/" or ".." in parts or ":" in parts[0] or "\0" in folder:
        raise ValueError("must be a folder inside it, written as a relative path")
    return folder


class Strict(BaseModel):
    """Fields that are not known are refused: a slip of the pen must not pass for nothing."""

    model_config = ConfigDict(extra="forbid", frozen=True)


_Place = Annotated[str, Field(min_length=1)]


class _PartEntry(Strict):
    path: Annotated[str, Field(min_length=1)]
    name: str | None = None
    kind: Kind = Kind.OTHER

    _folder_inside = field_validator("path")(inside)


_NESTED = ("path", "part", "timing", "pattern", "tether")


class _TimingEntry(Strict):
    drive: Annotated[str, Field(min_length=1)]
    seconds: Annotated[float, Field(gt=0, le=86_400, allow_inf_nan=False)]
    computing_s: Annotated[float, Field(ge=0, le=86_400_000, allow_inf_nan=False)] | None = None
    tasted: bool = False


class _FolderShareEntry(Strict):
    path: Annotated[str, Field(max_length=4096)]
    share: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
    seeks: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class _PatternEntry(Strict):
    bytes: Annotated[int, Field(ge=0)]
    runs: Annotated[int, Field(ge=0)]
    folders: list[_FolderShareEntry] = []

    def pattern(self) -> ReadPattern:
        shares = tuple(FolderShare(path=each.path, share=each.share, seeks=each.seeks) for each in self.folders)
        return ReadPattern(bytes=self.bytes, runs=self.runs, folders=shares)


class _TetherEntry(Strict):
    kind: TetherKind
    file: Annotated[str, Field(max_length=4096)] = ""
    format: Annotated[str, Field(max_length=20)] = ""
    key: Annotated[str, Field(max_length=2000)] = ""
    part: Annotated[str, Field(max_length=4096)] = ""
    words: Annotated[str, Field(max_length=2000)] = ""
    value: Annotated[str, Field(max_length=4096)] = ""


class _CardEntry(Strict):
    path: Annotated[str, Field(min_length=1)]
    name: Annotated[str, Field(max_length=200)] | None = None
    kind: Kind | None = None
    opens_per_week: Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)] | None = None
    pinned: bool = False
    movable: bool = True
    overrule: bool = False
    ignored: bool = False
    titles: bool = False
    working_set: bool = False
    why_not: str | None = None
    needs_read_bytes_per_s: Annotated[int, Field(gt=0, le=2**62)] | None = None
    opening_factor: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)] | None = None
    computing_s: Annotated[float, Field(ge=0, le=86_400, allow_inf_nan=False)] | None = None
    always_attached: bool = False
    keep_with: tuple[_Place, ...] = ()
    apart_from: tuple[_Place, ...] = ()
    collection: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    falls_back_to: _Place | None = None
    part: list[_PartEntry] = []
    timing: list[_TimingEntry] = []
    pattern: _PatternEntry | None = None
    tether: list[_TetherEntry] = []


class _CardsEntry(Strict):
    format: str
    library: list[_CardEntry] = []


def read_cards_file(path: str, base: str, fence: str | None = None) -> tuple[Card, ...]:
    """The cards in a file, with absolute paths; relative ones count from `base`. Raises Refused.

    With `fence`, no card may name a place outside that folder.
    """
    entries: _CardsEntry = read_checked(path, _CardsEntry, CARDS_FORMAT)
    cards: dict[str, Card] = {}
    for index, entry in enumerate(entries.library):
        place = os.path.normpath(os.path.join(base, entry.path))
        problem = ""
        if "\0" in place:
            problem = "a path holds no NUL character"
        elif fence is not None and not is_within(place, fence):
            problem = f"{shown(entry.path)} lies outside the world"
        elif place in cards:
            problem = f"a second card for {shown(entry.path)}"
        if problem:
            raise Refused(
                f"{shown(path)}: {field_name('library', index, 'path')}{problem}.",
                next_step="Name each folder once, and inside the world.",
            )
        parts = tuple(Part(name=part.name or part.path, kind=part.kind, path=part.path) for part in entry.part)
        others: dict[str, Any] = {
            name: tuple(os.path.normpath(os.path.join(base, other)) for other in getattr(entry, name))
            for name in _OTHERS
        }
        others["falls_back_to"] = entry.falls_back_to and os.path.normpath(os.path.join(base, entry.falls_back_to))
        timings = tuple(Timing(**timing.model_dump()) for timing in entry.timing)
        pattern = entry.pattern.pattern() if entry.pattern else None
        tethers = tuple(
            replace(tether, file=_file_of(tether, base))
            for tether in (Tether(**tether.model_dump()) for tether in entry.tether)
        )
        fields = entry.model_dump(exclude={*_NESTED, *others})
        cards[place] = Card(
            path=place, parts=parts, timings=timings, pattern=pattern, tethers=tethers, **fields, **others
        )
    return tuple(cards.values())


def cards_text(cards: Iterable[Card]) -> str:
    """Cards as TOML, with only what they say. A path that is not text is left out, with a comment that says so."""
    import tomlkit

    document = tomlkit.document()
    document["format"] = CARDS_FORMAT
    array = tomlkit.aot()
    plain = Card(path="")
    for card in sorted(cards, key=lambda card: card.path):
        try:
            named = [card.path, card.name or "", card.why_not or "", card.collection or "", *card.keep_with]
            named.append(card.falls_back_to or "")
            places = [*(part.path for part in card.parts), *(each.file + each.key for each in card.tethers)]
            places += [each.path for each in card.pattern.folders] if card.pattern else []
            "".join([*named, *card.apart_from, *places]).encode("utf-8")
        except UnicodeEncodeError:
            document.add(tomlkit.comment(f"left out, because its name is not text: {shown(card.path)}"))
            continue
        entry: dict[str, Any] = {"path": card.path}
        for name in _CardEntry.model_fields:
            value = getattr(card, name, None)
            if name not in _NESTED and value is not None and value != getattr(plain, name):
                entry[name] = str(value) if isinstance(value, Kind) else list(value) if name in _OTHERS else value
        if card.parts:
            entry["part"] = [{"path": part.path, "name": part.name, "kind": str(part.kind)} for part in card.parts]
        if card.timings:
            entry["timing"] = [_without_nothing(asdict(each)) for each in card.timings]
        if card.pattern:
            entry["pattern"] = {**asdict(card.pattern), "folders": [asdict(each) for each in card.pattern.folders]}
        if card.tethers:
            entry["tether"] = [
                {name: str(text) for name, text in asdict(each).items() if text} for each in card.tethers
            ]
        array.append(tomlkit.item(entry))
    document["library"] = array
    return tomlkit.dumps(document)


def _file_of(tether: Tether, base: str) -> str:
    """The file of a tether in full; what a check looks at may lie in its library."""
    if not tether.file or tether.kind is TetherKind.CHECK:
        return tether.file
    return os.path.normpath(os.path.join(base, tether.file))


def _without_nothing(entry: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in entry.items() if value is not None and value is not False}
