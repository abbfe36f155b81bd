"""A description by CSV on the Web: every part of it is honoured, and all that breaks it is told."""

import json
from pathlib import Path
from typing import Any

import pytest

import comb

BASE: dict[str, Any] = {"url": "x.csv", "dialect": {"delimiter": ";"}}


def described(folder: Path, columns: list[dict[str, Any]], text: str, name: str = "x.csv", **more: Any) -> comb.Table:
    keys = {key: more.pop(key) for key in ("primaryKey", "foreignKeys", "null") if key in more}
    record = {**BASE, "url": name, **more, "tableSchema": {"columns": columns, **keys}}
    (folder / "schema.json").write_text(json.dumps(record))
    (folder / name).write_text(text)
    return comb.load(folder / name, schema=folder / "schema.json")


# What a column says; its cells; what they become; what is wrong with them.
CASES: list[tuple[dict[str, Any], str, list[object], list[str]]] = [
    ({"datatype": {"base": "date", "format": "d. MMMM yyyy"}}, "3. März 2026|x", ["2026-03-03", None], ["2: 'x' is no date"]),
    ({"datatype": {"base": "dateTime", "format": "dd.MM.yyyy HH:mm"}}, "01.05.2026 06:30", ["2026-05-01T06:30:00"], []),
    ({"datatype": "dateTimeStamp"}, "2026-05-01T06:30:00+02:00", ["2026-05-01T04:30:00Z"], []),
    ({"datatype": {"base": "time", "format": "h:mm a"}}, "5:45 pm", ["17:45:00"], []),
    ({"datatype": "dayTimeDuration"}, "PT90M|P1Y", ["PT1H30M", None], ["2: 'P1Y' is no duration"]),
    ({"datatype": "gYearMonth"}, "2026-05", ["2026-05-01"], []),
    ({"datatype": "json"}, "[1]|{", ["[1]", None], ["2: '{' is no json"]),
    ({"datatype": {"base": "boolean", "format": "J|N"}}, "J|N|yes", ["true", "false", None], ["3: 'yes' is no boolean"]),
    ({"datatype": {"base": "number", "format": {"decimalChar": ",", "groupChar": "."}}}, "1.234,5|0,5", ["1234.5", "0.5"], []),
    ({"datatype": {"base": "decimal", "format": {"decimalChar": ",", "pattern": "0.00"}}}, "1,50", ["1.50"], []),
    ({"datatype": {"base": "decimal", "format": "#,##0.00"}}, "1,234.50", ["1234.50"], []),
    ({"datatype": {"base": "number", "format": "0.0%"}}, "12.5%", ["0.125"], []),
    ({"required": True}, "a||c", ["a", None, "c"], ["2: missing, but required"]),
    ({"default": "0", "datatype": "integer"}, "5||7", ["5", "0", "7"], []),
    ({"default": "none"}, "a||", ["a", "none", "none"], []),
    ({"null": ["-", "x"], "datatype": "integer"}, "1|-|x|n/a", ["1", None, None, None], ["4: 'n/a' is no integer"]),
    ({"separator": ","}, "a, b|c", ['["a", "b"]', '["c"]'], []),
    ({"datatype": {"base": "integer", "minimum": 0, "maximum": "9"}}, "5|-1|10", ["5", "-1", "10"], ["2: '-1' is not at least 0", "3: '10' is not at most 9"]),
    ({"datatype": "byte"}, "127|128", ["127", "128"], ["2: '128' is not at most 127"]),
    ({"datatype": {"base": "date", "minExclusive": "2026-01-01"}}, "2026-01-01", ["2026-01-01"], ["1: '2026-01-01' is not more than 2026-01-01"]),
    ({"datatype": {"base": "string", "length": 2}}, "ab|abc", ["ab", "abc"], ["2: 'abc' is not 2 characters or fewer"]),
    ({"datatype": {"base": "string", "format": "[A-Z]+"}}, "AB|ab", ["AB", "ab"], ["2: 'ab' is not of the form [A-Z]+"]),
]  # fmt: skip


