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

Value = TypeVar("Value")

# Words that Python keeps for itself.
OUTSIDE = {"from_drive": "from", "to_drive": "to"}
_INSIDE = {outside: inside for inside, outside in OUTSIDE.items()}


def to_json(value: Any) -> Any:
    """A value of the model as plain JSON data."""
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        fields = {field.name: getattr(value, field.name) for field in dataclasses.fields(value)}
        return {OUTSIDE.get(name, name): to_json(inner) for name, inner in fields.items()}
    if isinstance(value, dict):
        return {str(name): to_json(inner) for name, inner in value.items()}
    if isinstance(value, (list, tuple)):
        return [to_json(inner) for inner in value]
    return value


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
        field = ".".join(str(OUTSIDE.get(str(word), word)) for word in fault["loc"])
        raise Refused(f"{about}: “{field}”: {fault['msg']}.", next_step="Create the file again.") from None


def from_json_text(kind: type[Value], text: str, about: str) -> Value:
    """A value of the model from the words of a JSON document: as `from_json`, in a third of the time where no field has
    another name there. Raises Refused as that does.
    """
    from pydantic import ValidationError

    if not any(f'"{name}"' in text for name in _INSIDE):
        try:
            value: Value = _adapter(kind).validate_json(text)
            return value
        except ValidationError:
            pass  # either it is wrong, which is said below, or it holds a name that is not Unicode
    return from_json(kind, json.loads(text), about)


_adapters: dict[Any, Any] = {}


def _adapter(kind: Any) -> Any:
    from pydantic import TypeAdapter  # slow to load, and only files need it

    if kind not in _adapters:
        _adapters[kind] = TypeAdapter(kind)
    return _adapters[kind]


def _rename(data: Any) -> Any:
    if isinstance(data, dict):
        return {_INSIDE.get(name, name): _rename(inner) for name, inner in data.items()}
    if isinstance(data, list):
        return [_rename(inner) for inner in data]
    return data
