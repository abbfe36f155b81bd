"""Numbers taken apart eight digits at a time, against Python's own reading of them."""

import struct
from random import Random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from comb.kernels import blocks, dispatch
from comb.kernels.blocks import CodeOutput
from comb.kernels.compiled import _cells
from comb.kernels.compiled.offset_block import OffsetBlock
from comb.kernels.reference.counting import tally
from comb.kernels.reference.kernels import ReferenceKernels
from comb.kernels.string_buffer import StringBuffer, joined, pack
from comb.kernels.types import Dialect, NumberForm, OffsetCells, Words, cells_of
from comb.parsing.cell_parser import CellParser
from comb.tables.types import INTEGER, NUMBER, decimal
from support.examples import drawn

pytestmark = pytest.mark.skipif(not dispatch.kernels.compiled, reason="nothing is compiled here")

READINGS = {
    "integer": CellParser(INTEGER),
    "decimal": CellParser(decimal(2)),
    "decimal with a comma": CellParser(decimal(4), decimal_mark=","),
    "wide decimal": CellParser(decimal(17)),
    "number": CellParser(NUMBER),
    "number with a comma": CellParser(NUMBER, decimal_mark=","),
}

# What stands before the first cell: without it, the first cells are left to the careful way.
LEAD = "the first bytes of a text are not looked at so"


def bits(values: np.ndarray) -> list[bytes]:
    return [struct.pack("d", value) if isinstance(value, float) else str(value).encode() for value in values.tolist()]


def check(texts: list[str], readings: dict[str, CellParser] = READINGS) -> None:
    """Hold texts that are read as columns against the reference."""
    packed = pack([LEAD, *texts])
    for name, reading in readings.items():
        values, status = reading.parse(packed)
        wanted, wanted_status = reading.parse(packed, ReferenceKernels())
        differing = [texts[at - 1] for at in np.flatnonzero(status != wanted_status).tolist()]
        assert not differing, (name, differing[:5])
        fits = status == 0
        assert bits(values[fits]) == bits(wanted[fits]), name


def shapes() -> list[str]:
    """Return a number of every length, with every mark in every place, with and without a sign."""
    digits = "9081726354433221100998877"
    texts = [digits[:size] for size in range(1, 26)] + ["0" * size for size in range(1, 20)]
    texts += [f"{text[:at]}{mark}{text[at:]}" for text in texts for mark in ".," for at in range(len(text) + 1)]
    return texts + [f"{sign}{text}" for text in texts for sign in "-+"]


def test_numbers_of_every_shape() -> None:
    check(shapes())


def test_exponents_of_every_shape() -> None:
    heads = [
        "1",
        "0",
        "-0",
        "1.5",
        "-1.5",
        "1,5",
        ".5",
        "5.",
        "12.345678",
        "123456.7890123456",
        "9007199254740993.0",
        "00.5",
    ]
    tails = ["e+05", "E-05", "e5", "e+5", "e05", "e-99", "e+99", "e-22", "e+22", "e-23", "e+23", "e308", "e-324", "e+1x", "e+", "ee05", "e 05"]  # fmt: skip
    check([head + tail for head in heads for tail in tails])


@pytest.mark.parametrize("text", ["7", "1234567", "12345678", "-123.456", "0.12", "123456789012", "-12345.678901", "0.1234567890123456", "1.234567e-01", "123456789.12345678901"])  # fmt: skip
def test_a_strange_byte_in_any_place_is_seen(text: str) -> None:
    strange = [chr(code) for code in range(1, 128)] + ["é", "\u0660", "\uff11", "\u00a0"]
    check([text[:at] + one + text[at + 1 :] for at in range(len(text)) for one in strange])


@settings(max_examples=drawn(200))
@given(st.lists(st.text("0123456789-+.,eE ", max_size=26), max_size=40))
def test_anything_like_a_number(texts: list[str]) -> None:
    check(texts)


def test_floats_of_all_magnitudes_come_back() -> None:
    chance = Random(9)
    values = [struct.unpack("d", chance.randbytes(8))[0] for _ in range(3000)] + [chance.random() for _ in range(3000)]
    texts = [repr(value) for value in values if value == value]
    texts += [f"{value:.{size}f}" for size in range(1, 22) for value in values[3000:3100]]
    texts += [f"{value:.{size}e}" for size in range(12) for value in values[3000:3100]]
    check(texts, {"number": READINGS["number"]})


