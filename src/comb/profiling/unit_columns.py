"""Findings about units in a column of their own: rows in another unit than the others for the same quantity.

Numbers beside ``mg/L`` here and ``ug/L`` there cannot be compared. Units of one quantity differ from those of several
(degrees and hectopascals in one table of measurements) in what they measure. Where another column decides the unit, as
the substance does that is always given in grams, nothing is wrong.
"""

import numpy as np

from comb.errors import agree, counted
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings
from comb.profiling.headings import words, words_of
from comb.profiling.told_apart import are_told_apart
from comb.steps.cell_steps import tidied

UNIT_WORDS = words("unit units uom einheit einheiten unite unites unidad unidades")

# A column of units has no more different ones.
MOST_UNITS = 20

# At most this share of the rows of a quantity is in other units: where each is common, that is meant.
MOST_OTHER = 0.2

# The International System: prefixes with their powers of ten, and what they precede.
PREFIXES = {"": 0, "k": 3, "m": -3, "u": -6, "n": -9, "p": -12, "c": -2, "d": -1, "h": 2, "M": 6, "G": 9, "T": 12}
METRIC = {
    "g": "mass", "t": "mass", "l": "volume", "L": "volume", "m": "length", "m2": "area", "m3": "volume", "s": "time",
    "W": "power", "Wh": "energy", "J": "energy", "cal": "energy", "Pa": "pressure", "bar": "pressure", "V": "voltage",
    "A": "current", "Hz": "frequency", "mol": "amount", "B": "data", "gram": "mass", "grams": "mass", "meter": "length",
    "meters": "length", "metre": "length", "metres": "length", "liter": "volume", "liters": "volume",
    "litre": "volume", "litres": "volume",
}  # fmt: skip
_OTHER = {
    "lb": "mass", "lbs": "mass", "oz": "mass", "pound": "mass", "pounds": "mass", "ton": "mass", "tons": "mass",
    "in": "length", "inch": "length", "inches": "length", "ft": "length", "feet": "length", "yd": "length",
    "mi": "length", "mile": "length", "miles": "length", "gal": "volume", "min": "time", "h": "time", "hr": "time",
    "hrs": "time", "d": "time", "day": "time", "days": "time", "psi": "pressure", "atm": "pressure",
    "mmHg": "pressure", "ha": "area", "acre": "area", "acres": "area", "ppm": "share", "ppb": "share", "%": "share",
    "°C": "temperature", "°F": "temperature", "K": "temperature", "C": "temperature", "F": "temperature",
    "kilo": "mass", "kilos": "mass", "kilogram": "mass", "kilograms": "mass",
}  # fmt: skip
ALIKE = str.maketrans({"µ": "u", "μ": "u", "²": "2", "³": "3"})


def quantity_of(unit: str) -> str:
    """Return what a unit measures; empty where that is not known.

    >>> quantity_of("mg/L") == quantity_of("µg/l"), quantity_of("lb"), quantity_of("apiary")
    (True, 'mass', '')
    """
    parts = [_measured(part.strip()) for part in unit.translate(ALIKE).split("/")]
    return "/".join(parts) if all(parts) else ""


def _measured(part: str) -> str:
    if part in _OTHER:
        return _OTHER[part]
    stems = (part[len(prefix) :] for prefix in PREFIXES if part.startswith(prefix))
    return next((METRIC[stem] for stem in stems if stem in METRIC), "")


def other_units(table: ColumnCache) -> Findings:
    """Rows whose unit, in a column of units, is another than the usual one for the same quantity."""
    for name, column in table.columns.items():
        if column.type.plain.word != "string" or not words_of(name) & UNIT_WORDS or not column.present.any():
            continue
        if table.different(name) > MOST_UNITS:
            continue
        counts: dict[str, int] = {}
        for text, count in column.distinct().commonest(MOST_UNITS):
            counts[tidied(text)] = counts.get(tidied(text), 0) + count
        for quantity in dict.fromkeys(map(quantity_of, counts)):
            same = [unit for unit in counts if quantity and quantity_of(unit) == quantity]
            if len(same) < 2:
                continue
            usual = max(same, key=lambda unit: counts[unit])
            other = {
                unit for unit in same
                if unit.translate(ALIKE).casefold() != usual.translate(ALIKE).casefold()
                and not are_told_apart(table, column, unit, usual)
            }  # fmt: skip
            where = column.text.flags(lambda text, other=other: tidied(text) in other) & column.present  # type: ignore[misc]
            count = int(np.count_nonzero(where))
            if 0 < count <= MOST_OTHER * sum(counts[unit] for unit in same):
                listed = ", ".join(f"{unit} {counts[unit]:,} times" for unit in same if unit == usual or unit in other)
                text = f"{name} has several units for one quantity: {listed}; {counted(count, 'row')} "
                text += f"{agree(count, 'is', 'are')} not in {usual}: bring the numbers beside to one unit"
                yield Finding("type.units", (name,), count, table.rows_where(where), tuple(sorted(other)), text)
