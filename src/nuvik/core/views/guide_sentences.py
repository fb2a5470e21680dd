"""Guides in words: what each step asks for, what came of it, and the command for it."""

from __future__ import annotations

from dataclasses import dataclass

from nuvik.core.model.guide import Guide, Story, Task
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count, format_speed

STORIES: dict[Story, str] = {
    Story.NEW_DRIVE: "put a new drive to use",
    Story.TO_COMPUTER: "take libraries to another computer",
    Story.FROM_COMPUTER: "take over libraries that came from another computer",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class GuideRow:
    """A step of a guide, as it is shown."""

    n: int
    """Its number, from 1."""
    task: Task
    """What it asks for."""
    done: bool
    """Whether it is done, as things are."""
    is_next: bool
    """It is the first that is not done."""
    what: str
    """The same, in words."""
    says: str
    """What came of it, or more about it."""
    command: str
    """What does it."""

    @property
    def mark(self) -> str:
        """✓ for a step that is done, ▸ for the next, else a blank."""
        return "✓" if self.done else "▸" if self.is_next else " "


def guide_headline(guide: Guide) -> str:
    """How far it is."""
    label, done = shown(guide.drive.label), sum(step.done for step in guide.steps)
    if guide.next is None:
        return f"{label}: all {len(guide.steps)} steps are done."
    return f"{label}: {done} of {format_count(len(guide.steps), 'step is', 'steps are')} done."


def guide_rows(guide: Guide) -> list[GuideRow]:
    """The steps in order."""
    return [
        GuideRow(
            n=number,
            task=step.task,
            done=step.done,
            is_next=step == guide.next,
            what=_what(guide, step.task),
            says=_says(guide, step.task, step.done),
            command=_command(guide, step.task),
        )
        for number, step in enumerate(guide.steps, start=1)
    ]


def _what(guide: Guide, task: Task) -> str:
    label, new = shown(guide.drive.label), guide.story is Story.NEW_DRIVE
    return {
        Task.NAME: "Name it, and say what it is for and how much should stay free",
        Task.FORMAT: "See whether its file system fits",
        Task.MEASURE: "Measure how fast it is",
        Task.LAND: "Let new content go there",
        Task.SURVEY: "Survey, so that Nuvik knows your libraries",
        Task.GATHER: "Move the first libraries onto it" if new else f"Move what is to go onto {label}",
        Task.NOTE: "Write its note, with checksums, for the other computer",
        Task.EJECT: "Eject it, and attach it to the other computer",
        Task.READ_NOTE: "Find the note that the other computer wrote on it",
        Task.ADOPT: "Compare what arrived, and take over what is known of it",
        Task.SPREAD: "Move to your fast drive what belongs there",
    }[task]


def _says(guide: Guide, task: Task, done: bool) -> str:
    drive, note = guide.drive, guide.note
    if task is Task.FORMAT:
        return guide.advice
    if task is Task.READ_NOTE and not done:
        return f"On the other computer, “nuvik note {shown(drive.id)} --checksums --yes” writes it."
    if not done:
        return ""
    on_it = f"{format_count(guide.libraries, 'library is', 'libraries are')} on it, {format_bytes(guide.bytes)}."
    noted = (
        f"As of {note.written_at[:10]}: {format_count(len(note.libraries), 'library', 'libraries')}." if note else ""
    )
    return {
        Task.MEASURE: f"It reads {format_speed(drive.read_bytes_per_s)}, which is {drive.tier}.",
        Task.LAND: f"New content of the kind {', '.join(guide.lands)}.",
        Task.GATHER: on_it,
        Task.NOTE: noted,
        Task.READ_NOTE: noted,
        Task.ADOPT: f"{guide.adopted} of {len(note.libraries) if note else 0} are known here.",
        Task.SPREAD: f"{format_count(guide.moved, 'library was', 'libraries were')} moved off it.",
    }.get(task, "")


def _command(guide: Guide, task: Task) -> str:
    name = shown(guide.drive.id)
    spread = "nuvik propose -o moves.nuvik-plan.json, then nuvik carry moves.nuvik-plan.json --yes"
    gather = f"nuvik draft --all-to {name} -o travel.nuvik-plan.json, then nuvik carry travel.nuvik-plan.json --yes"
    return {
        Task.NAME: f"nuvik drive {name} --name NAME --headroom 10% --welcomes KIND",
        Task.FORMAT: f"nuvik advise {name}",
        Task.MEASURE: f"nuvik gauge {name}",
        Task.LAND: f"nuvik landing KIND {name}",
        Task.SURVEY: "nuvik survey",
        Task.GATHER: spread if guide.story is Story.NEW_DRIVE else gather,
        Task.NOTE: f"nuvik note {name} --checksums --yes",
        Task.EJECT: f"nuvik eject {name}",
        Task.READ_NOTE: f"nuvik adopt {name}",
        Task.ADOPT: f"nuvik adopt {name} --check --yes",
        Task.SPREAD: spread,
    }[task]
