"""Files that are libraries by themselves: an image of a disk, a program in one file, a huge archive."""

from __future__ import annotations

import os

from nuvik.core.hosts.base import Host
from nuvik.core.model.library import Kind
from nuvik.core.survey.recognise.evidence import Guess, image_format
from nuvik.core.survey.recognise.trade_words import ARCHIVE_ENDINGS, MACHINE_ENDINGS, RUN_ENDINGS


def file_guess(host: Host, path: str) -> Guess | None:
    """What a large file is that lies among other things; None for one that is no library by itself."""
    ending = os.path.splitext(path)[1].lower()
    if ending in MACHINE_ENDINGS:
        return Guess(Kind.DISC_IMAGE, 0.85, "it is an image of a disk")
    if ending in RUN_ENDINGS or _may_be_run(host, path):
        return Guess(Kind.PROGRAM, 0.7, "it is a program in one file")
    if (what := image_format(host, path)) is not None:
        return Guess(Kind.DISC_IMAGE, 0.9, f"it is an image of a disk ({what})")
    return Guess(Kind.BACKUP, 0.5, "it is a large archive") if ending in ARCHIVE_ENDINGS else None


def _may_be_run(host: Host, path: str) -> bool:
    try:
        return not os.path.splitext(path)[1] and bool(host.files.facts(path).st_mode & 0o111)
    except OSError:
        return False
