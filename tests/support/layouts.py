"""Sheets made for people, in many layouts and domains, each with the tidy table that it holds."""

import calendar
import csv
import datetime
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import xlsxwriter

Row = list[Any]
Merged = tuple[int, int, int, int]
MONTHS = ("January", "February", "March")


@dataclass
class Layout:
    """Sheets of rows, what is merged on them, the tidy records, and what has to be said of them."""

    tidy: list[dict[str, Any]]
    sheets: dict[str, list[Row]]
    merged: dict[str, list[Merged]] = field(default_factory=dict)
    said: tuple[str, ...] = ()

    @property
    def as_text(self) -> bool:
        """Whether an export as CSV holds the same."""
        cells = [cell for rows in self.sheets.values() for row in rows for cell in row]
        return len(self.sheets) == 1 and not self.merged and not any(isinstance(one, datetime.date) for one in cells)

    def write(self, place: Path) -> Path:
        """Write a workbook, or the text that a spreadsheet program exports."""
        if place.suffix == ".csv":
            [rows] = self.sheets.values()
            width = max(map(len, rows))
            with place.open("w", encoding="utf-8", newline="") as text:
                csv.writer(text).writerows([*row, *[""] * (width - len(row))] for row in rows)
            return place
        book = xlsxwriter.Workbook(str(place), {"default_date_format": "yyyy-mm-dd"})
        for name, rows in self.sheets.items():
            sheet = book.add_worksheet(name)
            for at, row in enumerate(rows):
                for column, cell in enumerate(row):
                    if cell not in ("", None):
                        sheet.write(at, column, cell)
            for top, left, bottom, right in self.merged.get(name, []):
                sheet.merge_range(top, left, bottom, right, rows[top][left])
        book.close()
        return place


def _blocks(tidy: list[dict[str, Any]], key: str, head: Row, gap: int, total: str = "") -> Iterator[Row]:
    """Write the rows of each value of a key as a block below it, with a header and perhaps a total."""
    for value in dict.fromkeys(one[key] for one in tidy):
        rows = [[one[name] for name in head] for one in tidy if one[key] == value]
        yield [value]
        yield list(head)
        yield from rows
        if total:
            yield [total, *(sum(column) for column in list(zip(*rows, strict=True))[1:])]
        yield from ([] for _ in range(gap))


def ferries() -> Layout:
    """Months below each other with titles, totals of which one is wrong, a title of the sheet."""
    tidy = [
        {"month": month, "quay": quay, "adults": 120 + 10 * at + 7 * n, "children": 30 + 3 * at + n}
        for at, month in enumerate(MONTHS)
        for n, quay in enumerate(("North pier", "Old harbour", "Mill bank"))
    ]
    rows = [["Ferry passengers"], [], *_blocks(tidy, "month", ["quay", "adults", "children"], 1, "Total")]
    rows[14][1] += 10
    return Layout(tidy, {"Passengers": rows}, said=("the total 421 of adults in B15 is wrong", "add up to 411"))


def trams() -> Layout:
    """The same without an empty row anywhere."""
    tidy = [
        {"month": month, "line": f"Line {n}", "workdays": 1000 + 10 * at + n, "weekends": 500 + 5 * at + n}
        for at, month in enumerate(MONTHS)
        for n in (1, 2, 3)
    ]
    return Layout(tidy, {"Trams": [["Tram boardings"], *_blocks(tidy, "month", ["line", "workdays", "weekends"], 0)]})


def lakes() -> Layout:
    """Two blocks beside each other, of different heights, each with its title."""
    days = [datetime.date(2024, 3, 1) + datetime.timedelta(days=7 * at) for at in range(5)]
    tidy = [
        {"table": lake, "date": day, "level": round(2.1 + at + n / 10, 1), "celsius": 7.5 + at + n / 2}
        for at, lake in enumerate(("Upper lake", "Lower lake"))
        for n, day in enumerate(days[: 5 - at])
    ]
    left, right = (
        [list(one.values())[1:] for one in tidy if one["table"] == lake] for lake in ("Upper lake", "Lower lake")
    )
    head = ["date", "level", "celsius"]
    rows = [["Water levels in spring"], [], ["Upper lake", "", "", "", "Lower lake"], [*head, "", *head]]
    rows += [[*one, "", *(right[at] if at < len(right) else [])] for at, one in enumerate(left)]
    return Layout(tidy, {"Lakes": rows})


