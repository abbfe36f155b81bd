"""The types a column can have, and what each is stored as."""

from dataclasses import dataclass

from comb.errors import ParameterError, unknown_name

# Word -> NumPy dtype of the values. Text is kept in `Text`, not in a NumPy array.
STORAGE = {
    "string": "text",
    "integer": "int64",
    "decimal": "int64",
    "number": "float64",
    "boolean": "bool",
    "date": "datetime64[D]",
}

NUMERIC = frozenset({"integer", "decimal", "number"})


@dataclass(frozen=True, slots=True)
class Type:
    """The type of a column.

    Parameters
    ----------
    word : str
        One of `STORAGE`.
    scale : int
        Digits after the point, for ``decimal`` only.

    >>> str(Type("decimal", 2))
    'decimal'
    """

    word: str
    scale: int = 0

    def __str__(self) -> str:
        return self.word

    @property
    def numeric(self) -> bool:
        """Whether one can calculate with it."""
        return self.word in NUMERIC

    @property
    def in_full(self) -> str:
        """The word, and for decimals the digits after the point.

        >>> Type("decimal", 2).in_full
        'decimal with 2 digits after the point'
        """
        if self.word != "decimal":
            return self.word
        return f"decimal with {self.scale} digit{'s' if self.scale != 1 else ''} after the point"


STRING = Type("string")
INTEGER = Type("integer")
NUMBER = Type("number")
BOOLEAN = Type("boolean")
DATE = Type("date")


def decimal(scale: int) -> Type:
    """Return the decimal type with so many digits after the point."""
    return Type("decimal", scale)


def type_word(word: str) -> str:
    """Check that a word names a type.

    >>> type_word("dat")
    Traceback (most recent call last):
        ...
    comb.errors.ParameterError: there is no type 'dat'
      did you mean 'date'? There is: string, integer, decimal, number, boolean, date
    """
    if word not in STORAGE:
        what, remedy = unknown_name("type", word, list(STORAGE))
        raise ParameterError(what, remedy=remedy)
    return word
