"""Keeping the draft, so that closing the screens, a crash or a power cut takes no plan away."""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING, ClassVar

from nuvik.core.model.errors import NuvikError
from nuvik.tui.jobs.base import Job, JobHost

if TYPE_CHECKING:
    from nuvik.core.planning.drafting.draft import Draft

log = logging.getLogger(__name__)


class DraftKeeper(Job):
    """Looks now and then whether the draft in force is another one, and writes it down."""

    group: ClassVar[str] = "draft"

    def __init__(self, host: JobHost) -> None:
        super().__init__(host)
        self._kept: Draft | None = None
        self._busy = False

    def look(self) -> None:
        """Write the draft down beside the screens, if it has changed."""
        draft = self.host.desk.draft
        if draft is not self._kept and not self._busy:
            self._busy, self._kept = True, draft
            self.start(lambda: self._keep(draft))

    def keep_now(self) -> None:
        """Write it down before the screens close."""
        if self.host.desk.draft is not self._kept:
            self._write(self.host.desk.draft)

    def _keep(self, draft: Draft) -> None:
        self._write(draft)
        self._busy = False

    def _write(self, draft: Draft) -> None:
        try:
            self.host.desk.workspace.plan.keep_draft(draft)
        except NuvikError as trouble:
            log.warning("the draft cannot be kept: %s", trouble)

    def broke(self, fault: Exception) -> None:
        self._busy = False
        super().broke(fault)