def bakeries() -> Layout:
    """A sheet for each month, and one that sums them up."""
    tidy = [
        {"month": month, "shop": shop, "bread": 50 + 5 * at + n, "rolls": 200 + 9 * at + 4 * n}
        for at, month in enumerate(MONTHS)
        for n, shop in enumerate(("Market", "Station"))
    ]
    sheets: dict[str, list[Row]] = {
        month: [
            ["shop", "bread", "rolls"],
            *([one["shop"], one["bread"], one["rolls"]] for one in tidy if one["month"] == month),
        ]
        for month in MONTHS
    }
    sums = [[m, *(sum(one[n] for one in tidy if one["month"] == m) for n in ("bread", "rolls"))] for m in MONTHS]
    return Layout(tidy, {**sheets, "Year": [["month", "bread", "rolls"], *sums]})


def rain() -> Layout:
    """Days across and months down, with a total; the year stands in the title."""
    days = [(m, d) for m in range(1, 13) for d in range(1, calendar.monthrange(2023, m)[1] + 1)]
    fall = {(m, d): ((7 * m + 13 * d) % 23) / 2 for m, d in days}
    tidy = [
        {"month": calendar.month_name[m], "day": d, "value": fall[m, d], "date": datetime.date(2023, m, d)}
        for m, d in days
    ]
    rows: list[Row] = [["Rainfall 2023 (mm)"], [], ["month", *range(1, 32), "Total"]]
    for m in range(1, 13):
        cells = [fall.get((m, d), "") for d in range(1, 32)]
        rows.append([calendar.month_name[m], *cells, sum(one for one in cells if one != "")])
    return Layout(tidy, {"Rain": rows})


def birds() -> Layout:
    """Headings that are dates; some cells are empty, and stay."""
    days = [datetime.date(2024, 4, 1) + datetime.timedelta(days=7 * at) for at in range(6)]
    tidy = [
        {"site": f"Site {site}", "observer": observer, "date": day, "value": None if (site, at) == ("B", 3) else (3 * at + len(observer)) % 11}
        for site, observer in (("A", "Orr"), ("B", "Lima"), ("C", "Orr"))
        for at, day in enumerate(days)
    ]  # fmt: skip
    rows = [["Bird counts"], ["site", "observer", *days]]
    for site in "ABC":
        ours = [one for one in tidy if one["site"] == f"Site {site}"]
        rows.append(
            [ours[0]["site"], ours[0]["observer"], *("" if one["value"] is None else one["value"] for one in ours)]
        )
    return Layout(tidy, {"Counts": rows})


def landings() -> Layout:
    """Rows that head those below, subtotals behind each group, texts with spaces in front."""
    groups = {
        "Pelagic": ["Herring", "Mackerel", "Sprat"],
        "Demersal": ["Cod", "Haddock"],
        "Shellfish": ["Crab", "Whelk"],
    }
    tidy = [
        {"species group": group, "species": one, "boats": 12 + 3 * at + n, "tonnes": 340.5 + 10 * n + at}
        for at, (group, some) in enumerate(groups.items())
        for n, one in enumerate(some)
    ]
    rows: list[Row] = [["species", "boats", "tonnes"]]
    for group in groups:
        ours = [one for one in tidy if one["species group"] == group]
        rows += [[group], *([f"  {one['species']}", one["boats"], one["tonnes"]] for one in ours)]
        rows.append([f"Sum {group}", sum(one["boats"] for one in ours), sum(one["tonnes"] for one in ours)])
    return Layout(tidy, {"Landings": rows}, said=("rows 6, 10, 14 are totals",))


def articles() -> Layout:
    """Headings in two levels."""
    shops = {"North": {"Ayr": ["Cup", "Bowl"], "Elgin": ["Cup", "Jug"]}, "South": {"Hove": ["Bowl", "Plate", "Cup"]}}
    tidy: list[dict[str, Any]] = []
    rows: list[Row] = [["article", "pieces", "price"]]
    for region, towns in shops.items():
        rows.append([region])
        for town, some in towns.items():
            rows.append([town])
            for at, one in enumerate(some):
                tidy.append(
                    {
                        "article group": region,
                        "article subgroup": town,
                        "article": one,
                        "pieces": 5 + at + len(rows),
                        "price": 2.5 + at,
                    }
                )
                rows.append(list(tidy[-1].values())[2:])
    return Layout(tidy, {"Stock": rows})


