"""Paths as values: absolute, normalised text that may hold any byte a file system allows.

Bytes that are not UTF-8 are kept as surrogates (`os.fsdecode`), so a path survives a round trip exactly.
"""

from __future__ import annotations

import os
from collections.abc import Collection
from typing import Annotated, Any


class _AnyBytes:
    """Tells pydantic, where values are read from files, that a path may hold surrogates."""

    def __get_pydantic_core_schema__(self, source: Any, handler: Any) -> Any:
        from pydantic_core import core_schema

        def check(value: Any) -> str:
            if not isinstance(value, str) or "\0" in value:
                raise ValueError("a path must be text without a NUL character")
            try:
                os.fsencode(value)
            except UnicodeEncodeError:
                raise ValueError("holds a character that no file name can hold") from None
            return value

        return core_schema.no_info_plain_validator_function(check)

    def __get_pydantic_json_schema__(self, schema: Any, handler: Any) -> dict[str, Any]:
        return {"type": "string"}


PathText = Annotated[str, _AnyBytes()]
"""A path or a name taken from a file system."""


def below(root: str, path: str) -> str:
    """The full path of what lies at a relative path below `root`; the empty one is the root itself."""
    return f"{root}{os.sep}{path}" if path else root


def normalised(path: str) -> str:
    """An absolute path without `..`, doubled slashes or a trailing slash. Does not touch the disk."""
    return os.path.abspath(os.path.expanduser(path))


def is_within(path: str, folder: str) -> bool:
    """Whether `path` is `folder` itself or lies below it; both normalised."""
    return path == folder or path.startswith(folder if folder.endswith(os.sep) else folder + os.sep)


def parents(path: str, roots: Collection[str] = ()) -> list[str]:
    """Every folder above `path`, nearest first; with `roots` none above the nearest of these: what lies on a drive
    that is mounted in a folder is no part of that folder.
    """
    folders = []
    while path not in roots and (above := os.path.dirname(path)) != path:
        folders.append(above)
        path = above
    return folders
