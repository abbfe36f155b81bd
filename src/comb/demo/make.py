"""Make the demo data, and write down every defect that is planted in it.

Only `Random.random` is drawn from, whose sequence Python keeps the same between
versions, so the same seed gives the same bytes everywhere. All files but the workbook
are made when they are asked for. Run as a script to renew that, which ships in the package::

    python -m comb.demo.make src/comb/demo/data
"""

import csv
import io
import json
import sys
from collections.abc import Callable, Iterator, Sequence
from datetime import date, timedelta
from pathlib import Path
from random import Random
from typing import TypeVar

import msgspec

from comb.demo.documents import apiaries_csv, apiaries_truth, harvest_truth, harvest_xlsx, scales

SEED = 20250301

COLUMNS = (
    "visit", "inspected_on", "apiary", "colony", "keeper", "queen", "brood_frames", "honey_frames",
    "mites", "gross_kg", "tare_kg", "net_kg", "fed", "notes",
)  # fmt: skip

# Titles as wide as the table, as a spreadsheet program saves them.
PADDING = ";" * (len(COLUMNS) - 1)
TITLES = (
    f"Seven Valleys Beekeepers' Co-operative{PADDING}\nColony inspections, season 2025, exported 3.11.2025{PADDING}\n\n"
)

APIARIES = {
    "Mill Brook": "Alder", "Quarry Edge": "Rowan", "Old Orchard": "Alder", "Linden Row": "Hazel",
    "Heather Down": "Juniper", "Fox Hollow": "Rowan", "Salt Meadow": "Hazel", "Chapel Field": "Juniper",
}  # fmt: skip
COLONIES = 74
WEEKS = 32
FIRST_DAY = date(2025, 3, 24)
FIRST_NUMBER = 50001
TARE = 18.5

COPIES, CONFLICTS = 24, 8

# The season after.
NEXT_DAY, NEXT_NUMBER = date(2026, 3, 23), 60001
NEW_LABELS, DELIVERED = 41, 8

NOTES = (
    "Fed {n} litres of syrup",
    "Added {n} frames, moved the feeder",
    'Labelled box {n} "spare"; lid cracked',
    "Two visits in one:\nbrood checked, then {n} frames moved",
    "Swarm cells on frame {n}, removed",
    "Wax moth in super {n}; cleaned",
)
# Bytes of UTF-8 read as Windows-1252 and written again: the umlaut is lost in two signs.
BROKEN_NOTES = ("KÃ¶nigin marked, box {n}", "FÃ¼tterung: {n} kg", "Flugloch zu groÃŸ, frame {n}")

Item = TypeVar("Item")


class Visit(msgspec.Struct):
    """One row, and the defects planted in it as (code, column)."""

    cells: dict[str, str]
    defects: set[tuple[str, str]] = msgspec.field(default_factory=set)

    def plant(self, code: str, column: str, text: str) -> None:
        """Put a defective text into a cell and write it down."""
        self.cells[column] = text
        self.defects.add((code, column))


class Dice:
    """Choices from one seeded source of chance."""

    def __init__(self, seed: int) -> None:
        self._random = Random(seed).random

    def below(self, limit: int) -> int:
        """Return a whole number from 0 to below the limit."""
        return int(self._random() * limit)

    def pick(self, items: Sequence[Item]) -> Item:
        """Return one of the items."""
        return items[self.below(len(items))]

    def chance(self, share: float) -> bool:
        """Return True in the given share of calls."""
        return self._random() < share

    def sample(self, items: Sequence[Item], count: int) -> list[Item]:
        """Return this many different items."""
        pool = list(items)
        return [pool.pop(self.below(len(pool))) for _ in range(count)]


def _comma(value: float) -> str:
    return f"{value:.1f}".replace(".", ",")


