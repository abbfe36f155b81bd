"""What is written is whole, in its place, with its own description; kills, full disks and other runs included."""

import json
import os
import random
import resource
import signal
import stat
import subprocess
import sys
import time
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import comb
from comb.formats.formulas import armed_again, disarmed
from comb.writing.atomic import Output, recovered, write_file, write_folder
from comb.writing.file_system import exchange
from support.examples import drawn

NEW, OLD = ".set.comb-new", ".set.comb-old"


def names(folder: Path) -> list[str]:
    return sorted(path.name for path in folder.iterdir())


def dataset(folder: Path, text: bytes, files: int = 1) -> None:
    content = {f"{at}.txt": text for at in range(files)}
    write_folder(
        folder, {**content, "checksums.txt": b"".join(b"0  %d.txt\n" % at for at in range(files))}, overwrite=True
    )


def test_a_run_that_is_killed_leaves_old_or_new_and_the_next_clears_up(tmp_path: Path) -> None:
    """Killed at any moment: the folder is whole, and of one version."""
    code = (
        "import sys, itertools\nfrom pathlib import Path\nfrom comb.writing.atomic import write_folder\n"
        "names = [f'{at}.txt' for at in range(20)]\n"
        "sums = ''.join(f'0  {name}\\n' for name in names).encode()\n"
        "for turn in itertools.count():\n"
        "    files = {name: str(turn).encode() for name in names}\n"
        "    write_folder(Path(sys.argv[1]), {**files, 'checksums.txt': sums}, overwrite=True)\n"
        "    print(turn, flush=True)\n"
    )
    chance = random.Random(5)
    for _ in range(12):
        with subprocess.Popen([sys.executable, "-c", code, str(tmp_path / "set")], stdout=subprocess.PIPE) as process:
            assert process.stdout is not None
            process.stdout.readline()
            time.sleep(chance.random() / 20)
            process.kill()
        held = {(tmp_path / "set" / f"{at}.txt").read_bytes() for at in range(20)}
        assert len(held) == 1 and set(names(tmp_path)) <= {"set", NEW}
    dataset(tmp_path / "set", b"last", 20)
    assert names(tmp_path) == ["set"] and (tmp_path / "set" / "3.txt").read_bytes() == b"last"


def test_a_folder_left_without_its_name_is_put_back_and_said(tmp_path: Path) -> None:
    dataset(tmp_path / "set", b"old")
    (tmp_path / "set").rename(tmp_path / OLD)
    (tmp_path / NEW).mkdir()
    (tmp_path / NEW / "half.txt").write_text("half")
    with Output() as output:
        output.reserve(tmp_path / "set", folder=True, overwrite=True)
        assert "is back, as it was before that run" in output.messages[0]
        assert (tmp_path / "set" / "0.txt").read_bytes() == b"old"
    assert names(tmp_path) == ["set"] and recovered(tmp_path / "set") == []


def test_another_run_at_the_same_place_is_refused_before_any_work(tmp_path: Path) -> None:
    code = (
        "import sys, time\nfrom pathlib import Path\nfrom comb.writing.atomic import Output\n"
        "with Output() as output:\n    output.reserve(Path(sys.argv[1]), folder=True)\n"
        "    output.reserve(Path(sys.argv[2]), folder=False)\n    print('locked', flush=True)\n    time.sleep(60)\n"
    )
    places = [str(tmp_path / "set"), str(tmp_path / "x.csv")]
    with subprocess.Popen([sys.executable, "-c", code, *places], stdout=subprocess.PIPE) as process:
        assert process.stdout is not None and process.stdout.readline() == b"locked\n"
        with pytest.raises(comb.WriteError, match="another run is writing here"):
            dataset(tmp_path / "set", b"mine")
        with pytest.raises(comb.WriteError, match="another run is writing here"):
            comb.table(columns={"a": [1]}).save(tmp_path / "x.csv")
        process.kill()
    dataset(tmp_path / "set", b"mine")
    comb.table(columns={"a": [1]}).save(tmp_path / "x.csv")
    assert names(tmp_path) == ["set", "x.csv"]


