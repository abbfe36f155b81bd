"""Writing, noticing and numbering by the compiled kernels, against the reference and against laws."""

import csv
import io
import os
import subprocess
import sys
from datetime import date, timedelta
from pathlib import Path

import numpy as np
import pytest
from blake3 import blake3
from hypothesis import given, settings
from hypothesis import strategies as st

import comb
from comb.chunks.column_builder import ColumnBuilder, GrowableArray
from comb.chunks.column_chunk import ParsedChunk, TextChunk
from comb.chunks.column_source import ColumnSource
from comb.execution.ordered import in_order
from comb.inference.decide import infer_source
from comb.kernels import dispatch
from comb.kernels.grouping import candidates, distinct_count, group
from comb.kernels.numbering import number_strings
from comb.kernels.reference import formatting, traits
from comb.kernels.string_buffer import StringBuffer, joined, pack
from comb.kernels.types import ISO_LAYOUT, DateLayout, Field
from comb.parsing.cell_parser import CellParser
from comb.parsing.patterns import DateForm
from comb.parsing.vocabulary import KNOWN_WORDS, words_for
from comb.profiling.profile import profile
from comb.reading.io.source_file import OpenSource
from comb.tables.text import Text, joined_texts
from comb.tables.types import DATE, INTEGER, NUMBER, decimal
from comb.writing import delimited
from comb.writing.delimited import TextForm, csv_bytes
from support.both_kernels import reference
from support.examples import drawn
from support.strategies import tables

compiled_only = pytest.mark.skipif(not dispatch.kernels.compiled, reason="nothing is compiled here")

TEXTS = st.lists(
    st.text(st.sampled_from('ab," \n\r;é\u00a0\u2003\t07x'), max_size=8)
    | st.sampled_from(["n/a", "NA", "007", "a  b"]),
    max_size=30,
)


@compiled_only
@settings(max_examples=drawn(300))
@given(st.lists(st.floats(allow_nan=False, allow_infinity=False), max_size=20), st.sampled_from(".,"))
def test_floats_are_written_as_python_writes_them(values: list[float], mark: str) -> None:
    array = np.array(values, np.float64)
    assert dispatch.kernels.write_numbers(array, mark).strings() == formatting.write_numbers(array, mark).strings()
    # What is written reads back equal, bit for bit.
    again, status = CellParser(NUMBER, decimal_mark=mark).parse(dispatch.kernels.write_numbers(array, mark))
    assert not status.any() and again.view(np.int64).tolist() == array.view(np.int64).tolist()


@compiled_only
@pytest.mark.parametrize("value", [0.0, -0.0, 1e16, 1e15, 123456789012345680.0, 1e-4, 1e-5, 5e-324, 2.2250738585072014e-308, 1.7976931348623157e308, 9007199254740993.0, 0.1, 1 / 3, 2.0**-1074, 2.0**1023])  # fmt: skip
def test_floats_at_the_edges(value: float) -> None:
    array = np.array([value, -value])
    expected = [text.removesuffix(".0") for text in (repr(value), repr(-value))]
    assert dispatch.kernels.write_numbers(array, ".").strings() == expected


@compiled_only
@given(st.integers(-(10**16), 10**16), st.integers(0, 8))
def test_floats_of_few_decimals_and_their_neighbours(value: int, decimals: int) -> None:
    exact = value / 10**decimals
    array = np.array([exact, np.nextafter(exact, np.inf), np.nextafter(exact, -np.inf)])
    expected = [repr(one).removesuffix(".0") for one in array.tolist()]
    assert dispatch.kernels.write_numbers(array, ".").strings() == expected


@compiled_only
@given(
    st.lists(st.integers(-(2**63), 2**63 - 1) | st.integers(-999, 999), max_size=20),
    st.integers(0, 18),
    st.sampled_from(".,"),
)
def test_whole_numbers_and_decimals_are_written_alike(values: list[int], scale: int, mark: str) -> None:
    array = np.array(values, np.int64)
    assert (
        dispatch.kernels.write_integers(array, scale, mark).strings()
        == formatting.write_integers(array, scale, mark).strings()
    )


