"""Draw docs/rooms.svg: which rooms the code has and which of them use which. Called by `python3 start.py rooms`.

The rooms come from the folders, their order from the import contract in `pyproject.toml`, and the lines from the import
statements. Each room's line runs down to the rooms it uses; a dot, the larger the more imports, marks where it turns to
one of them. A dot above the stairs would be an import that runs the wrong way.
"""

from __future__ import annotations

import ast
import sys
import tomllib
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from xml.sax.saxutils import escape

ROOT = Path(__file__).resolve().parent.parent
SOURCES = ROOT / "src"
OUTPUT = ROOT / "docs" / "rooms.svg"
_STEP, _WIDE, _HIGH, _MARGIN = 52, 108, 32, 24
_INK, _PALE, _BOX = "#26323d", "#9aa7b2", "#eef2f5"


def main() -> int:
    """Write the picture and say where; 1 when a room is missing from the contract."""
    rooms = _rooms_in_order()
    folders = {room for module in _modules() if (room := _room_of(module, rooms)) is not None}
    if missing := sorted(_all_folders() - set(rooms)):
        print(f"Not in the layers of pyproject.toml: {', '.join(missing)}. Add them there.", file=sys.stderr)
        return 1
    rooms = [room for room in rooms if room in folders]
    OUTPUT.write_text(_picture(rooms, _uses(rooms)), encoding="utf-8")
    print(OUTPUT.relative_to(ROOT))
    return 0


def _rooms_in_order() -> list[str]:
    """The packages of the layer contract, highest first."""
    settings = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))
    contracts = settings["tool"]["importlinter"]["contracts"]
    layers = next(contract["layers"] for contract in contracts if contract["type"] == "layers")
    names = [name.strip() for layer in layers for name in layer.split("|")]
    return [name for name in names if (SOURCES / name.replace(".", "/")).is_dir()]


def _all_folders() -> set[str]:
    return {
        f"nuvik.{prefix}{folder.parent.name}"
        for prefix, pattern in (("", "nuvik/*/__init__.py"), ("core.", "nuvik/core/*/__init__.py"))
        for folder in SOURCES.glob(pattern)
        if folder.parent.name != "core"
    }


def _modules() -> Iterator[str]:
    for path in sorted(SOURCES.glob("nuvik/**/*.py")):
        yield ".".join(path.relative_to(SOURCES).with_suffix("").parts).removesuffix(".__init__")


def _room_of(module: str, rooms: list[str]) -> str | None:
    return next((room for room in rooms if module == room or module.startswith(room + ".")), None)


def _uses(rooms: list[str]) -> Counter[tuple[str, str]]:
    """How many imports lead from one room to another; those for type checkers alone do not count."""
    count: Counter[tuple[str, str]] = Counter()
    for path in SOURCES.glob("nuvik/**/*.py"):
        module = ".".join(path.relative_to(SOURCES).with_suffix("").parts)
        here = _room_of(module, rooms)
        for node in _nodes(ast.parse(path.read_text(encoding="utf-8"))):
            names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
            if isinstance(node, ast.ImportFrom) and node.module:
                names = [node.module]
            for name in names:
                there = _room_of(name, rooms)
                if here and there and here != there:
                    count[here, there] += 1
    return count


def _nodes(tree: ast.AST) -> Iterator[ast.AST]:
    for node in ast.iter_child_nodes(tree):
        if not (isinstance(node, ast.If) and isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING"):
            yield node
            yield from _nodes(node)


def _picture(rooms: list[str], uses: Counter[tuple[str, str]]) -> str:
    side = 2 * _MARGIN + (len(rooms) - 1) * _STEP + _WIDE
    high = 2 * _MARGIN + (len(rooms) - 1) * _STEP + _HIGH
    corner = {room: (_MARGIN + n * _STEP, _MARGIN + n * _STEP) for n, room in enumerate(rooms)}
    lines, dots, boxes = [], [], []
    for (here, there), count in sorted(uses.items()):
        down, across = corner[here][0] + _STEP / 2, corner[there][1] + _HIGH / 2
        forward = corner[here][1] < corner[there][1]
        start = corner[here][1] + (_HIGH if forward else 0)
        end = corner[there][0] + (0 if forward else _WIDE)
        lines.append(f'<path d="M{down} {start}V{across}H{end}" fill="none" stroke="{_PALE}" stroke-width="1"/>')
        dots.append(f'<circle cx="{down}" cy="{across}" r="{2 + min(6.0, count**0.5):.1f}"/>')
    for room, (left, top) in corner.items():
        boxes.append(
            f'<rect x="{left}" y="{top}" width="{_WIDE}" height="{_HIGH}" rx="4" fill="{_BOX}" stroke="{_INK}"/>'
            f'<text x="{left + _WIDE / 2}" y="{top + _HIGH / 2 + 5}" text-anchor="middle">{escape(_short(room))}</text>'
        )
    body = "\n".join([*lines, *dots, *boxes])
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {side} {high}" width="{side}" height="{high}" '
        f'font-family="sans-serif" font-size="14" fill="{_INK}">\n'
        "<title>The rooms of Nuvik, each above those it uses</title>\n"
        f'<rect width="{side}" height="{high}" fill="#ffffff"/>\n{body}\n</svg>\n'
    )


def _short(room: str) -> str:
    return room.removeprefix("nuvik.").removeprefix("core.")


if __name__ == "__main__":
    sys.exit(main())
