"""A story of a drive, step by step, over the stage: Enter does the next step, and the stage or page for it opens."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, cast

from rich.text import Text
from textual.binding import Binding
from textual.widgets import Static

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.guide import Guide, Story, Task
from nuvik.core.model.names import shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_count
from nuvik.core.views.away_sentences import without
from nuvik.core.views.ejecting_sentences import eject_question, ejected_sentence
from nuvik.core.views.guide_sentences import STORIES, guide_headline, guide_rows
from nuvik.core.views.note_sentences import adoptable_line, arrival_sentence
from nuvik.tui.desk import Desk
from nuvik.tui.key_words import by_keys
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.drive_card import DriveCard
from nuvik.tui.screens.sheet import Sheet
from nuvik.tui.theme import palette_of

if TYPE_CHECKING:
    from nuvik.core.model.drive_note import Adoptable
    from nuvik.core.planning.drafting.draft import Draft
    from nuvik.tui.shell import Shell

_LISTED = 8


class GuidePage(Sheet):
    """What is done is looked up each time it comes to view again, so that it can be left at any step."""

    BINDINGS = [
        Binding("escape,q", "leave", "close"),
        Binding("enter", "do_next", "do the next step"),
        *(Binding(str(number), f"do({number})", f"step {number}") for number in range(1, 7)),
    ]
    FOOT = "Enter does the step marked ▸ · 1 to 5 do another · Esc closes this; come back at any time"

    def __init__(self, story: Story, drive: Drive, desk: Desk) -> None:
        super().__init__(desk)
        self._story, self._drive = story, drive
        self._guide: Guide | None = None
        self._stop: Stop | None = None
        self._note = ""
        """What is going on, or what came of it."""

    def on_screen_resume(self) -> None:
        self._look()

    def words(self) -> Text:
        text, palette = Text(), palette_of(self.app.theme)
        what = STORIES[self._story]
        self.add_title(text, f"{what[0].upper()}{what[1:]}")
        if self._guide is None:
            text.append("looking …\n", style=palette.quiet)
            return text
        text.append(f"{guide_headline(self._guide)}\n\n", style=palette.text)
        for row in guide_rows(self._guide):
            style = f"bold {palette.accent}" if row.is_next else palette.quiet if row.done else palette.text
            text.append(f"{row.mark} {row.n}  {row.what}\n", style=style)
            if row.says:
                text.append(f"     {by_keys(row.says)}\n", style=palette.quiet)
        if self._note:
            text.append(f"\n{self._note}\n", style=palette.text)
        return text

    def action_leave(self) -> None:
        """Reading a drive is stopped first; once more leaves, too, where it does not end."""
        if self._stop is not None and not self._stop.asked:
            self._stop.ask()
        else:
            self.dismiss()

    def action_do_next(self) -> None:
        if self._guide is not None and self._guide.next is not None:
            self._do(self._guide.next.task)
        elif self._guide is not None:
            self.dismiss()

    def action_do(self, number: int) -> None:
        if self._guide is not None and number <= len(self._guide.steps):
            self._do(self._guide.steps[number - 1].task)

    # -- what the steps do ---------------------------------------------------------------------------------

    def _do(self, task: Task) -> None:
        shell = cast("Shell", self.app)
        if self._stop is not None:
            self.notify("A drive is being read. Esc stops that.")
        elif task in (Task.NAME, Task.FORMAT):
            self.app.push_screen(DriveCard(self._drive, self.desk, new=False))
        elif task is Task.MEASURE:
            self.dismiss()
            shell.gauge_job.begin_with(self._drive)
        elif task is Task.LAND:
            from nuvik.tui.screens.landings import LandingsPage

            self.app.push_screen(LandingsPage(self.desk), lambda _: self._look())
        elif task is Task.SURVEY:
            self.dismiss()
            shell.survey_job.begin()
        elif task is Task.GATHER and self._story is Story.TO_COMPUTER:
            self._beside("working out what fits …", self._gather)
        elif task in (Task.GATHER, Task.SPREAD):
            self.dismiss()
            shell.go("plan")
            self.notify("a proposes moves; l picks up the library at the cursor.")
        elif task is Task.NOTE:
            self._beside("reading everything on it …", self._write_note)
        elif task is Task.EJECT:
            (row,) = without(self.desk.snapshot, self._drive.id)
            self.app.push_screen(Confirm(eject_question(row), "eject it"), self._eject)
        elif task is Task.READ_NOTE:
            self._look()
        elif task is Task.ADOPT:
            self._beside("comparing what arrived …", self._compare)

    def _gather(self, stop: Stop) -> None:
        going, staying = self.desk.workspace.plan.all_to(self._drive)
        draft = self.desk.workspace.plan.draft(going) if going else None
        self._then(partial(self._gathered, draft, len(going), len(staying)))

    def _gathered(self, draft: Draft | None, going: int, staying: int) -> None:
        if draft is None:
            self._say(f"Nothing that may move fits on {shown(self._drive.label)}.")
            return
        self.desk.edit(draft)
        self.dismiss()
        cast("Shell", self.app).go("plan")
        rest = f"; {staying} more do not fit" if staying else ""
        count = format_count(going, "move")
        self.notify(
            f"The plan has {count} to {shown(self._drive.label)}{rest}. Put back what is to stay.", markup=False
        )

    def _eject(self, agreed: bool | None) -> None:
        if agreed:
            self._beside("letting it go …", self._let_go)

    def _let_go(self, stop: Stop) -> None:
        ejected = self.desk.workspace.ejecting.eject(self._drive, stop=stop)
        self._then(partial(self._say, ejected_sentence(ejected)))

    def _write_note(self, stop: Stop) -> None:
        stage = self.desk.workspace.notes
        stage.write(self._drive, stage.make(self._drive, True, self._reading, stop))
        self._then(partial(self._say, "The note is written."))

    def _compare(self, stop: Stop) -> None:
        stage = self.desk.workspace.notes
        rows = stage.compare(self._drive, stage.read(self._drive), (), True, self._reading, stop)
        self._then(partial(self._compared, rows))

    def _compared(self, rows: list[Adoptable]) -> None:
        """Only after the user saw what arrived, cards are taken over."""
        lines = [arrival_sentence(rows), *(adoptable_line(row) for row in rows[:_LISTED])]
        if len(rows) > _LISTED:
            lines.append(f"and {len(rows) - _LISTED} more")
        self._say(lines[0])
        question = "\n".join([*lines, "", "Take over what is known of those that are there? Nothing is moved."])
        self.app.push_screen(Confirm(question, "take over"), partial(self._adopt, rows))

    def _adopt(self, rows: list[Adoptable], agreed: bool | None) -> None:
        if agreed:
            self._beside("taking over …", lambda stop: self._take_over(rows))

    def _take_over(self, rows: list[Adoptable]) -> None:
        count = self.desk.workspace.notes.adopt(self._drive, rows)
        self._then(partial(self._say, f"{format_count(count, 'card')} taken over."))

    # -- beside the screen ---------------------------------------------------------------------------------

    def _look(self) -> None:
        self.run_worker(self._look_beside, thread=True, exit_on_error=False)

    def _look_beside(self) -> None:
        try:
            drive = self.desk.workspace.drives.find(self._drive.id)
            guide = self.desk.workspace.guides.guide(self._story, drive)
        except NuvikError as trouble:
            self.app.call_from_thread(self._say, str(trouble), False)
            return
        self.app.call_from_thread(self._looked, guide)

    def _looked(self, guide: Guide) -> None:
        self._guide, self._drive = guide, guide.drive
        self._draw()

    def _beside(self, words: str, act: Callable[[Stop], None]) -> None:
        self._stop = Stop()
        self._note = f"{words} Esc stops it."
        self._draw()
        self.run_worker(partial(self._guarded, act, self._stop), thread=True, exit_on_error=False)

    def _guarded(self, act: Callable[[Stop], None], stop: Stop) -> None:
        try:
            act(stop)
        except StopRequested:
            self._then(partial(self._say, "Stopped: nothing was changed."))
        except NuvikError as trouble:
            self._then(partial(self._say, str(trouble)))

    def _then(self, act: Callable[[], None]) -> None:
        self.app.call_from_thread(self._ended, act)

    def _ended(self, act: Callable[[], None]) -> None:
        self._stop = None
        if self.is_mounted:
            act()

    def _reading(self, name: str, done: int, total: int) -> None:
        words = f"reading {shown(name)}, {done / max(1, total):.0%} of all. Esc stops it."
        self.app.call_from_thread(self._say, words, False)

    def _say(self, words: str, look: bool = True) -> None:
        self._note = words
        self._draw()
        if look:
            self._look()

    def _draw(self) -> None:
        if self.is_mounted:
            self.query_one("#lines", Static).update(self.words())
