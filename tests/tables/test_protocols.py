"""Python's own protocols on tables and columns: going through, indexing, comparing, arrays, copies."""

import copy
import pickle
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given

import comb
from comb import errors
from comb.interface.table import Table
from comb.tables.column import Column
from comb.tables.rows import row_class
from comb.tables.table import BareTable
from support.strategies import tables

VISITS = {"apiary": ["Mill", None, "Elm"], "net kg": [31.5, 2.0, None], "mites": [3, None, 5], "count": [1, 2, 3]}


@pytest.fixture
def visits() -> Table:
    return comb.table(columns=VISITS)


@given(tables())
def test_rows_and_columns_give_the_cells_in_order(table: BareTable) -> None:
    columns = {name: column.to_list() for name, column in table.columns.items()}
    assert [list(row) for row in table.rows()] == [list(cells) for cells in zip(*columns.values(), strict=True)]
    for name, cells in columns.items():
        column = table[name]
        assert list(column) == cells == [column[at] for at in range(len(column))]
        assert column[1:].to_list() == cells[1:] and column[::-1].to_list() == cells[::-1]
        assert not cells or column[-1] == cells[-1]
    assert table == copy.deepcopy(table) and hash(table) == hash(copy.deepcopy(table))


def test_rows_have_names(visits: Table) -> None:
    first = next(visits.rows())
    assert first == ("Mill", 31.5, 3, 1) and first["net kg"] == first[1] == 31.5 and first.apiary == "Mill"
    assert dict(first) == {name: cells[0] for name, cells in VISITS.items()}
    # A method of tuples comes before a column of its name.
    assert first["count"] == 1 and callable(first.count)
    assert pickle.loads(pickle.dumps(first)) == first and repr(first).startswith("Row(apiary='Mill', net kg=31.5")
    with pytest.raises(comb.ColumnError, match="did you mean 'mites'"):
        first["mite"]
    with pytest.raises(AttributeError, match="did you mean 'mites'"):
        _ = first.mite
    assert not hasattr(row_class(["a"])([1]), "b")


WRONG: list[tuple[Callable[[Table], Any], type[Exception], str]] = [
    (lambda table: list(table), TypeError, r"for row in table.rows\(\)"),
    (lambda table: table[0], ValueError, r"rows_between\(1, 10\)"),
    (lambda table: table[0:2], ValueError, "filter"),
    (lambda table: table["apiary":"mites"], ValueError, "select"),
    (lambda table: table[np.array([True, False, True])], ValueError, "values in a ndarray"),
    (lambda table: table[["apiary", "mits"]], comb.ColumnError, "mites"),
    (lambda table: table.mites, AttributeError, r"table\['mites'\]"),
    (lambda table: table.nothing, AttributeError, "no attribute 'nothing'$"),
    (lambda table: table["mites"][3], IndexError, "3 cells"),
    (lambda table: table["mites"][-4], IndexError, "from 0"),
    (lambda table: table["mites"]["a"], ValueError, "filter"),
    (lambda table: table["mites"] == 3, TypeError, "filter"),
    (lambda table: table["apiary"] == "Elm", TypeError, "filter"),
    (lambda table: np.asarray(table["mites"]), ValueError, "1 of 3 cells are missing"),
    (lambda table: table["count"].__array__(copy=False), ValueError, "without a copy"),
]


@pytest.mark.parametrize(("ask", "kind", "said"), WRONG)
def test_what_does_not_work_names_what_does(
    visits: Table, ask: Callable[[Table], Any], kind: type[Exception], said: str
) -> None:
    with pytest.raises(kind, match=said):
        ask(visits)


def test_a_list_of_names_selects_and_is_in_the_plan(tmp_path: Path) -> None:
    path = tmp_path / "visits.csv"
    path.write_text("a,b,c\n1,2,3\n")
    table = comb.load(path)
    chosen = table[["c", "a"]]
    assert chosen.names == ("c", "a") and chosen == table.select(["c", "a"])
    assert chosen.plan().run().tables["visits"] == chosen
    assert table._ipython_key_completions_() == ["a", "b", "c"]


def test_tables_and_columns_compare_as_a_whole(visits: Table) -> None:
    same = comb.table(columns=VISITS)
    assert visits == same and visits != same.sort("mites desc") and visits != 3 and visits != "Mill"
    assert visits["mites"] == same["mites"] and visits["mites"] != visits["count"] and visits["mites"] is not None
    blank, absent = visits["mites"], visits["mites"]._absent(3)
    assert blank != absent and len({visits, same}) == 1
    assert Column._of_strings(["a"]) != Column._of_strings(["a", "b"])


