"""Keys of two tables: of one type, numbered equal where they are equal; and what brings two types together.

A key that is text here and a number there matches nothing: ``007`` lost its zeros when another program read it as a
number. Which of the two has to be changed is found out by changing each and counting the rows that match then.
"""

from collections import Counter
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np

from comb.errors import CombError, TypeMismatch, counted
from comb.expressions.arithmetic import result_type
from comb.expressions.evaluate import widened
from comb.kernels.dispatch import kernels
from comb.kernels.grouping import Codes, group
from comb.kernels.string_buffer import joined
from comb.steps.base import Step
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, STRING, Type

# As a key: the number of the row itself.
ROW_NUMBER = "row number"


class KeyChange(NamedTuple):
    """A step after which two keys are of one type.

    Attributes
    ----------
    mine : bool
        Whether it is taken on the table that is joined to, else on the other one.
    step : Step
    matched : int
        Rows of the table that is joined to with a match then.
    """

    mine: bool
    step: Step
    matched: int

    @property
    def text(self) -> str:
        """The step as it is written in a plan."""
        width = getattr(self.step, "width", None)
        columns = getattr(self.step, "columns", {})
        if width is not None:
            return f"pad_text columns: [{columns[0]}], width: {width}"
        mark = getattr(self.step, "group_mark", None)
        more = f", group_mark: {mark!r}" if mark is not None else ""
        return "convert columns: {" + ", ".join(f"{name}: {kind}" for name, kind in columns.items()) + "}" + more


def typed_alike(mine: Column, theirs: Column) -> tuple[Column, Column]:
    """Give a key that has no value in its source the type of the other, with none of whose values it is equal."""
    if mine._untyped:
        return mine._without_values(theirs.type.plain), theirs
    return mine, theirs._without_values(mine.type.plain) if theirs._untyped else theirs


def comparable(left: Type, right: Type) -> bool:
    """Return whether values of two types can be equal."""
    return left.word == right.word or (left.numeric and right.numeric)


def check_alike(here: str, mine: Column, there: str, theirs: Column, table: str) -> None:
    """Raise a TypeMismatch unless two keys can be compared; it names the step that helps, with what it brings.

    Parameters
    ----------
    here, there : str
        What the keys are called.
    mine, theirs : Column
    table : str
        What the other table is called.
    """
    left, right = mine.type.plain, theirs.type.plain
    if comparable(left, right):
        return
    what = f"{here!r} is {left} and {there!r} is {right}; keys have to be of one type"
    best = next(iter(key_changes(here, mine, there, theirs)), None)
    if best is None:
        raise TypeMismatch(what, remedy=f"look at both keys: nothing makes {left} of {right}, or the other way round")
    place = "first" if best.mine else f"first, in {table}"
    if not (mine.present.any() and theirs.present.any()):
        raise TypeMismatch(what, remedy=f"{place}: {best.text}; one of them has no value to try it on")
    if not best.matched:
        values = [", ".join(map(repr, list(dict(one.distinct().commonest(2))))) for one in (mine, theirs)]
        none = f"no conversion makes a row match: {values[0]} here, {values[1]} in {table}"
        raise TypeMismatch(what, remedy=f"look at both keys: {none}")
    matched = f"{best.matched:,} of {counted(len(mine), 'row')} find a match then"
    raise TypeMismatch(what, remedy=f"{place}: {best.text}; {matched}")


def key_changes(here: str, mine: Column, there: str, theirs: Column) -> list[KeyChange]:
    """Return the steps after which two keys of different types are of one, the best first.

    Of two that match as many rows the one that loses less is better: numbers become texts, padded with zeros where
    the texts have them; days become moments.

    Returns
    -------
    list of KeyChange
        Cost: each step on one column, and a join without columns.
    """
    found: list[tuple[int, int, KeyChange]] = []
    for rank, (is_mine, step) in enumerate(_candidates(here, mine, there, theirs)):
        name, column = (here, mine) if is_mine else (there, theirs)
        try:
            changed = step.apply(BareTable({name: column})).table[name]
        except CombError:
            continue
        pair = (changed, theirs) if is_mine else (mine, changed)
        if comparable(pair[0].type.plain, pair[1].type.plain):
            matched = _matched(*pair)
            found.append((-matched, rank, KeyChange(is_mine, step, matched)))
    return [one for *_, one in sorted(found, key=lambda one: one[:2])]


def _candidates(here: str, mine: Column, there: str, theirs: Column) -> Iterator[tuple[bool, Step]]:
    """Go through the steps that could help, those that lose nothing first."""
    from comb.steps.cell_steps import Convert
    from comb.steps.repair_steps import PadText

    sides = [(True, here, mine, theirs), (False, there, theirs, mine)]
    # A row's own number is no column to convert.
    sides = [side for side in sides if side[1] != ROW_NUMBER]
    for is_mine, name, column, other in sides:
        if column.type == INTEGER and other.type.plain == STRING:
            texts = [text for text, _ in other.distinct().commonest(_MOST_LOOKED_AT) if text.isdecimal()]
            width = Counter(map(len, texts)).most_common(1)[0][0] if texts else 0
            if any(text.startswith("0") for text in texts if len(text) == width > 1):
                yield is_mine, PadText(columns=[name], width=width)
    for kept in (True, False):
        for is_mine, name, column, other in sides:
            kind = other.type.plain.word
            if kept is (kind == "string" or (column.type.plain.word, kind) == ("date", "datetime")):
                yield is_mine, Convert(columns={name: kind})
            if not kept and column.type.plain == STRING and other.type.plain.numeric:
                # Which mark is between thousands is proven by the keys that match.
                for mark in ",.' ":
                    yield is_mine, Convert(columns={name: kind}, group_mark=mark)


# Different texts that are looked at, the commonest: how long are those of digits?
_MOST_LOOKED_AT = 1_000


def _matched(mine: Column, theirs: Column) -> int:
    left, right = shared_codes(mine, theirs)
    return int(np.count_nonzero(np.isin(left[mine.present], right[theirs.present])))


def shared_codes(mine: Column, theirs: Column) -> tuple[Codes, Codes]:
    """Number the values of two columns equal."""
    if isinstance(mine.values, Text):
        left, right = mine.text, theirs.text
        count = right.item_count
        numbers = kernels.encode_known(joined([right.packed(), left.packed()]), count)
        # What is not among theirs shares a number that none of theirs has.
        numbers = np.where(numbers < 0, count, numbers)
        theirs_codes, mine_codes = numbers[:count], numbers[count:]
        return _spread(mine_codes, left), _spread(theirs_codes, right)
    one, other = (widened(column, wider(mine.type.plain, theirs.type.plain)) for column in (mine, theirs))
    numbers, _ = group([np.concatenate([one.array, other.array])], len(one) + len(other))
    return numbers[: len(one)], numbers[len(one) :]


def wider(left: Type, right: Type) -> Type:
    """Return the type that holds the values of two."""
    return result_type("+", left, right) if left.numeric and right.numeric else left


def _spread(items: Any, text: Text) -> Codes:
    spread: Codes = items if text.codes is None else items[text.codes]
    return spread.astype(np.int64, copy=False)
