"""Large files that need a decision: those in no library, and old downloads."""

from __future__ import annotations

from nuvik.core.model.clock import days_since
from nuvik.core.model.library import Kind
from nuvik.core.model.snapshot import LargeFile, Snapshot

OLD_DOWNLOAD_DAYS = 365


def loose_files(snapshot: Snapshot, drive_id: str | None = None) -> list[LargeFile]:
    """The largest files that lie in no library."""
    return [file for file in snapshot.large_files if file.library is None and drive_id in (None, file.drive)]


def old_downloads(snapshot: Snapshot) -> list[LargeFile]:
    """Large files among downloads that did not change for a year."""
    downloads = {library.id for library in snapshot.libraries if library.kind is Kind.DOWNLOAD}
    return [
        file
        for file in snapshot.large_files
        if file.library in downloads and days_since(file.changed) > OLD_DOWNLOAD_DAYS
    ]
