"""The card of a library: what the user says of it, which wins over everything that Nuvik finds."""

from __future__ import annotations

from typing import cast

from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.widgets import Button, Input, Static

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_speed
from nuvik.core.views.library_selection import may_overrule
from nuvik.tui.desk import Desk
from nuvik.tui.screens.over import Over
from nuvik.tui.shell import Shell
from nuvik.tui.widgets.tick_box import TickBox

_FLAGS = (
    ("pinned", "keep it where it is"),
    ("overrule", "allow moving it, although that seems unwise"),
    ("working_set", "I really use it"),
    ("always_attached", "never on a portable drive"),
    ("titles", "each subfolder is a library of its own"),
    ("ignored", "not a library"),
)
_FIELDS = ("name", "kind", "opens", "needs", "parts", "with", "apart", "collection", "fallback")
_NEED_A_SURVEY = ("titles", "ignored", "parts")


class CardForm(Over[None]):
    """Fields for a name, kind, use and needs. Empty means: as Nuvik finds it."""

    BINDINGS = [Binding("escape", "dismiss", "cancel"), Binding("ctrl+s", "keep", "keep")]

    def __init__(self, library: Library, desk: Desk) -> None:
        super().__init__()
        self._library, self._desk = library, desk
        self._card = desk.workspace.survey.card(library.path, desk.snapshot.drives)

    def compose(self) -> ComposeResult:
        card, library = self._card, self._library
        opens = "" if card.opens_per_week is None else f"{card.opens_per_week:g}"
        needs = "" if card.needs_read_bytes_per_s is None else format_speed(card.needs_read_bytes_per_s)
        with Vertical(id="card"):
            yield Static(f"Your notes on {shown(library.name)}", id="question", markup=False)
            yield Static("an empty field means: whatever Nuvik finds", classes="quiet")
            yield Static("name", classes="quiet")
            yield Input(card.name or "", placeholder=shown(library.name), id="name")
            yield Static(f"kind: {', '.join(Kind)}", classes="quiet", markup=False)
            yield Input(str(card.kind or ""), placeholder=str(library.kind), id="kind")
            yield Static("how often it is opened per week", classes="quiet")
            yield Input(opens, placeholder=f"{library.opens_per_week:g}", id="opens")
            yield Static("seconds that it took to open from where it is now", classes="quiet")
            yield Input("", placeholder=self._timed_so_far(), id="took")
            yield Static("the read speed it needs, such as 40 MB/s", classes="quiet")
            yield Input(needs, placeholder="none", id="needs")
            yield Static("parts that may be placed elsewhere, such as Cache=cache, Media=video", classes="quiet")
            parts = ", ".join(f"{shown(part.path)}={part.kind}" for part in card.parts)
            yield Input(parts, placeholder="whatever Nuvik finds", id="parts")
            yield Static("on the same drive as (names, separated by commas)", classes="quiet")
            yield Input(self._names(card.keep_with), placeholder="none", id="with")
            yield Static("on another disk than, as a backup should be", classes="quiet")
            yield Input(self._names(card.apart_from), placeholder="none", id="apart")
            yield Static("a collection that should be kept on one drive", classes="quiet")
            yield Input(card.collection or "", placeholder="none", id="collection")
            yield Static("the smaller library that you use while this one is away", classes="quiet")
            fallback = (card.falls_back_to,) if card.falls_back_to else ()
            yield Input(self._names(fallback), placeholder="none", id="fallback")
            for field, words in _FLAGS:
                yield TickBox(words, getattr(card, field), id=field, disabled=self._idle(field), compact=True)
            with Horizontal(id="answers"):
                yield Button("keep (^s)", id="keep")
                yield Button("cancel (Esc)", id="later")

    def _names(self, paths: tuple[str, ...]) -> str:
        """Libraries by name where that is theirs alone, else by path."""
        names = [shown(library.name) for library in self._desk.snapshot.libraries]
        known = {library.path: shown(library.name) for library in self._desk.snapshot.libraries}
        return ", ".join(known[path] if names.count(known.get(path, "")) == 1 else path for path in paths)

    def _timed_so_far(self) -> str:
        labels = {drive.id: shown(drive.label) for drive in self._desk.snapshot.drives}
        timed = (f"{each.seconds:g} from {labels.get(each.drive, each.drive)}" for each in self._card.timings)
        return ", ".join(timed) or "not timed"

    def _idle(self, field: str) -> bool:
        """There is nothing to overrule in what may move anyway, and what is impossible stays so."""
        return field == "overrule" and not self._card.overrule and not may_overrule(self._library)

    def on_mount(self) -> None:
        self.query_one("#name", Input).focus()

    def on_button_pressed(self, pressed: Button.Pressed) -> None:
        if pressed.button.id == "keep":
            self.action_keep()
        else:
            self.dismiss()

    def on_input_submitted(self) -> None:
        self.action_keep()

    def action_keep(self) -> None:
        fields = {field: self.query_one(f"#{field}", Input).value for field in _FIELDS}
        flags = {field: self.query_one(f"#{field}", TickBox).value for field, _ in _FLAGS}
        try:
            stage, snapshot = self._desk.workspace.survey, self._desk.snapshot
            card = stage.timed_as_typed(self._card, self.query_one("#took", Input).value)
            card = stage.card_from_form(card, fields, snapshot.libraries, **flags)
            stage.keep_cards([card], snapshot.drives)
        except NuvikError as trouble:
            self.notify(f"{trouble.what} {trouble.next_step}", severity="warning", markup=False)
            return
        shell = cast("Shell", self.app)
        again = any(getattr(card, field) != getattr(self._card, field) for field in _NEED_A_SURVEY)
        self._desk.take_snapshot(self._desk.workspace.survey.with_cards(self._desk.snapshot, card.path))
        self.dismiss()
        shell.refresh_stage()
        if again:
            shell.survey_job.look_again()
