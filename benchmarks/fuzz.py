"""Load random and damaged files until a time is up: always a table or a ReadError.

    python benchmarks/fuzz.py [MINUTES] [SEED]

Every input is made from a seed, so that a failure can be made again: the seed and the
kind of input are printed with it, and the input is kept. A run of an hour is wanted
before a change to reading is called done. Each load has to end within a limit.
"""

import bz2
import faulthandler
import gzip
import io
import lzma
import signal
import sys
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from random import Random

import comb
from comb.demo.files import demo_bytes
from comb.execution.resources import CHUNK_BYTES, Resources
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions

# A load of these small files that lasts longer than this hangs.
LIMIT_SECONDS = 20
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

KINDS: list[Callable[[Random], bytes]] = [random_bytes, grammar, table, damaged, packed, workbook, nested]


def attempt(place: Path, chance: Random) -> str:
    """Load and use a file, cut into runs of any size; returns what it came to."""
    resources = Resources(chance.randrange(1, 4), chance.choice([CHUNK_BYTES, chance.randrange(1, 2000)]))
    try:
        loaded = comb.Table._adopt(load_table(place, ReadOptions(), resources=resources))
    except comb.ReadError as error:
        if place.name not in str(error):
            raise AssertionError(f"the error does not name the file: {error}") from error
        return f"refused ({type(error).__name__})"
    repr(loaded)
    loaded.profile()
    comb.inspect(place)
    return "loaded"


def stuck(number: int, frame: object) -> None:
    raise TimeoutError(f"still loading after {LIMIT_SECONDS} seconds")


def main() -> int:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 60
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    faulthandler.enable()
    signal.signal(signal.SIGALRM, stuck)
    counts: Counter[str] = Counter()
    end = time.monotonic() + minutes * 60
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder, "fuzz.csv")
        while time.monotonic() < end:
            kind = KINDS[seed % len(KINDS)]
            data = kind(Random(seed))
            place.write_bytes(data)
            signal.alarm(LIMIT_SECONDS)
            try:
                counts[f"{kind.__name__}: {attempt(place, Random(seed))}"] += 1
            except Exception as error:
                signal.alarm(0)
                kept = Path(f"fuzz-{seed}.bin")
                kept.write_bytes(data)
                print(f"seed {seed}, {kind.__name__}: {type(error).__name__}: {error}; kept as {kept}", flush=True)
                counts["FAILED"] += 1
            signal.alarm(0)
            seed += 1
    print(f"\n{sum(counts.values()):,} files in {minutes:g} minutes, the next seed is {seed}")
    for name, count in sorted(counts.items()):
        print(f"{count:>9,}  {name}")
    return 1 if counts["FAILED"] else 0


if __name__ == "__main__":
    sys.exit(main())
