"""Findings, code by code: what is found with which columns and rows, and what stays quiet although it looks alike."""

import csv
import io
import random
from collections.abc import Callable, Sequence
from datetime import date, timedelta
from typing import Any

import pytest

import comb

Columns = dict[str, Sequence[Any]]
N = 240


def read(columns: Columns) -> comb.Table:
    """Load columns as a file of delimited text."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    writer.writerows(zip(*columns.values(), strict=True))
    return comb.load(out.getvalue().encode())


def day(at: int, first: str = "2024-01-01") -> str:
    return str(date.fromisoformat(first) + timedelta(days=at))


class Draw(random.Random):
    """Chance with a few words for it."""

    def many(self, make: Callable[[], Any], count: int = N) -> list[Any]:
        return [make() for _ in range(count)]

    def one(self, *values: Any) -> Any:
        return self.choice(values)


def with_cells(cells: Sequence[Any], changes: dict[int, Any]) -> list[Any]:
    return [changes.get(at, cell) for at, cell in enumerate(cells)]


def ids(count: int = N, begin: int = 10_000) -> list[str]:
    return [f"v{begin + 7 * at}" for at in range(count)]


Case = Callable[[Draw], tuple[Columns, dict[tuple[str, str], list[int] | None]]]
FOUND: dict[str, Case] = {}
QUIET: dict[str, Callable[[Draw], Columns]] = {}


def found(case: Case) -> Case:
    FOUND[case.__name__] = case
    return case


def quiet(case: Callable[[Draw], Columns]) -> Callable[[Draw], Columns]:
    QUIET[case.__name__] = case
    return case


# Relations -----------------------------------------------------------------------------------------------------------


@found
def ratio_with_digits(draw: Draw) -> Any:
    area, people = draw.many(lambda: draw.randint(20, 900)), draw.many(lambda: draw.randint(5_000, 90_000))
    density = [round(b / a, 1) for a, b in zip(area, people, strict=True)]
    density = with_cells(density, {17: 3.3, 80: 99.9})
    return {"ward": ids(), "area_km2": area, "people": people, "density": density}, {
        ("relation.computed", "density"): [18, 81]
    }


@found
def per_cent_of_two(draw: Draw) -> Any:
    good, all_of = zip(*draw.many(lambda: (lambda n: (draw.randint(1, n), n))(draw.randint(50, 400))), strict=True)
    rate = with_cells([f"{100 * a / b:.1f}" for a, b in zip(good, all_of, strict=True)], {5: "12.5", 100: "1.0"})
    return {"lot": ids(), "sprouted": good, "sown": all_of, "rate_pct": rate}, {
        ("relation.computed", "rate_pct"): [6, 101]
    }


@found
def a_total_over_five_columns(draw: Draw) -> Any:
    parts = {f"day_{at}": draw.many(lambda: draw.randint(0, 80)) for at in range(5)}
    total = with_cells([sum(cells) for cells in zip(*parts.values(), strict=True)], {30: 7, 31: 260})
    return {"shop": ids(), **parts, "week": total}, {("relation.computed", "week"): [31, 32]}


@found
def parts_of_a_whole(draw: Draw) -> Any:
    clay = draw.many(lambda: draw.randint(5, 60))
    sand = [draw.randint(0, 100 - one) for one in clay]
    silt = with_cells([100 - a - b for a, b in zip(clay, sand, strict=True)], {8: 140, 200: 3})
    return {"probe": ids(), "clay": clay, "sand": sand, "silt": silt}, {("relation.computed", "silt"): [9, 201]}


@found
def five_shares_of_one(draw: Draw) -> Any:
    cuts = [sorted(draw.sample(range(1, 1000), 4)) for _ in range(N)]
    shares = [[b - a for a, b in zip([0, *cut], [*cut, 1000], strict=True)] for cut in cuts]
    columns = {f"share_{at}": [f"{row[at] / 1000:.3f}" for row in shares] for at in range(5)}
    columns["share_4"] = with_cells(columns["share_4"], {77: "0.999"})
    return {"poll": ids(), **columns}, {("relation.computed", "share_4"): [78]}


@found
def a_counter_that_falls_back_once(draw: Draw) -> Any:
    total, readings = 4_000.0, []
    for _ in range(N):
        total += draw.random() * 6
        readings.append(f"{total:.1f}")
    return {"probe": ids(), "reading_kwh": with_cells(readings, {90: "3990.2", 150: "4601.5"})}, {
        ("series.order", "reading_kwh"): [91, 151]
    }


@found
def a_log_with_a_wrong_year(draw: Draw) -> Any:
    days = [day(2 * at + draw.randint(0, 1)) for at in range(N)]
    return {"entry": ids(), "seen_on": with_cells(days, {100: days[100].replace("2024", "2023")}), "kg": draw.many(lambda: draw.randint(20, 60))}, {("series.order", "seen_on"): [101]}  # fmt: skip


@found
def a_unit_of_its_own_in_some_rows(draw: Draw) -> Any:
    units = with_cells(["mg/L"] * N, dict.fromkeys((5, 60, 61), "µg/l"))
    return {"probe": ids(), "metal": draw.many(lambda: draw.one("Pb", "Cd", "Zn")), "result": draw.many(lambda: f"{draw.uniform(1, 9):.2f}"), "unit": units}, {("type.units", "unit"): [6, 61, 62]}  # fmt: skip


@quiet
def units_that_another_column_decides(draw: Draw) -> Columns:
    kinds = {"temperature": "°C", "pressure": "hPa", "weight": "kg", "feed": "g", "wind": "m/s"}
    taken = draw.many(lambda: draw.choice(list(kinds)))
    return {"probe": ids(), "quantity": taken, "value": draw.many(lambda: f"{draw.uniform(1, 9):.2f}"), "unit": [kinds[one] for one in taken]}  # fmt: skip


@found
def columns_of_fixed_width(draw: Draw) -> Any:
    lines = [f"{at:03}  {draw.one('Jar', 'Big lid', 'Frame', 'Box'):<12}{draw.randint(1, 900):>6}" for at in range(N)]
    return {"id   item         pieces": lines}, {("layout.fixed_width", "id item pieces"): None}


@quiet
def names_with_a_space(draw: Draw) -> Columns:
    return {
        "name": draw.many(
            lambda: draw.one("Ann Lee", "Bob Ray", "Eva Day", "Tom Fox") + " " + str(draw.randint(1, 9_999))
        )
    }


@quiet
def a_counter_that_was_replaced(draw: Draw) -> Columns:
    first = [4_000 + 3 * at for at in range(N // 2)]
    return {"probe": ids(), "reading_kwh": [*first, *(5 * at for at in range(N // 2))]}


@quiet
def days_of_several_hives_below_each_other(draw: Draw) -> Columns:
    days = [day(7 * at + draw.randint(0, 3)) for at in range(60)]
    return {"visit": ids(), "hive": [f"h{at // 60}" for at in range(N)], "seen_on": days * 4, "kg": draw.many(lambda: draw.randint(20, 60))}  # fmt: skip


@found
def a_price_with_tax(draw: Draw) -> Any:
    net = draw.many(lambda: draw.randint(300, 90_000) / 100)
    gross = with_cells([f"{one * 1.19 + 1e-9:.2f}" for one in net], {9: "12.00", 77: "1.19"})
    return {"bill": ids(), "net": [f"{one:.2f}" for one in net], "gross": gross}, {
        ("relation.computed", "gross"): [10, 78]
    }


@found
def three_columns_with_a_discount(draw: Draw) -> Any:
    price, pieces, off = (
        draw.many(lambda: draw.randint(100, 9000) / 100),
        draw.many(lambda: draw.randint(1, 40)),
        draw.many(lambda: draw.one(0, 5, 10, 15)),
    )
    paid = [f"{a * b * (100 - c) / 100:.2f}" for a, b, c in zip(price, pieces, off, strict=True)]
    return {"order": ids(), "price": [f"{one:.2f}" for one in price], "pieces": pieces, "discount_pct": off, "paid": with_cells(paid, {3: "1.00"})}, {("relation.computed", "paid"): [4]}  # fmt: skip


@found
def nights_between_two_days(draw: Draw) -> Any:
    first, stay = draw.many(lambda: draw.randint(0, 300)), draw.many(lambda: draw.randint(1, 21))
    nights = with_cells(stay, {12: 44})
    return {"booking": ids(), "arrives": [day(one) for one in first], "departs": [day(a + b) for a, b in zip(first, stay, strict=True)], "nights": nights}, {("relation.computed", "nights"): [13]}  # fmt: skip


@found
def one_column_decides_another(draw: Draw) -> Any:
    towns = {"4010": "Alton", "4020": "Brindle", "4030": "Corran", "4040": "Dunmere", "4050": "Ashby"}
    codes = draw.many(lambda: draw.choice(list(towns)))
    town = with_cells([towns[one] for one in codes], {50: "Fairfield", 51: ""})
    return {"letter": ids(), "post_code": codes, "town": town}, {
        ("relation.lookup", "town"): [51, 52],
        ("missing.blank", "town"): [52],
        ("type.labels", "post_code"): None,
    }


@found
def an_end_before_its_start(draw: Draw) -> Any:
    first = draw.many(lambda: draw.randint(0, 300))
    last = with_cells([one + draw.randint(0, 60) for one in first], {20: first[20] - 9, 21: first[21] - 1})
    return {"loan": ids(), "lent": list(map(day, first)), "returned": list(map(day, last))}, {
        ("relation.order", "lent"): [21, 22]
    }


@found
def a_least_above_the_largest(draw: Draw) -> Any:
    low = draw.many(lambda: draw.randint(-5, 12))
    high = [one + draw.randint(1, 15) for one in low]
    low, high = with_cells(low, {8: high[8]}), with_cells(high, {8: low[8]})
    return {"reading": ids(), "temp_min": low, "temp_max": high}, {("relation.order", "temp_min"): [9]}


# Texts ---------------------------------------------------------------------------------------------------------------


@found
def misspelled_and_shortened(draw: Draw) -> Any:
    street = draw.many(lambda: draw.one("Station Road", "Castle Street", "Market Hall"))
    changed = {10: "Staton Road", 20: "Castel Street", 30: "Market Hal", 40: "Station Rd."}
    return {"order": ids(), "street": with_cells(street, changed)}, {("text.spelling", "street"): [11, 21, 31, 41]}


@found
def codes_too_short_and_off_the_pattern(draw: Draw) -> Any:
    code = draw.many(lambda: f"{draw.one('WR', 'QE', 'FH')}-{draw.randint(0, 9999):04}")
    return {"at": ids(), "box": with_cells(code, {5: "WR-01", 6: "0102-WR", 7: "n. a. yet"})}, {
        ("text.length", "box"): [6],
        ("text.pattern", "box"): [7, 8],
    }


@found
def several_values_in_a_cell(draw: Draw) -> Any:
    uses = draw.many(lambda: ", ".join(draw.sample(["jam", "juice", "cake", "cider"], draw.randint(1, 3))))
    return {"fruit": ids(), "use": uses}, {
        ("text.packed", "use"): [at for at, one in enumerate(uses, 1) if ", " in one]
    }


@found
def pairs_in_a_cell(draw: Draw) -> Any:
    attrs = draw.many(lambda: f"lid={draw.one('yes', 'no')}; kg={draw.uniform(1, 9):.2f}")
    return {"fruit": ids(), "attrs": with_cells(attrs, {4: "not asked"})}, {
        ("text.pairs", "attrs"): [at for at in range(1, len(attrs) + 1) if at != 5]
    }


@found
def characters_nobody_sees(draw: Draw) -> Any:
    place = draw.many(lambda: draw.one("Mill Brook", "Fox Hollow", "Old Orchard"))
    changed = {1: "Mill\u00a0Brook", 2: "Fox\u200b Hollow", 3: "\ufeffMill Brook", 4: "Old\u00ad Orchard"}
    return {"visit": ids(), "place": with_cells(place, changed)}, {("text.invisible", "place"): [2, 3, 4, 5]}


@found
def letters_that_look_the_same(draw: Draw) -> Any:
    place = draw.many(lambda: draw.one("April", "Fox Hollow", "H\u00f6he", "ABC"))
    changed = {1: "\u0410pril", 2: "Fox H\u043ellow", 3: "\u0410\u0412\u0421"}
    unit = draw.many(lambda: draw.one("\u03b1-Wert", "\u0394T", "\u041e\u0441\u044c"))
    word = with_cells(draw.many(lambda: draw.one("H\u00f6he", "Tal")), {5: "Ho\u0308he"})
    return {"visit": ids(), "place": with_cells(place, changed), "unit": unit, "word": word}, {
        ("text.mixed_scripts", "place"): [2, 3, 4],
        ("text.invisible", "word"): [6],
    }


@found
def cut_off_and_marked_as_text(draw: Draw) -> Any:
    words = [
        "calm",
        "strong",
        "queen seen",
        "swarm cell removed",
        "feeder added",
        "late",
        "varroa treated",
        "again",
        "weak",
    ]
    notes = draw.many(lambda: " ".join(draw.one(*words) for _ in range(draw.randint(2, 9)))[:40])
    full = [at for at, note in enumerate(notes, 1) if len(note) == 40]
    pattern = draw.many(lambda: f"Fed {draw.randint(10, 99)} kg of syrup in the evening")
    code = with_cells(draw.many(lambda: f"{draw.randint(0, 99999):05}"), {3: "'00421", 4: "'13A07"})
    year = with_cells(draw.many(lambda: draw.one("1998 and later", "before")), {7: "'98", 8: "'90s"})
    return {"visit": ids(), "notes": notes, "pattern": pattern, "box": code, "year": year}, {
        ("text.cut_off", "notes"): full,
        ("text.apostrophe", "box"): [4, 5],
        ("type.leading_zeros", "box"): None,
    }


@found
def exports_below_each_other(draw: Draw) -> Any:
    columns = {
        "visit": ids(),
        "hive": draw.many(lambda: draw.one("a1", "b2", "c3", "hive")),
        "kg": draw.many(lambda: f"{draw.gauss(30, 4):.1f}"),
        "place": draw.many(lambda: draw.one("Mill", "Fox", "kg")),
    }
    other = dict(zip(columns, ["place", "visit", "hive", "kg"], strict=True))
    columns = {name: with_cells(cells, {9: other[name]}) for name, cells in columns.items()}
    return columns, {("layout.other_header", ""): [10]}


@found
def classes_of_numbers(draw: Draw) -> Any:
    age = draw.many(lambda: draw.one("5-9", *(f"{at}-{at + 4}" for at in range(10, 80, 5))))
    age = with_cells(age, {4: "90+", 9: "under 5", 17: "80 and over", 23: "90+"})
    box = with_cells(draw.many(lambda: f"{draw.randint(10, 99)}-{draw.randint(10, 99)}"), {7: "7-12", 12: "4a+"})
    return {"visit": ids(), "age": age, "box": box}, {("text.length", "box"): [8], ("text.pattern", "box"): [13]}


@found
def signs_of_word_processors(draw: Draw) -> Any:
    place = draw.many(lambda: draw.one("Mill-Brook", "Miller's", "Lake & Co"))
    changed = {1: "Mill\u2013Brook", 2: "Miller\u2019s", 3: "Lake \uff06 Co"}
    frames = with_cells(draw.many(lambda: draw.one("5-10", "11-20", "over 20")), dict.fromkeys(range(3, 12), "5–10"))
    kg = with_cells(draw.many(lambda: f"{draw.gauss(30, 4):.1f}"), {6: "\uff12\uff18.5", 7: "\u0663\u0661"})
    return {"visit": ids(), "place": with_cells(place, changed), "frames": frames, "kg": kg}, {
        ("text.case", "place"): [2, 3, 4],
        ("text.case", "frames"): list(range(4, 13)),
    }


@found
def decoded_wrongly(draw: Draw) -> Any:
    name = draw.many(lambda: draw.one("Königin", "Fütterung", "Müller", "café"))
    changed = {at: "Königin".encode().decode("cp1252") for at in (3, 4)} | {9: "na�ve"}
    return {"hive": ids(), "word": with_cells(name, changed)}, {("text.encoding", "word"): [4, 5, 10]}


@found
def markup_and_formulas(draw: Draw) -> Any:
    note = [f"{word} {at}" for at, word in enumerate(draw.many(lambda: draw.one("ok", "late", "see list")))]
    changed = {1: "late &amp; wet", 2: "<b>late</b>", 3: "=cmd|' /C calc'!A0", 4: "@SUM(A1)", 5: "line<br/>two"}
    return {"visit": ids(), "note": with_cells(note, changed)}, {
        ("text.markup", "note"): [2, 3, 6],
        ("text.formula", "note"): [4, 5],
    }


# Missing -------------------------------------------------------------------------------------------------------------


@found
def stand_ins_of_every_kind(draw: Draw) -> Any:
    temperature = with_cells(draw.many(lambda: f"{draw.gauss(12, 5):.1f}"), {3: "-999.9", 90: "-999.9"})
    seen = with_cells(draw.many(lambda: day(draw.randint(0, 400))), {7: "9999-12-31", 8: "1900-01-01"})
    age = with_cells(draw.many(lambda: draw.randint(18, 70)), {11: 999, 12: 999})
    return {"who": ids(), "celsius": temperature, "seen_on": seen, "age": age}, {
        ("missing.stand_in", "celsius"): [4, 91], ("missing.stand_in", "seen_on"): None, ("missing.stand_in", "age"): [12, 13],
    }  # fmt: skip


@found
def missing_where_another_says_so(draw: Draw) -> Any:
    state = draw.many(lambda: draw.one("open", "closed", "closed"))
    closed = [day(draw.randint(0, 200)) if one == "closed" else "" for one in state]
    by = [draw.one("Alder", "Rowan") if one == "closed" else "" for one in state]
    rows = [at for at, one in enumerate(state, 1) if one == "open"]
    return {"case": ids(), "state": state, "closed_on": closed, "closed_by": by}, {
        ("missing.together", "closed_on"): rows, ("missing.blank", "closed_on"): rows, ("missing.blank", "closed_by"): rows,
    }  # fmt: skip


@found
def labels_in_the_first_row_of_a_group(draw: Draw) -> Any:
    months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun"]
    region = [f"Region {at}" if month == "Jan" else "" for at in range(20) for month in months]
    return {"region": region, "month": months * 20, "sales": draw.many(lambda: draw.randint(100, 990), 120)}, {
        ("missing.same_as_above", "region"): [at for at, one in enumerate(region, 1) if not one],
    }  # fmt: skip


# Columns, types, values ----------------------------------------------------------------------------------------------


@found
def years_labels_and_day_counts(draw: Draw) -> Any:
    return {
        "tree": ids(), "planted_year": draw.many(lambda: draw.randint(1961, 2019)), "sector": draw.many(lambda: draw.randint(1, 5)),
        "pruned": draw.many(lambda: day(draw.randint(0, 300))), "sprayed": draw.many(lambda: 45_300 + draw.randint(0, 300)),
    }, {("type.year", "planted_year"): None, ("type.labels", "sector"): None, ("type.serial_dates", "sprayed"): None}  # fmt: skip


@found
def units_now_and_then(draw: Draw) -> Any:
    weight = [f"{draw.randint(10, 90)} kg" for _ in range(N)]
    return {"bag": ids(), "weight": with_cells(weight, dict.fromkeys((4, 9, 60), "1200 g"))}, {
        ("type.units", "weight"): [5, 10, 61]
    }


@found
def numbers_that_cannot_be(draw: Draw) -> Any:
    months = with_cells(draw.many(lambda: str(draw.randint(1, 60))), {2: "31.2"})
    share = with_cells(draw.many(lambda: draw.randint(0, 100)), {3: 130, 4: -5})
    children = with_cells(draw.many(lambda: draw.randint(0, 4)), {5: -2})
    return {"home": ids(), "age_months": months, "humidity_pct": share, "children": children}, {
        ("value.impossible", "age_months"): [3], ("value.impossible", "humidity_pct"): [4, 5], ("value.impossible", "children"): [6],
    }  # fmt: skip


@found
def values_far_outside(draw: Draw) -> Any:
    height = with_cells(draw.many(lambda: f"{draw.gauss(170, 9):.0f}"), {5: "17", 6: "1730"})
    income = with_cells(draw.many(lambda: f"{30_000 * 2.72 ** draw.gauss(0, 0.5):.0f}"), {7: "90000000"})
    return {"who": ids(), "height_cm": height, "income": income}, {
        ("value.outlier", "height_cm"): [6, 7],
        ("value.outlier", "income"): [8],
    }


@found
def columns_that_say_nothing_new(draw: Draw) -> Any:
    kind = draw.many(lambda: draw.one("cat", "dog", "bird", "fish"))
    weight = draw.many(lambda: f"{draw.gauss(6, 1):.2f}")
    flags = {f"is_{one}": [int(one == here) for here in kind] for one in ("cat", "dog", "bird", "fish")}
    return {"": list(range(N)), "tag": ids(), "weight": weight, "mass": weight, **flags}, {
        ("column.row_number", "_col.1"): None, ("column.copy", "mass"): None, ("column.indicators", "is_cat"): None,
    }  # fmt: skip


# Layout, keys, series ------------------------------------------------------------------------------------------------


@found
def months_side_by_side(draw: Draw) -> Any:
    months = ["January", "February", "March", "April"]
    return {"hive": ids(), **{one: draw.many(lambda: draw.randint(0, 400)) for one in months}}, {
        ("layout.values_as_names", "January"): None
    }


@found
def measures_by_year(draw: Draw) -> Any:
    names = [f"weight_{year}" for year in (2022, 2023, 2024)]
    return {"hive": ids(), **{one: draw.many(lambda: f"{draw.gauss(30, 4):.1f}") for one in names}}, {
        ("layout.values_as_names", "weight_2022"): None
    }


@found
def orders_with_their_customers(draw: Draw) -> Any:
    people = [
        (
            f"K{at:03}",
            f"{draw.randint(1, 99)} {draw.one('Mill', 'Fox', 'Elm')} Lane",
            f"+44 20 7946 {at:04}",
            draw.one("Alton", "Brindle"),
        )
        for at in range(40)
    ]
    chosen = draw.many(lambda: draw.choice(people))
    return {"item": ids(), "customer": [one[0] for one in chosen], "address": [one[1] for one in chosen], "phone": [one[2] for one in chosen], "town": [one[3] for one in chosen], "pieces": draw.many(lambda: draw.randint(1, 90))}, {("layout.levels", "customer"): None}  # fmt: skip


@found
def totals_among_the_rows(draw: Draw) -> Any:
    rows: list[tuple[str, str, int]] = []
    totals, wrong = [], 0
    for region in ("North", "South", "East"):
        parts = [draw.randint(10, 90) for _ in range(6)]
        rows += [(region, f"shop {at}", part) for at, part in enumerate(parts)]
        rows.append((f"Total {region}", "", sum(parts) + (4 if region == "South" else 0)))
        totals.append(len(rows))
        wrong = len(rows) if region == "South" else wrong
    cells = list(zip(*rows, strict=True))
    return dict(zip(("region", "shop", "sales"), cells, strict=True)), {
        ("layout.totals", "region"): totals,
        ("value.total", "sales"): [wrong],
    }


@found
def all_regions_among_the_regions(draw: Draw) -> Any:
    rows = []
    for year in range(2010, 2024):
        parts = {one: draw.randint(100, 900) for one in ("North", "South", "East", "West")}
        rows += [
            (year, "All regions", sum(parts.values()) + (9 if year == 2015 else 0)),
            *((year, one, part) for one, part in parts.items()),
        ]
    cells = list(zip(*rows, strict=True))
    totals = [at for at, row in enumerate(rows, 1) if row[1] == "All regions"]
    return dict(zip(("year", "region", "hives"), cells, strict=True)), {("layout.totals", "region"): totals, ("value.total", "hives"): [26], ("type.year", "year"): None}  # fmt: skip


@found
def a_key_of_two_columns(draw: Draw) -> Any:
    hives, days = [f"H{at:02}" for at in range(24)], [day(7 * at) for at in range(10)]
    pairs = [(hive, one) for one in days for hive in hives if draw.random() < 0.8]
    pairs.insert(60, pairs[59])
    return {"hive": [one for one, _ in pairs], "seen": [one for _, one in pairs], "mites": draw.many(lambda: draw.randint(0, 40), len(pairs))}, {("duplicate.key", "hive"): [60, 61], ("series.incomplete", "seen"): None}  # fmt: skip


@found
def the_same_thing_entered_twice(draw: Draw) -> Any:
    rows = [
        (
            f"B{1000 + 3 * at}",
            day(draw.randint(0, 200)),
            draw.one("Rye loaf", "Plum cake"),
            draw.randint(1, 400),
            f"{draw.gauss(50, 9):.2f}",
        )
        for at in range(N)
    ]
    rows.insert(100, ("B9001", *rows[40][1:]))
    rows.insert(
        150, (rows[60][0], rows[60][1], "RYE LOAF " if rows[60][2] == "Rye loaf" else " plum cake", *rows[60][3:])
    )
    cells = list(zip(*rows, strict=True))
    return dict(zip(("bill", "day", "good", "pieces", "paid"), cells, strict=True)), {
        ("duplicate.near", "bill"): [101, 151]
    }


@found
def weeks_that_are_not_there(draw: Draw) -> Any:
    rows = [
        (f"Gauge {station}", day(7 * week), f"{draw.gauss(140, 20):.0f}") for week in range(30) for station in "ABCD"
    ]
    del rows[50], rows[70]
    cells = list(zip(*rows, strict=True))
    return dict(zip(("gauge", "week_of", "level"), cells, strict=True)), {("series.incomplete", "week_of"): None}


@found
def a_last_month_that_is_not_over(draw: Draw) -> Any:
    rows = [
        (f"{2023 + month // 12}-{month % 12 + 1:02}-01", f"Shop {shop}", draw.randint(100, 900))
        for month in range(18)
        for shop in range(12)
    ]
    cells = list(zip(*rows[: 17 * 12 + 5], strict=True))
    return dict(zip(("month", "shop", "sales"), cells, strict=True)), {("series.partial", "month"): None}


@pytest.mark.parametrize("name", FOUND)
def test_what_is_wrong_is_found_where_it_is(name: str) -> None:
    columns, expected = FOUND[name](Draw(f"found {name}"))
    findings = read(columns).profile().findings
    wanted = {code for code, _ in expected}
    for (code, column), rows in expected.items():
        here = [one for one in findings if one.code == code and (column in one.columns or not column)]
        assert here, (code, column, [(one.code, one.columns, one.text) for one in findings])
        if rows is not None:
            assert sorted({row for one in here for row in one.rows.tolist()}) == rows, code
    assert not [
        (one.code, one.columns, one.text) for one in findings if one.code not in wanted | {"text.case", "text.spaces"}
    ]


# What looks wrong and is not -----------------------------------------------------------------------------------------


@quiet
def marks_and_blood(draw: Draw) -> Columns:
    return {
        "who": ids(),
        "mark": draw.many(lambda: draw.one("A+", "A", "A-", "B+", "B")),
        "blood": draw.many(lambda: draw.one("A+", "A-", "AB+", "0-")),
    }


@quiet
def throws_of_dice(draw: Draw) -> Columns:
    return {name: draw.many(lambda: draw.randint(1, 6)) for name in ("first", "second", "third")}


@quiet
def symbols_that_differ_by_case(draw: Draw) -> Columns:
    return {
        "row": ids(),
        "unit": draw.many(lambda: draw.one("mg", "Mg", "mm", "Mm")),
        "gene": draw.many(lambda: draw.one("Trp53", "TRP53", "Myc", "MYC")),
    }


@quiet
def codes_that_look_like_nothing(draw: Draw) -> Columns:
    return {"parcel": ids(), "to": draw.many(lambda: draw.one("NA", "DE", "FR", "ND")), "salt": draw.many(lambda: draw.one("Na", "K", "Mg", "Ca")), "analyte": draw.many(lambda: draw.one("Na", "K", "CRP")), "allergy": draw.many(lambda: draw.one("none", "none", "nuts", "milk"))}  # fmt: skip


@quiet
def money_of_many_sizes(draw: Draw) -> Columns:
    return {"home": ids(), "income": draw.many(lambda: f"{30_000 * 2.72 ** draw.gauss(0, 1.1):.0f}"), "town_size": draw.many(lambda: int(900 / (draw.random() + 1e-3))), "bonus": draw.many(lambda: draw.one(0, 0, 250, 500, 1000, 1250, 2000, 2750))}  # fmt: skip


@quiet
def two_places_of_nearly_one_name(draw: Draw) -> Columns:
    county = {"Glen Dale": "Northshire", "Glendale": "Southshire", "Fairview": "Eastshire"}
    place = draw.many(lambda: draw.choice(list(county)))
    return {
        "letter": ids(),
        "place": place,
        "county": [county[one] for one in place],
        "sender": draw.many(lambda: draw.one("Anna", "Anne", "Hanna", "Hans")),
    }


@quiet
def plates_and_telephones(draw: Draw) -> Columns:
    letters = "ABCDEFGHKLMNPRST"
    plate = draw.many(
        lambda: (
            f"{''.join(draw.choices(letters, k=draw.randint(1, 3)))} {''.join(draw.choices(letters, k=draw.randint(1, 2)))} {draw.randint(1, 9999)}"
        )
    )
    return {
        "plate": plate,
        "phone": draw.many(lambda: f"+49 {draw.randint(30, 999)} {draw.randint(10_000, 9_999_999)}"),
        "lane": draw.many(lambda: draw.randint(1, 4)),
    }


@quiet
def subjects_measured_again(draw: Draw) -> Columns:
    people = [
        (f"S{at:02}", draw.one("f", "m"), str(draw.randint(150, 195)), str(draw.randint(2, 9))) for at in range(40)
    ]
    rows = [(*one, str(visit), str(draw.randint(55, 95))) for one in people for visit in range(1, 7)]
    return dict(
        zip(
            ("subject", "sex", "height_at_entry_cm", "group_size", "visit", "pulse"),
            zip(*rows, strict=True),
            strict=True,
        )
    )


@quiet
def free_text_said_twice(draw: Draw) -> Columns:
    return {
        "call": ids(),
        "note": draw.many(
            lambda: draw.one(
                "called back", "left a message, with the neighbour", "no answer; will try again", "paid, thanks"
            )
        ),
    }


@quiet
def counters_without_zeros_in_front(draw: Draw) -> Columns:
    return {
        "bill": [f"R{at}" for at in range(1, N + 1)],
        "amount_cents": draw.sample(range(90, 99_999), N),
        "floor": draw.many(lambda: draw.randint(-1, 5)),
    }


@quiet
def contracts_with_ends_to_come(draw: Draw) -> Columns:
    first = draw.many(lambda: draw.randint(0, 600))
    return {"contract": ids(), "signed": list(map(day, first)), "ends": [day(one + draw.randint(200, 4000)) for one in first], "born": draw.many(lambda: day(draw.randint(0, 20_000), "1940-01-01"))}  # fmt: skip


@pytest.mark.parametrize("name", QUIET)
def test_what_only_looks_wrong_is_no_finding(name: str) -> None:
    findings = read(QUIET[name](Draw(f"quiet {name}"))).profile(as_of="2026-01-01").findings
    assert [(one.code, one.columns, one.text) for one in findings] == []
