"""Guess how a text is laid out: delimiter, quote, title lines, header. Pure: text in, guess out."""

import re
from collections import Counter
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import msgspec

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels import dispatch
from comb.kernels.scalars import date_groups, fold
from comb.kernels.types import SPACES, Dialect
from comb.parsing.calendar_names import MONTH_NUMBERS
from comb.parsing.vocabulary import is_missing_word
from comb.tables.read_options import ReadOptions

# In order of preference where the evidence is even.
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "pipe", ":": "colon", SPACES: "spaces"}

# This many characters and records are enough to see the layout.
SAMPLE_CHARACTERS = 400_000
SAMPLE_RECORDS = 500

# Of this many records, but not of more cells than this, it is looked at what they hold.
JUDGED_RECORDS = 300
JUDGED_CELLS = 10_000

# A single word above two columns is a title.
LEAST_UNNAMED_WIDTH = 3

# A colon occurs in times and addresses, a space in texts: they part columns only if
# nearly all lines agree.
LEAST_FIT = {":": 0.95, SPACES: 0.98}

# That they do not, the first records may show.
FIRST_RECORDS = 60

# Words that are units when they stand alone below a header.
UNITS = frozenset({
    "kg", "g", "mg", "t", "lb", "oz", "m", "cm", "mm", "km", "µm", "in", "ft", "l", "ml", "dl", "cl", "hl",
    "d", "h", "min", "s", "ms", "a", "y", "°C", "°F", "K", "%", "‰", "€", "$", "£", "EUR", "USD", "GBP", "CHF",
    "kWh", "W", "kW", "V", "A", "Hz", "Pa", "hPa", "bar", "m²", "m³", "km²", "ha", "m/s", "km/h", "pcs",
})  # fmt: skip
_BRACKETED = lazy_pattern(r"[\[(]([^\[\]()]{1,15})[\])]")
_DOUBLED = lazy_pattern(r'[^,;\t|:\r\n "]""[^,;\t|:\r\n"]')
_ENCLOSED_IN = {
    quote: lazy_pattern(rf"(?:^|[,;\t|\r]){quote}[^{quote}\n]*{quote}(?=[,;\t|\r]|$)", re.MULTILINE) for quote in "\"'"
}
_DECIMAL_COMMA = lazy_pattern(r"\s*[+-]?[0-9]+,[0-9]+\s*")
_YEAR = lazy_pattern(r"(?:19|20)[0-9]{2}")
_RULING = lazy_pattern(r"\s*[-=+]{3,}\s*")
_FRAMED_RULING = lazy_pattern(r"\s*(?::?[-=]{2,}:?|:-|-:|:-:)\s*")
_TIME_OF_DAY = lazy_pattern(r"[0-9]{1,2}:[0-5][0-9](?::[0-5][0-9](?:[.,][0-9]+)?)?(?:\s*[AaPp][Mm])?")
_CLOCK_PART = lazy_pattern(r"\s*[0-9]{1,2}\s*")
# The two sides of a colon inside of a time, of which one has other text beside it.
_CLOCK_ENDS = (
    (lazy_pattern(r"[\sT][0-9]{1,2}\Z"), lazy_pattern(r"[0-5][0-9](?![0-9])")),
    (lazy_pattern(r"(?:\A|[\sT])[0-9]{1,2}\Z"), lazy_pattern(r"[0-5][0-9](?![0-9]|\Z)")),
)
_NUMBER = lazy_pattern(r"[-+\N{MINUS SIGN}]?(?:[0-9][0-9 .,'\u00a0\u202f]*|[.,][0-9]+)(?:[eE][+-]?[0-9]+)?\s?%?")
_AMOUNT = lazy_pattern(
    r"[-+]?(?:[$€£¥]|(?:EUR|USD|GBP|CHF) )\s?[-+]?[0-9][0-9 .,']*|"
    r"[-+]?[0-9][0-9 .,']*(?:\s?[$€£¥]| (?:EUR|USD|GBP|CHF))"
)
# A day with a time of day, of which the time is checked on its own; a day with the name of its month.
_WITH_TIME = lazy_pattern(
    r"([0-9./-]{6,10})(?:T|[ ,]\s*)([0-9:.,]+(?:\s?[AaPp][Mm])?)(?:\s?(?:Z|UTC|[+-][0-9]{2}:?[0-9]{2}))?"
)
_NAMED_DAY = lazy_pattern(
    r"[0-9]{1,2}[-./ ]{0,2}([^\W\d_]{3,12})[-./ ]{0,2}[0-9]{2,4}|([^\W\d_]{3,12})\.? [0-9]{1,2},? [0-9]{4}"
)


