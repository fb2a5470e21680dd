"""The how-to pages, one a file: the same in the terminal (`nuvik help TOPIC`) and in the docs."""

from __future__ import annotations

import re
from dataclasses import dataclass
from importlib import resources

_LINK = re.compile(r"\[([^\]]+)\]\([^)]+\)")


@dataclass(frozen=True, slots=True)
class Topic:
    """A page."""

    name: str
    title: str
    text: str
    """In Markdown."""

    def lines(self) -> list[str]:
        """For a terminal: without the signs of Markdown."""
        shown = []
        for line in self.text.splitlines():
            if line.startswith("```"):
                continue
            words = _LINK.sub(r"\1", line).replace("`", "").replace("**", "")
            if words.startswith("#"):
                words = words.lstrip("# ")
                shown += [words, "═" * len(words)]
            else:
                shown.append(words)
        return shown


def topics() -> list[Topic]:
    """Every page, in the order of their names' numbers."""
    pages = sorted(
        (each for each in resources.files(__name__).iterdir() if each.name.endswith(".md")), key=lambda each: each.name
    )
    made = []
    for page in pages:
        text = page.read_text(encoding="utf-8")
        name = page.name.removesuffix(".md").partition("-")[2]
        made.append(Topic(name, text.splitlines()[0].lstrip("# "), text))
    return made