def clean_visits(dice: Dice, first_day: date, first_number: int) -> list[Visit]:
    """Make clean visits: every colony once a week, growing until July."""
    names = list(APIARIES)
    weights = [24 + dice.below(80) / 10 for _ in range(COLONIES)]
    visits: list[Visit] = []
    for week in range(WEEKS):
        for colony in range(COLONIES):
            apiary = names[colony % len(names)]
            day = first_day + timedelta(days=7 * week + colony % len(names) % 5)
            weights[colony] += (dice.below(30) - (6 if week < 16 else 20)) / 10
            gross = max(weights[colony], TARE + 2.0)
            cells = {
                "visit": str(first_number + len(visits)),
                "inspected_on": f"{day.day}.{day.month}.{day.year}",
                "apiary": apiary,
                "colony": f"{names.index(apiary) + 1:02}{colony // len(names) + 1:02}",
                "keeper": APIARIES[apiary],
                "queen": "laying" if dice.chance(0.86) else dice.pick(("virgin", "not seen", "drone layer")),
                "brood_frames": str(dice.below(12)),
                "honey_frames": str(dice.below(10)),
                "mites": str(dice.below(12) + (dice.below(30) if dice.chance(0.2) else 0)),
                "gross_kg": _comma(gross),
                "tare_kg": _comma(TARE),
                "net_kg": _comma(round(round(gross, 1) - TARE, 1)),
                "fed": "yes" if dice.chance(0.3) else "no",
                "notes": dice.pick(NOTES).format(n=dice.below(9) + 1) if dice.chance(0.25) else "",
            }
            visits.append(Visit(cells))
    return visits


def _plant(dice: Dice, visits: list[Visit]) -> None:
    """Plant the defects of single cells, never two in one cell."""

    def spoil(code: str, column: str, count: int, texts: Callable[[str], Sequence[str]]) -> None:
        clean = [v for v in visits if not any(named == column for _, named in v.defects) and v.cells[column]]
        for at, visit in enumerate(dice.sample(clean, count)):
            options = texts(visit.cells[column])
            visit.plant(code, column, options[at % len(options)])

    spoil("type.unreadable", "inspected_on", 6, lambda old: ("31.9.2025", "end of May", "29.2.2025"))
    spoil("type.mixed_dates", "inspected_on", 70, lambda old: (_iso(old),))
    spoil("text.spaces", "apiary", 45, lambda old: (f" {old}", f"{old} ", old.replace(" ", "  ")))
    spoil("text.case", "apiary", 36, lambda old: (old.upper(), old.lower(), old.replace(" ", "-")))
    spoil("missing.marker", "keeper", 21, lambda old: ("n/a", "unknown"))
    spoil("missing.blank", "keeper", 52, lambda old: ("",))
    for visit in [v for v in visits if v.cells["queen"] == "laying"][::9]:
        spelling = dice.pick(("Laying", "LAYING", "laying.", "layng"))
        visit.plant("text.spelling" if spelling == "layng" else "text.case", "queen", spelling)
    spoil("missing.blank", "brood_frames", 35, lambda old: ("", "   "))
    spoil("type.unreadable", "brood_frames", 8, lambda old: ("4-5", "many"))
    spoil("missing.stand_in", "mites", 66, lambda old: ("999",))
    spoil("missing.marker", "mites", 14, lambda old: ("-",))
    spoil("relation.computed", "net_kg", 15, lambda old: (_comma(float(old.replace(",", ".")) + 10),))
    spoil("type.units", "gross_kg", 45, lambda old: (f"{old} kg", f"{old}kg"))
    spoil(
        "text.encoding",
        "notes",
        30,
        lambda old: tuple(note.format(n=len(old) % 9 + 1) for note in BROKEN_NOTES),
    )


