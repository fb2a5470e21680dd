"""Target paths: where on a drive a library is put, by that drive's template, without clashes.

A template is a relative path with places to be filled: `{kind}` (the folder word of the kind), `{name}` (the
library's own folder name) and `{from}` (the label of the drive it comes from). The usual one is `{kind}/{name}`.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from itertools import takewhile

from nuvik.core.model.drive import Drive
from nuvik.core.model.errors import BadInput
from nuvik.core.model.library import Kind, Library
from nuvik.core.model.names import shown

USUAL_TEMPLATE = "{kind}/{name}"
_FIELDS = ("{kind}", "{name}", "{from}")
_MOST_TRIES = 1_000


def clean_template(text: str, drive: Drive) -> str:
    """A template as the user typed it, checked; empty for the usual one. Raises BadInput."""
    wanted = text.strip().strip("/")
    if wanted in ("", USUAL_TEMPLATE):
        return ""
    words = wanted.split("/")
    problem = ""
    if unknown := set(re.findall(r"\{[^}]*\}?|\}", wanted)) - set(_FIELDS):
        problem = f"{sorted(unknown)[0]} cannot be filled in"
    elif "{name}" not in words[-1]:
        problem = "its last folder must contain {name}"
    elif any(word in ("", ".", "..") for word in words) or "\0" in wanted:
        problem = "each part must be the name of a folder"
    else:
        for word in words:
            plain = word.replace("{kind}", "Games").replace("{name}", "x").replace("{from}", "x")
            problem = problem or drive.rules.why_not_name(plain) or ""
    if problem:
        raise BadInput(
            f"“{shown(text)}” is not a template for target paths: {problem}.",
            next_step=f"Write for example Libraries/{USUAL_TEMPLATE}.",
        )
    return wanted


def usual_target(library: Library, drive: Drive, source: Drive | None = None) -> str:
    """Where a library goes on a drive unless the user says otherwise: `<drive>/Games/Comet Courier`."""
    filled = drive.target_template or USUAL_TEMPLATE
    filled = re.sub(r"\{(kind|name|from)\}", lambda field: _fill(field[1], library, source), filled)
    return os.path.join(drive.base_path or drive.path, *filled.split("/"))


def folder_for(kind: Kind, drive: Drive) -> str:
    """The folder where new content of a kind goes on a drive: where that drive's template puts libraries of it, as
    far as that does not hang on a single one.
    """
    words = (drive.target_template or USUAL_TEMPLATE).split("/")
    fixed = list(takewhile(lambda word: "{name}" not in word and "{from}" not in word, words))
    return os.path.join(drive.base_path or drive.path, *(word.replace("{kind}", kind.folder) for word in fixed))


def _fill(field: str, library: Library, source: Drive | None) -> str:
    if field == "kind":
        return library.kind.folder
    name = os.path.basename(library.path) if field == "name" else source.label if source else ""
    if field == "name" and library.piece is not None and not library.piece.body:
        name = f"{os.path.basename(os.path.dirname(library.path))} {name}"  # “Backups” alone would say nothing
    return name.replace("/", "-") or "Library"


def free_target(wanted: str, drive: Drive, taken: Callable[[str], bool]) -> str:
    """The wanted path, or with a number behind the name the first that is not taken."""
    if not taken(wanted):
        return wanted
    for number in range(2, _MOST_TRIES):
        if not taken(f"{wanted} ({number})"):
            return f"{wanted} ({number})"
    return wanted
