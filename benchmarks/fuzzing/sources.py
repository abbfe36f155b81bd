"""Sources: random bytes, tables with flaws, archives, workbooks and JSON that were damaged."""

import bz2
import gzip
import io
import json
import lzma
import zipfile
from collections.abc import Callable
from pathlib import Path
from random import Random

import comb
from comb.demo.files import demo_bytes
from comb.execution.resources import CHUNK_BYTES, Resources
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions

FRAGMENTS = [
    b",", b";", b"\t", b"|", b":", b" ", b"  ", b'"', b'""', b"'", b"\\", b'\\"', b"\n", b"\r\n", b"\r", b"\x00",
    b"1", b"-1.5", b"1,5", b"1.234,5", b"007", b"1e5", b"9" * 25, b"n/a", b"2026-05-01", b"1.2.2026", b"13/5/2026",
    b"yes", b"no", b"Mill", b"[kg]", b"# x", b"Total", b"\xef\xbb\xbf", b"\xff\xfe", b"\xc3\xa9", b"\xe9", b"\x80",
    b"=1+1",
]  # fmt: skip


def random_bytes(chance: Random) -> bytes:
    return chance.randbytes(chance.randrange(2000))


def grammar(chance: Random) -> bytes:
    return b"".join(chance.choice(FRAGMENTS) for _ in range(chance.randrange(400)))


def table(chance: Random) -> bytes:
    delimiter = chance.choice([b",", b";", b"\t", b"|", b" "])
    width = chance.randrange(1, 8)
    pool = [chance.choice(FRAGMENTS) for _ in range(12)]
    rows = [delimiter.join(chance.choice(pool) for _ in range(width)) for _ in range(chance.randrange(60))]
    return chance.choice([b"\n", b"\r\n", b"\r"]).join(rows)


DEMO = demo_bytes("inspections.csv")[:20_000]


def damaged(chance: Random) -> bytes:
    data = bytearray(DEMO[: chance.randrange(1, len(DEMO))])
    for _ in range(chance.randrange(1, 40)):
        at = chance.randrange(len(data))
        action = chance.randrange(4)
        if action == 0:
            data[at] = chance.randrange(256)
        elif action == 1:
            del data[at : at + chance.randrange(1, 50)]
        elif action == 2:
            data[at:at] = chance.choice(FRAGMENTS)
        else:
            data[at:at] = data[chance.randrange(len(data)) :][:200]
        if not data:
            data = bytearray(b"a")
    return bytes(data)


def packed(chance: Random) -> bytes:
    inner = chance.choice([random_bytes, grammar, table, damaged])(chance)
    kind = chance.randrange(4)
    if kind == 3:
        archive = io.BytesIO()
        with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as whole:
            for number in range(chance.randrange(1, 3)):
                whole.writestr(f"{number}.csv", inner)
        data = bytearray(archive.getvalue())
    else:
        data = bytearray((gzip.compress, bz2.compress, lzma.compress)[kind](inner))
    for _ in range(chance.randrange(4)):
        data[chance.randrange(len(data))] = chance.randrange(256)
    return bytes(data[: chance.randrange(1, len(data) + 1)] if chance.random() < 0.3 else data)


def spoiled(chance: Random, data: bytes, fragments: list[bytes]) -> bytes:
    """Change a few places of a text."""
    changed = bytearray(data)
    for _ in range(chance.randrange(1, 6)):
        at = chance.randrange(len(changed) + 1)
        action = chance.randrange(3)
        if action == 0:
            del changed[at : at + chance.randrange(1, 30)]
        elif action == 1:
            changed[at:at] = chance.choice(fragments)
        elif at < len(changed):
            changed[at] = chance.randrange(256)
    return bytes(changed)


TAGS = [
    b"<c>", b"</c>", b"<v>7</v>", b' r="B9"', b' t="s"', b' t="e"', b"<f>SUM(A1:B2)</f>", b"<row>", b"</row>",
    b"<!-- -->", b'<c r="ZZZ99999999"><v>1</v></c>', b'<mergeCell ref="A1:Z99"/>',
    b' s="999"', b"&#xD800;", b"&amp;", b"1e999", b"\x00",
    b'<c r="XFD1048576"><v>1</v></c>', b' hidden="1"', b"<is><t>x</t></is>", b"<!DOCTYPE x>",
]  # fmt: skip


def workbook(chance: Random) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(HARVEST)) as old, zipfile.ZipFile(stream, "w") as new:
        parts = old.namelist()
        victims = {chance.choice(parts), chance.choice([part for part in parts if "sheet" in part])}
        for part in parts:
            data = old.read(part)
            new.writestr(part, spoiled(chance, data, TAGS) if part in victims and chance.random() < 0.8 else data)
    return spoiled(chance, stream.getvalue(), TAGS) if chance.random() < 0.2 else stream.getvalue()


