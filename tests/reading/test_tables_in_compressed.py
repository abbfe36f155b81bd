"""A table inside a document that is compressed is the one that is asked for, or an error: never another in silence."""

import bz2
import gzip
import lzma
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
import xlsxwriter

import comb
from comb.execution.resources import Resources
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions
from support.on_disk import storage_in

LINES = b'{"id": 1, "visits": [{"kg": 1}]}\n{"id": 2, "visits": [{"kg": 5}, {"kg": 6}]}\n'
DOCUMENT = b'{"hives": [{"id": 1}], "visits": [{"kg": 1}, {"kg": 5}, {"kg": 6}]}'
SHEETS = b"day,a\n2025-05-01,1\n2025-05-02,2\n\n\nvisits,\nkg,b\n1,2\n5,3\n6,4\n"

Pack = Callable[[Path, str, bytes], Path]


def zipped(folder: Path, name: str, data: bytes) -> Path:
    with zipfile.ZipFile(folder / "packed.zip", "w") as archive:
        archive.writestr(name, data)
    return folder / "packed.zip"


def packed(suffix: str, pack: Callable[[bytes], bytes]) -> Pack:
    def write(folder: Path, name: str, data: bytes) -> Path:
        (folder / f"{name}{suffix}").write_bytes(pack(data))
        return folder / f"{name}{suffix}"

    return write


PACKS: list[Pack] = [zipped, packed(".gz", gzip.compress), packed(".bz2", bz2.compress), packed(".xz", lzma.compress)]


def workbook(folder: Path) -> bytes:
    with xlsxwriter.Workbook(folder / "book.xlsx") as book:
        for name, cells in (("hives", [["id"], [1]]), ("visits", [["kg"], [1], [5], [6]])):
            sheet = book.add_worksheet(name)
            for at, row in enumerate(cells):
                sheet.write_row(at, 0, row)
    return (folder / "book.xlsx").read_bytes()


@pytest.mark.parametrize("pack", PACKS)
@pytest.mark.parametrize("name", ["in.jsonl", "in.json", "in.xlsx", "in.csv"])
def test_the_table_inside_is_the_one_asked_for(tmp_path: Path, pack: Pack, name: str) -> None:
    data = {"in.jsonl": LINES, "in.json": DOCUMENT, "in.csv": SHEETS}.get(name) or workbook(tmp_path)
    place = pack(tmp_path, name, data)
    wanted = "/visits" if name == "in.json" else "visits"
    assert comb.load(place, table=wanted)["kg"].to_list() == [1, 5, 6]
    on_disk = load_table(place, ReadOptions(table=wanted), resources=Resources(2, storage=storage_in(tmp_path)))
    assert on_disk["kg"].to_list() == [1, 5, 6]
    with pytest.raises(comb.CombError, match=r"no table '/?nothing'"):
        comb.load(place, table="/nothing" if name == "in.json" else "nothing")
    # By its own name it is the file that is meant, as a whole.
    whole = comb.load(place, table="in" if name != "in.json" else name)
    assert whole.names == comb.load(place).names and "kg" not in whole.names[:1]
    # A plan of what was loaded reads the same table again.
    plan = comb.load(place, table=wanted).filter("kg > 1").plan()
    assert next(iter(plan.run(dry_run=True).tables.values()))["kg"].to_list() == [5, 6]
