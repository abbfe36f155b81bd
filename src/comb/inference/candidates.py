"""The types a column of texts could have, judged by the counts of what its texts could be."""

from comb.errors import counted
from comb.kernels.types import DATE_MARKS, DATE_PARTS, MOST_DECIMAL_DIGITS, DatePart, Tally, TallySlot
from comb.parsing.cell_parser import CellParser
from comb.parsing.patterns import DateForm, write_date_pattern
from comb.parsing.vocabulary import BOOLEAN_PAIRS, BOOLEAN_WORDS
from comb.tables.evidence import AMBIGUOUS_COMMA, AMBIGUOUS_POINT, Candidate
from comb.tables.types import BOOLEAN, DATE, INTEGER, NUMBER, Type, decimal

# Below this share of dates that settle the order of day and month, it stays open.
LEAST_AGREEING = 0.9

_PART_OF_ORDER = {"ymd": DatePart.YMD, "dmy": DatePart.DMY, "mdy": DatePart.MDY}


def candidate(
    parser: CellParser, fits: int, tally: Tally, pattern: str = "", why: tuple[str, ...] = (), doubt: str = ""
) -> Candidate:
    """Return a type that some of the texts fit, with how they are read.

    Parameters
    ----------
    parser : CellParser
    fits : int
        How many cells fit.
    tally : int64 array
        The counts of the column.
    pattern : str
        How the values are written.
    why : tuple of str
        What speaks for it.
    doubt : str
        Why it must not be chosen without being asked for; empty if nothing.
    """
    return Candidate(parser.type, fits, int(tally[TallySlot.OTHER]) - fits, pattern, doubt, why, parser)


def tallied_candidates(tally: Tally, decimal_mark: str = "") -> list[Candidate]:
    """Return every type that some texts fit.

    Parameters
    ----------
    tally : int64 array
        See `comb.kernels.types.TallySlot`.
    decimal_mark : str
        The one that other columns of the source prove, where they do.

    Returns
    -------
    list of Candidate
        The most cells first; of equal ones the narrower type first.
    """
    found = [
        *_boolean(tally),
        *_point_numbers(tally, decimal_mark),
        *_comma_numbers(tally, decimal_mark),
        *_dates(tally),
    ]
    return sorted((one for one in found if one.fits), key=lambda one: -one.fits)


def _boolean(tally: Tally) -> list[Candidate]:
    """Yes and no in words: both must occur, and both of one pair."""
    if not tally[TallySlot.WORD :].any():
        return []
    words = dict(zip(BOOLEAN_WORDS, tally[TallySlot.WORD :].tolist(), strict=False))
    pair = next((pair for pair in BOOLEAN_PAIRS if all(words[word] for word in pair)), None)
    if pair is None:
        return []
    return [
        candidate(
            CellParser(BOOLEAN), words[pair[0]] + words[pair[1]], tally, why=(f"{pair[0]} and {pair[1]} both occur",)
        )
    ]


def _point_numbers(tally: Tally, decimal_mark: str) -> list[Candidate]:
    """Whole numbers, then decimals or numbers with a point, unless each could be a thousands separator."""
    whole = candidate(CellParser(INTEGER), int(tally[TallySlot.INTEGER]), tally)
    if not tally[TallySlot.POINT_MARKED]:
        return [whole]
    is_open = bool(tally[TallySlot.POINT_SCALE + 3] and not tally[TallySlot.POINT_DECIDED])
    if is_open and decimal_mark == ",":
        return [whole]
    kind = scaled_type(tally, TallySlot.POINT_SCALE) or NUMBER
    doubt = AMBIGUOUS_POINT if is_open and not decimal_mark else _bare_exponents(tally)
    why = ("decimal point, as in other columns",) if is_open and decimal_mark else ()
    return [whole, candidate(CellParser(kind), int(tally[TallySlot.POINT]), tally, why=why, doubt=doubt)]


