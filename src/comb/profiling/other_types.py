"""Findings about columns that could be of another type than they have: by their values, and by what their heading says.

A remedy is offered only where every value can be read so; a name alone proves nothing.
"""

import numpy as np

from comb.errors import CombError, agree, counted
from comb.inference.proposals import CODES
from comb.kernels.grouping import group_sizes
from comb.kernels.types import FITS, IS_KNOWN
from comb.parsing.headings import day_pattern_of
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import (
    MOST_EXAMPLES,
    Finding,
    Findings,
    as_asked_type,
    everywhere,
    kept_texts,
    noticed,
    quoted,
)
from comb.profiling.headings import COUNT_WORDS, LABEL_WORDS, YEAR_WORDS, words, words_of
from comb.profiling.labelled_numbers import labelled_numbers
from comb.profiling.lookups import quoted_name
from comb.profiling.missing import numbers_for_missing
from comb.profiling.one_unit import MOSTLY
from comb.profiling.texts import yes_no_forms
from comb.profiling.unreadable_moments import wrong_weekdays
from comb.statistics.figures import stored_positions
from comb.steps.base import Step
from comb.steps.cell_steps import Convert
from comb.steps.column_steps import Calculate
from comb.tables.column import Column, Mask
from comb.tables.evidence import Candidate, Evidence
from comb.tables.names import unique_names
from comb.tables.table import BareTable
from comb.tables.types import DATE, INTEGER, NUMBER, STRING

# Words in names of columns that hold days, and of those that hold times of day.
_DAY_WORDS = words(
    "date day datum tag jour fecha dia día on at when time timestamp since datetime epoch unix ts utc stamp"
)
_EVENT_WORDS = words(
    "start end due opened closed born dob birthday birth received visited ordered shipped delivered admitted "
    "discharged hired created updated signed expiry expires deadline joined arrival departure returned sown planted "
    "harvested inspected sampled lent begin beginning until valid issued paid registered published entry exit checked "
    "modified changed seen logged login logout synced"
)
_CLOCK_WORDS = words("time clock uhr uhrzeit zeit hour heure hora at")

# Day counts of spreadsheet programs, from 1954 to 2064; seconds since 1970, from 1980 to 2065.
_DAY_COUNTS = (20_000, 60_000)
_SECONDS = (315_532_800, 3_000_000_000)
_UNITS = {"seconds": 1, "milliseconds": 1_000, "microseconds": 1_000_000}

# Six of ten numbers pass for a time of day by chance; eight different ones do in one column of sixty.
LEAST_CLOCKS = 8

# A code has no more values than this, and each of them several times.
MOST_LABELS = 12
LEAST_REPEATED = 5

# Codes that a text names are small, and go on nearly without a gap.
LARGEST_CODE = 99
MOST_HOLES = 1.5
NAMED_SHARE = 0.9

# What day counts look like whatever the heading: within this many days, and close to the days of another column or on
# working days only.
MOST_DAYS = 6_000
LEAST_WEEKDAYS = 40
MOST_DAYS_APART = 800

# Day counts have five digits; dates and they are nearly all the values of a column that mixes them.
DAY_COUNT_DIGITS = 5
MOST_DAYS_READ = 200_000
LEAST_DAYS = 0.9

# Years lie between these; without a heading that says so they go on without a gap, few and each several times.
YEARS = (1800, 2100)
MOST_YEARS_UNNAMED = 40
LATE_YEARS = (1950, 2050)


