"""The command line in a process of its own, and texts loaded by way of a file.

To start Python and to import everything takes longer than most commands. So they are forked off a process that has
imported it already, where the system can do that; a process started anew is there for what depends on the start.
"""

import multiprocessing
import os
import subprocess
import sys
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from multiprocessing.context import BaseContext
from pathlib import Path

import comb

# These load what starts threads, which a fork would not have.
NOT_BEFORE = ("__main__", "execution.cluster", "reading.documents.columnar", "writing.columnar")
SECONDS = 120


@dataclass(frozen=True)
class Ran:
    """What a command came back with."""

    code: int
    out: str
    err: str


def run_comb(*arguments: str, cwd: Path, stdin: bytes = b"", fresh: bool = False) -> Ran:
    """Run the command line in a process of its own; a fresh one imports everything anew."""
    environment = {**os.environ, "PYTHONUTF8": "1", "COLUMNS": "120"}
    if not stdin and not fresh and "forkserver" in multiprocessing.get_all_start_methods():
        return _run_forked(arguments, str(cwd), environment)
    done = subprocess.run(
        [sys.executable, "-c", "from comb.cli.main import main; main()", *arguments],
        cwd=cwd,
        input=stdin,
        capture_output=True,
        env=environment,
        timeout=SECONDS,
    )
    return Ran(done.returncode, done.stdout.decode(), done.stderr.decode())


@cache
def _forking() -> BaseContext:
    context = multiprocessing.get_context("forkserver")
    root = Path(comb.__file__).parent
    modules = [".".join(place.relative_to(root.parent).with_suffix("").parts) for place in root.rglob("*.py")]
    names = [name.removesuffix(".__init__") for name in modules]
    context.set_forkserver_preload([name for name in names if not name.endswith(NOT_BEFORE)])
    return context


def _run_forked(arguments: tuple[str, ...], cwd: str, environment: Mapping[str, str]) -> Ran:
    with tempfile.TemporaryDirectory() as folder:
        out, err = Path(folder, "out"), Path(folder, "err")
        process = _forking().Process(target=_command, args=(arguments, cwd, environment, str(out), str(err)))  # type: ignore[attr-defined]
        process.start()
        process.join(SECONDS)
        if process.exitcode is None:
            process.kill()
            raise TimeoutError(f"not done after {SECONDS} seconds: comb {' '.join(arguments)}")
        code = process.exitcode
        process.close()
        return Ran(code, out.read_text("utf-8"), err.read_text("utf-8"))


def _command(arguments: tuple[str, ...], cwd: str, environment: Mapping[str, str], out: str, err: str) -> None:
    """Do what a process does that was started with these arguments."""
    os.chdir(cwd)
    os.environ.clear()
    os.environ.update(environment)
    for number, place in ((0, os.devnull), (1, out), (2, err)):
        opened = os.open(place, os.O_RDWR | (os.O_CREAT if number else 0))
        os.dup2(opened, number)
        os.close(opened)
    sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.stdout = open(1, "w", encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.stderr = open(2, "w", encoding="utf-8", closefd=False, buffering=1)  # noqa: SIM115
    sys.argv = ["-c", *arguments]
    from comb.cli.main import main

    main()


def load_text(folder: Path, text: str | bytes, **options: object) -> comb.Table:
    """Load a text by way of a file."""
    place = folder / "table.csv"
    place.write_bytes(text if isinstance(text, bytes) else text.encode())
    return comb.load(place, **options)  # type: ignore[arg-type]
