"""What types cost: dates against `datetime.strptime`, and inference against declared types.

    python benchmarks/inference.py [MEGABYTES FOLDER]

Every figure is a ratio within this run. The second part needs the file that
`benchmarks/load.py` makes in FOLDER.
"""

import sys
import time
from datetime import datetime, timedelta
from pathlib import Path
from random import Random

import comb
from comb.execution.resources import DEFAULT
from comb.kernels.string_buffer import pack
from comb.parsing.cell_parser import CellParser
from comb.parsing.moment_programs import moment_program
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions

COUNT = 200_000

# In turn, so that a slow moment of the machine meets both.
ROUNDS = 5
FORMS = (
    ("date", "yyyy-MM-dd", "%Y-%m-%d"), ("date", "dd.MM.yyyy", "%d.%m.%Y"), ("date", "MM/dd/yy", "%m/%d/%y"),
    ("datetime", "yyyy-MM-dd'T'HH:mm:ss", "%Y-%m-%dT%H:%M:%S"), ("datetime", "dd.MM.yyyy HH:mm", "%d.%m.%Y %H:%M"),
    ("time", "HH:mm:ss", "%H:%M:%S"), ("date", "d MMMM yyyy", "%d %B %Y"),
    ("datetime", "MMM d, yyyy h:mm a", "%b %d, %Y %I:%M %p"),
)  # fmt: skip


def seconds(work: object, times: int = 3) -> float:
    """Return the least time of a few runs."""
    best = float("inf")
    for _ in range(times):
        begin = time.perf_counter()
        work()  # type: ignore[operator]
        best = min(best, time.perf_counter() - begin)
    return best


def dates() -> None:
    """Compare reading dates with the standard library's reader."""
    chance = Random(7)
    moments = [datetime(1990, 1, 1) + timedelta(seconds=chance.randrange(1_200_000_000)) for _ in range(COUNT)]
    print(f"{'pattern':<24} {'ns a value':>10} {'strptime':>9} {'times as fast':>14}")
    for word, pattern, code in FORMS:
        texts = [f"{moment:{code}}" for moment in moments]
        packed = pack(texts)
        form = moment_program(word, pattern)
        reading = CellParser(form.type, moments=(form,))
        ours = seconds(lambda reading=reading, packed=packed: reading.parse_text(packed))
        few = texts[: COUNT // 10]
        theirs = seconds(lambda few=few, code=code: [datetime.strptime(text, code) for text in few], 1) * 10
        print(f"{pattern:<24} {ours / COUNT * 1e9:>10.0f} {theirs / COUNT * 1e9:>9.0f} {theirs / ours:>14.0f}")


def inference(path: Path) -> None:
    """Compare loading with inference and with all types declared."""
    table = comb.load(path, rows=1000)
    declared = {
        name: f"decimal 0.{'0' * kind.scale}" if kind.scale else kind.word for name, kind in table.types.items()
    }
    del table
    inferred, given = [], []
    for _ in range(ROUNDS):
        inferred.append(seconds(lambda: load_table(path, ReadOptions(), resources=DEFAULT), 1))
        given.append(seconds(lambda: load_table(path, ReadOptions(types=declared), resources=DEFAULT), 1))
    message = f"inferred {min(inferred):.2f} s, declared {min(given):.2f} s"
    print(f"{path.name}: {message}, inference adds {min(inferred) / min(given) - 1:+.0%}")


if __name__ == "__main__":
    dates()
    if len(sys.argv) > 2:
        inference(Path(sys.argv[2], f"mixed-{sys.argv[1]}.csv"))