def winds() -> Layout:
    """Labels with their values at the top."""
    tidy = [
        {"hour": 3 * at, "wind": 4.5 + at / 2, "gust": 7.5 + at, "from": ("N", "NE", "E")[at % 3]} for at in range(8)
    ]
    labels: list[Row] = [
        ["Station", "Harbour mole"],
        ["Period", "May"],
        ["Observer", "R. Lim"],
        ["Instrument", 4471],
        [],
    ]
    return Layout(
        tidy, {"Log": [*labels, list(tidy[0]), *(list(one.values()) for one in tidy)]}, said=("4 lines of titles",)
    )


def wards() -> Layout:
    """Blocks of which one has a column more; titles in merged cells."""
    rows: list[Row] = []
    tidy: list[dict[str, Any]] = []
    merged = []
    for at, week in enumerate(("Week 20", "Week 21", "Week 22")):
        names = ["ward", "admitted", "moved", "left"] if at == 1 else ["ward", "admitted", "left"]
        merged.append((len(rows), 0, len(rows), len(names) - 1))
        rows += [[week, *[""] * (len(names) - 1)], names]
        for ward in ("A", "B", "C"):
            one = {
                "week": week,
                "ward": ward,
                "admitted": 5 + at,
                "moved": at + ord(ward) if at == 1 else None,
                "left": 7 + ord(ward) - at,
            }
            rows.append([one[name] for name in names])
            tidy.append(one)
        rows.append([])
    return Layout(tidy, {"Wards": rows}, {"Wards": merged}, ("Week 20 has no moved: absent",))


def budgets() -> Layout:
    """Merged labels of rows; quarters below years, a total behind each year."""
    rows: list[Row] = [
        ["office", "branch", "2022", "", "", "", "", "2023", "", "", "", ""],
        ["", "", *["Q1", "Q2", "Q3", "Q4", "Total"] * 2],
    ]
    merged: list[Merged] = [(0, 0, 1, 0), (0, 1, 1, 1), (0, 2, 0, 6), (0, 7, 0, 11)]
    tidy = []
    for office, branches in (("East", ["Ash", "Oak"]), ("West", ["Elm", "Fir", "Yew"])):
        merged.append((len(rows), 0, len(rows) + len(branches) - 1, 0))
        for at, branch in enumerate(branches):
            row: Row = [office if not at else "", branch]
            for year in (2022, 2023):
                cells = [50 + (len(rows) * 7 + quarter * 3 + year) % 41 for quarter in range(4)]
                row += [*cells, sum(cells)]
                tidy += [
                    {"office": office, "branch": branch, "year": year, "quarter": f"Q{quarter + 1}", "value": cell}
                    for quarter, cell in enumerate(cells)
                ]
            rows.append(row)
    return Layout(tidy, {"Budget": rows}, {"Budget": merged})


def clinics() -> Layout:
    """Two lines of header, years over what was counted."""
    tidy = [
        {"clinic": f"Clinic {at}", "year": year, "visits": 100 + 10 * at + year % 10, "home visits": at + year % 7}
        for at in range(4)
        for year in (2021, 2022, 2023)
    ]
    rows: list[Row] = [["clinic", 2021, "", 2022, "", 2023, ""], ["", *["visits", "home visits"] * 3]]
    rows += [
        [name, *(one[what] for one in tidy if one["clinic"] == name for what in ("visits", "home visits"))]
        for name in dict.fromkeys(one["clinic"] for one in tidy)
    ]
    return Layout(tidy, {"Clinics": rows}, {"Clinics": [(0, 0, 1, 0), (0, 1, 0, 2), (0, 3, 0, 4), (0, 5, 0, 6)]})


def beds() -> Layout:
    """Three lines of header."""
    wards = [("North", "Ward A"), ("North", "Ward B"), ("South", "Ward C")]
    tidy = [
        {"month": month, "group": region, "group (part)": ward, "beds": 20 + at + n, "patients": 15 + at * 2 + n}
        for at, month in enumerate(MONTHS)
        for n, (region, ward) in enumerate(wards)
    ]
    rows: list[Row] = [
        ["month", "North", "", "", "", "South", ""],
        ["", "Ward A", "", "Ward B", "", "Ward C", ""],
        ["", *["beds", "patients"] * 3],
    ]
    rows += [
        [month, *(one[name] for one in tidy if one["month"] == month for name in ("beds", "patients"))]
        for month in MONTHS
    ]
    merged = [(0, 0, 2, 0), (0, 1, 0, 4), (0, 5, 0, 6), (1, 1, 1, 2), (1, 3, 1, 4), (1, 5, 1, 6)]
    return Layout(tidy, {"Beds": rows}, {"Beds": merged})


