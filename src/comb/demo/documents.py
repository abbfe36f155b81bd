"""Make the workbook and the JSON Lines of the demo data.

The workbook is laid out for people to look at, as such tables are: two seasons side by
side, merged headings, totals with formulas, notes below, a sheet that is hidden.
"""

import datetime
import io
import json
import re
import zipfile
from collections.abc import Callable
from random import Random

SEED = 20250302

SEASONS = {"Spring 2025": ("April", "May", "June"), "Summer 2025": ("July", "August", "September")}
COLONIES = ("0101", "0102", "0204", "0310", "0311", "0417", "0502", "0508", "0613", "0620")
NOT_WEIGHED = {("0204", "May"), ("0613", "August")}
WRONG_TOTAL = ("Summer 2025", "August")
TYPED_OVER = 9.0
TITLE = "Honey by colony and month, kg"
FOOTNOTE = "n/w: not weighed, the scale was being repaired"
KEEPERS = (
    ("Alder", "Mill Brook", 14, datetime.date(2011, 4, 9), 0.125),
    ("Rowan", "Quarry Edge", 9, datetime.date(2016, 5, 21), 0.1),
    ("Hazel", "Linden Row", 11, datetime.date(2019, 3, 30), 0.1),
    ("Juniper", "Heather Down", 6, datetime.date(2022, 6, 4), 0.075),
)

# Where the apiaries lie; the land registry spells some of them in its own way.
# Forage is in square metres, with commas between thousands; the hectares show that these are not decimal commas.
APIARY_PLACES = (
    ("Millbrook", "Lower Valley", 210, "half", 12_500, "0.25"),
    ("Quarry Edge", "Upper Valley", 465, "open", 950, "0.5"),
    ("Old Orchard", "Lower Valley", 230, "full", 48_000, "1.75"), ("Lindenrow", "Plain", 145, "half", 7_250, "0.4"),
    ("Heather Downs", "Moor", 520, "open", 130_000, "2.5"), ("Fox Hollow", "Upper Valley", 410, "full", 15_600, "0.3"),
    ("Salt Meadow", "Plain", 95, "open", 64_300, "1.2"), ("Chapel Field", "Moor", 480, "half", 880, "0.15"),
)  # fmt: skip
SHELTER = ("open", "half", "full")
SPELLED_OTHERWISE = {"Mill Brook": "Millbrook", "Linden Row": "Lindenrow", "Heather Down": "Heather Downs"}


def apiaries_csv() -> bytes:
    """Write the table of apiaries, to be looked up."""
    lines = ["apiary,region,altitude_m,shelter,forage_m2,area_ha"]
    for name, region, altitude, shelter, forage, area in APIARY_PLACES:
        grouped = f"{forage:,}"
        cell = f'"{grouped}"' if "," in grouped else grouped
        lines.append(f"{name},{region},{altitude},{shelter},{cell},{area}")
    return ("\r\n".join(lines) + "\r\n").encode()


FIRST_READING = datetime.datetime(2025, 5, 1, 6)
READINGS = 240


def harvest(season: str) -> list[tuple[str, list[float | None]]]:
    """Return what each colony gave in the months of a season, in kilograms; None where nobody weighed."""
    dice = Random(f"{SEED} {season}")
    months = SEASONS[season]
    return [
        (colony, [None if (colony, month) in NOT_WEIGHED else int(dice.random() * 180) / 10 for month in months])
        for colony in COLONIES
    ]


def harvest_xlsx() -> bytes:
    """Write the workbook of the harvest."""
    # The other files are made without it, and its import takes longer than that.
    import xlsxwriter

    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream, {"in_memory": True, "default_date_format": "d.m.yyyy"})
    book.set_properties({"created": datetime.datetime(2025, 11, 3)})
    bold, middle = book.add_format({"bold": True}), book.add_format({"bold": True, "align": "center"})
    one, percent = book.add_format({"num_format": "0.0"}), book.add_format({"num_format": "0.0%"})
    sheet = book.add_worksheet("Harvest")
    sheet.write("B1", TITLE, bold)
    for number, season in enumerate(SEASONS):
        left = 1 + number * 6
        months = SEASONS[season]
        sheet.write(3, left, "colony", bold)
        sheet.merge_range(2, left + 1, 2, left + 3, season, middle)
        for at, month in enumerate((*months, "total")):
            sheet.write(3, left + 1 + at, month, bold)
        rows = harvest(season)
        for row, (colony, weights) in enumerate(rows, 4):
            sheet.write_string(row, left, colony)
            for at, weight in enumerate(weights):
                if weight is None:
                    sheet.write_string(row, left + 1 + at, "n/w")
                else:
                    sheet.write_number(row, left + 1 + at, weight, one)
            _sum(sheet, row, left + 4, (row, left + 1, row, left + 3), sum(filter(None, weights)), one)
        last = 4 + len(rows)
        sheet.write(last, left, "Total", bold)
        for at in range(4):
            given = [sum(filter(None, weights)) if at == 3 else weights[at] or 0.0 for _, weights in rows]
            if (season, (*months, "total")[at]) == WRONG_TOTAL:
                # Somebody typed a number over the formula.
                sheet.write_number(last, left + 1 + at, round(sum(given) + TYPED_OVER, 1), one)
                continue
            _sum(sheet, last, left + 1 + at, (4, left + 1 + at, last - 1, left + 1 + at), sum(given), one)
    sheet.write(6 + len(COLONIES), 1, FOOTNOTE)
    sheet.set_row(8, None, None, {"hidden": True})
    keepers = book.add_worksheet("Keepers")
    keepers.write_row("A1", ["keeper", "apiary", "colonies", "member since", "share"], bold)
    for row, (*texts, colonies, since, share) in enumerate(KEEPERS, 1):
        keepers.write_row(row, 0, texts)
        keepers.write_number(row, 2, colonies)
        keepers.write_datetime(row, 3, since)
        keepers.write_number(row, 4, share, percent)
    lists = book.add_worksheet("Lists")
    lists.write_column("A1", ["scale", "north bench", "south bench", "wagon"])
    lists.hide()
    book.close()
    return _plain(stream)


