"""The trees of the last full survey, in a file beside the database: a quick survey walks only what changed since.

The file can be lost or removed at any time: then the next survey is a full one. It is written by `marshal`, which is as
quick as can be had and is tied to the version of Python; another version does not read it.
"""

from __future__ import annotations

import glob
import logging
import marshal
import os
import sys
import tempfile
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import fields

from nuvik.core.survey.walk.no_collecting import no_collecting
from nuvik.core.survey.walk.quick_walk import WalkedTree
from nuvik.core.survey.walk.walk_slice import WalkRules
from nuvik.core.survey.walk.walk_worker import packed, unpacked

log = logging.getLogger(__name__)
_FILE = "walked-trees"
_HEAD = f"nuvik-walked-trees/1 {sys.version_info.major}.{sys.version_info.minor}\n".encode()
_RULES = tuple(field.name for field in fields(WalkRules))


def keep_walked(folder: str, trees: Sequence[WalkedTree]) -> None:
    """Keep trees, in the place of those that were kept. Where that fails, the next survey is a full one."""
    rows = [
        (tuple(getattr(tree.rules, name) for name in _RULES), tree.walked_at_s, packed(list(tree.sums)))
        for tree in trees
    ]
    path = os.path.join(folder, _FILE)
    try:
        with no_collecting():
            data = marshal.dumps(rows)
        for left in glob.glob(f"{glob.escape(path)}.*"):  # of a survey that was killed
            os.unlink(left)
        with tempfile.NamedTemporaryFile(dir=folder, prefix=f"{_FILE}.", delete=False) as file:
            file.write(_HEAD)
            file.write(data)
        os.replace(file.name, path)
    except (OSError, ValueError) as fault:
        log.info("the walked trees are not kept: %s", fault)
        with suppress(OSError):
            os.unlink(path)


def kept_walked(folder: str) -> list[WalkedTree]:
    """The trees that were kept; none where there are none that can be read."""
    try:
        with open(os.path.join(folder, _FILE), "rb") as file:
            if file.readline(len(_HEAD)) != _HEAD:
                return []
            with no_collecting():
                rows = marshal.loads(file.read())
                return [
                    WalkedTree(WalkRules(**dict(zip(_RULES, rules, strict=True))), at_s, tuple(unpacked(sums)))
                    for rules, at_s, sums in rows
                ]
    except (OSError, EOFError, ValueError, TypeError) as fault:
        log.info("no walked trees: %s", fault)
        return []
