"""Manifests: small files beside a shelf in which a program notes what lies on it, and what each thing is called.

No format of any program is known here. What is read are pairs of a name and a value, as JSON, XML and the usual plain
notations write them; a pair whose value is the name of a sub-folder makes the pairs around it speak of that sub-folder.
"""

from __future__ import annotations

import json
import os
import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import Any
from xml.etree import ElementTree

from nuvik.core.hosts.base import Host

_MOST_FILES, _MOST_BYTES = 400, 64_000
_TITLE_KEYS = ("title", "displayname", "fulltitle", "name", "label")
"""What a pair is called that gives the title, the plainest first."""
_NO_MANIFESTS = frozenset(
    [".log", ".exe", ".dll", ".so", ".sh", ".bat", ".png", ".jpg", ".svg", ".ico", ".md", ".html", ".csv"]
)
_OURS = re.compile(r'"format"\s*:\s*"nuvik-')
"""What Nuvik itself has written speaks of every folder."""
# Only between quoted words do blanks alone part a name from its value: “cd Films” in a list of commands is no pair.
_PAIR = re.compile(
    r"""^\s*(?:"?(?P<key>[\w .-]{1,40}?)"?\s*[:=]\s*"?(?P<value>[^"\n]{1,300}?)"?[,;]?"""
    r"""|"(?P<quoted_key>[\w .-]{1,40}?)"\s+"(?P<quoted_value>[^"\n]{1,300}?)"[,;]?)\s*$""",
    re.MULTILINE,
)

Record = Mapping[str, str]
"""Pairs that belong together, by their names in lower case without other signs than letters."""


@dataclass(frozen=True, slots=True)
class Named:
    """A sub-folder that a manifest speaks of."""

    title: str
    """As the manifest calls it; empty when it gives no name."""
    file: str
    """The name of the manifest."""


def named_by_manifests(host: Host, shelf: str, names: Collection[str]) -> dict[str, Named]:
    """Which of these sub-folders of a folder are named in a manifest that lies in it or beside it."""
    by_folded = {name.casefold(): name for name in names}
    result: dict[str, Named] = {}
    for place in (shelf, os.path.dirname(shelf)):
        for file, text in _texts(host, place, names):
            for record in _records(text):
                name = next((by_folded[value] for value in map(_last, record.values()) if value in by_folded), None)
                if name is not None and (name not in result or not result[name].title):
                    title = next((record[key] for key in _TITLE_KEYS if record.get(key)), "")
                    result[name] = Named(title, file)
    return result


def _last(value: str) -> str:
    """The last part of a path, or the whole value, without regard to case."""
    return value.replace("\\", "/").rstrip("/").rpartition("/")[2].casefold()


def _texts(host: Host, place: str, names: Collection[str]) -> Iterator[tuple[str, str]]:
    """The small text files in a folder."""
    try:
        files = sorted(set(host.files.names_at(place)) - set(names))[: 4 * _MOST_FILES]
    except OSError:
        return
    count = 0
    for file in files:
        path = os.path.join(place, file)
        if os.path.splitext(file)[1].lower() in _NO_MANIFESTS or count == _MOST_FILES:
            continue
        try:
            if host.files.is_folder(path) or host.files.is_link(path) or host.files.facts(path).st_size > _MOST_BYTES:
                continue
            text = host.files.read_text(path)
        except (OSError, ValueError):
            continue
        count += 1
        if "\0" not in text and not _OURS.search(text):
            yield file, text


def _records(text: str) -> Iterator[Record]:
    for read in (_json_records, _xml_records):
        try:
            yield from read(text)
            return
        except (ValueError, RecursionError, ElementTree.ParseError):
            pass
    # Sections, and in nested notations the innermost groups, hold what belongs together.
    yield from map(_pairs, re.split(r"^\s*\[.*\]\s*$|[{}]", text, flags=re.MULTILINE))


def _xml_records(text: str) -> Iterator[Record]:
    # Entities are the one way in which a small file could become a huge one.
    if not text.lstrip().startswith("<") or "<!ENTITY" in text:
        raise ValueError("no XML that is read here")
    for element in ElementTree.fromstring(text).iter():
        pairs = {_key(key): value for key, value in element.items()}
        for inner in element:
            pairs.setdefault(_key(inner.tag), (inner.text or "").strip())
        yield pairs


def _json_records(text: str) -> Iterator[Record]:
    waiting: list[Any] = [json.loads(text)]
    records = []
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            # Where a thing lies may be noted one level further in than what it is called.
            inner = [pair for group in value.values() if isinstance(group, dict) for pair in group.items()]
            pairs: dict[str, str] = {}
            for key, text_of in (*value.items(), *inner):
                if isinstance(text_of, str):
                    pairs.setdefault(_key(key), text_of)
            records.append(pairs)
            waiting += value.values()
        elif isinstance(value, list):
            waiting += value
    yield from reversed(records)


def _pairs(text: str) -> Record:
    pairs: dict[str, str] = {}
    for match in _PAIR.finditer(text):
        key, value = match["key"] or match["quoted_key"], match["value"] or match["quoted_value"]
        pairs.setdefault(_key(key), value.strip())
    return pairs


def _key(key: str) -> str:
    return "".join(letter for letter in key.casefold() if letter.isalpha())
