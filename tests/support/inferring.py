"""Columns inferred from texts."""

from comb.inference.decide import infer_column
from comb.tables.column import Column
from comb.tables.text import Text


def infer(*texts: str, **options: object) -> Column:
    return infer_column(Text.from_strings(texts), **options)  # type: ignore[arg-type]
