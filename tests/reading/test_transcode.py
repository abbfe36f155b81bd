"""Compressed sources and other encodings by way of a temporary file: the same table as in memory."""

import bz2
import gzip
import io
import lzma
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.errors import CombError
from comb.execution.resources import Resources
from comb.kernels import dispatch
from comb.kernels.reference.kernels import ReferenceKernels
from comb.reading.io.encoding import decode
from comb.reading.io.transcode import _table_of, transcoded, utf8_sequences
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions
from support.on_disk import storage_in

ROWS = "colony,keeper,kg\n" + "".join(f"{at},Zoë Müller,{at / 2}\n{at},Bär & Söhne,\n" for at in range(40))
CYRILLIC = "улей,пчеловод\n" + "".join(f"{at},Иван Петров\n" for at in range(40))


def zipped(data: bytes) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("visits.csv", data)
    return stream.getvalue()


PACKED: dict[str, Callable[[bytes], bytes]] = {
    "plain": lambda data: data, "gzip": gzip.compress, "bzip2": bz2.compress, "xz": lzma.compress, "zip": zipped,
    "two streams": lambda data: gzip.compress(data[:100]) + gzip.compress(data[100:]) + bytes(40),
}  # fmt: skip
TEXTS = {
    "windows-1252": ROWS.encode("windows-1252"), "cp850": ROWS.encode("cp850"), "utf-16": ROWS.encode("utf-16"),
    "utf-16-be": ROWS.encode("utf-16-be"), "utf-8-sig": ROWS.encode("utf-8-sig"), "utf-8": ROWS.encode(),
    "windows-1251": CYRILLIC.encode("windows-1251"), "bad bytes": ROWS.encode().replace(b"B\xc3\xa4r", b"B\xe4r", 3),
    "shift_jis": "品名,数量,日付\nりんご,5,2025-01-02\nみかん,3,2025-01-03\n大阪,7,2025-01-04\n東京,1,2025-01-05\n京都,2,2025-01-06\n".encode("cp932"),
    "carriage returns": ROWS.replace("\n", "\r").encode("windows-1252"), "crlf": ROWS.replace("\n", "\r\n").encode("cp850"),
}  # fmt: skip


@pytest.mark.parametrize("packed", PACKED)
@pytest.mark.parametrize("name", TEXTS)
def test_the_same_table_as_in_memory(packed: str, name: str, tmp_path: Path) -> None:
    source = tmp_path / "visits.csv"
    source.write_bytes(PACKED[packed](TEXTS[name]))
    here = load_table(source, ReadOptions())
    with storage_in(tmp_path) as storage:
        there = load_table(source, ReadOptions(), resources=Resources(storage=storage, memory=0))
    assert there.equals(here) and there.origin.bad_bytes == here.origin.bad_bytes and there.notes == here.notes
    assert there.origin.options == here.origin.options and there.origin.checksum == here.origin.checksum
    assert [there.place(row) for row in (1, 5)] == [here.place(row) for row in (1, 5)]


SPOILED = {
    "cut": (gzip.compress(ROWS.encode() * 50)[:-300], {}), "damaged": (b"\x1f\x8b" + b"nothing of the kind" * 9, {}),
    "no text": (bytes(range(256)) * 40, {}), "too large": (gzip.compress(ROWS.encode()), {"most_bytes": 50}),
    "not so": (ROWS.encode("windows-1252"), {"encoding": "utf-8"}), "unknown": (b"a\xff,b\n1,2\n", {"encoding": "klingon"}),
    "a picture": (b"\x89PNG\r\n" + bytes(5000), {}), "xml, packed": (gzip.compress(b"<?xml version='1.0'?><a/>"), {}),
    "not in the archive": (zipped(b"a,b\n1,2\n"), {"table": "other"}),
    "damaged archive": (zipped(ROWS.encode())[:-30] + bytes(30), {}),
}  # fmt: skip


@pytest.mark.parametrize("name", SPOILED)
def test_what_cannot_be_read_is_said_as_in_memory(name: str, tmp_path: Path) -> None:
    data, options = SPOILED[name]
    source = tmp_path / "visits.csv"
    source.write_bytes(data)
    with pytest.raises(CombError) as here:
        load_table(source, ReadOptions(**options))
    with pytest.raises(CombError) as there, storage_in(tmp_path) as storage:
        load_table(source, ReadOptions(**options), resources=Resources(storage=storage, memory=0))
    assert type(there.value) is type(here.value) and there.value.where == here.value.where
    assert [path.name for path in tmp_path.iterdir()] == ["visits.csv"]


WORDS = st.text(st.characters(codec="windows-1252", categories=("L", "Nd", "Po")), max_size=6)
LINES = st.lists(st.tuples(WORDS, WORDS), min_size=1, max_size=12)


