"""What evidence says beside the type: what a column could be too, and which values are written otherwise than most."""

import datetime
from collections.abc import Sequence
from pathlib import Path
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import comb
from comb.inference.decide import infer_column
from comb.inference.proposals import code_shape
from comb.tables.column import Column
from comb.tables.text import Text
from support.examples import drawn
from support.running import load_text


def inferred(texts: Sequence[str]) -> Column:
    return infer_column(Text.from_strings(list(texts)))


def proposed(column: Column) -> str:
    """Return the type that is proposed for a column; empty if none is."""
    assert column.evidence is not None
    return " ".join(str(one.type) for one in column.evidence.tried if one.doubt.startswith("proposed only: "))


FEW = ["laying", "virgin", "missing"]


@pytest.mark.parametrize(
    ("texts", "expected"),
    [
        # A category has few values, each many times.
        (FEW * 10, "category"),
        (FEW * 9, ""),
        ([f"word {'abcdefghijklmnopqrstuvwxyzabcdefgh'[at % 30]}" for at in range(300)], "category"),
        ([f"word {at % 31}" for at in range(900)], ""),
        (["calm"] * 40, ""),
        ([*FEW * 12, *[""] * 50], "category"),
        # A tick against nothing; a tick everywhere says nothing.
        (["x", "", "", "x"] * 5, "boolean"),
        (["X", " "] * 5, "boolean"),
        (["✓", ""] * 5, "boolean"),
        (["x"] * 20, ""),
        (["y", ""] * 10, ""),
        # What has a type of its own gets no proposal.
        (["1", "2", "3"] * 20, ""),
        (["yes", "no"] * 20, ""),
        (["2025-05-01", "2025-05-02"] * 20, ""),
    ],
)
def test_what_is_proposed(texts: list[str], expected: str) -> None:
    column = inferred(texts)
    assert proposed(column) == expected
    assert expected == "" or (column.type.word == "string" and column.evidence.runner_up is not None)  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("texts", "shape"),
    [
        (["AB-12", "CD-07", "XY-33", "QQ-90", "RS-41"], "AA-99"),
        (["1.2.3", "1.4.0", "2.0.1", "3.1.4", "9.9.9"], "9.9.9"),
        (["q07", "r08", "s11", "t12", "u13"], "a99"),
        (["10:20:AF", "11:21:BE", "12:22:CD", "13:23:DC", "14:24:EB"], "99:99:AA"),
        # Nearly all of one shape; too few; words; sentences; texts of many lengths; letters of other scripts.
        ([f"K{at:03}" for at in range(30)] + ["odd", "K1"], "A999"),
        (["AB-12", "CD-07"], ""),
        (["Mill", "Fox1", "Salt", "Old2", "Quar"], ""),
        (["no 1", "no 2", "no 3", "no 4", "no 5"], ""),
        (["A1", "A22", "A333", "A4444", "A55555"], ""),
        (["ÄB-12", "ÖD-07", "ÜY-33", "ÄQ-90", "ÖS-41"], ""),
        (["1234567890123456789012345"] * 2 + ["2234567890123456789012345", "3", "4", "5"], ""),
    ],
)
def test_codes_of_one_shape_are_told(texts: list[str], shape: str) -> None:
    assert code_shape(Text.from_strings(texts)) == shape
    column = inferred(texts)
    if column.type.word == "string" and column.evidence is not None and shape:
        assert any(shape in why for why in column.evidence.why) or column.evidence.why


@given(st.lists(st.from_regex(r"[A-Z]{2}-[0-9]{3}", fullmatch=True), min_size=5, max_size=40, unique=True))
def test_codes_from_one_pattern_have_its_shape(texts: list[str]) -> None:
    assert code_shape(Text.from_items(texts)) == "AA-999"
    assert inferred(texts).evidence.why == ("codes of one shape: AA-999",)  # type: ignore[union-attr]


def mixed(days: Sequence[datetime.date], iso: Sequence[bool]) -> list[str]:
    return [day.isoformat() if one else f"{day.day}.{day.month}.{day.year}" for day, one in zip(days, iso, strict=True)]


DAYS = st.dates(datetime.date(1990, 1, 1), datetime.date(2040, 1, 1))


