"""Formulas, steps and plans: random ones on random tables, with every row accounted for."""

from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

import comb
from comb.expressions.functions import FUNCTIONS
from comb.expressions.signatures import AGGREGATES, COLUMN_FUNCTIONS

TEXTS = [
    "", "a", "b", "Mill", "mill ", "x;y", "1", "-2.50", "n/a", "2026-05-01", "=1+1", "12 kg", "1.234,5", "9" * 25, "é",
    "a" * 300, "\x1b[31m", "\u202e", "%", "_", "'", '"', "a, b",
    '{"a": 1, "b": {"c": [1, "x"]}}', "{'a': None, 1: (2, 3)}", "[1, 2]", "[]", '[{"a": "2026-05-01"}, 3]', "{", "null",
]  # fmt: skip
NUMBERS = [0, 1, -1, 3, 2**53, 2**62, -(2**62), 0.5, -1.25, 1e300, 1e-300, 7, 12]
NAMES = ["a", "b", "kg", "day", "at", "word", "flag", "gone", "empty cell", "A"]


def cells(chance: Random, kind: str, rows: int) -> list[Any]:
    """Return random cells of a kind, some of them missing."""
    import datetime

    def one() -> Any:
        if chance.random() < 0.2:
            return None
        if kind == "integer":
            return chance.choice([number for number in NUMBERS if isinstance(number, int)])
        if kind == "number":
            return float(chance.choice([*NUMBERS, float("nan"), float("-inf")] if chance.random() < 0.1 else NUMBERS))
        if kind == "decimal":
            return Decimal(chance.choice(["1.50", "-0.05", "0", "12345678901234.56", "99999999999999.99"]))
        if kind == "boolean":
            return chance.random() < 0.5
        if kind == "date":
            return datetime.date(1600, 1, 1) + datetime.timedelta(chance.randrange(400_000))
        if kind == "datetime":
            return datetime.datetime(1970, 1, 1) + datetime.timedelta(seconds=chance.randrange(-(10**9), 4 * 10**9))
        return chance.choice(TEXTS)

    return [one() for _ in range(rows)]


def some_table(chance: Random) -> comb.Table:
    """Return a table of any types; some have no rows, or no columns."""
    rows = chance.choice([0, 0, 1, 2, 5, 20])
    kinds = ["integer", "number", "decimal", "boolean", "date", "datetime", "string", "string"]
    columns = {name: cells(chance, chance.choice(kinds), rows) for name in chance.sample(NAMES, chance.randrange(1, 7))}
    made = comb.table(columns=columns)
    texts = [name for name, kind in made.types.items() if kind.word == "string"]
    if texts and chance.random() < 0.3:
        made = made.convert({chance.choice(texts): chance.choice(["category", "decimal", "integer", "date"])})
    return made


def formula(chance: Random, names: list[str], depth: int = 0) -> str:
    """Return a formula; most are wrong in some way."""

    def inner() -> str:
        return formula(chance, names, depth + 1)

    simple = [
        lambda: '"' + chance.choice(names).replace('"', '""') + '"',
        lambda: str(chance.choice([*NUMBERS, "1e999", "99999999999999999999"])),
        lambda: "'" + chance.choice(TEXTS).replace("'", "''") + "'",
        lambda: chance.choice(
            ["null", "true", "date '2026-02-30'", "date '2026-05-01'", "interval '3' day", "current_date", ":p"]
        ),
    ]
    if depth > 2 or chance.random() < 0.4:
        # Mostly a column: then more of what is around it makes sense.
        return chance.choice([*simple, simple[0], simple[0]])()
    every = [*FUNCTIONS, *AGGREGATES, *COLUMN_FUNCTIONS]
    return chance.choice(
        [
            lambda: (
                f"({inner()} {chance.choice(['+', '-', '*', '/', '%', '||', '=', '<>', '<', '>=', 'and', 'or'])} {inner()})"
            ),
            lambda: f"{chance.choice(every)}({', '.join(inner() for _ in range(chance.randrange(4)))})",
            lambda: f"{chance.choice(list(AGGREGATES))}({inner()}) over (partition by {inner()} order by {inner()})",
            lambda: f"{chance.choice(list(AGGREGATES))}({inner()} order by {inner()}) filter (where {inner()})",
            lambda: f"case when {inner()} then {inner()} else {inner()} end",
            lambda: f"case {inner()} when {inner()} then {inner()} end",
            lambda: (
                f"cast({inner()} as {chance.choice(['integer', 'number', 'decimal(3)', 'decimal(40)', 'string', 'date', 'x'])})"
            ),
            lambda: (
                f"{inner()} {chance.choice(['', 'not '])}in ({', '.join(inner() for _ in range(chance.randrange(3)))})"
            ),
            lambda: f"{inner()} between {inner()} and {inner()}",
            lambda: f"{inner()} like '{chance.choice(['%a%', '_', '%', ''])}'",
            lambda: f"{inner()} like_regex '{chance.choice(['a+', '(a+)+b', '[', '^$'])}'",
            lambda: f"{inner()} is {chance.choice(['null', 'not null', 'true', 'distinct from 1'])}",
            lambda: f"not {inner()}",
            lambda: f"-{inner()}",
            lambda: f"extract({chance.choice(['year', 'week', 'dow', 'x'])} from {inner()})",
            lambda: "".join(chance.choice("()'\"+,ab1. ") for _ in range(12)),
        ]
    )()