def numbers_that_count(table: ColumnCache) -> Findings:
    """Whole numbers that are days, moments or times of day, by their range and the name of the column."""
    for name, column in table.columns.items():
        said = words_of(name)
        # What is counted per day or hour is a rate.
        named = said & (_CLOCK_WORDS | _DAY_WORDS) and "per" not in said
        if (column.type not in (INTEGER, NUMBER) and column.type.word != "decimal") or not table.present_count(name):
            continue
        if column.type != INTEGER:
            yield from _days_with_fractions(table, name, column, named=bool(said & _DAY_WORDS))
            continue
        ordered = table.ordered(name)
        least, most = int(ordered[0]), int(ordered[-1])
        if most < _DAY_COUNTS[0] and not named:
            continue
        if not named and said & _EVENT_WORDS and "per" not in said:
            # Numbers that all differ and lie close together count something else.
            named = 2 * table.different(name) < 1.8 * min(len(ordered), most - least + 1)
            said |= {"date"} if named else set()
        if not named:
            yield from _days_by_values(table, name, column)
            continue
        values = column.array[column.present] if column.missing_count else column.array
        asked = ""
        if said & _CLOCK_WORDS and least >= 0 and 100 <= most < 2400 and _are_clocks(values):
            asked, code, message = "time Hmm", "type.clock_numbers", "times of day without a mark"
        elif said & _DAY_WORDS and _DAY_COUNTS[0] <= least and most <= _DAY_COUNTS[1]:
            asked, code, message = "date days_since_1900", "type.serial_dates", "day counts of a spreadsheet program"
        elif said & _DAY_WORDS:
            for unit, many in _UNITS.items():
                if _SECONDS[0] * many <= least and most <= _SECONDS[1] * many:
                    asked, code, message = f"datetime {unit}_since_1970", "type.serial_dates", f"{unit} since 1970"
        if asked:
            examples = tuple(dict.fromkeys(map(str, values[:MOST_EXAMPLES].tolist())))
            text = f"by its name and its numbers, {name} holds {message}, from {least} to {most}"
            remedy = Convert(columns={name: asked})
            yield Finding(code, (name,), len(values), everywhere(table, column), examples, text, remedy)


def _days_with_fractions(table: ColumnCache, name: str, column: Column, *, named: bool) -> Findings:
    """Day counts with the time of day behind the point."""
    least, most = stored_positions(column, table.ordered(name)[[0, -1]]).tolist()
    if not (_DAY_COUNTS[0] <= least and most < _DAY_COUNTS[1] + 1):
        return
    values = table.floats(name)[column.present]
    days = np.floor(values)
    if not (values != days).any():
        return
    if not named and not _near_other_days(table, name, days):
        return
    text = f"by its numbers, {name} holds moments as day counts of a spreadsheet program, the time behind the point"
    examples = tuple(text or "" for text in column._take(column._first_present(MOST_EXAMPLES)).texts())
    remedy = Convert(columns={name: "datetime days_since_1900"})
    yield Finding("type.serial_dates", (name,), len(values), everywhere(table, column), examples, text, remedy)


def _days_by_values(table: ColumnCache, name: str, column: Column) -> Findings:
    """Day counts whose heading does not say so."""
    least, most = (int(one) for one in table.ordered(name)[[0, -1]])
    if least < _DAY_COUNTS[0] or most > _DAY_COUNTS[1] or most - least > MOST_DAYS:
        return
    values = column.array[column.present]
    used = np.unique(values)
    working = len(used) >= LEAST_WEEKDAYS and bool((used % 7 > 1).all()) and most - least > 2 * 7
    if not working and not _near_other_days(table, name, values.astype(np.float64)):
        return
    text = f"by its numbers, from {least} to {most}, {name} holds day counts of a spreadsheet program"
    text += ": working days only" if working else ", close to the days of another column"
    examples = tuple(dict.fromkeys(map(str, values[:MOST_EXAMPLES].tolist())))
    remedy = Convert(columns={name: "date days_since_1900"})
    yield Finding("type.serial_dates", (name,), len(values), everywhere(table, column), examples, text, remedy)


# Day 0 of a spreadsheet program, in days from 1970.
_DAY_ZERO = -25_569


def _near_other_days(table: ColumnCache, name: str, days: np.ndarray) -> bool:
    """Return whether a column of dates lies in the same span as day counts."""
    for other, column in table.columns.items():
        if other == name or column.type.plain.word not in ("date", "datetime") or not table.present_count(other):
            continue
        theirs = np.nanquantile(table.floats(other), [0.05, 0.5, 0.95]) - _DAY_ZERO
        mine = np.quantile(days, [0.05, 0.5, 0.95])
        if abs(mine[1] - theirs[1]) <= max(MOST_DAYS_APART, theirs[2] - theirs[0]) and mine[2] - mine[0] <= MOST_DAYS:
            return True
    return False


def day_counts_among_dates(table: ColumnCache) -> Findings:
    """Day counts of a spreadsheet program among dates: cells that did not fit."""
    for name, column in table.columns.items():
        if column.type.plain.word not in ("date", "datetime"):
            continue
        where = day_counts_in(column)
        count = int(where.sum())
        if count:
            texts = kept_texts(column, where)
            text = f"{counted(count, 'cell')} of {name} {agree(count, 'holds a day count', 'hold day counts')} of a"
            text += " spreadsheet program instead of a date"
            yield Finding("type.serial_dates", (name,), count, table.rows_where(where), quoted(texts), text)


