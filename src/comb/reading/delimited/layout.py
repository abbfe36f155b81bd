"""Guess how a text is laid out: delimiter, quote, title lines, header. Pure: text in, guess out."""

import re
from collections import Counter
from collections.abc import Sequence
from itertools import pairwise

import msgspec

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels import dispatch
from comb.kernels.types import SPACES, Dialect
from comb.reading.delimited.cell_kinds import JUDGED_RECORDS, all_words, judged, kind_of
from comb.reading.delimited.first_lines import (
    LEAST_BELOW,
    LEAST_BELOW_LABELS,
    LEAST_TYPED,
    LEAST_UNNAMED_WIDTH,
    NAME_AND_VALUE,
    are_units,
    guess_header,
    heading_votes,
    is_above_names,
    is_ruling,
    label_lines,
)
from comb.tables.read_options import MOST_HEADER_LINES, ReadOptions

# In order of preference where the evidence is even.
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "pipe", ":": "colon", SPACES: "spaces"}

# This many characters and records are enough to see the layout.
SAMPLE_CHARACTERS = 400_000
SAMPLE_RECORDS = 500

# A colon occurs in times and addresses, a space in texts: they part columns only if
# nearly all lines agree.
LEAST_FIT = {":": 0.95, SPACES: 0.98}

# Marks that some programs write twice. What encloses texts and numbers is no part of a delimiter.
DOUBLED = ("::", "||")
_NO_MARKS = frozenset("\"'()[]{}<>+-.%")

# These occur in texts too, with a space behind them; fewer lines than this show nothing.
PUNCTUATION = (",", ";", ":", "|")
LEAST_PROSE = 3

# That they do not, the first records may show.
FIRST_RECORDS = 60
_DOUBLED = lazy_pattern(r'[^,;\t|:\r\n "]""[^,;\t|:\r\n"]')
_ENCLOSED_IN = {
    quote: lazy_pattern(rf"(?:^|[,;\t|\r]){quote}[^{quote}\n]*{quote}(?=[,;\t|\r]|$)", re.MULTILINE) for quote in "\"'"
}
# From this share of lines on a comma stands inside of times. Behind the milliseconds there is a space, and no number,
# or another delimiter.
MOSTLY_INSIDE = 0.9
_SECONDS = lazy_pattern(r"[0-9]:[0-5][0-9]:[0-5][0-9]\Z")
_MILLISECONDS = lazy_pattern(r"[0-9]{3}(?:\s+[^\s0-9]|\s*[|;])")

