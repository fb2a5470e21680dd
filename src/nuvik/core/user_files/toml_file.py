"""TOML files as input that is not trusted: checked field by field, each error names the field it is in."""

from __future__ import annotations

import tomllib
from itertools import zip_longest
from typing import Any

from pydantic import ValidationError

from nuvik.core.model.errors import NotNamed, Refused, system_words
from nuvik.core.model.formats import check_format
from nuvik.core.model.names import shown


def read_checked(path: str, model: type[Any], newest_format: str) -> Any:
    """The file's data as a value of `model`, a pydantic class. Raises Refused, naming file and field."""
    try:
        with open(path, encoding="utf-8") as file:
            data = tomllib.loads(file.read())
    except OSError as fault:
        words = system_words(fault)
        raise NotNamed(f"{shown(path)} cannot be read: {words}.", next_step="Check the file.") from None
    except UnicodeDecodeError:
        raise Refused(f"{shown(path)} is not text in UTF-8.", next_step="Save it as UTF-8.") from None
    except tomllib.TOMLDecodeError as fault:
        raise Refused(f"{shown(path)} is not valid TOML: {fault}.", next_step="Correct the file.") from None
    check_format(data.get("format"), newest_format, shown(path))
    try:
        return model.model_validate(data)
    except ValidationError as faults:
        first = faults.errors()[0]
        message = first["msg"].removeprefix("Value error, ")
        raise Refused(f"{shown(path)}: {field_name(*first['loc'])}{message}.", next_step="Correct the file.") from None


def field_name(*where: str | int) -> str:
    """The place of a value, as the beginning of a sentence: ("drive", 1, "price") is “price” of drive 2.

    Tables are counted from 1, as people count them in the file.
    """
    if len(where) > 2 and isinstance(where[-1], int):
        where = where[:-1]  # a value in a list is found by the list's name
    tables, field = "", ""
    for word, following in zip_longest(where, where[1:]):
        if isinstance(word, str) and isinstance(following, int):
            tables = f"{word} {following + 1}" + (f" of {tables}" if tables else "")
        elif isinstance(word, str):
            field += f".{word}" if field else word
    if not field:
        return f"{tables}: " if tables else ""
    return f"“{shown(field)}”" + (f" of {tables}" if tables else "") + ": "
