"""Cells that hold two days or times: ``2024-05-03 - 2024-05-09``, ``9:00 AM - 5:30 PM``; or one, and a remark.

As one text they can neither be compared nor subtracted. Where every text of a column has the same mark once, and is a
day with its year, or a time with a colon, on both sides of it, the texts are split there. That decides nothing: in
which order day and month stand is for the step that converts them.
"""

from comb.errors import counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.moment_shapes import patterns_of
from comb.profiling.built_texts import columns_of_texts, taken_apart
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, quoted
from comb.steps.shape_steps import Split
from comb.tables.names import unique_names

# Fewer different texts may be labels.
LEAST_DIFFERENT = 3

# What stands between two moments; those with spaces around them come first, as one without may be of a moment.
MARKS = (
    " - ", " – ", " — ", " to ", " bis ", " until ", " till ", " through ", " and ", " / ", " | ", "; ", ", ", "–", "—",
    "/", "|", ";", "~", "-",
)  # fmt: skip
_REMARK = lazy_pattern(r"([^()]*[^()\s])\s*\(([^()]*)\)")


def moment_pairs(table: ColumnCache) -> Findings:
    """Texts that are two moments with a mark between them, or a moment and a remark in parentheses."""
    for name, column, texts in columns_of_texts(table, LEAST_DIFFERENT):
        mark = next((one for one in MARKS if all(_parts(text, one) for text in texts)), "")
        # With the same remark behind each, a pattern of `convert` reads them.
        remarks = not mark and all(map(_with_remark, texts)) and len({text.partition("(")[2] for text in texts}) > 1
        if not mark and not remarks:
            continue
        found = taken_apart(table, name, lambda text, mark=mark: _parts(text, mark) if mark else _with_remark(text))  # type: ignore[misc]
        if found is None:
            continue
        cells, pairs = found
        count = sum(cells[text] for text in pairs)
        what = "two moments, with {} between them" if mark else "a moment and a remark in parentheses"
        text = f"{counted(count, 'cell')} of {name} hold {what.format(repr(mark.strip() or mark))}: as one text they"
        text += " cannot be compared or subtracted"
        rows = table.rows_where(column.text.flags(pairs.__contains__) & column.present)
        names = ("first", "second") if mark else ("moment", "remark")
        new = list(unique_names([*table.names, *(f"{name}_{one}" for one in names)]))[-2:]
        pattern = None if mark else rf"^\s*{_REMARK.pattern}\s*$"
        step = Split(column=name, new_columns=new, mark=mark or None, pattern=pattern, keep_original=True)
        remedy = step if len(pairs) == len(cells) else None
        yield Finding(
            "text.moment_pairs", (name,), count, rows, quoted({one: cells[one] for one in pairs}), text, remedy
        )


def _parts(text: str, mark: str) -> tuple[str, str] | None:
    """Return the two moments that a mark parts; None if it parts something else."""
    if text.count(mark) != 1:
        return None
    one, _, two = text.partition(mark)
    return (one, two) if _is_moment(one.strip()) and _is_moment(two.strip()) else None


def _with_remark(text: str) -> tuple[str, str] | None:
    match = _REMARK.fullmatch(text.strip())
    return None if match is None or not _is_moment(match[1]) else (match[1], match[2])


def _is_moment(text: str) -> bool:
    """Return whether a text is a day or a month with its year, or a time of day with a colon or a half of the day.

    >>> [_is_moment(text) for text in ("3.5.2024", "May 2024", "9:30", "9 AM", "10.5", "2024", "20240503")]
    [True, True, True, True, False, False, False]
    """
    if text.isdigit():
        return False
    named = any(map(str.isalpha, text))
    return any(
        (":" in text or named) if kind == "time" else "y" in pattern and ("d" in pattern or named)
        for kind, pattern in patterns_of(text)
    )
