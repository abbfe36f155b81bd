"""Everyday work at the command line without a plan: save, aggregate, steps, rows that are picked, a folder looked over."""

import json
from pathlib import Path

import pytest
from click.shell_completion import BashComplete

import comb
from comb.cli.everyday import take_steps
from comb.cli.main import cli
from support.running import run_comb

VISITS = """hive,apiary,mites,kg
a1,Mill Brook,3,31.5
a2,Fox  Hollow,999,40
a1,Mill Brook,3,32.5
b1,Elm,,12
a2,Fox  Hollow,999,41
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "visits.csv").write_text(VISITS)
    (tmp_path / "june.csv").write_text("hive,apiary,mites,kg\na1,Elm,4,30.5\n")
    (tmp_path / "places.csv").write_text("apiary;keeper\nElm;Alder\n")
    return tmp_path


ANSWERS: list[tuple[list[str], list[str]]] = [
    (["show", "visits.csv", "--every", "2"], ["every 2nd row of 5 rows", "32.5", "41"]),
    (["show", "visits.csv", "--random", "2"], ["2 rows chosen at random (seed 0)"]),
    (["show", "visits.csv", "--largest", "kg", "--first", "1"], ["sorted by kg desc", "5 a2 Fox Hollow 999 41"]),
    (["show", "visits.csv", "--duplicates", "hive"], ["4 rows of 5 share 2 values of hive; they differ in kg", "row hive kg apiary"]),
    (["show", "visits.csv", "--duplicates", "kg"], ["no two of 5 rows share their values in kg"]),
    (["show", "visits.csv", "--duplicates", "hive,mites", "--where", "mites < 9"], ["2 rows of 2 share 1 value of hive, mites"]),
    (["aggregate", "visits.csv", "--by", "hive", "mean = avg(kg)", "n=count(*)", "--sort", "mean desc"], ["3 rows and 3 columns", "2 a2 40.5 2"]),
    (["aggregate", "visits.csv", "june.csv", "n = count(*)"], ["1 6"]),
    (["aggregate", "visits.csv", "n = count(*)", "--where", "mites > 99", "--to", "n.json"], ["1 2"]),
    (["save", "visits.csv", "out.jsonl", "--where", "mites < 9", "--columns", "kg,hive", "--sort", "kg desc"], []),
    (["save", "visits.csv", "june.csv", "both.sqlite"], []),
    (["save", "visits.csv", "-", "--kind", ".jsonl", "--columns", "hive", "--where", "kg > 40"], ['{"hive": "a2"}']),
    (["save", "visits.csv", "out.tsv.gz", "--out-delimiter", ";", "--out-encoding", "utf-16"], []),
    (["inspect", "."], ["3 sources with tables", "the same columns: june.csv, visits.csv", "column apiary is in"]),
    (["run", "visits.csv", "--step", "trim apiary inner=true", "--step", "filter mites < 9 or apiary = 'Fox Hollow'"], ["Fox Hollow", "- step: trim", "where: mites < 9 or apiary = 'Fox Hollow'"]),
]  # fmt: skip


@pytest.mark.parametrize(("arguments", "said"), ANSWERS)
def test_commands_answer(folder: Path, arguments: list[str], said: list[str]) -> None:
    ran = run_comb(*arguments, cwd=folder)
    assert ran.code == 0, ran.err
    for text in said:
        assert " ".join(text.split()) in " ".join(ran.out.split()), ran.out


def test_what_the_sentence_has_no_room_for_is_counted_and_found(tmp_path: Path) -> None:
    (tmp_path / "untidy.csv").write_text('Yields,,\nsite,kg,n\na,1,2\n,,\nb,"2" x,3\nc,4,5,6\nd,8,9\n\n(a) estimated\n')
    shown = run_comb("show", "untidy.csv", cwd=tmp_path)
    assert "1 line of titles above the rows; 3 more notes" in " ".join(shown.out.split())
    assert "next: comb inspect untidy.csv" in shown.err
    inspected = run_comb("inspect", "untidy.csv", cwd=tmp_path).out
    notes = comb.load(tmp_path / "untidy.csv").notes
    assert len(notes) == 7 and "1 line below the table treated as notes: line 9" in notes
    assert all(note in inspected for note in notes if "of titles" not in note)


def test_what_was_saved_is_what_was_chosen(folder: Path) -> None:
    for arguments, _ in ANSWERS:
        if arguments[0] in ("save", "aggregate"):
            run_comb(*arguments, cwd=folder)
    assert (folder / "out.jsonl").read_text() == '{"kg": 32.5, "hive": "a1"}\n{"kg": 31.5, "hive": "a1"}\n'
    assert comb.load(folder / "both.sqlite").row_count == 6
    assert json.loads((folder / "n.json").read_text()) == [{"n": 2}]
    assert (
        comb.load(folder / "out.tsv.gz", delimiter=";")["kg"].to_list()
        == comb.load(folder / "visits.csv")["kg"].to_list()
    )


def test_a_file_in_every_format_comes_back(folder: Path) -> None:
    pytest.importorskip("pyarrow")
    whole = comb.load(folder / "visits.csv")
    last = "visits.csv"
    for name in ("a.xlsx", "b.ods", "c.jsonl", "d.sqlite", "e.parquet", "f.arrow", "g.tsv", "h.json", "i.csv.gz"):
        assert run_comb("save", last, name, cwd=folder).code == 0
        assert [list(row) for row in comb.load(folder / name).rows()] == [list(row) for row in whole.rows()], name
        last = name


STEPS: list[tuple[str, str]] = [
    ("trim apiary inner=true", "trim columns: [apiary] inner: true"),
    ("trim apiary,hive", "trim columns: [apiary, hive]"),
    ("fill mites 0", "fill columns: [mites] value: '0'"),
    ("fill mites value=0 where=\"hive = 'b1'\" why='none found'", "fill columns: [mites] value: '0' where: hive = 'b1' why: none found"),
    ("fill mites from_row=above by=hive order_by=kg", "fill columns: [mites] from_row: above by: [hive] order_by: [kg]"),
    ("filter mites < 9 and hive = 'a1'", "filter where: mites < 9 and hive = 'a1'"),
    ("filter kg > 30 why=heavy ones", "filter where: kg > 30 why: heavy ones"),
    ("calculate gain = kg - 30", "calculate columns: {gain: kg - 30}"),
    ("rename mites=varroa kg=weight", "rename names: {mites: varroa, kg: weight}"),
    ("select hive,kg", "select columns: [hive, kg]"),
    ("to_wide heading_column=mites value_column=kg begins=999", "to_wide heading_column: mites value_column: [kg] begins: '999'"),
    ("sort by=[mites desc,hive]", "sort by: [mites desc, hive]"),
    ("convert mites=string", "convert columns: {mites: string}"),
    ("convert mites string", "convert columns: {mites: string}"),
    ("recode apiary Elm=Oak", "recode column: apiary values: {Elm: Oak}"),
    ("replace_text apiary Mill Hill", "replace_text columns: [apiary] old: Mill new: Hill"),
    ("round kg", "round columns: [kg]"),
    ("remove_duplicates hive", "remove_duplicates by: [hive]"),
    ("split apiary widths=4,3 new_columns=a,b", "split column: apiary widths: [4, 3] new_columns: [a, b]"),
    ("pick_rows first=2", "pick_rows first: 2"),
    ("aggregate mean = avg(kg) by=hive", "aggregate by: [hive] columns: {mean: avg(kg)}"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "record"), STEPS)
def test_steps_are_written_as_words(folder: Path, text: str, record: str) -> None:
    import yaml

    table = comb.load(folder / "visits.csv")
    taken = take_steps(table, (text,))
    step = yaml.safe_load(str(taken.plan()))["steps"][0]
    wanted = {"step": text.split()[0]}
    for key, value in _pairs(record):
        wanted[key] = yaml.safe_load(value)
    assert {key: value for key, value in step.items() if key in wanted} == wanted
    assert taken == taken.plan().run().tables["visits"]


def _pairs(record: str) -> list[tuple[str, str]]:
    """Split the record of a step where a name with a colon stands outside of brackets and quotes."""
    found: list[tuple[str, str]] = []
    depth = 0
    for word in record.split(" ")[1:]:
        if not depth and word.endswith(":") and not word.startswith("{"):
            found.append((word[:-1], ""))
        else:
            found[-1] = (found[-1][0], f"{found[-1][1]} {word}".strip())
        depth += sum(word.count(one) for one in "[{") - sum(word.count(one) for one in "]}")
    return found


WRONG: list[tuple[list[str], str]] = [
    (["save", "visits.csv"], "comb save FILE OUT"),
    (["save", "visits.csv", "visits.csv", "--overwrite"], "would replace the source"),
    (["save", "visits.csv", "june.csv"], "--overwrite"),
    (["save", "visits.csv", "x.pdf"], "expected a file that ends in"),
    (["save", "visits.csv", "x.json", "--out-delimiter", ";"], "delimiter does not apply to .json"),
    (["save", "nothing.csv", "x.csv"], "there is no such file"),
    (["aggregate", "visits.csv"], "what to calculate for each group"),
    (["aggregate", "n = count(*)"], "expected a file"),
    (["aggregate", "visits.csv", "n = cuont(kg)"], "did you mean"),
    (["aggregate", "visits.csv", "--by", "hvie", "n = count(*)"], "did you mean 'hive'"),
    (["aggregate", "visits.csv", "n = count(*)", "--to", "june.csv"], "--overwrite"),
    (["run", "visits.csv", "--step", "split apiary widths=2,x new_columns=a,b"], "expected a list of whole numbers, got [2, 'x']"),
    (["run", "visits.csv", "--step", "trimm apiary"], "did you mean 'trim'"),
    (["run", "visits.csv", "--step", ""], "there is no step"),
    (["run", "visits.csv", "--step", "trim apiry"], "did you mean 'apiary'"),
    (["run", "visits.csv", "--step", "round kg digits=1 nope=2"], "there is no parameter 'nope' of round"),
    (["run", "visits.csv", "--step", "select a b c"], "expected 1 value without a name"),
    (["run", "visits.csv", "--step", "trim 'apiary"], "a quote is not closed"),
    (["run", "visits.csv", "--step", "filter"], "--step 'filter'"),
    (["run", "visits.csv", "--step", "join places"], "needs a second table"),
    (["run", "visits.csv", "--step", "trim apiary", "--dry-run"], "--dry-run is for a plan"),
    (["run", "visits.csv", "--delimiter", ";"], "a plan says itself"),
    (["show", "visits.csv", "--sample", "3"], "--random N"),
    (["show", "visits.csv", "--duplicates", "hvie"], "did you mean 'hive'"),
]  # fmt: skip


@pytest.mark.parametrize(("arguments", "said"), WRONG)
def test_mistakes_are_answered_and_nothing_is_written(folder: Path, arguments: list[str], said: str) -> None:
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    ran = run_comb(*arguments, cwd=folder)
    assert ran.code == 2 and said in ran.err and "Traceback" not in ran.err and not ran.out
    assert {path.name: path.read_bytes() for path in folder.iterdir()} == before


def test_a_run_of_steps_is_saved_with_to(folder: Path) -> None:
    for place in ("out.csv", "out.sqlite", "dataset"):
        ran = run_comb("run", "visits.csv", "--step", "filter mites < 9", "--to", place, cwd=folder)
        assert ran.code == 0 and f"saved: {place}" in ran.err
    tables = [comb.load(folder / name) for name in ("out.csv", "out.sqlite", "dataset")]
    assert [table.row_count for table in tables] == [2, 2, 2] and (folder / "dataset" / "ledger.jsonl").exists()
    rows = json.loads(run_comb("run", "visits.csv", "--step", "select hive", "--json", cwd=folder).out)["rows"]
    assert rows[0] == {"row": 1, "hive": "a1"}


def test_a_text_that_was_no_value_is_not_dropped_in_silence(folder: Path) -> None:
    ran = run_comb("save", "visits.csv", "x.csv", "--type", "apiary=integer", cwd=folder)
    assert ran.code == 0 and "5 texts that could not be read as a value are not in it: apiary 5" in ran.err
    assert (
        "note" not in run_comb("save", "visits.csv", "y.csv", "--type", "apiary=integer", "--describe", cwd=folder).err
    )
    ran = run_comb("run", "visits.csv", "--step", "convert apiary integer", "--to", "z.csv", cwd=folder)
    assert "z.csv: 5 texts that could not be read as a value are not in it: apiary 5" in ran.err


COMPLETED: list[tuple[list[str], str, list[str]]] = [
    (["show", "visits.csv", "--columns"], "hive,m", ["hive,mites"]),
    (["aggregate", "visits.csv", "--by"], "", ["hive", "apiary", "mites", "kg"]),
    (["show", "visits.csv", "--sort"], "k", ["kg"]),
    (["show", "book.xlsx", "--table"], "", ["visits", "places"]),
    (["show", "nothing.csv", "--columns"], "h", []),
    (["show"], "vis", []),
    (["s"], "", []),
    ([], "sa", ["save"]),
]


@pytest.mark.parametrize(("arguments", "begun", "proposed"), COMPLETED)
def test_shells_complete_columns_and_tables(
    folder: Path, monkeypatch: pytest.MonkeyPatch, arguments: list[str], begun: str, proposed: list[str]
) -> None:
    monkeypatch.chdir(folder)
    (folder / "plan.yaml").write_text(
        "tables: {visits: {source: visits.csv}, places: {source: places.csv}}\nsave: book.xlsx\n"
    )
    comb.Plan.load("plan.yaml").run()
    found = BashComplete(cli, {}, "comb", "_COMB_COMPLETE").get_completions(arguments, begun)
    assert [one.value for one in found if one.type == "plain"][: len(proposed)] == proposed


def test_a_folder_is_looked_over(folder: Path) -> None:
    (folder / "broken.xlsx").write_bytes(b"PK\x03\x04 nothing")
    (folder / "inner").mkdir()
    (folder / "plan.yaml").write_text("source: visits.csv\nsave: tidy\n")
    assert run_comb("run", "plan.yaml", cwd=folder).code == 0
    found = comb.inspect(folder)
    kinds = {one.name: (one.kind, len(one.tables)) for one in found.entries}
    assert kinds["visits.csv"] == ("delimited text", 1) and kinds["tidy/"][0].startswith("dataset folder, all ")
    assert kinds["broken.xlsx"][1] == kinds["inner/"][1] == kinds["plan.yaml"][1] == 0
    assert found.same_columns == (("june.csv", "visits.csv"),) and "apiary" in found.shared
    assert "visits.csv" in repr(found) and "<pre" in found._repr_html_()
    (folder / "tidy" / "visits.csv").write_text("changed")
    record = json.loads(run_comb("inspect", ".", "--json", cwd=folder).out)
    assert any("visits.csv has changed since it was saved" in one["kind"] for one in record["sources"])
    assert run_comb("inspect", "inner", cwd=folder).code == 2


def test_help_has_headings_in_the_order_of_the_work(folder: Path) -> None:
    said = run_comb("--help", cwd=folder).out
    order = ("See what", "  demo", "  inspect", "Summarise and", "  draw", "Put right", "  save", "Check", "  trace")
    places = [said.index(f"\n{one}") for one in order]
    assert places == sorted(places) and len(cli.commands) <= 13
    reading = run_comb("show", "--help", cwd=folder).out
    assert reading.index("--where") < reading.index("How the file is read:") < reading.index("--delimiter")
