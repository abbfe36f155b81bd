"""Findings about how a table is laid out: rows that are no records, names that are values, two levels in one."""

import re
from collections.abc import Iterator, Set
from typing import NamedTuple

import numpy as np

from comb.errors import agree, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes, first_rows, group
from comb.parsing.headings import heading_groups
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.lookups import quoted_name
from comb.profiling.text_forms import containing_any
from comb.steps.base import Step
from comb.steps.level_steps import SeparateTables
from comb.steps.row_steps import Filter
from comb.steps.shape_steps import ToLong
from comb.tables.column import Column, Mask
from comb.tables.names import NAMELESS
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.value_texts import number_text

NOWHERE = np.zeros(0, np.int64)

# What a row of totals is called, and what follows it: "Total North".
_TOTAL = lazy_pattern(
    r"\s*(?:(?:grand |sub[- ]?)?total(?:s)?|sum(?:me)?|overall|all(?: [\w ]+)?|gesamt(?:summe)?|insgesamt|zwischensumme"
    r"|total général|sous-total|ensemble|suma|subtotal|totale|totaal)\b.*|.*\b(?:sub)?total\s*",
    re.IGNORECASE,
)

# Each of them has one of these in it.
_IN_TOTALS = ("tot", "sum", "all", "gesamt", "ensemble")

# How labels of totals are built, and the same as a pattern of a condition.
_KINDS = tuple(
    (re.compile(like.replace("%", "(?s:.*)")), like)
    for like in ("% Total", "% total", "% TOTAL", "Total %", "total %", "TOTAL %", "Subtotal %", "Sum of %", "Gesamt %")
)

# A total is checked with this much room for rounding, relative to it.
ROUNDING = 1e-6

# A row is the header again if this share of its cells are the names of their columns.
LEAST_NAMES = 0.6

# A wrong total is off by this share at most, if no other total of its column shows that it is one.
NEARLY = 0.2

# Rows of totals are few.
MOST_TOTALS = 0.34

# A level is a key that is repeated this often on average and decides this many columns that nearly tell it apart.
LEAST_REPEATS = 1.5
LEAST_DECIDED = 3

# Rows compared at once.
AT_ONCE = 65_536
LEAST_TELLING = 0.5
LEAST_TELLING_COLUMNS = 2


def empty_rows(table: ColumnCache) -> Findings:
    """Rows without any cell, also those that reading left out."""
    account = table.origin.account
    left = sum(account.left_out.get(kind, 0) for kind in ("of delimiters only", "empty")) if account else 0
    if left:
        text = f"{counted(left, 'row')} of the source {agree(left, 'is', 'are')} empty; left out when it was read"
        yield Finding("layout.empty_rows", (), left, NOWHERE, (), text)
    where = np.ones(table.row_count, np.bool_)
    for column in table.columns.values():
        nothing = (column.states == Reason.BLANK) | (column.states == Reason.ABSENT)
        if len(table.names) > 1:
            # A word that means missing is something, a null is nothing.
            nulls = column.states == Reason.MARKER
            nulls[column.kept.positions] = False
            nothing |= nulls
        where &= nothing
        if not where.any():
            return
    if not table.names or where.all():
        return
    count = int(where.sum())
    first = " or ".join(f"{quoted_name(name)} is not null" for name in table.names)
    text = f"{counted(count, 'row')} {agree(count, 'has', 'have')} nothing in any column"
    yield Finding("layout.empty_rows", (), count, table.rows_where(where), (), text, Filter(where=first))


def repeated_headers(table: ColumnCache) -> Findings:
    """Rows that are the header again, also those that reading left out."""
    account = table.origin.account
    left = account.left_out.get("repeating the header", 0) if account else 0
    if left:
        text = f"{counted(left, 'line')} of the source {agree(left, 'repeats', 'repeat')} the header; left out when"
        text += f" {agree(left, 'it was', 'they were')} read"
        yield Finding("layout.repeated_header", (), left, NOWHERE, (), text)
    named = np.zeros(table.row_count, np.int64)
    for name, column in table.columns.items():
        here = _equal_to(column, name)
        if here is not None:
            named += here
    where = (named >= 2) & (named >= LEAST_NAMES * len(table.names))
    if not where.any():
        return
    count = int(where.sum())
    text = f"{counted(count, 'row')} {agree(count, 'repeats', 'repeat')} the names of the columns"
    # The header of a part below may have names for cells that the first one did not know.
    first = [(name, column._take(np.flatnonzero(where)[:1]).texts()[0]) for name, column in table.columns.items()]
    unknown = [f"{name} is called {said}" for name, said in first if name.startswith(NAMELESS) and said]
    text += f"; there {listing(unknown)}" if unknown else ""
    yield Finding("layout.repeated_header", (), count, table.rows_where(where), (), text, _without_names(table, where))


