"""Values to JSON and back: the one translation between the model and what others may read.

A name with bytes that are not UTF-8 is written with `\\udcXX` escapes, so that every path survives exactly.
Reading checks every field (pydantic, against the model's own type hints) and raises Refused.
"""

from __future__ import annotations

import dataclasses
import json
from typing import Any, TypeVar

from nuvik.core.model.errors import Refused
from nuvik.core.model.plan import Plan
from nuvik.core.model.snapshot import Snapshot

Value = TypeVar("Value")

# Words that Python keeps for itself.
_TO_JSON = {"from_drive": "from", "to_drive": "to"}
_FROM_JSON = {outside: inside for inside, outside in _TO_JSON.items()}
_DRIVE_EXTRAS = ("free_bytes", "felt_load_s", "tier")


def to_json(value: Any) -> Any:
    """A value of the model as plain JSON data."""
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        fields = {field.name: getattr(value, field.name) for field in dataclasses.fields(value)}
        return {_TO_JSON.get(name, name): to_json(inner) for name, inner in fields.items()}
    if isinstance(value, dict):
        return {str(name): to_json(inner) for name, inner in value.items()}
    if isinstance(value, (list, tuple)):
        return [to_json(inner) for inner in value]
    return value


def drive_to_json(drive: Any) -> dict[str, Any]:
    """A drive with the figures that follow from its own; what an away drive holds now is not known."""
    data: dict[str, Any] = to_json(drive)
    data.update({name: to_json(getattr(drive, name)) for name in _DRIVE_EXTRAS})
    if not drive.attached:
        data.update(used_bytes=None, free_bytes=None)
    return data


def snapshot_to_json(snapshot: Snapshot) -> dict[str, Any]:
    """A survey as others read it."""
    data: dict[str, Any] = to_json(snapshot)
    return {"format": "nuvik-survey/1", **data, "drives": [drive_to_json(drive) for drive in snapshot.drives]}


def plan_to_json(plan: Plan) -> dict[str, Any]:
    return {"format": "nuvik-plan/1", **to_json(plan)}


def from_json(kind: type[Value], data: Any, about: str) -> Value:
    """A value of the model from JSON data. Raises Refused, naming the field, when the data does not fit."""
    from pydantic import ValidationError

    try:
        value: Value = _adapter(kind).validate_python(_rename(data))
        return value
    except ValidationError as faults:
        fault = faults.errors()[0]
        field = ".".join(str(_TO_JSON.get(str(word), word)) for word in fault["loc"])
        raise Refused(f"{about}: “{field}”: {fault['msg']}.", next_step="Create the file again.") from None


_adapters: dict[Any, Any] = {}


def _adapter(kind: Any) -> Any:
    from pydantic import TypeAdapter  # slow to load, and only files need it

    if kind not in _adapters:
        _adapters[kind] = TypeAdapter(kind)
    return _adapters[kind]


def _rename(data: Any) -> Any:
    if isinstance(data, dict):
        return {_FROM_JSON.get(name, name): _rename(inner) for name, inner in data.items()}
    if isinstance(data, list):
        return [_rename(inner) for inner in data]
    return data


def schema_of(kind: type[Any], format_name: str) -> dict[str, Any]:
    """The JSON Schema of what is written for a value, made from the model itself."""
    schema: dict[str, Any] = json.loads(json.dumps(_adapter(kind).json_schema()))
    for part in [schema, *schema.get("$defs", {}).values()]:
        fields = part.get("properties", {})
        part["properties"] = {_TO_JSON.get(name, name): inner for name, inner in fields.items()}
        part["required"] = [_TO_JSON.get(name, name) for name in part.get("required", [])]
    schema["properties"] = {"format": {"const": format_name}, **schema["properties"]}
    schema["required"] = ["format", *schema["required"]]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
