"""The page of layouts, made from the code: sheets made for people, the plan drafted for each, what comes out."""

import csv
import tempfile
import textwrap
from pathlib import Path
from typing import NamedTuple

from comb.interface.plan import Plan
from comb.interface.table import Table
from comb.plans.layout_draft import draft_layout
from comb.plans.parse import read_plan
from comb.tables.read_options import ReadOptions

HEAD = """\
# From a sheet made for people to a tidy table

A tidy table has a column for each variable and a row for each case. Sheets that people fill in rarely do: months stand
below each other, products side by side, totals among the rows. `comb inspect FILE --plan plan.yaml` (in Python
`comb.draft_plan(FILE)`) looks at the layout and drafts the plan that makes it tidy; `comb run plan.yaml --dry-run`
shows what it would do. It works on a workbook, on the CSV that a spreadsheet program exports of it, on an archive or a
folder of files. Every step is there because the values show it; the draft says what it found, and what it set aside
is kept with its place.

Below are layouts with the sheet, the draft and the result. Each is run when this page is made (`python -m
comb.interface.pages docs`). How such a source is read, without a plan: `comb show FILE --table '*'`; see also
[workbooks and JSON](documents.md) and [all steps](steps.md).

To go back: `to_wide` undoes `to_long`, `to_indicators` undoes `from_indicators`, `combine` undoes `split` and
`separate_marks`, `join` puts back what `separate_tables` took apart.
"""


class Example(NamedTuple):
    """A sheet as delimited text, and what is to be said of it."""

    title: str
    about: str
    text: str


EXAMPLES = (
    Example(
        "Months below each other",
        "Each block has the nearest title as its name; the title of the sheet is not that of the first block. "
        "Totals are held against the cells they add up: one of these is wrong.",
        """\
Honey 2025,,
,,
June,,
apiary,spring_kg,summer_kg
Mill Brook,12,30
Fox Hollow,8,21
Total,20,51
,,
July,,
apiary,spring_kg,summer_kg
Mill Brook,9,28
Fox Hollow,7,24
Total,16,55
""",
    ),
    Example(
        "Blocks beside each other",
        "An empty column parts them.",
        """\
Weights,,,,,
,,,,,
Mill Brook,,,Fox Hollow,,
hive,kg,,hive,kg,
1,31.5,,1,40.0,
2,29.0,,2,38.5,
""",
    ),
    Example(
        "Months across",
        "The names of columns are values. The total across is known by arithmetic.",
        """\
apiary,April,May,June,Total
Mill Brook,3,5,9,17
Fox Hollow,4,4,6,14
Linden Row,2,7,8,17
""",
    ),
    Example(
        "Days across and months down",
        "The year is in the title: month and day become a date.",
        """\
Visitors 2025,,,,,,,
month,1,2,3,4,5,6,7
May,4,0,2,5,1,3,2
June,6,1,3,2,2,4,5
""",
    ),
    Example(
        "Two things for each year",
        "Headings that hold a value and what was measured, in one line or in two.",
        """\
hive,2024 kg,2024 mites,2025 kg,2025 mites
a1,31.5,3,33.0,5
b2,40.0,4,38.5,9
c3,28.0,2,30.5,4
""",
    ),
    Example(
        "Rows that head others",
        "Their text becomes a column; subtotals are set aside.",
        """\
hive,kg,mites
Mill Brook,,
a1,31.5,3
a2,29.0,5
Subtotal,60.5,8
Fox Hollow,,
b1,40.0,4
b2,38.5,9
Subtotal,78.5,13
""",
    ),
    Example(
        "Sums above what they add up",
        "Rows whose names are set in belong to the row above, if the numbers bear it out.",
        """\
place,2024,2025
North,7,9
  Mill Brook,3,4
  Linden Row,4,5
South,6,8
  Fox Hollow,6,8
""",
    ),
    Example(
        "Labels above each block",
        "The values of labels that are above every block belong to each of its rows.",
        """\
Keeper:,Alder,
Hive:,a1,
day,kg,mites
1,31.5,3
2,31.0,4
,,
Keeper:,Rowan,
Hive:,b2,
day,kg,mites
1,40.0,4
2,40.5,6
""",
    ),
    Example(
        "Blocks that differ by a column",
        "What a block does not have is absent there, which is another reason than an empty cell.",
        """\
Week 20,,,
hive,kg,mites,
a1,31.5,3,
b2,40.0,4,
,,,
Week 21,,,
hive,kg,mites,queen
a1,32.0,5,laying
b2,41.0,,laying
""",
    ),
    Example(
        "Marks of footnotes",
        "They are kept in a column of their own, so that the numbers can be added.",
        """\
hive,kg,mites
a1,31.5*,3
a2,29.0,5
b1,40.0 1),4
b2,38.5,9
* estimated,,
1) after feeding,,
""",
    ),
    Example(
        "A card for each case",
        "Blocks of the same labels, each with its value.",
        """\
Hive,a1
Apiary,Mill Brook
Boxes,3
,
Hive,b2
Apiary,Fox Hollow
Boxes,4
,
Hive,c3
Apiary,Linden Row
Boxes,2
""",
    ),
    Example(
        "Variables down and cases across",
        "Seen where each row is of one kind and no column is.",
        """\
hive,a1,b2,c3
apiary,Mill Brook,Fox Hollow,Linden Row
boxes,3,4,2
kg,31.5,40.0,28.0
""",
    ),
)


def drafted(example: Example, folder: Path) -> tuple[str, list[str], Table]:
    """Draft the plan of an example and run it: the plan without its head, what was found, the table."""
    place = folder / "sheet.csv"
    place.write_text(example.text, encoding="utf-8")
    made = draft_layout(place, ReadOptions(), folder)
    outcome = Plan(read_plan(made.text, example.title, str(folder))).run(dry_run=True)
    [table] = outcome.tables.values()
    lines = [line for line in made.text.splitlines() if not line.startswith("#")]
    return "\n".join(lines[: lines.index("save:")]), made.said, Table._adopt(table)


def reshape_page() -> str:
    """Return the page of layouts, as Markdown."""
    parts = [HEAD.rstrip()]
    with tempfile.TemporaryDirectory() as name:
        for example in EXAMPLES:
            plan, said, table = drafted(example, Path(name))
            shown = repr(table).split("\n\n", 1)[1]
            found = "\n".join(said)
            parts += [
                f"## {example.title}",
                textwrap.fill(example.about, 120),
                f"```text\n{_as_grid(example.text)}\n```",
            ]
            parts += [f"```yaml\n{plan}\n```", f"```text\n{found}\n\n{shown}\n```"]
    return "\n\n".join(parts)


def _as_grid(text: str) -> str:
    """Draw a sheet: its cells in columns, with a bar before each."""
    rows = list(csv.reader(text.splitlines()))
    widths = [max(len(row[at]) if at < len(row) else 0 for row in rows) for at in range(max(map(len, rows)))]
    return "\n".join(
        "| " + " | ".join((row[at] if at < len(row) else "").ljust(width) for at, width in enumerate(widths)) + " |"
        for row in rows
    )