def _without_names(table: ColumnCache, where: Mask) -> Step | None:
    """Return the step that leaves the names out, if no other row has the name of a column of texts in it."""
    for name, column in table.columns.items():
        here = column.text.flags(name.__eq__) & column.present if column.type.word == "string" else None
        if here is not None and np.array_equal(here, where):
            quoted = name.replace("'", "''")
            return Filter(where=f"{quoted_name(name)} is null or {quoted_name(name)} <> '{quoted}'")
    return None


def _equal_to(column: Column, name: str) -> Mask | None:
    """Return where the text of a cell, read or kept, is the name of its column."""
    wanted = name.strip().casefold()
    where = np.zeros(len(column), np.bool_)
    if column.type.word == "string":
        text = column.text
        # Texts are compared by their length first; most are as long as no name.
        lengths = np.diff(text.offsets)
        size = len(name.strip().encode())
        alike = np.flatnonzero((lengths >= size) & (lengths <= size + 2))
        begins = np.isin(
            text.buffer[text.offsets[:-1][alike]], [*name.strip().swapcase().encode()[:1], *name.encode()[:1], 32]
        )
        alike = alike[begins] if size else alike[:0]
        items = Text(text.buffer, text.offsets).take(alike).to_list()
        equal = alike[[one.strip().casefold() == wanted for one in items]] if len(alike) else alike
        if not len(equal):
            return None
        return np.isin(text.numbers(), equal) & column.present
    where[[at for at, text in column.kept.texts.items() if text.strip().casefold() == wanted]] = True
    return where if where.any() else None


class _Total(NamedTuple):
    """A row that is a total: where, what it adds up, and where it is wrong."""

    at: int
    wrong: tuple[tuple[str, str, str], ...]
    fits: int = 1


def totals(table: ColumnCache) -> Findings:
    """Rows that are totals of the others, and totals that their parts do not add up to."""
    texts = [(name, column) for name, column in table.columns.items() if column.type.word == "string"]
    labels = [(name, where) for name, column in texts if (where := total_labels(column)) is not None]
    if not labels or table.row_count < 3:
        return
    where = np.any([mask for _, mask in labels], axis=0)
    if where.sum() > MOST_TOTALS * table.row_count:
        return
    values = _summable(table, where)
    found = list(_below(table, where, values)) if values else []
    # A remark such as "total loss" makes no total of its row.
    fitting = np.isin(np.arange(table.row_count), [one.at for one in found if one.fits])
    kept = [(name, mask) for name, mask in labels if 2 * (mask & fitting).sum() >= mask.sum()]
    if found and kept and len(kept) < len(labels):
        labels, where = kept, np.any([mask for _, mask in kept], axis=0)
        found = list(_below(table, where, values))
    if not found and values:
        found = list(_among(table, labels, values))
    if not found:
        return
    rows = np.array(sorted(one.at for one in found), np.int64)
    count = len(rows)
    name = labels[0][0]
    shown = table[name]._take(rows[:MOST_EXAMPLES]).texts()
    examples = tuple(text for text in dict.fromkeys(shown) if text)
    text = f"{counted(count, 'row')} {agree(count, 'is a total', 'are totals')} of others: sums over the column count"
    text += " them twice"
    remedy = _without(table, [label for label, _ in labels], rows)
    yield Finding("layout.totals", (name,), count, np.sort(table.row_numbers[rows]), examples, text, remedy)
    wrong = [(one.at, *parts) for one in found for parts in one.wrong]
    for column in dict.fromkeys(parts[1] for parts in wrong):
        here = [parts for parts in wrong if parts[1] == column]
        said = tuple(
            f"{given} in row {table.row_numbers[at]}, parts {parts}" for at, _, given, parts in here[:MOST_EXAMPLES]
        )
        positions = np.array([at for at, *_ in here], np.int64)
        are = agree(len(here), "is not the sum of its parts", "are not the sums of their parts")
        message = f"{counted(len(here), 'total')} of {column} {are}: {said[0]}"
        yield Finding("value.total", (column,), len(here), np.sort(table.row_numbers[positions]), said, message)


def _without(table: ColumnCache, names: list[str], rows: Codes) -> Step | None:
    """Return the step that leaves totals out, if their labels occur in no other row."""
    conditions: list[str] = []
    left = np.zeros(table.row_count, np.bool_)
    for name in names:
        column = table[name]
        texts = {text for text in column._take(rows).texts() if text and _TOTAL.fullmatch(text)}
        if not texts:
            continue
        condition = _other_than(column, texts)
        if condition is None:
            return None
        conditions.append(f"{quoted_name(name)} is null or {quoted_name(name)} {condition}")
        left |= column.text.flags(texts.__contains__) & column.present
    if not conditions or not np.array_equal(np.flatnonzero(left), rows):
        return None
    return Filter(where=" and ".join(f"({one})" for one in conditions) if len(conditions) > 1 else conditions[0])