@compiled_only
@given(
    st.lists(st.dates(), max_size=20),
    st.sampled_from(["ymd", "dmy", "mdy"]),
    st.sampled_from("-./"),
    st.booleans(),
    st.booleans(),
)
def test_dates_are_written_alike(days: list[date], order: str, mark: str, month: bool, day: bool) -> None:
    array = np.array(days, "datetime64[D]").view(np.int64)
    layout = DateLayout(order, mark, month, day)
    texts = dispatch.kernels.write_dates(array, layout)
    assert texts.strings() == formatting.write_dates(array, layout).strings()
    outside = np.array([(date.max - date(1970, 1, 1)).days + 1, (date.min - date(1970, 1, 1)).days - 1])
    assert dispatch.kernels.write_dates(outside, layout).strings() == ["", ""]


def test_every_day_of_four_centuries_is_written_and_read_back() -> None:
    days = np.arange(-200_000, 200_000, 37)
    texts = dispatch.kernels.write_dates(days, ISO_LAYOUT)
    assert texts.strings()[::97] == [(date(1970, 1, 1) + timedelta(int(day))).isoformat() for day in days[::97]]
    values, status = CellParser(DATE, dates=(DateForm("ymd", "-", ""),)).parse(texts)
    assert not status.any() and values.view(np.int64).tolist() == days.tolist()


@given(TEXTS, st.sampled_from([",", ";", "\t"]), st.sampled_from(["\n", "\r\n"]), st.sampled_from(["", "NA", "a,b"]))
def test_rows_are_joined_as_the_standard_wants(texts: list[str], delimiter: str, line_end: str, missing: str) -> None:
    state = np.array([at % 3 == 0 for at in range(len(texts))], np.uint8)
    first, codes = dispatch.kernels.encode(pack(texts))
    coded = Field(pack([texts[at] for at in first.tolist()]), codes.astype(np.int32), None)
    fields = [Field(pack(texts), None, state), coded]
    data = dispatch.kernels.join(fields, len(texts), delimiter, line_end, missing)
    assert data == formatting.join(fields, len(texts), delimiter, line_end, missing)
    rows = list(csv.reader(io.StringIO(data.decode(), newline=""), delimiter=delimiter))
    shown = [[missing if gone else text, text] for text, gone in zip(texts, state.tolist(), strict=True)]
    assert rows == shown


@given(TEXTS, st.lists(st.integers(-(2**63), 2**63 - 1), max_size=30))
def test_numbers_between_texts(around: list[str], values: list[int]) -> None:
    before, behind = ("".join(around[::2]), "".join(around[1::2]))
    array = np.array(values, np.int64)
    expected = [f"{before}{value}{behind}" for value in values]
    assert dispatch.kernels.write_between(before, array, behind).strings() == expected


@pytest.mark.parametrize("mark", ["", ",", '"', "\n", "\r"])
def test_columns_without_a_mark_are_joined_as_others(mark: str) -> None:
    texts = [
        f"{'x' * size}{mark if size == 4100 else ''}{'y' * (size // 7)}" for size in (*range(40), 4095, 4096, 4100)
    ]
    packed = pack(["a,b", *texts, 'c"d'])
    # What is before and behind the cells that are written does not count.
    some = StringBuffer(packed.buffer, packed.offsets[1:-1])
    codes = np.arange(len(texts), dtype=np.int32)[::-1].copy()
    for field in (Field(some, None, None), Field(pack(texts), codes, None), Field(packed, codes, None)):
        for fields in ([field], [field, field]):
            assert dispatch.kernels.join(fields, len(texts), ",", "\n", "") == formatting.join(
                fields, len(texts), ",", "\n", ""
            )


def test_a_single_missing_cell_is_no_blank_line() -> None:
    nothing = np.array([1], np.uint8)
    for kernel in (dispatch.kernels, formatting):
        assert kernel.join([Field(pack([""]), None, nothing)], 1, ",", "\n", "") == b'""\n'