NOTHING_GIVEN = ReadOptions()


class Layout(msgspec.Struct, frozen=True):
    """How a delimited text is laid out.

    Attributes
    ----------
    delimiter : str
        A character, or `SPACES`.
    quote : str or None
    escape : str
        A backslash where quotes are escaped so, else empty.
    skip : int
        Lines above the header.
    header : int
        Lines of header: 0, 1 or 2.
    units : bool
        Whether a line with units stands below the header.
    labels : int
        Lines below the header that say in words what each column is, above a line with units.
    marked : bool
        Whether the names stand behind a mark of a comment, which is not of them.
    nameless_first : bool
        Whether the header has no name for the first column, and so one field fewer.
    why : dict of str to str
        What speaks for the delimiter, the quote, the skipped lines, the header.
    runner_up : str
        The next best delimiter, with its figures; empty if not.
    doubt : str
        What speaks against what was given.
    """

    delimiter: str
    quote: str | None
    escape: str
    skip: int
    header: int
    units: bool
    why: dict[str, str]
    runner_up: str = ""
    nameless_first: bool = False
    doubt: str = ""
    labels: int = 0
    marked: bool = False


class _SplitSample(msgspec.Struct, frozen=True):
    """The sample split by one delimiter."""

    delimiter: str
    fields: list[list[str]]
    lines: list[int]
    width: int
    fit: float
    equal: float
    typed: float

    @property
    def score(self) -> float:
        """How well the delimiter parts the sample, from 0 to 1."""
        return self.fit * self.equal if self.width > 1 else 0.0

    def figures(self) -> str:
        """The share of lines that have its width."""
        return f"{self.fit:.0%} of the lines have {self.width} fields"


# A first line that says which delimiter follows, as spreadsheet programs read and write it.
DECLARATION = lazy_pattern(r'"?sep=([^\r\n"])"?(?=\r\n|\r|\n)', re.IGNORECASE)

# This many days in a first line of words name columns.
LEAST_DAYS = 2


