"""What the first lines of a table say: whether they name its columns, or give units or labels. Pure.

Above columns of numbers and dates a word is a name. Where there are only texts, those below decide: a name does not
occur among them, while the texts of a column often repeat; a line that is one of many would hold some that occur again.
"""

from collections import Counter
from itertools import pairwise, zip_longest

import msgspec

from comb.errors import counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.reading.delimited.cell_kinds import AMOUNT, JUDGED_RECORDS, YEAR, all_words, judged, kind_of
from comb.reading.delimited.text_forms import columns_of_one_form
from comb.tables.read_options import MOST_HEADER_LINES

HOW_MANY_LINES = ("no line", "one line", "two lines", "three lines", "four lines", "five lines")

# A single word above two columns is a title.
LEAST_UNNAMED_WIDTH = 3

# Words that are units when they stand alone below a header.
UNITS = frozenset({
    "kg", "g", "mg", "t", "lb", "oz", "m", "cm", "mm", "km", "µm", "in", "ft", "l", "ml", "dl", "cl", "hl",
    "d", "h", "min", "s", "ms", "a", "y", "°C", "°F", "K", "%", "‰", "€", "$", "£", "EUR", "USD", "GBP", "CHF",
    "kWh", "W", "kW", "V", "A", "Hz", "Pa", "hPa", "bar", "m²", "m³", "km²", "ha", "m/s", "km/h", "pcs",
})  # fmt: skip
_BRACKETED = lazy_pattern(r"[\[(]([^\[\]()]{1,15})[\])]", needs="[(")
_RULING = lazy_pattern(r"\s*[-=+]{3,}\s*", needs="-=+")
_FRAMED_RULING = lazy_pattern(r"\s*(?::?[-=]{2,}:?|:-|-:|:-:)\s*", needs="-=")

# A first line of words names columns if they are absent below with this weight, and with this many times the weight of
# columns where a word of it occurs again.
LEAST_WEIGHT = 2
TIMES_RECURRING = 3

# This many days in a first line of words name columns.
LEAST_DAYS = 2
LEAST_BELOW = 2
NAME_AND_VALUE = 2
# This share of a column of numbers or dates is of that kind; the rest may be totals and remarks.
LEAST_TYPED = 0.7

# And this share where it has no other values than a few remarks.
LEAST_ALONE = 0.9

# At most this many lines are labels of columns, with this many rows below and this many columns of values.
MOST_LABEL_LINES = 2
LEAST_BELOW_LABELS = 3
LEAST_TYPED_COLUMNS = 2


def guess_header(records: list[list[str]], width: int) -> tuple[int, bool, str]:
    """Decide how many lines name the columns, and whether a line of units follows."""
    if not records:
        return 1, False, "there is nothing below it"
    first, rows = records[0], [row for row in records[1:] if len(row) == width][: judged(width)]
    if len(records) > 1 and is_ruling(records[1]) and all_words(first):
        return 1, False, "a line of dashes is below it"
    if rows and are_units(rows[0], rows[1:]) and heading_votes(first, rows[1:]) > 0:
        return 1, True, "a line with units follows"
    for upper in range(1, min(MOST_HEADER_LINES, len(rows))):
        if _are_upper([first, *rows[: upper - 1]], rows[upper - 1]):
            below = rows[upper:]
            units = are_units(below[0], below[1:])
            if heading_votes(rows[upper - 1], below[units:]) > 0:
                why = f"{HOW_MANY_LINES[upper + 1]} of words above columns of numbers or dates"
                return upper + 1, units, f"{why}, and a line with units" if units else why
    votes = heading_votes(first, rows)
    if votes:
        columns = f"{abs(votes)} column{'s' if abs(votes) > 1 else ''}"
        if votes > 0 and _is_field(first, rows, votes):
            return (
                0,
                False,
                "its words occur again below, where numbers are among other values, as fields of records do",
            )
        if votes > 0:
            verb = "have" if votes > 1 else "has"
            return 1, False, f"the first line has words where {columns} {verb} numbers or dates"
        return 0, False, f"the first line has a value of the same kind as the rows below in {columns}"
    if _begins_alike(first, rows):
        return 0, False, "the first line begins with a number or a day, as the rows below do"
    alike = columns_of_one_form(first, rows)
    if alike > 0:
        return 0, False, f"the first line has a text of the form of those below in {counted(alike, 'column')}"
    names = [cell.strip() for cell in first]
    if len(records) == 1 and all_words(names):
        return 1, False, "there is nothing below it"
    found = words_below(names[:width], rows)
    words = all_words(names) or _are_names(names)
    if words and len(set(names)) == len(names) and not found.recurring and not found.marks:
        return 1, False, "its words are all different and do not occur below"
    if found.speaks_for_names():
        return 1, False, f"its words do not occur below, where others repeat, in {counted(found.absent, 'column')}"
    return 0, False, "the first line looks like the lines below it"