def fields() -> Layout:
    """Marks of footnotes behind numbers, and what they mean below."""
    written = ["7.2", "6.8*", "5.9 1)", "4.4", "5.1**", "4.9"]
    tidy = [
        {
            "field": f"F{at}",
            "yield": float(text.rstrip("*").removesuffix(" 1)")),
            "yield mark": text[3:].strip() or None,
        }
        for at, text in enumerate(written)
    ]
    cells = [[f"F{at}", text if tidy[at]["yield mark"] else float(text)] for at, text in enumerate(written)]
    notes = [[], ["* estimated"], ["** hail damage"], ["1) second sowing"]]
    return Layout(tidy, {"Yields": [["Crop yields"], [], ["field", "yield"], *cells, *notes]})


def stations() -> Layout:
    """A sheet for each station, years across, a row of means at the end."""
    tidy = [
        {"table": station, "month": month, "year": year, "value": 20 + 3 * at + 7 * n + year % 10}
        for n, station in enumerate(("Fort", "Mole"))
        for at, month in enumerate(MONTHS)
        for year in (2021, 2022, 2023)
    ]
    sheets = {}
    for station in ("Fort", "Mole"):
        ours = [[one["value"] for one in tidy if (one["table"], one["month"]) == (station, month)] for month in MONTHS]
        means = [round(sum(column) / 3, 1) for column in zip(*ours, strict=True)]
        sheets[station] = [[f"Station {station}, rain (mm)"], ["month", 2021, 2022, 2023], *([m, *row] for m, row in zip(MONTHS, ours, strict=True)), ["Mean", *means]]  # fmt: skip
    return Layout(tidy, sheets, said=("it gives means of the rows above",))


def boats() -> Layout:
    """A card for each boat: the same labels, each with its value."""
    tidy = [
        {"table": "", "Berth": f"B{at}", "Built": 1990 + at, "Length m": 7.5 + at, "Name": f"Boat {at}"}
        for at in range(4)
    ]
    rows: list[Row] = []
    for at, one in enumerate(tidy):
        one["table"] = f"Cards!A{5 * at + 1}:B{5 * at + 4}"
        rows += [*([label, one[label]] for label in ("Name", "Length m", "Built", "Berth")), []]
    return Layout(tidy, {"Cards": rows})


def pupils() -> Layout:
    """A sheet for each class with labels at the top, days without a year as headings, a total of absences."""
    days = ("02.09.", "09.09.", "16.09.", "23.09.")
    tidy = [
        {
            "table": f"Class {form}",
            "Class": form,
            "Teacher": "M. Orr",
            "pupil": f"{form} {at}",
            "day": day,
            "value": int((3 * at + n) % 4 == 0),
        }
        for form in ("3a", "3b")
        for at in range(5)
        for n, day in enumerate(days)
    ]
    sheets = {}
    for form in ("3a", "3b"):
        rows: list[Row] = [["Class:", form], ["Teacher:", "M. Orr"], [], ["pupil", *days, "Absent"]]
        for at in range(5):
            cells = [one["value"] for one in tidy if one["pupil"] == f"{form} {at}"]
            rows.append([f"{form} {at}", *cells, sum(cells)])
        sheets[f"Class {form}"] = rows
    return Layout(tidy, sheets)


def shifts() -> Layout:
    """Weekdays across, words in the cells, weeks below each other."""
    days = ("Mon", "Tue", "Wed", "Thu", "Fri")
    tidy = [
        {"week": f"Week {week}", "name": name, "weekday": day, "value": ("early", "late", None)[(week + n + at) % 3]}
        for week in (10, 11)
        for n, name in enumerate(("Ann", "Bo", "Cy"))
        for at, day in enumerate(days)
    ]
    rows: list[Row] = [["Shift plan", "", "", "Printed 1 March"], []]
    for week in ("Week 10", "Week 11"):
        rows += [[week], ["name", *days]]
        rows += [
            [name, *(one["value"] or "" for one in tidy if (one["week"], one["name"]) == (week, name))]
            for name in ("Ann", "Bo", "Cy")
        ]
        rows.append([])
    return Layout(tidy, {"Shifts": rows})