def guess_layout(text: str, given: ReadOptions = NOTHING_GIVEN, *, units: bool = True) -> Layout:
    """Guess the layout of a text; what is given is not guessed.

    Parameters
    ----------
    text : str
        The whole text; only a sample of it is looked at.
    given : ReadOptions
    units : bool
        Whether a line of units below the header is looked for.

    Returns
    -------
    Layout
        A delimiter is taken when it gives the most lines of one width with columns
        whose cells are of one kind.
    """
    declared = DECLARATION.match(text) if not given.skip else None
    if declared is not None and given.delimiter is None:
        given = given.replace(delimiter=declared[1])
    below = 1 if declared is not None else given.skip or 0
    sample = _sample(text, below)
    quote, escape = _guess_quote(sample) if given.quote is None else (given.quote[-1:], given.quote[:-1])
    best, runner_up = _best_trial(sample, quote or None, escape, given.delimiter)
    top = _header_record(best)
    above = (best.lines[top] - 1 if best.lines else 0) + (declared is not None)
    skip = above if given.skip is None else given.skip
    records = best.fields[top:]
    settled = given.header not in (None, 1) or (given.skip is not None and top > 0)
    nameless = not settled and _lacking_name(best, top) == "first"
    marked = not settled and bool(records) and has_marked_names(records[0], best.width, best.delimiter)
    if nameless:
        records = [["", *records[0]], *records[1:]]
    if marked:
        records = [unmarked(records[0], best.delimiter), *records[1:]]
    header, found_units, why_header = guess_header(records, best.width)
    if nameless:
        why_header += "; it has one name fewer than the rows have cells: the first column has none"
    if given.header is not None:
        header, found_units, why_header = given.header, found_units and given.header == header, "as declared"
    labels = label_lines(records[1:], best.width) if units and header == 1 and not found_units else 0
    if labels:
        after = records[1 + labels :]
        found_units = len(after) > 1 and are_units(after[0], after[1:])
        how_many = "a line" if labels == 1 else f"{labels} lines"
        why_header += f"; {how_many} below it with a label for each column (header 0 reads all as rows)"
    narrow = "narrower than the table, or filled in the first cell only"
    pairs = (sum(bool(cell.strip()) for cell in row) == NAME_AND_VALUE for row in best.fields[:top])
    if top and all(pairs) and _below_particulars(best, 0) == top:
        narrow = "names with values, and a blank line"
    why = {
        "delimiter": _delimiter_evidence(best, declared=declared is not None, given=bool(given.delimiter)),
        "quote": "as declared" if given.quote is not None else _quote_evidence(sample, quote, escape),
        "skip": "as declared" if given.skip is not None else narrow,
        "header": why_header,
    }
    return Layout(
        best.delimiter,
        quote or None,
        escape,
        skip,
        header,
        units and found_units,
        why,
        runner_up,
        nameless and header == 1,
        _other_delimiter(sample, best, quote, escape) if given.delimiter and declared is None else "",
        labels,
        marked and header == 1,
    )


def _other_delimiter(sample: str, given: _SplitSample, quote: str | None, escape: str) -> str:
    """Return what another delimiter would do, where the given one parts nothing."""
    if given.width > 1 or not given.fields:
        return ""
    best, _ = _best_trial(sample, quote or None, escape, None)
    if best.width < 2 or best.fit < LEAST_FIT_OF_OTHER:
        return ""
    return f"with {name_of(given.delimiter)} there is one column; {name_of(best.delimiter)} gives {best.width} columns"


# Names with values above a table are no more than this, and a table below them has at least two rows.
MOST_PARTICULARS = 40
LEAST_BELOW = 2
NAME_AND_VALUE = 2
# This share of a column of numbers or dates is of that kind; the rest may be totals and remarks.
LEAST_TYPED = 0.7

# At most this many lines are labels of columns, with this many rows below and this many columns of values.
MOST_LABEL_LINES = 2
LEAST_BELOW_LABELS = 3
LEAST_TYPED_COLUMNS = 2

# Another delimiter is named if this share of the lines has one width by it.
LEAST_FIT_OF_OTHER = 0.9


def _sample(text: str, skip: int) -> str:
    """Return what is looked at: whole lines below what is skipped."""
    start = _offset_of_line(text, skip)
    end = start + SAMPLE_CHARACTERS
    if end >= len(text):
        return text[start:]
    # Cut at a line end, so that the last record is whole more often than not.
    return text[start : max(text.rfind("\n", start, end), text.rfind("\r", start, end)) + 1 or end]


def _best_trial(sample: str, quote: str | None, escape: str, delimiter: str | None) -> tuple[_SplitSample, str]:
    """Return the sample split by the best delimiter, and what is said of the next best."""
    candidates = [delimiter] if delimiter else list(DELIMITERS)
    if not delimiter:
        # A delimiter that does not occur separates nothing.
        candidates = [option for option in candidates if (" " if option == SPACES else option) in sample]
        candidates = [option for option in candidates if not _hopeless(sample, option, quote, escape)]
    trials = [_try(sample, option, quote, escape) for option in candidates]
    if not delimiter:
        trials = [trial for trial in trials if not _too_weak(trial, sample)]
    trials.sort(key=lambda trial: (-trial.score, -trial.typed))
    if not delimiter and (not trials or trials[0].score == 0):
        unused = next((option for option in DELIMITERS if option not in sample), ",")
        return _try(sample, unused, quote, escape), ""
    runner = next((trial for trial in trials[1:] if trial.score > 0), None)
    return trials[0], f"{name_of(runner.delimiter)}: {runner.figures()}" if runner else ""


