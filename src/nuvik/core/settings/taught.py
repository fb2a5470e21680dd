"""A setting as the user teaches it: a file, a key in it, and perhaps a format, made sure to be there."""

from __future__ import annotations

import os

from nuvik.core.model.errors import BadInput, NotNamed
from nuvik.core.model.names import shown
from nuvik.core.model.paths import normalised
from nuvik.core.model.tether import Tether, TetherKind
from nuvik.core.settings import registry
from nuvik.core.settings.formats import format_named, format_of
from nuvik.core.settings.settings_file import read_settings


def taught_setting(kind: TetherKind, file: str, key: str, form: str) -> Tether:
    """The tether that a file, a key (it may be empty, to be looked for) and a format stand for. Raises BadInput, and
    Refused where the file cannot be read.
    """
    if form.strip().casefold() == registry.FORMAT:
        return Tether(kind=kind, file=file, format=registry.FORMAT, key=key)
    path = normalised(file)
    if not os.path.exists(path):
        raise NotNamed(f"There is no file {shown(path)}.", next_step="Check the path.")
    by_name = format_of(path, read_settings(path))
    if not form and by_name is None:
        raise BadInput(f"The format of {shown(path)} is not known.", next_step="Say it with --format.")
    return Tether(
        kind=kind, file=path, format=format_named(form).name if form else by_name.name if by_name else "", key=key
    )
