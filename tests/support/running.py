"""The command line in a process of its own, and texts loaded by way of a file."""

import os
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

import comb


@dataclass(frozen=True)
class Ran:
    """What a command came back with."""

    code: int
    out: str
    err: str


def run_comb(*arguments: str, cwd: Path, stdin: bytes = b"") -> Ran:
    """Run the command line in a process of its own."""
    environment = {**os.environ, "PYTHONUTF8": "1", "COLUMNS": "120"}
    done = subprocess.run(
        [sys.executable, "-c", "from comb.cli.main import main; main()", *arguments],
        cwd=cwd,
        input=stdin,
        capture_output=True,
        env=environment,
        timeout=120,
    )
    return Ran(done.returncode, done.stdout.decode(), done.stderr.decode())


def load_text(folder: Path, text: str | bytes, **options: object) -> comb.Table:
    """Load a text by way of a file."""
    place = folder / "table.csv"
    place.write_bytes(text if isinstance(text, bytes) else text.encode())
    return comb.load(place, **options)  # type: ignore[arg-type]
