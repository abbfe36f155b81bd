"""Give Comb random and damaged inputs until a time is up: always a result, or an error of its own.

    python benchmarks/fuzz.py [MINUTES] [SEED] [KIND ...]

Every input is made from a seed, so that a failure can be made again: the seed and the kind are printed with it, and what
was in the folder is kept. A run of an hour is wanted before a change is called done. Each case has to end within a limit.
"""

import faulthandler
import shutil
import signal
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path
from random import Random

from fuzzing import commands, results, sources, steps, well_typed

# A case with these small inputs that lasts longer than this hangs.
LIMIT_SECONDS = 60

# Those that start other processes take most of the time.
KINDS = [
    *8 * [*sources.KINDS, *steps.KINDS, *well_typed.KINDS, *commands.KINDS, results.round_trips],
    results.kills,
    results.full_disks,
]


class Stuck(Exception):
    """A case has not been answered in time; no kind of error that anything could be taken for."""


def stuck(number: int, frame: object) -> None:
    raise Stuck(f"no answer after {LIMIT_SECONDS} seconds")


def main() -> int:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 60
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    kinds = [kind for kind in KINDS if kind.__name__ in sys.argv[3:]] or KINDS
    faulthandler.enable()
    signal.signal(signal.SIGALRM, stuck)
    counts: Counter[str] = Counter()
    end = time.monotonic() + minutes * 60
    while time.monotonic() < end:
        kind = kinds[seed % len(kinds)]
        with tempfile.TemporaryDirectory() as folder:
            signal.alarm(LIMIT_SECONDS)
            try:
                counts[f"{kind.__name__}: {kind(Random(seed), Path(folder))}"] += 1
            except Exception as error:
                signal.alarm(0)
                kept = Path(f"fuzz-{seed}")
                shutil.copytree(folder, kept, dirs_exist_ok=True)
                print(f"seed {seed}, {kind.__name__}: {type(error).__name__}: {error}; kept in {kept}", flush=True)
                counts[f"{kind.__name__}: FAILED"] += 1
            signal.alarm(0)
        seed += 1
    print(f"\n{sum(counts.values()):,} cases in {minutes:g} minutes, the next seed is {seed}")
    for name, count in sorted(counts.items()):
        print(f"{count:>9,}  {name}")
    return int(any("FAILED" in name for name in counts))


if __name__ == "__main__":
    sys.exit(main())
