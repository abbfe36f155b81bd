"""Results: saved in every form and loaded again; runs that are killed, or find the disk full, at any moment."""

import resource
import signal
import subprocess
import sys
from pathlib import Path
from random import Random

import comb
from fuzzing.steps import some_table


def round_trips(chance: Random, folder: Path) -> str:
    """A table saved in any form comes back equal, or is refused with the row and column."""
    table = some_table(chance)
    suffix = chance.choice(["csv", "csv", "tsv.gz", "json", "jsonl", "xlsx", "ods"])
    place = folder / f"t.{suffix}"
    describe = "json" not in suffix
    options = {"disarm": True} if suffix == "csv" and chance.random() < 0.3 else {}
    try:
        table.save(place, describe=describe, **options)
    except comb.CombError as error:
        assert str(error)
        return f"{suffix} refused"
    if describe and "x" not in suffix and "o" not in suffix:
        back = comb.load(place)
        assert back.equals(table), (back, table)
        assert not any("changed" in note or "other content" in note for note in back.notes), back.notes
    elif "json" in suffix and len(table):
        # JSON has no types, and a record with nothing in it is one all the same.
        assert comb.load(place).row_count == table.row_count
    else:
        # Rows without a value part a sheet.
        comb.inspect(place) if len(table) else None
    return f"{suffix} saved"


RUN = "import sys, comb\ntry:\n    comb.Plan.load(sys.argv[1]).run(overwrite=True)\nexcept comb.CombError as error:\n    print(error)\n"


def _prepare(folder: Path) -> tuple[Path, dict[str, bytes]]:
    rows = "".join(f"{at},{at % 7},x{at}\n" for at in range(3_000))
    (folder / "t.csv").write_text(f"id,a,b\n{rows}")
    plan = folder / "plan.yaml"
    plan.write_text("source: t.csv\nsave: [out, one.csv, book.xlsx]\n")
    comb.Plan.load(plan).run()
    before = _held(folder)
    plan.write_text("source: t.csv\nsteps: [{step: filter, where: a > 3}]\nsave: [out, one.csv, book.xlsx]\n")
    return plan, before


def _held(folder: Path) -> dict[str, bytes]:
    return {str(path.relative_to(folder)): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


def _is_whole(folder: Path) -> None:
    """Every output is the old or the new one, whole."""
    sums = comb.inspect(folder / "out").decisions[1].value
    assert sums.endswith("as saved"), sums
    rows = {
        len(comb.load(folder / "out")),
        len(comb.load(folder / "one.csv")),
        len(comb.load(folder / "book.xlsx", table="t")),
    }
    assert rows <= {3_000, 1_284}, rows


def kills(chance: Random, folder: Path) -> str:
    """A run killed at any moment leaves each output old or new; the next run works and clears up."""
    plan, _ = _prepare(folder)
    with subprocess.Popen([sys.executable, "-c", RUN, str(plan)], stdout=subprocess.PIPE) as process:
        try:
            process.wait(chance.random() * 0.8)
            came = "ended before"
        except subprocess.TimeoutExpired:
            process.kill()
            came = "killed"
    _is_whole(folder)
    comb.Plan.load(plan).run(overwrite=True)
    left = [path.name for path in folder.iterdir() if path.name.startswith(".")]
    assert not left, left
    return came


def full_disks(chance: Random, folder: Path) -> str:
    """A run that is given no more than some bytes for a file leaves everything as it was."""
    plan, before = _prepare(folder)
    most = chance.randrange(150_000)

    def limit() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))

    done = subprocess.run([sys.executable, "-c", RUN, str(plan)], preexec_fn=limit, capture_output=True, text=True)
    assert not done.stderr, done.stderr
    after = _held(folder)
    after.pop("plan.yaml"), before.pop("plan.yaml")
    if done.stdout:
        assert after == before
        return "refused"
    _is_whole(folder)
    return "had room"


KINDS = [round_trips, kills, full_disks]