@settings(max_examples=drawn(40))
@given(st.lists(st.tuples(DAYS, st.booleans(), st.booleans()), min_size=1, max_size=40))
def test_the_minority_of_dates_is_known_by_row(cells: list[tuple[datetime.date, bool, bool]]) -> None:
    iso = [one for _, one, _ in cells]
    texts = mixed([day for day, *_ in cells], iso)
    texts = [text if there else "" for text, (*_, there) in zip(texts, cells, strict=True)]
    column = inferred(texts)
    of_iso = [at for at, (text, one) in enumerate(zip(texts, iso, strict=True), 1) if text and one]
    of_others = [at for at, (text, one) in enumerate(zip(texts, iso, strict=True), 1) if text and not one]
    if not of_iso or not of_others:
        assert column.evidence is None or column.evidence.minority is None
        return
    assert column.type.word == "date" and column.evidence is not None and column.evidence.minority is not None
    found = column.evidence.minority.tolist()
    assert found in (of_iso, of_others)
    assert len(found) <= min(len(of_iso), len(of_others)) or len(of_iso) == len(of_others)
    assert sorted(column.evidence.forms.values()) == sorted([len(of_iso), len(of_others)])


def test_mixed_dates_are_found_where_the_rows_went(tmp_path: Path) -> None:
    chance = Random(3)
    days = [datetime.date(2025, 1, 1) + datetime.timedelta(days=chance.randrange(360)) for _ in range(3000)]
    iso = [chance.random() < 0.1 for _ in days]
    lines = "".join(f"{at};{text}\n" for at, text in enumerate(mixed(days, iso)))
    table = load_text(tmp_path, "n;day\n" + lines)
    wanted = [at for at, one in enumerate(iso, 1) if one]

    def rows_of(one: comb.Table) -> list[int]:
        found = one.profile().of("type.mixed_dates")
        return found[0].rows.tolist() if found else []

    assert table["day"].to_list() == days and rows_of(table) == wanted
    # Whatever is done to the rows, the finding names those of the source that are left.
    assert rows_of(table.filter("n < 500").rename({"day": "seen"})) == [at for at in wanted if at <= 500]
    assert rows_of(table.sort("day desc")) == wanted
    assert rows_of(table.filter("n < 0")) == []
    # Rows that are numbered otherwise are named by nobody.
    assert rows_of(table.stack_tables(table)) == []
    assert rows_of(table.select("n").join(table, "n")) == []
    [finding] = table.profile().of("type.mixed_dates")
    assert "yyyy-MM-dd" in finding.text and "d.M.yyyy" in finding.text and finding.remedy is None


@pytest.mark.parametrize(
    ("texts", "several"),
    [
        (["2025-05-01 06:30", "1.5.2025 07:45", "2025-05-03 08:00", "2025-05-04 09:15"], True),
        (["2025-05-01T06:30:00", "2025-05-02T06:30:00.5", "2025-05-03T06:30:00"], False),
        (["1 May 2025", "13 June 2025", "2025-07-01", "2025-07-02", "2025-07-03"], True),
        (["1.5.2025", "01.05.2025", "13.05.2025"], False),
    ],
)
def test_forms_that_differ_by_zeros_or_fractions_are_one(texts: list[str], several: bool) -> None:
    column = inferred(texts * 3)
    assert column.type.word in ("date", "datetime")
    assert (column.evidence.minority is not None) == several  # type: ignore[union-attr]
    assert not several or set(column.evidence.minority.tolist()) < set(range(1, 3 * len(texts) + 1))  # type: ignore[union-attr]


def test_proposals_are_shown_and_change_nothing(tmp_path: Path) -> None:
    text = "hive,state,seen\n" + "".join(f"AB-{at:03},{FEW[at % 3]},{'x' if at % 4 else ''}\n" for at in range(60))
    table = load_text(tmp_path, text)
    assert set(map(str, table.types.values())) == {"string"}
    message = str(comb.inspect(tmp_path / "table.csv"))
    assert "codes of one shape: AA-999" in message and "category" in message and "boolean" in message
    declared = comb.load(tmp_path / "table.csv", types={"state": "category"})
    assert declared["state"].to_list() == table["state"].to_list()
    assert [level.value for level in declared["state"].type.choices] == sorted(FEW)
