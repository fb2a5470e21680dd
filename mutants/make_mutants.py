"""Making mutants: one statement of a file at a time is made wrong."""

from __future__ import annotations

import ast
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

_HARMLESS = {"tell", "info", "debug", "warning", "exception", "report", "append", "sleep", "setSolution"}
"""Calls that only say or collect something, wait, or give a search a start from which it is quicker."""


@dataclass(frozen=True)
class Mutant:
    """A file with one thing wrong in it; `name` tells it from all others and does not hold line numbers."""

    file: str
    line: int
    lines: range
    """Only who runs one of these can notice it."""
    what: str
    name: str
    source: str
    """The file as it is."""
    place: int
    """Which of its nodes is changed, as `ast.walk` counts them."""
    change: Callable[[Any], None]

    @property
    def text(self) -> str:
        """The wrong file."""
        tree = ast.parse(self.source)
        self.change(list(ast.walk(tree))[self.place])
        return ast.unparse(ast.fix_missing_locations(tree))

    def __str__(self) -> str:
        return f"{self.file}:{self.line}: {self.what}"


def mutants_of(file: str, source: str) -> Iterator[Mutant]:
    """Every mutant of a file."""
    times: Counter[str] = Counter()
    tree = ast.parse(source)
    guarded = {id(node.test): node for node in ast.walk(tree) if isinstance(node, ast.If)}
    for place, node in enumerate(ast.walk(tree)):
        for what, change in _changes(node):
            name = f"{file}: {what}"
            times[name] += 1
            lines = _lines(node, change, guarded.get(id(node)))
            yield Mutant(file, node.lineno, lines, what, f"{name} #{times[name]}", source, place, change)


def _lines(node: ast.AST, change: Callable[[Any], None], guarded: ast.If | None) -> range:
    """The lines that run when the change may matter. Of a branch that is never taken any more, or less often, those are
    its first ones; of one that is taken when it was not, its condition.
    """
    if change is _no_guard:
        part = node.body[0]
    elif guarded is not None and isinstance(node, ast.BoolOp) and isinstance(node.op, ast.Or):
        part = guarded.body[0]
    else:
        part = node.test if isinstance(node, ast.If) else node
    return range(part.lineno, part.end_lineno + 1)


def _changes(node: ast.AST) -> Iterator[tuple[str, Callable[[Any], None]]]:
    if isinstance(node, ast.If):
        words = ast.unparse(node.test)
        if _leaves(node.body) and not node.orelse:
            yield f"without the guard “{_short(words)}”", _no_guard
        else:
            yield f"“{_short(words)}” negated", _negate
    elif isinstance(node, ast.BoolOp):
        for index, operand in enumerate(node.values):
            yield f"without “{_short(ast.unparse(operand))}”", lambda target, index=index: target.values.pop(index)
    elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call) and _name(node.value) not in _HARMLESS:
        yield f"without the call “{_short(ast.unparse(node))}”", _no_call


def _leaves(body: list[ast.stmt]) -> bool:
    """Whether a branch only refuses, returns or goes on."""
    return isinstance(body[-1], (ast.Raise, ast.Return, ast.Continue, ast.Break)) or (
        len(body) == 1 and isinstance(body[0], ast.Expr)
    )


def _no_guard(target: ast.If) -> None:
    """The condition is still looked at (it may name something), and never holds."""
    target.test = ast.BoolOp(ast.And(), [target.test, ast.Constant(False)])


def _negate(target: ast.If) -> None:
    target.test = ast.UnaryOp(ast.Not(), target.test)


def _no_call(target: ast.Expr) -> None:
    target.value = ast.Constant(None)


def _name(call: ast.Call) -> str:
    function = call.func
    return (
        function.attr if isinstance(function, ast.Attribute) else function.id if isinstance(function, ast.Name) else ""
    )


def _short(words: str) -> str:
    return words if len(words) <= 70 else f"{words[:67]}…"
