"""Cold: what was not used for so long that it need not lie on a fast drive."""

from __future__ import annotations

import time
from functools import lru_cache

from nuvik.core.model.clock import moment_text

COLD_AFTER_DAYS = 365
"""A library that was not used for a year is called cold."""


def is_cold(last_used: str | None) -> bool:
    """Whether a library was unused for a year."""
    return last_used is not None and last_used < _cold_before(int(time.time() // 60))


@lru_cache(maxsize=1)
def _cold_before(minute: int) -> str:
    """Moments are written so that their texts have their order; thousands are compared for one picture."""
    return moment_text(60 * minute - COLD_AFTER_DAYS * 86_400)