def limited(size: int) -> Callable[[], None]:
    """The system gives no file more bytes than this: as good as a full disk."""

    def limit() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (size, size))

    return limit


@pytest.mark.parametrize("suffix", ["csv", "csv.gz", "json", "xlsx", "ods"])
def test_a_full_disk_leaves_what_was_there(tmp_path: Path, suffix: str) -> None:
    place = tmp_path / f"t.{suffix}"
    comb.table(columns={"a": ["old"]}).save(place, describe=suffix == "csv")
    before = {path.name: path.read_bytes() for path in tmp_path.iterdir()}
    code = (
        "import random, sys, comb\nchance = random.Random(1)\n"
        "table = comb.table(columns={'a': [chance.random() for _ in range(20_000)]})\n"
        "try:\n    table.save(sys.argv[1], overwrite=True)\nexcept comb.WriteError as error:\n    print(error)\n"
    )
    command = [sys.executable, "-c", code, str(place)]
    done = subprocess.run(command, preexec_fn=limited(50_000), capture_output=True, text=True)
    assert "cannot be " in done.stdout and "File too large" in done.stdout, done.stderr
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == before


def test_of_several_outputs_all_are_written_or_none(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("a\n1\n")
    plan = tmp_path / "plan.yaml"
    plan.write_text("source: t.csv\nsave: [first.csv, out, book.xlsx, second.json]\n")
    comb.Plan.load(plan).run()
    before = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    plan.write_text(
        'source: t.csv\nsteps: [{step: calculate, columns: {b: "repeat(a, 40000)"}}]\nsave: [first.csv, out, book.xlsx, second.json]\n'
    )
    before[plan] = plan.read_bytes()
    (tmp_path / "t.csv").write_text("a\nx\n")
    before[tmp_path / "t.csv"] = b"a\nx\n"
    with pytest.raises(comb.CombError):
        comb.Plan.load(plan).run(overwrite=True)
    assert {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()} == before
    with Output() as output:
        output.file(tmp_path / "first.csv", b"new", overwrite=True)
        output.file(tmp_path / "none.csv", b"new")
        (tmp_path / "none.csv").mkdir()
        (tmp_path / "none.csv" / "x").write_text("in the way")
        with pytest.raises(comb.WriteError, match=r"none\.csv"):
            output.put()
    assert (tmp_path / "first.csv").read_bytes() == before[tmp_path / "first.csv"]


def test_rights_are_those_of_the_umask_or_of_what_is_replaced(tmp_path: Path) -> None:
    code = "import os, sys, comb\nos.umask(0o027)\ncomb.table(columns={'a': [1]}).save(sys.argv[1], overwrite=True)\n"
    plan = tmp_path / "plan.yaml"
    plan.write_text("source: t.csv\nsave: out\n")
    for mode in (0o640, 0o600, 0o604):
        subprocess.run([sys.executable, "-c", code, str(tmp_path / "t.csv")], check=True)
        assert stat.S_IMODE((tmp_path / "t.csv").stat().st_mode) == mode
        (tmp_path / "t.csv").chmod({0o640: 0o600, 0o600: 0o604}.get(mode, 0o600))
    comb.Plan.load(plan).run()
    (tmp_path / "out").chmod(0o700)
    (tmp_path / "out" / "t.csv").chmod(0o600)
    comb.Plan.load(plan).run(overwrite=True)
    assert stat.S_IMODE((tmp_path / "out").stat().st_mode) == 0o700
    assert stat.S_IMODE((tmp_path / "out" / "t.csv").stat().st_mode) == 0o600


def test_a_link_stays_and_what_it_leads_to_is_replaced(tmp_path: Path) -> None:
    (tmp_path / "store").mkdir()
    (tmp_path / "store" / "t.csv").write_text("old")
    (tmp_path / "t.csv").symlink_to(tmp_path / "store" / "t.csv")
    comb.table(columns={"a": [1]}).save(tmp_path / "t.csv", overwrite=True)
    assert (tmp_path / "t.csv").is_symlink() and (tmp_path / "store" / "t.csv").read_bytes() == b"a\r\n1\r\n"
    (tmp_path / "gone.csv").symlink_to(tmp_path / "store" / "new.csv")
    comb.table(columns={"a": [1]}).save(tmp_path / "gone.csv")
    assert names(tmp_path / "store") == ["new.csv", "t.csv"]


@pytest.mark.parametrize(
    ("name", "message"),
    [
        ("x" * 300 + ".csv", "at most 255 bytes"),
        ("a\0b.csv", "without zero bytes"),
        ("pipe.csv", "a device or pipe"),
        ("t.csv/x.csv", "there is no folder"),
    ],
)
def test_names_that_cannot_be_written(tmp_path: Path, name: str, message: str) -> None:
    os.mkfifo(tmp_path / "pipe.csv")
    (tmp_path / "t.csv").write_text("a\n")
    before = names(tmp_path)
    with pytest.raises(comb.WriteError, match=message):
        comb.table(columns={"a": [1]}).save(tmp_path / name, overwrite=True)
    assert names(tmp_path) == before


PLANS = [
    ("save: ../out", "would write outside its own folder"),
    ("save: /tmp/somewhere", "would write outside its own folder"),
    ("save: link", "would write outside its own folder"),
    ("save: t.csv", "would replace the source t.csv"),
    ("save: .", "would replace the source t.csv"),
    ("save: x.xls", "expected a file that ends in"),
    ("save: [a.csv, a.csv]", "two outputs would have this name"),
]


@pytest.mark.parametrize(("save", "message"), PLANS)
def test_what_a_plan_may_not_write_is_refused_before_any_work(tmp_path: Path, save: str, message: str) -> None:
    home = tmp_path / "home"
    home.mkdir()
    (home / "link").symlink_to(tmp_path / "elsewhere")
    (home / "t.csv").write_text("a\n1\n")
    (home / "plan.yaml").write_text(f"source: t.csv\n{save}\n")
    before = sorted(tmp_path.rglob("*"))
    with pytest.raises(comb.CombError, match=message):
        comb.Plan.load(home / "plan.yaml").run(overwrite=True)
    assert sorted(tmp_path.rglob("*")) == before


def test_what_is_said_to_be_meant_is_written(tmp_path: Path) -> None:
    home = tmp_path / "home"
    home.mkdir()
    (home / "t.csv").write_text("a\n1\n1\n")
    plan = home / "plan.yaml"
    plan.write_text("source: t.csv\nsteps: [{step: filter, where: a > 1}]\nsave: {to: t.csv, replace_source: true}\n")
    comb.Plan.load(plan).run(overwrite=True)
    assert (home / "t.csv").read_bytes() == b"a\r\n"
    plan.write_text("source: t.csv\nsave: [../t.csv, ../out, x.tsv, x.csv.gz]\n")
    comb.Plan.load(plan).run(write_outside=True)
    assert names(tmp_path) == ["home", "out", "t.csv"] and names(home) == ["plan.yaml", "t.csv", "x.csv.gz", "x.tsv"]
    again = tmp_path / "out" / "plan.yaml"
    with pytest.raises(comb.PlanError, match="write outside"):
        comb.Plan.load(again).run(overwrite=True)


@pytest.mark.parametrize(
    ("source", "save"),
    [("'*.csv'", "all.csv"), ("[a.csv, 'al?.csv']", "all.csv"), ("'*/table.csv'", "out"), ("'out/*.csv'", "out")],
)
def test_a_result_is_never_a_source_of_the_next_run(tmp_path: Path, source: str, save: str) -> None:
    for place in ("a.csv", "in/table.csv"):
        (tmp_path / place).parent.mkdir(exist_ok=True)
        (tmp_path / place).write_text("a\n1\n")
    (tmp_path / "plan.yaml").write_text(f"tables: {{table: {{source: {source}}}}}\nsave: {save}\n")
    with pytest.raises(comb.PlanError, match=r"would be a source the next time|would replace the source"):
        comb.Plan.load(tmp_path / "plan.yaml").run()


def described(folder: Path) -> Path:
    table = comb.load(b"id,day,mood\n007,01.05.2026,calm\n008,02.05.2026,\n").convert({"mood": "category"})
    table.save(folder / "t.csv", describe=True)
    assert names(folder) == ["t-cells.csv", "t-mood-codes.csv", "t.csv", "t.csv-metadata.json"]
    return folder / "t.csv"


def test_no_description_outlives_the_file_it_describes(tmp_path: Path) -> None:
    place = described(tmp_path)
    other = comb.load(b"id,day\n1,2\n")
    with pytest.raises(comb.WriteError, match="not changed"):
        other.save(place)
    other.save(place, overwrite=True)
    assert names(tmp_path) == ["t.csv"] and comb.load(place).equals(other)
    described_again = comb.load(b"mood\nx\n")
    place.unlink()
    described(tmp_path)
    described_again.save(place, overwrite=True, describe=True)
    assert names(tmp_path) == ["t-cells.csv", "t.csv", "t.csv-metadata.json"], "the codes of a column that is gone"
    place.unlink()
    with pytest.raises(comb.WriteError, match="there is a description of this file"):
        other.save(place)
    (tmp_path / "t.csv-metadata.json").write_text('{"url": "t.csv", "tableSchema": {"columns": []}}')
    with pytest.raises(comb.WriteError, match="move the description away first"):
        other.save(place, overwrite=True)


@pytest.mark.parametrize(
    ("file", "note", "types"),
    [
        ("t.csv", "was written for other content than t.csv has now", "guessed"),
        ("t-cells.csv", "t-cells.csv has changed since it was saved", "described"),
        ("t-mood-codes.csv", "t-mood-codes.csv has changed since it was saved", "described"),
    ],
)
def test_companions_of_another_table_are_told_and_not_applied(tmp_path: Path, file: str, note: str, types: str) -> None:
    place = described(tmp_path)
    before = comb.load(place)
    assert before.types["day"].word == "date" and before.notes == ()
    (tmp_path / file).write_bytes((tmp_path / file).read_bytes().replace(b"\r\n", b"\n"))
    after = comb.load(place)
    assert any(note in one for one in after.notes)
    assert (after.types["mood"].word == "string") == (types == "guessed" or "mood" in file)
    assert any(note in one for one in comb.inspect(place).tables[0].notes) or file == "t-cells.csv"
    named = comb.load(place, schema=tmp_path / "t.csv-metadata.json")
    assert named.types["day"].word == "date", "one that is named is applied all the same"


def test_a_dataset_folder_is_held_against_its_checksums(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("id,day\n007,01.05.2026\n008,31.05.2026\n")
    (tmp_path / "plan.yaml").write_text("source: t.csv\nsave: out\n")
    comb.Plan.load(tmp_path / "plan.yaml").run()
    out = tmp_path / "out"
    assert comb.load(out / "t.csv").notes == ()
    description = out / "t.csv-metadata.json"
    text = description.read_text()
    description.write_text(text.replace('"string"', '"integer"'))
    assert any("has changed since checksums.txt was written" in note for note in comb.load(out / "t.csv").notes)
    description.unlink()
    assert any("is listed in checksums.txt, but is not there" in note for note in comb.load(out / "t.csv").notes)


LEADS = [
    ("../secret-codes.csv", "not the plain name of a file"),
    ("/etc/passwd", "not the plain name of a file"),
    ("pipe", "not a regular file"),
    ("link", "a link that leads out of the folder"),
    ("huge", "at most"),
    ("/dev/zero", "not the plain name of a file"),
]


@pytest.mark.parametrize(("name", "note"), LEADS)
@pytest.mark.parametrize("part", ["cells", "codes"])
def test_a_description_found_beside_a_file_opens_nothing_else(tmp_path: Path, name: str, note: str, part: str) -> None:
    folder = tmp_path / "data"
    folder.mkdir()
    (tmp_path / "secret-codes.csv").write_text("value,label\nsecret,secret\n")
    os.mkfifo(folder / "pipe")
    (folder / "link").symlink_to(tmp_path / "secret-codes.csv")
    with (folder / "huge").open("wb") as stream:
        stream.truncate(1 << 33)
    (folder / "x.csv").write_text("a\nsecret\n")
    codes = {"url": name, "notes": [{"comb:codes": name}]}
    key = {"columnReference": "a", "reference": {"resource": name, "columnReference": "value"}}
    schema = {"columns": [{"name": "a"}], **({"foreignKeys": [key]} if part == "codes" else {})}
    notes = [{"comb:cells": name}] if part == "cells" else []
    table = {"url": "x.csv", "notes": notes, "tableSchema": schema}
    (folder / "x.csv-metadata.json").write_text(json.dumps({"tables": [table, codes]}))
    loaded = comb.load(folder / "x.csv")
    assert loaded["a"].to_list() == ["secret"] and str(loaded["a"].type) == "string"
    assert any(note in one for one in loaded.notes), loaded.notes


@given(st.text(alphabet="'=+-@\t\rax1", max_size=6))
def test_disarming_can_be_undone(text: str) -> None:
    assert armed_again(disarmed(text)) == text and disarmed(text)[:1] not in tuple("=+-@\t\r")


@settings(max_examples=drawn(25), deadline=None)
@given(
    st.lists(st.text(alphabet="'=+-@ax1", max_size=4), min_size=1, max_size=5), st.text(alphabet="=+@a'", min_size=1)
)
def test_a_disarmed_table_loads_back_equal(
    tmp_path_factory: pytest.TempPathFactory, cells: list[str], title: str
) -> None:
    place = tmp_path_factory.mktemp("armed") / "t.csv"
    table = comb.table(columns={title: ["x", *cells], "kind": ["=1", *cells]}).convert({"kind": "category"})
    table.save(place, describe=True, disarm=True)
    fields = place.read_text().replace('"', "").replace("\n", ",").split(",")
    assert not any(field.startswith(("=", "+", "-", "@")) for field in fields)
    assert comb.load(place).equals(table)


def test_a_plan_can_ask_for_it(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("=name,b\n=1+1,x\n")
    (tmp_path / "plan.yaml").write_text("source: t.csv\nsave: [{to: out, disarm: true}, {to: u.csv, disarm: true}]\n")
    comb.Plan.load(tmp_path / "plan.yaml").run()
    assert (tmp_path / "u.csv").read_text() == (tmp_path / "out" / "t.csv").read_text() == "'=name,b\n'=1+1,x\n"
    assert comb.load(tmp_path / "out" / "t.csv")["=name"].to_list() == ["=1+1"]


def test_reasons_come_back_where_only_the_first_rows_are_read(tmp_path: Path) -> None:
    table = comb.load(b"n,m\n1,2\nx,3\n4,y\n", types={"n": "integer", "m": "integer"})
    table.save(tmp_path / "t.csv", describe=True)
    for rows in range(4):
        some = comb.load(tmp_path / "t.csv", rows=rows)
        assert some["n"].reasons() == table["n"].reasons()[:rows] and some["m"].reasons() == table["m"].reasons()[:rows]
        assert some.notes == tuple(note for note in some.notes if "violation" in note)


def test_names_are_exchanged_in_one_call_where_the_system_can(tmp_path: Path) -> None:
    write_file(tmp_path / "a", b"a")
    write_file(tmp_path / "b", b"b")
    swapped = exchange(tmp_path / "a", tmp_path / "b")
    assert (tmp_path / "a").read_bytes() == (b"b" if swapped else b"a")
    assert not exchange(tmp_path / "a", tmp_path / "none")


def test_a_dataset_folder_is_loaded_and_inspected_whole(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("id,day\n007,01.05.2026\n008,31.05.2026\n")
    plan = tmp_path / "plan.yaml"
    plan.write_text("source: t.csv\nsave: out\n")
    comb.Plan.load(plan).run()
    assert comb.load(tmp_path / "out").equals(comb.load(tmp_path / "out" / "t.csv"))
    checksums = comb.inspect(tmp_path / "out").decisions[1]
    assert (checksums.what, checksums.value) == ("checksums", "all 15 files as saved")
    (tmp_path / "out" / "ledger.jsonl").write_text("{}\n")
    (tmp_path / "out" / "dictionary.md").unlink()
    (tmp_path / "out" / "mine.txt").write_text("")
    said = comb.inspect(tmp_path / "out").decisions[1].value
    assert said == "ledger.jsonl has changed since it was saved; dictionary.md is gone; mine.txt is not part of it"
    assert comb.load(tmp_path / "out").notes[0] == "checksums.txt: ledger.jsonl has changed since it was saved"
    plan.write_text("tables: {a: {source: t.csv}, b: {source: t.csv}}\nsave: two\n")
    comb.Plan.load(plan).run()
    assert [table.name for table in comb.inspect(tmp_path / "two").tables] == ["a", "b"]
    assert comb.load(tmp_path / "two", table="2").equals(comb.load(tmp_path / "two", table="b"))
    assert list(comb.load_all(tmp_path / "two")) == ["a", "b"]
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "checksums.txt").write_text("ab  mine.csv\n")
    with pytest.raises(comb.SourceUnreadable, match="this is a folder"):
        comb.load(tmp_path / "other")
    # Somebody else's list of checksums makes no dataset of a folder.
    assert [one.name for one in comb.inspect(tmp_path / "other").entries] == ["checksums.txt"]
    for name, message in ((None, "there are 2 tables"), ("c", "there is no table 'c'"), ("3", "there is no table '3'")):
        with pytest.raises(comb.ContentError, match=message):
            comb.load(tmp_path / "two", table=name)


def test_decimals_longer_than_they_are_read_are_refused_and_long_titles_are_cut(tmp_path: Path) -> None:
    table = comb.table(columns={"d": [Decimal("99999999999999999.9"), Decimal("1.0")]})
    table.save(tmp_path / "d.csv", describe=True)
    assert comb.load(tmp_path / "d.csv").equals(table)
    longer = table.calculate({"d": "d * 9"})
    for name in ("e.csv", "e.json", "e.jsonl", "e.xlsx", "e.ods"):
        with pytest.raises(comb.ParameterError, match=r"row 1 of 'd' has more"):
            longer.save(tmp_path / name)
    titles = ["c" * 300, "c" * 301]
    kinds = comb.table(columns={title: ["b", "a"] for title in titles}).convert(dict.fromkeys(titles, "category"))
    kinds.save(tmp_path / "k.csv", describe=True)
    assert comb.load(tmp_path / "k.csv").equals(kinds) and len(list(tmp_path.glob("k-*-codes.csv"))) == 2


@pytest.mark.parametrize("value", ["inf", "nan", "1_000"])
def test_parameters_that_are_no_numbers_are_texts(value: str) -> None:
    with pytest.raises(comb.CombError):
        comb.table(columns={"x": [1.5]}).calculate({"y": "x * :p"}, parameters={"p": value})


@pytest.mark.parametrize(
    ("cell", "reason"), [(float("nan"), "undefined"), (Decimal("NaN"), "undefined"), (float("-inf"), "unreadable")]
)
def test_numbers_that_are_none_are_missing_with_their_reason(tmp_path: Path, cell: object, reason: str) -> None:
    table = comb.table(columns={"x": [1 if isinstance(cell, Decimal) else 1.0, cell]})
    assert table["x"].reasons() == [None, reason] and bool(table.notes) == (reason == "unreadable")
    table.save(tmp_path / "x.csv", describe=True)
    assert comb.load(tmp_path / "x.csv").equals(table)