@given(
    LINES,
    st.sampled_from(["utf-8", "windows-1252", "cp850", "mac-roman", "utf-16-le"]),
    st.integers(1, 40),
    st.binary(max_size=3),
)
def test_any_text_in_any_pieces(
    tmp_path_factory: pytest.TempPathFactory, lines: list[tuple[str, str]], codec: str, piece: int, odd: bytes
) -> None:
    text = "name,place\n" + "".join(f"{one},{other}\n" for one, other in lines)
    data = text.encode(codec, errors="replace") + odd.replace(b"\0", b"")
    with storage_in(tmp_path_factory.getbasetemp()) as storage:
        try:
            whole = decode(data, "x.csv")
        except comb.ContentError as error:
            with pytest.raises(comb.ContentError) as caught:
                transcoded(io.BytesIO(data), "x.csv", storage.file, piece=piece)
            assert caught.value.where == error.where
            return
        made = transcoded(io.BytesIO(data), "x.csv", storage.file, piece=piece)
        found = made.decoded()
        assert (found.encoding, found.why, found.bad) == (whole.encoding, whole.why, whole.bad)
        assert found.runner_up == whole.runner_up
        made.read_from(0)
        assert b"".join(iter(lambda: made.read(7), b"")).decode() == whole.text


@given(
    st.lists(
        st.sampled_from([b"a", b"\n", b"\xc3\xa9", b"\xe2\x82\xac", b"\xf0\x9f\x90\x9d", b"\xed\xa0\x80", b"\xe0\x80\x80", b"\xf4\x90\x80\x80"])
        | st.binary(max_size=3),
        max_size=20,
    ).map(b"".join)
)  # fmt: skip
def test_sequences_of_utf8_are_counted_as_python_decodes_them(data: bytes) -> None:
    text = data.decode("utf-8", errors="surrogateescape")
    runs = [match.group().encode("utf-8", errors="surrogateescape") for match in re.finditer("[\udc80-\udcff]+", text)]
    good = [
        len(text[: one.start()].encode(errors="surrogateescape"))
        for one in re.finditer("[^\x00-\x7f\udc80-\udcff]", text)
    ]
    found, starts, stops = utf8_sequences(data)
    assert (found.tolist(), [data[start:stop] for start, stop in zip(starts, stops, strict=True)]) == (good, runs)


@given(
    st.binary(max_size=80),
    st.sampled_from(["cp1252", "cp1250", "cp850", "mac-roman", "latin-1", "koi8-r", "iso8859-7"]),
)
def test_single_bytes_become_what_python_makes_of_them(data: bytes, codec: str) -> None:
    table = _table_of(codec)
    for kernels in (dispatch.kernels, ReferenceKernels()):
        try:
            expected: bytes | int = data.decode(codec).encode()
        except UnicodeDecodeError as error:
            expected = error.start
        assert kernels.as_utf8(data, table) == expected
    assert not any(map(_table_of, ["utf-8", "utf-16", "shift_jis", "gb18030", "cp037", "utf-7"]))


def test_bad_bytes_at_the_beginning_of_much_good_text_are_all_listed() -> None:
    data = b"colony\n" + b"a\xffb\n" * 5_000 + "Zoë Bär Öhm\n".encode() * 30_000
    found = transcoded(io.BytesIO(data), "visits.csv", io.BytesIO, piece=100_000).decoded()
    assert found.encoding == "utf-8" and len(found.bad) == 5_000 and found.bad[-1] == (5_001, b"\xff")
    other = transcoded(io.BytesIO(data[:-2_000_000]), "visits.csv", io.BytesIO, piece=100_000).decoded()
    assert other.encoding == "utf-8" or not other.bad


@pytest.mark.parametrize("encoding", ["windows-1252", "utf-16", "cp850", "utf-8-sig"])
def test_a_large_text_in_memory_is_read_as_a_small_one(tmp_path: Path, encoding: str) -> None:
    lines = [f"{at},Mühle {at % 7},{at / 4}\r\n" for at in range(80_000)]
    path = tmp_path / "large.csv"
    path.write_bytes(("id,Höhe,kg\r\n" + "".join(lines)).encode(encoding))
    table = comb.load(path)
    assert table["Höhe"][79_999] == f"Mühle {79_999 % 7}" and table.row_count == 80_000
    packed = tmp_path / "large.csv.gz"
    packed.write_bytes(gzip.compress(path.read_bytes(), 1))
    again = comb.load(packed)
    assert again == table and again.place(5) == "large.csv.gz, line 6"
    assert again.origin.options.encoding == table.origin.options.encoding
