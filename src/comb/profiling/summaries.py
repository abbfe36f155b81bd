"""What a column holds, in a few numbers."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from comb.expressions.arithmetic import as_floats
from comb.tables.column import Column
from comb.tables.formats import digits, number_text

MOST_COMMON = 5

# A sum of numbers beyond this may overflow.
LARGE = 1e290


@dataclass(frozen=True, slots=True)
class Summary:
    """The summary of one column.

    Attributes
    ----------
    name, type : str
    count : int
        Cells.
    missing : dict of str to int
        Missing cells by reason.
    distinct : int
        Distinct values among the present cells.
    details : dict
        By type. Numbers: ``min quartile_1 median quartile_3 max mean sd variation
        zeros``; text: ``commonest shortest longest``; dates: ``first last``;
        booleans: ``true false``.
    """

    name: str
    type: str
    count: int
    missing: dict[str, int]
    distinct: int
    details: dict[str, Any] = field(default_factory=dict)

    @property
    def missing_count(self) -> int:
        """How many cells are missing."""
        return sum(self.missing.values())


def summarise(name: str, column: Column) -> Summary:
    """Summarise a column.

    Parameters
    ----------
    name : str
    column : Column

    Returns
    -------
    Summary
        Cost: a sort of the present values.
    """
    reasons = [reason for reason in column.reasons() if reason] if column.missing_count else []
    missing = {reason: reasons.count(reason) for reason in sorted(set(reasons))}
    distinct = column.distinct()
    present = column.take(np.flatnonzero(column.present))
    details: dict[str, Any] = {}
    if len(present):
        if column.type.numeric:
            details = _of_numbers(present)
        elif column.type.word == "date":
            details = {"first": str(present.array.min()), "last": str(present.array.max())}
        elif column.type.word == "boolean":
            true = int(present.array.sum())
            details = {"true": true, "false": len(present) - true}
        else:
            lengths = [len(text) for text in distinct.values.to_list()]
            details = {"commonest": distinct.commonest(MOST_COMMON)}
            details |= {"shortest": min(lengths), "longest": max(lengths)}
    return Summary(name, str(column.type), len(column), missing, len(distinct), details)


def _of_numbers(column: Column) -> dict[str, Any]:
    """Summarise numbers.

    Quartiles interpolate linearly between the two nearest values (definition 7 in
    Hyndman and Fan, The American Statistician 50, 1996). The standard deviation
    divides by n - 1; the variation coefficient is that over the mean.
    """
    floats = as_floats(column)
    quartiles = np.quantile(floats, [0.25, 0.5, 0.75]).tolist()
    with np.errstate(over="ignore", invalid="ignore"):
        # Divided before it is summed up, no mean overflows.
        mean = float((floats / len(floats)).sum()) if np.abs(floats).max() > LARGE else float(floats.mean())
        sd = float(floats.std(ddof=1)) if len(floats) > 1 else None
    # Squares of the largest numbers overflow: then there is no deviation to tell.
    sd = sd if sd is not None and np.isfinite(sd) else None
    return {
        "min": _exact(column, column.array.min()),
        "quartile_1": quartiles[0],
        "median": quartiles[1],
        "quartile_3": quartiles[2],
        "max": _exact(column, column.array.max()),
        "mean": mean,
        "sd": sd,
        "variation": sd / abs(mean) if sd is not None and mean else None,
        "zeros": int(np.count_nonzero(floats == 0)),
    }


def _exact(column: Column, value: np.generic) -> str:
    """Write an extreme as the column writes its values."""
    plain: Any = value.item()
    return number_text(plain) if column.type.word == "number" else digits(plain, column.type.scale)
