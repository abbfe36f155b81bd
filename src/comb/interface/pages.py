"""The pages of the documentation that are made from the code: every step with an example, every file of a dataset.

    python -m comb.interface.pages docs

writes `steps.md` and `dataset.md` into the folder. The examples are run while the page is made, so that what it shows
is what comes out; a test holds the pages and the code together.
"""

import inspect
import re
import sys
from pathlib import Path
from typing import Any

import yaml

from comb.interface.loading import load
from comb.interface.reshape_page import reshape_page
from comb.interface.table import Table
from comb.plans.parse import read_plan
from comb.steps.accounting import take_step
from comb.steps.base import Step
from comb.steps.catalogue import STEPS, fields_of
from comb.writing.record_files import RECORD_FILES

VISITS = b"""hive,day,queen,mites,kg,note
a1,2026-05-02,laying,3,31.5,box  7
a1,2026-05-09,Laying,,,moved; fed
b2,2026-05-02,laying,999,40.0,box 12
b2,2026-05-09,,4,42.0,roof
b2,2026-05-09,,4,42.0,roof
"""
PLACES = b"""code,place,keeper
a1,Mill Brook,Alder
b2,Fox Hollow,Rowan
"""
CODES = b"""written,meant
Laying,laying
drone layer,drone-laying
"""
LANDED = b"""quay,landings,tonnes
Upper river,,
Ash,12,3.4*
Elm,9,2.8
Coast,,
Fern,31,8.0 1)
"""
ASKED = b"""who,bus,tram,bike
r1,yes,no,no
r2,no,no,yes
r3,no,yes,no
"""
WEIGHED = b"""day,kg
2024-01-01,10
2024-07-01,20
2025-01-01,14
2025-07-01,24
"""
BOXES = b"""hive,box
a1,"{""frames"": 10, ""lid"": {""felt"": true}}"
b2,"{""frames"": 11, ""made"": ""2024-03-02""}"
"""
MAY = b"""hive,may,june
a1,3,5
b2,4,
"""

# An example of each step, as a plan has it; on the table of visits, unless it says otherwise.
EXAMPLES: dict[str, str] = {
    "filter": "{step: filter, where: mites < 100, why: 999 means not counted}",
    "pick_rows": "{step: pick_rows, largest: kg, count: 1, by: hive}",
    "select": "{step: select, columns: [hive, mites:kg, 'n*']}",
    "rename": "{step: rename, names: {kg: weight_kg}}",
    "sort": "{step: sort, by: [day desc, mites]}",
    "calculate": "{step: calculate, columns: {gain: kg - lag(kg) over (partition by hive order by day)}}",
    "aggregate": "{step: aggregate, by: hive, columns: {visits: count(*), mean_kg: avg(kg)}}",
    "count": "{step: count, by: queen}",
    "join": "{step: join, table: places, by: hive = code, columns: place}",
    "stack_tables": "{step: stack_tables, table: visits, source_column: table}",
    "to_long": "{step: to_long, columns: may:june, heading_column: month, value_column: mites}",
    "to_wide": "{step: to_wide, heading_column: day, value_column: mites, by: hive, aggregate: first}",
    "add_combinations": "{step: add_combinations, by: [hive, queen], values: {note: not seen}}",
    "separate_tables": "{step: separate_tables, by: [hive, day], columns: [mites, kg]}",
    "take_heading_rows": "{step: take_heading_rows, column: quay, new_columns: reach}",
    "separate_marks": "{step: separate_marks, columns: tonnes}",
    "from_indicators": "{step: from_indicators, columns: bus:bike, new_columns: travels by}",
    "take_apart": "{step: take_apart, column: box}",
    "to_indicators": "{step: to_indicators, column: queen}",
    "transpose": "{step: transpose, headings_in: hive, heading_column: month}",
    "split": "{step: split, column: note, mark: ;, new_columns: [what, more]}",
    "combine": "{step: combine, columns: [hive, day], new_columns: visit, mark: /}",
    "convert": "{step: convert, columns: {mites: integer}, missing: '999'}",
    "trim": "{step: trim, columns: note, inner: true}",
    "replace_text": "{step: replace_text, columns: note, pattern: '^box +([0-9]+)$', new: B$1}",
    "recode": "{step: recode, column: queen, table: codes, why: the code book of the co-operative}",
    "correct": "{step: correct, column: kg, row: 3, old: 40.0, new: 34.0, source: log book}",
    "fill": "{step: fill, columns: kg, from_row: above, by: hive, order_by: day, why: weighed once a fortnight}",
    "round": "{step: round, columns: kg}",
    "pad_text": "{step: pad_text, columns: mites, width: 3}",
    "replace_values": "{step: replace_values, columns: mites, above: 100, why: 999 means not counted}",
    "remove_missing": "{step: remove_missing, columns: [mites, kg]}",
    "remove_duplicates": "{step: remove_duplicates, by: [hive, day], which: last}",
    "remove_pattern": "{step: remove_pattern, column: kg, period: day, pattern: month}",
    "mark_rows": "{step: mark_rows, where: {many: mites > 100, queenless: queen is null}, new_columns: odd}",
    "set_aside": "{step: set_aside, where: mites > 100, reason: not counted}",
}

