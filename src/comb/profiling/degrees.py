"""Places on the earth in degrees, minutes and seconds: ``47°26'52"N``.

As texts they can neither be compared nor drawn. The formula is offered where all texts are of one form and it gives
the right number for each; south and west are negative (ISO 6709). ``O`` is east in one language and west in another.
"""

from collections.abc import Mapping, Sequence
from fractions import Fraction
from itertools import pairwise

import msgspec

from comb.errors import counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.profiling.built_texts import taken_apart
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, quoted
from comb.profiling.unit_conversion import gives, written
from comb.steps.column_steps import Calculate
from comb.tables.names import unique_names

_DEGREES = lazy_pattern(
    r"(?P<degrees>[0-9]{1,3})\s*(?P<first>[°º])\s*(?P<minutes>[0-5]?[0-9](?:\.[0-9]+)?)\s*(?P<second>['′’])"
    r"(?:\s*(?P<seconds>[0-5]?[0-9](?:\.[0-9]+)?)\s*(?P<third>[\"″”]|''|′′|’’))?\s*(?P<side>[NSEWO])?",
    needs="°º",
)


class _Angle(msgspec.Struct, frozen=True):
    """A text taken apart: its numbers, what stands behind each, the side of the earth."""

    numbers: tuple[str, ...]
    marks: tuple[str, ...]
    side: str

    def exact(self) -> Fraction:
        """Return the degrees."""
        size = sum(Fraction(number) / 60**at for at, number in enumerate(self.numbers))
        return -size if self.side in ("S", "W") else Fraction(size)


def degrees(table: ColumnCache) -> Findings:
    """Texts that are degrees and minutes, with or without seconds and the side of the earth."""
    for name, column in table.columns.items():
        found = taken_apart(table, name, _taken_apart)
        if found is None:
            continue
        cells, angles = found
        count = sum(cells[text] for text in angles)
        text = f"{counted(count, 'cell')} of {name} are degrees and minutes, as text: they cannot be compared or drawn"
        remedy = _in_degrees(name, angles, table.names) if len(angles) == len(cells) else None
        rows = table.rows_where(column.text.flags(angles.__contains__) & column.present)
        yield Finding("type.degrees", (name,), count, rows, quoted({one: cells[one] for one in angles}), text, remedy)


def _taken_apart(text: str) -> _Angle | None:
    match = _DEGREES.fullmatch(text.strip())
    if match is None or int(match["degrees"]) > 180:
        return None
    parts = ("degrees", "minutes", "seconds")[: 3 if match["seconds"] else 2]
    marks = tuple(match[mark] for mark in ("first", "second", "third")[: len(parts)])
    return _Angle(tuple(match[part] for part in parts), marks, match["side"] or "")


def _in_degrees(name: str, angles: Mapping[str, _Angle], names: Sequence[str]) -> Calculate | None:
    """Return the step that calculates a column of degrees, if it gives the right number for every text."""
    marks, sides = {one.marks for one in angles.values()}, {one.side for one in angles.values()}
    if len(marks) != 1 or "O" in sides or not (sides <= {"N", "S"} or sides <= {"E", "W"} or sides == {""}):
        return None
    new = unique_names([*names, f"{name}_degrees"])[-1]
    wanted = {text: one.exact() for text, one in angles.items()}
    tried = (Calculate(columns={new: _formula(text, next(iter(marks)))}) for text in written(name))
    return next((step for step in tried if gives(step, name, wanted)), None)


def _formula(text: str, marks: Sequence[str]) -> str:
    places = [f"position('{mark.replace(chr(39), chr(39) * 2)}' in {text})" for mark in marks]
    parts = [f"cast(substring({text}, 1, {places[0]} - 1) as number)"]
    for at, (begin, end) in enumerate(pairwise(places), 1):
        part = f"substring({text}, {begin} + {len(marks[at - 1])}, {end} - {begin} - {len(marks[at - 1])})"
        parts.append(f"cast({part} as number) / {60**at}")
    size = " + ".join(parts)
    # Other files may have places on the other side.
    return f"case when {text} like '%S%' or {text} like '%W%' then -({size}) else {size} end"
