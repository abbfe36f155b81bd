"""The compiled kernels against the reference: the same values, states, texts, places, evidence."""

import struct
from pathlib import Path
from random import Random

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from comb.demo.files import demo_bytes
from comb.execution.resources import Resources
from comb.kernels import dispatch
from comb.kernels.reference import counting
from comb.kernels.reference.kernels import ReferenceKernels
from comb.kernels.reference.splitting import split_records
from comb.kernels.string_buffer import pack
from comb.kernels.types import Dialect
from comb.parsing.cell_parser import CellParser
from comb.parsing.patterns import DateForm
from comb.parsing.vocabulary import words_for
from comb.reading.delimited.chunking import chunk_ranges, last_record_end
from comb.reading.io.encoding import is_binary
from comb.tables.read_options import ReadOptions
from comb.tables.types import DATE, INTEGER, NUMBER, decimal
from support.both_kernels import bits, outcome, reference
from support.examples import drawn

pytestmark = pytest.mark.skipif(not dispatch.kernels.compiled, reason="nothing is compiled here")


PARTS = st.sampled_from([*"0123456789", "00", "+", "-", ".", ",", "e", "E", "/", " ", "\u00a0", "\u2003", "999", "2026", "12", "31", "é", "x"])  # fmt: skip
WORDS = st.sampled_from(["n/a", "N/A", "yes", "NO", "sÍ", "unbekannt", "given", "Given", "1e400", "1.8e308", "-0", "-0.0", "9223372036854775807", "9223372036854775808", "-9223372036854775808", "0.1e-320", "31.02.2026", "29.02.2024", "0001-01-01", "9999-12-31", "1,234", "0,123", "1.7976931348623159e308"])  # fmt: skip
TEXTS = st.lists(st.lists(PARTS, max_size=9).map("".join) | WORDS | st.text(max_size=4), max_size=30)
READINGS = [
    CellParser(INTEGER),
    CellParser(INTEGER, decimal_mark=","),
    CellParser(decimal(2)),
    CellParser(decimal(3), decimal_mark=","),
    CellParser(NUMBER),
    CellParser(NUMBER, decimal_mark=","),
    *(CellParser(DATE, dates=(DateForm(order, mark, ""),)) for order in ("ymd", "dmy", "mdy") for mark in "-./"),
    CellParser(DATE, dates=(DateForm("dmy", ".", ""), DateForm("ymd", "-", ""))),
]


@settings(max_examples=drawn(300))
@given(TEXTS)
def test_texts_are_counted_and_read_alike(texts: list[str]) -> None:
    packed, words = pack(texts), words_for(["given", "999"])
    counted, kinds = dispatch.kernels.tally(packed, None, words)
    expected, expected_kinds = counting.tally(texts, None, words)
    differing = [(place, int(counted[place]), int(expected[place])) for place in np.flatnonzero(counted != expected)]
    assert not differing and kinds.tolist() == expected_kinds.tolist()
    for reading in READINGS:
        values, status = reading.parse(packed)
        wanted, wanted_status = reading.parse(pack(texts), ReferenceKernels())
        assert status.tolist() == wanted_status.tolist(), (reading, texts)
        fits = status == 0
        assert bits(values[fits]) == bits(wanted[fits]), reading


def test_floats_are_those_of_python() -> None:
    chance = Random(4)
    texts = [repr(struct.unpack("d", chance.randbytes(8))[0]) for _ in range(4000)]
    texts += [f"{chance.randrange(10 ** chance.randrange(1, 20))}e{chance.randrange(-345, 312)}" for _ in range(4000)]
    texts += [f"{chance.random():.{chance.randrange(1, 25)}f}" for _ in range(4000)]
    values, status = CellParser(NUMBER).parse(pack(texts))
    wanted, wanted_status = CellParser(NUMBER).parse(pack(texts), ReferenceKernels())
    assert status.tolist() == wanted_status.tolist()
    assert bits(values[status == 0]) == bits(wanted[status == 0])