_DECIMAL_COMMA = lazy_pattern(r"\s*[+-]?[0-9]+,[0-9]+\s*")
_CLOCK_PART = lazy_pattern(r"\s*[0-9]{1,2}\s*")
# The two sides of a colon inside of a time, of which one has other text beside it.
_CLOCK_ENDS = (
    (lazy_pattern(r"[\sT][0-9]{1,2}\Z"), lazy_pattern(r"[0-5][0-9](?![0-9])")),
    (lazy_pattern(r"(?:\A|[\sT])[0-9]{1,2}\Z"), lazy_pattern(r"[0-5][0-9](?![0-9]|\Z)")),
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
        Lines of header: 0 to 5.
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


# With its quotes and the end of the line.
LONGEST_DECLARATION = 9

# A first line that says which delimiter follows, as spreadsheet programs read and write it.
DECLARATION = lazy_pattern(r'"?sep=([^\r\n"])"?(?=\r\n|\r|\n)', re.IGNORECASE, needs="=")


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
    declared = DECLARATION.match(text[:LONGEST_DECLARATION]) if not given.skip else None
    if declared is not None and given.delimiter is None:
        given = given.replace(delimiter=declared[1])
    below = 1 if declared is not None else given.skip or 0
    sample = _sample(text, below)
    quote, escape = _guess_quote(sample) if given.quote is None else (given.quote[-1:], given.quote[:-1])
    best, runner_up = _best_trial(sample, quote or None, escape, given.delimiter)
    top = _header_record(best)
    numbers_above = given.header is None and given.skip is None and is_above_names(best.fields[top:], best.width)
    top += numbers_above
    above = (best.lines[top] - 1 if best.lines else 0) + (declared is not None)
    skip = above if given.skip is None else given.skip
    records = _filled_up(best.fields[top:], best.width)
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
    if numbers_above:
        narrow = "a line of numbers above the names"
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

# Nearly all lines are of one width by a delimiter that parts the first as well.
LEAST_FIT_OF_LINES = 0.95

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
        # Twice the same mark comes first: else it leaves an empty column between any two.
        candidates[:0] = [option for option in DOUBLED if _in_nearly_all(sample, option)]
    trials = [_try(sample, option, quote, escape) for option in candidates]
    if not delimiter:
        trials = [trial for trial in trials if not _too_weak(trial, sample)]
    trials.sort(key=lambda trial: (-trial.score, -trial.typed))
    if not delimiter and (not trials or trials[0].score == 0):
        unused = next((option for option in DELIMITERS if option not in sample), ",")
        return _try(sample, unused, quote, escape), ""
    whole = next((trial for trial in trials if _fits_every_line(trial, trials[0])), trials[0])
    if not delimiter and (around := _mark_around(whole)):
        whole = _try(sample, f"{around}{whole.delimiter}{around}", quote, escape)
    runner = next((trial for trial in trials if trial.score > 0 and trial is not whole), None)
    return whole, f"{name_of(runner.delimiter)}: {runner.figures()}" if runner else ""


def _fits_every_line(trial: _SplitSample, best: _SplitSample) -> bool:
    """Return whether a delimiter parts the lines in more fields than the best does, which is then inside of some.

    What has the same number of commas in all lines is parted by them, whatever the columns hold: a semicolon in
    each of them, as in ``Agent/5.0 (X11; Linux)``, does not part the first line, or leaves the numbers in texts.
    """
    if trial.delimiter in LEAST_FIT and not _encloses_spaces(trial):
        return False
    if not trial.width > best.width > 1 or len(trial.fields) < LEAST_PROSE:
        return False
    if len(trial.fields[0]) != trial.width or trial.fit < LEAST_FIT_OF_LINES:
        return False
    return len(best.fields[0]) != best.width or (trial.fit == 1 and trial.typed > best.typed)


def _in_nearly_all(sample: str, delimiter: str) -> bool:
    lines = [line for line in sample.splitlines()[:SAMPLE_RECORDS] if line.strip()]
    return sum(delimiter in line for line in lines) >= LEAST_FIT_OF_LINES * len(lines) > 0


def _mark_around(trial: _SplitSample) -> str:
    """Return the mark on both sides of each delimiter, as in ``1~|~Mill~|~31.5``; empty without one.

    >>> from comb.reading.delimited.layout import _try
    >>> _mark_around(_try("a~|~b\\n1~|~2", "|", None, "")), _mark_around(_try("a|b\\n1|2", "|", None, ""))
    ('~', '')
    """
    rows = [row for row in trial.fields if len(row) == trial.width]
    mark = rows[0][0][-1:] if rows and trial.width > 1 and trial.delimiter != SPACES else ""
    if not mark or mark.isalnum() or mark.isspace() or mark in _NO_MARKS:
        return ""
    behind = all(field.endswith(mark) for row in rows for field in row[:-1])
    return mark if behind and all(field.startswith(mark) for row in rows for field in row[1:]) else ""


def _encloses_spaces(trial: _SplitSample) -> bool:
    """Return whether spaces part the fields and nearly each line has one in quotes for the spaces in it."""
    enclosed = sum(any(" " in cell for cell in row) for row in trial.fields)
    return trial.delimiter == SPACES and trial.width > NAME_AND_VALUE and enclosed >= trial.fit * len(trial.fields) > 0


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
    if trial.delimiter in DOUBLED:
        return len(trial.fields[0]) != trial.width or trial.fit < LEAST_FIT_OF_LINES
    if trial.delimiter in PUNCTUATION and _is_prose(trial):
        return True
    if trial.delimiter == ",":
        if _has_fractions_of_seconds(trial.fields):
            return True
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
        # It parts hours from minutes, or addresses, in most records: then it is inside of these.
        in_times = sum(_has_clock(row) or _has_place(row) for row in records[1:])
        return 2 * in_times > len(records) - 1 or all(_CLOCK_PART.fullmatch(cell) for cell in cells)
    # Columns parted by spaces are aligned by runs of them, or hold numbers, or are in quotes for other spaces.
    if _encloses_spaces(trial):
        return False
    aligned = sum("  " in line for line in sample.splitlines())
    values = sum(kind_of(cell) in ("number", "date") for cell in cells)
    return aligned < len(records) / 2 and values < len(cells) / 2


def _has_fractions_of_seconds(records: list[list[str]]) -> bool:
    """Return whether the first comma of nearly all lines parts a time from its milliseconds, 12:00:01,003 INFO."""
    parted = [row for row in records if len(row) > 1]
    inside = sum(bool(_SECONDS.search(row[0]) and _MILLISECONDS.match(row[1])) for row in parted)
    return inside > 1 and inside >= MOSTLY_INSIDE * len(parted)


def _is_prose(trial: _SplitSample) -> bool:
    """Return whether a mark with a space behind it belongs to some texts of a single column: Lund, Bo.

    It does not part the first of these lines, which names them, or most of the others, and no number or date; or only
    one line; or only some lines here and there.
    """
    wide = [at for at, row in enumerate(trial.fields) if len(row) == trial.width]
    if trial.width == 1 or len(trial.fields) < LEAST_PROSE:
        return False
    if not all(field.startswith(" ") for at in wide for field in trial.fields[at][1:]):
        return False
    named = trial.delimiter == "," and len(trial.fields[0]) == 1 and len(wide) == len(trial.fields) - 1
    few = named or 2 * len(wide) < len(trial.fields)
    return (few and not trial.typed) or len(wide) == 1 or 2 * len(wide) <= wide[-1] - wide[0]


def _has_place(fields: list[str]) -> bool:
    """Return whether a record parted by colons has an address of the web or a path on a drive that was parted."""
    return any(
        other.startswith("//") or (len(one.strip()) == 1 and other.startswith(("\\", "/")))
        for one, other in pairwise(fields)
    )


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
    for _, match in zip(range(lines), re.finditer(r"\r\n|\n|\r", text) if lines else (), strict=False):
        position = match.end()
    return position


def _guess_quote(sample: str) -> tuple[str, str]:
    """Return the quote and what escapes it.

    Double quotes mean quoting unless only single ones enclose whole fields; a backslash
    escapes them if it stands before some and none is doubled inside a field.
    """
    # A field in single quotes is in one line: the others are not even looked at.
    lines = "\n".join(line for line in sample.split("\n") if "'" in line) if "'" in sample else ""
    single = len(_ENCLOSED_IN["'"].findall(lines)) if lines else 0
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
    rows = [fields for fields, _ in kept if len(fields) == width][1 : judged(width)]
    return _SplitSample(
        delimiter, [fields for fields, _ in kept], [line for _, line in kept], width, fit, *_alike(rows)
    )


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


def _delimiter_evidence(best: _SplitSample, *, declared: bool, given: bool) -> str:
    if given:
        return f"the first line says so: sep={best.delimiter}" if declared else "as declared"
    return best.figures() if best.width > 1 else "no delimiter gives more than one field"


def _header_record(trial: _SplitSample) -> int:
    """Return the record that begins the table; what is above are titles and comments."""
    records, width = trial.fields, trial.width
    first = next((at for at, fields in enumerate(records) if len(fields) == width), 0)
    if first + 1 < len(records) and width > 1 and is_ruling(records[first]):
        # A table ruled above its header, as text for people is.
        return first + 1
    if first and _is_header_of_other_width(records[first - 1], records[first:], width):
        return first - 1
    for upper in range(min(MOST_HEADER_LINES - 1, first), 0, -1):
        gapless = trial.lines[first] - trial.lines[first - upper] == upper
        if gapless and _filled_up(records[first - upper :], width)[0] is not records[first - upper]:
            return first - upper
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
        above, below = records[first:at], records[at + 1 : at + judged(width)]
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


def _filled_up(records: list[list[str]], width: int) -> list[list[str]]:
    """Return records whose first ones, upper lines of a header, have the cells that are cut off at their ends.

    ``,2024,,2025`` above ``Region,Kept,Wild,Kept,Wild``: each has several headings and a gap in front of one.
    """
    upper = next((at for at, record in enumerate(records) if len(record) >= width), 0)
    for record in records[:upper]:
        gap = any(cell.strip() and not before.strip() for before, cell in pairwise(record))
        if not gap or sum(bool(cell.strip()) for cell in record) < NAME_AND_VALUE:
            return records
    filled = [[*record, *[""] * (width - len(record))] for record in records[:upper]] + records[upper:]
    return filled if upper and guess_header(filled, width)[0] == upper + 1 else records


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
