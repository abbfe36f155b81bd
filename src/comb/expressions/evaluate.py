"""Evaluate checked expressions on whole columns."""

from collections.abc import Mapping
from decimal import Decimal
from typing import Any

import numpy as np

from comb.expressions import arithmetic, logic, moments
from comb.expressions.check import check, check_condition, literal_type
from comb.expressions.functions import FUNCTIONS
from comb.expressions.nodes import (
    Between,
    Binary,
    Call,
    Case,
    Cast,
    InList,
    IsNull,
    Like,
    Literal,
    Name,
    Node,
    Unary,
)
from comb.expressions.parser import parse
from comb.inference.convert import convert_column
from comb.inference.patterns import Request
from comb.tables.bare import BareTable
from comb.tables.column import Column
from comb.tables.formats import Value, stored_value
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import DURATION, NUMBER, STRING, TIME, Type


def evaluate(text: str, table: BareTable) -> Column:
    """Evaluate a formula for every row.

    Parameters
    ----------
    text : str
        The formula.
    table : BareTable

    Returns
    -------
    Column
        As long as the table. A cell is missing where an operand is, with the reason
        of the first; ``undefined`` where there is no result.

    Raises
    ------
    ExpressionError
        Before any row is touched.
    """
    node, kind = check(parse(text), text, table.types)
    return _stretched(_Evaluator(table.columns).column(node, kind), table.row_count)


def evaluate_condition(text: str, table: BareTable) -> Column:
    """Evaluate a condition for every row: true, false, or missing where unknown."""
    node = check_condition(parse(text), text, table.types)
    result = _Evaluator(table.columns).column(node, Type("boolean"))
    return _stretched(result, table.row_count)


def constant(value: Value, kind: Type) -> Column:
    """Return a column of one cell that holds a value of the given type."""
    if value is None:
        cleared = np.array([Reason.CLEARED], np.uint8)
        empty: Any = Text.from_items([""]) if kind.textual else np.zeros(1, kind.storage)
        return Column(kind, empty, cleared)
    if isinstance(value, str):
        return Column(kind, Text.from_items([value]), np.array([not value], np.uint8))
    if isinstance(value, Decimal):
        return Column(kind, np.array([int(value.scaleb(kind.scale))], np.int64))
    return Column(kind, np.array([stored_value(value, kind)], kind.storage))


def _stretched(column: Column, height: int) -> Column:
    """Give a constant the length of the table."""
    if len(column) == height:
        return column
    return column.take(np.zeros(height, np.int64))


class _Evaluator:
    """Walks a checked tree; constants stay columns of one cell until the end."""

    def __init__(self, columns: Mapping[str, Column]) -> None:
        self.columns = columns

    def column(self, node: Node, kind: Type | None) -> Column:
        """Evaluate a node and give it the type asked for, where numbers have to widen."""
        return widened(self.value(node, kind or STRING), kind)

    def value(self, node: Node, kind: Type = STRING) -> Column:
        """Evaluate a node; `kind` is the type that a null takes on."""
        match node:
            case Literal():
                return constant(node.value, literal_type(node) or kind)
            case Name():
                column = self.columns[node.name]
                return column.replace(type=column.type.plain) if column.type.base else column
            case Unary():
                operand = self.value(node.operand, Type("boolean" if node.operator == "not" else "integer"))
                if operand.type == DURATION:
                    return moments.negative(operand)
                return logic.negation(operand) if node.operator == "not" else arithmetic.negative(operand)
            case Binary():
                return self.binary(node)
            case IsNull():
                result = logic.is_null(self.value(node.operand))
                return logic.negation(result) if node.negated else result
            case Like():
                result = logic.like(self.value(node.operand), node.pattern)
                return logic.negation(result) if node.negated else result
            case InList() | Between():
                return self.membership(node)
            case Case():
                return self.case(node, kind)
            case Cast():
                return self.cast(node)
            case Call():
                return self.call(node, kind)
        raise AssertionError(f"no rule for {node!r}")

    def binary(self, node: Binary) -> Column:
        """Evaluate two operands and put them together."""
        if node.operator in ("and", "or"):
            left, right = (self.value(part, Type("boolean")) for part in (node.left, node.right))
            return (logic.conjunction if node.operator == "and" else logic.disjunction)(left, right)
        if node.operator == "||":
            parts = [self.value(node.left), self.value(node.right)]
            return join_texts(*parts)
        left, right = (self.value(part, Type("integer")) for part in (node.left, node.right))
        if node.operator in ("=", "<>", "<", "<=", ">", ">="):
            return logic.compare(node.operator, left, right)
        if moments.MOMENTS & {left.type.word, right.type.word}:
            return moments.calculate(node.operator, left, right)
        return arithmetic.calculate(node.operator, left, right)

    def cast(self, node: Cast) -> Column:
        """Convert a value; a datetime gives its day or its time of day."""
        operand = self.value(node.operand)
        if (operand.type.word, node.word) == ("datetime", "time"):
            return Column(TIME, operand.array - operand.array.astype("datetime64[D]"), operand.state)
        rounding = "down" if (operand.type.word, node.word) == ("datetime", "date") else None
        return convert_column(operand, Request(node.word, ""), rounding=rounding)

    def membership(self, node: InList | Between) -> Column:
        """Evaluate in and between."""
        operand = self.value(node.operand)
        if isinstance(node, Between):
            bounds = (self.value(bound, operand.type) for bound in (node.low, node.high))
            result = logic.between(operand, *bounds)
        else:
            result = logic.in_list(operand, [self.value(option, operand.type) for option in node.options])
        return logic.negation(result) if node.negated else result

    def case(self, node: Case, kind: Type) -> Column:
        """Evaluate all branches on whole columns, then choose for each row."""
        kind = node.kind or kind
        conditions = [self.value(when, Type("boolean")) for when, _ in node.branches]
        values = [self.column(then, kind) for _, then in node.branches]
        otherwise = self.column(node.otherwise, kind) if node.otherwise else constant(None, kind)
        return logic.choose(conditions, values, otherwise)

    def call(self, node: Call, kind: Type) -> Column:
        """Evaluate the arguments, then the function."""
        function = FUNCTIONS[node.function]
        if node.function == "label" and isinstance(node.arguments[0], Name):
            # What values stand for is known by the column alone.
            return function.apply([self.columns[node.arguments[0].name]])
        kind, same = node.kind or kind, "same" in function.takes
        arguments = [self.column(part, kind) if same else self.value(part) for part in node.arguments]
        return function.apply(arguments)


def widened(column: Column, kind: Type | None) -> Column:
    """Return a numeric column as a wider numeric type."""
    if kind is None or column.type == kind or not (column.type.numeric and kind.numeric):
        return column
    if kind == NUMBER:
        return column.replace(type=NUMBER, values=arithmetic.as_floats(column))
    values, bad = arithmetic.rescaled(column.array, kind.scale - column.type.scale)
    return column.replace(type=kind, values=values, state=arithmetic.undefined_where(bad, column.states))


def join_texts(left: Column, right: Column) -> Column:
    """``left || right``: missing where either is."""
    state = arithmetic.first_missing(left, right)
    height = len(state)
    mine, theirs = (list(arithmetic.stretched_list(side.text.to_list(), height)) for side in (left, right))
    texts = [a + b for a, b in zip(mine, theirs, strict=True)]
    return Column(STRING, Text.from_strings(texts), np.broadcast_to(state, height))