# What shows that a line is above the names: these, and as many rows below them.
LEAST_BELOW_NAMES = 3


def is_above_names(records: list[list[str]], width: int) -> bool:
    """Return whether the first record holds totals, or numbers of columns, and the names are in the second.

    >>> rows = [[f"h{at}", str(at), f"{at}.5"] for at in range(4)]
    >>> is_above_names([["Total", "6", "8"], ["hive", "n", "kg"], *rows], 3), is_above_names(rows, 3)
    (True, False)
    """
    if len(records) < 2 + LEAST_BELOW_NAMES or guess_header(records[:JUDGED_RECORDS], width)[0]:
        return False
    first, names, *rows = (record[:width] for record in records[:JUDGED_RECORDS])
    kinds = [kind_of(cell) for cell in first]
    numbers = [at for at, kind in enumerate(kinds) if kind == "number"]
    if (
        not numbers
        or "date" in kinds
        or "word" in kinds[1:]
        or all(YEAR.fullmatch(first[at].strip()) for at in numbers)
    ):
        return False
    plain = [name.strip() for name in names]
    if not all(plain) or not all_words(plain) or len(set(plain)) < len(plain) or len(plain) < width:
        return False
    whole = [row for row in rows if len(row) == len(plain)]
    if len(whole) < LEAST_BELOW_NAMES or heading_votes(plain, whole) < 1:
        return False
    again = kinds[0] == "word" and any(row[0].strip() == first[0].strip() for row in whole)
    return not again and all(any(kind_of(row[at]) == "number" for row in whole) for at in numbers)


def _is_field(first: list[str], rows: list[list[str]], votes: int) -> bool:
    """Return whether the first line is the first field of a record: ``Name: Ada`` above ``Hives: 7`` and ``Name: Bo``.

    Its words occur again, and no column is of numbers or dates alone. Repeated headers occur again as a whole.
    """
    others = [row for row in rows if row != first]
    names = [cell.strip() for cell in first]
    if words_below(names, others).recurring < votes:
        return False
    for cell, *below in zip(first, *others, strict=False):
        kinds = Counter(kind for kind in map(kind_of, below) if kind)
        typed = max(kinds["number"], kinds["date"])
        if kind_of(cell) == "word" and typed > LEAST_ALONE * kinds.total():
            return False
    return True


class WordsBelow(msgspec.Struct, frozen=True):
    """How the words of a first line stand to the texts below them.

    Attributes
    ----------
    absent : int
        Columns in which texts repeat, and the word is not among them.
    weight : int
        The same, of which those count twice where every text repeats.
    recurring : int
        Columns in which the word occurs again.
    marks : int
        Columns that have this word and gaps, and nothing else: it marks a choice, and may be its name.
    """

    absent: int
    weight: int
    recurring: int
    marks: int

    def speaks_for_names(self) -> bool:
        """Return whether the words name the columns, as the texts below show."""
        return self.weight >= max(LEAST_WEIGHT, TIMES_RECURRING * self.recurring)

    def recur(self) -> bool:
        """Return whether more of the words occur again below than are absent."""
        return self.recurring > self.absent


