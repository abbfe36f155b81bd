"""Places in an order, written as people say them: ``1st``, ``2nd``, ``23rd``; ``1er``, ``2e``; ``3º``.

As texts they are sorted by their first digit, ``10th`` before ``2nd``. All have to be built in the way of one language;
in English each ending is held against its number, so that ``5st`` is something else.
"""

from collections.abc import Callable, Mapping
from itertools import pairwise

from comb.errors import counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.profiling.built_texts import number_in, taken_apart
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, quoted
from comb.steps.column_steps import Calculate
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.table import BareTable

# Fewer different ones may be names of a few things: the 1st and the 2nd team.
LEAST_DIFFERENT = 3

# English endings that could be units: `5 ST`.
CAPITALS = frozenset({"ST", "ND", "RD", "TH"})

_ORDINAL = lazy_pattern(r"(?P<number>[0-9]{1,6})(?P<ending>[^\W\d_]{1,3}|[ºª])")


def _english(number: int) -> str:
    """Return the ending that a number has.

    >>> [_english(number) for number in (1, 2, 3, 4, 11, 12, 13, 21, 102, 112)]
    ['st', 'nd', 'rd', 'th', 'th', 'th', 'th', 'st', 'nd', 'th']
    """
    return "th" if number // 10 % 10 == 1 else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")


# The endings of each language, and which are right for a number.
_LANGUAGES: tuple[tuple[str, Callable[[int, str], bool]], ...] = (
    ("st|nd|rd|th", lambda number, ending: ending == _english(number)),
    ("|".join(sorted(CAPITALS)), lambda number, ending: ending.lower() == _english(number)),
    ("er|re|e|ème", lambda number, ending: ending in (("er", "re") if number == 1 else ("e", "ème"))),
    ("º|ª", lambda number, ending: ending in "ºª"),
)


def ordinals(table: ColumnCache) -> Findings:
    """Texts that are ordinal numbers."""
    for name, column in table.columns.items():
        found = taken_apart(table, name, _taken_apart)
        if found is None or len(found[1]) < LEAST_DIFFERENT:
            continue
        cells, read = found
        endings = next((one for one, right in _LANGUAGES if all(right(*both) for both in read.values())), "")
        # Without the first, the endings of French are letters of any codes.
        if not endings or ("er" in endings and all(number > 1 for number, _ in read.values())):
            continue
        count = sum(cells[text] for text in read)
        text = f"{counted(count, 'cell')} of {name} are ordinal numbers, as text: {_order(read)}"
        remedy = _as_numbers(name, endings, read, table.names) if len(read) == len(cells) else None
        rows = table.rows_where(column.text.flags(read.__contains__) & column.present)
        yield Finding("type.ordinals", (name,), count, rows, quoted({one: cells[one] for one in read}), text, remedy)


def _order(read: Mapping[str, tuple[int, str]]) -> str:
    """Say what comes of putting them in order as texts."""
    for one, other in pairwise(sorted(read)):
        if read[one][0] > read[other][0]:
            return f"{one} comes before {other}"
    return "they cannot be compared with numbers"


def _taken_apart(text: str) -> tuple[int, str] | None:
    match = _ORDINAL.fullmatch(text.strip())
    return None if match is None else (int(match["number"]), match["ending"])


def _as_numbers(
    name: str, endings: str, read: Mapping[str, tuple[int, str]], names: tuple[str, ...]
) -> Calculate | None:
    """Return the step that calculates a column of the numbers, if it gives the right one for every text."""
    new = unique_names([*names, f"{name}_number"])[-1]
    step = Calculate(columns={new: number_in(name, rf"^\s*([0-9]+)(?:{endings})\s*$", kind="integer")})
    made = step.apply(BareTable({name: Column._of_strings(list(read))})).table[new].to_list()
    return step if made == [number for number, _ in read.values()] else None