def _pick(chance: Random, names: list[str]) -> list[str]:
    return [chance.choice([*names, "nope", "*", "#1", "#1:#2", "a:kg"]) for _ in range(chance.randrange(3))]


def step(chance: Random, table: comb.Table) -> comb.Table:
    """Take a random step."""
    names = [*table.names, "new"]
    one = chance.choice(names)
    other = some_table(chance)
    text = formula(chance, names)
    number = chance.choice([0, 1, 2, 5, -1, 10**30])
    calls: list[Callable[[], comb.Table]] = [
        lambda: table.calculate({one: text, "more": formula(chance, names)}, by=_pick(chance, names), only_new=chance.random() < 0.3),
        lambda: table.filter(text, by=_pick(chance, names)),
        lambda: table.set_aside(text),
        lambda: table.aggregate({"x": text}, by=_pick(chance, names), totals=chance.random() < 0.5, subtotals=chance.random() < 0.3),
        lambda: table.count(_pick(chance, names), across=chance.choice([None, one]), of_counts=chance.random() < 0.2),
        lambda: table.sort(chance.choice([one, f"{one} desc", "nope"]), text=chance.choice(["exact", "natural", "ignore_accents"])),
        lambda: table.select(_pick(chance, names), others=chance.choice(["drop", "after"])),
        lambda: table.rename({one: chance.choice(names), "a": "z"}),
        lambda: table.rename(style=chance.choice(["lower", "safe", "title", "upper"])),
        lambda: table.convert({one: chance.choice(["string", "integer", "number", "decimal", "date", "datetime", "boolean",
                                                   "category", "json", "time", "duration"])},
                              missing=chance.choice(["x", 1, {one: "a"}])),
        lambda: table.fill(one, value=chance.choice([0, "x", 1.5, True])),
        lambda: table.fill(one, formula=text),
        lambda: table.recode(one, {chance.choice(TEXTS): chance.choice([*TEXTS, None])}, ignore=chance.choice([(), "case"])),
        lambda: table.trim(_pick(chance, names), inner=chance.random() < 0.5),
        lambda: table.split(one, mark=chance.choice([";", "a", " "])),
        lambda: table.split(one, ["p", "q"], pattern=chance.choice(["(.)(.*)", "(", ";"])),
        lambda: table.split(one, ["p", "q"], widths=[1, 2]),
        lambda: table.take_apart(one, keys=chance.choice([(), ("a", "b.c")]), keep_original=chance.random() < 0.3,
                                 lists=chance.choice(["keep", "count", "rows", "columns"])),
        lambda: table.to_long(_pick(chance, names) or "*", heading_column="h", value_column="v", keep_missing=chance.random() < 0.5),
        lambda: table.transpose(one),
        lambda: table.remove_duplicates(_pick(chance, names), which=chance.choice(["first", "last", "fullest"])),
        lambda: table.pick_rows(first=number), lambda: table.pick_rows(last=number), lambda: table.pick_rows(every=number),
        lambda: table.pick_rows(largest=one, count=number), lambda: table.pick_rows(random=number),
        lambda: table.join(other, chance.choice([*other.names, one, f"{one} = {other.names[0]}"]),
                           rows=chance.choice(["all", "matched", "unmatched", "both"]), allow_multiple=chance.random() < 0.5),
        lambda: table.stack_tables(other, source_column=chance.choice([None, "file", one])),
    ]  # fmt: skip
    return chance.choice(calls)()


