"""The screens: one a stage. They show one of the core's values and ask the core for the next; none computes."""

from __future__ import annotations

import os

# Esc is told from the beginning of another key by what follows within this time; Textual waits 100 ms, and
# reads it once, when it is imported.
os.environ.setdefault("ESCDELAY", "25")
