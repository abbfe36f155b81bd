"""The parts of a parsed expression; each knows where it is in the text."""

from dataclasses import dataclass

from comb.tables.types import Type
from comb.tables.value_texts import Value


@dataclass(frozen=True, slots=True)
class Node:
    """Any part of an expression.

    Attributes
    ----------
    start, end : int
        Where it is in the text.
    """

    start: int
    end: int


@dataclass(frozen=True, slots=True)
class Literal(Node):
    """A value written in the expression; None for ``null``."""

    value: Value


@dataclass(frozen=True, slots=True)
class Name(Node):
    """A column."""

    name: str


@dataclass(frozen=True, slots=True)
class ChoiceRank(Node):
    """The place of each cell of a category among its choices, from 0; made by the check, not by the parser."""

    name: str


@dataclass(frozen=True, slots=True)
class Unary(Node):
    """``-x``, ``+x`` or ``not x``."""

    operator: str
    operand: Node


@dataclass(frozen=True, slots=True)
class Binary(Node):
    """Two operands: arithmetic, comparison, ``and``, ``or``, ``||``."""

    operator: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class IsNull(Node):
    """``x is null`` or ``x is not null``."""

    operand: Node
    negated: bool


@dataclass(frozen=True, slots=True)
class InList(Node):
    """``x in (a, b)`` or ``x not in (a, b)``."""

    operand: Node
    options: tuple[Node, ...]
    negated: bool


@dataclass(frozen=True, slots=True)
class Between(Node):
    """``x between low and high``, both ends included."""

    operand: Node
    low: Node
    high: Node
    negated: bool


@dataclass(frozen=True, slots=True)
class Like(Node):
    """``x like 'pattern'`` with ``%`` for any text and ``_`` for any character."""

    operand: Node
    pattern: str
    negated: bool


@dataclass(frozen=True, slots=True)
class Case(Node):
    """``case when condition then value ... else value end``.

    The checker fills in the type that all results share.
    """

    branches: tuple[tuple[Node, Node], ...]
    otherwise: Node | None
    kind: Type | None = None


@dataclass(frozen=True, slots=True)
class Cast(Node):
    """``cast(x as date)``, ``cast(x as decimal(2))``: the digits are those after the point."""

    operand: Node
    word: str
    digits: int | None = None


@dataclass(frozen=True, slots=True)
class Call(Node):
    """A function with its arguments; the checker fills in the type of its result."""

    function: str
    arguments: tuple[Node, ...]
    kind: Type | None = None


@dataclass(frozen=True, slots=True)
class DistinctFrom(Node):
    """``x is [not] distinct from y``: missing cells are equal."""

    left: Node
    right: Node
    negated: bool


@dataclass(frozen=True, slots=True)
class Pattern(Node):
    """``x like_regex 'pattern'``."""

    operand: Node
    pattern: str
    negated: bool


@dataclass(frozen=True, slots=True)
class Today(Node):
    """``current_date``: the day that is given as `as_of`."""


@dataclass(frozen=True, slots=True)
class Parameter(Node):
    """``:name``: a value given beside the expression."""

    name: str


@dataclass(frozen=True, slots=True)
class Key:
    """One key of an order."""

    node: Node
    descending: bool


@dataclass(frozen=True, slots=True)
class Frame:
    """``rows between 2 preceding and current row``: which rows of a window count, seen from each.

    Attributes
    ----------
    start, end : int
        Where it is in the formula.
    by_rows : bool
        ``rows``: counted in rows; else ``range``: in units of what orders them.
    low, high : Literal or None
        How far, negative for preceding; None for unbounded.
    """

    start: int
    end: int
    by_rows: bool
    low: Literal | None
    high: Literal | None


@dataclass(frozen=True, slots=True)
class Over:
    """``over (partition by ... order by ... rows between ... and ...)``."""

    partition: tuple[Node, ...]
    order: tuple[Key, ...]
    frame: Frame | None = None


@dataclass(frozen=True, slots=True)
class AggregateCall(Node):
    """An aggregate, over all rows, a group or a window; or a function of windows.

    ``count(*)`` has no arguments. The checker fills in the type of the result.
    """

    function: str
    arguments: tuple[Node, ...]
    distinct: bool = False
    order: tuple[Key, ...] = ()
    where: Node | None = None
    over: Over | None = None
    kind: Type | None = None


@dataclass(frozen=True, slots=True)
class Columns(Node):
    """A function of a selection of columns: ``sum_columns(jan:dec)``.

    The checker fills in the columns and the type of the result.
    """

    function: str
    selectors: tuple[str, ...]
    operands: tuple[Node, ...] = ()
    kind: Type | None = None


def children(node: Node) -> tuple[Node, ...]:
    """Return the parts directly below a node, from left to right."""
    match node:
        case Unary() | IsNull() | Like() | Cast() | Pattern():
            return (node.operand,)
        case Columns():
            return node.operands
        case AggregateCall():
            keys = (*node.order, *(node.over.order if node.over else ()))
            partition = node.over.partition if node.over else ()
            where = () if node.where is None else (node.where,)
            return *node.arguments, *where, *partition, *(key.node for key in keys)
        case Binary() | DistinctFrom():
            return node.left, node.right
        case InList():
            return node.operand, *node.options
        case Between():
            return node.operand, node.low, node.high
        case Case():
            inner = tuple(part for branch in node.branches for part in branch)
            return inner if node.otherwise is None else (*inner, node.otherwise)
        case Call():
            return node.arguments
    return ()


def column_names(node: Node) -> list[str]:
    """Return the columns an expression reads, each once, from left to right."""
    found = {node.name: None} if isinstance(node, Name) else {}
    for child in children(node):
        found.update(dict.fromkeys(column_names(child)))
    return list(found)