# What a workbook can do without: colours and fonts of a theme, who wrote it.
_NEEDLESS = re.compile(rb"<(?:Override|Relationship) [^>]*(?:docProps/|theme/)[^>]*/>")


def _plain(stream: io.BytesIO) -> bytes:
    """Return a workbook without what no table needs, its parts not packed, so that the package is packed as a whole."""
    made = io.BytesIO()
    with zipfile.ZipFile(stream) as book, zipfile.ZipFile(made, "w") as plain:
        for entry in book.infolist():
            if not entry.filename.startswith(("docProps/", "xl/theme/")):
                content = _NEEDLESS.sub(b"", book.read(entry))
                plain.writestr(zipfile.ZipInfo(entry.filename), content)
    return made.getvalue()


def _sum(sheet: object, row: int, column: int, area: tuple[int, int, int, int], value: float, form: object) -> None:
    """Write a formula that adds up an area, with its value, as a spreadsheet program stores it."""
    from xlsxwriter.utility import xl_rowcol_to_cell

    first, last = (xl_rowcol_to_cell(*area[at : at + 2]) for at in (0, 2))
    write: Callable[..., object] = sheet.write_formula  # type: ignore[attr-defined]
    write(row, column, f"=SUM({first}:{last})", form, round(value, 1))


def harvest_truth() -> dict[str, object]:
    """Tell what the workbook holds: its tables, what is left out of them, and every weight."""
    last = 4 + len(COLONIES)
    tables = [
        {
            "range": f"Harvest!{left}3:{right}{last + 1}", "season": season, "total_row": last + 1,
            "total_column": right, "hidden_rows": [9],
        }
        for season, left, right in zip(SEASONS, "BH", "FL", strict=True)
    ]  # fmt: skip
    weights = [
        [season, colony, month, weight]
        for season, months in SEASONS.items()
        for colony, row in harvest(season)
        for month, weight in zip(months, row, strict=True)
    ]
    sheets = [{"range": f"Keepers!A1:E{len(KEEPERS) + 1}"}, {"range": "Lists!A1:A4", "hidden": True}]
    parts = round(sum(weights[1][1] or 0.0 for weights in harvest(WRONG_TOTAL[0])), 1)
    wrong = {"place": f"Harvest!J{last + 1}", "given": round(parts + TYPED_OVER, 1), "parts": parts}
    return {"title": TITLE, "note": FOOTNOTE, "tables": [*tables, *sheets], "weights": weights, "wrong_total": wrong}


def apiaries_truth() -> dict[str, object]:
    """Tell which apiaries are spelled differently, the order of shelter, and what the numbers with commas are."""
    forage = {name: forage for name, _, _, _, forage, _ in APIARY_PLACES}
    return {"spelled_otherwise": SPELLED_OTHERWISE, "shelter_in_order": SHELTER, "forage_m2": forage}


def scales() -> tuple[bytes, dict[str, list[int]]]:
    """Write the readings of the scales under the colonies, as the loggers send them, and tell what is odd in them.

    Returns
    -------
    lines, truth
        By what is odd, the numbers of the lines.
    """
    dice = Random(SEED)
    lines = []
    odd: dict[str, list[int]] = {"broken": [118], "overload": [], "without_air": [], "hour_is_null": [], "visits": []}
    for number in range(READINGS):
        moment = FIRST_READING + datetime.timedelta(hours=3 * (number // 4))
        colony = COLONIES[number % 4]
        record: dict[str, object] = {
            "reading": number + 1,
            "colony": colony,
            "day": moment.date().isoformat(),
            "hour": moment.hour,
            "weight_kg": round(31 + dice.random() * 4 + number / 60, 2),
            "air": {"celsius": round(8 + dice.random() * 14, 1), "humidity": int(50 + dice.random() * 40)},
            "alarms": [word for word in ("tilted", "battery", "swarm") if dice.random() < 0.05],
            "visits": [
                {"minute": int(dice.random() * 60), "what": "refilled" if dice.random() < 0.5 else "opened"}
                for _ in range(int(dice.random() * 1.3))
            ],
        }
        if dice.random() < 0.04:
            record["weight_kg"] = "overload"
            odd["overload"].append(number + 1)
        if dice.random() < 0.05:
            del record["air"]
            odd["without_air"].append(number + 1)
        if dice.random() < 0.03:
            record["hour"] = None
            odd["hour_is_null"].append(number + 1)
        odd["visits"] += [number + 1 for _ in record["visits"]]  # type: ignore[attr-defined]
        line = json.dumps(record)
        lines.append(line[: len(line) // 2] if number + 1 in odd["broken"] else line)
    return ("\n".join(lines) + "\n").encode(), odd
