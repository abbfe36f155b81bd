"""What hypothesis draws tables from."""

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from hypothesis import strategies as st

import comb

TEXT = st.text(st.characters(codec="utf-8", exclude_characters="\x00"), min_size=1, max_size=8).filter(str.strip)
WORDS = st.sampled_from(["Mill", "Ridge", "mill ", "Brook", "0101", "n/a", "12", "a;b", 'say "hi"', "two\nlines", "é"])
INTEGERS = st.integers(-(2**63), 2**63 - 1)
SMALL = st.integers(-50, 50)
NUMBERS = st.floats(allow_nan=False, allow_infinity=False, width=64)
DATES = st.dates(date(1, 1, 1), date(9999, 12, 31))
DATETIMES = st.datetimes(datetime(1, 1, 1), datetime(9999, 12, 31, 23, 59, 59))
SPANS = st.timedeltas(timedelta(days=-100_000), timedelta(days=100_000))
CENTS = st.integers(-(10**12), 10**12).map(lambda digits: Decimal(digits).scaleb(-2))

KINDS = {
    "string": TEXT | WORDS,
    "integer": INTEGERS,
    "number": NUMBERS,
    "decimal": CENTS,
    "boolean": st.booleans(),
    "date": DATES,
    "datetime": DATETIMES,
    "utc": DATETIMES.map(lambda moment: moment.replace(tzinfo=UTC)),
    "time": st.times(),
    "duration": SPANS,
}


@st.composite
def tables(draw: st.DrawFn, kinds: tuple[str, ...] = tuple(KINDS), min_rows: int = 0) -> comb.Table:
    """Draw a table with a column of each of some kinds, some cells missing."""
    height = draw(st.integers(min_rows, 8))
    columns = {}
    for kind in kinds:
        cells = draw(st.lists(st.none() | KINDS[kind], min_size=height, max_size=height))
        columns[f"{kind}_col"] = cells
    return comb.table(columns=columns)


@st.composite
def numeric_tables(draw: st.DrawFn) -> comb.Table:
    """Draw a table of small integers, text and booleans, as SQL understands them."""
    height = draw(st.integers(1, 6))

    def cells(strategy: st.SearchStrategy[object]) -> list[object]:
        return draw(st.lists(st.none() | strategy, min_size=height, max_size=height))

    columns = {"a": cells(SMALL), "b": cells(SMALL), "c": cells(SMALL), "s": cells(WORDS), "t": cells(WORDS)}
    # A column without any value would be text, whatever its name promises.
    for name in "abc":
        columns[name][0] = draw(SMALL)
    return comb.table(columns=columns)


CONDITIONS = st.recursive(
    st.sampled_from([
        "a > 3", "a = b", "b <> c", "a <= c", "s = 'Mill'", "s < t", "a is null", "t is not null",
        "a in (1, 2, b)", "b not in (3, c)", "a between b and c", "a not between -5 and 5",
        "s like 'M%'", "s not like '%i__'", "a + b * c > 10", "a - b < -c", "coalesce(a, b, 0) >= 0",
        "nullif(a, b) > 0", "case when a > b then a else b end < 7", "abs(a) = abs(b)", "a % 7 = 0",
        "a / 4 > 1.25", "round(a * 1.0, 0) = a", "upper(s) = upper(t)", "char_length(s) > 4", "s || t like '%l%'",
    ]),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["and", "or"]), inner).map(lambda parts: f"({parts[0]} {parts[1]} {parts[2]})"),
        inner.map(lambda condition: f"not ({condition})"),
    ),
    max_leaves=5,
)  # fmt: skip
