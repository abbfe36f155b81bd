"""Places on the earth in degrees, minutes and seconds: ``47°26'52"N``.

As texts they can neither be compared nor drawn. The formula is offered where it gives the right number for
every text; south and west are negative (ISO 6709). ``O`` is east in one language and west in another.
"""

from collections.abc import Mapping, Sequence
from fractions import Fraction

import msgspec

from comb.errors import counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.profiling.built_texts import number_in, taken_apart
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, quoted
from comb.profiling.lookups import quoted_name
from comb.profiling.unit_conversion import gives
from comb.steps.column_steps import Calculate
from comb.tables.names import unique_names

_DEGREES = lazy_pattern(
    r"(?P<degrees>[0-9]{1,3})\s*[°º]\s*(?P<minutes>[0-5]?[0-9](?:\.[0-9]+)?)\s*['′’]"
    r"(?:\s*(?P<seconds>[0-5]?[0-9](?:\.[0-9]+)?)\s*(?:[\"″”]|''|′′|’’))?\s*(?P<side>[NSEWO])?",
    needs="°º",
)

_PARTS = ("degrees", "minutes", "seconds")


class _Angle(msgspec.Struct, frozen=True):
    """A text taken apart: its numbers and the side of the earth."""

    numbers: tuple[str, ...]
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
    return _Angle(tuple(match[part] for part in _PARTS if match[part]), match["side"] or "")


def _in_degrees(name: str, angles: Mapping[str, _Angle], names: Sequence[str]) -> Calculate | None:
    """Return the step that calculates a column of degrees, if it gives the right number for every text."""
    sides = {one.side for one in angles.values()}
    if "O" in sides or not (sides <= {"N", "S"} or sides <= {"E", "W"} or sides == {""}):
        return None
    new = unique_names([*names, f"{name}_degrees"])[-1]
    # The first one describes the whole text; seconds may be left out.
    whole = r"^\s*([0-9]+)\s*[°º]\s*[0-9.]+\s*['′’]\s*[0-9.]*\s*['′’\"″”]*\s*[NSEW]?\s*$"
    sizes = [
        number_in(name, whole),
        number_in(name, r"[°º]\s*([0-9.]+)") + " / 60",
        number_in(name, r"['′’]\s*([0-9.]*)", blank="0") + " / 3600",
    ]
    # Other files may have places on the other side.
    side = f"case when {quoted_name(name)} like '%S%' or {quoted_name(name)} like '%W%' then -1 else 1 end"
    step = Calculate(columns={new: f"({' + '.join(sizes)}) * {side}"})
    return step if gives(step, name, {text: one.exact() for text, one in angles.items()}) else None