def words_below(names: list[str], rows: list[list[str]]) -> WordsBelow:
    """Return how the words of a line stand to the texts below them."""
    absent = weight = recurring = marks = 0
    for name, *cells in zip(names, *rows, strict=False):
        below = Counter(text for cell in cells if (text := cell.strip()))
        if not name or not below:
            continue
        if name in below:
            if len(below) == 1 and below.total() < len(cells):
                marks += 1
            else:
                recurring += 1
        elif 2 * len(below) <= below.total():
            absent += 1
            weight += 1 + (min(below.values()) > 1)
    return WordsBelow(absent, weight, recurring, marks)


def _begins_alike(first: list[str], rows: list[list[str]]) -> bool:
    """Return whether the first word is a number or day here and in nearly all others, as in a log; brackets beside."""
    kinds = [kind_of(words[0].strip("[]")) if (words := row[0].split(maxsplit=1)[:1]) else "" for row in (first, *rows)]
    common = kinds[0] in ("number", "date") and len(kinds) > LEAST_BELOW
    return common and kinds.count(kinds[0]) > LEAST_TYPED * len(kinds)


def is_ruling(record: list[str]) -> bool:
    """Return whether a record is a line of dashes, also in a frame: ``|---|---|``."""
    if len(record) > 2 and not record[0] and not record[-1]:
        return all(map(_FRAMED_RULING.fullmatch, record[1:-1]))
    if not any(map(_RULING.fullmatch, record)):
        return False
    return all(_RULING.fullmatch(cell) or cell.strip() in ("--", "==") for cell in record)


def _are_names(cells: list[str]) -> bool:
    """Return whether a record has only words and days, and several days: names of columns, one a day."""
    kinds = Counter(map(kind_of, cells))
    return kinds["date"] >= LEAST_DAYS and not kinds["number"]


def heading_votes(first: list[str], rows: list[list[str]]) -> int:
    """Count columns whose numbers or dates have a word above, less those with one of their kind."""
    votes = 0
    for cell, *below in zip(first, *rows, strict=False):
        kinds = Counter(kind for kind in map(kind_of, below) if kind)
        common = max(kinds, key=lambda kind: kinds[kind], default="")
        if common == "number" and kind_of(cell) == "date":
            # Months and days above numbers are names.
            votes += 1
        elif common in ("number", "date"):
            named = _is_year_heading(cell, below) or _is_priced_heading(cell, below)
            kind = "word" if named else kind_of(cell)
            votes += 1 if kind == "word" else -1 if kind == common else 0
    return votes


def names_columns(record: list[str], rows: list[list[str]]) -> bool:
    """Return whether a record looks like the header of the rows below: different words, some above numbers or dates."""
    words = [cell.strip() for cell in record if cell.strip()]
    several = len(words) >= NAME_AND_VALUE and len(set(words)) == len(words)
    return several and len(rows) >= LEAST_BELOW and all_words(record) and heading_votes(record, rows) > 0


def table_above(records: list[list[str]], lines: list[int]) -> tuple[int, int] | None:
    """Return the first and last of the lines above a table that look like a table of their own; None without one."""
    starts = [at for at in range(len(records)) if not at or _parts(records, lines, at)]
    for start, stop in pairwise([*starts, len(records)]):
        if len(records[start]) >= LEAST_UNNAMED_WIDTH and names_columns(records[start], records[start + 1 : stop]):
            return lines[start], lines[stop - 1]
    return None


def _parts(records: list[list[str]], lines: list[int], at: int) -> bool:
    return len(records[at]) != len(records[at - 1]) or lines[at] != lines[at - 1] + 1


def _is_year_heading(cell: str, below: list[str]) -> bool:
    """A year above numbers that are no years is a name, as in tables with a column a year."""
    return bool(YEAR.fullmatch(cell.strip())) and not all(YEAR.fullmatch(text.strip()) for text in below)