@pytest.mark.parametrize(("column", "cells", "values", "broken"), CASES, ids=lambda one: str(one)[:40])
def test_every_part_of_a_description(
    tmp_path: Path, column: dict[str, Any], cells: str, values: list[object], broken: list[str]
) -> None:
    rows = [f"{at};{cell}" for at, cell in enumerate(cells.split("|"))]
    table = described(
        tmp_path, [{"titles": "n", "datatype": "integer"}, {"titles": "c", **column}], "\n".join(["n;c", *rows, ""])
    )
    assert table["c"].texts() == values
    assert [f"{row}: {what}" for row, name, what in table.origin.violations if name == "c"] == broken
    assert bool(broken) == any("of the schema" in note for note in table.notes)


def test_keys_titles_and_what_cannot_be_honoured(tmp_path: Path) -> None:
    columns = [
        {"name": "code", "titles": ["Code", "Colony"], "datatype": "string"}, {"titles": "mites", "datatype": "gDay"},
        {"name": "made", "virtual": True}, {"titles": "kg", "datatype": {"base": "date", "format": "j"}},
    ]  # fmt: skip
    table = described(tmp_path, columns, "Colony;mites;kg\na;1;\na;2;\n;3;\n", primaryKey="code")
    assert table.names == ("Code", "mites", "kg") and str(table["mites"].type) == "string"
    assert table.origin.violations == (
        (2, "Code", "the same key as row 1"),
        (3, "Code", "a part of the key is missing"),
    )
    message = " ".join(table.notes)
    for part in (
        "virtual columns have no cells",
        "the datatype gDay of 'mites'",
        "the format 'j' of 'kg'",
        "2 violations",
    ):
        assert part in message


def test_categories_are_lists_of_codes_and_come_back(tmp_path: Path) -> None:
    moods = comb.table(columns={"hive": ["a", "b", "c"], "mood": [2, 1, 5]})
    book = comb.table(columns={"value": [1, 2, 3], "means": ["calm", "nervous", "fierce"]})
    table = moods.convert({"mood": "category"}, labels=book, choices=[3, 2, 1])
    assert table["mood"].to_list() == [2, 1, None] and table["mood"].kept.texts == {2: "5"}
    assert table.sort("mood")["mood"].to_list() == [2, 1, None], "in the order that was declared"
    assert table.filter("mood > 1").row_count == 1, "compared as the numbers they are"
    table.save(tmp_path / "moods.csv", describe=True)
    assert (tmp_path / "moods-mood-codes.csv").read_text() == "value,label\n3,fierce\n2,nervous\n1,calm\n"
    back = comb.load(tmp_path / "moods.csv")
    assert back.equals(table) and back["mood"].kept.texts == {2: "5"}
    (tmp_path / "moods-mood-codes.csv").unlink()
    assert any("moods-mood-codes.csv was not found" in note for note in comb.load(tmp_path / "moods.csv").notes)


@pytest.mark.parametrize("text", ['{"id": 7, "day": "2026-05-01", "extra": 1}\n{"id": "x"}\n', '[{"id": 7, "day": "2026-05-01", "extra": 1}, {"id": "x"}]'])  # fmt: skip
def test_json_is_read_as_its_schema_says(tmp_path: Path, text: str) -> None:
    columns = [
        {"name": "id", "datatype": "integer", "required": True}, {"name": "day", "datatype": "date"},
        {"name": "kg", "datatype": "number", "required": True},
    ]  # fmt: skip
    table = described(tmp_path, columns, text, "x.json", dialect={})
    assert {name: kind.word for name, kind in table.types.items()} == {"id": "integer", "day": "date", "kg": "number"}
    assert [name for _, name, _ in table.origin.violations] == ["id", "kg", "kg"]
    assert table["kg"].reasons() == ["absent", "absent"] and table["id"].kept.texts == {1: "x"}
    assert any("not in the schema, and left out: extra" in note for note in table.notes)
