"""Time and memory of workbooks and JSON, as ratios in one run where there is a yardstick.

    python benchmarks/documents.py [MEGABYTES] [FOLDER]

Makes a file of JSON Lines with ten flat fields, by default of 200 MB, one of nested records (objects
inside, and lists of records), the same records as one document, and a workbook of two million cells, in
a temporary folder or in the one given, where they are kept. The yardstick of JSON is msgspec's decoder
on the same bytes into plain dicts, while all tables are loaded; that of writing a workbook is
XlsxWriter alone, in its mode of constant memory, on the same values, ready as Python rows.
Every measurement is made in a process of its own.
"""

import json
import subprocess
import sys
import tempfile
from pathlib import Path
from random import Random

BYTES_PER_RECORD = 174
BYTES_PER_VISIT = 373
ROWS, COLUMNS = 100_000, 20


def make_lines(place: Path, megabytes: float) -> Path:
    """Write the JSON Lines."""
    if not place.exists():
        chance = Random(1)
        with place.open("w", encoding="utf-8") as stream:
            for number in range(int(megabytes * 1e6 / BYTES_PER_RECORD)):
                record = {
                    "reading": number,
                    "colony": f"{chance.randrange(900):04}",
                    "day": f"2025-05-{chance.randrange(28) + 1:02}",
                    "hour": chance.randrange(24),
                    "weight_kg": round(chance.random() * 50, 2),
                    "celsius": round(chance.random() * 30, 1),
                    "humidity": chance.randrange(100),
                    "ok": chance.random() < 0.5,
                    "keeper": chance.choice(["Alder", "Rowan", "Hazel"]),
                    "note": chance.choice([None, "refilled", "opened the lid"]),
                }
                stream.write(json.dumps(record) + "\n")
    return place


def make_nested(place: Path, megabytes: float) -> tuple[Path, Path]:
    """Write nested records: in lines, and as one document."""
    document = place.with_suffix(".json")
    if not document.exists():
        chance = Random(1)
        with place.open("w", encoding="utf-8") as lines, document.open("w", encoding="utf-8") as whole:
            whole.write('{"made_by": "gateway", "visits": [\n')
            for number in range(int(megabytes * 1e6 / BYTES_PER_VISIT)):
                record = {
                    "visit": number,
                    "day": f"2025-05-{chance.randrange(28) + 1:02}",
                    "apiary": {
                        "name": chance.choice(["Alder", "Rowan"]),
                        "place": {"east": chance.random(), "north": 1},
                    },
                    "hives": [
                        {
                            "hive": f"{chance.randrange(900):04}",
                            "weight_kg": round(chance.random() * 50, 2),
                            "queen": chance.choice(["seen", None]),
                            "frames": [{"side": side, "brood": chance.randrange(100)} for side in "ab"],
                        }
                        for _ in range(chance.randrange(1, 4))
                    ],
                }
                text = json.dumps(record)
                lines.write(text + "\n")
                whole.write((",\n" if number else "") + text)
            whole.write("]}")
    return place, document


def make_workbook(place: Path) -> Path:
    """Write the workbook: every fourth column text, the others numbers."""
    if not place.exists():
        import xlsxwriter

        chance = Random(1)
        book = xlsxwriter.Workbook(str(place), {"constant_memory": True})
        sheet = book.add_worksheet("data")
        sheet.write_row(0, 0, [f"c{column}" for column in range(COLUMNS)])
        for row in range(1, ROWS + 1):
            for column in range(COLUMNS):
                text = column % 4 == 0
                sheet.write(row, column, f"keeper {chance.randrange(900)}" if text else round(chance.random() * 100, 2))
        book.close()
    return place


# What runs in a process of its own: prints seconds and the peak of memory in bytes.
_CHILD = """
import json, resource, sys, time
kind, path, scratch = sys.argv[1:4]
import comb; comb.Table
if kind.startswith("decode"):
    import msgspec
    data = open(path, "rb").read()
if kind in ("save", "write"):
    import xlsxwriter
    table = comb.load(path)
    rows = list(zip(*(column.to_list() for column in table.columns.values()))) if kind == "write" else None
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
start = time.perf_counter()
if kind == "load":
    comb.load_all(path)
elif kind == "decode":
    msgspec.json.Decoder().decode_lines(data)
elif kind == "decode whole":
    msgspec.json.Decoder().decode(data)
elif kind == "inspect":
    comb.inspect(path)
elif kind == "save":
    table.save(scratch, overwrite=True)
else:
    book = xlsxwriter.Workbook(scratch, {"constant_memory": True})
    sheet = book.add_worksheet("data")
    for at, row in enumerate(rows, 1):
        sheet.write_row(at, 0, row)
    book.close()
seconds = time.perf_counter() - start
peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
print(json.dumps({"seconds": seconds, "memory": (peak - before) * 1024, "peak": peak * 1024}))
"""


def measured(path: Path, *kinds: str, tries: int = 3) -> list[dict[str, float]]:
    """Return the best of some tries of each kind, taken in turn."""
    scratch = path.with_suffix(".saved.xlsx")
    found: list[list[dict[str, float]]] = [[] for _ in kinds]
    for _ in range(tries):
        for kind, seen in zip(kinds, found, strict=True):
            command = [sys.executable, "-c", _CHILD, kind, str(path), str(scratch)]
            seen.append(json.loads(subprocess.run(command, check=True, capture_output=True).stdout))
    scratch.unlink(missing_ok=True)
    return [min(seen, key=lambda one: one["seconds"]) for seen in found]


def main() -> None:
    megabytes = float(sys.argv[1]) if len(sys.argv) > 1 else 200
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(sys.argv[2] if len(sys.argv) > 2 else scratch)
        lines, book = make_lines(folder / f"flat-{megabytes:g}.jsonl", megabytes), make_workbook(folder / "cells.xlsx")
        size = lines.stat().st_size
        load, decode, look = measured(lines, "load", "decode", "inspect")
        in_lines, whole = make_nested(folder / f"nested-{megabytes:g}.jsonl", megabytes)
        nested, nested_decode = measured(in_lines, "load", "decode")
        one, one_decode = measured(whole, "load", "decode whole")
        nested_size = in_lines.stat().st_size
        (cells,) = measured(book, "load")
        save, write = measured(book, "save", "write", tries=1)
    rows = [
        ("JSON Lines, against msgspec's decoder", f"{decode['seconds'] / load['seconds']:.2f} x as fast"),
        ("memory for it, over the file's size", f"{load['memory'] / size:.2f}"),
        ("inspect of it", f"{look['seconds']:.1f} s"),
        ("nested JSON Lines, three tables", f"{nested_decode['seconds'] / nested['seconds']:.2f} x as fast"),
        ("the same in one document", f"{one_decode['seconds'] / one['seconds']:.2f} x as fast"),
        ("memory for it, over the file's size", f"{one['memory'] / nested_size:.2f}"),
        ("workbook of two million cells", f"{ROWS * COLUMNS / cells['seconds'] / 1e6:.2f} M cells/s"),
        ("memory for it", f"{cells['peak'] / 1e9:.2f} GB"),
        ("save as .xlsx, against XlsxWriter", f"{write['seconds'] / save['seconds']:.2f} x as fast"),
    ]
    print(f"JSON Lines of {size / 1e6:.0f} MB, a workbook of {ROWS * COLUMNS:,} cells\n")
    for name, figure in rows:
        print(f"{name:<52}{figure:>18}")


if __name__ == "__main__":
    main()
