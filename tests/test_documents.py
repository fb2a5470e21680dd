"""What commands print with --json: one document, as its published schema says, with drives away too."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest

from conftest import MB, fill, put
from nuvik.__main__ import run
from nuvik.cli import COMMANDS
from nuvik.core.views.documents.field_words import has_unit
from nuvik.core.views.documents.formats import FORMATS
from nuvik.core.views.documents.schema import file_name, holds_number, properties, schema_of
from test_buying_and_advice import CANDIDATES

SCHEMAS = Path(__file__).parent.parent / "docs" / "schema"
SCREENS = {"demo"}
"""They print no document; that they say so is tested with the other refusals."""


def shipped(format_name: str) -> dict:
    return json.loads((SCHEMAS / file_name(format_name)).read_text())


def strict(schema: dict) -> dict:
    """Nothing may be in a document that its schema does not describe."""
    for part in (schema, *schema.get("$defs", {}).values()):
        if "properties" in part:
            part["additionalProperties"] = False
    return schema


def test_schemas_are_those_of_the_documents_and_explain_every_field():
    kinds: dict[str, set[str]] = {}
    for format_name in FORMATS:
        schema = schema_of(format_name)
        assert shipped(format_name) == schema
        jsonschema.Draft202012Validator.check_schema(schema)
        assert schema["$id"].startswith("urn:nuvik:schema:")
        assert all(part["description"] for part in schema.get("$defs", {}).values())
        for owner, name, field in properties(schema):
            assert field["description"], (format_name, owner, name)
            assert not holds_number(field) or has_unit(name), (format_name, owner, name)
            assert not name.endswith("_s") or "unit" in field, (format_name, owner, name)
            kinds.setdefault(name, set()).add(field.get("unit", ""))
    assert not {name: units for name, units in kinds.items() if len(units - {""}) > 1}, "one name, one unit"
    assert len(FORMATS) == len(list(SCHEMAS.iterdir()))


def test_every_command_prints_the_document_that_its_schema_describes(world, tmp_path, capsys, monkeypatch):
    monkeypatch.setenv("NUVIK_CONFIG", str(tmp_path / "nuvik.toml"))
    monkeypatch.chdir(tmp_path)
    game, old = world.path("kestrel", "Games", "Ferrymoss"), world.path("wren", "Films", "Old Ferry")
    for place in (game, world.path("kestrel", "Games", "Lantern"), old):
        fill(place)
    put(world.path("kestrel", "Games", "Ferrymoss", "big.pack"), 180 * MB)
    cache = Path(world.path("kestrel", "Vane cache"))
    put(cache / "tiles.bin", 5 * MB)
    (cache / "CACHEDIR.TAG").write_text("Signature: 8a477f597d28d172789f06886806bc55\n")
    put(tmp_path / "twin", 0)
    for place in (world.path("heron", "a", "same.mkv"), world.path("wren", "b", "same.mkv")):
        put(place, 120 * MB)
    Path("buy.toml").write_text(CANDIDATES)
    printed: dict[str, str] = {}
    called: set[str] = set()

    def nuvik(*words: str, code: int = 0) -> dict:
        called.add(words[0])
        ended = world.run(*words, "--json")
        output = capsys.readouterr()
        assert ended == code, (words, output.err)
        lines = output.out.splitlines()
        documents = [json.loads(line) for line in lines] if lines[0] != "{" else [json.loads(output.out)]
        for document in documents:
            jsonschema.validate(document, strict(shipped(document["format"])))
            printed[document["format"]] = words[0]
        return documents[-1]

    for _ in range(2):
        assert len(nuvik("survey")["libraries"]) >= 3
        for drive in world.data["drive"]:
            drive["attached"] = drive["id"] != "wren"
        world.write()
    away = nuvik("survey", "--save", "all.json")
    jsonschema.validate(json.loads(Path("all.json").read_text()), strict(shipped("nuvik-survey/1")))
    assert [drive["used_bytes"] for drive in away["drives"] if not drive["attached"]] == [None]
    nuvik("drives")
    nuvik("drives", "--save", "drives.json")
    jsonschema.validate(json.loads(Path("drives.json").read_text()), strict(shipped("nuvik-drives/1")))
    assert nuvik("drive", "heron", "--name", "Big Heron")["drives"][0]["label"] == "Big Heron"
    nuvik("advise", "heron")
    nuvik("gauge", "heron", "--quick")
    nuvik("compare", "buy.toml")
    nuvik("changes")
    nuvik("twins")
    assert nuvik("card", game, "--opens-per-week", "5", "--kind", "game")["opens_per_week"] == 5
    assert nuvik("cards", "export", "cards.toml")["written"] == ["cards.toml"]
    nuvik("cards", "import", "cards.toml")
    nuvik("why", game)
    assert nuvik("waiting", game)["libraries"][0]["source"] == "assumed"
    nuvik("waiting")
    nuvik("propose", "--weigh", "list")
    for code, words in ((0, ["-o", "best.json"]), (5, ["--hours", "0.000001"]), (5, ["--headroom", "kestrel=199M"])):
        assert nuvik("propose", *words, code=code)["format"] == "nuvik-proposal/1"
    jsonschema.validate(json.loads(Path("best.json").read_text()), strict(shipped("nuvik-plan/1")))
    nuvik("draft", game, "heron", "-o", "mine.json")
    nuvik("plan", "mine.json", "--beside", "best.json")
    nuvik("rehearse", "mine.json", "--away", "heron", "--weeks", "9", "--new", "game=90M", "--stop-after", "1")
    nuvik("draw", "drives", "-o", "drives.svg")
    nuvik("report", "-o", "report.html", "--no-proposal")
    nuvik("facts")
    nuvik("help")
    nuvik("tether", game, "--find", "--check")
    nuvik("landing")
    assert nuvik("landing", "game", "heron")["landings"][0]["drive"] == "heron"
    assert nuvik("empty")["able"] and nuvik("empty", "Vane cache", "--yes")["done"]
    nuvik("logbook")
    assert nuvik("carry", "mine.json")["format"] == "nuvik-rehearsal/1"
    assert nuvik("carry", "mine.json", "--yes")["event"] == "done"
    assert nuvik("undo", "last")["moves"] and nuvik("undo", "all")["moves"]
    nuvik("undo", "last", "--yes")
    nuvik("shift", game, "heron", "--yes", "--on-trial")
    assert nuvik("logbook")["moves"][0]["state"] == "on-trial"
    nuvik("mend")
    nuvik("release", "all")
    nuvik("config")
    assert nuvik("away")["drives"][0]["drive"] == "wren"
    nuvik("fallback")
    nuvik("history")
    nuvik("guide", "new-drive", "heron")
    nuvik("status")
    nuvik("note", "heron", "--yes")
    nuvik("adopt", "heron")
    nuvik("eject", "heron")
    nuvik("eject", "heron", "--attach")
    nuvik("watch", code=3)
    for words in ("resume", "skip 1", "next 1", "release all"):
        assert nuvik(*words.split(), code=3)["exit_code"] == 3
    known = {name for names in COMMANDS.values() for name in names} - {"opening"}
    assert called == known - SCREENS, "but for those about openings"
    elsewhere = {"nuvik-drive-note/1", "nuvik-queue/1", "nuvik-opening/1", "nuvik-openings/1", "nuvik-taste/1"}
    assert set(FORMATS) - printed.keys() == elsewhere, "tested where they are made"


@pytest.mark.parametrize("words", [["demo"], ["demo", "--fresh"]])
def test_screens_print_no_documents(words, capsys, monkeypatch):
    monkeypatch.setattr("sys.stdout.isatty", lambda: True, raising=False)
    assert run([*words, "--json"]) == 2
    assert json.loads(capsys.readouterr().out)["format"] == "nuvik-error/1"