def _hopeless(sample: str, delimiter: str, quote: str | None, escape: str) -> bool:
    """Return whether the first records show already that too few lines agree on a delimiter."""
    if delimiter not in LEAST_FIT:
        return False
    found = dispatch.kernels.records(sample, Dialect(delimiter, quote, escape), FIRST_RECORDS)
    widths = Counter(len(fields) for fields in found.fields if fields != [""] and not _is_comment(fields, delimiter))
    # This many may differ in the whole sample.
    return widths.total() - max(widths.values(), default=0) > (1 - LEAST_FIT[delimiter]) * SAMPLE_RECORDS


def _too_weak(trial: _SplitSample, sample: str) -> bool:
    """Return whether a delimiter that also stands inside texts has too little to speak for it."""
    if not trial.fields:
        return False
    if trial.delimiter == ",":
        # One column of numbers with decimal commas has no comma in its name.
        rows = [",".join(row) for row in trial.fields[1:]]
        return len(trial.fields[0]) == 1 and bool(rows) and all(_DECIMAL_COMMA.fullmatch(row) for row in rows)
    if trial.delimiter not in LEAST_FIT:
        return False
    begin = next((at for at, row in enumerate(trial.fields) if not _is_comment(row, trial.delimiter)), 0)
    records = trial.fields[begin:]
    if trial.fit < LEAST_FIT[trial.delimiter] or len(records[0]) != trial.width:
        return True
    cells = [cell for row in records[1:] for cell in row]
    if trial.delimiter == ":":
        # It parts hours from minutes in most records: then it is inside of times.
        in_times = sum(_has_clock(row) for row in records[1:])
        return 2 * in_times > len(records) - 1 or all(_CLOCK_PART.fullmatch(cell) for cell in cells)
    # Columns parted by spaces are aligned by runs of them, or hold numbers.
    aligned = sum("  " in line for line in sample.splitlines())
    values = sum(kind_of(cell) in ("number", "date") for cell in cells)
    return aligned < len(records) / 2 and values < len(cells) / 2


def _has_clock(fields: list[str]) -> bool:
    """Return whether a record parted by colons has a time of day that was parted."""
    return any(
        hour.search(one) and minute.match(other) for one, other in pairwise(fields) for hour, minute in _CLOCK_ENDS
    )


def name_of(delimiter: str) -> str:
    """Name a delimiter so that it can be told apart on a screen.

    >>> name_of("\\t"), name_of("~")
    ('tab', "'~'")
    """
    return DELIMITERS.get(delimiter, repr(delimiter))


def as_line(fields: Sequence[str], delimiter: str) -> str:
    """Return the text of a record that is shown as a line, without the delimiters that end it."""
    mark = " " if delimiter == SPACES else delimiter
    return mark.join(fields).rstrip(f"{mark} ")


def _offset_of_line(text: str, lines: int) -> int:
    position = 0
    ends = re.finditer(r"\r\n|\n|\r", text)
    for _, match in zip(range(lines), ends, strict=False):
        position = match.end()
    return position


def _guess_quote(sample: str) -> tuple[str, str]:
    """Return the quote and what escapes it.

    Double quotes mean quoting unless only single ones enclose whole fields; a backslash
    escapes them if it stands before some and none is doubled inside a field.
    """
    single = len(_ENCLOSED_IN["'"].findall(sample)) if "'" in sample else 0
    if single > 1 and not _ENCLOSED_IN['"'].search(sample):
        return "'", ""
    if '"' in sample:
        backslashes = '\\"' in sample and not _DOUBLED.search(sample)
        return '"', "\\" if backslashes else ""
    return '"', ""


