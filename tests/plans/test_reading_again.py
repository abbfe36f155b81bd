"""A law: however a source was read, `load(...).plan().run()` gives an equal table; so does a draft of it."""

import gzip
import json
import zipfile
from pathlib import Path

import msgspec
import pytest

import comb
from comb.demo.files import DEMO_FILES, demo_bytes
from comb.plans.draft import draft_plan
from comb.plans.parse import read_plan

TEXT = "Colonies of May\ncolony;kg;day;note\n0101;1,5;1.5.2026;a\n0102;2,25;13.5.2026;-\n0103;999;31.5.2026;b\n"
DOCUMENTS: dict[str, list[dict[str, object]]] = {
    "text.csv": [
        {}, {"delimiter": ";"}, {"quote": ""}, {"encoding": "utf-8"}, {"header": 1}, {"header": 0}, {"skip": 1},
        {"missing": ["999"]}, {"missing": []}, {"types": "string"}, {"types": {"kg": "number", "day": "date d.M.yyyy"}},
        {"columns": ["colony", "day"]}, {"columns": ["#2:#3"]}, {"rows": 2}, {"rows": 0}, {"most_bytes": 10**6},
        {"schema": ""}, {"schema": "text-schema.json"}, {"types": "string", "missing": ["-"], "rows": 2},
    ],
    "bad.csv": [{}, {"encoding": "windows-1252"}],
    "utf16.csv": [{}],
    "two-lines.csv": [{}, {"header": 2}],
    "units.csv": [{}],
    "nameless.csv": [{}],
    "spaces.txt": [{}],
    "packed.csv.gz": [{}, {"table": None}],
    "several.zip": [{"table": "a.csv"}, {"table": "b.csv"}],
    "part-1.csv part-2.csv": [{}, {"types": "string"}],
    "part-2.csv": [{}],
    "part-*.csv": [{}, {"rows": 1}, {"types": {"kg": "decimal"}}],
    "saved.csv": [{}, {"schema": ""}],
    "harvest.xlsx": [
        {}, {"table": "Keepers"}, {"table": "2"}, {"table": "Harvest*"}, {"table": "Harvest!A3:E8"}, {"header": 1},
        {"totals": True}, {"fill_merged": True}, {"rows": 3}, {"columns": ["colony"]}, {"missing": ["n/w"]},
        {"types": "string"}, {"types": {"colony": "string"}}, {"table": "Keepers", "types": "string", "rows": 1},
    ],
    "scales.jsonl": [
        {}, {"lists": "count"}, {"lists": "rows"}, {"rows": 3}, {"types": "string"}, {"encoding": "utf-8"}, {"missing": ["x"]},
    ],
    "nested.json": [
        {}, {"table": "/hives"}, {"table": "2"}, {"lists": "rows"}, {"lists": "count"}, {"columns": ["id"]}, {"rows": 1},
        {"table": "/hives/*/visits"}, {"types": {"id": "string"}},
    ],
    "page.html": [{}, {"types": "string"}, {"missing": ["-"]}],
    "book.ods": [{}, {"rows": 1}],
}  # fmt: skip
CASES = [(name, options) for name, several in DOCUMENTS.items() for options in several]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with sources of every format."""
    made = tmp_path_factory.mktemp("sources")
    for name in DEMO_FILES:
        (made / name).write_bytes(demo_bytes(name))
    (made / "text.csv").write_text(TEXT, encoding="utf-8")
    (made / "bad.csv").write_bytes(TEXT.encode().replace(b"a\n", b"caf\xe9\n"))
    (made / "utf16.csv").write_bytes(TEXT.encode("utf-16"))
    (made / "two-lines.csv").write_text("May;;June;\na;b;a;b\n1;2;3;4\n5;6;7;8\n", encoding="utf-8")
    (made / "units.csv").write_text("colony,weight\n,kg\n0101,1.5\n0102,2.5\n", encoding="utf-8")
    (made / "nameless.csv").write_text("mites,kg,day\n1,3,1.5,2026-05-01\n2,4,2.5,2026-05-02\n", encoding="utf-8")
    (made / "spaces.txt").write_text("colony    kg\n0101     1.5\n0102    12.5\n0103     2.5\n", encoding="utf-8")
    (made / "packed.csv.gz").write_bytes(gzip.compress(TEXT.encode()))
    with zipfile.ZipFile(made / "several.zip", "w") as archive:
        archive.writestr("a.csv", TEXT)
        archive.writestr("b.csv", "x,y\n1,2\n")
    for at in (1, 2):
        (made / f"part-{at}.csv").write_text(f"hive,kg\n{at},1.50\n{at + 5},2.25\n", encoding="utf-8")
    hives = [
        {"id": 1, "tags": ["a", "b"], "visits": [{"day": "2026-05-01", "n": 3}]},
        {"id": 2, "tags": [], "visits": []},
    ]
    (made / "nested.json").write_text(json.dumps({"hives": hives, "keepers": [{"name": "Rowan"}]}), encoding="utf-8")
    (made / "page.html").write_text(
        "<html><table><tr><th>id</th><th>kg</th></tr><tr><td>01</td><td>-</td></tr><tr><td>02</td><td>3</td></tr></table>",
        encoding="utf-8",
    )
    names = ["colony", "kg", "day", "note"]
    described = {
        "@context": "http://www.w3.org/ns/csvw", "url": "text.csv", "dialect": {"delimiter": ";", "skipRows": 1},
        "tableSchema": {"columns": [{"titles": name, "datatype": "string"} for name in names]},
    }  # fmt: skip
    (made / "text-schema.json").write_text(json.dumps(described), encoding="utf-8")
    table = comb.table(columns={"code": ["007", None], "kg": [1.5, 2.0]})
    table.save(made / "saved.csv", describe=True)
    table.save(made / "book.ods")
    return made


def loaded(folder: Path, name: str, options: dict[str, object]) -> comb.Table:
    given = dict(options)
    if given.get("schema"):
        given["schema"] = folder / str(given["schema"])
    source = [folder / part for part in name.split()] if " " in name else folder / name
    return comb.load(source, **given)  # type: ignore[arg-type]


@pytest.mark.parametrize(("name", "options"), CASES)
def test_a_plan_reads_its_source_as_it_was_read(folder: Path, name: str, options: dict[str, object]) -> None:
    table = loaded(folder, name, options)
    plan = table.plan()
    [again] = plan.run().tables.values()
    assert table.equals(again)
    assert [again.place(number) for number in again.row_numbers.tolist()] == [
        table.place(number) for number in table.row_numbers.tolist()
    ]
    # Read again, it is the same plan; and so is one that was written to another folder.
    assert again.origin.options == table.origin.options
    (folder / "plans").mkdir(exist_ok=True)
    saved = folder / "plans" / "again.yaml"
    plan.save(saved, overwrite=True)
    [moved] = comb.Plan.load(saved).run().tables.values()
    assert table.equals(moved)


@pytest.mark.parametrize(("name", "options"), CASES)
def test_a_draft_reads_its_source_as_it_was_read(folder: Path, name: str, options: dict[str, object]) -> None:
    table = loaded(folder, name, options)
    drafted = read_plan(draft_plan(table, table.profile(), folder).text, "draft", str(folder))
    reading = {key: msgspec.structs.replace(one, steps=[]) for key, one in drafted.tables.items()}
    plan = msgspec.structs.replace(drafted, tables=reading, save=[])
    [again] = comb.Plan(plan).run().tables.values()
    assert {name: str(kind) for name, kind in again.types.items()} == {
        name: str(kind) for name, kind in table.types.items()
    }
    for title in table.names:
        assert again[title].to_list() == table[title].to_list(), title