def day_counts_in(column: Column) -> np.ndarray:
    """Return where the kept text of a cell of dates is a day count near the other days."""
    where = np.zeros(len(column), np.bool_)
    if column.type.plain.word not in ("date", "datetime") or not column.kept.texts or not column.present.any():
        return where
    days = column.array[column.present].astype("datetime64[D]").astype(np.int64) - _DAY_ZERO
    least, most = int(days.min()) - MOST_DAYS_APART, int(days.max()) + MOST_DAYS_APART
    for at, text in column.kept.texts.items():
        number = text.strip().split(".")[0]
        if number.isascii() and number.isdigit() and len(number) == 5 and least <= int(number) <= most:
            where[at] = True
    return where


def years(table: ColumnCache) -> Findings:
    """Whole numbers that are years: to be compared and counted, not added."""
    for name, column in table.columns.items():
        if column.type != INTEGER or not table.present_count(name):
            continue
        ordered = table.ordered(name)
        least, most = int(ordered[0]), int(ordered[-1])
        if least < YEARS[0] or most > YEARS[1] or least == most:
            continue
        named = bool(words_of(name) & YEAR_WORDS)
        different = table.different(name)
        unnamed = (
            LATE_YEARS[0] <= least and most <= LATE_YEARS[1] and 3 <= different <= MOST_YEARS_UNNAMED
            and most - least + 1 == different and LEAST_REPEATED * different <= len(ordered)
        )  # fmt: skip
        if not named and not unnamed:
            continue
        examples = tuple(dict.fromkeys(map(str, ordered[:: max(1, len(ordered) // MOST_EXAMPLES)].tolist())))
        text = f"{name} holds years, from {least} to {most}: sums and means of them say nothing"
        yield Finding("type.year", (name,), len(ordered), everywhere(table, column), examples[:MOST_EXAMPLES], text)


def _are_clocks(values: np.ndarray) -> bool:
    """Return whether numbers are times of day by more than chance: their last two digits are minutes."""
    return bool((values % 100 < 60).all()) and len(np.unique(values)) >= LEAST_CLOCKS


def labels(table: ColumnCache) -> Findings:
    """Whole numbers that are codes for categories: few, repeated, and not counted."""
    for name, column in table.columns.items():
        if column.type != INTEGER or not column.present.any() or not 2 <= table.different(name) <= MOST_LABELS:
            continue
        values, counts = np.unique(column.array[column.present], return_counts=True)
        if counts.sum() < LEAST_REPEATED * len(values) or values.tolist() == [0, 1] or values[0] < 0:
            continue
        named = words_of(name) & LABEL_WORDS and not words_of(name) & (COUNT_WORDS | {"size"})
        text_of = None if named else _named_by(table, name, values)
        if not named and text_of is None and not _survey(values, counts):
            continue
        shown = [str(value) for value in values.tolist()]
        because = (
            "by its name and its values" if named else f"as {text_of} names them" if text_of else "by their values"
        )
        text = f"{because}, the {counted(len(values), 'number')} of {name} are codes: say what they stand for"
        remedy = Convert(columns={name: "category"}, choices=shown)
        yield Finding("type.labels", (name,), int(counts.sum()), everywhere(table, column), tuple(shown), text, remedy)


def _named_by(table: ColumnCache, name: str, values: np.ndarray) -> str | None:
    """Return the column of texts that has one text for each number, and one number for each text."""
    if values[-1] > LARGEST_CODE or values[-1] - values[0] + 1 > MOST_HOLES * len(values):
        # What is measured of a few things has one value for each of them, too.
        return None
    codes = table[name]._codes()
    for other, column in table.columns.items():
        if column.type.word != "string" or table.different(other) != len(values) or len(values) < 3:
            continue
        _, sizes = group_sizes([codes, column._codes()], table.row_count)
        # A few rows may have the text of another code.
        usual = np.sort(sizes)[::-1][: len(values)]
        if not column.missing_count and usual.sum() >= NAMED_SHARE * table.row_count and usual[-1] > 1:
            return other
    return None


def _survey(values: np.ndarray, counts: np.ndarray) -> bool:
    """Return whether numbers are answers of a form: 1, 2, 3 and so on without a gap, and 8 or 9, 98 or 99 behind."""
    rest = [value for value in values.tolist() if value in (7, 8, 9, 77, 88, 97, 98, 99)]
    first = [value for value in values.tolist() if value not in rest]
    least = counts[np.isin(values, rest)].min() if rest else 0
    return bool(
        rest
        and len(first) >= 2
        and first == list(range(1, len(first) + 1))
        and rest[0] > first[-1] + 1
        and least >= LEAST_REPEATED
    )


def mostly(table: ColumnCache) -> Findings:
    """Columns that are text although at least half of their values are of another type."""
    for name, column in table.columns.items():
        evidence = table.read_as_text(name)
        if evidence is None or evidence.declared:
            continue
        likely = next(
            (one for one in evidence.tried if one.type.plain != STRING and one.parser and not one.doubt), None
        )
        # It is text for a reason: codes, marks that could mean two things. Codes that are days more often than not, of
        # which chance would make one in thirty, are days, some of them impossible.
        codes = len(evidence.why) == 1 and evidence.why[0].startswith(CODES)
        told = evidence.why and evidence.chosen.type == STRING
        if told and not (codes and likely is not None and likely.type.word in ("date", "datetime", "time")):
            continue
        # A word for missing is no value, though text has it.
        known = noticed(column, IS_KNOWN)
        present = int((column.present & ~known).sum())
        if likely is not None and likely.type.word in ("boolean", "integer") and yes_no_forms(column):
            continue
        if likely is None or not MOSTLY * present <= likely.fits < present:
            continue
        if likely.type.numeric and numbers_for_missing(table, name):
            # Each number means missing: what is left are words.
            continue
        if (mixed := _days_and_counts(table, name, evidence)) is not None:
            yield mixed
            continue
        texts = column.text
        _, status = likely.parser.parse(texts.packed())
        wrong = status != FITS if texts.codes is None else (status != FITS)[texts.codes]
        # A bound, or a number with a mark, is not reported again.
        wrong &= column.present & ~known & ~table.told(name)
        count = int(wrong.sum())
        if not count:
            continue
        shown = dict(column._take(np.flatnonzero(wrong)).distinct().commonest(MOST_EXAMPLES))
        these = agree(count, "this one", f"these {count:,}")
        says = f"{likely.fits:,} of {present:,} values of {name} are of type {likely.type}, but not {these}"
        text = f"{says}: it is kept as text; convert {name} to {likely.type} keeps what does not fit beside the column"
        if wrong_weekdays(shown) == frozenset(shown):
            text += f"; {agree(count, 'its weekday is', 'their weekdays are')} not right"
        remedy: Step | None = read_as(name, column, likely, wrong | (column.present & known))
        if (
            likely.type == INTEGER
            and (scale := _scale(table, name, wrong, column.present & ~wrong & ~known)) is not None
        ):
            text, remedy = f"{says}, which are numbers of the same scale with words", scale
        yield Finding("type.unreadable", (name,), count, table.rows_where(wrong), quoted(shown), text, remedy)


def _days_and_counts(table: ColumnCache, name: str, evidence: Evidence) -> Finding | None:
    """Return what there is to say of texts that are dates and day counts of a spreadsheet program, near each other."""
    column = table[name]
    dates = next((one for one in evidence.tried if one.type.word == "date" and one.parser and one.fits), None)
    if dates is None or dates.parser is None or dates.doubt or column.text.item_count > MOST_DAYS_READ:
        return None
    days, status = dates.parser.parse(column.text.packed())
    numbers = days.astype("datetime64[D]").astype(np.int64) - _DAY_ZERO
    known = numbers[status == FITS]
    if not len(known):
        return None
    least, most = int(known.min()) - MOST_DAYS, int(known.max()) + MOST_DAYS
    wanted: dict[str, int] = {}
    for text, fits, number in zip(column.text.items(), (status == FITS).tolist(), numbers.tolist(), strict=True):
        if fits:
            wanted[text] = number
        elif len(text) == DAY_COUNT_DIGITS and text.isascii() and text.isdigit() and least <= int(text) <= most:
            wanted[text] = int(text)
    counts = {text for text in wanted if text.isdigit() and len(text) == DAY_COUNT_DIGITS}
    where = column.text.flags(counts.__contains__) & column.present
    read = int((column.text.flags(wanted.__contains__) & column.present).sum())
    count, present = int(where.sum()), int((column.present & ~noticed(column, IS_KNOWN)).sum())
    if not count or read < LEAST_DAYS * present:
        return None
    text = f"{counted(count, 'cell')} of {name} {agree(count, 'holds a day count', 'hold day counts')} of a spreadsheet"
    text += f" program, {counted(read - count, 'other')} {agree(read - count, 'is a date', 'are dates')} near them"
    shown = dict(column._take(np.flatnonzero(where)).distinct().commonest(MOST_EXAMPLES))
    new, written = unique_names([*table.names, f"{name}_day"])[-1], quoted_name(name)
    formula = f"case when {written} like '{'_' * DAY_COUNT_DIGITS}' then date '1899-12-30' + cast({written} as integer)"
    step = Calculate(columns={new: f"{formula} else cast({written} as date) end"})
    made = step.apply(BareTable({name: Column._of_strings(list(wanted))})).table[new]
    right = made.type == DATE and not made.missing_count
    right = right and (made.array.astype(np.int64) - _DAY_ZERO).tolist() == list(wanted.values())
    return Finding(
        "type.serial_dates", (name,), count, table.rows_where(where), quoted(shown), text, step if right else None
    )


def _scale(table: ColumnCache, name: str, wrong: Mask, numbers: Mask) -> Calculate | None:
    """Return the step that reads a scale of which some numbers have words."""
    if table.different(name) > 2 * MOST_LABELS:
        return None
    one, other = (table[name]._take(np.flatnonzero(where)).distinct() for where in (numbers, wrong))
    if len(one) > MOST_LABELS or len(other) > MOST_LABELS:
        return None
    return labelled_numbers(
        name, table.names, [text or "" for text in one.values.texts()], [text or "" for text in other.values.texts()]
    )


def read_as(name: str, column: Column, likely: Candidate, rest: Mask) -> Convert | None:
    """Return the step that reads a column as the type of most of its values, if it reads all of those, and no other."""
    alone = BareTable({name: column._replace(evidence=None)})
    ways = [f"{likely.type} {likely.pattern}".strip(), as_asked_type(likely.type)]
    for asked in dict.fromkeys(sorted(ways, key=len) if likely.type.word == "integer" else ways):
        step = Convert(columns={name: asked})
        try:
            made = step.apply(alone).table[name]
        except CombError:
            continue
        if made.type == likely.type and np.array_equal(made.missing, column.missing | rest):
            return step
    return None


def days_by_heading(table: ColumnCache) -> Findings:
    """Columns whose heading says that their digits are days, ``date (yymmdd)``, where all values are such days."""
    for name, column in table.columns.items():
        pattern = day_pattern_of(name)
        if pattern.isalpha() and are_days(name, column, pattern):
            found = column._take(np.flatnonzero(column.present))
            first = found._take(np.arange(min(len(found), MOST_EXAMPLES))).texts()
            examples = tuple(dict.fromkeys(text for text in first if text))
            text = f"every value of {name} is a day as its heading says: {pattern}"
            remedy = Convert(columns={name: f"date {pattern}"})
            yield Finding("type.serial_dates", (name,), len(found), everywhere(table, column), examples, text, remedy)


def clocks_by_heading(table: ColumnCache) -> Findings:
    """Columns whose heading says that they hold times of day, where all values are hours and minutes with a point."""
    for name, column in table.columns.items():
        if column.type.word not in ("string", "decimal") or not words_of(name) & _CLOCK_WORDS:
            continue
        if table.different(name) < LEAST_CLOCKS or not _fits(name, column, "time H.mm"):
            continue
        found = column._take(column._first_present(MOST_EXAMPLES)).texts()
        examples = tuple(dict.fromkeys(text for text in found if text))
        text = f"by its heading and every value, {name} holds times of day with a point between hours and minutes"
        remedy = Convert(columns={name: "time H.mm"})
        count = table.present_count(name)
        yield Finding("type.clock_numbers", (name,), count, everywhere(table, column), examples, text, remedy)


def _fits(name: str, column: Column, wanted: str) -> bool:
    """Return whether all values of a column can be read as a type."""
    found = BareTable({name: column._take(np.flatnonzero(column.present))})
    return not Convert(columns={name: wanted}).apply(found).table[name].missing_count


def are_days(name: str, column: Column, pattern: str) -> bool:
    """Return whether all values of a column are days of one pattern."""
    if column.type.word not in ("string", "integer") or not column.present.any():
        return False
    return _fits(name, column, f"date {pattern}")