def _quote_evidence(sample: str, quote: str, escape: str) -> str:
    if quote not in sample:
        return "no quotes found; default"
    return "fields are enclosed in it, with a backslash before quotes inside" if escape else "fields are enclosed in it"


def _try(sample: str, delimiter: str, quote: str | None, escape: str) -> _SplitSample:
    found = dispatch.kernels.records(sample, Dialect(delimiter, quote, escape), SAMPLE_RECORDS)
    kept = [(fields, line) for fields, line in zip(found.fields, found.lines, strict=True) if fields != [""]]
    # Comments above a table say nothing of how it is parted.
    begin = next((at for at, (fields, _) in enumerate(kept) if not _is_comment(fields, delimiter)), 0)
    widths = Counter(len(fields) for fields, _ in kept[begin:])
    width = max(widths, key=lambda size: (widths[size] * (size > 1), widths[size], size), default=1)
    fit = widths[width] / (len(kept) - begin) if kept else 0.0
    rows = [fields for fields, _ in kept if len(fields) == width][1 : _judged(width)]
    return _SplitSample(
        delimiter, [fields for fields, _ in kept], [line for _, line in kept], width, fit, *_alike(rows)
    )


def _judged(width: int) -> int:
    """Return how many records of a width are looked at closely."""
    return min(JUDGED_RECORDS, max(3, JUDGED_CELLS // width))


def _alike(rows: list[list[str]]) -> tuple[float, float]:
    """Return how far the cells of each column are of one kind, and the share of numbers and dates.

    Both from 0 to 1.
    """
    if not rows:
        return 0.5, 0.0
    shares, typed = [], 0
    for cells in zip(*rows, strict=True):
        kinds = Counter(kind for kind in map(kind_of, cells) if kind)
        shares.append(max(kinds.values()) / sum(kinds.values()) if kinds else 1.0)
        typed += kinds["number"] + kinds["date"]
    return sum(shares) / len(shares), typed / (len(rows) * len(shares))


# As in 1Nov25.
SHORTEST_MOMENT = 6


@lru_cache(maxsize=3 * JUDGED_CELLS)
def kind_of(cell: str) -> str:
    """Sort a cell into kinds that need no types: number, date or time, word, or nothing.

    >>> [kind_of(cell) for cell in ("1,5", "3.11.2026 8:15", "3 Nov 2026", "Mill", "n/a")]
    ['number', 'date', 'date', 'word', '']
    """
    text = cell.strip()
    if text.isdigit() and text.isascii():
        return "number"
    if not text or is_missing_word(text):
        return ""
    if not any(map(str.isdigit, text)):
        return "word"
    if date_groups(text) or _TIME_OF_DAY.fullmatch(text) or _is_moment(text):
        return "date"
    return "number" if _NUMBER.fullmatch(text) or _AMOUNT.fullmatch(text) else "word"


def _is_moment(text: str) -> bool:
    """Return whether a text is a day with a time of day, or with the name of its month."""
    if len(text) < SHORTEST_MOMENT:
        return False
    if found := _WITH_TIME.fullmatch(text):
        return bool(date_groups(found[1]) and _TIME_OF_DAY.fullmatch(found[2]))
    found = _NAMED_DAY.fullmatch(text)
    return found is not None and fold(found[1] or found[2]) in MONTH_NUMBERS


def _delimiter_evidence(best: _SplitSample, *, declared: bool, given: bool) -> str:
    if given:
        return f"the first line says so: sep={best.delimiter}" if declared else "as declared"
    return best.figures() if best.width > 1 else "no delimiter gives more than one field"


def _header_record(trial: _SplitSample) -> int:
    """Return the record that begins the table; what is above are titles and comments."""
    records, width = trial.fields, trial.width
    first = next((at for at, fields in enumerate(records) if len(fields) == width), 0)
    if first and _is_header_of_other_width(records[first - 1], records[first:], width):
        return first - 1
    if first and (_lacking_name(trial, first - 1) or has_marked_names(records[first - 1], width, trial.delimiter)):
        return first - 1
    while first + 1 < len(records) and _is_comment(records[first], trial.delimiter):
        names = len(records[first]) == width if trial.delimiter != SPACES else False
        names = names or has_marked_names(records[first], width, trial.delimiter)
        if names and not all_words(records[first + 1]):
            break
        first += 1
    top = _below_particulars(trial, first) or _below_titles(records, first, width)
    return top + 1 if _is_parted_title(records[top : top + JUDGED_RECORDS], width) else top


def _is_parted_title(records: list[list[str]], width: int) -> bool:
    """Return whether the first record is a title that has as many delimiters as the table by chance.

    The names are below it: ``Yields, 2025, all regions``. It has a number or day, one at most, or spaces behind each
    delimiter where the names have none.
    """
    if len(records) <= LEAST_BELOW_LABELS or label_lines(records[1:], width) == 0:
        return False
    title, names = records[0], records[1]
    spaced = all(cell.startswith(" ") for cell in title[1:]) and not any(cell.startswith(" ") for cell in names)
    values = sum(kind_of(cell) in ("number", "date") for cell in title)
    return spaced or values == 1


def _below_particulars(trial: _SplitSample, first: int) -> int:
    """Return the record that begins the table below names with values and a blank line; 0 without them.

    As instruments write them: the station, the keeper, a blank line, then days and measurements. Where they are as wide
    as the table, only what is in them tells: one column has numbers or dates below a word, and no such thing above the
    blank line.
    """
    records, width = trial.fields, trial.width
    for at in range(first + 1, min(len(records) - 1, first + MOST_PARTICULARS)):
        if trial.lines[at] == trial.lines[at - 1] + 1:
            continue
        above, below = records[first:at], records[at + 1 : at + _judged(width)]
        if any(sum(bool(cell.strip()) for cell in row) > NAME_AND_VALUE for row in above):
            return 0
        if len(below) < LEAST_BELOW or not all_words(records[at]) or heading_votes(records[at], below) <= 0:
            continue
        for place in range(min(map(len, (records[at], *above, *below)))):
            kinds = Counter(kind for row in below if (kind := kind_of(row[place])))
            typed = max(kinds["number"], kinds["date"])
            if typed > LEAST_TYPED * kinds.total() and all_words([row[place] for row in above]):
                return at
    return 0


def _below_titles(records: list[list[str]], first: int, width: int) -> int:
    """Return the record below titles that are as wide as the table: padded with delimiters, as spreadsheets write them.

    A title fills the first cell and few others; what is below it has to be a header. Records of delimiters only are
    passed in any case.
    """
    top = first
    while top < len(records) and (_is_padded(records[top], width) or _are_pairs(records[top], width)):
        top += 1
    places = [at for at in range(first, top) if not _is_padded(records[at], width)]
    pairs = [records[at] for at in places]
    # Between the last of them and the table there may be a title of the table, too.
    if pairs and not _are_particulars(pairs, records[places[-1] + 1 : top], records[top:]):
        top = first + next(at for at, record in enumerate(records[first:]) if not _is_padded(record, width))
    if top == len(records) or top == first:
        return first
    titled = any(any(map(str.strip, record)) for record in records[first:top])
    filled = sum(bool(cell.strip()) for cell in records[top])
    lines = guess_header(records[top:], width)[0] if filled > 1 else 0
    # The corner of a header may be empty only where a second line fills it.
    header = lines if records[top][0].strip() or lines > 1 else 0
    return top if header or not titled else first


def _is_padded(record: list[str], width: int) -> bool:
    """Return whether a record has only delimiters, or beside them text in the first cell and few others."""
    filled = sum(bool(cell.strip()) for cell in record)
    return not filled or (len(record) > 1 and filled <= max(1, width // 3) and kind_of(record[0]) == "word")


def _are_pairs(record: list[str], width: int) -> bool:
    """Return whether a record is a name with its value, padded with delimiters; or several, parted by empty cells."""
    if width <= NAME_AND_VALUE or kind_of(record[0]) != "word":
        return False
    groups: list[list[str]] = []
    for before, cell in pairwise(["", *record]):
        if cell.strip() and before.strip():
            groups[-1].append(cell)
        elif cell.strip():
            groups.append([cell])
    named = all(len(some) == NAME_AND_VALUE and kind_of(some[0]) == "word" for some in groups[1:])
    return len(groups[0]) <= NAME_AND_VALUE and named and (len(groups) == 1 or len(groups[0]) == NAME_AND_VALUE)


def _are_particulars(pairs: list[list[str]], between: list[list[str]], rows: list[list[str]]) -> bool:
    """Return whether names with values are apart from the table: a record of delimiters is between, or colons tell.

    Without either, several of different names are, where a header is right below them.
    """
    if not rows:
        return False
    below = rows[0]
    apart = any(not any(map(str.strip, record)) for record in between)
    apart = apart or all(pair[0].rstrip().endswith(":") for pair in pairs)
    if not apart:
        several = len({pair[0] for pair in pairs}) == len(pairs) > 1
        apart = several and heading_votes(below, rows[1 : 1 + JUDGED_RECORDS]) > 0
    return apart and sum(bool(cell.strip()) for cell in below) > NAME_AND_VALUE and all_words(below)


def _is_header_of_other_width(above: list[str], rows: list[list[str]], width: int) -> bool:
    """A header differs by a trailing delimiter that it has and the rows have not, or the reverse."""
    if width < 2 or not all_words(above):
        return False
    if len(above) == width + 1:
        return not above[-1].strip()
    return len(above) == width - 1 and all(not row[-1].strip() for row in rows if len(row) == width)


def _lacking_name(trial: _SplitSample, top: int) -> str:
    """Return whether a record names all columns but the first or the last; empty if it does neither.

    What stands below must be rows and no header, and its words must stand above numbers
    or dates. Exports of numbered rows leave the first name out: the words fit when they are
    moved one column to the right, better than unmoved, unless the first cells, all
    different, are names or numbers of rows.
    """
    records, width = trial.fields, trial.width
    if len(records) < top + 2 or trial.lines[top] + 1 != trial.lines[top + 1]:
        return ""
    above, rows = records[top], [row for row in records[top + 1 :] if len(row) == width]
    if len(above) != width - 1 or width < LEAST_UNNAMED_WIDTH or not all_words(above):
        return ""
    if not any(row[-1].strip() for row in rows):
        return ""  # every row ends with a delimiter
    if not all(above) or len(set(above)) < len(above) or guess_header(records[top + 1 :], width)[0]:
        return ""
    moved = heading_votes(["", *above], rows)
    identifying = len({row[0] for row in rows}) == len(rows)
    unmoved = heading_votes([*above, ""], rows)
    if moved > 0 and (identifying or moved >= unmoved):
        return "first"
    return "last" if unmoved > 0 else ""


def _is_comment(record: list[str], delimiter: str) -> bool:
    # Alone in a field it names a column of numbers, unless spaces part the fields.
    return record[0].startswith(("# ", "##")) or (delimiter == SPACES and record[0] == "#")


def has_marked_names(record: list[str], width: int, delimiter: str) -> bool:
    """Return whether a record names all columns behind a mark of a comment: ``# time x y``."""
    names = unmarked(record, delimiter)
    return names != record and len(names) == width and all(names) and len(set(names)) == width and all_words(names)


def unmarked(record: list[str], delimiter: str) -> list[str]:
    """Return a record without the mark of a comment that it begins with.

    >>> unmarked(["#", "time", "x"], "spaces"), unmarked(["# time", "x"], ",")
    (['time', 'x'], ['time', 'x'])
    """
    if not _is_comment(record, delimiter) or record[0].startswith("##"):
        return record
    return record[1:] if record[0] == "#" else [record[0][1:].strip(), *record[1:]]


def all_words(record: list[str]) -> bool:
    """Return whether no cell of a record is a number or a date."""
    return all(kind_of(cell) in ("word", "") for cell in record)


def guess_header(records: list[list[str]], width: int) -> tuple[int, bool, str]:
    """Decide how many lines name the columns, and whether a line of units follows."""
    if not records:
        return 1, False, "there is nothing below it"
    first, rows = records[0], [row for row in records[1:] if len(row) == width][: _judged(width)]
    if len(records) > 1 and is_ruling(records[1]) and all_words(first):
        return 1, False, "a line of dashes is below it"
    if rows and are_units(rows[0], rows[1:]) and heading_votes(first, rows[1:]) > 0:
        return 1, True, "a line with units follows"
    if len(rows) > 1 and _is_second_line(first, rows[0]) and heading_votes(rows[0], rows[1:]) > 0:
        return 2, False, "two lines of words above columns of numbers or dates"
    votes = heading_votes(first, rows)
    if votes:
        columns = f"{abs(votes)} column{'s' if abs(votes) > 1 else ''}"
        if votes > 0:
            verb = "have" if votes > 1 else "has"
            return 1, False, f"the first line has words where {columns} {verb} numbers or dates"
        return 0, False, f"the first line has a value of the same kind as the rows below in {columns}"
    if _begins_alike(first, rows):
        return 0, False, "the first line begins with a number or a day, as the rows below do"
    names = [cell.strip() for cell in first]
    if len(records) == 1 and all_words(names):
        return 1, False, "there is nothing below it"
    if (all_words(names) or _are_names(names)) and len(set(names)) == len(names):
        recurring = any(name in {row[at].strip() for row in rows} for at, name in enumerate(names[:width]) if name)
        if not recurring:
            return 1, False, "its words are all different and do not occur below"
    return 0, False, "the first line looks like the lines below it"


def _begins_alike(first: list[str], rows: list[list[str]]) -> bool:
    """Return whether the first word is a number or day here and in nearly all others, as in a log."""
    kinds = [kind_of(words[0]) if (words := row[0].split(maxsplit=1)[:1]) else "" for row in (first, *rows)]
    common = kinds[0] in ("number", "date") and len(kinds) > LEAST_BELOW
    return common and kinds.count(kinds[0]) > LEAST_TYPED * len(kinds)


def is_ruling(record: list[str]) -> bool:
    """Return whether a record is a line of dashes, also in a frame: ``|---|---|``."""
    if len(record) > 2 and not record[0] and not record[-1]:
        return all(map(_FRAMED_RULING.fullmatch, record[1:-1]))
    return all(map(_RULING.fullmatch, record))


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
    return bool(_YEAR.fullmatch(cell.strip())) and not all(_YEAR.fullmatch(text.strip()) for text in below)


def _is_priced_heading(cell: str, below: list[str]) -> bool:
    """An amount of money above plain numbers is a name: how many were sold at that price."""
    return bool(_AMOUNT.fullmatch(cell.strip())) and not any(_AMOUNT.fullmatch(text.strip()) for text in below)


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
        record, rows = records[lines], [row for row in records[lines + 1 :] if len(row) == width][: _judged(width)]
        if len(record) != width or len(rows) < LEAST_BELOW_LABELS:
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


def _is_second_line(first: list[str], second: list[str]) -> bool:
    """Two lines of header: the upper has gaps, as merged headings leave, the lower has none there."""
    gaps = [at for at, cell in enumerate(first) if not cell.strip()]
    filled = all(second[at].strip() for at in gaps if at < len(second))
    # Years are headings too, above the names of what was measured in them.
    upper = [cell for cell in first if not _YEAR.fullmatch(cell.strip())]
    return bool(gaps) and filled and all_words(upper) and all_words(second)
