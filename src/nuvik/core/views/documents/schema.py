"""The JSON Schema of each document, made from the document itself: types, what each field means, and its unit."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from nuvik.core.store.json_codec import OUTSIDE
from nuvik.core.views.documents.field_words import FIELD_WORDS, unit_of
from nuvik.core.views.documents.formats import FORMATS

_READ_TOO = {"nuvik-plan/1"}
"""What Nuvik reads as well as writes: there, what may be left out is not required."""


def file_name(format_name: str) -> str:
    """For example `nuvik-plan.schema.json`."""
    return f"{format_name.partition('/')[0]}.schema.json"


def schema_of(format_name: str) -> dict[str, Any]:
    """The JSON Schema of a format in `FORMATS`."""
    from pydantic import ConfigDict, TypeAdapter  # slow to load, and only schemas need them

    kind = FORMATS[format_name]
    whole_is_written = format_name not in _READ_TOO and format_name != "nuvik-event/1"
    config = ConfigDict(use_attribute_docstrings=True, json_schema_serialization_defaults_required=whole_is_written)
    # A list, so that the settings reach a plain dataclass.
    schema = TypeAdapter(list[kind], config=config).json_schema(  # type: ignore[valid-type]
        mode="serialization" if whole_is_written else "validation"
    )
    parts: dict[str, Any] = schema["$defs"]
    for part in parts.values():
        _complete(part)
    whole = parts.pop(kind.__name__)
    for base in FORMATS:
        if FORMATS[base] in kind.__bases__:
            _inherit(whole, schema_of(base))
    number = format_name.rpartition("/")[2]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": f"urn:nuvik:schema:{format_name.partition('/')[0]}:{number}",
        "title": format_name,
        "description": whole["description"],
        "type": "object",
        "properties": {
            "format": {"const": format_name, "description": "What this document is, and the version of its form."},
            **whole["properties"],
        },
        "required": ["format", *whole.get("required", [])],
        **({"$defs": parts} if parts else {}),
    }


def properties(schema: dict[str, Any]) -> Iterator[tuple[str, str, dict[str, Any]]]:
    """Each property as (whose, name, schema)."""
    for owner, part in {"": schema, **schema.get("$defs", {})}.items():
        for name, inner in part.get("properties", {}).items():
            yield owner, name, inner


def _inherit(part: dict[str, Any], base: dict[str, Any]) -> None:
    """Fields of the base keep its words: only a class's own are read from its source."""
    for name, inner in part["properties"].items():
        if not inner["description"]:
            inner["description"] = base["properties"][name]["description"]


def _complete(part: dict[str, Any]) -> None:
    """Give the fields of a part their outside names, descriptions and units."""
    part.pop("title", None)
    part["description"] = " ".join(part.get("description", "").split())
    if "properties" not in part:
        return
    fields = {OUTSIDE.get(name, name): inner for name, inner in part["properties"].items()}
    for name, inner in fields.items():
        inner.pop("title", None)
        words = inner.get("description") or FIELD_WORDS.get(name, "")
        inner["description"] = " ".join(words.split())
        if holds_number(inner) and (unit := unit_of(name)):
            inner["unit"] = unit
    part["properties"] = fields
    if "required" in part:
        part["required"] = [OUTSIDE.get(name, name) for name in part["required"]]


def holds_number(schema: dict[str, Any]) -> bool:
    """Whether a field holds figures, perhaps several."""
    inner = [*schema.get("anyOf", ()), *schema.get("prefixItems", ())]
    inner += [schema[name] for name in ("items", "additionalProperties") if isinstance(schema.get(name), dict)]
    return schema.get("type") in ("integer", "number") or any(holds_number(each) for each in inner)
