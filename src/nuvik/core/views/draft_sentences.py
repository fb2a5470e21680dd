"""A draft in words: how it stands, what one edit would change, and the line of totals that is always true."""

from __future__ import annotations

import os
from collections.abc import Sequence

from nuvik.core.model.errors import Refused
from nuvik.core.model.library import Library
from nuvik.core.model.names import shown
from nuvik.core.model.tether import TetherKind
from nuvik.core.model.units import (
    and_more,
    format_bytes,
    format_count,
    format_duration,
    format_free,
    free_from_to,
    from_to,
    instead_of,
)
from nuvik.core.planning.drafting.draft import Draft
from nuvik.core.planning.drafting.recommendation import Recommendation
from nuvik.core.planning.placement.limits import why_cannot
from nuvik.core.planning.placement.main_tether import main_tether
from nuvik.core.planning.placement.waiting import opening_s
from nuvik.core.views.recommendation_sentences import recommendation_sentences
from nuvik.core.views.waiting_rows import how_known


def draft_headline(draft: Draft) -> str:
    """The one sentence with which Plan begins, for a draft made by hand."""
    if not draft.places:
        if draft.suspended:
            return f"Nothing moves now: {suspended_words(draft)}. Attach it, and the plan goes on from there."
        return _nothing_yet(draft)
    made = [breach for breach in draft.breaches if breach.by_edit]
    if made:
        return f"This plan does not work yet: {made[0].words}{and_more(len(made) - 1, 'problem')}."
    moves = f"{format_count(len(draft.loads), 'move')}, {_size(draft)}."
    if draft.arranged_quickly.stuck:
        return f"{moves} No order was found right away: rehearse it, and Nuvik searches longer."
    if draft.breaches:
        return f"{moves} Still: {draft.breaches[0].words}{and_more(len(draft.breaches) - 1, 'problem')}."
    return f"{moves} Every drive keeps its headroom: rehearse it."


def _nothing_yet(draft: Draft) -> str:
    short = max(draft.drives, key=lambda drive: drive.short_of_headroom_bytes, default=None)
    if short is not None and short.short_of_headroom_bytes:
        return (
            f"Nothing moves yet. {shown(short.label)} needs {format_bytes(short.short_of_headroom_bytes)} "
            "more free space: pick up a library and put it elsewhere."
        )
    if draft.breaches:
        return f"Nothing moves yet, and {draft.breaches[0].words}: press a to ask what belongs where."
    return "Nothing moves yet: pick up a library and put it on another drive."


def _size(draft: Draft) -> str:
    return format_bytes(sum(load.library.on_disk_bytes for load in draft.loads))


def totals(draft: Draft) -> str:
    """A line that is always true: waiting before → after, moves, bytes, and what becomes free."""
    now, then = draft.waiting
    words = f"waiting {from_to(now.in_words(), then.in_words())} a week"
    guessed = [
        shown(drive.label) for drive in draft.drives if drive.id in _used(draft) and drive.speed_source == "typical"
    ]
    if guessed:
        words += f" ({', '.join(guessed)} never measured)"
    words += f" · {format_count(len(draft.loads), 'move')} · {_size(draft)}"
    if staged := draft.arranged_quickly.staged_bytes:
        words += f" · {format_bytes(staged)} of it twice, via a third drive"
    for drive in draft.drives:
        free = draft.free_then_bytes(drive.id)
        if drive.attached and free != drive.free_bytes:
            words += f" · {shown(drive.label)} {free_from_to(drive.free_bytes, free)}"
    if draft.suspended:
        words += f" · {suspended_words(draft)}"
    if draft.landings:
        words += f" · new content of {format_count(len(draft.landings), 'kind')} goes elsewhere"
    return words


def suspended_words(draft: Draft) -> str:
    """Which moves wait until a drive is attached again."""
    away = {
        place
        for library_id, goal in draft.suspended.items()
        for place in (draft.library(library_id).drive, goal)
        if not draft.drive(place).attached
    }
    labels = ", ".join(shown(draft.drive(place).label) for place in sorted(away))
    count = len(draft.suspended)
    return f"{format_count(count, 'move')} wait{'s' if count == 1 else ''} for {labels}"