def _is_priced_heading(cell: str, below: list[str]) -> bool:
    """An amount of money above plain numbers is a name: how many were sold at that price."""
    return bool(AMOUNT.fullmatch(cell.strip())) and not any(AMOUNT.fullmatch(text.strip()) for text in below)


def unit_of(cell: str) -> str:
    """Return the unit a cell of a units line names; empty if it names none.

    >>> unit_of("[kg]"), unit_of("°C"), unit_of("Mill Brook"), unit_of("(5)"), unit_of("(none)")
    ('kg', '°C', '', '', '')
    """
    text = cell.strip()
    bracketed = _BRACKETED.fullmatch(text)
    if bracketed:
        # A number in brackets is a negative one, a word for missing is not a unit.
        return bracketed[1] if kind_of(bracketed[1]) == "word" else ""
    return text if text in UNITS else ""


def are_units(record: list[str], rows: list[list[str]]) -> bool:
    """Return whether every filled cell of a record is a unit, and has numbers below it: units have nothing else."""
    filled = [at for at, cell in enumerate(record) if cell.strip() not in ("", "-")]
    return bool(filled) and all(unit_of(record[at]) and _has_numbers(at, rows) for at in filled)


def label_lines(records: list[list[str]], width: int) -> int:
    """Return how many of the first records below a header say what each column is, as exports of surveys write them.

    Such a line has words only, all different, also where the rows below have numbers or dates; that has to be so in two
    columns at least. And none of its words comes again below it.
    """
    lines = 0
    while lines < MOST_LABEL_LINES and len(records) > lines + LEAST_BELOW_LABELS:
        record, rows = records[lines], [row for row in records[lines + 1 :] if len(row) == width][: judged(width)]
        if len(record) != width or len(rows) < LEAST_BELOW_LABELS or is_ruling(record):
            break
        if are_units(record, rows) or not _are_labels(record, rows):
            break
        lines += 1
    return lines


def _are_labels(record: list[str], rows: list[list[str]]) -> bool:
    words = [cell.strip() for cell in record if cell.strip()]
    if len(set(words)) < len(words) or {kind_of(word) for word in words} != {"word"}:
        return False
    typed = 0
    for word, cells in zip(map(str.strip, record), zip(*rows, strict=True), strict=True):
        kinds = Counter(kind for cell in cells if (kind := kind_of(cell)))
        if word and word in map(str.strip, cells):
            return False
        if kinds.total() and max(kinds["number"], kinds["date"]) >= LEAST_TYPED * kinds.total():
            if not word:
                return False
            typed += 1
    return typed >= LEAST_TYPED_COLUMNS


def _has_numbers(at: int, rows: list[list[str]]) -> bool:
    """Return whether most of the filled cells of a column are numbers."""
    kinds = Counter(kind for row in rows if at < len(row) and (kind := kind_of(row[at])))
    return 2 * kinds["number"] > kinds.total()


def _are_upper(lines: list[list[str]], last: list[str]) -> bool:
    """Return whether lines are the upper ones of a header.

    Each has gaps, as merged headings leave, which are filled in the last line, or in another one where a heading goes
    down to the rows. A heading of headings has one of them right below it.
    """
    columns = [[cell.strip() for cell in column] for column in zip_longest(*lines, last, fillvalue="")]
    for number, line in enumerate(lines):
        gaps = [at for at, cell in enumerate(line) if not cell.strip()]
        # Years are headings too, above the names of what was measured in them.
        words = [cell for cell in line if not YEAR.fullmatch(cell.strip())]
        if not gaps or not all_words(words) or not all(any(columns[at]) for at in gaps):
            return False
        headings = [column[number + 1 :] for column in columns[1:] if column[number]]
        if len(lines) > 1 and not (headings and all(below[0] or not any(below) for below in headings)):
            return False
    return all_words(last)
