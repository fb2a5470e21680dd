"""Every document by the name of its format."""

from __future__ import annotations

from typing import Any

from nuvik.core.model.library import Card
from nuvik.core.model.plan import Plan
from nuvik.core.model.survey_document import DrivesDocument, SurveyDocument
from nuvik.core.model.timeline import Timeline
from nuvik.core.store.json_codec import to_json
from nuvik.core.views.documents.of_calls import ConfigDocument, DoneDocument, ErrorDocument, FactsDocument
from nuvik.core.views.documents.of_drives import AdviceDocument, CompareDocument, GaugeDocument
from nuvik.core.views.documents.of_moves import (
    EventDocument,
    LogbookDocument,
    MendDocument,
    QueueDocument,
    UndoDocument,
)
from nuvik.core.views.documents.of_notes import AdoptDocument, DriveNoteDocument
from nuvik.core.views.documents.of_openings import RecordingDocument, RecordingsDocument, TastesDocument
from nuvik.core.views.documents.of_plans import PlanCheckDocument, ProposalDocument, WeightsDocument, WhyDocument
from nuvik.core.views.documents.of_surveys import ChangesDocument, EmptyDocument, TwinsDocument
from nuvik.core.views.documents.of_tethers import LandingDocument, TetherDocument
from nuvik.core.views.documents.of_waiting import WaitingDocument
from nuvik.core.views.documents.of_watching import (
    AwayDocument,
    EjectDocument,
    FallbacksDocument,
    GuideDocument,
    HistoryDocument,
    StatusDocument,
)

FORMATS: dict[str, type[Any]] = {
    "nuvik-facts/1": FactsDocument,
    "nuvik-drives/1": DrivesDocument,
    "nuvik-gauge/1": GaugeDocument,
    "nuvik-advice/1": AdviceDocument,
    "nuvik-compare/1": CompareDocument,
    "nuvik-survey/1": SurveyDocument,
    "nuvik-changes/1": ChangesDocument,
    "nuvik-twins/1": TwinsDocument,
    "nuvik-card/1": Card,
    "nuvik-empty/1": EmptyDocument,
    "nuvik-plan/1": Plan,
    "nuvik-proposal/1": ProposalDocument,
    "nuvik-weights/1": WeightsDocument,
    "nuvik-plan-check/1": PlanCheckDocument,
    "nuvik-why/1": WhyDocument,
    "nuvik-waiting/1": WaitingDocument,
    "nuvik-opening/1": RecordingDocument,
    "nuvik-openings/1": RecordingsDocument,
    "nuvik-taste/1": TastesDocument,
    "nuvik-rehearsal/1": Timeline,
    "nuvik-event/1": EventDocument,
    "nuvik-undo/1": UndoDocument,
    "nuvik-status/1": StatusDocument,
    "nuvik-away/1": AwayDocument,
    "nuvik-fallback/1": FallbacksDocument,
    "nuvik-history/1": HistoryDocument,
    "nuvik-guide/1": GuideDocument,
    "nuvik-eject/1": EjectDocument,
    "nuvik-drive-note/1": DriveNoteDocument,
    "nuvik-adopt/1": AdoptDocument,
    "nuvik-queue/1": QueueDocument,
    "nuvik-logbook/1": LogbookDocument,
    "nuvik-mend/1": MendDocument,
    "nuvik-tether/1": TetherDocument,
    "nuvik-landing/1": LandingDocument,
    "nuvik-config/1": ConfigDocument,
    "nuvik-done/1": DoneDocument,
    "nuvik-error/1": ErrorDocument,
}
_NAMES = {kind: name for name, kind in FORMATS.items()}


def as_document(value: Any) -> dict[str, Any]:
    """A document as plain JSON data, its format first. An event leaves out what it does not tell."""
    data = to_json(value)
    if isinstance(value, EventDocument):
        data = {name: inner for name, inner in data.items() if inner is not None}
    return {"format": _NAMES[type(value)], **data}