SOURCES = {
    "visits": VISITS, "places": PLACES, "codes": CODES, "may": MAY, "landed": LANDED, "asked": ASKED,
    "weighed": WEIGHED, "boxes": BOXES,
}  # fmt: skip

# The tables that the examples of some steps are about, instead of the visits.
_ABOUT = {
    "to_long": "may", "transpose": "may", "take_heading_rows": "landed", "separate_marks": "landed",
    "from_indicators": "asked", "remove_pattern": "weighed", "take_apart": "boxes",
}  # fmt: skip

HEAD = """\
# Steps

Every step with its parameters and an example. In a plan a step is written as here, in Python it is a method of the same
name with the same parameters: `table.fill("kg", from_row="above", by="hive")`. The page is made from the code, and the
examples are run while it is made (`python -m comb.interface.pages docs`).

All steps take these, too:

- `at_most`: the most rows the step may remove, and the most cells it may change in one column: a number, or a share of
  the rows like `2%`. Where there are more, the run stops before anything is written.
- `active: false`: the step is listed, not taken.
- `why`: the reason, in free text. It is in the ledger, in the record of changed cells and in every trace.

`columns` takes names, globs (`*_kg`), ranges (`jan:dec`) and positions (`#1`). `where` takes a condition, a formula is
an expression too: see [the language](language.md). What every step did to rows and cells is on record: see
[the dataset folder](dataset.md).

The examples are about these visits, `visits`:

```text
{visits}
```

and `places`, `codes`, `may`, `landed`, `asked`, `weighed` and `boxes`:

```text
{places}

{codes}

{may}

{landed}

{asked}
```
"""


def steps_page() -> str:
    """Return the page of all steps, as Markdown."""
    tables = {name: load(data) for name, data in SOURCES.items()}
    lines = [HEAD.format(**{name: _plain(table) for name, table in tables.items()})]
    lines.append(", ".join(f"[`{name}`](#{name})" for name in STEPS) + "\n")
    for name, kind in STEPS.items():
        lines.append(_section(name, kind, tables))
    return "\n".join(lines)


def _plain(table: Table) -> str:
    """Return a table as it is printed, without the sentence above it."""
    return repr(table).split("\n\n", 1)[1]


def _section(name: str, kind: type[Step], tables: dict[str, Table]) -> str:
    summary, parameters = _documented(kind)
    table = tables[_ABOUT.get(name, "visits")]
    step = example_step(name)
    taken = take_step(step, table, tables)
    made = Table._adopt(taken.table)._derive(notes=())
    said = [f"{taken.entry.says}: {taken.entry.counts()}", *taken.entry.notes]
    lines = [f"## {name}", "", summary, ""]
    lines += [f"- `{title}`: {text}" for title, text in parameters.items()]
    lines += ["", "```yaml", f"- {EXAMPLES[name]}", "```", "", "```text", *said, "", _plain(made), "```", ""]
    return "\n".join(lines)


def example_step(name: str) -> Step:
    """Return the example of a step, read as a plan reads it."""
    others = "\n".join(f"  {other}: {{source: {other}.csv}}" for other in ("visits", "places", "codes"))
    text = f"tables:\n{others}\n  here:\n    source: here.csv\n    steps:\n      - {EXAMPLES[name]}\n"
    return read_plan(text, "example").tables["here"].steps[0]


