"""Where new content goes, in words: the headline, a row's cells, and what there is to say of one kind."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from nuvik.core.model.clock import ago
from nuvik.core.model.landing import LandingRow, PlaceState
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.settings.find_settings import FoundSetting

LOGIN_WORDS = "programs that are open use it once they start again, at the latest after you next log in"


@dataclass(frozen=True, slots=True)
class LandingCells:
    """The texts of a row; all of them are safe to show."""

    kind: str
    now: str
    chosen: str
    programs: str
    newest: str
    asks: bool
    """Whether something is left to do."""


def landing_headline(rows: Sequence[LandingRow], labels: Mapping[str, str]) -> str:
    """How things stand with new content, in a sentence; `labels` are the drives' names by their ids."""
    if not rows:
        return "Nothing is known yet about where new content goes. Survey first, or choose a drive for a kind."
    broken = [row for row in rows if any(place.trouble for place in row.places)]
    due = [row for row in rows if row.kept and _is_due(row)]
    planned = [row for row in rows if row.chosen and not row.kept]
    if broken:
        trouble = next(place.trouble for place in broken[0].places if place.trouble)
        return f"{trouble} New {broken[0].kind} content may land elsewhere."
    astray = next((row for row in rows if row.kept and _astray(row)), None)
    if astray is not None and astray.chosen is not None:
        count = sum(_astray(astray).values())
        where = ", ".join(shown(labels.get(drive, drive)) for drive in _astray(astray))
        many = format_count(count, f"new {astray.kind} library", f"new {astray.kind} libraries")
        goal = shown(labels.get(astray.chosen.drive, astray.chosen.drive))
        return f"{many} landed on {where} since you chose {goal}: some program still puts them there."
    if due:
        kinds = ", ".join(row.kind for row in due)
        return f"Programs do not know yet where new content is to go: {kinds}."
    if planned:
        kinds = ", ".join(row.kind for row in planned)
        return f"This plan sends new content elsewhere ({kinds}); programs are told when you say so."
    if any(row.login_due for row in rows):
        return "Where new content goes has been set; programs that are open use it once they start again."
    chosen = sum(row.chosen is not None for row in rows)
    if not chosen:
        return "New content goes where it has always gone. Choose another folder for a kind."
    return f"You chose where new content goes for {format_count(chosen, 'kind')}."


def _astray(row: LandingRow) -> dict[str, int]:
    """How many libraries landed on other drives than the chosen one since then."""
    return {drive: count for drive, count in row.landed.items() if row.chosen and drive != row.chosen.drive}


def _is_due(row: LandingRow) -> bool:
    return any(place.state is PlaceState.DUE for place in row.places)


def landing_cells(row: LandingRow, labels: Mapping[str, str]) -> LandingCells:
    """What a table shows of a kind; `labels` are the drives' names by their ids."""
    settable = [place for place in row.places if not place.tether.kind.leaves_link]
    return LandingCells(
        kind=str(row.kind),
        now=shown(labels.get(row.now.drive, row.now.drive)) if row.now else "–",
        chosen=_chosen(row, labels),
        programs=_programs(row) if settable else "no setting known",
        newest=_newest(row, labels),
        asks=_is_due(row) or any(place.trouble for place in row.places),
    )


def _chosen(row: LandingRow, labels: Mapping[str, str]) -> str:
    if row.chosen is None:
        return "–"
    if row.now is not None and row.now.path == row.chosen.path:
        return "there already"
    return f"→ {shown(labels.get(row.chosen.drive, row.chosen.drive))}"


def _programs(row: LandingRow) -> str:
    states = {place.state for place in row.places if not place.tether.kind.leaves_link}
    if PlaceState.BROKEN in states or PlaceState.CHANGED in states:
        return "! changed since" if PlaceState.CHANGED in states else "! not readable"
    if PlaceState.DUE in states:
        return "not yet: press t"
    if row.login_due:
        return "✓ after next login"
    return "✓ use it" if PlaceState.OK in states else "–"


def _newest(row: LandingRow, labels: Mapping[str, str]) -> str:
    if row.landed:
        return f"since then {_landed(row, labels)}"
    if row.newest is None:
        return "–"
    when = ago(row.newest.newest_content or row.newest.last_used)
    drive = shown(labels.get(row.newest.drive, row.newest.drive))
    return f"on {drive}, {when}{'' if when in ('today', 'never') else ' ago'}"


def _landed(row: LandingRow, labels: Mapping[str, str]) -> str:
    return ", ".join(f"{count} on {shown(labels.get(drive, drive))}" for drive, count in row.landed.items())


def landing_lines(
    row: LandingRow, left: Sequence[tuple[Library, str]], labels: Mapping[str, str]
) -> Iterator[tuple[str, str]]:
    """All that is known of one kind as (name, words); `left` could move along."""
    if row.now is not None:
        yield "goes now to", f"{shown(row.now.path)}: {shown(row.now.reason)}"
    if row.chosen is not None:
        reason = f": {row.chosen.reason}" if row.chosen.reason else ""
        yield "is to go to", f"{shown(row.chosen.path)}{reason}"
    for place in row.places:
        name = f"setting {place.n}" if place.n else "system"
        if place.tether.kind.leaves_link:
            yield "link", f"{shown(place.tether.file)} leads to {shown(place.after)}"
        elif place.trouble:
            yield name, place.trouble
        else:
            value = f"“{shown(place.value)}”" if place.value else "nothing is written down"
            yield name, f"{shown(place.tether.key)} in {shown(place.tether.file)}: {value}"
    if row.login_due:
        yield "", LOGIN_WORDS
    if row.landed:
        yield "landed", f"{_landed(row, labels)}, since it was chosen"
    for folder in row.folders:
        takes = row.goal is not None and folder.path == row.goal.path
        count = format_count(folder.libraries, "library", "libraries")
        yield (
            f"{format_bytes(folder.bytes):>9}",
            f"{count} in {shown(folder.path)}{' ← takes new content' if takes else ''}",
        )
    if left:
        size = format_bytes(sum(library.on_disk_bytes for library, _ in left))
        yield "could follow", f"{format_count(len(left), 'library', 'libraries')}, {size}, from the old folder"


def setting_line(setting: FoundSetting) -> str:
    """A setting in which something was looked for, with where it stands."""
    line = f":{setting.line}" if setting.line else ""
    return f"{shown(setting.file)}{line}  {shown(setting.key)} = {shown(setting.value)}"
