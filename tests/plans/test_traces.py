"""Every value leads back to its source: what stands at the place that a table names is what the table says."""

import csv
import io
import json
import re
from datetime import date
from pathlib import Path
from random import Random
from typing import Any

import pytest
import xlsxwriter
from python_calamine import CalamineWorkbook

import comb
from comb.steps.trace import trace_record


def written(path: Path, place: str) -> dict[str, str]:
    """Return, by column, what the line of a delimited file holds that a place names."""
    match = re.fullmatch(r"(?P<name>.+), line (?P<line>[\d,]+)", place)
    assert match is not None and path.name == match["name"], place
    lines = path.read_text(encoding="utf-8").split("\n")
    head = next(line for line in lines if line.startswith("visit;"))
    fields = next(csv.reader(io.StringIO("\n".join(lines[int(match["line"].replace(",", "")) - 1 :])), delimiter=";"))
    return dict(zip(head.split(";"), fields, strict=False))


def seen_as(value: Any) -> set[str]:
    """Return the ways in which the demo writes a value."""
    if isinstance(value, date):
        return {value.isoformat(), f"{value.day}.{value.month}.{value.year}", value.strftime("%d.%m.%Y")}
    if isinstance(value, bool):
        return {"yes"} if value else {"no"}
    return {str(value), str(value).replace(".", ",")}


STEPS: dict[str, Any] = {
    "as loaded": lambda table: table,
    "filtered": lambda table: table.filter("mites > 20"),
    "sorted": lambda table: table.sort(["apiary", "mites desc"]),
    "a sample": lambda table: table.pick_rows(random=100, seed=3),
    "without duplicates": lambda table: table.remove_duplicates(),
    "some columns": lambda table: table.select(["mites", "visit"]).filter("visit % 7 = 0"),
    "with others beside": lambda table: table.calculate({"twice": "mites * 2"}).sort("twice desc"),
    "one after the other": lambda table: (
        table.filter("brood_frames > 3").sort("keeper").pick_rows(largest="mites", count=3, by="apiary")
    ),
}


@pytest.mark.parametrize("name", STEPS)
def test_rows_of_a_text_lead_to_their_lines(demo: Path, inspections: comb.Table, name: str) -> None:
    table = STEPS[name](inspections)
    numbers = Random(1).sample(table.row_numbers.tolist(), min(40, len(table)))
    columns = {
        column: dict(zip(table.row_numbers.tolist(), table[column].to_list(), strict=True)) for column in table.names
    }
    looked_at = 0
    for number in numbers:
        cells = written(demo / "inspections.csv", table.place(number))
        for column in cells.keys() & set(table.names):
            value, raw = columns[column][number], cells[column].strip()
            if value is None:
                at = table.row_numbers.tolist().index(number)
                kept = table[column].kept.texts.get(at)
                assert (raw if raw else None) == (kept.strip() if kept else None) or raw in ("-", "n/a", "unknown")
            elif raw in seen_as(value) or raw.casefold() == str(value).strip().casefold():
                looked_at += 1
            else:
                assert float(raw.replace(",", ".")) == float(value), (number, column)
    assert looked_at > len(numbers)


def test_rows_that_were_turned_keep_their_places(inspections: comb.Table, demo: Path) -> None:
    long = inspections.to_long("*_frames", heading_column="kind", value_column="frames")
    rows = list(zip(long.row_numbers.tolist(), long["kind"].to_list(), long["frames"].to_list(), strict=True))
    for number, kind, frames in Random(2).sample(rows, 60):
        cells = written(demo / "inspections.csv", inspections.place(number))
        assert frames is None or cells[kind] == str(frames)


def test_set_aside_and_reasons_name_their_lines(demo: Path) -> None:
    outcome = comb.Plan.load(demo / "plan.yaml").run()
    raw = (demo / "inspections.csv").read_text(encoding="utf-8").split("\n")
    aside = (demo / "tidy" / "set-aside.csv").read_text(encoding="utf-8")
    records = [row for row in csv.DictReader(io.StringIO(aside)) if not row["merged_into"]]
    assert len(records) == 14 and outcome.adds_up
    for record in records:
        place = next(value for value in record.values() if value and ", line " in value)
        line = raw[int(place.rpartition(" ")[2].replace(",", "")) - 1]
        assert line.startswith(f"{record['visit']};")


