"""What the commands show, looked at as text: whole views on small tables and on the demo."""

from pathlib import Path

import pytest

import comb
from comb.cli.terminal import Terminal
from comb.plans.step_text import step_line
from comb.profiling.codes import CODES
from comb.steps.catalogue import make_step
from comb.steps.ledger import total
from comb.tables.layout import LayoutRequest, Span, cut_end, lay_out, plain
from comb.views.inspections import column_view, inspection_view
from comb.views.lines import MARGIN, columns_of
from comb.views.profiles import profile_view
from comb.views.runs import adds_up_line, dry_run_view, run_view
from support.running import load_text


def view(lines: object) -> list[str]:
    return plain(lines).splitlines()  # type: ignore[arg-type]


def test_inspection(tmp_path: Path) -> None:
    load_text(tmp_path, "Visits of May\n\nday;kg\n1.5.2026;1,5\n13.5.2026;\n;2,25\n")
    assert view(inspection_view(comb.inspect(tmp_path / "table.csv"), 100)) == [
        "table.csv: 52 bytes, 3 rows and 2 columns",
        "",
        f"decided                      because{' ' * 74}change it with",
        f"encoding          utf-8      only plain ASCII characters{' ' * 54}--encoding",
        "delimiter         semicolon  80% of the lines have 2 fields; next best comma: 40% of the lines have 2 fields"
        "  --delimiter",
        f"quote             double     no quotes found; default{' ' * 57}--quote",
        f"above the header  2 lines    narrower than the table, or filled in the first cell only{' ' * 24}--skip",
        f"header            one line   the first line has words where 2 columns have numbers or dates{' ' * 19}--header",
        "",
        "text above the table: Visits of May",
        "",
        "column  type    missing  evidence",
        "day     date          1  d.M.yyyy; all 2 fit; day and month cannot be confused: 1 value with a day…",
        "kg      number        1  all 2 fit; decimal comma",
    ]
    assert view(column_view(comb.inspect(tmp_path / "table.csv"), "kg")) == [
        "kg is number, 1 cell missing",
        "",
        "could be  written  fit  do not",
        "number               2       0  chosen",
        "string               2       0",
        "",
        "because  decimal comma",
    ]


def test_profile() -> None:
    table = comb.table(columns={"place": ["Mill", " Mill", "Ridge"], "n": [1, 2, 2], "ok": [True, None, False]})
    assert view(profile_view(table.profile(), 90)) == [
        "3 rows and 3 columns of table typed in by hand",
        "",
        "2 findings; what matters most comes first",
        "  would give wrong groups   1 cell of place has outer or repeated spaces",
        "  untidy                    1 cell of ok (33.3%) is blank",
        "",
        "column  type     missing          distinct  shape",
        "place   string   -                       3  ███",
        "    ·Mill (1), Mill (1), Ridge (1)",
        "n       integer  -                       2  ▄          █",
        "    1 to 2, quartiles 1.5, 2, 2; mean 1.667, sd 0.5774",
        "ok      boolean  33.3 %: 1 blank         2  ██",
        "    1 true, 1 false",
        "",
        "2 of 3 rows are without a gap, 1 with 1 gap; without ok 3 would have none",
        "",
        "in detail",
        "text.spaces             1 cell of place has outer or repeated spaces",
        "                        namely ' Mill' (1); row 2",
        "                        remedy: trim columns: [place]",
        "missing.blank           1 cell of ok (33.3%) is blank",
        "                        row 2",
        "                        by hand: fill from other rows, groups or a formula;",
        "                        remove_missing; or leave them: they count in no mean",
    ]
    assert max(map(len, CODES)) < MARGIN
    clean = comb.table(columns={"n": [1, 2]}).profile()
    assert view(profile_view(clean, 80))[-1] == "nothing was found that looks wrong"


PLAN = """\
source: table.csv
steps:
  - {step: trim, why: padded}
  - {step: filter, where: n > 1}
  - {step: remove_duplicates}
rules:
  - {check: n < 3, otherwise: set aside}
"""


@pytest.fixture
def outcome(tmp_path: Path) -> comb.Outcome:
    load_text(tmp_path, "place,n\n Mill,1\nOak,2\nOak,2\nRidge,\nElm,3\n")
    (tmp_path / "plan.yaml").write_text(PLAN)
    return comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True)


