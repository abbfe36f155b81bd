"""How many of the planted defects a profile finds, and how much of what it says was planted.

    python benchmarks/findings.py [--tables 60] [--seed 1] [--held-back] [--show TABLE]

Tables of six trades are clean by construction; from one to five defects are planted in each, at rates from 0.1 to 20 %,
and their truth is kept. Fifteen more tables look wrong and are not. Of three tables one is held back: thresholds are not
set by looking at it; ``--held-back`` judges those alone. For each code: how many were planted, found, and found although
nobody planted them, by table and by row.
"""

import argparse
import random
from collections import Counter, defaultdict

import comb
from planted.defects import DEFECTS
from planted.domains import DOMAINS
from planted.sheet import Chance, Sheet
from planted.tempting import TEMPTING

RATES = (0.001, 0.003, 0.01, 0.03, 0.1, 0.2)
# Found in clean tables for what they are, and wrong nowhere.
FACTS = {("orchard", "type.year"), ("orchard", "layout.levels")}
WHOLE = {"layout.repeated_header", "layout.empty_rows", "series.incomplete"}


def tables(count: int, seed: int) -> list[Sheet]:
    """Make tables with defects planted in them."""
    made = []
    kinds = list(DEFECTS)
    for at in range(count):
        chance = Chance(seed * 100_003 + at)
        sheet = DOMAINS[at % len(DOMAINS)](chance, chance.random.choice((200, 500, 1200)))
        rate = chance.random.choice(RATES)
        wanted = 1 + at % 5
        # Each kind comes in turn, the others by chance.
        order = kinds[at % len(kinds) :] + kinds[: at % len(kinds)]
        first, rest = order[:1], order[1:]
        chance.random.shuffle(rest)
        for kind in [*first, *rest]:
            if wanted and DEFECTS[kind](sheet, chance, rate):
                wanted -= 1
        made.append(sheet)
    return made


def judged(sheet: Sheet) -> tuple[list[tuple[str, str, set[int]]], list[tuple[str, str, set[int]]], list[comb.Finding]]:
    """Return what of the truth was not found, and what was found that is not true."""
    table = comb.load(sheet.data())
    found = list(table.profile(as_of=sheet.as_of).findings)
    truth = sheet.truth()
    missed, wrong = [], []
    for (code, column), rows in truth.items():
        mine = [one for one in found if one.code == code and (not column or column in one.columns)]
        if not mine:
            missed.append((code, column, rows))
    for one in found:
        said = any(one.code == code and (not column or column in one.columns) for code, column in truth)
        if not said and (sheet.name, one.code) not in FACTS:
            wrong.append((one.code, ", ".join(one.columns), set(one.rows.tolist())))
    return missed, wrong, found


def rows_right(sheet: Sheet, found: list[comb.Finding]) -> dict[str, tuple[int, int, int]]:
    """Return for each code: rows planted, of these found, rows said in all."""
    counts: dict[str, tuple[int, int, int]] = {}
    if any(code in WHOLE for code, _ in sheet.planted):
        return counts
    truth: dict[str, set[tuple[str, int]]] = defaultdict(set)
    for (code, column), rows in sheet.truth().items():
        truth[code] |= {(column, row) for row in rows}
    for code, cells in truth.items():
        columns = {column for column, _ in cells}
        said = {
            (column, row)
            for one in found
            if one.code == code
            for column in columns
            if not column or column in one.columns
            for row in one.rows.tolist()
        }
        if said and cells:
            counts[code] = (len(cells), len(cells & said), len(said))
    return counts


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--tables", type=int, default=90)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--held-back", action="store_true")
    parser.add_argument("--show", default="")
    parser.add_argument("--quiet", action="store_true")
    given = parser.parse_args()
    random.seed(0)
    planted, found_of, false = Counter[str](), Counter[str](), Counter[str]()
    rows: dict[str, list[int]] = defaultdict(lambda: [0, 0, 0])
    for at, sheet in enumerate(tables(given.tables, given.seed)):
        if (at % 3 == 2) != given.held_back:
            continue
        missed, wrong, found = judged(sheet)
        for code, _ in sheet.planted:
            planted[code] += 1
        for code, column, where in missed:
            planted[code] += 0
            found_of[code] -= 1
            if not given.quiet:
                print(f"missed  {at:3} {sheet.name:9} {code:22} {column:16} {len(where)} of {len(sheet.rows)} rows")
        for code, columns, where in wrong:
            false[code] += 1
            if not given.quiet:
                text = next(one.text for one in found if one.code == code and ", ".join(one.columns) == columns)
                print(f"false   {at:3} {sheet.name:9} {code:22} {columns:16} {len(where)} rows: {text[:110]}")
        for code, counts in rows_right(sheet, found).items():
            rows[code] = [a + b for a, b in zip(rows[code], counts, strict=True)]
        if given.show == str(at):
            for one in found:
                print("   ", one.code, one.columns, one.text)
    clean = 0
    if not given.held_back:
        for tempting in TEMPTING:
            sheet = tempting(Chance(given.seed))
            _, wrong, found = judged(sheet)
            wrong = [one for one in wrong if one[0] != "missing.blank"]
            clean += bool(wrong)
            for code, columns, where in wrong:
                false["clean " + sheet.name] += 1
                print(
                    f"clean   {sheet.name:13} {code:22} {columns:16} {len(where)} rows: {next(one.text for one in found if one.code == code)[:110]}"
                )
    print(f"\n{'code':24}{'planted':>8}{'found':>7}{'false':>7}{'rows planted':>14}{'found':>8}{'said':>8}")
    for code in sorted({*planted, *false}):
        a, b, c = rows[code]
        print(f"{code:24}{planted[code]:8}{planted[code] + found_of[code]:7}{false[code]:7}{a:14}{b:8}{c:8}")
    total, hit, wrongs = sum(planted.values()), sum(planted.values()) + sum(found_of.values()), sum(false.values())
    every = [sum(one[place] for one in rows.values()) for place in range(3)]
    print(
        f"\nrecall {hit / max(1, total):.3f}, precision {hit / max(1, hit + wrongs):.3f}; by row {every[1] / max(1, every[0]):.3f}, {every[1] / max(1, every[2]):.3f}; {clean} of {len(TEMPTING)} clean tables with a false alarm"
    )


if __name__ == "__main__":
    main()