def _documented(kind: type[Any]) -> tuple[str, dict[str, str]]:
    """Return the summary of a step, and what its parameters mean, from its docstring."""
    text = inspect.getdoc(kind) or ""
    head, _, rest = text.partition("\nParameters\n----------\n")
    parameters: dict[str, str] = {}
    for block in re.split(r"\n(?=\S)", rest):
        names, _, inner = block.partition("\n")
        title, _, what = names.partition(" : ")
        meaning = " ".join(inner.split())
        said = f"{what}. {meaning}".strip(" .").replace("``", "`") + "."
        parameters[", ".join(title.split(", "))] = said
    own = [one for one in fields_of(kind) if one not in ("at_most", "active", "why")]
    listed = {one for title in parameters for one in title.split(", ")}
    also = {one: "see above." for one in own if one not in listed}
    return " ".join(head.split()).replace("``", "`"), {**parameters, **also}


DATASET = """\
# The dataset folder

What `comb run PLAN` writes where the plan says `save:` and names a folder. Another person loads it without guessing,
reads the dictionary, and runs the plan again. The page is made from the code (`python -m comb.interface.pages docs`).

- `TABLE.csv`: each table, in UTF-8, with commas and a header.
- `TABLE.csv-metadata.json`: its description by the open standard CSV on the Web: where it came from, how the file is
  written, name, type and description of each column. Comb reads it back. `required` is claimed for columns of which a
  rule says so (`kg is not null`).
- `TABLE-cells.csv`: why each cell is missing, and the texts that were kept.
- `TABLE-COLUMN-codes.csv`: the values of a category in their order, with labels.
- `dictionary.md`: the columns of all tables in words, formulas of calculated columns, open questions.
- `report.html`: all of this as [one page](pictures.md#the-report), with what matters first; `report: false` leaves it
  out.
- the pictures that the plan lists, by the names it gives them.
- `ledger.jsonl`: a line for each step: rows in, added, out, left out, set aside, merged; cells changed; the reason.
  Reading the source has number 0.
- `run.json`: the version of Comb, the day of the run if it was given (`--as-of`), the sources with size and checksum,
  encoding, delimiter and quote; of each table how many rows and bytes it has, how many rows are a part of it, and on
  which byte of its file each part begins.
- `plan.yaml`: the plan, with paths that begin at this folder and the checksums of its sources.
- `checksums.txt`: SHA-256 of every file. `comb inspect FOLDER` and `comb.load(FOLDER)` compare them.
- `csv-metadata.json`: describes the files of the record below by CSV on the Web.

The record of the run says what became of every row and cell. Rows are listed as runs, from one to another, where they
follow each other, though not beyond the next multiple of 10,000, so that a row is found in a large source by reading no
more than a run; files of more than 4 MB are compressed (`.csv.gz`), in members of which each names the rows
that it tells of in the comment of its head, so that one row is found without unpacking the rest. The same plan on the
same source writes the same bytes.

`comb trace FOLDER --row N --column C` reads the record for you: where the cell stood, as which text, and what each
step made of it. If the source has changed since, or is not there any more, the trace says so and tells what the record
knows. A cell that a step made of others, by a formula or of parts of them, leads to those, with their texts
and what was filled, corrected or converted on the way.
"""


def dataset_page() -> str:
    """Return the page of the dataset folder, as Markdown."""
    lines = [DATASET]
    for name, described in RECORD_FILES.items():
        lines += [f"## {name}", "", f"{described.about[0].upper()}{described.about[1:]}.", ""]
        lines += ["| Column | Type | Holds |", "|---|---|---|"]
        lines += [f"| `{column}` | {kind} | {about} |" for column, (kind, about) in described.columns.items()]
        lines.append("")
    return "\n".join(lines)


def examples_as_plan() -> str:
    """Return all examples as the steps of plans, one table for each, so that they can be run."""
    tables: dict[str, Any] = {name: {"source": f"{name}.csv"} for name in SOURCES}
    for name, example in EXAMPLES.items():
        source = _ABOUT.get(name, "visits")
        tables[f"after {name}"] = {"from_table": source, "steps": [yaml.safe_load(example)]}
    return yaml.safe_dump({"tables": tables}, sort_keys=False)


if __name__ == "__main__":
    folder = Path(sys.argv[1])
    for page, text in (("steps.md", steps_page()), ("dataset.md", dataset_page()), ("reshape.md", reshape_page())):
        (folder / page).write_text(text.rstrip("\n") + "\n", encoding="utf-8")