def _other_than(column: Column, texts: Set[str]) -> str | None:
    """Return the condition for cells without some labels: by how all of them are built, else by a short list."""
    for built, like in _KINDS if len(texts) > 1 else ():
        if all(map(built.fullmatch, texts)):
            alike = column.text.flags(lambda text, built=built: built.fullmatch(text) is not None)  # type: ignore[misc]
            known = column.text.flags(texts.__contains__)
            return f"not like '{like}'" if np.array_equal(alike & column.present, known & column.present) else None
    if len(texts) > MOST_EXAMPLES:
        return None
    listed = ", ".join("'" + text.replace("'", "''") + "'" for text in sorted(texts))
    return f"not in ({listed})"


# A column with more different texts than this holds no labels.
MOST_LABELS = 50_000


def total_labels(column: Column) -> Mask | None:
    """Return where a column of texts has labels of totals; None where it has none."""
    if column.text.item_count > MOST_LABELS:
        return None
    among = containing_any(column.text, _IN_TOTALS)
    where = column.text.flags(lambda text: len(text) < 60 and _TOTAL.fullmatch(text) is not None, among)
    where &= column.present
    return where if where.any() else None


def _summable(table: ColumnCache, where: Mask) -> dict[str, np.ndarray]:
    """Return the columns of numbers that totals have a value in."""
    return {
        name: table.floats(name)
        for name, column in table.columns.items()
        if column.type.numeric and not column.type.choices and column.present[where].any()
    }


def _below(table: ColumnCache, where: Mask, values: dict[str, np.ndarray]) -> Iterator[_Total]:
    """Return totals of the rows above them: since the last total, or one before it, as levels have, or of all rows."""
    found, right, tried = [], 0, 0
    begin = 0
    begins = np.append(0, np.flatnonzero(where) + 1)
    # What all rows above add up to, totals left out: two of them tell roughly what is between.
    above = {name: np.append(0, np.cumsum(np.nan_to_num(numbers) * ~where)) for name, numbers in values.items()}
    for at in np.flatnonzero(where).tolist():
        block = np.arange(begin, at)
        whole = np.flatnonzero(~where[:at])
        block = block[~where[block]]
        wrong, fits = [], 0
        for name, numbers in values.items():
            if not np.isfinite(numbers[at]):
                continue
            given = float(numbers[at])
            sums = [float(np.nansum(numbers[rows])) for rows in (block, whole) if len(rows)]
            if not sums:
                continue
            higher = begins[begins < begin]
            likely = higher[_may_be(given, above[name][at] - above[name][higher])][:MOST_EXAMPLES].tolist()
            sums += [float(np.nansum(numbers[start:at][~where[start:at]])) for start in likely]
            if any(_close(given, one) for one in sums):
                fits += 1
            else:
                nearest = min(sums, key=lambda one: abs(one - given))
                wrong.append((name, number_text(round(given, 6)), number_text(round(nearest, 6))))
        tried += bool(fits or wrong)
        right += bool(fits)
        # Ratios and prices have no sum: only columns in which some total is right are checked.
        found.append((at, tuple(wrong), fits))
        begin = at + 1
    checked = {name for name in values if any(fits and name not in {w[0] for w in wrong} for _, wrong, fits in found)}
    if not right or right < tried / 2:
        return
    for at, parts, fits in found:
        # Beside a column that adds up, one that nearly does is a total too.
        yield _Total(at, tuple(one for one in parts if one[0] in checked or (fits and _nearly(one[1], one[2]))), fits)


def _may_be(given: float, sums: np.ndarray) -> Mask:
    """Return which sums, which rounding has touched, are as large as a total."""
    return np.abs(sums - given) <= 10 * ROUNDING * max(abs(given), 1.0)


def _nearly(given: str, parts: str) -> bool:
    return abs(float(given) - float(parts)) <= NEARLY * abs(float(parts))


def _close(one: float, other: float) -> bool:
    return abs(one - other) <= max(ROUNDING * max(abs(one), abs(other)), 1e-9)