def _bare_exponents(tally: Tally) -> str:
    """Return the doubt about numbers whose only exponents are written like codes, ``19E7``."""
    bare = int(tally[TallySlot.BARE_EXPONENT])
    scaled = tally[TallySlot.POINT_SCALE + 1 : TallySlot.POINT_SCALE + MOST_DECIMAL_DIGITS + 1].sum()
    if not bare or tally[TallySlot.POINT_MARKED] - scaled > bare:
        return ""
    return f"{counted(bare, 'value')} with an exponent but no point and no sign, as codes like 19E7 have"


def _comma_numbers(tally: Tally, decimal_mark: str) -> list[Candidate]:
    """Decimals or numbers with a comma, unless each comma could just as well be a thousands separator."""
    is_open = not tally[TallySlot.COMMA_DECIDED]
    if not tally[TallySlot.COMMA_MARKED] or (is_open and decimal_mark == "."):
        return []
    kind = scaled_type(tally, TallySlot.COMMA_SCALE) or NUMBER
    doubt = AMBIGUOUS_COMMA if is_open and not decimal_mark else ""
    why = ("decimal comma, as in other columns" if is_open else "decimal comma",)
    return [candidate(CellParser(kind, decimal_mark=","), int(tally[TallySlot.COMMA]), tally, why=why, doubt=doubt)]


def scaled_type(tally: Tally, place: int) -> Type | None:
    """Return the decimal type if all numbers have as many digits after the mark."""
    used = tally[place : place + MOST_DECIMAL_DIGITS + 1].nonzero()[0].tolist()
    return decimal(used[0]) if len(used) == 1 and used[0] else None


def most_digits(tally: Tally, place: int) -> int:
    """Return the most digits after the mark that any number has."""
    return int(max(tally[place : place + MOST_DECIMAL_DIGITS + 1].nonzero()[0], default=0))


def _dates(tally: Tally) -> list[Candidate]:
    """Numeric dates; forms that cannot be confused may be in one column together."""
    if not tally[TallySlot.DATE : TallySlot.WORD].any():
        return []
    weights: dict[DateForm, int] = {}
    why: list[str] = []
    doubts: list[str] = []
    for at, mark in enumerate(DATE_MARKS):
        start = TallySlot.DATE + at * DATE_PARTS
        parts = tally[start : start + DATE_PARTS].tolist()
        if parts[DatePart.YEAR_FIRST]:
            pattern = write_date_pattern("ymd", mark, padded=not parts[DatePart.YEAR_FIRST_UNPADDED])
            weights[DateForm("ymd", mark, pattern)] = parts[DatePart.YMD]
        if parts[DatePart.YEAR_LAST]:
            form, reason, doubt = _day_month(mark, parts)
            weights[form] = parts[_PART_OF_ORDER[form.order]]
            why.append(reason)
            doubts.append(doubt)
    used = tuple(sorted((form for form in weights if weights[form]), key=lambda form: -weights[form]))
    if not used:
        return []
    if len(used) > 1:
        message = ", ".join(f"{form.pattern} {counted(weights[form], 'time')}" for form in used)
        why = [f"several forms that cannot be confused: {message}", *why]
    doubt = next(filter(None, doubts), "")
    return [
        candidate(
            CellParser(DATE, dates=used), sum(weights.values()), tally, used[0].pattern, tuple(filter(None, why)), doubt
        )
    ]


def _day_month(mark: str, parts: list[int]) -> tuple[DateForm, str, str]:
    """Decide the order of day and month by the values that can only be read one way."""
    first, second = parts[DatePart.FIRST_ABOVE_12], parts[DatePart.SECOND_ABOVE_12]
    # With points the day comes first everywhere; other marks need values that decide.
    order = "dmy" if mark == "." or first >= second else "mdy"
    deciding = first if order == "dmy" else second
    padded = not parts[DatePart.YEAR_LAST_UNPADDED]
    form = DateForm(order, mark, write_date_pattern(order, mark, padded=padded))
    if deciding >= LEAST_AGREEING * (first + second) and deciding:
        return form, f"day and month cannot be confused: {counted(deciding, 'value')} with a day above 12", ""
    if mark == "." and not second:
        return form, "with dots between, day first", ""
    message = f"{counted(first, 'value')} with the day first, {second:,} with the month"
    return form, "", "day and month could be swapped: " + (message if first else "no value has a day above 12")