def _used(draft: Draft) -> set[str]:
    """The drives between which something moves."""
    return {drive.id for load in draft.loads for drive in (load.source, load.target)}


def consequence(draft: Draft, library: Library, drive_id: str) -> str:
    """A line: what putting this library down on that drive would change."""
    drive, here = draft.drive(drive_id), draft.drive(draft.place_of(library))
    if drive.id == here.id:
        if library.id not in draft.places:
            return f"{shown(library.name)} is on {shown(drive.label)}."
        return f"{goes_to(draft, library)}."
    try:
        then = draft.put_down(library.id, drive_id)
    except Refused as refusal:
        return str(refusal)
    opens = [format_duration(opening_s(library, place)) for place in (drive, here)]
    words = (
        f"{shown(library.name)} {shown(here.label)} → {shown(drive.label)}: {format_bytes(library.on_disk_bytes)}; "
        f"opens in {instead_of(opens[0], opens[1])} ({how_known(library)}); leaves "
        f"{format_free(then.free_then_bytes(drive.id))} on {shown(drive.label)}"
    )
    why = why_cannot(library, drive, draft.drive(library.drive)) if drive.id != library.drive else None
    return words + (f"; not possible: {why}." if why else _new_breach(draft, then))


def goes_to(draft: Draft, library: Library) -> str:
    """Which drive and which folder on it a library goes to, without a stop at the end."""
    drive, body = draft.drive(draft.place_of(library)), draft.body_of(library)
    if body is not None and draft.place_of(body) == drive.id:
        return f"{shown(library.name)} goes along with {shown(body.name)} to {shown(drive.label)}"
    path = os.path.relpath(draft.target_of(library), drive.path)
    return f"{shown(library.name)} goes to {shown(drive.label)}, {shown(path)}"


def consequence_of_all(draft: Draft, library_ids: Sequence[str], drive_id: str) -> str:
    """A line: what putting these libraries down on that drive would change."""
    if len(library_ids) == 1:
        return consequence(draft, draft.library(library_ids[0]), drive_id)
    drive = draft.drive(drive_id)
    try:
        then = draft.put_down_all(library_ids, drive_id)
    except Refused as refusal:
        return str(refusal)
    size = sum(draft.library(library_id).on_disk_bytes for library_id in library_ids)
    return (
        f"{len(library_ids)} libraries → {shown(drive.label)}: {format_bytes(size)}; waiting "
        f"{from_to(draft.waiting[1].in_words(), then.waiting[1].in_words())} a week; leaves "
        f"{format_free(then.free_then_bytes(drive_id))} on {shown(drive.label)}{_new_breach(draft, then)}"
    )


def consequence_of_swap(draft: Draft, ones: Sequence[str], others: Sequence[str]) -> str:
    """A line: what letting these libraries change places would change."""
    try:
        then = draft.swapped(ones, others)
    except Refused as refusal:
        return str(refusal)
    names = " ⇄ ".join(shown(draft.library(group[0]).name) for group in (ones, others))
    return (
        f"{names}: waiting {from_to(draft.waiting[1].in_words(), then.waiting[1].in_words())} a week"
        f"{_new_breach(draft, then)}"
    )


def _new_breach(before: Draft, after: Draft) -> str:
    """The end of a line: what the edit would break, if anything."""
    known = {(breach.drive, breach.libraries) for breach in before.breaches}
    new = [breach for breach in after.breaches if (breach.drive, breach.libraries) not in known]
    worse = [breach for breach in after.breaches if breach.drive and breach.by_edit and breach not in before.breaches]
    wrong = (new or worse)[:1]
    return f"; then {wrong[0].words}." if wrong else "."


