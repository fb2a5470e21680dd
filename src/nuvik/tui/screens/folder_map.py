"""The map of the folders of all drives, where the user says with one key what a folder is."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any, cast

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.widgets import Static, Tree
from textual.widgets.tree import TreeNode

from nuvik.core.model.errors import NuvikError
from nuvik.core.model.library import Card, Kind
from nuvik.core.model.names import shown
from nuvik.core.model.units import format_bytes, format_count
from nuvik.core.views.folder_map import FolderMapRows, MapRow
from nuvik.tui.desk import Desk
from nuvik.tui.screens.menu import Menu
from nuvik.tui.screens.over import Over
from nuvik.tui.theme import palette_of
from nuvik.tui.widgets.foot import Foot

if TYPE_CHECKING:
    from nuvik.tui.shell import Shell

_FOOT = (
    "1 is one library · s holds one library in each folder · x is no library · k what it is · f forget · "
    "← → open, shut · Esc closes"
)


class FolderMap(Over[bool]):
    """Ends with whether anything was said: then the libraries have changed."""

    BINDINGS = [
        Binding("escape,q", "leave", "close"),
        Binding("1", "one_library", "one library"),
        Binding("s", "shelf", "a shelf"),
        Binding("x", "no_library", "no library"),
        Binding("k", "kind", "what it is"),
        Binding("f", "forget", "forget"),
        Binding("right", "open", "open", show=False),
        Binding("left", "shut", "close the folder", show=False),
    ]

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk, self._changed, self._described_path = desk, False, ""
        self._map = FolderMapRows((), ())

    def compose(self) -> ComposeResult:
        with Vertical(id="map"):
            yield Static("", id="map-title")
            yield Tree[MapRow]("", id="folders")
            yield Foot(_FOOT)

    def on_mount(self) -> None:
        tree = self.query_one("#folders", Tree)
        tree.show_root = False
        tree.guide_depth = 3
        self._fill()
        tree.focus()
        tree.cursor_line = 0

    # -- showing -------------------------------------------------------------------------------------------

    def _fill(self) -> None:
        """Show the folders again; what was open stays open."""
        tree = self.query_one("#folders", Tree)
        opened = {node.data.folder.path for node in _nodes(tree.root) if node.data and node.is_expanded}
        at = tree.cursor_node.data.folder.path if tree.cursor_node and tree.cursor_node.data else ""
        tree.clear()
        self._map = FolderMapRows(self._desk.workspace.survey.trees, self._desk.snapshot.libraries)
        self._add(tree.root, self._map.roots(), opened)
        tree.root.expand()
        count = format_count(len(self._desk.snapshot.libraries), "library", "libraries")
        self.query_one("#map-title", Static).update(Text(f"Every folder, the largest first: {count} in them", "bold"))
        self.call_after_refresh(self._point_at, at)

    def _point_at(self, path: str) -> None:
        tree = self.query_one("#folders", Tree)
        for node in _nodes(tree.root):
            if node.data and node.data.folder.path == path:
                tree.move_cursor(node)

    def _add(self, above: TreeNode[MapRow], rows: list[MapRow], opened: set[str]) -> None:
        for row in rows:
            node = above.add(self._label(row), data=row, allow_expand=row.opens)
            if row.folder.path in opened:
                self._add(node, self._map.below(row.folder), opened)
                node.expand()

    def _label(self, row: MapRow) -> Text:
        palette = palette_of(self.app.theme)
        label = Text(f"{format_bytes(row.bytes):>9}  ")
        if row.library is not None:
            label.append(f" {row.library.kind.letter} ", f"{palette.letter} on {palette.kinds[row.library.kind]}")
            label.append(f" {row.name}", "bold")
            label.append(f"  {row.library.kind}: {row.library.why}", palette.quiet)
        else:
            label.append(row.name)
            if row.held:
                label.append(f"  {format_count(row.held, 'library', 'libraries')} in it", palette.quiet)
        return label

    def on_tree_node_expanded(self, event: Tree.NodeExpanded[MapRow]) -> None:
        node = event.node
        if node.data is not None and not node.children:
            self._add(node, self._map.below(node.data.folder), set())

    # -- keys ----------------------------------------------------------------------------------------------

    def action_open(self) -> None:
        node = self.query_one("#folders", Tree).cursor_node
        if node is not None and node.allow_expand:
            node.expand()

    def action_shut(self) -> None:
        tree = self.query_one("#folders", Tree)
        node = tree.cursor_node
        if node is None:
            return
        if node.is_expanded and node.allow_expand:
            node.collapse()
        elif node.parent is not None and node.parent is not tree.root:
            tree.move_cursor(node.parent)

    def action_leave(self) -> None:
        self.dismiss(self._changed)

    def action_one_library(self) -> None:
        self._say(ignored=False, titles=False)

    def action_shelf(self) -> None:
        self._say(ignored=False, titles=True)

    def action_no_library(self) -> None:
        self._say(ignored=True, titles=False)

    def action_kind(self) -> None:
        def chosen(letter: str | None) -> None:
            kind = next((kind for kind in Kind if kind.letter.lower() == letter), None)
            if kind is not None:
                self._say(ignored=False, titles=False, kind=kind)

        self.app.push_screen(Menu("What is it?", [(kind.letter.lower(), str(kind)) for kind in Kind]), chosen)

    def action_forget(self) -> None:
        row = self._row
        if row is not None:
            self._keep(Card(path=row.folder.path))

    @property
    def _row(self) -> MapRow | None:
        node = self.query_one("#folders", Tree).cursor_node
        return node.data if node is not None else None

    def _say(self, *, ignored: bool, titles: bool, kind: Kind | None = None) -> None:
        row = self._row
        if row is None:
            return
        card = self._desk.workspace.survey.card(row.folder.path, self._desk.snapshot.drives)
        # One key says which of the three it is; a library on which nothing else is said needs a name to be kept.
        name = card.name or (row.folder.name if not (ignored or titles) else None)
        self._keep(replace(card, ignored=ignored, titles=titles, kind=kind or card.kind, name=name))

    def _keep(self, card: Card) -> None:
        try:
            self._desk.workspace.survey.keep_cards([card], self._desk.snapshot.drives)
        except NuvikError as trouble:
            self.notify(str(trouble), severity="error", markup=False)
            return
        self._changed, self._described_path = True, card.path
        cast("Shell", self.app).survey_job.look_again()

    def follow(self, happening: str, *details: Any) -> None:
        """What was said is seen as soon as the folders were looked at again."""
        if happening != "judged":
            return
        self._fill()
        library = next(
            (library for library in self._desk.snapshot.libraries if library.path == self._described_path), None
        )
        words = (
            f"{shown(self._described_path)} is one library: {library.kind}."
            if library
            else f"Noted: {shown(self._described_path)}."
        )
        self.notify(words, markup=False)


def _nodes(node: TreeNode[MapRow]) -> list[TreeNode[MapRow]]:
    nodes, waiting = [], list(node.children)
    while waiting:
        inner = waiting.pop()
        nodes.append(inner)
        waiting.extend(inner.children)
    return nodes