MARKS = [
    b"{", b"}", b"[", b"]", b",", b":", b'"', b"\\", b"\\u", b"\\ud800", b"null", b"true", b"NaN", b"-", b"1e999",
    b"0", b"\n", b"[{}]", b"[" * 300, b'{"a":' * 50, b'"a": 1,', b"9" * 30, b"\xff", b"\xc3\xa9", b" ", b"{}",
]  # fmt: skip


def nested(chance: Random) -> bytes:
    if chance.random() < 0.3:
        return b"".join(chance.choice(MARKS) for _ in range(chance.randrange(60)))
    lines = SCALES.splitlines()[: chance.randrange(1, 30)]
    data = b"\n".join(lines) if chance.random() < 0.6 else b"[" + b",\n".join(lines) + b"]"
    return spoiled(chance, data, MARKS)


HARVEST, SCALES = demo_bytes("harvest.xlsx"), demo_bytes("scales.jsonl")

# Of a description: values of every kind, and names of the standard.
VALUES = [
    None, True, 0, -1, 1e400, "", "x", "a", [], {}, ["a"], [[]], {"a": 1}, "../x.csv", "/dev/zero", "date", "integer",
    "0.00", "(a+)+b", "(", "|", ";", "utf-16", "punycode", "idna", 10**30, "NaN", "1970-13-01",
]  # fmt: skip
PARTS = [
    "url", "tables", "tableSchema", "columns", "titles", "name", "datatype", "base", "format", "null", "default", "required",
    "separator", "primaryKey", "foreignKeys", "columnReference", "reference", "resource", "notes", "dialect", "delimiter",
    "quoteChar", "encoding", "skipRows", "headerRowCount", "header", "comb:cells", "comb:codes", "comb:checksums", "comb:bytes",
    "comb:disarmed", "minimum", "maxLength", "length", "virtual", "dc:description", "lang", "decimalChar", "pattern",
]  # fmt: skip


def _value(chance: Random, depth: int = 0) -> object:
    if depth < 4 and chance.random() < 0.4:
        if chance.random() < 0.5:
            return [_value(chance, depth + 1) for _ in range(chance.randrange(4))]
        return {chance.choice(PARTS): _value(chance, depth + 1) for _ in range(chance.randrange(5))}
    return chance.choice(VALUES)


def _changed(chance: Random, value: object) -> object:
    """Change some parts of a description."""
    if chance.random() < 0.04:
        return _value(chance)
    if isinstance(value, dict):
        more = {chance.choice(PARTS): _value(chance)} if chance.random() < 0.1 else {}
        return {key: _changed(chance, one) for key, one in value.items() if chance.random() > 0.02} | more
    if isinstance(value, list):
        return [_changed(chance, one) for one in value if chance.random() > 0.02]
    return value


def _load(place: Path, chance: Random) -> str:
    """Load and use a file, cut into runs of any size; returns what it came to."""
    resources = Resources(chance.randrange(1, 4), chance.choice([CHUNK_BYTES, chance.randrange(1, 2000)]))
    try:
        loaded = comb.Table._adopt(load_table(place, ReadOptions(), resources=resources))
    except comb.ReadError as error:
        if place.name not in str(error) and "x.csv" not in str(error):
            raise AssertionError(f"the error does not name the file: {error}") from error
        return f"refused ({type(error).__name__})"
    assert all(entry.adds_up for entry in loaded.ledger), loaded.ledger
    repr(loaded)
    loaded.profile()
    comb.inspect(place)
    return "loaded"


def metadata(chance: Random, folder: Path) -> str:
    """A table with a description that was changed."""
    table = comb.table(columns={"a": [1, 2, None], "b": ["x", "=y", None], "day": ["2026-05-01", "2026-05-02", "soon"]})
    table = table.convert({"day": "date", "b": "category"}).calculate({"c": "a / 0"})
    table.save(folder / "x.csv", describe=True, disarm=chance.random() < 0.3 or None)
    place = folder / "x.csv-metadata.json"
    if chance.random() < 0.8:
        place.write_text(json.dumps(_changed(chance, json.loads(place.read_text()))))
    else:
        place.write_bytes(spoiled(chance, place.read_bytes(), MARKS))
    if chance.random() < 0.3:
        victim = chance.choice(["x-cells.csv", "x-b-codes.csv", "x.csv"])
        (folder / victim).write_bytes(spoiled(chance, (folder / victim).read_bytes(), FRAGMENTS))
    return _load(folder / "x.csv", chance)


def _kind(make: Callable[[Random], bytes]) -> Callable[[Random, Path], str]:
    def attempt(chance: Random, folder: Path) -> str:
        place = folder / "fuzz.csv"
        place.write_bytes(make(chance))
        return _load(place, chance)

    attempt.__name__ = make.__name__
    return attempt


KINDS = [*map(_kind, [random_bytes, grammar, table, damaged, packed, workbook, nested]), metadata]
