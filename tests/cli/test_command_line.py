"""Whole runs of the command line in processes of their own."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

import comb
from comb.demo.files import DEMO_FILES
from support.running import run_comb


def test_the_demo_does_the_main_job_and_leaves_everything_in_place(tmp_path: Path) -> None:
    ran = run_comb("demo", "here", cwd=tmp_path)
    assert ran.code == 0
    said = " ".join(ran.out.split())
    for message in (
        "2,503 lines of inspections.csv became 2,362 rows",
        "27 findings",
        "Every line, row and changed cell",
    ):
        assert message in said
    assert len(ran.out.splitlines()) < 120 and not ran.err
    assert {path.name for path in (tmp_path / "here").iterdir()} == {
        *DEMO_FILES, "tidy",
    }  # fmt: skip
    again = run_comb("demo", "here", cwd=tmp_path)
    assert again.code == 2 and "--overwrite" in again.err
    assert run_comb("demo", "here", "--overwrite", cwd=tmp_path).code == 0


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["inspect", "inspections.csv"], ["semicolon", "--delimiter", "6 of 2,400 do not fit: 'end of May'"]),
        (["inspect", "inspections.csv", "--column", "inspected_on"], ["2,394 6 chosen", "yyyy-MM-dd 70 times"]),
        (["show", "inspections.csv"], ["rows 1 to 10 and", "not shown: rows 11 to 2,400 (--between 11 20); columns mites"]),
        (["show", "inspections.csv", "--last", "2"], ["2400", "rows 2,399 to 2,400"]),
        (["show", "inspections.csv", "--between", "5", "6", "--type-line"], ["rows 5 to 6", "integer"]),
        (["show", "inspections.csv", "--record", "7"], ["row 7, inspections.csv, line 11"]),
        (["show", "inspections.csv", "--where", "mites > 300 and fed", "--columns", "visit,mites:net_kg", "--sort", "gross_kg desc"], ["rows where mites > 300 and fed", "sorted by gross_kg desc"]),
        (["profile", "inspections.csv"], ["27 findings", "remedy: trim columns: [apiary], inner: true"]),
        (["run", "plan.yaml", "--dry-run"], ["becomes", "2,503 in = 2,362 out + 103 lines taken off + 14 set aside + 24 merged", "frames"]),
        (["--version"], ["comb 0.1.0, ", " kernels"]),
        (["--help"], ["Begin with `comb demo`"]),
    ],
)  # fmt: skip
def test_commands_answer(demo: Path, arguments: list[str], message: list[str]) -> None:
    ran = run_comb(*arguments, cwd=demo)
    assert ran.code == 0, ran.err
    for text in message:
        assert text in " ".join(ran.out.split())
    assert max(map(len, ran.out.splitlines())) < 260


def test_json_is_for_programs(demo: Path) -> None:
    inspected = json.loads(run_comb("inspect", "inspections.csv", "--json", cwd=demo).out)
    assert inspected["tables"][0]["rows"] == 2400
    rows = json.loads(run_comb("show", "inspections.csv", "--json", "--first", "2", cwd=demo).out)
    assert (
        [row["visit"] for row in rows] == [50001, 50002] and rows[0]["gross_kg"] == "29.1" and rows[1]["notes"] is None
    )
    record = json.loads(run_comb("show", "inspections.csv", "--json", "--record", "2", cwd=demo).out)
    assert record["place"] == "inspections.csv, line 6"
    profile = json.loads(run_comb("profile", "inspections.csv", "--json", cwd=demo).out)
    assert len(profile["findings"]) == 27 and profile["columns"][0]["details"]["min"] == "50001"
    ran = json.loads(run_comb("run", "plan.yaml", "--json", cwd=demo).out)
    assert ran["adds_up"] is True and ran["ledger"]["inspections"][2]["step"] == "trim"


def test_the_draft_plan_of_a_profile_runs(demo: Path) -> None:
    assert run_comb("profile", "inspections.csv", "--draft", "draft.yaml", cwd=demo).code == 0
    again = run_comb("profile", "inspections.csv", "--draft", "draft.yaml", cwd=demo)
    assert again.code == 2 and "not changed" in again.err
    ran = run_comb("run", "draft.yaml", cwd=demo)
    assert ran.code == 0 and "2,503 in = 2,376 out + 103 lines taken off + 24 merged" in ran.out
    assert (demo / "inspections-result" / "inspections.csv").exists()


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["show", "inspection.csv"], "did you mean 'inspections.csv'"),
        (["show", "."], "this is a folder"),
        (["show", "inspections.csv", "--columns", "Mites"], "did you mean 'mites'"),
        (["show", "inspections.csv", "--where", "mites"], "this is integer"),
        (["show", "inspections.csv", "--where", "apiary = Mill"], "write it in single quotes"),
        (["show", "inspections.csv", "--first", "2", "--last", "2"], "expected one of --first, --last"),
        (["show", "inspections.csv", "--first", "-2"], "got -2"),
        (["show", "inspections.csv", "--between", "0", "2"], "positions from 1"),
        (["show", "inspections.csv", "--type", "colony"], "NAME=TYPE"),
        (["show", "inspections.csv", "--type", "colony=text"], "here it is 'string'"),
        (["show", "inspections.csv", "--type", "mites=decimal(2)"], "here it is 'decimal 0.00'"),
        (["inspect", "inspections.csv", "--column", "colon"], "did you mean 'colony'"),
        (["run", "inspections.csv"], "inspections.csv, line"),
        (["run", "lines.txt"], "row after row after row after row after row after row after ' and so on"),
        (["run", "lines.txt"], "a plan is drafted: comb profile FILE --draft"),
        (["show", "x" * 300], "too long"),
        (["inspect", "x" * 300], "too long"),
        (["differences", "x" * 300, "y" * 300], "too long"),
        (["run", "no-plan.yaml"], "there is no such file"),
        (["nothing"], "No such command 'nothing'"),
        (
            ["show", "inspections.csv", "--columns", "apiary", "mites"],
            "with commas between, in quotes: --columns 'mites'",
        ),
        (["count", "inspections.csv", "apiary"], "behind --by"),
        (["show", "inspections.csv", "--head", "5"], "--first N"),
        (["show", "inspections.csv", "--every", "0"], "1 or more behind --every"),
        (["show", "inspections.csv", "--every", "2", "--random", "3"], "one of --every, --random"),
        (["show", "inspections.csv", "--table", "x"], "it contains no table 'x'"),
        (["show", "inspections.csv", "--sort", "mites descending"], "write: mites desc"),
        (["show", "https://example.org/x.csv"], "an address of the web"),
        (["show", "~/no-such-file.csv"], "there is no such file"),
        (["show", "t.arrow"], "the Arrow file cannot be read"),
        (["run", "dash.yaml"], "write 'step: filter', and its parameters below it"),
        (["profile", "inspections.csv", "--draft", "dash.yaml"], "choose another name, or remove the file first"),
        (["show"], "Missing argument 'FILE...'"),
    ],
)
def test_mistakes_get_one_message_and_exit_2(demo: Path, arguments: list[str], message: str) -> None:
    (demo / "t.arrow").write_bytes(b"ARROW1\0\0" + bytes(40))
    (demo / "dash.yaml").write_text("source: inspections.csv\nsteps:\n- filter: mites > 2\n")
    (demo / "lines.txt").write_text("row after\n" * 400)
    ran = run_comb(*arguments, cwd=demo)
    assert ran.code == 2 and message in ran.err and "Traceback" not in ran.err
    assert not ran.out


def test_exit_1_where_it_was_asked_for(demo: Path) -> None:
    assert run_comb("profile", "inspections.csv", "--check", cwd=demo).code == 1
    (demo / "rule.yaml").write_text("source: inspections.csv\nrules: [{check: mites < 300}]\n")
    assert run_comb("run", "rule.yaml", cwd=demo).code == 0
    assert run_comb("run", "rule.yaml", "--check", cwd=demo).code == 1


def test_standard_input_and_a_reader_that_leaves(demo: Path) -> None:
    assert "2 rows and 2 columns of standard input" in run_comb("show", "-", cwd=demo, stdin=b"a,b\n1,2\n3,4\n").out
    command = (
        f"{sys.executable} -c 'from comb.cli.main import main; main()' show inspections.csv --first 2400 | head -1"
    )
    piped = subprocess.run(command, shell=True, cwd=demo, capture_output=True, text=True, check=False)
    assert piped.stdout.startswith("2,400 rows") and "Traceback" not in piped.stderr
    # Also where the reader leaves in the middle of the work.
    for arguments in ("demo there", "profile inspections.csv", "show inspections.csv --first 2400 --json"):
        left = f"set -o pipefail; {sys.executable} -m comb {arguments} | head -n 1"
        piped = subprocess.run(["bash", "-c", left], cwd=demo, capture_output=True, text=True, check=False)
        assert piped.returncode == 0 and piped.stdout and "Traceback" not in piped.stderr, arguments


def test_no_colour_and_no_escapes_from_data(tmp_path: Path) -> None:
    (tmp_path / "x.csv").write_text("a,b\n1,[red]x\n2,\x0c[bold]\n")
    ran = run_comb("show", "x.csv", cwd=tmp_path)
    assert "\x1b" not in ran.out and "[red]x" in ran.out and "␌[bold]" in ran.out


@pytest.mark.skipif(os.name == "nt", reason="signals of POSIX")
def test_ctrl_c_stops_quietly_and_leaves_nothing_half_written(tmp_path: Path) -> None:
    rows = "".join(f"{at};name {at};{at / 7:.6f}\n" for at in range(400_000))
    (tmp_path / "big.csv").write_text("a;b;c\n" + rows)
    (tmp_path / "plan.yaml").write_text("source: big.csv\nsteps: [{step: sort, by: b}]\nsave: out\n")
    # A test run in the background of a shell would hand on that the signal is to be ignored.
    heeding = "import signal; signal.signal(signal.SIGINT, signal.default_int_handler)"
    begun = f"{heeding}; from comb.cli.main import main; print('ready', flush=True); main()"
    running = subprocess.Popen(
        [sys.executable, "-c", begun, "run", "plan.yaml"],
        cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        env={**os.environ, "COMB_KERNELS": "reference"},
    )  # fmt: skip
    assert running.stdout is not None and running.stdout.readline() == "ready\n"
    time.sleep(1.0)  # into the work, which takes many times as long by the slow kernels
    running.send_signal(signal.SIGINT)
    _, err = running.communicate(timeout=60)
    assert running.returncode == 130 and "Traceback" not in err and "stopped" in err
    assert {path.name for path in tmp_path.iterdir()} == {"big.csv", "plan.yaml"}


@pytest.mark.parametrize(
    ("code", "absent"),
    [
        ("import comb", ["numpy", "rich", "yaml", "click", "msgspec"]),
        (
            "from comb.cli.main import cli; cli(['--help'], standalone_mode=False)",
            ["numpy", "rich", "yaml", "msgspec"],
        ),
        ("import comb; comb.load", ["rich", "click"]),
    ],
)
def test_start_up_loads_only_what_is_needed(code: str, absent: list[str]) -> None:
    check = f"{code}\nimport sys; print([name for name in {absent} if name in sys.modules])"
    done = subprocess.run([sys.executable, "-c", check], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines()[-1] == "[]"


def test_the_public_names_are_complete_and_sorted() -> None:
    assert list(comb.__all__) == sorted(comb.__all__)
    for name in comb.__all__:
        assert getattr(comb, name).__doc__, name
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        _ = comb.nothing


def test_a_delimiter_that_parts_nothing_is_doubted(demo: Path) -> None:
    shown = run_comb("show", "inspections.csv", "--delimiter", "|", cwd=demo).out
    assert "with pipe there is one column; semicolon gives 14 columns" in " ".join(shown.split())
