"""The types a column can have, and what each is stored as."""

from collections.abc import Sequence
from typing import NamedTuple

import msgspec

from comb.errors import ParameterError, listing, unknown_name
from comb.kernels.types import MOST_DECIMAL_DIGITS

# Word -> NumPy dtype of the values. Text is kept in `Text`, not in a NumPy array; a category is
# stored as the type it is based on.
STORAGE = {
    "string": "text",
    "integer": "int64",
    "decimal": "int64",
    "number": "float64",
    "boolean": "bool",
    "date": "datetime64[D]",
    "datetime": "datetime64[us]",
    "time": "timedelta64[us]",
    "duration": "timedelta64[us]",
    "category": "base",
    "json": "text",
}

NUMERIC = frozenset({"integer", "decimal", "number"})

# What can be told apart from a text by looking at it, without being asked for.
TEXTUAL = frozenset({"string", "json"})


class Choice(NamedTuple):
    """One value of a category, as canonical text, and what it stands for."""

    value: str
    label: str = ""


class Type(msgspec.Struct, frozen=True):
    """The type of a column.

    Parameters
    ----------
    word : str
        One of `STORAGE`.
    scale : int
        Digits after the point, for ``decimal`` only.
    utc : bool
        For ``datetime`` only: whether it is universal time; else it is local.
    base : Type, optional
        For ``category`` only: the type of its values.
    choices : tuple of Choice
        For ``category`` only: its values in order.

    >>> str(Type("decimal", 2))
    'decimal'
    """

    word: str
    scale: int = 0
    utc: bool = False
    base: "Type | None" = None
    choices: tuple[Choice, ...] = ()

    def __str__(self) -> str:
        return self.word

    def __repr__(self) -> str:
        """Write it as it is made, without what it does not have.

        >>> Type("decimal", 2), Type("datetime", utc=True)
        (Type('decimal', 2), Type('datetime', utc=True))
        """
        parts = [repr(self.word), *([str(self.scale)] if self.scale else []), *(["utc=True"] if self.utc else [])]
        parts += [f"{name}={value!r}" for name, value in (("base", self.base), ("choices", self.choices)) if value]
        return f"Type({', '.join(parts)})"

    @property
    def numeric(self) -> bool:
        """Whether one can calculate with it."""
        return self.plain.word in NUMERIC

    @property
    def plain(self) -> "Type":
        """The type of the values: that on which a category is based, else this one."""
        return self.base or self

    @property
    def storage(self) -> str:
        """The NumPy type of the stored values; ``text`` where they are in no array.

        >>> Type("category", base=INTEGER).storage
        'int64'
        """
        return STORAGE[self.plain.word]

    @property
    def textual(self) -> bool:
        """Whether the values are texts."""
        return self.plain.word in TEXTUAL

    @property
    def in_full(self) -> str:
        """The word, and for decimals the digits after the point.

        >>> Type("decimal", 2).in_full
        'decimal with 2 digits after the point'
        """
        if self.word == "datetime":
            return "datetime in universal time" if self.utc else "local datetime"
        if self.base and not self.choices:
            return f"category, {self.base.in_full}"
        if self.base:
            return f"category of {len(self.choices)} values, {self.base.in_full}"
        if self.word != "decimal":
            return self.word
        return f"decimal with {self.scale} digit{'s' if self.scale != 1 else ''} after the point"


STRING = Type("string")
INTEGER = Type("integer")
NUMBER = Type("number")
BOOLEAN = Type("boolean")
DATE = Type("date")
DATETIME = Type("datetime")
UTC_DATETIME = Type("datetime", utc=True)
TIME = Type("time")
DURATION = Type("duration")
JSON = Type("json")


def decimal(scale: int) -> Type:
    """Return the decimal type with this many digits after the point."""
    return Type("decimal", scale)


def category(base: Type, choices: Sequence[Choice]) -> Type:
    """Return the category with the given values, in order.

    >>> str(category(INTEGER, [Choice("1", "calm"), Choice("2", "nervous")]))
    'category'
    """
    return Type("category", base=base, choices=tuple(choices))


def type_word(word: str) -> str:
    """Check that a word names a type.

    >>> type_word("dat")  # doctest: +ELLIPSIS
    Traceback (most recent call last):
        ...
    comb.errors.ParameterError: there is no type 'dat'
      did you mean 'date'? types: string, integer, decimal, number, boolean, date, datetime...
    """
    if word not in STORAGE:
        what, remedy = unknown_name("type", word, list(STORAGE))
        meant = called_here(word)
        raise ParameterError(what, remedy=f"here it is {meant!r}; types: {listing(list(STORAGE))}" if meant else remedy)
    return word


# What types are called in other languages.
_ELSEWHERE = {
    **dict.fromkeys(("int", "bigint", "smallint"), "integer"),
    **dict.fromkeys(("float", "double", "real"), "number"),
    **dict.fromkeys(("numeric", "money"), "decimal"),
    **dict.fromkeys(("str", "text", "char", "varchar"), "string"),
    **dict.fromkeys(("list", "dict", "object"), "json"),
    "bool": "boolean", "timestamp": "datetime", "interval": "duration", "timedelta": "duration", "enum": "category",
}  # fmt: skip


def called_here(word: str) -> str:
    """Return what a type of another language is called here, with the digits in its parentheses; empty if unknown.

    >>> [called_here(word) for word in ("float", "decimal(10, 2)", "colour")]
    ['number', 'decimal 0.00', '']
    """
    name, _, size = word.casefold().partition("(")
    kind = _ELSEWHERE.get(name.strip(), name.strip() if size and name.strip() in STORAGE else "")
    digits = size.rstrip(") ").rpartition(",")[2].strip()
    if kind == "decimal" and digits.isdecimal() and int(digits) <= MOST_DECIMAL_DIGITS:
        return f"decimal 0.{int(digits) * '0'}" if int(digits) else "integer"
    return kind
