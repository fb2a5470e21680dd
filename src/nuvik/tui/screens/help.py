"""Help: what this stage is for, and its keys."""

from __future__ import annotations

from rich.console import Group
from rich.table import Table
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import VerticalScroll
from textual.widgets import Static

from nuvik.core.model.library import Kind
from nuvik.core.model.tether import TetherKind
from nuvik.tui.screens.over import Over
from nuvik.tui.shell import STAGES, stage_key
from nuvik.tui.theme import palette_of

_LETTERS = ", ".join(f"{kind.letter} {kind}" for kind in TetherKind)
_TEXTS: dict[str, tuple[str, tuple[tuple[str, str], ...]]] = {
    "survey": (
        "Survey shows your drives, fastest first, and the libraries on them: folders that move as one. "
        "A hatched end is the headroom that should stay free; grey is data in no library.",
        (
            ("↑ ↓", "move through drives or libraries"),
            ("Tab", "switch between drives and libraries"),
            ("Enter", "open the library: what is inside, why it may move; e edits its card, o records an opening"),
            ("Space m", "mark the library at the cursor, or many at once"),
            ("p", "take everything marked to Plan"),
            ("l", "pick up the library at the cursor and go to Plan"),
            ("b", "the board of size against last use: big and unused libraries are in one corner"),
            ("f  /  s", "filter, find by name or path, change the order"),
            ("M", "merge the marked libraries into one: the folder that holds them"),
            ("w", "you really use the marked libraries, or the one at the cursor (filter 6)"),
            ("a", "list libraries of all drives, or of the one at the cursor"),
            ("d", "the map of all folders: say with one key what is a library, a shelf, or neither"),
            ("g", "what changed since the previous survey, and how long each drive will last"),
            ("o", "data in no library, old downloads, files on two drives"),
            ("x", "write the listed libraries to CSV and JSON"),
            ("z", "draw all strips to scale, or long ones with breaks (≈)"),
            ("i", "everything about the drive at the cursor; there x ejects it, w leads through what to do with it"),
            ("h", "how things stand: what needs a decision, and what is good to know"),
            ("r", "survey again, or stop the running survey"),
        ),
    ),
    "speeds": (
        "Speeds shows how fast each drive reads, writes and does small reads. Figures that were never measured are "
        "drawn broken and marked: they are typical of the drive's class, no more.",
        (
            ("↑ ↓", "move through drives"),
            ("g", "measure the drive at the cursor; Nuvik first says what that costs"),
            ("G", "measure all drives"),
            ("s", "measure longer, to see whether writing slows down"),
            ("x", "stop measuring"),
            ("i", "everything about the drive: capacity, link, file system, findings"),
            ("n", "next: plan"),
        ),
    ),
    "plan": (
        "Plan draws each drive twice: now above, then below. Pick up a library, choose a drive, put it down; "
        "every figure follows. Nothing is moved until you carry the plan.",
        (
            ("a", "ask what belongs where: three proposals to compare, with reasons and a proof"),
            ("A", "ask with limits: space to free, moves, hours; also shows the weights"),
            ("l  Enter", "pick up the library at the cursor; ↑ ↓ choose a drive, Enter puts it down, Esc cancels"),
            ("s", "swap what you hold with a library on the drive at the cursor"),
            ("m", "fix what is wrong with the fewest further moves"),
            ("p", "split the library at the cursor into parts that can be placed separately"),
            ("k", "pin the library at the cursor, or unpin it"),
            ("x", "never let a proposal put the library you hold on this drive"),
            ("d", "where new content of each kind goes from now on"),
            ("f", f"how programs find the library at the cursor; in the column “by”: {_LETTERS}"),
            ("Backspace", "let the library stay after all"),
            ("u  U", "undo and redo an edit"),
            ("w  o", "write the plan to a file here, or open one and check it against the last survey"),
            ("c", "compare this draft with a plan from a file"),
            ("n", "next: rehearse it"),
        ),
    ),
    "rehearse": (
        "Rehearse shows what carrying the plan would do, step by step: time, free space, waiting, and whatever forbids "
        "a step with what would mend it. What-ifs change the picture at once and leave nothing behind.",
        (
            ("↑ ↓", "step through; curves and drives show the state after that step"),
            (
                "Tab  Space",
                "go to the what-ifs; Space turns one on or off, and all that are on apply together",
            ),
            ("x", "turn all what-ifs off"),
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
            ("g", "continue after a stop"),
            ("f", "how programs find what was moved, and putting that right"),
            (stage_key("logbook"), "Logbook: take a move back"),
        ),
    ),
    "logbook": (
        "Logbook lists every move, newest first, with what it took beside what was expected.",
        (
            ("u", "take the move back"),
            ("e", "release the kept original of a move on trial"),
            ("g", "continue what is unfinished"),
            ("f", "how programs find what was moved, and putting that right"),
            ("m", "look for all that Nuvik left on the drives"),
            ("E", "what was emptied and is set aside: let it go, or put it back"),
        ),
    ),
}


class Help(Over[None]):
    """Closed by any of its keys."""

    BINDINGS = [Binding("escape,question_mark,q,enter,space", "dismiss", "close")]

    def __init__(self, stage: str) -> None:
        super().__init__()
        self._stage = stage

    def compose(self) -> ComposeResult:
        palette = palette_of(self.app.theme)
        what, keys = _TEXTS[self._stage]
        title = Text.assemble((f"{self._stage.capitalize()}\n\n", "bold"), f"{what}\n")
        rows = Table.grid(padding=(0, 2, 0, 0))
        rows.add_column(justify="right", width=10)
        everywhere = (
            (f"1 – {len(STAGES)}", "the stages"),
            ("t", "theme"),
            ("D", "draw this, or the report, as files into the folder at hand"),
            ("Ctrl+P", "search all commands"),
            ("q", "quit"),
        )
        for key, does in (*keys, *everywhere):
            rows.add_row(Text(key, style=palette.accent), does)
        kinds = Text("\nKinds: ")
        for kind in Kind:
            kinds.append(f" {kind.letter} ", style=f"{palette.letter} on {palette.kinds[kind]}")
            kinds.append(f"\N{NO-BREAK SPACE}{kind}  ")
        with VerticalScroll(id="help"):
            yield Static(Group(title, rows, kinds))
            yield Static("Esc closes this", classes="quiet")
