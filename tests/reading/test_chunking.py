"""Reading in runs: heads, cuts, wrong guesses, what the counts decide."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.execution.memory import check_memory
from comb.execution.resources import Resources
from comb.inference.decide import decide_by_counts
from comb.kernels import dispatch
from comb.kernels.reference.counting import tally
from comb.kernels.reference.row_block import RowBlock
from comb.kernels.string_buffer import pack
from comb.kernels.types import Dialect, NumberForm, TallySlot, Words
from comb.parsing.vocabulary import words_for
from comb.reading.delimited.chunking import TextChunkRange, chunk_ranges, last_record_end, parse_chunks
from comb.reading.delimited.header import parse_header
from comb.reading.delimited.layout import guess_layout
from comb.reading.io.encoding import decode, utf8_mark
from comb.reading.io.source_file import OpenSource
from comb.reading.io.text_stream import FileText, HeldText, NotUtf8Error
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions
from support.lines import Lines, worked


@given(
    st.lists(st.sampled_from([b"a", b"bb", b"#x\ny#", b"#\n\n#", b'"', b"", b"c#\n\n\n#d"]), max_size=40),
    st.integers(1, 30),
    st.integers(1, 3),
)
def test_wherever_runs_were_cut_the_records_are_the_same(records: list[bytes], size: int, threads: int) -> None:
    data = b"\n".join(records)
    place = [0]

    def read(ahead: bytes, wanted: int) -> bytes:
        place[0] += wanted
        return ahead + data[place[0] - wanted : place[0]]

    # The cut knows nothing of these marks, so that most guesses are wrong.
    found = list(parse_chunks(chunk_ranges(read, b"", size), worked, threads))
    expected = worked(TextChunkRange(0, data, last=True)).lines
    assert [line for _, result in found for line in result.lines] == expected
    assert all(data[run.start : run.start + len(run.data)] == run.data for run, _ in found)


def test_a_failing_worker_is_told_and_nothing_hangs() -> None:
    def failing(run: TextChunkRange) -> Lines:
        if run.start > 50:
            raise ValueError("no more")
        return worked(run)

    text = iter([b"a\n" * 40] * 50 + [b""])
    with pytest.raises(ValueError, match="no more"):
        list(parse_chunks(chunk_ranges(lambda ahead, size: ahead + next(text), b"", 10), failing, 2))


@pytest.mark.parametrize(
    ("data", "quote", "expected"),
    [
        (b"a\nb", b"", 2),
        (b"ab", b"", 0),
        (b"a\rb\r", b"", 2),
        (b"a\r\nb", b"", 3),
        (b"a\n'b\nc\n", b"'", 2),
        (b"'a\nb\nc\n", b"'", 0),
        (b"'a'\n'b\n'\nc", b"'", 9),
        (b"", b"'", 0),
    ],
)
def test_cuts(data: bytes, quote: bytes, expected: int) -> None:
    assert last_record_end(data, quote) == expected


@pytest.mark.parametrize(
    ("text", "names", "offset", "lines", "titles", "units"),
    [
        ("a,b\n1,2\n", ["a", "b"], 4, 1, [], ["", ""]),
        ("Visits\n\na,b,c\n1,2,3\n4,5,6\n", ["a", "b", "c"], 14, 3, ["Visits"], ["", "", ""]),
        ("a,b\nkg,\n1,2\n3,4\n", ["a", "b"], 8, 2, [], ["kg", ""]),
        ("a [kg],b\r\n1,2\r\n", ["a [kg]", "b"], 10, 1, [], ["kg", ""]),
        ("a,b\n---,---\n1,2\n", ["a", "b"], 12, 2, [], ["", ""]),
        ("1,2\n3,4\n", ["", ""], 0, 0, [], ["", ""]),
        ("a,b", ["a", "b"], 3, 0, [], ["", ""]),
        ("w;n\nA;3,5;8\nB;4,5;9\n", ["", "w", "n"], 4, 1, [], ["", "", ""]),
    ],
)
def test_heads(text: str, names: list[str], offset: int, lines: int, titles: list[str], units: list[str]) -> None:
    head = parse_header(text, text.encode(), guess_layout(text, ReadOptions()))
    assert (head.names, head.offset, head.lines, head.titles, head.units) == (names, offset, lines, titles, units)


@pytest.mark.parametrize(
    ("texts", "kind", "why"),
    [
        (["1", "2", ""], "integer", ""),
        (["1.50", "2.25"], "decimal", ""),
        (["1.5", "2.25"], "number", ""),
        (["1", "2.5"], "number", ""),
        (["1.5e5", "2"], "number", ""),
        (["1e5", "2"], "string", "1 value with an exponent but no point and no sign, as codes like 19E7 have"),
        (["1.234", "483"], "string", "every point could be a thousands separator or a decimal point"),
        (["1.234", "2.5"], "number", ""),
        (["+4917012345", "3"], "string", "1 value with a plus sign and many digits: telephone numbers"),
        (["004.678", "5.25"], "string", "1 value starting with 0, as codes do"),
        (["1,5", "2,25"], "number", "decimal comma"),
        (["1,50", "2,25"], "decimal", "decimal comma"),
        (["1,234", "2,345"], "string", "every comma could be a thousands separator or a decimal comma"),
        (["1,234", "2,5"], "number", "decimal comma"),
        (["007", "008"], "string", "2 values starting with 0, as codes do"),
        (["12345678901234567890", "1"], "string", "1 value beyond the range of integers"),
        (["yes", "no", "NO"], "boolean", "yes and no both occur"),
        (["yes", "yes"], "string", ""),
        (["2026-05-01", "2026-5-2"], "date", ""),
        (["1.2.2026", "13.2.2026"], "date", "day and month cannot be confused: 1 value with a day above 12"),
        (["1.2.2026", "2.3.2026"], "date", "with dots between, day first"),
        (["1/2/2026", "2/3/2026"], "string", "day and month could be swapped: no value has a day above 12"),
        (["1/13/2026", "2/14/2026"], "date", "day and month cannot be confused: 2 values with a day above 12"),
        (["13/1/2026", "1/13/2026"], "string", "day and month could be swapped: 1 value with the day first, 1 with the month"),
        (["2026-05-01", "3.4.2026"], "date", "several forms that cannot be confused: yyyy-MM-dd 1 time, d.M.yyyy 1 time"),
        (["Mill", "12"], "string", ""),
        (["n/a", "12"], "integer", ""),
        (["n/a", "-"], "string", ""),
        ([], "string", "there is nothing in it"),
        (["", " "], "string", "there is nothing in it"),
    ],
)  # fmt: skip
def test_what_the_counts_decide(texts: list[str], kind: str, why: str) -> None:
    counted, _ = tally(texts, None, words_for(None))
    found = decide_by_counts(counted)
    assert (found.parser.type.word if found.parser else "string") == kind
    assert why in found.evidence.why or (not why and not found.evidence.why)
    again, _ = dispatch.kernels.tally(pack(texts), None, words_for(None))
    assert str(decide_by_counts(again).evidence) == str(found.evidence)


@given(st.lists(st.sampled_from(["1", "x", "1,5", "1/2/2026", "yes", "", "n/a"]), max_size=12), st.data())
def test_counts_of_parts_add_up(texts: list[str], data: st.DataObject) -> None:
    at = data.draw(st.integers(0, len(texts)))
    words = words_for(["x"])
    whole, parts = tally(texts, None, words)[0], [tally(part, None, words)[0] for part in (texts[:at], texts[at:])]
    assert (whole == parts[0] + parts[1]).all()
    assert whole[: TallySlot.OTHER + 1].sum() == len(texts)


def test_the_reference_leaves_values_to_those_who_know_the_type() -> None:
    block = RowBlock(b"1,a\n2,b\n", Dialect(",", '"', ""), 2, single=False, most=1)
    assert block.values(0, NumberForm("integer", 0, "."), Words()) is None
    assert (len(block), block.after, block.line_ends, block.row(0)) == (1, 4, 1, ["1", "a"])


@pytest.mark.parametrize(
    ("start", "encoding", "expected"),
    [
        (b"a,b\n", None, b""),
        (b"\xef\xbb\xbfa,b\n", None, b"\xef\xbb\xbf"),
        (b"\xef\xbb\xbf \n", None, None),
        (b"a\x00,\x00b\x00\n\x00" * 9, None, None),
        (b"\xff\xfea\x00", None, None),
        (b"\x1f\x8b\x08", None, None),
        (b"PK\x03\x04", None, None),
        (b"{\n", None, None),
        (b" \n", None, None),
        (b"a,b\n", "UTF_8", b""),
        (b"a,b\n", "cp1252", None),
    ],
)
def test_what_can_be_read_piece_by_piece(start: bytes, encoding: str | None, expected: bytes | None) -> None:
    assert utf8_mark(start, encoding) == expected


def test_the_text_of_a_file_is_read_on_from_a_place(tmp_path: Path) -> None:
    path = tmp_path / "text.csv"
    path.write_bytes(b"\xef\xbb\xbfa,b\n1,\xc3\xa9\n2,y\n")
    with OpenSource(path) as opened:
        text = FileText(opened, opened.read(9), b"\xef\xbb\xbf", declared=False)
        assert text.start == b"a,b\n1," and not text.complete
        text.read_from(4)
        assert text.read(100) + text.read(100) == b"1,\xc3\xa9\n2,y\n" and text.read(9) == b""
        assert text.again(2, 4) == b"\xc3\xa9" and text.decoded().encoding == "utf-8-sig"
        with pytest.raises(NotUtf8Error):
            text.check(b"\xe9")
    held = HeldText(decode("a,é".encode("cp1252"), "x.csv"), "x.csv")
    held.read_from(2)
    assert held.read(9) == "é".encode() and held.again(0, 2) == "é".encode() and held.complete


def test_half_a_character_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "half.csv"
    path.write_bytes(b"a,b\n1,\\ud800\n")
    with pytest.raises(comb.ReadError, match=r"half of a character[\s\S]*line 2|line 2[\s\S]*half of a character"):
        comb.load(path, encoding="unicode_escape")


def test_too_little_memory_is_told_before_anything_is_read() -> None:
    with pytest.raises(comb.CombError, match=r"needs about .* GB of memory"):
        check_memory(10**15, 2, "huge.csv")


def pieces_of(path: Path) -> Iterator[tuple[int, int]]:
    for size in (1, 50, 10_000):
        for threads in (1, 2):
            table = load_table(path, ReadOptions(), resources=Resources(threads, size))
            yield table.row_count, len(table.origin.lines)


def test_records_larger_than_a_run_are_whole(tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    cell = "line\n" * 2_000
    path.write_text(f'a,b\n1,"{cell}"\n2,"{cell}"\n3,"open\n' + "4,x\n" * 100, newline="")
    assert set(pieces_of(path)) == {(103, 103)}
    table = comb.load(path)
    assert table["b"].to_list()[:3] == [cell, cell, '"open']
    assert table.place(2) == "long.csv, line 2003" and table.place(103) == "long.csv, line 4104"
    assert table.notes == ("1 row with a quote that never closes, read as an ordinary character: line 4,004",)
