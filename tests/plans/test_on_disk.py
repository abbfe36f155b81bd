"""Whole runs and profiles of tables in files: the same bytes, findings and answers as in memory."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.execution.resources import Resources
from comb.interface.loading import load_within
from comb.plans.run import open_plan, run_plan
from comb.profiling.profile import profile
from support.on_disk import kept_on_disk, storage_in
from support.strategies import tables


def folder_of(path: Path) -> dict[str, bytes]:
    return {one.name: one.read_bytes() for one in path.iterdir()}


@pytest.mark.parametrize("rows", [7, 400])
def test_the_demo(demo: Path, rows: int) -> None:
    """The demo's plan: two tables, every kind of record, rules, pictures, the report."""
    plan = open_plan(demo / "plan.yaml")
    run_plan(plan, overwrite=True)
    here = folder_of(demo / "tidy")
    with storage_in(demo, rows) as storage:
        outcome = run_plan(plan, overwrite=True, resources=Resources(storage=storage))
    assert folder_of(demo / "tidy") == here and len(here) > 15 and outcome.adds_up
    assert all(
        storage.holds(column.array)
        for table in outcome.tables.values() for column in table.columns.values() if not column.type.textual
    )  # fmt: skip


PLAN = """\
source: visits.csv
steps:
  - {step: filter, where: kg > 0 or kg is null}
  - {step: to_long, columns: kg:mites, heading_column: what, value_column: value}
  - {step: sort, by: [hive, what]}
  - {step: fill, columns: value, from_row: above, by: [hive, what]}
  - {step: aggregate, by: [hive, what], columns: {n: count(value), mean: avg(value), most: max(value)}}
  - {step: to_wide, heading_column: what, value_column: [mean, n], by: hive}
rules:
  - {unique: hive}
save: tidy
"""
ROW = st.tuples(st.sampled_from("abc"), st.none() | st.integers(-5, 40), st.none() | st.integers(0, 9))


@given(st.lists(ROW, min_size=1, max_size=12), st.integers(1, 5), st.booleans())
def test_any_rows_through_groups_and_shapes(
    tmp_path_factory: pytest.TempPathFactory, rows: list[tuple[str, int | None, int | None]], block: int, dry: bool
) -> None:
    folder = tmp_path_factory.mktemp("runs")
    lines = [",".join("" if cell is None else str(cell) for cell in row) for row in rows]
    (folder / "visits.csv").write_text("hive,kg,mites\n" + "\n".join(lines) + "\n")
    (folder / "plan.yaml").write_text(PLAN)
    plan = open_plan(folder / "plan.yaml")
    try:
        here = run_plan(plan, overwrite=True, dry_run=dry)
    except comb.CombError as error:
        with pytest.raises(type(error)) as caught, storage_in(folder, block) as storage:
            run_plan(plan, overwrite=True, dry_run=dry, resources=Resources(storage=storage))
        assert str(caught.value) == str(error)
        return
    files = {} if dry else folder_of(folder / "tidy")
    with storage_in(folder, block) as storage:
        there = run_plan(plan, overwrite=True, dry_run=dry, resources=Resources(storage=storage))
    assert there.ledger == here.ledger and (dry or folder_of(folder / "tidy") == files)
    assert all(there.tables[name].equals(table) for name, table in here.tables.items())


def test_a_column_read_in_another_way_is_read_again_on_disk(tmp_path: Path) -> None:
    lines = [f"{number},{number % 90 + 10}.{number % 1000:03d}" for number in range(1, 400)]
    (tmp_path / "paid.csv").write_text("number,paid\n" + "\n".join(lines) + "\n")
    (tmp_path / "plan.yaml").write_text(
        "source: paid.csv\nsteps:\n  - {step: filter, where: number > 3}\n"
        "  - {step: convert, columns: {paid: integer}, group_mark: .}\nsave: tidy\n"
    )
    plan = open_plan(tmp_path / "plan.yaml")
    made = run_plan(plan, overwrite=True).tables["paid"]
    assert made.types["paid"].word == "integer" and made["paid"].to_list()[0] == 14004
    here = folder_of(tmp_path / "tidy")
    with storage_in(tmp_path, 50) as storage:
        run_plan(plan, overwrite=True, resources=Resources(storage=storage))
    assert folder_of(tmp_path / "tidy") == here


def test_every_table_made_of_one_on_disk_is_there_too(demo: Path) -> None:
    with storage_in(demo) as storage:
        table = load_within(demo / "inspections.csv", Resources(storage=storage))
        made = [table, table.filter("mites > 3"), table.sort("colony").select(["colony", "mites"]), table.first_rows(9)]
        assert all(one._storage is storage for one in made) and len(made[1]) > 10
        assert all(storage.holds(one["mites"].array) and storage.holds(one.row_numbers) for one in made)


def findings_of(table: comb.Table) -> list[object]:
    found = profile(table, 2)
    columns = [(one.name, one.type, one.missing, one.distinct, one.details, one.shape) for one in found.columns]
    return [columns, found.sentence, [finding.as_record() for finding in found.findings]]


@given(tables(min_rows=1), st.integers(1, 5))
def test_any_profile(tmp_path_factory: pytest.TempPathFactory, table: comb.Table, block: int) -> None:
    with storage_in(tmp_path_factory.getbasetemp(), block) as storage:
        assert findings_of(kept_on_disk(table, storage)) == findings_of(table)


def test_the_profile_of_the_demo(inspections: comb.Table, tmp_path: Path) -> None:
    with storage_in(tmp_path, 100) as storage:
        kept = kept_on_disk(inspections, storage)
        assert findings_of(kept) == findings_of(inspections)
        assert kept.count(["apiary"]).equals(inspections.count(["apiary"]))
        assert kept.report().html == inspections.report().html