def _plant_further(dice: Dice, visits: list[Visit]) -> None:
    """Plant what needs rows that are otherwise clean, so that each defect shows on its own."""

    def clean(*columns: str) -> list[Visit]:
        named = {*columns, "visit"}
        return [
            v for v in visits
            if not any(column in named or not column for _, column in v.defects)
            and all(v.cells[one] for one in columns)
        ]  # fmt: skip

    def spoil(code: str, column: str, count: int, change: Callable[[str, int], str]) -> None:
        for at, visit in enumerate(dice.sample(clean(column), count)):
            visit.plant(code, column, change(visit.cells[column], at))

    invisible: list[Callable[[str], str]] = [lambda old: old.replace(" ", "\u00a0"), lambda old: f"{old}\u200b"]
    spoil("text.invisible", "apiary", 8, lambda old, at: invisible[at % 2](old))
    spoil("text.markup", "notes", 6, lambda old, at: f"{old} &amp; weighed" if at % 2 else f"<i>{old}</i>")
    spoil("text.formula", "notes", 3, lambda old, at: f"=B{at + 4}*2")
    spoil("value.impossible", "honey_frames", 4, lambda old, at: f"-{at + 1}")
    weighed = {id(v) for v in visits[: len(visits) // 2] if not any(one == "net_kg" for _, one in v.defects)}
    for visit in dice.sample([v for v in clean("gross_kg") if id(v) in weighed], 3):
        visit.plant("value.outlier", "gross_kg", _comma(float(visit.cells["gross_kg"].replace(",", ".")) * 10))
    for visit in dice.sample(clean("inspected_on"), 3):
        visit.plant("value.future", "inspected_on", visit.cells["inspected_on"].replace("2025", "2026"))
    # The same visit under a second number.
    for at in dice.sample([at for at, v in enumerate(visits[: len(visits) // 2]) if not v.defects], 6):
        visit, again = visits[at], dice.pick([v for v in visits[at + 1 :] if not v.defects])
        again.cells = {**visit.cells, "visit": again.cells["visit"]}
        again.defects = {("duplicate.near", "")}


def _iso(text: str) -> str:
    day, month, year = text.split(".")
    return f"{year}-{int(month):02}-{int(day):02}"


def _exported_again(dice: Dice, visits: list[Visit]) -> list[Visit]:
    """Put copies of whole rows, and of rows changed in one field, among the later ones."""
    chosen = dice.sample(range(len(visits) // 2), COPIES + CONFLICTS)
    again = [Visit(dict(visits[at].cells), {*visits[at].defects, ("duplicate.rows", "")}) for at in chosen[:COPIES]]
    for at in chosen[COPIES:]:
        changed = Visit(dict(visits[at].cells), set(visits[at].defects))
        changed.cells["honey_frames"] = str((int(changed.cells["honey_frames"]) + 1) % 10)
        for visit in (visits[at], changed):
            visit.defects.add(("duplicate.key", "visit"))
        again.append(changed)
    result = list(visits)
    for visit in again:
        result.insert(len(result) - dice.below(len(visits) // 3), visit)
    return result


def _finish(visits: list[Visit]) -> None:
    """Write down what holds for whole columns."""
    for visit in visits:
        visit.defects.add(("type.leading_zeros", "colony"))
        if not visit.cells["keeper"]:
            visit.defects.add(("relation.lookup", "keeper"))
        if not visit.cells["notes"]:
            visit.defects.add(("missing.blank", "notes"))


def make_visits() -> list[Visit]:
    """Make all rows of the inspections, in the order of the file."""
    dice = Dice(SEED)
    visits = clean_visits(dice, FIRST_DAY, FIRST_NUMBER)
    _plant(dice, visits)
    _plant_further(Dice(SEED + 1), visits)
    visits = _exported_again(dice, visits)
    _finish(visits)
    return visits


def inspections_csv(visits: Sequence[Visit]) -> bytes:
    """Write the inspections as the co-operative's database exports them."""
    text = io.StringIO()
    text.write(TITLES)
    writer = csv.writer(text, delimiter=";", lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows([visit.cells[name] for name in COLUMNS] for visit in visits)
    return text.getvalue().encode()


def truth(visits: Sequence[Visit]) -> list[dict[str, object]]:
    """List the planted defects: code, column and row numbers, as a profile would find them."""
    rows: dict[tuple[str, str], list[int]] = {}
    for number, visit in enumerate(visits, 1):
        for defect in visit.defects:
            rows.setdefault(defect, []).append(number)
    rows["column.constant", "tare_kg"] = []
    return [{"code": code, "column": column, "rows": rows[code, column]} for code, column in sorted(rows)]


def answers_csv(visits: Sequence[Visit]) -> bytes:
    """Write the sheet of questions about some planted defects, as those filled it in who had been there."""

    def answered(code: str, column: str, right: Callable[[str], str], remark: str, doubt: str, most: int) -> None:
        found = [(at, v) for at, v in enumerate(visits) if (code, column) in v.defects]
        for at, visit in found[:most]:
            text = visit.cells[column]
            value = text.replace(",", ".") if column.endswith("_kg") else text
            record = f"visit {visit.cells['visit']}"
            allowed = "is right | leave out | the right value"
            lines.append([code, at + 1, f"inspections.csv, line {places[at]}", column, value, record, doubt, "",
                          right(value), remark, allowed])  # fmt: skip

    places, line, lines = [], TITLES.count("\n") + 2, list[list[object]]()
    for visit in visits:
        places.append(line)
        line += 1 + visit.cells["notes"].count("\n")
    diary = [visit for visit in visits if visit.cells["inspected_on"] == "31.9.2025"]
    for visit in diary:
        visit.defects.add(("answered", "inspected_on"))
    answered("answered", "inspected_on", lambda old: "30.9.2025", "the keeper's diary", "there is no such day", 9)
    for visit, line_of in zip(diary, lines, strict=True):
        visit.defects.remove(("answered", "inspected_on"))
        line_of[0] = "type.unreadable"
    answered(
        "value.impossible", "honey_frames", lambda old: old.lstrip("-"), "a slip of the pen", "a negative count", 9
    )
    answered(
        "value.outlier", "gross_kg", lambda old: f"{float(old) / 10:.1f}", "weighed again", "far outside the rest", 1
    )
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(("question", "code", "row", "place", "column", "value", "record", "doubt", "proposal", "answer",
                     "remark", "allowed"))  # fmt: skip
    writer.writerows([number, *cells] for number, cells in enumerate(lines, 1))
    return text.getvalue().encode()


def next_season(before: Sequence[Visit]) -> tuple[bytes, list[dict[str, object]]]:
    """Make the export of the next season, changed a little, and write down in what it differs.

    One column has another name, one label is new, dates are in another form, a sixth of the weights is missing, and
    the last visits of the season before are in it once more.
    """
    dice = Dice(SEED + 2)
    visits = clean_visits(dice, NEXT_DAY, NEXT_NUMBER)
    for visit in visits:
        visit.cells["inspected_on"] = _iso(visit.cells["inspected_on"])
    relabelled = dice.sample([at for at, visit in enumerate(visits) if visit.cells["queen"] == "laying"], NEW_LABELS)
    for at in relabelled:
        visits[at].cells["queen"] = "superseded"
    unweighed = dice.sample(range(len(visits)), len(visits) // 6)
    for at in unweighed:
        visits[at].cells["gross_kg"] = visits[at].cells["net_kg"] = ""
    harmless = {("type.leading_zeros", "colony"), ("missing.blank", "notes")}
    last = [visit for visit in before if not visit.defects - harmless][-DELIVERED:]
    again = [Visit({**visit.cells, "inspected_on": _iso(visit.cells["inspected_on"])}) for visit in last]
    text = io.StringIO()
    text.write(TITLES.replace("2025", "2026"))
    writer = csv.writer(text, delimiter=";", lineterminator="\n")
    writer.writerow("beekeeper" if name == "keeper" else name for name in COLUMNS)
    writer.writerows([visit.cells[name] for name in COLUMNS] for visit in (*again, *visits))

    def rows(places: Sequence[int]) -> list[int]:
        return sorted(at + len(again) + 1 for at in places)

    differences: list[dict[str, object]] = [
        {"kind": "columns", "column": "keeper", "now": "beekeeper", "rows": []},
        {"kind": "values", "column": "queen", "now": "superseded", "rows": rows(relabelled)},
        {"kind": "reading", "column": "inspected_on", "now": "yyyy-MM-dd", "rows": []},
        {"kind": "missing", "column": "gross_kg", "now": "blank", "rows": rows(unweighed)},
        {"kind": "missing", "column": "net_kg", "now": "blank", "rows": rows(unweighed)},
        {"kind": "keys", "column": "visit", "now": "delivered before", "rows": list(range(1, len(again) + 1))},
    ]
    return text.getvalue().encode(), differences


def texts() -> Iterator[tuple[str, bytes]]:
    """Make all files but the workbook: name and bytes."""
    visits = make_visits()
    yield "inspections.csv", inspections_csv(visits)
    lines = ",\n".join(json.dumps(defect) for defect in truth(visits))
    yield "inspections-truth.json", f"[\n{lines}\n]\n".encode()
    yield "answers.csv", answers_csv(visits)
    season, differences = next_season(visits)
    yield "inspections-2026.csv", season
    yield "inspections-2026-truth.json", _message(differences)
    yield "harvest-truth.json", _message(harvest_truth())
    readings, odd = scales()
    yield "scales.jsonl", readings
    yield "scales-truth.json", _message(odd)
    yield "apiaries.csv", apiaries_csv()
    yield "apiaries-truth.json", _message(apiaries_truth())


def _message(truth: object) -> bytes:
    return (json.dumps(truth) + "\n").encode()


if __name__ == "__main__":
    Path(sys.argv[1], "harvest.xlsx").write_bytes(harvest_xlsx())
