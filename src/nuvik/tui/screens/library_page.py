"""Everything about a library, on a page over the stage: what is known of it, and what is inside."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, cast

from rich.console import Group
from rich.table import Table
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import VerticalScroll
from textual.widgets import Static

from nuvik.core.model.clock import ago
from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.library import Library
from nuvik.core.model.names import shorten, shown
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_bytes
from nuvik.core.stages.emptying import Emptiable, emptiable_of
from nuvik.core.views.emptying_sentences import done_words, emptying_question
from nuvik.core.views.fallback_sentences import newer_lines
from nuvik.core.views.library_page import BESIDE, Inner, inside_rows, library_page, links_in_words
from nuvik.core.views.opening_sentences import ever_read
from nuvik.core.views.waiting_rows import LEGEND
from nuvik.core.views.why_sentences import where_it_belongs, where_its_seconds_come_from, why_rows
from nuvik.tui.desk import Desk
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.over import Over
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.foot import Foot

if TYPE_CHECKING:
    from nuvik.core.model.opening import Warm
    from nuvik.core.planning.drafting.why import Why
    from nuvik.tui.shell import Shell

_BAR_CELLS, _TIME_CELLS, _ROWS, _LINKS, _NAME_CELLS = 24, 30, 14, 6, 13


class LibraryPage(Over[None]):
    """Closed by Esc; `e` edits its card. What is inside is looked at again, beside the page."""

    BINDINGS = [
        Binding("escape,i,q,enter", "dismiss", "close"),
        Binding("e", "edit", "edit its card"),
        Binding("s", "split", "split"),
        Binding("x", "empty", "empty"),
        Binding("f", "tethers", "how programs find it"),
        Binding("o", "record", "record an opening"),
        Binding("a", "place_apart", "place a part apart"),
        Binding("k", "compare", "compare with its fallback"),
    ]

    def __init__(self, library: Library, desk: Desk) -> None:
        super().__init__()
        self._library, self._desk, self._stop = library, desk, Stop()
        self._fallback = desk.snapshot.fallback_of(library)
        self._cold: tuple[str, ...] = ()
        """Large folders in it that no recorded opening read, and that are no parts of it yet."""

    def compose(self) -> ComposeResult:
        with VerticalScroll(id="page"):
            yield Static(self._lines(), id="lines")
            yield Static(id="newer")
            yield Static(Text("working out where it belongs …", style=palette_of(self.app.theme).quiet), id="why")
            yield Static(Text("looking inside …", style=palette_of(self.app.theme).quiet), id="inside")
            yield Foot(
                "\ne edits its card · f how programs find it once moved · o records an opening\n"
                "s makes each folder a library"
                f"{' · x empties what programs can rebuild' if emptiable_of(self._library) else ''}"
                f"{' · k compares it with its fallback' if self._fallback else ''} · Esc closes"
            )

    def on_mount(self) -> None:
        self.run_worker(self._look_inside, thread=True, exit_on_error=False)
        self.run_worker(self._ask_why, thread=True, exit_on_error=False)

    def _ask_why(self) -> None:
        """Where it belongs rests on a proposal for the whole household, which takes a while."""
        try:
            show = partial(self._show_why, self._desk.workspace.plan.why(self._library))
        except NuvikError as trouble:
            show = partial(self._say, "#why", str(trouble))
        self.app.call_from_thread(show)

    def _show_why(self, why: Why) -> None:
        if not self.is_mounted:
            return
        palette = palette_of(self.app.theme)
        columns = Table.grid(padding=(0, 2))
        names = ("", "opens in", "", "a week", "per GB", "")
        columns.add_row(*(Text(name, style=palette.quiet, justify="right") for name in names))
        for number, column in enumerate(columns.columns):
            column.no_wrap = number < len(names) - 1
        for row in why_rows(why, _TIME_CELLS):
            note = row.obstacle or (row.between and f"from {row.between}")
            columns.add_row(
                Text(row.drive),
                Text(row.opens_in, justify="right"),
                Text(row.bar, style=palette.accent),
                Text(row.a_week, justify="right"),
                Text(row.worth, justify="right"),
                Text(note, style=palette.quiet),
            )
        table = _named_lines()
        table.add_row(Text("belongs", style=palette.quiet), Text(where_it_belongs(why)))
        table.add_row(Text("its seconds", style=palette.quiet), Text(where_its_seconds_come_from(why)))
        self.query_one("#why", Static).update(Group(table, "", columns, Text(LEGEND, style=palette.quiet), ""))

    def on_unmount(self) -> None:
        self._stop.ask()

    def _look_inside(self) -> None:
        try:
            folder = self._desk.workspace.survey.folders_in(self._library, self._stop)
            warm = self._desk.workspace.openings.warm_in(self._library, folder)
            show = partial(self._show_inside, inside_rows(folder), links_in_words(folder, _LINKS), warm)
        except StopRequested:
            return
        except NuvikError as trouble:
            show = partial(self._say, "#inside", str(trouble))
        self.app.call_from_thread(show)

    def _say(self, where: str, words: str) -> None:
        if self.is_mounted:
            self.query_one(where, Static).update(Text(words))

    def _show_inside(self, rows: list[Inner], links: list[str], warm: list[Warm]) -> None:
        if not self.is_mounted:
            return
        read = {part.name or BESIDE: part.read_bytes for part in warm}
        palette, hue = palette_of(self.app.theme), palette_of(self.app.theme).kinds[self._library.kind]
        table = Table.grid(padding=(0, 2))
        parts = {part.path for part in self._library.parts}
        for row in rows[:_ROWS]:
            bar = Text("━" * max(1, round(_BAR_CELLS * row.share)), style=hue)
            name = Text(shorten(row.name, 46))
            if row.name in parts:
                name.append("  part", style=palette.accent)
            table.add_row(
                Text(f"{format_bytes(row.bytes):>9}"),
                bar,
                Text(f"{row.share:>4.0%}", style=palette.quiet),
                name,
                Text(f"{row.files:,} files", style=palette.quiet, justify="right"),
                Text(ago(row.last_used) if row.last_used else "", style=palette.quiet),
                Text(_how_much_read(read.get(row.name)) if warm else "", style=palette.quiet),
            )
        if len(rows) > _ROWS:
            rest = rows[_ROWS:]
            table.add_row(
                Text(f"{format_bytes(sum(row.bytes for row in rest)):>9}"),
                "",
                "",
                Text(f"in {len(rest)} more", style=palette.quiet),
            )
        for words in links:
            table.add_row("", "", Text("link", style=palette.quiet), Text(words))
        self._cold = tuple(part.name for part in warm if part.may_go_apart and part.name not in parts)
        read_words = Text(f"{ever_read(warm)}.\n" if warm else "")
        if self._cold:
            names = ", ".join(shown(name) for name in self._cold)
            read_words.append(
                f"No opening needs {names}: a lets it be placed apart, on a slower drive.\n", palette.look
            )
        self.query_one("#inside", Static).update(Group(read_words, table) if rows else Text("It is empty."))

    def _lines(self) -> Table:
        palette, library, snapshot = palette_of(self.app.theme), self._library, self._desk.snapshot
        table = _named_lines()
        title = Text.assemble((f" {library.kind.letter} ", f"{palette.letter} on {palette.kinds[library.kind]}"), " ")
        title.append(shown(library.name), style=f"bold {palette.accent}")
        table.add_row("", title)
        for name, words in library_page(library, snapshot):
            grave = name == "may it move?" and not library.movable
            style = palette.look if grave else palette.text
            table.add_row(Text(name, style=palette.quiet, no_wrap=True), Text(words, style=style))
        table.add_row("", "")
        return table

    def action_split(self) -> None:
        shell = cast("Shell", self.app)
        try:
            self._desk.workspace.survey.split(self._library, self._desk.snapshot.drives)
        except NuvikError as trouble:
            shell.complain(trouble)
            return
        self.notify(f"Each folder in {shown(self._library.name)} is a library from now on.", markup=False)
        self.dismiss()
        shell.survey_job.look_again()

    def action_empty(self) -> None:
        """Empty what programs can rebuild of it, after asking: all of a cache, or one of its parts."""
        able = emptiable_of(self._library)
        if not able:
            self.notify("No program is known to rebuild it: it can be moved, but not emptied.")
        elif len(able) == 1:
            self._ask_to_empty(able[0])
        else:
            offers = dict(zip("abcdefghijklmnopqrstuvwxyz", able, strict=False))
            choices = [(key, f"{format_bytes(each.bytes):>9}  {shown(each.name)}") for key, each in offers.items()]
            menu = Menu("Which of these is to be emptied?", choices)
            self.app.push_screen(menu, lambda key: self._ask_to_empty(offers[key]) if key else None)

    def _ask_to_empty(self, wanted: Emptiable) -> None:
        def answered(agreed: bool | None) -> None:
            if not agreed:
                return
            self.run_worker(lambda: self._empty(wanted), thread=True, exit_on_error=False)

        self.app.push_screen(Confirm(emptying_question(wanted), "empty it"), answered)

    def _empty(self, wanted: Emptiable) -> None:
        """Beside the page: a drive may have to wake up."""
        try:
            emptied = self._desk.workspace.emptying.set_aside(wanted)
        except NuvikError as trouble:
            self.app.call_from_thread(cast("Shell", self.app).complain, trouble)
            return
        self.app.call_from_thread(self._emptied, done_words(emptied))

    def _emptied(self, words: str) -> None:
        self.notify(f"{words} E in Logbook lets it go, or puts it back.", markup=False)
        if self.is_mounted:
            self.dismiss()
        cast("Shell", self.app).survey_job.look_again()

    def action_tethers(self) -> None:
        from nuvik.tui.screens.tether_choice import TetherChoice

        self.dismiss()
        self.app.push_screen(TetherChoice(self._library, self._desk))

    def action_place_apart(self) -> None:
        """Let a large folder that no opening ever read be a part, which can be placed on its own."""
        if not self._cold:
            self.notify("No large folder is known that its recorded openings never read: o records an opening.")
        elif len(self._cold) == 1:
            self._place_apart(self._cold[0])
        else:
            offers = dict(zip("abcdefghijklmnopqrstuvwxyz", self._cold, strict=False))
            menu = Menu("Which folder may be placed apart?", [(key, shown(name)) for key, name in offers.items()])
            self.app.push_screen(menu, lambda key: self._place_apart(offers[key]) if key else None)

    def _place_apart(self, name: str) -> None:
        self.run_worker(partial(self._keep_apart, name), thread=True, exit_on_error=False)

    def _keep_apart(self, name: str) -> None:
        """Beside the page: a drive may have to wake up."""
        shell = cast("Shell", self.app)
        try:
            self._desk.workspace.openings.place_apart(self._library, name)
        except NuvikError as trouble:
            self.app.call_from_thread(shell.complain, trouble)
            return
        self.app.call_from_thread(self._kept_apart, name)

    def _kept_apart(self, name: str) -> None:
        where = f"{shown(name)} in {shown(self._library.name)}"
        self.notify(f"{where} is a part now: Plan may put it on another drive (p there).", markup=False)
        if self.is_mounted:
            self.dismiss()
        cast("Shell", self.app).survey_job.look_again()

    def action_compare(self) -> None:
        """What is newer where, in it or in its fallback."""
        if self._fallback is None:
            self.notify("It has no fallback: e names one on its card.")
            return
        self.query_one("#newer", Static).update(Text("comparing …", style=palette_of(self.app.theme).quiet))
        self.run_worker(partial(self._compare, self._fallback), thread=True, exit_on_error=False)

    def _compare(self, fallback: Library) -> None:
        try:
            newer = self._desk.workspace.survey.newer_where(self._library, fallback, self._stop)
            words = "\n".join(newer_lines(newer))
        except StopRequested:
            return
        except NuvikError as trouble:
            words = str(trouble)
        self.app.call_from_thread(self._say, "#newer", f"{words}\n")

    def action_record(self) -> None:
        """Watch what it reads when it is opened."""
        from nuvik.tui.screens.record_opening import RecordSheet

        self.dismiss()
        self.app.push_screen(RecordSheet(self._library, self._desk))

    def action_edit(self) -> None:
        from nuvik.tui.screens.card_form import CardForm

        self.dismiss()
        self.app.push_screen(CardForm(self._library, self._desk))


def _how_much_read(count: int | None) -> str:
    return "not read" if not count else f"{format_bytes(count)} read"


def _named_lines() -> Table:
    """An empty table for names and what is said of them, as wide as the others of the page."""
    table = Table.grid(padding=(0, 2))
    table.add_column(no_wrap=True, min_width=_NAME_CELLS)
    table.add_column()
    return table