def test_cells_of_a_workbook_lead_to_their_addresses(demo: Path) -> None:
    book = CalamineWorkbook.from_path(str(demo / "harvest.xlsx"))
    sheets = {name: book.get_sheet_by_name(name).to_python(skip_empty_area=False) for name in book.sheet_names}

    def at(place: str) -> Any:
        match = re.fullmatch(r"harvest\.xlsx, (?P<sheet>\w+)!(?P<letter>[A-Z])(?P<row>\d+)", place)
        assert match is not None, place
        return sheets[match["sheet"]][int(match["row"]) - 1][ord(match["letter"]) - 65]

    for table in comb.load_all(demo / "harvest.xlsx").values():
        for name in table.names:
            if name == "hidden":
                continue
            for number, value in zip(table.row_numbers.tolist(), table[name].to_list(), strict=True):
                there = at(table.place(number, name))
                kept = table[name].kept.texts.get(number - 1)
                assert there == (kept if value is None else value), table.place(number, name)


def resolved(document: Any, pointer: str) -> Any:
    """Follow a JSON Pointer, as RFC 6901 has it."""
    for part in pointer.split("/")[1:]:
        key = part.replace("~1", "/").replace("~0", "~")
        document = document[int(key)] if isinstance(document, list) else document[key]
    return document


@pytest.mark.parametrize(
    ("document", "table"),
    [
        ([{"a": 1, "b": "x"}, {"a": 2}, {"b": "y", "a": 3}], None),
        ({"meta": 1, "items": [{"a": 1, "b": "x"}, {"a": 2, "b": "z"}]}, "/items"),
        ({"deep": {"a/b": [{"a": 5, "b": "q"}, {"a": 6, "b": "r"}]}}, "/deep/a~1b"),
    ],
)
def test_records_of_json_lead_to_their_pointers(tmp_path: Path, document: Any, table: str | None) -> None:
    (tmp_path / "d.json").write_text(json.dumps(document))
    loaded = comb.load(tmp_path / "d.json", table=table)
    for number, value, text in zip(
        loaded.row_numbers.tolist(), loaded["a"].to_list(), loaded["b"].to_list(), strict=True
    ):
        place = loaded.place(number)
        record = resolved(document, place.partition(", ")[2])
        assert record["a"] == value and record.get("b") == text, place


def test_lines_of_json_and_of_several_files_lead_back(tmp_path: Path, demo: Path) -> None:
    lines = (demo / "scales.jsonl").read_text().splitlines()
    readings = comb.load(demo / "scales.jsonl").filter("alarms is not null").sort("weight_kg desc")
    for number, reading in zip(readings.row_numbers.tolist(), readings["reading"].to_list(), strict=True):
        line = int(readings.place(number).rpartition(" ")[2])
        assert json.loads(lines[line - 1])["reading"] == reading
    for name, first in (("may.csv", 1), ("june.csv", 100)):
        (tmp_path / name).write_text("n;t\n" + "".join(f"{at};v{at}\n" for at in range(first, first + 5)))
    both = comb.load([tmp_path / "may.csv", tmp_path / "june.csv"]).sort("n desc")
    for number, value in zip(both.row_numbers.tolist(), both["n"].to_list(), strict=True):
        name, _, line = both.place(number).partition(", line ")
        assert (tmp_path / name).read_text().splitlines()[int(line) - 1] == f"{value};v{value}"


VISITS = "visit;hive;kg_may;kg_june\n" + "".join(f"{at};h{at % 4};{100 + at};{200 + at}\n" for at in range(1, 9))
HIVES = "hive;age\n" + "".join(f"h{at};{300 + at}\n" for at in range(1, 7))

# Each step, taken on the visits with the hives beside them.
MOVES: dict[str, Any] = {
    "rename": lambda visits, hives: visits.rename({"kg_may": "may", "kg_june": "kg_may"}),
    "join": lambda visits, hives: visits.join(hives, by="hive"),
    "join and rename": lambda visits, hives: visits.join(hives, by="hive").rename({"age": "years"}).sort("visit desc"),
    "join twice": lambda visits, hives: hives.join(visits.filter("visit > 4").join(hives, by="hive"), by="hive", allow_multiple=True),
    "join both": lambda visits, hives: visits.join(hives, by="hive", rows="both").filter("age > 0"),
    "join with several": lambda visits, hives: hives.join(visits, by="hive", allow_multiple=True),
    "long": lambda visits, hives: visits.to_long("kg_*", heading_column="month", value_column="kg").filter("kg > 104"),
    "long of joined": lambda visits, hives: visits.join(hives, by="hive").to_long(["kg_may", "age"], heading_column="what", value_column="kg"),
    "stack": lambda visits, hives: visits.filter("visit > 2").stack_tables(hives.filter("age > 303")).sort("age"),
    "stack thrice": lambda visits, hives: visits.stack_tables(hives).rename({"age": "years"}).stack_tables(visits.select(["visit", "kg_may"])),
    "stack of joined": lambda visits, hives: visits.join(hives, by="hive").stack_tables(hives).to_long(["kg_may", "age"], heading_column="what", value_column="kg"),
}  # fmt: skip


