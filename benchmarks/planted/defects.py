"""Defects, each planted in a clean table at a rate, with the rows it is planted in."""

import re
from collections.abc import Callable
from random import Random

from planted.sheet import Chance, Sheet

Defect = Callable[[Sheet, Chance, float], bool]
DEFECTS: dict[str, Defect] = {}


def defect(code: str) -> Callable[[Defect], Defect]:
    def add(plant: Defect) -> Defect:
        name = code
        while name in DEFECTS:
            name += "+"
        DEFECTS[name] = plant
        return plant

    return add


def pick(sheet: Sheet, chance: Chance, *roles: str) -> str | None:
    """Return a column with one of some roles that nothing was planted in yet."""
    names = [name for role in roles for name in sheet.roles.get(role, []) if name not in sheet.used]
    if not names:
        return None
    name = chance.of(names)
    sheet.used.add(name)
    return name


def rows_at(
    sheet: Sheet,
    chance: Chance,
    rate: float,
    least: int = 1,
    where: Callable[[dict[str, str]], bool] = lambda row: True,
) -> list[int]:
    filled = [at for at, row in enumerate(sheet.rows) if any(cell not in ("", name) for name, cell in row.items())]
    possible = [at for at in filled if where(sheet.rows[at])]
    count = max(least, round(rate * len(sheet.rows)))
    return sorted(chance.random.sample(possible, min(count, len(possible) // 4)))


def in_cells(
    code: str,
    roles: tuple[str, ...],
    change: Callable[[str, Random], str],
    *,
    most: float = 0.2,
    least: int = 1,
    where: Callable[[str], bool] = bool,
) -> Defect:
    """Plant a change of single cells of a column."""

    def plant(sheet: Sheet, chance: Chance, rate: float) -> bool:
        name = pick(sheet, chance, *roles)
        if name is None:
            return False
        chosen = rows_at(sheet, chance, min(rate, most), least, lambda row: where(row[name]))
        done = []
        for at in chosen:
            new = change(sheet.rows[at][name], chance.random)
            if new != sheet.rows[at][name]:
                sheet.rows[at][name] = new
                done.append(at)
        if not done:
            return False
        sheet.plant(code, name, done)
        return True

    return plant


def _typo(text: str, random: Random) -> str:
    at = random.randrange(1, len(text) - 1)
    how = random.randrange(3)
    if not text[at - 1 : at + 2].isalpha() or text[at] == text[at + 1]:
        return text
    if how == 0:
        return text[:at] + text[at + 1 :]
    if how == 1:
        return text[:at] + text[at] + text[at:]
    return text[:at] + text[at + 1] + text[at] + text[at + 2 :]


def _mojibake(text: str, random: Random) -> str:
    return random.choice(["é", "ü", "ß", "ñ"]).encode().decode("cp1252") + text[1:]


defect("missing.blank")(
    in_cells("missing.blank", ("categories", "numbers", "measures", "dates"), lambda text, random: "")
)
defect("missing.marker")(
    in_cells(
        "missing.marker",
        ("categories", "numbers", "measures"),
        lambda text, random: random.choice(["n/a", "unknown", "-"]),
    )
)
defect("missing.stand_in")(
    in_cells("missing.stand_in", ("numbers",), lambda text, random: "9999" if "." not in text else "-999.9")
)
defect("missing.stand_in")(in_cells("missing.stand_in", ("dates",), lambda text, random: "9999-12-31"))
defect("missing.stand_in")(in_cells("missing.stand_in", ("dates",), lambda text, random: "1900-01-01"))
defect("missing.zeros")(in_cells("missing.zeros", ("numbers",), lambda text, random: "0", least=4))
defect("text.spaces")(
    in_cells("text.spaces", ("categories",), lambda text, random: random.choice([f" {text}", f"{text} ", f"{text}  "]))
)
defect("text.case")(
    in_cells("text.case", ("categories",), lambda text, random: random.choice([text.upper(), text.swapcase()]))
)
defect("text.spelling")(in_cells("text.spelling", ("categories",), _typo, most=0.03, where=lambda text: len(text) >= 5))
defect("text.invisible")(
    in_cells(
        "text.invisible",
        ("categories", "free"),
        lambda text, random: random.choice(
            [text + "\u200b", "e\u0301" + text, text[:2] + "\u00ad" + text[2:], "\ufeff" + text, text + "\u00a0"]
        ),
    )
)
defect("text.mixed_scripts")(
    in_cells(
        "text.mixed_scripts",
        ("categories", "free"),
        lambda text, random: text.translate({ord("a"): "\u0430", ord("e"): "\u0435", ord("o"): "\u043e"}),
        most=0.03,
        where=lambda text: bool(re.search("[b-df-np-z][aeo]|[aeo][b-df-np-z]", text)),
    )
)
defect("text.encoding")(in_cells("text.encoding", ("free", "categories"), _mojibake, most=0.02))
defect("text.markup")(
    in_cells(
        "text.markup",
        ("free", "categories"),
        lambda text, random: random.choice([f"<b>{text}</b>", f"{text}<br>", f"{text} &amp; more", f"{text}&nbsp;"]),
        most=0.05,
    )
)
defect("text.formula")(
    in_cells(
        "text.formula",
        ("free", "categories"),
        lambda text, random: random.choice(
            ["=SUM(A1:A9)", "=1+1", "@SUM(B2)", "+A2*3", '=HYPERLINK("http://x.example","y")']
        ),
        most=0.02,
    )
)
defect("text.length")(
    in_cells(
        "text.length", ("codes",), lambda text, random: text[:-1] if random.random() < 0.5 else text + "7", most=0.1
    )
)
defect("text.pattern")(
    in_cells(
        "text.pattern",
        ("codes",),
        lambda text, random: "7" + text[1:] if text[0].isalpha() else "x" + text[1:],
        most=0.1,
    )
)
defect("text.packed")(in_cells("text.packed", ("categories",), lambda text, random: text, most=0.1))
defect("type.units")(in_cells("type.units", ("numbers", "measures"), lambda text, random: f"{text} kg", most=0.06))
defect("type.unreadable")(
    in_cells(
        "type.unreadable",
        ("numbers", "measures", "dates"),
        lambda text, random: random.choice(["broken scale", "see note", "later"]),
        most=0.06,
    )
)
defect("value.impossible")(
    in_cells("value.impossible", ("share",), lambda text, random: str(random.randint(120, 180)), most=0.02)
)
defect("value.impossible")(
    in_cells("value.impossible", ("counts",), lambda text, random: f"-{random.randint(2, 7)}", most=0.02)
)
defect("value.impossible")(
    in_cells("value.impossible", ("counts",), lambda text, random: f"{text}.{random.randint(1, 8)}", most=0.02)
)
defect("value.outlier")(
    in_cells(
        "value.outlier", ("numbers",), lambda text, random: f"{float(text) * random.choice([10, 100]):g}", most=0.02
    )
)
defect("type.serial_dates")(
    in_cells("type.serial_dates", ("dates",), lambda text, random: str(45300 + random.randint(0, 60)), most=0.05)
)


def _packed(sheet: Sheet, chance: Chance, rate: float) -> bool:
    name = pick(sheet, chance, "categories")
    if name is None:
        return False
    values = sorted({*sheet.column(name)} - {"", name})
    done = rows_at(sheet, chance, rate, 2)
    for at in done:
        others = [one for one in values if one != sheet.rows[at][name]]
        sheet.rows[at][name] += "; " + chance.of(others)
    sheet.plant("text.packed", name, done)
    return True


DEFECTS["text.packed"] = _packed


@defect("duplicate.rows")
def _copies(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if not ("key" in sheet.roles or "together" in sheet.roles) or "rows" in sheet.used:
        return False
    sheet.used |= {"rows", *sheet.names}
    for at in reversed(rows_at(sheet, chance, min(rate, 0.1))):
        row = dict(sheet.rows[at])
        place = chance.between(at + 1, len(sheet.rows))
        sheet.rows.insert(place, row)
        sheet.plant("duplicate.rows", "", [place])
    return True


@defect("duplicate.near")
def _near(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "key" not in sheet.roles or "rows" in sheet.used:
        return False
    key = sheet.roles["key"][0]
    sheet.used |= {"rows", *sheet.names}
    taken = set(sheet.column(key))
    for at in reversed(rows_at(sheet, chance, min(rate, 0.03), 2)):
        row = dict(sheet.rows[at])
        while row[key] in taken:
            digits = [place for place, sign in enumerate(row[key]) if sign.isdigit()]
            place = chance.random.choice(digits[-4:])
            row[key] = row[key][:place] + str(chance.between(0, 9)) + row[key][place + 1 :]
        taken.add(row[key])
        place = chance.between(at + 1, len(sheet.rows))
        sheet.rows.insert(place, row)
        sheet.plant("duplicate.near", "", [place])
    return True


@defect("duplicate.key")
def _key(sheet: Sheet, chance: Chance, rate: float) -> bool:
    name = pick(sheet, chance, "key")
    if name is None or "rows" in sheet.used:
        return False
    sheet.used.add("rows")
    done = rows_at(sheet, chance, min(rate, 0.008))
    others = [at for at in range(len(sheet.rows)) if at not in done]
    for at in done:
        other = chance.random.choice(others)
        others.remove(other)
        sheet.rows[at][name] = sheet.rows[other][name]
        sheet.plant("duplicate.key", name, [at, other])
    return True


@defect("duplicate.key")
def _keys_together(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "together" not in sheet.roles or "rows" in sheet.used:
        return False
    first, second = sheet.roles["together"]
    if {first, second} & sheet.used:
        return False
    sheet.used |= {"rows", first, second}
    done = rows_at(sheet, chance, min(rate, 0.008))
    numbers = sheet.roles.get("measures", []) + sheet.roles.get("numbers", [])
    for at in done:
        row = dict(sheet.rows[at])
        for name in numbers:
            row[name] = chance.of(sheet.column(name))
        if "computed" in sheet.roles:
            return False
        sheet.rows.insert(at + 1, row)
        sheet.plant("duplicate.key", second, [at, at + 1])
    return True


@defect("relation.computed")
def _computed(sheet: Sheet, chance: Chance, rate: float) -> bool:
    name = pick(sheet, chance, "computed")
    if name is None:
        return False
    done = rows_at(sheet, chance, min(rate, 0.15))
    for at in done:
        text = sheet.rows[at][name]
        digits = len(text.partition(".")[2])
        sheet.rows[at][name] = f"{float(text) * chance.random.uniform(1.1, 1.6) + 1:.{digits}f}"
    sheet.plant("relation.computed", name, done)
    return True


@defect("relation.lookup")
def _lookup(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "lookup" not in sheet.roles or set(sheet.roles["lookup"]) & sheet.used:
        return False
    first, second = sheet.roles["lookup"]
    if sheet.name == "bakery":
        return False
    sheet.used |= {first, second}
    values = sorted(set(sheet.column(second)))
    done = rows_at(sheet, chance, min(rate, 0.06))
    for at in done:
        sheet.rows[at][second] = chance.of([one for one in values if one != sheet.rows[at][second]])
    sheet.plant("relation.lookup", second, done)
    return True


@defect("relation.lookup")
def _lookup_gaps(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "lookup" not in sheet.roles or set(sheet.roles["lookup"]) & sheet.used:
        return False
    first, second = sheet.roles["lookup"]
    sheet.used |= {first, second}
    done = rows_at(sheet, chance, rate)
    for at in done:
        sheet.rows[at][second] = ""
    sheet.plant("relation.lookup", second, done)
    sheet.plant("missing.blank", second, done)
    return True


@defect("relation.order")
def _order(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "order" not in sheet.roles or set(sheet.roles["order"]) & sheet.used:
        return False
    first, second = sheet.roles["order"]
    computed = set(sheet.roles.get("computed", [])) - sheet.used
    if computed and sheet.name != "depot":
        return False
    sheet.used |= {first, second}
    done = rows_at(sheet, chance, min(rate, 0.08))
    for at in done:
        row = sheet.rows[at]
        row[first], row[second] = row[second], row[first]
    sheet.plant("relation.order", first, done)
    return True


@defect("value.future")
def _future(sheet: Sheet, chance: Chance, rate: float) -> bool:
    name = pick(sheet, chance, "dates")
    if name is None:
        return False
    if "order" in sheet.roles and name in sheet.roles["order"]:
        return False
    sheet.as_of = "2026-02-01"
    done = rows_at(sheet, chance, min(rate, 0.05))
    for at in done:
        sheet.rows[at][name] = chance.day("2026-03-01", 60)
    sheet.plant("value.future", name, done)
    return True


@defect("missing.together")
def _together(sheet: Sheet, chance: Chance, rate: float) -> bool:
    name, other = pick(sheet, chance, "numbers", "measures"), pick(sheet, chance, "categories")
    if name is None or other is None:
        return False
    value = chance.of(sorted(set(sheet.column(other))))
    done = [at for at, row in enumerate(sheet.rows) if row[other] == value]
    if not 5 <= len(done) <= len(sheet.rows) / 2:
        return False
    for at in done:
        sheet.rows[at][name] = ""
    sheet.plant("missing.together", name, done)
    sheet.plant("missing.blank", name, done)
    return True


@defect("missing.same_as_above")
def _above(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "panel" not in sheet.roles or set(sheet.roles["panel"]) & sheet.used or "rows" in sheet.used:
        return False
    first, second = sheet.roles["panel"]
    sheet.used |= {first, second, "rows", *sheet.roles.get("lookup", [])}
    sheet.rows.sort(key=lambda row: (row[first], row[second]))
    last, done = "", []
    for at, row in enumerate(sheet.rows):
        last, same = row[first], row[first] == last
        if same:
            row[first] = ""
            done.append(at)
    sheet.plant("missing.same_as_above", first, done)
    return True


def _add_column(sheet: Sheet, name: str, cells: list[str], first: bool = False) -> None:
    sheet.names.insert(0 if first else len(sheet.names), name)
    for row, cell in zip(sheet.rows, cells, strict=True):
        row[name] = cell
    sheet.used.add("rows")


@defect("column.empty")
def _empty(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used:
        return False
    _add_column(sheet, "checked", [""] * len(sheet.rows))
    sheet.plant("column.empty", "checked")
    return True


@defect("column.constant")
def _constant(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used:
        return False
    _add_column(sheet, "export", ["full"] * len(sheet.rows))
    sheet.plant("column.constant", "export")
    return True


@defect("column.row_number")
def _numbered(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used:
        return False
    begin = chance.between(0, 1)
    _add_column(
        sheet, chance.of(["no", "row", "index"]), [str(at + begin) for at in range(len(sheet.rows))], first=True
    )
    sheet.plant("column.row_number", sheet.names[0])
    return True


@defect("column.copy")
def _copy(sheet: Sheet, chance: Chance, rate: float) -> bool:
    name = pick(sheet, chance, "numbers", "measures")
    if name is None or "rows" in sheet.used:
        return False
    _add_column(sheet, f"{name}_again", sheet.column(name))
    sheet.plant("column.copy", f"{name}_again")
    return True


@defect("column.indicators")
def _indicators(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used:
        return False
    kinds = ["adult", "child", "senior", "group"]
    cells = [chance.of(kinds) for _ in sheet.rows]
    for kind in kinds:
        _add_column(sheet, f"is_{kind}", [str(int(one == kind)) for one in cells])
        sheet.plant("column.indicators", f"is_{kind}")
    return True


@defect("type.labels")
def _labels(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used:
        return False
    _add_column(
        sheet,
        chance.of(["status", "district", "sector", "ward"]),
        [str(chance.of(["1", "2", "3", "4", "9"], [5, 4, 2, 2, 1])) for _ in sheet.rows],
    )
    sheet.plant("type.labels", sheet.names[-1])
    return True


@defect("type.leading_zeros")
def _zeros(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used:
        return False
    _add_column(sheet, "member", [f"{chance.between(0, 99999):05}" for _ in sheet.rows])
    sheet.plant("type.leading_zeros", "member")
    return True


@defect("type.serial_dates")
def _serial(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used or not sheet.roles.get("dates") or set(sheet.roles["dates"]) & sheet.used:
        return False
    _add_column(sheet, "checked", [str(chance.between(45400, 45900)) for _ in sheet.rows])
    sheet.plant("type.serial_dates", "checked")
    return True


@defect("layout.repeated_header")
def _header(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used:
        return False
    sheet.used.add("rows")
    for _ in range(chance.between(1, 3)):
        sheet.rows.insert(chance.between(5, len(sheet.rows) - 5), {name: name for name in sheet.names})
    sheet.plant("layout.repeated_header", "")
    return True


@defect("layout.empty_rows")
def _blank_rows(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used or len(sheet.names) < 2:
        return False
    sheet.used.add("rows")
    for _ in range(chance.between(1, 4)):
        sheet.rows.insert(chance.between(5, len(sheet.rows) - 5), dict.fromkeys(sheet.names, ""))
    sheet.plant("layout.empty_rows", "")
    return True


@defect("series.incomplete")
def _gaps(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "panel" not in sheet.roles or "rows" in sheet.used or set(sheet.roles["panel"]) & sheet.used:
        return False
    sheet.used |= {"rows", *sheet.roles["panel"]}
    for at in reversed(rows_at(sheet, chance, min(rate, 0.1), 2)):
        del sheet.rows[at]
    sheet.plant("series.incomplete", sheet.roles["panel"][1])
    return True


@defect("layout.totals")
def _totals(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "rows" in sheet.used or sheet.name not in ("bakery",) or {"shop", "pieces", "amount"} & sheet.used:
        return False
    sheet.used |= {"rows", "shop", "pieces", "amount"}
    sheet.rows.sort(key=lambda row: row["shop"])
    shops = sorted(set(sheet.column("shop")))
    for shop in shops:
        mine = [row for row in sheet.rows if row["shop"] == shop]
        total = dict.fromkeys(sheet.names, "")
        total |= {
            "shop": f"Total {shop}",
            "pieces": str(sum(int(row["pieces"]) for row in mine)),
            "amount": f"{sum(float(row['amount']) for row in mine):.2f}",
        }
        sheet.rows.insert(sheet.rows.index(mine[-1]) + 1, total)
        sheet.plant("layout.totals", "shop", [sheet.rows.index(total)])
        if shop == shops[1] and rate > 0.01:
            total["pieces"] = str(int(total["pieces"]) + 7)
            sheet.plant("value.total", "pieces", [sheet.rows.index(total)])
    return True


defect("type.censored")(
    in_cells("type.censored", ("measures",), lambda text, random: random.choice(["<", "< ", ">"]) + text, most=0.1)
)
defect("type.unreadable")(
    in_cells(
        "type.unreadable", ("dates",), lambda text, random: f"{text[:5]}{random.randint(13, 30)}{text[7:]}", most=0.06
    )
)


def _new_column(
    code: str,
    name: str,
    draw: Callable[[Chance], str],
    change: Callable[[str, Random], str],
    most: float,
    least: float = 0.0,
) -> Defect:
    """Add a column of its own, with a change of single cells, in shares between the least and the most."""

    def plant(sheet: Sheet, chance: Chance, rate: float) -> bool:
        if name in sheet.names or "rows" in sheet.used:
            return False
        sheet.names.append(name)
        sheet.used |= {name, "rows"}
        for row in sheet.rows:
            # Rows of titles and totals have nothing in it.
            row[name] = draw(chance) if any(row.values()) else ""
        done = rows_at(sheet, chance, max(least, min(rate, most)), 2, lambda row: bool(row[name]))
        for at in done:
            sheet.rows[at][name] = change(sheet.rows[at][name], chance.random)
        sheet.plant(code, name, done)
        return True

    return plant


defect("type.booleans")(
    _new_column(
        "type.booleans",
        "agreed",
        lambda chance: chance.of(["yes", "no"]),
        lambda text, random: text[0].upper(),
        0.2,
        0.15,
    )
)
defect("text.pattern")(
    _new_column(
        "text.pattern",
        "mail",
        lambda chance: (
            f"{chance.of(['ada', 'bo', 'cy'])}{chance.between(1, 99_999)}@{chance.of(['mill', 'elm'])}.example"
        ),
        lambda text, random: random.choice([text.replace("@", ""), text.replace("@", " at "), text.rpartition(".")[0]]),
        0.1,
    )
)
defect("text.case")(
    _new_column("text.case", "sex", lambda chance: chance.of(["M", "F"]), lambda text, random: text.lower(), 0.2)
)
defect("text.spelling")(
    _new_column(
        "text.spelling",
        "sex_of_keeper",
        lambda chance: chance.of(["male", "female"]),
        lambda text, random: text[0].upper(),
        0.2,
    )
)


@defect("series.order")
def _counter(sheet: Sheet, chance: Chance, rate: float) -> bool:
    if "counter" in sheet.names or "rows" in sheet.used or len(sheet.rows) < 100:
        return False
    sheet.names.append("counter")
    sheet.used |= {"counter", "rows"}
    total = 5_000.0
    for row in sheet.rows:
        total += chance.random.uniform(0.2, 9)
        row["counter"] = f"{total:.1f}" if any(row.values()) else ""
    possible = [
        at for at in range(5, len(sheet.rows) - 5, 7) if all(row["counter"] for row in sheet.rows[at - 2 : at + 3])
    ]
    done = sorted(chance.random.sample(possible, max(1, min(len(possible) // 3, len(sheet.rows) // 150))))
    for at in done:
        sheet.rows[at]["counter"] = f"{float(sheet.rows[at]['counter']) * chance.random.choice([0.3, 1.8]):.1f}"
    sheet.plant("series.order", "counter", done)
    return True
