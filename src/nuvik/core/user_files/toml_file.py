"""TOML files as input that is not trusted: checked field by field, every fault told with the line it stands on."""

from __future__ import annotations

import re
import tomllib
from typing import Any

from pydantic import ValidationError

from nuvik.core.model.errors import Refused
from nuvik.core.model.formats import check_format
from nuvik.core.model.names import shown


def text_of(path: str) -> str:
    """The text of a file. Raises Refused when it cannot be read."""
    try:
        with open(path, encoding="utf-8") as file:
            return file.read()
    except (OSError, UnicodeDecodeError) as fault:
        raise Refused(f"{shown(path)} cannot be read: {fault}.", next_step="Check the file.") from None


def read_checked(path: str, model: type[Any], newest_format: str) -> Any:
    """The file's data as a value of `model`, a pydantic class. Raises Refused, naming file, line and field."""
    text = text_of(path)
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as fault:
        raise Refused(f"{shown(path)} is not valid TOML: {fault}.", next_step="Correct the file.") from None
    check_format(data.get("format"), newest_format, f"{shown(path)}, line {line_of(text, ('format',))}")
    try:
        return model.model_validate(data)
    except ValidationError as faults:
        first = faults.errors()[0]
        where = tuple(first["loc"])
        field = ".".join(str(word) for word in where if not isinstance(word, int))
        message = first["msg"].removeprefix("Value error, ")
        about = f"“{field}”: " if field else ""
        raise Refused(
            f"{shown(path)}, line {line_of(text, where)}: {about}{message}.", next_step="Correct the file."
        ) from None


def line_of(text: str, where: tuple[Any, ...]) -> int:
    """The line on which `(table, index, key)` stands in a TOML text; the table's own line when the key is missing."""
    lines = text.splitlines()
    table_line = 0
    if len(where) >= 2 and isinstance(where[1], int):
        heads = [n for n, line in enumerate(lines) if re.match(rf"\s*\[\[\s*{re.escape(str(where[0]))}\s*\]\]", line)]
        if where[1] < len(heads):
            table_line = heads[where[1]]
            where = where[2:]
    key = next((str(word) for word in where if isinstance(word, str)), None)
    if key is None:
        return table_line + 1
    for number in range(table_line, len(lines)):
        if number > table_line and lines[number].lstrip().startswith("[["):
            break
        if re.match(rf"\s*{re.escape(key)}\s*=", lines[number]):
            return number + 1
    return table_line + 1