def _among(table: ColumnCache, labels: list[tuple[str, Mask]], values: dict[str, np.ndarray]) -> Iterator[_Total]:
    """Return totals that are a group of their own in each period: "all regions" among the regions."""
    for name, where in labels:
        for others in _groupings(table, name):
            numbers, _ = group(others, table.row_count)
            sizes = np.bincount(numbers)
            totals_in = np.bincount(numbers[where], minlength=len(sizes))
            if len(sizes) < 2 or (totals_in > 1).any() or (sizes[totals_in > 0] < 3).any() or totals_in.sum() < 2:
                continue
            found: dict[int, list[tuple[str, str, str]]] = {at: [] for at in np.flatnonzero(where).tolist()}
            proven = False
            for column, given in values.items():
                parts = np.bincount(numbers[~where], np.nan_to_num(given[~where]), minlength=len(sizes))
                wrong = []
                fits = 0
                for at in found:
                    if np.isfinite(given[at]):
                        total = float(parts[numbers[at]])
                        if _close(float(given[at]), total):
                            fits += 1
                        else:
                            wrong.append(
                                (at, (column, number_text(round(float(given[at]), 6)), number_text(round(total, 6))))
                            )
                if fits and fits >= len(wrong):
                    proven = True
                    for at, message in wrong:
                        found[at].append(message)
            if proven:
                yield from (_Total(at, tuple(wrong)) for at, wrong in found.items())
                return


def _groupings(table: ColumnCache, name: str) -> Iterator[list[Codes]]:
    """Return what rows could be grouped by besides a label: each column alone, and pairs of them."""
    kinds = {"string", "integer", "date", "category"}
    others = [
        one for one, column in table.columns.items()
        if one != name and column.type.plain.word in kinds and 1 < table.different(one) <= table.row_count / 3
    ]  # fmt: skip
    codes = {one: table.numbered(one) for one in others[:8]}
    yield from ([one] for one in codes.values())
    listed = list(codes.values())
    yield from ([one, other] for at, one in enumerate(listed) for other in listed[at + 1 :])


def values_as_names(table: ColumnCache) -> Findings:
    """Columns whose names are values: months, years, quarters, days."""
    for what, chosen in heading_groups(table.names):
        kinds = {table[name].type.plain.word for name in chosen}
        if not (kinds <= {"integer", "decimal", "number"} or len(kinds) == 1) or len(chosen) == len(table.names):
            continue
        taken = set(table.names)
        heading = next(name for name in (what, f"{what} of the column") if name not in taken)
        value = next(name for name in ("value", "value of the column") if name not in taken)
        text = f"the names of {len(chosen)} columns are {what}s, and so values: {listing(list(chosen[:4]))}"
        text += " and so on" if len(chosen) > 4 else ""
        remedy = ToLong(columns=list(chosen), heading_column=heading, value_column=value) if _plain(chosen) else None
        yield Finding("layout.values_as_names", tuple(chosen), len(chosen), NOWHERE, (), text, remedy)


def _plain(names: list[str]) -> bool:
    return not any(sign in name for name in names for sign in "*?[]:#")


def _same_in_groups(codes: Codes, first: Codes) -> bool:
    """Return whether each row holds what the first row of its group does; seldom all rows have to be looked at."""
    return all(
        bool((codes[start : start + AT_ONCE] == codes[first[start : start + AT_ONCE]]).all())
        for start in range(0, len(codes), AT_ONCE)
    )


def levels(table: ColumnCache) -> Findings:
    """Two levels of detail in one table: what belongs to one thing is repeated in each of its rows."""
    best: tuple[int, str, list[str]] | None = None
    for name, column in table.columns.items():
        different = table.different(name)
        if column.type.plain.word not in ("string", "integer") or column.missing_count or different < LEAST_DECIDED:
            continue
        if table.row_count < LEAST_REPEATS * different:
            continue
        codes = table.numbered(name)
        first = first_rows(codes)[codes]
        decided, telling = [], 0
        for other, one in table.columns.items():
            if other == name or table.different(other) < 2 or one.type.plain.word == "json":
                continue
            if _same_in_groups(table.numbered(other), first):
                decided.append(other)
                telling += table.different(other) >= LEAST_TELLING * different
        left = [other for other in table.names if other != name and other not in decided and table.different(other) > 1]
        if len(decided) >= LEAST_DECIDED and telling >= LEAST_TELLING_COLUMNS and left:
            rank = (len(decided), name, decided)
            if best is None or len(decided) > best[0]:
                best = rank
    if best is not None:
        _, name, decided = best
        text = f"{listing(decided)} belong to {name}, not to the row: they are repeated in each of its rows, so that"
        text += " sums and means over them count some more often than others"
        plain = not any(sign in one for one in (name, *decided) for sign in "*?[]:#")
        remedy = SeparateTables(by=[name], columns=list(decided), part="rest") if plain else None
        yield Finding("layout.levels", (name, *decided), table.row_count, NOWHERE, (), text, remedy)
