"""Where the command line reads from and writes to: pipes, full and closed outputs; and what is said of its own faults."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

COMB = f"{sys.executable} -m comb"


def shell(command: str, folder: Path, **more: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        ["bash", "-c", command], cwd=folder, capture_output=True, text=True, env={"PATH": "/usr/bin:/bin", **more}
    )


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "t.csv").write_text("hive,mites\né,1\nb,2\n")
    return tmp_path


@pytest.mark.parametrize("command", ["show", "inspect", "profile", "count --by hive"])
def test_a_pipe_by_a_path_is_read_once(folder: Path, command: str) -> None:
    name, *more = command.split()
    whole = shell(f"{COMB} {name} t.csv {' '.join(more)}", folder)
    piped = shell(f"{COMB} {name} <(cat t.csv) {' '.join(more)}", folder)
    standard = shell(f"cat t.csv | {COMB} {name} /dev/stdin {' '.join(more)}", folder)
    assert (whole.returncode, piped.returncode, standard.returncode) == (0, 0, 0), piped.stderr
    assert len(piped.stdout.splitlines()) == len(standard.stdout.splitlines()) == len(whole.stdout.splitlines())


@pytest.mark.parametrize("command", ["show t.csv", "inspect t.csv --json", "profile t.csv", "--version"])
def test_a_full_or_closed_output_is_said_in_a_line(folder: Path, command: str) -> None:
    full = shell(f"{COMB} {command} > /dev/full", folder)
    assert full.returncode == 2 and "the output cannot be written: No space left on device" in full.stderr
    assert "Traceback" not in full.stderr and "Exception" not in full.stderr
    for closed in (f"{COMB} {command} >&-", f"{COMB} {command} 2>&-", f"{COMB} {command} | head -c 1"):
        ran = shell(closed, folder)
        assert ran.returncode == 0 and "Traceback" not in ran.stderr


def test_an_error_output_that_is_full_or_narrow_changes_nothing(folder: Path) -> None:
    assert shell(f"{COMB} show nope.csv 2> /dev/full", folder).returncode == 2
    narrow = shell(
        f"{COMB} show t.csv; {COMB} show é.csv", folder, PYTHONIOENCODING="ascii", PYTHONUTF8="0", LC_ALL="C"
    )
    assert "\\xe9" in narrow.stdout and "there is no such file" in narrow.stderr and "Traceback" not in narrow.stderr


def test_a_fault_of_comb_ends_with_a_code_of_its_own(folder: Path) -> None:
    code = "import comb.cli.showing as showing\nshowing.show_command = lambda *one, **two: 1 / 0\nfrom comb.cli.main import main\nmain()\n"
    (folder / "broken.py").write_text(code)
    ran = shell(f"{sys.executable} broken.py show t.csv", folder)
    assert ran.returncode == 3 and ran.stderr.startswith(
        "comb: this is a defect of Comb: ZeroDivisionError: division by zero\n"
    )
    assert len(ran.stderr.splitlines()) == 2 and "--debug" in ran.stderr
    told = shell(f"{sys.executable} broken.py show t.csv --debug", folder)
    assert told.returncode == 3 and "Traceback" in told.stderr and "NumPy" in told.stderr


def test_json_escapes_what_a_terminal_would_obey(folder: Path) -> None:
    (folder / "odd.csv").write_text("a\x1b[31m,\u202eb\n\x9b1m,x\u2066\n")
    ran = shell(f"{COMB} show odd.csv --json", folder)
    assert ran.stdout.isprintable() is False and all(one.isprintable() or one == "\n" for one in ran.stdout)
    assert json.loads(ran.stdout) == [{"row": 1, "a\x1b[31m": "\x9b1m", "\u202eb": "x\u2066"}]


@pytest.mark.parametrize("encoding", ["ascii", "cp1252", "cp850", "latin-1"])
def test_bars_and_marks_fall_back_where_the_output_has_no_such_characters(demo: Path, encoding: str) -> None:
    command = [sys.executable, "-c", "from comb.cli.main import main; main()"]
    environment = {**os.environ, "PYTHONIOENCODING": encoding, "PYTHONUTF8": "0"}
    shown = []
    several = [["profile", "inspections.csv"], ["count", "inspections.csv", "--by", "fed"], ["demo", "x"]]
    for arguments in several if encoding == "ascii" else several[:2]:
        ran = subprocess.run([*command, *arguments], cwd=demo, env=environment, capture_output=True, check=True)
        shown.append(ran.stdout.decode(encoding))
    assert not any(f"\\u{code}" in text for text in shown for code in ("2026", "258", "00b7"))
    usual = subprocess.run(
        [*command, "count", "inspections.csv", "--by", "fed"], cwd=demo, env={**os.environ, "PYTHONUTF8": "1"},
        capture_output=True, check=True,
    ).stdout.decode()  # fmt: skip
    # Everything stays in its place: each character became one other.
    assert list(map(len, shown[1].splitlines())) == list(map(len, usual.splitlines()))