@pytest.mark.parametrize("suffix", ["csv", "xlsx"])
@pytest.mark.parametrize("move", MOVES.values(), ids=MOVES)
def test_cells_that_steps_moved_lead_to_where_they_stood(tmp_path: Path, move: Any, suffix: str) -> None:
    # Every number is there once in both files, so that a value says where it must have stood.
    for name, text in (("visits", VISITS), ("hives", HIVES)):
        (tmp_path / f"{name}.csv").write_text(text)
        comb.load(tmp_path / f"{name}.csv").save(tmp_path / f"{name}.xlsx")
    visits, hives = (comb.load(tmp_path / f"{name}.{suffix}") for name in ("visits", "hives"))
    stood = {}
    for table in (visits, hives):
        for name in table.names:
            for number, value in zip(table.row_numbers.tolist(), table[name].to_list(), strict=True):
                stood[value] = table.place(number, name)
    moved = move(visits, hives)
    found = 0
    for name in moved.names:
        for number, value in zip(moved.row_numbers.tolist(), moved[name].to_list(), strict=True):
            if isinstance(value, int):
                assert stood[value] in moved.place(number, name), (name, number)
                found += 1
        for number in dict.fromkeys(moved.row_numbers.tolist()):
            for traced in moved.trace(number, name):
                # A step that brought the cell along names the same place, whatever became of the rows after it.
                brought = [event.detail for event in traced.events if event.detail.startswith("from ")]
                assert not traced.value.isdigit() or all(stood[int(traced.value)] in place for place in brought)
    assert found > 8


def test_a_place_is_said_only_of_what_is_there(tmp_path: Path) -> None:
    (tmp_path / "visits.csv").write_text(VISITS)
    (tmp_path / "hives.csv").write_text(HIVES)
    visits, hives = comb.load(tmp_path / "visits.csv"), comb.load(tmp_path / "hives.csv")
    with pytest.raises(comb.ParameterError, match="there is no row number 1 in this table"):
        visits.filter("visit > 3").place(1)
    with pytest.raises(comb.ColumnError, match="kg_jun"):
        visits.place(1, "kg_jun")
    more = visits.calculate({"double": "kg_may * 2"}).join(hives, by="hive")
    assert more.place(1, "double") == "visits.csv, line 2, where double is not: it was made by a step"
    assert more.place(4, "age") == "nowhere in hives.csv: no row of it matched"
    lines = more.trace(4, "age")[0].lines()
    assert lines[1] == "  stood nowhere in hives.csv: no row of it matched" and "    no row of it matched" in lines
    assert more.to_long("kg_*", heading_column="month", value_column="kg").place(1, "kg") == "visits.csv, line 2"


def test_cells_of_blocks_below_each_other_lead_to_their_own_block(tmp_path: Path) -> None:
    book = xlsxwriter.Workbook(tmp_path / "b.xlsx")
    sheet = book.add_worksheet("All")
    for row, cells in enumerate([["hive", "kg", "", "hive", "kg"], ["a", 1, "", "c", 3], ["b", 2, "", "d", 4]]):
        sheet.write_row(row, 0, cells)
    book.close()
    both = comb.load(tmp_path / "b.xlsx", table="*")
    assert [both.place(number, "kg") for number in range(1, 5)] == [f"b.xlsx, All!{at}" for at in ("B2", "B3", "E2", "E3")]  # fmt: skip


