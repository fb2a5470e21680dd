"""The JSON documents that commands print: values of the model, as plain data."""

from __future__ import annotations

from typing import Any

from nuvik.core.model.drive import Drive
from nuvik.core.model.plan import Plan
from nuvik.core.model.snapshot import Snapshot
from nuvik.core.store.json_codec import drive_to_json, plan_to_json, snapshot_to_json, to_json


def document(value: Any) -> Any:
    """A value of the model as plain JSON data."""
    return to_json(value)


def drive_document(drive: Drive) -> dict[str, Any]:
    """A drive, with the figures that follow from its own."""
    return drive_to_json(drive)


def survey_document(snapshot: Snapshot) -> dict[str, Any]:
    """A survey, without its format."""
    return _without_format(snapshot_to_json(snapshot))


def plan_document(plan: Plan) -> dict[str, Any]:
    """A plan, without its format."""
    return _without_format(plan_to_json(plan))


def _without_format(data: dict[str, Any]) -> dict[str, Any]:
    return {name: inner for name, inner in data.items() if name != "format"}