def steps(chance: Random, folder: Path) -> str:
    """Some steps one after the other: each accounts for its rows, and the table can be shown, profiled, pickled."""
    import pickle

    table = some_table(chance)
    taken = 0
    for _ in range(chance.randrange(1, 6)):
        try:
            table = step(chance, table)
            taken += 1
        except comb.CombError as error:
            str(error)
    assert all(entry.adds_up for entry in table.ledger), table.ledger
    repr(table)
    table.profile()
    if len(table):
        assert table.place(int(table.row_numbers[0]))
    assert pickle.loads(pickle.dumps(table)).equals(table)
    return "taken" if taken else "refused"


def formulas(chance: Random, folder: Path) -> str:
    """One formula, as a column and as a condition."""
    table = some_table(chance)
    text = formula(chance, list(table.names))
    came = "refused"
    for call in (
        lambda: table.calculate({"x": text}, as_of="2026-05-01", parameters={"p": 1}),
        lambda: table.filter(text),
    ):
        try:
            call().ledger[-1].counts()
            came = "evaluated"
        except comb.CombError as error:
            assert str(error)
    return came


def plans(chance: Random, folder: Path) -> str:
    """A table that was loaded, its steps as a plan, the plan run and saved: the same table each time."""
    table = some_table(chance)
    try:
        table.save(folder / "t.csv", describe=chance.random() < 0.7)
    except comb.CombError:
        return "not saved"
    made = comb.load(folder / "t.csv")
    for _ in range(chance.randrange(5)):
        try:
            made = step(chance, made)
        except comb.CombError:
            continue
    try:
        plan = made.plan()
    except comb.CombError:
        return "no plan"
    place = folder / "plan.yaml"
    plan.save(place)
    text = place.read_text() + "save: out\n"
    if "join" in text or "stack_tables" in text:
        return "planned"
    place.write_text(text)
    again = comb.Plan.load(place).run().tables
    assert any(one.equals(made) for one in again.values())
    comb.load(folder / "out")
    return "run again"


WORDS = ["source", "tables", "steps", "step", "where", "save", "to", "reading", "header", "types", "rules", "check", "otherwise",
         "by", "columns", "why", "filter", "calculate", "sort", "from_table", "active", "t.csv", "out", "a > 1", "yes", "3", "-",
         "*", "&a", "!!x", "[", "{", ":", "? ", "|", "../x", "'", '"', "~", "\n", "\n  ", "\n  - ", ": ", "\t", "#"]  # fmt: skip


def plan_texts(chance: Random, folder: Path) -> str:
    """A plan of random words, or a good one with flaws."""
    (folder / "t.csv").write_text("a,b\n1,x\n2,y\n")
    good = "source: t.csv\nsteps:\n  - step: filter\n    where: a > 1\n  - {step: sort, by: [b]}\nrules:\n  - check: a < 9\nsave: out\n"
    if chance.random() < 0.3:
        text = "".join(chance.choice(WORDS) for _ in range(chance.randrange(40)))
    else:
        text = good
        for _ in range(chance.randrange(1, 4)):
            at = chance.randrange(len(text))
            text = text[:at] + chance.choice(WORDS) + text[at + chance.randrange(8) :]
    (folder / "plan.yaml").write_text(text)
    try:
        comb.Plan.load(folder / "plan.yaml").run()
    except comb.CombError as error:
        assert str(error)
        return "refused"
    return "run"


KINDS = [steps, formulas, plans, plan_texts]
