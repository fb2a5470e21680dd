"""Rows as lines of text with aligned columns, measured in cells of the terminal."""

from __future__ import annotations

import io
from collections.abc import Collection, Iterable, Iterator, Sequence

_WIDE = 100_000
"""Nothing is cut or folded: what is too long for a terminal runs on, and other programs get it whole."""


def table_lines(
    rows: Iterable[Sequence[str]], head: Sequence[str] = (), right: Collection[int] = (), indent: int = 0
) -> Iterator[str]:
    """The lines of a table; `right` are the numbers of the columns that are flush right, from 0. Rows may be short."""
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

    every = [tuple(row) for row in rows]
    if not every:
        return
    table = Table(box=None, show_header=bool(head), padding=(0, 2, 0, 0), pad_edge=False, header_style="")
    for number in range(max(map(len, [*every, head]))):
        title = head[number] if number < len(head) else ""
        table.add_column(title, justify="right" if number in right else "left", no_wrap=True)
    for row in every:
        table.add_row(*(Text(cell) for cell in row))
    text = io.StringIO()
    Console(file=text, width=_WIDE, color_system=None, markup=False, highlight=False, emoji=False).print(table)
    for line in text.getvalue().splitlines():
        yield f"{'':{indent}}{line}".rstrip()