@given(tables(), st.integers(1, 9))
def test_it_does_not_matter_how_many_rows_are_joined_at_once(table: comb.Table, few: int) -> None:
    with pytest.MonkeyPatch.context() as patch:
        for name in ("LEAST_AT_ONCE", "MOST_AT_ONCE"):
            patch.setattr(delimited, name, few)
        cut = csv_bytes(table)
    assert cut == csv_bytes(table)


@compiled_only
@given(tables(), st.sampled_from([{}, {"delimiter": ";", "decimal_mark": ","}, {"encoding": "utf-16"}, {"date_pattern": "d.M.yyyy", "missing": "?!"}, {"disarm": True}]))  # fmt: skip
def test_tables_are_saved_and_profiled_alike(table: comb.Table, form: dict[str, object]) -> None:
    made = TextForm(**form)  # type: ignore[arg-type]
    found, seen = csv_bytes(table, made), repr(profile(table))
    with reference():
        assert csv_bytes(table, made) == found
        assert repr(profile(table)) == seen


def test_the_demo_is_profiled_alike(inspections: comb.Table) -> None:
    found = profile(inspections)
    with reference():
        expected = profile(inspections)
    assert [(one.code, one.columns, one.rows.tolist(), one.text) for one in found.findings] == [
        (one.code, one.columns, one.rows.tolist(), one.text) for one in expected.findings
    ]
    assert found.columns == expected.columns


@compiled_only
@given(TEXTS)
def test_texts_are_noticed_and_numbered_alike(texts: list[str]) -> None:
    bits, lengths = dispatch.kernels.traits(pack(texts), KNOWN_WORDS)
    expected, expected_lengths = traits.traits(texts, KNOWN_WORDS)
    assert bits.tolist() == expected.tolist() and lengths.tolist() == expected_lengths.tolist()
    first, codes = dispatch.kernels.encode(pack(texts))
    words, numbers = number_strings(texts)
    assert codes.tolist() == numbers.tolist() and [texts[at] for at in first.tolist()] == words


def test_many_distinct_texts_are_numbered_right() -> None:
    texts = [f"note {at % 50_021}" for at in range(120_000)]
    first, codes = dispatch.kernels.encode(pack(texts))
    assert first.tolist() == list(range(50_021))
    assert codes.tolist() == [at % 50_021 for at in range(120_000)]


@given(TEXTS, TEXTS, st.lists(st.integers(0, 200), max_size=10))
def test_texts_end_to_end(one: list[str], other: list[str], positions: list[int]) -> None:
    whole = joined([pack(one), pack(other)])
    assert whole.strings() == one + other
    at = np.array([position % len(one + other) for position in positions if one + other], np.int64)
    wanted = [(one + other)[place] for place in at.tolist()]
    assert whole.take(at).strings() == wanted == dispatch.kernels.take(whole, at).strings()
    assert joined_texts([Text.from_strings(one), Text.from_strings(other)]).to_list() == one + other


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 2)), max_size=40))
def test_candidates_hold_every_row_that_is_there_twice(rows: list[tuple[int, int]]) -> None:
    keys = [np.array([row[at] for row in rows], np.uint64) for at in range(2)]
    found = set(candidates([keys], len(rows)).tolist())
    assert found >= {at for at, row in enumerate(rows) if rows.count(row) > 1}
    _, first = group([key.astype(np.int64) for key in keys], len(rows))
    assert len(first) == len(set(rows))
    ordered = np.sort(keys[0])
    assert distinct_count(ordered) == len(set(ordered.tolist()))


@given(st.lists(st.integers(), max_size=30), st.integers(1, 4))
def test_work_side_by_side_comes_in_order(items: list[int], threads: int) -> None:
    assert list(in_order(lambda item: item + 1, items, threads)) == [item + 1 for item in items]


