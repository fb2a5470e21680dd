"""YAML 1.1, as far as its values stand in one place: no blocks of several lines."""

from __future__ import annotations

import json
from typing import Any

from nuvik.core.settings.setting_format import NotReadable, TextFormat, Value, key_of

_TEXT = "tag:yaml.org,2002:str"


class YamlFormat(TextFormat):
    """Read by a library that tells where each value stands; only that is rewritten."""

    name = "yaml"
    endings = (".yaml", ".yml")

    def values_in(self, text: str) -> list[Value]:
        import yaml

        if text.startswith("﻿"):
            raise NotReadable("it begins with a mark of its byte order")
        try:
            root = yaml.compose(text, Loader=yaml.SafeLoader)
        except (yaml.YAMLError, ValueError) as fault:
            raise NotReadable(f"it is not YAML: {str(fault).splitlines()[0]}") from None
        values: list[Value] = []
        waiting: list[tuple[list[str | int], Any]] = [([], root)] if root is not None else []
        seen: set[int] = set()
        while waiting:
            path, node = waiting.pop()
            if id(node) in seen:  # named before, and meant again here
                continue
            seen.add(id(node))
            if isinstance(node, yaml.ScalarNode):
                if node.tag == _TEXT and node.style not in ("|", ">"):
                    values.append(Value(key_of(path), node.value, node.start_mark.index, node.end_mark.index))
            elif isinstance(node, yaml.MappingNode):
                inner = [([*path, str(name.value)], item) for name, item in node.value]
                waiting += reversed(inner)
            elif isinstance(node, yaml.SequenceNode):
                waiting += reversed([([*path, number], item) for number, item in enumerate(node.value)])
        return values

    def written(self, text: str, old: str) -> str:
        import yaml

        if old.startswith("'") and text.isprintable():
            doubled = text.replace("'", "''")
            return f"'{doubled}'"
        if not old.startswith('"') and text and text.strip() == text and text.isprintable():
            # A plain value stays one where that is read as the same text, in a list between brackets too.
            try:
                if yaml.safe_load(f"[{text}]") == [text] and yaml.safe_load(f"a: {text}") == {"a": text}:
                    return text
            except yaml.YAMLError:
                pass
        return json.dumps(text, ensure_ascii=False)