def test_ledger(outcome: comb.Outcome) -> None:
    assert view(run_view(outcome, 120)) == [
        "table: 1 row and 2 columns, from table.csv",
        "",
        "   step               in  out  taken off  left out  set aside  merged  cells  what",
        "0  load                6    5          1         -          -       -      -  table.csv read",
        "1  trim                5    5          -         -          -       -      1  spaces trimmed in all text columns",
        "2  filter              5    3          -         2          -       -      -  rows where n > 1",
        "3  remove_duplicates   3    2          -         -          -       1      -  exact copies removed, one of each kept",
        "4  set_aside           2    1          -         -          1       -      -  rows that break the rule n < 3 set aside",
        "   total               6    1          1         2          1       1      1  all steps",
        "    6 in = 1 out + 1 line taken off + 2 left out + 1 set aside + 1 merged",
        "step 0, load: 6 lines read: 5 rows, 1 of the header",
        "step 2, filter: 1 of the rows left out is unknown (a cell is missing)",
        "step 2, filter: 1 row exactly on the bound of n > 1",
        "rule  n < 3  met by 1 row, broken by 1 (rows 5)",
    ]
    said = adds_up_line(total(outcome.ledger["table"]))
    assert said == "6 in = 1 out + 1 line taken off + 2 left out + 1 set aside + 1 merged"


def test_dry_run(outcome: comb.Outcome) -> None:
    lines = view(dry_run_view(outcome, 100))
    assert lines[:14] == [
        "table: 1 row and 2 columns, from table.csv (dry run)",
        "",
        " 0  load  table.csv read",
        "    1 line taken off",
        "    6 lines read: 5 rows, 1 of the header",
        "",
        " 1  trim  spaces trimmed in all text columns",
        "    1 cell changed",
        "    why: padded",
        "    row 1  place  ·Mill  becomes  Mill",
        "",
        " 2  filter  rows where n > 1",
        "    2 rows left out",
        "    1 of the rows left out is unknown (a cell is missing)",
    ]


@pytest.mark.parametrize(
    ("name", "parameters", "message"),
    [
        ("trim", {}, "trim"),
        ("convert", {"columns": {"n": "decimal"}, "decimal_mark": ","}, "convert columns: {n: decimal}, decimal_mark: ','"),
        ("recode", {"column": "q", "values": dict(zip("abcd", "wxyz", strict=True))}, "recode column: q, values: {a: w, b: x, c: y} (3 of 4 values shown)"),
    ],
)  # fmt: skip
def test_steps_in_one_line(name: str, parameters: dict[str, object], message: str) -> None:
    assert step_line(make_step(name, parameters)) == message


def test_columns_fit_the_width() -> None:
    rows = [[Span("a"), Span("1"), Span("a sentence that is too long")], [Span("bbb"), Span("22"), Span("short")]]
    assert view(columns_of(rows, right=[1], width=29)) == ["a     1  a sentence that is…", "bbb  22  short"]
    assert columns_of([]) == [] and cut_end("蜂蜂蜂", 5) == "蜂蜂…"


@pytest.mark.parametrize(
    ("start", "rows", "last"),
    [
        (0, 10, "not shown: rows 11 to 100 (rows_between(11, 20))"),
        (95, 5, "not shown: rows 1 to 95 (rows_between(86, 95))"),
        (0, 0, "not shown: rows 1 to 100 (rows_between(1, 10))"),
        (0, 100, "100  100"),
    ],
)
def test_the_layout_says_how_to_see_the_rest(start: int, rows: int, last: str) -> None:
    table = comb.table(columns={"n": list(range(1, 101))})
    lines = view(lay_out(LayoutRequest(table.columns, table.row_numbers, "said", rows=rows, start=start)))
    assert lines[-1] == last and len(lines) <= rows + 6


def test_results_go_to_standard_output_and_talk_to_standard_error(capsys: pytest.CaptureFixture[str]) -> None:
    screen = Terminal()
    screen.lines([[Span("result", "said"), Span(" [red]x ")]])
    screen.json({"a": [1, "é"]})
    screen.say("talk")
    screen.next_step("comb show x")
    with screen.working("busy") as message:
        message("still busy")
    Terminal(hints=False).next_step("nothing")
    out, err = capsys.readouterr()
    assert out == 'result [red]x\n{\n  "a": [\n    1,\n    "é"\n  ]\n}\n'
    assert err == "talk\n\nnext: comb show x\n"