def plan_screen_headline(draft: Draft, recommendation: Recommendation | None) -> str:
    """The one sentence with which Plan begins: of the recommendation while the draft follows it, else of the draft."""
    repair = " m fixes it with the fewest moves." if draft.breaches else ""
    if recommendation is not None and recommendation.is_followed_by(draft):
        return f"{recommendation_sentences(recommendation)}{repair}"
    return f"{draft_headline(draft)}{repair}"


def library_note(draft: Draft, recommendation: Recommendation | None, library: Library, drive_id: str) -> str:
    """What a list of a drive's libraries says beside one: what is wrong with its place, where it goes, and why."""
    wrong = next((breach.words for breach in draft.breaches if library.id in breach.libraries), "")
    if wrong:
        return f"✗ {wrong}"
    place = draft.places.get(library.id)
    if place is None and library.id in draft.suspended:
        goal, here = draft.drive(draft.suspended[library.id]), draft.drive(library.drive)
        away = goal if not goal.attached else here
        return f"→ {goal.label}, once {away.label} is attached"
    if place is None:
        if not library.movable:
            return f"stays: {library.why_not}"
        return (recommendation.why_kept(draft, library.id) if recommendation else None) or ""
    goes = library.drive == drive_id
    way = f"→ {draft.drive(place).label}" if goes else f"comes from {draft.drive(library.drive).label}"
    reason = recommendation.reason_for(draft, library.id) if recommendation else None
    tethers = f" ({tether_words(draft, library)})" if library.tethers else ""
    return f"{way}{tethers}: {reason}" if reason else f"{way}{tethers}"


def moves_of_draft(draft: Draft, recommendation: Recommendation | None) -> list[tuple[str, str]]:
    """Each move of a draft, as (library, what it is): largest first."""
    labels = {drive.id: shown(drive.label) for drive in draft.drives}
    rows = []
    for load in sorted(draft.loads, key=lambda load: -load.library.on_disk_bytes):
        reason = recommendation.reason_for(draft, load.library.id) if recommendation else None
        way = f"{labels[load.source.id]} → {labels[load.target.id]}"
        words = f"{format_bytes(load.library.on_disk_bytes):>9}  {way}"
        rows.append((shown(load.library.name), f"{words}  {reason}" if reason else words))
    return rows


_TETHER_WORDS = {
    TetherKind.STANDARD_FOLDER: "your standard folder",
    TetherKind.SHORTCUT: "a menu entry",
    TetherKind.BY_HAND: "what you do by hand",
}


def tether_words(draft: Draft, library: Library) -> str:
    """What is going to keep programs finding a library that moves, such as `a link and 2 settings`."""
    first = main_tether(library, draft.drive(library.drive))
    settings = sum(tether.kind is TetherKind.SETTING for tether in library.tethers)
    words = ["a link"] if first is TetherKind.LINK else []
    words += [format_count(settings, "setting")] if settings else []
    words += dict.fromkeys(_TETHER_WORDS[each.kind] for each in library.tethers if each.kind in _TETHER_WORDS)
    return " and ".join(words) or "nothing: it leaves no link"


def cursor_sentence(draft: Draft, recommendation: Recommendation | None, library: Library) -> str:
    """A line on the library at the cursor: what is wrong, where it goes and why, or why it stays; and the key."""
    if not library.movable:
        return f"{shown(library.name)} stays: {library.why_not}."
    wrong = next((breach.words for breach in draft.breaches if library.id in breach.libraries), "")
    reason = recommendation.reason_for(draft, library.id) if recommendation else None
    kept = recommendation.why_kept(draft, library.id) if recommendation else None
    if wrong:
        sentence = f"{wrong[0].upper()}{wrong[1:]}. m fixes it."
    elif reason:
        sentence = f"{goes_to(draft, library)}: {reason}."
    elif kept:
        sentence = f"{shown(library.name)} stays: {kept}."
    else:
        sentence = consequence(draft, library, draft.place_of(library))
    if library.id in draft.places:
        sentence += f" Programs find it by {tether_words(draft, library)}."
    return f"{sentence} l picks it up."