@pytest.mark.parametrize("width", [3, 201])
@pytest.mark.parametrize("kind", ["integer", "decimal", "number"])
def test_columns_side_by_side_are_read_like_one_alone(kind: str, width: int) -> None:
    chance = Random(width)
    pool = [text for text in shapes() if "," not in text] + ["", " ", "x", "1e5", '"7"', '"1""2"'] * 40
    # Mostly what fits: with many others, columns are better taken as text.
    plain = {
        "integer": ["7", "-12", "123456789012"],
        "decimal": ["1.5", "-22.25", "3"],
        "number": ["0.5", "1e-05", "-7"],
    }
    rows = [[chance.choice(pool if chance.random() < 0.15 else plain[kind]) for _ in range(width)] for _ in range(80)]
    data = "".join(",".join(row) + "\n" for row in rows).encode()
    dialect = Dialect(",", '"', "")
    block = dispatch.kernels.split(data, dialect, width, single=False)
    assert isinstance(block, OffsetBlock)
    form, words = NumberForm(kind, 2 if kind == "decimal" else 0, "."), Words()
    columns = np.array([at for at in range(width) if at != 1], np.int64)
    # Put into arrays that are there already, behind what stands in them.
    rooms = blocks.BatchOutput([(np.full(99, 5, np.int64), np.full(99, 7, np.uint8)) for _ in columns], 19)
    for where in (None, rooms):
        found = block.number_columns(columns, [form] * len(columns), words, where)
        for at, column in enumerate(columns.tolist()):
            texts = [block.row(row)[column] for row in range(len(block))]
            wanted, status = CellParser(decimal(2) if kind == "decimal" else READINGS[kind].type).parse(
                pack(texts), ReferenceKernels()
            )
            assert found.tally[at].tolist() == tally(texts, None, words)[0].tolist() or at in found.left
            if at not in found.left:
                assert found.status[at].tolist() == status.tolist()
                values = found.values[at].view(np.float64) if kind == "number" else found.values[at]
                assert bits(values[status == 0]) == bits(wanted[status == 0])
                kept = dict(zip(found.kept[at][0].tolist(), found.kept[at][1].strings(), strict=True)) if at in found.kept else {}  # fmt: skip
                assert kept == {row: texts[row] for row in np.flatnonzero(status > 1).tolist()}
        assert len(found.left) < len(columns) / 2
    assert all((values[:19] == 5).all() and (status[:19] == 7).all() for values, status in rooms.arrays)
    with pytest.raises(ValueError, match="room for every row"):
        block.number_columns(columns, [form] * len(columns), words, blocks.BatchOutput(rooms.arrays, 20))


CELLS = st.sampled_from(["", "a", "b", "north", "a text of more than sixteen bytes", "a text of more than sixteen bytez", "é", "x" * 40])  # fmt: skip


@given(st.lists(CELLS, max_size=60), st.lists(CELLS, max_size=8, unique=True))
def test_texts_that_are_known_keep_their_codes(cells: list[str], known: list[str]) -> None:
    data = "".join(f"{cell},1\n" for cell in cells).encode()
    block = dispatch.kernels.split(data, Dialect(",", '"', ""), 2, single=False)
    room = np.empty(len(cells), np.int32)
    packed, codes = block.text(0, CodeOutput(room, pack(known)))
    if codes is None:
        assert packed.strings() == cells
        return
    strings = packed.strings()
    assert strings[: len(known)] == known and len(set(strings)) == len(strings)
    assert [strings[code] for code in codes.tolist()] == cells
    assert codes is room and (not set(cells) - set(known)) == (packed.size == len(known))


def test_many_known_texts_are_found_again() -> None:
    known = pack([f"text {at} that is long enough" for at in range(3000)])
    cells = joined([known, pack(["new"]), known])
    first, codes = _cells.encode(*cells_of(cells), 1.0, -1, None, known)
    assert first.tolist() == [3000] and codes.tolist() == [*range(3000), 3000, *range(3000)]


@given(st.lists(st.integers(0, 5), max_size=50), st.lists(st.integers(0, 255), min_size=6, max_size=6))
def test_codes_are_counted_looked_up_and_renumbered(codes: list[int], table: list[int]) -> None:
    narrow, wide = np.array(codes, np.int32), np.array(codes, np.int64)
    for array in (narrow, wide):
        assert dispatch.kernels.count_codes(array, 6).tolist() == [codes.count(code) for code in range(6)]
        assert dispatch.kernels.look_up(np.array(table, np.uint8), array).tolist() == [table[code] for code in codes]
        dispatch.kernels.renumber(array, np.array([5, 4, 3, 2, 1, 0]))
        assert array.tolist() == [5 - code for code in codes]


@given(st.lists(st.tuples(CELLS, CELLS, st.booleans()), max_size=30))
def test_pairs_of_texts_are_compared(pairs: list[tuple[str, str, bool]]) -> None:
    left, right = [one for one, _, _ in pairs], [one if same else other for one, other, same in pairs]
    found = dispatch.kernels.same(pack(left), pack(right))
    assert found.dtype == np.bool_ and found.tolist() == [one == other for one, other in zip(left, right, strict=True)]


@given(st.lists(CELLS | st.text(max_size=30), min_size=1, max_size=30), st.data())
def test_fingerprints_are_those_of_the_reference(texts: list[str], data: st.DataObject) -> None:
    cells = pack(texts)
    found = dispatch.kernels.fingerprints(cells)
    assert found.tolist() == ReferenceKernels().fingerprints(cells).tolist()
    assert len(set(found.tolist())) == len(set(texts))
    start = data.draw(st.integers(0, len(texts)))
    assert (
        dispatch.kernels.fingerprints(StringBuffer(cells.buffer, cells.offsets[start:])).tolist()
        == found[start:].tolist()
    )
    with pytest.raises(IndexError, match="offsets"):
        dispatch.kernels.fingerprints(StringBuffer(cells.buffer, cells.offsets + len(cells.buffer) + 1))


@pytest.mark.parametrize("code", [-1, 3])
def test_a_code_that_names_nothing_is_an_error(code: int) -> None:
    codes = np.array([0, code], np.int32)
    for call in (
        lambda: dispatch.kernels.count_codes(codes, 3),
        lambda: dispatch.kernels.look_up(np.zeros(3, np.uint8), codes),
        lambda: dispatch.kernels.renumber(codes, np.zeros(3, np.int32)),
    ):
        with pytest.raises(IndexError, match="expected codes below"):
            call()


@given(st.lists(CELLS, max_size=20), st.lists(CELLS, max_size=20))
def test_cells_know_their_size(one: list[str], other: list[str]) -> None:
    cells: OffsetCells = cells_of(joined([pack(one), pack(other)]))
    packed = StringBuffer(*_cells.gather(*cells))
    assert packed.size == len(one) + len(other) and packed.strings() == one + other
