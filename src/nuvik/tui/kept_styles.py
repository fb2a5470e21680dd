"""A style sheet that reads each of its sources once in every theme.

The toolkit reads all sources again whenever the theme changes, and when a screen with a source of its own comes up for
the first time; with many libraries on the screen that is what makes the key slow.
"""

from __future__ import annotations

from typing import Any

from textual.cache import LRUCache
from textual.css.stylesheet import Stylesheet

_MOST_SOURCES = 512


class KeptStyles(Stylesheet):
    """Keeps what was read, by the colours of the theme."""

    def __init__(self, *, variables: dict[str, str] | None = None) -> None:
        super().__init__(variables=variables)
        self._kept: dict[frozenset[tuple[str, str]], LRUCache[tuple[Any, ...], Any]] = {}
        self._parse_cache = LRUCache(_MOST_SOURCES)

    def set_variables(self, variables: dict[str, str]) -> None:
        """Set the colours of a theme; what was read with others is kept."""
        self._kept[frozenset(self._variables.items())] = self._parse_cache
        self._parse_cache = LRUCache(_MOST_SOURCES)  # which is emptied next
        super().set_variables(variables)
        self._parse_cache = self._kept.get(frozenset(variables.items()), self._parse_cache)

    def reparse(self) -> None:
        """Read the sources that were not read with these colours. Raises StylesheetParseError."""
        self.parse()