def test_a_cell_that_a_step_made_is_followed_to_the_cells_it_was_made_of(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text('id,name,kg,g\n1,"Alder, Ann",2,500\n2,"Birch, Bo",,250\n3,"Cedar, Cy",4,\n')
    (tmp_path / "plan.yaml").write_text(
        """\
source: t.csv
steps:
  - {step: fill, columns: g, value: "700", why: the scale was off}
  - {step: rename, names: {name: keeper}}
  - {step: split, column: keeper, mark: ", ", new_columns: [family, given]}
  - {step: calculate, columns: {total: kg * 1000 + g, twice: total * 2}}
  - {step: sort, by: id desc}
  - {step: combine, columns: [given, family], new_columns: who, mark: " "}
save: tidy
"""
    )
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    kept = "g filled with '700'"
    for found in (comb.trace(tmp_path / "tidy", 3, "twice"), comb.trace(tmp_path / "plan.yaml", 3, "twice")):
        [traced] = found
        [total] = traced.inputs
        kg, g = total.inputs
        assert (kg.source_text, g.source_text) == ("4", "") and kg.place == g.place == "t.csv, line 4"
        assert [(one.step, one.after, one.says, one.why) for one in g.events] == [
            ("fill", "700", kept, "the scale was off")
        ]
        lines = traced.lines()
        assert "    made of kg: 4" in lines and "      step 1, fill: (blank) became 700" in lines
    [who] = comb.trace(tmp_path / "tidy", 1, "who")
    assert who.value == "Ann Alder" and [one.column for one in who.inputs] == ["given", "family"]
    # The name that it had in the source is the last of its history.
    names = [one.inputs[0] for one in who.inputs]
    assert [one.source_text for one in names] == ["Alder, Ann"] * 2
    assert names[0].events[0].detail == "name is called keeper from here on"
    # Cells that a step filled or replaced by a formula go on to its columns; others of the column do not.
    some = comb.table(columns={"kg": [2, None], "g": [500, 700]}).fill("kg", formula="g / 100")
    assert [[of.column for of in one.inputs] for row in (1, 2) for one in some.trace(row, "kg")] == [[], ["g"]]
    some = some.replace_values("g", above=600, formula="kg * 10")
    [of_g] = some.trace(2, "g")
    assert of_g.value == "70" and [(one.column, one.value) for one in of_g.inputs] == [("kg", "7")]
    assert [one.column for one in of_g.inputs[0].inputs] == ["g"]
    # Formulas of one step are taken in turn: which value of a column one read is what is told.
    kilos = comb.table(columns={"kg": [2]})
    [first] = kilos.calculate({"lb": "kg * 10", "kg": "kg + 1"}).trace(1, "lb")
    [last] = kilos.calculate({"kg": "kg + 1", "lb": "kg * 10"}).trace(1, "lb")
    assert (first.value, first.events[0].working, first.inputs[0].events) == ("20", (), ())
    assert last.value == "30" and last.events[0].working[-1] == ("kg * 10 = 3 * 10", "30")
    assert [one.after for one in last.inputs[0].events] == ["3"]
    # In Python too, without the tables between; and an aggregate says which rows it is of.
    table = comb.load(tmp_path / "t.csv").fill("g", value="700").calculate({"total": "kg * 1000 + g"}).filter("kg > 3")
    [of_row] = table.trace(3, "total")
    assert [(one.column, one.source_text, len(one.events)) for one in of_row.inputs] == [("kg", "4", 0), ("g", "", 1)]
    [of_group] = table.aggregate({"all": "sum(total)"}, by="name").calculate({"half": "all / 2"}).trace(1, "half")
    assert "of 1 row: 3 (the first: t.csv, line 4)" in of_group.inputs[0].events[0].detail
    record = json.loads(json.dumps(trace_record(of_row)))
    assert record["inputs"][0]["source_text"] == "4" and outcome.adds_up


def test_a_calculation_is_shown_from_a_folder_only_where_it_comes_to_the_cell(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("place;kg\nMill;5 kg\nFox;7\nElm;8\n")
    (tmp_path / "plan.yaml").write_text(
        "source: t.csv\nsteps:\n- step: calculate\n  columns: {x: cast(kg as number)}\nsave: done\n"
    )
    comb.Plan.load(tmp_path / "plan.yaml").run()
    # In one row alone 5 kg could be read; among the others it was not.
    [odd], [plain] = (comb.trace(tmp_path / "done", row, "x") for row in (1, 2))
    assert "= 5" not in repr([odd]) and "5 kg" in odd.value and "(unreadable)" in odd.value
    assert ("cast(kg as number) = cast('7' as number)", "7") in plain.events[-1].working
