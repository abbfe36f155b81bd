"""One record by its line: the same text as the table has, or none; and whole large files are not read for it."""

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import comb
from comb.reading.delimited import record_at as module
from comb.reading.source_texts import cell_text, read_as_texts, text_at_its_line
from support.examples import drawn

CELLS = st.text(st.sampled_from("ab 1.'é\u2028|;,\"\n\r"), max_size=5)


def quoted(cell: str) -> str:
    return '"' + cell.replace('"', '""') + '"'


@settings(max_examples=drawn(120), deadline=None)
@given(
    st.lists(st.lists(CELLS, min_size=3, max_size=3), min_size=1, max_size=8),
    st.sampled_from([",", ";", "\t"]),
    st.sampled_from(["\n", "\r\n", "\r"]),
    st.booleans(),
    st.sampled_from([1, 7, 1 << 18]),
)
def test_the_text_at_a_line_is_that_of_the_table(
    tmp_path_factory: pytest.TempPathFactory, cells: list[list[str]], mark: str, end: str, all_quoted: bool, piece: int
) -> None:
    path = tmp_path_factory.mktemp("at") / "visits.csv"
    rows = [[quoted(cell) if all_quoted or set(cell) & set('",;\t\n\r') else cell for cell in row] for row in cells]
    text = end.join(mark.join(row) for row in [["apiary", "keeper", "mites"], *rows])
    path.write_bytes(text.encode())
    table = comb.load(path, delimiter=mark, header=1, types="string")
    usual, module.PIECE = module.PIECE, piece
    try:
        for name in table.names:
            known = read_as_texts(str(path), table.origin.options, name)
            assert known is not None
            column = known[name]
            for row, expected in enumerate(column.texts()):
                found = text_at_its_line(table.origin, name, row + 1)
                assert found in (None, expected or column.kept.texts.get(row, ""))
    finally:
        module.PIECE = usual


@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_plain_files_take_the_short_way(tmp_path: Path, end: str) -> None:
    path = tmp_path / "visits.csv"
    path.write_bytes(f'\ufeffvisit;notes{end}1;"a{end}b"{end}{end}2; äb {end}3;"said ""no"""{end}'.encode())
    table = comb.load(path)
    assert [text_at_its_line(table.origin, "notes", row) for row in (1, 2, 3)] == [f"a{end}b", " äb ", 'said "no"']
    assert [cell_text(table.origin, "notes", row) for row in (1, 2, 3)] == [f"a{end}b", " äb ", 'said "no"']
    with path.open("ab") as more:
        more.write(b"4;x\n")
    # Another file than was read tells nothing of it.
    assert cell_text(table.origin, "notes", 1) is None


def test_what_takes_more_is_left_to_the_reader(tmp_path: Path) -> None:
    short, packed = tmp_path / "short.csv", tmp_path / "packed.csv.gz"
    short.write_text("a,b,c\n1,2,3\n4,5\n6,7,8\n")
    table = comb.load(short)
    assert text_at_its_line(table.origin, "b", 2) is None and cell_text(table.origin, "b", 2) == "5"
    comb.load(short).save(packed)
    zipped = comb.load(packed)
    assert text_at_its_line(zipped.origin, "b", 1) is None and cell_text(zipped.origin, "b", 1) == "2"
