"""The types of columns as they come, labelled by hand; and no confident error among them."""

from pathlib import Path

import pytest

import comb
from comb.inference.decide import infer_column
from comb.tables.column import Column
from comb.tables.text import Text

LEAST_RIGHT = 0.99


def labelled(name: str) -> list[tuple[str, list[str]]]:
    lines = (Path(__file__).parent / "columns" / name).read_text().splitlines()
    pairs = [line.split(" ::", 1) for line in lines if line and not line.startswith("#")]
    return [(word, [cell.strip(" ") for cell in f"{cells} ".split("| ")]) for word, cells in pairs]


SEEN = labelled("seen.txt")
HELD_BACK = [*labelled("held-back.txt"), *labelled("held-back-later.txt")]


def inferred(cells: list[str]) -> Column:
    return infer_column(Text.from_strings(cells))


def wrong(columns: list[tuple[str, list[str]]]) -> list[tuple[str, list[str], Column]]:
    return [(word, cells, column) for word, cells in columns if (column := inferred(cells)).type.word != word]


@pytest.mark.parametrize("columns", [SEEN, HELD_BACK], ids=["seen", "held back"])
def test_types_are_as_labelled(columns: list[tuple[str, list[str]]]) -> None:
    missed = wrong(columns)
    message = [f"{word}: {cells} read as {column.evidence}" for word, cells, column in missed]
    assert len(missed) <= (1 - LEAST_RIGHT) * len(columns), "\n".join(message)


def test_no_error_is_confident() -> None:
    for word, cells, column in wrong([*SEEN, *HELD_BACK]):
        assert column.evidence is not None and column.evidence.runner_up is not None, (word, cells)
        if column.type.word != "string":
            findings = comb.table(columns={"x": cells}).convert({"x": "string"}).profile().findings
            assert any(finding.code.startswith("type.") for finding in findings), (word, cells)


def test_there_are_enough_of_them_and_every_type_is_among_them() -> None:
    assert len(SEEN) + len(HELD_BACK) >= 300
    assert len(HELD_BACK) * 3 >= len(SEEN) + len(HELD_BACK) - 2
    words = {"string", "integer", "decimal", "number", "boolean", "date", "datetime", "time", "duration"}
    assert {word for word, _ in SEEN} == {word for word, _ in HELD_BACK} == words
