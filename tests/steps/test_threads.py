"""By several threads, every step does what it does by one: a column depends on no other."""

import copy
from collections.abc import Iterator
from pathlib import Path

import pytest

import comb
from comb.errors import CombError
from comb.execution import columnwise
from comb.execution.columnwise import for_each
from comb.execution.storage import MemoryStorage
from comb.interface.pages import _ABOUT, EXAMPLES, SOURCES, example_step
from comb.steps.accounting import Taken, take_step


@pytest.fixture(autouse=True)
def _threads_for_small_tables(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setattr(columnwise, "FEW_CELLS", 0)
    yield


def taken_by(threads: int, name: str, sources: dict[str, comb.Table]) -> Taken | str:
    def divided(table: comb.Table) -> comb.Table:
        made = copy.copy(table)
        made._storage = MemoryStorage(threads)
        return made

    try:
        others = {source: divided(table) for source, table in sources.items()}
        return take_step(example_step(name), others[_ABOUT.get(name, "visits")], others)
    except CombError as error:
        return str(error)


@pytest.mark.parametrize("name", EXAMPLES)
def test_every_step(name: str, tmp_path: Path) -> None:
    for source, text in SOURCES.items():
        (tmp_path / f"{source}.csv").write_bytes(text)
    sources = {source: comb.load(tmp_path / f"{source}.csv") for source in SOURCES}
    alone, divided = taken_by(1, name, sources), taken_by(3, name, sources)
    if isinstance(alone, str) or isinstance(divided, str):
        assert alone == divided
        return
    assert divided.table.equals(alone.table) and divided.aside.equals(alone.aside)
    assert divided.entry == alone.entry and divided.table.notes == alone.table.notes
    assert list(divided.record.changes()) == list(alone.record.changes())


def test_the_first_error_is_raised() -> None:
    def work(number: int) -> int:
        if number % 2:
            raise ValueError(f"broken at {number}")
        return number

    assert for_each(work, [0, 2, 4], 9, MemoryStorage(2)) == [0, 2, 4]
    with pytest.raises(ValueError, match="broken at 1"):
        for_each(work, list(range(8)), 9, MemoryStorage(3))