@settings(max_examples=drawn(300))
@given(st.text(st.sampled_from('ab";\'\\\n\r é'), max_size=40), st.sampled_from(['"', "'", None]), st.sampled_from(["", "\\"]), st.integers(1, 4) | st.just(201))  # fmt: skip
def test_text_is_split_alike(text: str, quote: str | None, escape: str, width: int) -> None:
    expected = split_records(text, ";", quote, escape=escape if quote else "")
    found = dispatch.kernels.split(text.encode(), Dialect(";", quote, escape if quote else ""), width, single=True)
    assert [found.row(at) for at in range(len(found))] == expected.fields
    assert (found.lines + 1).tolist() == expected.lines
    assert [line + 1 for line in found.stray] == expected.stray
    assert [line + 1 for line in found.unclosed] == expected.unclosed
    first = split_records(text, ";", quote, escape=escape if quote else "", most=width)
    assert dispatch.kernels.records(text, Dialect(";", quote, escape if quote else ""), width).fields == first.fields
    valid, controls, characters = dispatch.kernels.check_text(text.encode())
    assert (valid, controls, characters) == (True, 0, len(text))


@given(st.binary(max_size=40))
def test_what_is_no_utf8_is_known(data: bytes) -> None:
    try:
        data.decode()
    except UnicodeDecodeError:
        assert not dispatch.kernels.check_text(data)[0]
    else:
        assert dispatch.kernels.check_text(data)[0]


@given(st.binary(max_size=200), st.integers(1, 50))
def test_runs_put_together_are_the_text(data: bytes, size: int) -> None:
    place = [0]

    def read(ahead: bytes, wanted: int) -> bytes:
        place[0] += wanted
        return ahead + data[place[0] - wanted : place[0]]

    found = list(chunk_ranges(read, b'"', size))
    assert b"".join(run.data for run in found) == data
    assert [run.last for run in found] == [False] * (len(found) - 1) + [True]
    assert all(run.start == sum(len(one.data) for one in found[:at]) for at, run in enumerate(found))
    assert last_record_end(data, b"") in (0, *(at + 1 for at, byte in enumerate(data) if byte in b"\r\n"))


CELLS = ["", " ", "1", "-2", "007", "+3", "12345678901234567890", "1.50", "2.25", "1,5", "0.1", "1e5", "n/a", "-", "yes", "no", "2026-05-01", "1.2.2026", "13/5/2026", "Mill", "Mill Brook", "Öl", "a b", "999"]  # fmt: skip
COLUMNS = [CELLS, ["12345678", "-87654321", "123456789", "1234:678", "00000001", "7"], ["1", "2", "33", "-4"], ["1.50", "22.25", "0.05"], ["2026-05-01", "2026-06-02", ""], ["1,5", "2,25", ""], ["x", "y", "é"], ["0.1", "0.25", "7"]]  # fmt: skip


def made(chance: Random) -> tuple[bytes, ReadOptions]:
    """Make a file of some dialect, with some damage."""
    delimiter, quote = chance.choice([",", ";", "\t", "|"]), chance.choice(['"', '"', "'"])
    end = chance.choice(["\n", "\n", "\r\n", "\r"])
    pools = [chance.choice(COLUMNS) for _ in range(chance.randrange(1, 6))]
    rows = [[f"name{at}" for at in range(len(pools))]] if chance.random() < 0.9 else []
    rows += [
        [chance.choice(CELLS) if chance.random() < 0.08 else chance.choice(pool) for pool in pools]
        for _ in range(chance.randrange(0, 150))
    ]
    if chance.random() < 0.5:
        for _ in range(chance.randrange(6)):
            row = chance.choice(rows) if rows else []
            trouble = chance.choice([["", ""], ["Title line"], row[:-1], [*row, "more"], [*row, ""], rows[0] if rows else [], ["the end of it"], ["---"] * len(pools)])  # fmt: skip
            rows.insert(chance.choice([0, len(rows), chance.randrange(len(rows) + 1)]), list(trouble))
    if chance.random() < 0.2:
        rows = [[*row, ""] for row in rows]

    def written(cell: str) -> str:
        if delimiter in cell or chance.random() < 0.1:
            inner = cell + chance.choice(["", f"{quote}{quote}", end, f"{delimiter}z"])
            return f"{quote}{inner}{quote}"
        return cell

    text = end.join(delimiter.join(map(written, row)) for row in rows) + chance.choice(["", end])
    if chance.random() < 0.3:
        for _ in range(chance.randrange(1, 5)):
            at = chance.randrange(len(text) + 1)
            text = text[:at] + chance.choice([quote, end, delimiter, quote + quote, "\\"]) + text[at:]
    encoding = chance.choice(["utf-8", "utf-8", "utf-8", "utf-8-sig", "cp1252", "utf-16"])
    options: dict[str, object] = chance.choice([{}, {}, {}, {"types": "string"}, {"missing": ["999", "Mill"]}, {"missing": []}, {"rows": 7}, {"types": {"name0": chance.choice(["number", "decimal", "integer", "date", "date d.M.yyyy", "boolean", "decimal 0.000"])}}, {"columns": ["name0"]}, {"header": 0}])  # fmt: skip
    return text.encode(encoding, errors="replace"), ReadOptions(**options)  # type: ignore[arg-type]