def test_plans_compare_by_what_they_say(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("a,b\n1,x\n")
    table = comb.load(tmp_path / "t.csv").trim("b")
    table.plan().save(tmp_path / "plan.yaml")
    read = comb.Plan.load(tmp_path / "plan.yaml")
    with (tmp_path / "plan.yaml").open("a") as file:
        file.write("# a remark\n")
    again = comb.Plan.load(tmp_path / "plan.yaml")
    assert read == again and hash(read) == hash(again) and copy.deepcopy(read) == read
    other = comb.load(tmp_path / "t.csv").trim("b", inner=True).plan()
    assert read != other and read != str(read)


def test_arrays(visits: Table) -> None:
    assert np.asarray(visits["count"]).tolist() == [1, 2, 3] and np.asarray(visits["count"]).dtype == np.int64
    assert np.asarray(visits["mites"], dtype=np.float32).tolist()[::2] == [3, 5]
    assert np.isnan(np.asarray(visits["net kg"])[2]) and float(np.mean(visits["count"])) == 2
    assert np.asarray(visits["apiary"]).tolist() == ["Mill", None, "Elm"]
    kept = visits["count"]
    np.asarray(kept)[0] = 99
    assert kept[0] == 1


def _objects(folder: Path) -> dict[str, Any]:
    path = folder / "visits.csv"
    lines = ["apiary,queen,mites,kg,day"]
    lines += [f"{'Mill' if at % 2 else 'Elm '},laying,{at if at % 9 else 'many'},{at}.5,2025-05-{at:02}" for at in range(1, 29)]  # fmt: skip
    path.write_text("\n".join(lines))
    table = comb.load(path)
    taken = table.trim("apiary").filter("kg > 3").calculate({"more": "kg * 2"})
    profile = taken.profile()
    return {
        "table": table, "taken": taken, "column": taken["more"], "distinct": table["apiary"].distinct(),
        "type": table.types["kg"], "evidence": table["kg"].evidence, "origin": table.origin, "ledger": taken.ledger,
        "entry": taken.ledger[-1], "record": taken.record(5), "trace": taken.trace(5, "apiary"), "profile": profile,
        "finding": profile.findings[0], "remedy": next(one.remedy for one in profile.findings if one.remedy),
        "plan": taken.plan(), "outcome": taken.plan().run(), "inspection": comb.inspect(path),
        "working": table.show_working("kg * 2", 3), "kept": table.kept_texts("mites"), "report": taken.report(),
        "summary": table.summary("kg"), "picture": table.draw("histogram", x="kg"),
        "comparison": table.compare_groups("kg", by="apiary"), "differences": comb.differences(path, path),
    }  # fmt: skip


def test_everything_can_be_copied_and_sent_and_shows_the_same(tmp_path: Path) -> None:
    for name, one in _objects(tmp_path).items():
        for other in (pickle.loads(pickle.dumps(one)), copy.deepcopy(one), copy.copy(one)):
            assert type(other) is type(one) and repr(other) == repr(one), name
    sent = pickle.loads(pickle.dumps(_objects(tmp_path)["taken"]))
    # What was sent goes on: steps, plan, trace.
    assert repr(sent.plan()) == repr(_objects(tmp_path)["plan"]) and sent.sort("kg").ledger[-1].step == "sort"


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("engine", ["", "distributed"])
def test_errors_can_be_sent(engine: str) -> None:
    if engine:
        # It has errors pickled in a way of its own.
        pytest.importorskip(engine)
    for kind in vars(errors).values():
        if isinstance(kind, type) and issubclass(kind, errors.CombError):
            error = kind("what", where="where", remedy="remedy")
            sent = pickle.loads(pickle.dumps(error))
            assert (type(sent), str(sent)) == (kind, "where: what\n  remedy")
            assert (sent.what, sent.where, sent.remedy) == ("what", "where", "remedy")


def test_short_texts_of_what_one_looks_at(tmp_path: Path) -> None:
    objects = _objects(tmp_path)
    assert repr(objects["type"]) == "Type('decimal', 1)"
    assert repr(objects["evidence"]).startswith("<Evidence: decimal: 28 of 28 fit")
    assert repr(objects["origin"]).startswith("<Origin: visits.csv, delimited text, ")
    assert repr(objects["entry"]) == "<calculate: more = kg * 2; 26 rows in, 26 out>"
    assert "29 in = 26 out + 1 line taken off + 2 left out" in repr(objects["ledger"])
    assert repr(objects["distinct"]) == "<DistinctValues: 2; Elm  14, Mill 14>"
    assert len(repr(objects["outcome"]).splitlines()) < 12 and "<pre" in objects["ledger"]._repr_html_()


def test_rows_of_all_types_are_python_values() -> None:
    table = comb.table(columns={"day": [date(2025, 5, 1)], "kg": [Decimal("1.50")], "fed": [True]})
    assert next(table.rows()) == (date(2025, 5, 1), Decimal("1.50"), True)
    assert list(comb.table(columns={"a": []}).rows()) == [] and list(comb.table(columns={}).rows()) == []