def test_a_failure_in_a_thread_is_told() -> None:
    with pytest.raises(ZeroDivisionError):
        list(in_order(lambda item: 1 // item, [1, 0, 2], 2))


@given(st.lists(st.lists(st.integers(0, 9), max_size=9), max_size=9), st.integers(0, 50))
def test_what_grows_is_what_was_added(parts: list[list[int]], expected: int) -> None:
    growing = GrowableArray(np.int64, expected)
    for part in parts:
        growing.add(np.array(part, np.int64))
    assert growing.array().tolist() == [value for part in parts for value in part] and len(growing) == sum(
        map(len, parts)
    )


PIECES = st.lists(
    st.lists(st.sampled_from(["1", "22", "1.50", "x", "", "007", "n/a", "2026-01-05", "yes", "no", "-0", "1e3"]), max_size=12),
    min_size=1, max_size=6,
)  # fmt: skip


def read_piece(texts: list[str], reading: CellParser) -> ParsedChunk | TextChunk:
    """Make the piece that a guess would give."""
    whole = TextChunk(Text.from_strings(texts), words_for(None))
    return ParsedChunk(reading, whole.parse(reading), whole.tally, whole.words, None, lambda: [whole])


@given(
    PIECES,
    st.lists(
        st.sampled_from([None, CellParser(INTEGER), CellParser(decimal(2)), CellParser(NUMBER)]), min_size=6, max_size=6
    ),
)
def test_how_a_column_was_cut_and_guessed_does_not_matter(
    parts: list[list[str]], guesses: list[CellParser | None]
) -> None:
    texts = Text.from_strings([text for part in parts for text in part])
    expected = infer_source(ColumnSource([TextChunk(texts, words_for(None))]))
    gathered = ColumnBuilder(5)
    for part, guess in zip(parts, guesses, strict=False):
        piece = read_piece(part, guess) if guess else TextChunk(Text.from_strings(part), words_for(None))
        gathered.add(piece)
    found = infer_source(ColumnSource(gathered.chunks()))
    assert found.type == expected.type and str(found.evidence) == str(expected.evidence)
    assert list(map(repr, found.to_list())) == list(map(repr, expected.to_list()))
    assert found.reasons() == expected.reasons() and found.kept == expected.kept


def test_the_environment_chooses_the_reference(tmp_path: Path) -> None:
    command = [sys.executable, "-c", "from comb.cli.main import main; main()", "--version"]
    message = subprocess.run(
        command, env={**os.environ, "COMB_KERNELS": "reference"}, capture_output=True, text=True, check=True
    )
    assert "reference kernels (plain Python)" in message.stdout


@pytest.fixture
def large(tmp_path: Path) -> Path:
    """Make a file whose beginning is not all of it, with another type further down."""
    path = tmp_path / "large.csv"
    rows = [f"{at},{at / 4},place {at % 7}\n" for at in range(120_000)]
    path.write_text("n,weight,place\n" + "".join(rows) + "many,?,Mill\n" * 40_000, newline="")
    return path


def run(*words: str) -> "subprocess.CompletedProcess[str]":
    command = [sys.executable, "-c", "from comb.cli.main import main; main()", *words]
    return subprocess.run(command, capture_output=True, text=True, check=False)


def test_of_a_large_file_the_beginning_is_shown_and_said_to_be_that(large: Path) -> None:
    inspection = comb.inspect(large)
    assert inspection.tables[0].provisional and 10_000 < inspection.tables[0].rows < 120_000
    assert [column.type for column in inspection.tables[0].columns] == ["integer", "number", "string"]
    message = " ".join(run("inspect", str(large)).stdout.split())
    assert "rows were looked at, so the types are provisional" in message
    shown = " ".join(run("show", str(large)).stdout.split())
    assert "there are more rows, so the types are provisional" in shown and "place 3" in shown
    # What lies beyond the beginning is loaded, with types from all values.
    beyond = run("show", str(large), "--between", "130000", "130001").stdout
    assert "many" in beyond and "provisional" not in beyond
    assert [str(kind) for kind in comb.load(large).types.values()] == ["string", "number", "string"]
    assert comb.load(large).origin.checksum == blake3(large.read_bytes()).hexdigest()


def test_a_file_that_changes_before_it_is_read_again_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "changing.csv"
    path.write_bytes(b"a,b\n1,2\n")
    with OpenSource(path) as opened:
        assert opened.read(100) == b"a,b\n1,2\n" and opened.again(4, 8) == b"1,2\n"
        path.write_bytes(b"a,b\n1,2\n3,4\n")
        with pytest.raises(comb.SourceUnreadable, match="it changed while it was read"):
            opened.again(4, 8)