@pytest.mark.parametrize("seed", range(0, 400, 40))
def test_files_of_every_dialect_load_alike(tmp_path: Path, seed: int) -> None:
    for at in range(seed, seed + 40):
        chance = Random(at)
        data, options = made(chance)
        path = tmp_path / "made.csv"
        path.write_bytes(data)
        with reference():
            expected = outcome(path, options, Resources())
        for resources in (Resources(), Resources(1, chance.randrange(1, 60)), Resources(3, chance.randrange(1, 400))):
            assert outcome(path, options, resources) == expected, (at, resources)


def test_it_does_not_matter_where_runs_end(tmp_path: Path) -> None:
    path = tmp_path / "small.csv"
    lines = demo_bytes("inspections.csv").decode().split("\n")
    data = "\n".join(lines[:70]).encode() + b'\n"never closed;1;2\n' + "\n".join(lines[70:110]).encode()
    path.write_bytes(data)
    with reference():
        expected = outcome(path, ReadOptions(), Resources())
    for size in (*range(1, 60), *range(60, len(data), 97)):
        assert outcome(path, ReadOptions(), Resources(1 + size % 3, size)) == expected, size


@pytest.mark.parametrize("width", [199, 200, 203])
def test_wide_files_load_alike(tmp_path: Path, width: int) -> None:
    chance = Random(width)
    rows = [[f"c{at}" for at in range(width)]]
    for _ in range(100):
        row = [
            chance.choice(CELLS) if chance.random() < 0.01 else str(chance.randrange(10 ** (at % 12)))
            for at in range(width)
        ]
        row[chance.randrange(width)] = chance.choice(['"7"', '"a ""b"", c"', '"a\nb"', '""'])
        rows.append(row[: chance.choice([width, width, width - 2])] + ["more"] * (chance.random() < 0.1))
    path = tmp_path / "wide.csv"
    path.write_text("\n".join(",".join(row) for row in rows))
    with reference():
        expected = outcome(path, ReadOptions(), Resources())
    for resources in (Resources(), Resources(2, 9_000), Resources(1, 40_000)):
        assert outcome(path, ReadOptions(), resources) == expected


def test_a_guess_that_turns_out_wrong_loses_nothing(tmp_path: Path) -> None:
    path = tmp_path / "turning.csv"
    first = "".join(f"{at},{at}.25,2026-01-0{at % 9 + 1},-0\r\n" for at in range(2000))
    turns = {
        "a word": "x,y,z,w\n", "a plus": "+5,+1.5,2026-1-1,+0\n", "zeros": "007,0007.25,01.02.2026,0.50\n",
        "wide": "123456789012345678901,1e3,13.1.2026,1e-3\n", "exponents": "1e5,1.234567890123456789,1/2/2026,12345678901234567.5\n",
    }  # fmt: skip
    for name, turn in turns.items():
        path.write_text("n,d,t,z\n" + first + turn * 1500, newline="")
        with reference():
            expected = outcome(path, ReadOptions(), Resources())
        assert outcome(path, ReadOptions(), Resources(2, 3000)) == expected, name


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=drawn(150))
@given(data=st.binary(max_size=120) | st.lists(st.sampled_from([b'"', b",", b"\n", b"\r", b"a", b"1", b"\xc3\xa9", b"\x80"]), max_size=80).map(b"".join))  # fmt: skip
def test_any_bytes_load_alike(tmp_path: Path, data: bytes) -> None:
    path = tmp_path / "any.csv"
    path.write_bytes(data)
    with reference():
        expected = outcome(path, ReadOptions(), Resources())
    assert outcome(path, ReadOptions(), Resources(2, 5)) == expected
    assert not is_binary(0, len(data))