def timesheets() -> Layout:
    """Blocks below each other, with labels and their values above each; totals below."""
    people = (("Ann", "Sales"), ("Bo", "Stock"), ("Cy", "Sales"))
    tidy = [
        {"table": name, "Employee": name, "Department": office, "day": day, "begin": 8 + day, "hours": 7 + day % 2}
        for name, office in people
        for day in (1, 2, 3)
    ]
    rows: list[Row] = []
    for name, office in people:
        ours = [[one["day"], one["begin"], one["hours"]] for one in tidy if one["table"] == name]
        rows += [["Employee:", name], ["Department:", office], ["day", "begin", "hours"], *ours]
        rows += [["Total", "", sum(one[2] for one in ours)], []]
    return Layout(tidy, {"March": rows}, said=("Employee, Department are labels above each of them",))


def dairies() -> Layout:
    """One line of header that holds a month and what was measured."""
    tidy = [
        {"farm": f"Farm {at}", "month": month, "litres": 1000 + 10 * at + n, "EUR": 400.5 + at + n}
        for at in range(4)
        for n, month in enumerate(MONTHS)
    ]
    rows: list[Row] = [["farm", *(f"{month} {what}" for month in MONTHS for what in ("litres", "EUR"))]]
    rows += [
        [name, *(one[what] for one in tidy if one["farm"] == name for what in ("litres", "EUR"))]
        for name in dict.fromkeys(one["farm"] for one in tidy)
    ]
    return Layout(tidy, {"Milk": rows})


def ships() -> Layout:
    """Variables down and cases across."""
    tidy = [
        {"ship": name, "length": length, "built": built, "berth": berth}
        for name, length, built, berth in (
            ("Gull", 7.5, 1990, "B1"),
            ("Tern", 9.2, 2003, "B7"),
            ("Auk", 6.1, 1987, "C2"),
        )
    ]
    return Layout(tidy, {"Ships": [[name, *(one[name] for one in tidy)] for name in tidy[0]]})


def towns() -> Layout:
    """Rows that sum up those below them, which are set in."""
    tidy = [
        {"area group": region, "area": town, "year": year, "value": 100 + 10 * len(town) + year % 7}
        for region, some in (("North", ["Ayr", "Elgin", "Wick"]), ("South", ["Hove", "Deal"]))
        for town in some
        for year in (2021, 2022, 2023)
    ]
    rows: list[Row] = [["area", 2021, 2022, 2023]]
    for region in ("North", "South"):
        names = list(dict.fromkeys(one["area"] for one in tidy if one["area group"] == region))
        cells = [[one["value"] for one in tidy if one["area"] == name] for name in names]
        rows += [[region, *map(sum, zip(*cells, strict=True))]]
        rows += [[f"   {name}", *some] for name, some in zip(names, cells, strict=True)]
    return Layout(tidy, {"People": rows})


def rotas() -> Layout:
    """Weeks below each other, each with days of its own as headings."""
    weeks = [[datetime.date(2024, 3, 4 + 7 * week + day) for day in range(5)] for week in range(2)]
    tidy = [
        {
            "table": f"Rota!A{3 + 5 * week}:F{6 + 5 * week}",
            "nurse": nurse,
            "date": day,
            "value": "ELN"[(week + at + day.day) % 3],
        }
        for week, days in enumerate(weeks)
        for at, nurse in enumerate(("Ann", "Bo", "Cy"))
        for day in days
    ]
    rows: list[Row] = [["Ward rota"], []]
    for days in weeks:
        rows.append(["nurse", *days])
        rows += [
            [n, *(one["value"] for one in tidy if one["nurse"] == n and one["date"] in days)]
            for n in ("Ann", "Bo", "Cy")
        ]
        rows.append([])
    return Layout(tidy, {"Rota": rows})


LAYOUTS: tuple[Callable[[], Layout], ...] = (
    ferries, trams, lakes, bakeries, rain, birds, landings, articles, winds, wards, budgets, clinics, beds, fields,
    stations, boats, pupils, shifts, timesheets, dairies, ships, towns, rotas,
)  # fmt: skip
