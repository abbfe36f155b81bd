"""The parts of a parsed expression; each knows where it is in the text."""

import msgspec

from comb.tables.types import Type
from comb.tables.value_texts import Value


class Node(msgspec.Struct, frozen=True):
    """Any part of an expression.

    Attributes
    ----------
    start, end : int
        Where it is in the text.
    """

    start: int
    end: int


class Literal(Node, frozen=True):
    """A value written in the expression; None for ``null``."""

    value: Value


class Name(Node, frozen=True):
    """A column."""

    name: str


class ChoiceRank(Node, frozen=True):
    """The place of each cell of a category among its choices, from 0; made by the check, not by the parser."""

    name: str


class Unary(Node, frozen=True):
    """``-x``, ``+x`` or ``not x``."""

    operator: str
    operand: Node


class Binary(Node, frozen=True):
    """Two operands: arithmetic, comparison, ``and``, ``or``, ``||``."""

    operator: str
    left: Node
    right: Node


class IsNull(Node, frozen=True):
    """``x is null`` or ``x is not null``."""

    operand: Node
    negated: bool


class InList(Node, frozen=True):
    """``x in (a, b)`` or ``x not in (a, b)``."""

    operand: Node
    options: tuple[Node, ...]
    negated: bool


class Between(Node, frozen=True):
    """``x between low and high``, both ends included."""

    operand: Node
    low: Node
    high: Node
    negated: bool


class Like(Node, frozen=True):
    """``x like 'pattern'`` with ``%`` for any text and ``_`` for any character."""

    operand: Node
    pattern: str
    negated: bool


class Case(Node, frozen=True):
    """``case when condition then value ... else value end``.

    The checker fills in the type that all results share.
    """

    branches: tuple[tuple[Node, Node], ...]
    otherwise: Node | None
    kind: Type | None = None


class Cast(Node, frozen=True):
    """``cast(x as date)``, ``cast(x as decimal(2))``: the digits are those after the point."""

    operand: Node
    word: str
    digits: int | None = None


class Call(Node, frozen=True):
    """A function with its arguments; the checker fills in the type of its result."""

    function: str
    arguments: tuple[Node, ...]
    kind: Type | None = None


class DistinctFrom(Node, frozen=True):
    """``x is [not] distinct from y``: missing cells are equal."""

    left: Node
    right: Node
    negated: bool


class Pattern(Node, frozen=True):
    """``x like_regex 'pattern'``."""

    operand: Node
    pattern: str
    negated: bool


class Today(Node, frozen=True):
    """``current_date``: the day that is given as `as_of`."""


class Parameter(Node, frozen=True):
    """``:name``: a value given beside the expression."""

    name: str


class Key(msgspec.Struct, frozen=True):
    """One key of an order."""

    node: Node
    descending: bool


class Frame(msgspec.Struct, frozen=True):
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


class Over(msgspec.Struct, frozen=True):
    """``over (partition by ... order by ... rows between ... and ...)``."""

    partition: tuple[Node, ...]
    order: tuple[Key, ...]
    frame: Frame | None = None


class AggregateCall(Node, frozen=True):
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


class Columns(Node, frozen=True):
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


def has_aggregate(node: Node) -> bool:
    """Return whether an expression takes values of several rows together."""
    return isinstance(node, AggregateCall) or any(map(has_aggregate, children(node)))
