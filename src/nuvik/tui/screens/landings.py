"""The page of landings: for each kind, where new content goes now, where it is to go, and whether programs know."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, TypeVar, cast

from rich.table import Table
from rich.text import Text
from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical, VerticalScroll
from textual.widgets import DataTable, Static

from nuvik.core.model.errors import NuvikError, StopRequested
from nuvik.core.model.landing import LandingRow
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import column, shorten, shown
from nuvik.core.model.plan import Landing
from nuvik.core.model.progress import Stop
from nuvik.core.model.units import format_count
from nuvik.core.views.landing_sentences import landing_cells, landing_headline, landing_lines, setting_line
from nuvik.core.views.tether_sentences import change_lines
from nuvik.tui.desk import Desk
from nuvik.tui.screens.confirm import Confirm
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.over import Over
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.foot import Foot
from nuvik.tui.widgets.pointed_table import PointedTable

if TYPE_CHECKING:
    from nuvik.core.settings.find_settings import FoundSetting
    from nuvik.core.settings.settings_file import Change
    from nuvik.core.stages.landings import SettingsOutcome
    from nuvik.tui.shell import Shell

Result = TypeVar("Result")
_KEYS = "abcdefghijklmnopqrstuvwxyz"
_COLUMNS = ("", "kind", "goes now to", "is to go", "programs", "landed last")
_CELLS, _NARROW_CELLS, _NARROW = (3, 11, 14, 14, 20, 34), (3, 11, 11, 11, 16, 20), 120
_FOOT = (
    "Enter chooses a folder · t tells programs · f forgets, and gives programs their old folder back · Esc closes\n"
    "s looks for settings · b plans to move along what is in the old folder · g leaves links to the other folders"
)


class LandingsPage(Over[None]):
    """A table of kinds above, all that is known of the kind at the cursor below."""

    BINDINGS = [
        Binding("escape,q,d", "dismiss", "close"),
        Binding("t", "apply", "tell programs"),
        Binding("f", "forget", "forget"),
        Binding("s", "find", "look for settings"),
        Binding("b", "bring_along", "bring along"),
        Binding("g", "gather", "gather"),
    ]

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk, self._rows, self._stop = desk, tuple[LandingRow, ...](), Stop()
        self._left: dict[Kind, tuple[tuple[Library, str], ...]] = {}
        """By kind, what could move along, and to where."""
        self._labels = {drive.id: drive.label for drive in desk.snapshot.drives}

    def compose(self) -> ComposeResult:
        with Vertical(id="map"):
            yield Static("", id="map-title", markup=False)
            yield PointedTable(id="kinds", cursor_type="row")
            with VerticalScroll(id="kind-box"):
                yield Static("", id="kind-lines")
            yield Foot(_FOOT)

    def on_mount(self) -> None:
        table = self.query_one("#kinds", DataTable)
        for label, width in zip(_COLUMNS, self._cells, strict=True):
            table.add_column(Text(label), width=width)
        self._fill()
        table.focus()

    @property
    def _cells(self) -> tuple[int, ...]:
        return _NARROW_CELLS if self.app.size.width < _NARROW else _CELLS

    # -- showing -------------------------------------------------------------------------------------------

    def _fill(self) -> None:
        """Look at everything again, beside the page: a drive may have to wake up."""
        stage, snapshot, planned = self._desk.workspace.landings, self._desk.snapshot, self._desk.draft.landings

        def look() -> tuple[tuple[LandingRow, ...], dict[Kind, tuple[tuple[Library, str], ...]]]:
            rows = tuple(stage.rows(snapshot, planned))
            return rows, {row.kind: stage.left_behind(row, snapshot) for row in rows}

        self._beside(look, self._show)

    def _show(self, seen: tuple[tuple[LandingRow, ...], dict[Kind, tuple[tuple[Library, str], ...]]]) -> None:
        self._rows, self._left = seen
        table, palette = self.query_one("#kinds", DataTable), palette_of(self.app.theme)
        at = table.cursor_row
        *_, now_cells, chosen_cells, _, newest_cells = self._cells
        table.clear()
        for row in self._rows:
            cells = landing_cells(row, self._labels)
            table.add_row(
                Text(f" {row.kind.letter} ", style=f"{palette.letter} on {palette.kinds[row.kind]}"),
                Text(cells.kind),
                Text(shorten(cells.now, now_cells)),
                Text(shorten(cells.chosen, chosen_cells), style=palette.accent if row.chosen else palette.quiet),
                Text(cells.programs, style=palette.look if cells.asks else palette.quiet),
                Text(shorten(cells.newest, newest_cells)),
            )
        table.move_cursor(row=min(at, max(0, len(self._rows) - 1)), animate=False)
        self._say_how_it_stands()
        self._show_kind()

    def _say_how_it_stands(self) -> None:
        self.query_one("#map-title", Static).update(Text(landing_headline(self._rows, self._labels), "bold"))

    def _beside(self, work: Callable[[], Result], then: Callable[[Result], None]) -> None:
        """Do something that touches files or drives beside the page; a refusal is shown, and the page drawn again."""

        def guarded() -> None:
            try:
                result = work()
            except StopRequested:
                return
            except NuvikError as trouble:
                self.app.call_from_thread(cast("Shell", self.app).complain, trouble)
                return
            self.app.call_from_thread(lambda: then(result) if self.is_mounted else None)

        self.run_worker(guarded, thread=True, exit_on_error=False)

    @property
    def _row(self) -> LandingRow | None:
        at = self.query_one("#kinds", DataTable).cursor_row
        return self._rows[at] if 0 <= at < len(self._rows) else None

    def _show_kind(self) -> None:
        row, table, palette = self._row, Table.grid(padding=(0, 2)), palette_of(self.app.theme)
        if row is not None:
            left = self._left.get(row.kind, ())
            table.add_row("", Text(f"New {row.kind} content", style=f"bold {palette.accent}"))
            for name, words in landing_lines(row, left, self._labels):
                table.add_row(Text(name, style=palette.quiet, no_wrap=True), Text(words))
        self.query_one("#kind-lines", Static).update(table)

    @on(DataTable.RowHighlighted)
    def _moved(self) -> None:
        self._show_kind()

    # -- keys ----------------------------------------------------------------------------------------------

    @on(DataTable.RowSelected)
    def _choose(self) -> None:
        """Offer the folders that hold this kind already, and the usual one of each drive."""
        row = self._row
        if row is None:
            return
        draft, stage = self._desk.draft, self._desk.workspace.plan
        able = {drive.id: drive for drive in draft.drives if drive.takes_new}
        offers = [
            stage.landing_on(draft, row.kind, able[folder.drive], folder.path)
            for folder in row.folders
            if folder.drive in able
        ]
        offers += [stage.landing_on(draft, row.kind, drive) for drive in able.values()]
        by_path = {landing.path: landing for landing in reversed(offers)}
        landings = dict(zip(_KEYS, reversed(by_path.values()), strict=False))
        held = {folder.path: format_count(folder.libraries, "library", "libraries") for folder in row.folders}
        choices = [
            (
                key,
                f"{shown(self._labels.get(landing.drive, landing.drive)):<12} {column(landing.path, 60)}  "
                f"{held.get(landing.path, '')}",
            )
            for key, landing in landings.items()
        ]

        def chosen(key: str | None) -> None:
            if key is not None:
                self._plan(row, landings[key])

        self.app.push_screen(Menu(f"Where should new content of kind “{row.kind}” go?", choices), chosen)

    def _plan(self, row: LandingRow, landing: Landing) -> None:
        stays = row.now is not None and landing.path == row.now.path and not row.programs_know
        draft = self._desk.draft
        before = row.now.drive if row.now else landing.before
        self._desk.edit(
            draft.without_landing(row.kind) if stays else draft.with_landing(replace(landing, before=before))
        )
        self._fill()

    def action_apply(self) -> None:
        """Tell programs of the landing at the cursor, after showing what that changes."""
        row = self._row
        if row is None or row.chosen is None:
            self.notify("Choose a folder first: Enter.", severity="warning")
            return
        stage, path = self._desk.workspace.landings, row.chosen.path
        self._beside(lambda: stage.changes(row.kind, path), lambda changes: self._ask_to_tell(row, path, changes))

    def _ask_to_tell(self, row: LandingRow, path: str, changes: list[Change]) -> None:
        stage = self._desk.workspace.landings
        lines = [line for change in changes for line in change_lines(change)]
        rest = "" if changes else "No setting of it is known: choose the folder in the programs that bring it, too."
        question = f"New {row.kind} content is to go to {shown(path)}.\n" + "\n".join([*lines, rest])

        def tell() -> None:
            stage.choose(row.kind, path)
            stage.apply(row.kind)

        def answered(agreed: bool | None) -> None:
            if agreed:
                self._beside(tell, lambda _: self._fill())

        self.app.push_screen(Confirm(question.strip(), "tell programs" if changes else "remember it"), answered)

    def action_forget(self) -> None:
        """Nothing is chosen for the kind any more; programs get their earlier settings back."""
        row, stage = self._row, self._desk.workspace.landings
        if row is not None:
            self._beside(lambda: stage.forget(row.kind), lambda outcome: self._forgotten(row, outcome))

    def _forgotten(self, row: LandingRow, outcome: SettingsOutcome) -> None:
        self._desk.edit(self._desk.draft.without_landing(row.kind))
        for words in outcome.left:
            self.notify(words, severity="warning", markup=False)
        self._fill()

    def action_find(self) -> None:
        """Look for settings that name a folder of the kind; the chosen one is looked after from then on."""
        row, stage = self._row, self._desk.workspace.landings
        if row is not None:
            self.query_one("#map-title", Static).update(Text("Looking through your settings files …", "bold"))
            self._beside(lambda: stage.find(row, self._stop), lambda settings: self._offer(row, settings))

    def _offer(self, row: LandingRow, settings: list[FoundSetting]) -> None:
        self._say_how_it_stands()
        if not settings:
            self.notify(f"No settings file of yours names a folder of the kind {row.kind}.")
            return
        offers, stage = dict(zip(_KEYS, settings, strict=False)), self._desk.workspace.landings

        def chosen(key: str | None) -> None:
            if key is not None:
                setting = offers[key]
                self._beside(lambda: stage.teach(row.kind, setting.file, setting.key), lambda _: self._fill())

        choices = [(key, shorten(setting_line(setting), 104)) for key, setting in offers.items()]
        self.app.push_screen(Menu(f"Which of these says where new {row.kind} content goes?", choices), chosen)

    def on_unmount(self) -> None:
        self._stop.ask()

    def action_bring_along(self) -> None:
        """Plan to move what lies where new content of the kind goes now to where it is to go."""
        row = self._row
        left = self._left.get(row.kind, ()) if row is not None else ()
        if row is None or row.chosen is None or not left:
            self.notify("Nothing is left in another folder. Choose where new content is to go first.")
            return
        try:
            self._desk.edit(self._desk.workspace.plan.brought_along(self._desk.draft, left, row.chosen.drive))
        except NuvikError as trouble:
            cast("Shell", self.app).complain(trouble)
            return
        count = format_count(len(left), "library moves", "libraries move")
        self.notify(f"{count} along in this plan: look at it, then rehearse it.", markup=False)

    def action_gather(self) -> None:
        """Links to the other folders of the kind in the one that takes new content, so that all are seen there."""
        row, stage = self._row, self._desk.workspace.landings
        if row is not None:
            self._beside(lambda: stage.gather(row), self._gathered)

    def _gathered(self, made: list[str]) -> None:
        self.notify("\n".join(f"Link {shown(link)}" for link in made) or "There is no other folder.", markup=False)
        self._fill()
