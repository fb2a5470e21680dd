"""Help: what this stage is for, and its keys."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import VerticalScroll
from textual.screen import ModalScreen
from textual.widgets import Static

from nuvik.core.model.library import Kind
from nuvik.tui.shell import STAGES, stage_key
from nuvik.tui.theme import palette_of

_TEXTS: dict[str, tuple[str, tuple[tuple[str, str], ...]]] = {
    "survey": (
        "Survey shows your drives, fastest first, and the libraries on them: folders that move as one. "
        "A hatched end is the headroom that should stay free; grey is data that is no library.",
        (
            ("↑ ↓", "go through drives, or through libraries"),
            ("Tab", "between drives and libraries"),
            ("Enter", "open the library: what is inside, why it may move or not; e edits its card"),
            ("Space m", "mark the library at the cursor, or many at once"),
            ("p", "take all that is marked to Plan"),
            ("l", "lift the library at the cursor and go to Plan"),
            ("b", "the board of size against last use: big and cold stands in one corner"),
            ("f  /  s", "show only some, find by name or path, change the order"),
            ("M", "make one library of the marked: the folder in which they lie"),
            ("w", "the marked, or the one at the cursor, are those you really use (filter 6)"),
            ("a", "libraries of all drives, or of the one at the cursor"),
            ("g", "what changed since the survey before, and how long each drive lasts"),
            ("o", "what lies in no library, old downloads, what lies on two drives"),
            ("x", "write the libraries shown to CSV and JSON"),
            ("z", "all strips wholly to scale, or long ones with breaks (≈)"),
            ("i", "all about the drive at the cursor"),
            ("r", "survey again; stop a survey that runs"),
        ),
    ),
    "speeds": (
        "Speeds draws how fast each drive reads, writes and finds small things. Figures that were never measured are "
        "drawn broken and marked: they are typical of the drive's class, no more.",
        (
            ("↑ ↓", "go through drives"),
            ("g", "measure the drive at the cursor; it says first what that costs"),
            ("G", "measure all drives"),
            ("s", "measure longer: does writing slow down?"),
            ("x", "stop measuring"),
            ("i", "all about the drive: capacity, link, file system, findings"),
            ("n", "next: plan"),
        ),
    ),
    "plan": (
        "Plan draws each drive twice: now above, then below. Lift a library, choose a drive, set it down; "
        "every figure follows. Nothing is moved until you carry the plan.",
        (
            ("a", "ask what belongs where: three proposals to compare, with reasons and a proof"),
            ("A", "ask within limits: what is to become free, how many moves, how many hours; shows what is weighed"),
            ("l  Enter", "lift the library at the cursor; ↑ ↓ choose a drive, Enter sets it down, Esc puts it back"),
            ("s", "what is in hand changes places with a library on the drive at the cursor"),
            ("m", "put right what is broken, with the fewest further moves"),
            ("p", "the library at the cursor falls into its parts, each to be set down on its own"),
            ("k", "the library at the cursor stays where it is (pinned), or may move again"),
            ("x", "a proposal must not put the library in hand on this drive"),
            ("d", "where new content of each kind goes from now on"),
            ("Backspace", "let a library stay after all"),
            ("u  U", "undo and redo an edit"),
            ("w  o", "write the plan to a file here; open one, checked step by step against the last survey"),
            ("c", "this draft beside a plan from a file"),
            ("n", "next: rehearse it"),
        ),
    ),
    "rehearse": (
        "Rehearse shows what carrying the plan would do, step by step: time, free space, waiting, and whatever forbids "
        "a step with what would mend it. What-ifs change the picture at once, and leave nothing behind.",
        (
            ("↑ ↓", "step through; curves and drives are shown as they are after that step"),
            (
                "Tab  Space",
                "go to the what-ifs; Space switches one on or off, and all that are on are supposed together",
            ),
            ("x", "nothing supposed any more"),
            ("o", "on trial: keep each original until you release it"),
            ("c", "carry it out"),
        ),
    ),
    "carry": (
        "Carry copies a library, proves the copy by reading it back from the drive, switches the old path over to "
        "it, looks at it through the old path, and only then releases the original.",
        (
            ("s", "stop after this library"),
            ("x", "stop now, at the next safe point"),
            ("g", "go on after a stop"),
            (stage_key("logbook"), "Logbook: take a move back"),
        ),
    ),
    "logbook": (
        "Logbook lists every move, newest first, with what it took beside what was expected.",
        (
            ("u", "take the move back"),
            ("e", "release the kept original of a move on trial"),
            ("g", "go on with what stands midway"),
        ),
    ),
}


class Help(ModalScreen[None]):
    """Closed by any of its keys."""

    BINDINGS = [Binding("escape,question_mark,q,enter,space", "dismiss", "close")]

    def __init__(self, stage: str) -> None:
        super().__init__()
        self._stage = stage

    def compose(self) -> ComposeResult:
        palette = palette_of(self.app.theme)
        what, keys = _TEXTS[self._stage]
        text = Text(f"{self._stage.capitalize()}\n\n", style="bold")
        text.append(f"{what}\n\n", style="not bold")
        everywhere = (
            (f"1 – {len(STAGES)}", "the stages"),
            ("t", "theme"),
            ("Ctrl+P", "search all commands"),
            ("q", "quit"),
        )
        for key, does in (*keys, *everywhere):
            text.append(f"{key:>10}  ", style=f"not bold {palette.accent}")
            text.append(f"{does}\n", style="not bold")
        text.append("\nKinds: ", style="not bold")
        for kind in Kind:
            text.append(f" {kind.letter} ", style=f"not bold {palette.text} on {palette.kinds[kind]}")
            text.append(f" {kind}  ", style="not bold")
        with VerticalScroll(id="help"):
            yield Static(text)
            yield Static("Esc closes this", classes="quiet")
