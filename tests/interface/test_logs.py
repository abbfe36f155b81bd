"""What the library logs, and how far work is in numbers."""

import logging
import os
import subprocess
import sys
from pathlib import Path

import pytest

import comb
from comb.cli.terminal import Terminal
from comb.execution.progress import Progress
from support.running import run_comb


@pytest.fixture
def visits(tmp_path: Path) -> Path:
    path = tmp_path / "visits.csv"
    path.write_text("hive,mites\na1,3\nb2,many\n")
    return path


def test_decisions_are_logged_at_debug_and_nothing_else_is(visits: Path, caplog: pytest.LogCaptureFixture) -> None:
    with caplog.at_level(logging.INFO, "comb"):
        comb.load(visits).sort("mites").profile()
    assert not caplog.messages
    with caplog.at_level(logging.DEBUG, "comb"):
        comb.load(visits).sort("hive")
    said = "\n".join(caplog.messages)
    for text in ("visits.csv loaded in 0.", "delimiter=','", "hive: string: 2 of 2 fit", "sort in 0."):
        assert text in said
    assert {record.name for record in caplog.records} == {"comb"}


def test_missing_kernels_are_told_once(visits: Path) -> None:
    code = (
        "from comb.kernels import dispatch; dispatch.PROBLEMS['_split'] = 'it was not built'\n"
        f"import comb; comb.load({str(visits)!r}); comb.load({str(visits)!r})"
    )
    ran = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, env={**os.environ, "PYTHONUTF8": "1"}, check=True
    )
    assert ran.stderr.count("slow: ") == 1 and not ran.stdout


def test_progress_has_numbers_where_they_are_known(visits: Path, tmp_path: Path) -> None:
    other = tmp_path / "june.csv"
    other.write_text("hive,mites\na1,3\n")
    heard: list[str] = []
    comb.load([visits, other], progress=heard.append)
    plan = comb.load(visits).sort("hive").trim("hive").plan()
    plan.run(progress=heard.append)
    comb.load(visits).profile(progress=heard.append)
    comb.inspect(tmp_path, progress=heard.append)
    numbers: dict[str, list[tuple[int, int]]] = {}
    for one in heard:
        if isinstance(one, Progress):
            numbers.setdefault(one.unit, []).append((one.done, one.of))
    assert numbers["step"] == [(0, 2), (1, 2)] and numbers["file"] == [(0, 2), (1, 2), (0, 2), (1, 2)]
    assert numbers["search"] == sorted(numbers["search"]) and all(done <= of for done, of in numbers["search"])
    assert all(isinstance(one, str) and one for one in heard)


def test_the_command_line_shows_warnings_and_a_program_hears_them_by_logging(
    visits: Path, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    said = "visits.json: 1 text that could not be read as a value is not in it"
    ran = run_comb("save", "visits.csv", "visits.json", "--type", "mites=integer", cwd=tmp_path)
    assert f"note: {said}" in ran.out + ran.err
    # A screen that somebody made before changes nothing about that.
    Terminal().say("hello")
    comb.load(visits, types={"mites": "integer"}).save(tmp_path / "visits.json", overwrite=True)
    assert caplog.messages[-1].startswith(said) and caplog.records[-1].levelname == "WARNING"
    # Neither is `logging` loaded, nor a pool of threads, where nobody asks for them.
    code = f"import sys, comb; comb.load({str(visits)!r}); print({{'logging', 'concurrent.futures', 'zipfile'}} & {{*sys.modules}})"
    quiet = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert quiet.stdout == "set()\n"
