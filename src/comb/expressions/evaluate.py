"""Evaluate checked expressions on whole columns."""

from collections.abc import Collection, Mapping, Sequence
from datetime import timedelta
from decimal import Decimal
from functools import partial
from types import MappingProxyType
from typing import Any

import numpy as np
from msgspec.structs import replace

from comb.casting.cast import convert_column
from comb.casting.fit import to_scale
from comb.errors import nearest
from comb.expressions import arithmetic, logic, moments
from comb.expressions.aggregates import Groups, aggregate
from comb.expressions.check import NOTHING_GIVEN, Given, check, check_condition, literal_type
from comb.expressions.functions import FUNCTIONS, NULL_TYPES, UNDEFINED_FOR_SOME
from comb.expressions.in_blocks import aggregates_in, in_blocks, is_row_by_row, row_parts
from comb.expressions.nodes import (
    AggregateCall,
    Between,
    Binary,
    Call,
    Case,
    Cast,
    ChoiceRank,
    Columns,
    DistinctFrom,
    InList,
    IsNull,
    Key,
    Like,
    Literal,
    Name,
    Node,
    Pattern,
    Unary,
    children,
    has_aggregate,
)
from comb.expressions.parser import parse
from comb.expressions.signatures import FRAMED
from comb.expressions.untyped import checked_with, told_untyped, untyped_columns, with_types
from comb.expressions.windows import RANKS, Window, over_all, partitioned
from comb.kernels.grouping import Codes, missing_last, order_rows
from comb.kernels.types import MICROSECONDS_A_DAY
from comb.parsing.patterns import Request
from comb.tables.column import Column, Mask
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text, put_together
from comb.tables.types import BOOLEAN, DURATION, INTEGER, NUMBER, STRING, TIME, Type
from comb.tables.value_texts import Value, stored_value


def evaluate(text: str, table: BareTable, given: Given = NOTHING_GIVEN, groups: Groups | None = None) -> Column:
    """Evaluate a formula for every row.

    Parameters
    ----------
    text : str
        The formula.
    table : BareTable
    given : Given
        What stands beside it.
    groups : Groups, optional
        Within which aggregates are taken; by default over all rows.

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
    node, kind, table = _checked(text, table, given)
    return told_untyped(_evaluated(node, kind, table, groups), node, table)


def _evaluated(node: Node, kind: Type | None, table: BareTable, groups: Groups | None) -> Column:
    """Evaluate a checked expression for every row."""

    within = groups or Groups.whole(table.row_count, table._storage)
    known: dict[int, Column] = {}
    if table._storage.on_disk and is_row_by_row(node, grouped=True):
        known = {id(part): _Evaluator(table.columns, within).of_groups(part) for part in aggregates_in(node)}

    def calculate(columns: Mapping[str, Column], rows: slice) -> Column:
        evaluator = _Evaluator(columns, within.part(rows), known=known)
        return _stretched(evaluator.column(node, kind), rows.stop - rows.start)

    made = in_blocks(node, table.columns, table.row_count, table._storage, calculate)
    return calculate(table.columns, slice(0, table.row_count)) if made is None else made


def _checked(text: str, table: BareTable, given: Given) -> tuple[Node, Type | None, BareTable]:
    """Check a formula; with it comes the table whose types it was checked with."""
    node = parse(text)
    found, own = checked_with(
        lambda types: check(node, text, types, given), node, table.types, partial(untyped_columns, table)
    )
    return *found, with_types(table, own)


def _condition(text: str, table: BareTable, given: Given) -> tuple[Node, BareTable]:
    """Check a condition; with it comes the table whose types it was checked with."""
    node = parse(text)
    found, own = checked_with(
        lambda types: check_condition(node, text, types, given), node, table.types, partial(untyped_columns, table)
    )
    return found, with_types(table, own)


def formula_type(
    text: str, types: Mapping[str, Type], given: Given = NOTHING_GIVEN, untyped: Collection[str] = ()
) -> Type:
    """Return the type of what a formula gives, without calculating it; see `comb.expressions.untyped`."""
    node = parse(text)
    found, _ = checked_with(lambda some: check(node, text, some, given), node, types, lambda: untyped)
    return found[1] or STRING


def bounds_of(text: str, table: BareTable, given: Given = NOTHING_GIVEN) -> dict[str, int]:
    """Count the rows that lie exactly on a bound of a condition, for each comparison with one."""
    node, table = _condition(text, table, given)
    found: dict[str, int] = {}
    waiting = [node]
    while waiting:
        one = waiting.pop()
        if isinstance(one, Binary) and one.operator in ("and", "or"):
            waiting += [one.right, one.left]
        elif isinstance(one, Unary) and one.operator == "not":
            waiting.append(one.operand)
        elif isinstance(one, Binary) and one.operator in ("<", "<=", ">", ">="):
            on_bound = replace(one, operator="=")
            for columns, height in row_parts(on_bound, table):
                same = _Evaluator(columns, Groups.whole(height)).value(on_bound)
                count = int(np.count_nonzero(same.array & same.present))
                found[text[one.start : one.end]] = found.get(text[one.start : one.end], 0) + count
    return {message: count for message, count in found.items() if count}


# What may have no result, and what passes over such: there the missing cell of a result does not tell of it.
_RISKY = frozenset({"/", "div", "%"})
_SWALLOWING = frozenset({"=", "<>", "<", "<=", ">", ">=", "and", "or"})


def undefined_of(text: str, table: BareTable, given: Given = NOTHING_GIVEN) -> dict[str, int]:
    """Count the results that do not exist (``1 / 0``) inside a formula, where what comes of it does not show them.

    A condition is unknown then, an aggregate passes over them, `coalesce` and `case` put something in their place. Rows
    in which the formula as a whole has no result show it themselves.

    Returns
    -------
    dict of str to int
        Rows without a result, by the part of the formula. Cost: the parts that may have none are calculated again; none
        where there are no such parts.
    """
    node, kind, table = _checked(text, table, given)
    # Of a condition that has none it is said that it is unknown, which cells that are missing are a reason for, too.
    whole = None if kind == BOOLEAN or has_aggregate(node) else node
    found: dict[str, int] = {}

    def visit(part: Node, *, swallowed: bool) -> None:
        risky = (isinstance(part, Binary) and part.operator in _RISKY) or (
            isinstance(part, Call) and part.function in UNDEFINED_FOR_SOME
        )
        if risky and swallowed and not has_aggregate(part):
            count = sum(_lacking(part, whole, *some) for some in row_parts(whole or part, table))
            if count:
                found[text[part.start : part.end]] = count
        passes_over = (
            isinstance(part, AggregateCall | Case | IsNull | InList | Between | DistinctFrom)
            or (isinstance(part, Binary) and part.operator in _SWALLOWING)
            or (isinstance(part, Call) and part.function == "coalesce")
        )
        for child in children(part):
            visit(child, swallowed=swallowed or passes_over)

    visit(node, swallowed=False)
    return found


def _lacking(part: Node, whole: Node | None, columns: Mapping[str, Column], height: int) -> int:
    """Count the rows in which an operation has its operands and no result, while the whole formula may have one."""
    evaluator = _Evaluator(columns, Groups.whole(height))
    lacking = evaluator.value(part).states == Reason.UNDEFINED
    for child in children(part):
        lacking = lacking & evaluator.value(child).present
    if whole is not None and lacking.any():
        lacking = lacking & (evaluator.value(whole).states != Reason.UNDEFINED)
    return int(np.count_nonzero(lacking))


# Texts among which the nearest to one that no row has is looked for.
MOST_COMPARED = 2_000


def strangers_of(text: str, table: BareTable, given: Given = NOTHING_GIVEN) -> list[str]:
    """Name the texts of a condition that no row has in the column they are compared with, and the nearest one."""
    found: list[str] = []
    condition, table = _condition(text, table, given)
    waiting = [condition]
    while waiting:
        node = waiting.pop()
        waiting += reversed(children(node))
        parts: tuple[Node, ...] = ()
        if isinstance(node, Binary) and node.operator in ("=", "<>"):
            parts = (node.left, node.right)
        elif isinstance(node, InList):
            parts = (node.operand, *node.options)
        elif isinstance(node, Like) and not set("%_") & set(node.pattern) and set("*?") & set(node.pattern):
            found.append(f"in like, % stands for any text and _ for one character: {node.pattern.replace('*', '%')!r}")
        names = [part.name for part in parts if isinstance(part, Name)]
        wanted = [part.value for part in parts if isinstance(part, Literal) and isinstance(part.value, str)]
        if len(names) != 1 or not wanted or not isinstance(table[names[0]].values, Text):
            continue
        column = table[names[0]]
        few = column.text.item_count <= MOST_COMPARED
        for one in wanted:
            if not column.text.holds(str(one)) and column.present.any():
                near = nearest(str(one), sorted(set(column.text.items()))) if few else None
                hint = f" (nearest: {near!r})" if near else ""
                found.append(f"no row has {one!r} in {names[0]}{hint}")
    return found


def working_of(text: str, table: BareTable, position: int, given: Given = NOTHING_GIVEN) -> list[tuple[str, str]]:
    """Return the parts of a formula and what each comes to in one row, the innermost first.

    Parameters
    ----------
    text : str
    table : BareTable
    position : int
        Of the row, from 0.
    given : Given
    """
    node, kind, table = _checked(text, table, given)
    evaluator = _Evaluator(table.columns, Groups.whole(table.row_count))
    row = np.array([position])
    steps: list[tuple[str, str]] = []

    def shown(part: Node, wanted: Type | None = None) -> str:
        column = _stretched(evaluator.column(part, wanted), table.row_count)._take(row)
        message = column.texts()[0]
        return f"({column.reasons()[0]})" if message is None else repr(message) if column.type == STRING else message

    def visit(part: Node, wanted: Type | None) -> str:
        result = shown(part, wanted)
        if isinstance(part, Literal):
            return text[part.start : part.end] if part.end <= len(text) else result
        if isinstance(part, Name | AggregateCall | Columns):
            steps.append((text[part.start : part.end], result))
            return result
        written = text[part.start : part.end]
        inner = sorted(children(part), key=lambda one: one.start)
        cell_notes = [visit(child, None) for child in inner]
        for child, message in zip(reversed(inner), reversed(cell_notes), strict=True):
            begin, end = child.start - part.start, child.end - part.start
            written = written[:begin] + message + written[end:]
        steps.append((f"{text[part.start : part.end]} = {written}", result))
        return result

    visit(node, kind)
    return list(dict.fromkeys(steps))


def evaluate_groups(text: str, table: BareTable, groups: Groups, given: Given) -> Column:
    """Evaluate a formula once for each group: aggregates, and what is calculated with them.

    Parameters
    ----------
    text : str
    table : BareTable
    groups : Groups
    given : Given
        With the columns that groups have one value of.
    """
    node, kind, table = _checked(text, table, given)
    keys = {name: table[name]._take(groups.first) for name in given.keys or ()}
    evaluator = _Evaluator(table.columns, groups, keys)
    return told_untyped(_stretched(evaluator.column(node, kind), len(groups)), node, table)


def evaluate_condition(
    text: str, table: BareTable, given: Given = NOTHING_GIVEN, groups: Groups | None = None
) -> Column:
    """Evaluate a condition for every row: true, false, or missing where unknown."""
    node, table = _condition(text, table, given)
    return _evaluated(node, Type("boolean"), table, groups)


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
    return column._take(np.zeros(height, np.int64))


# What may be calculated block by block, this many rows at once that they stay in the processor's cache.
FUSED = frozenset("+-*/")
BLOCK = 16_384
FEW_ROWS = 50_000


def _offset(edge: Literal | None, scale: Column) -> Any:
    """Return how far a frame reaches in the unit in which the key that orders the rows is stored; None for all."""
    if edge is None:
        return None
    value: Any = edge.value
    if isinstance(value, timedelta):
        micro = value // timedelta(microseconds=1)
        # A date that is less than a whole day away is not in the frame.
        return micro / MICROSECONDS_A_DAY if scale.type.word == "date" else micro
    if scale.type.word == "number":
        return float(value)
    return float(Decimal(str(value)).scaleb(scale.type.scale))


def _plain(column: Column) -> Column:
    """Return the values of a category as what they are."""
    return column._replace(type=column.type.plain) if column.type.base else column


class _Evaluator:
    """Walks a checked tree; constants stay columns of one cell until the end.

    With `keys`, every value stands for a group: what is not inside an aggregate are these columns. In `known` are the
    values of groups that aggregates came to already, by the identity of their nodes.
    """

    def __init__(
        self,
        columns: Mapping[str, Column],
        groups: Groups,
        keys: Mapping[str, Column] | None = None,
        known: Mapping[int, Column] = MappingProxyType({}),
    ) -> None:
        self.columns = columns
        self.groups = groups
        self.keys = keys
        self.known = known

    def column(self, node: Node, kind: Type | None) -> Column:
        """Evaluate a node and give it the type asked for, where numbers have to widen."""
        return widened(self.value(node, kind or STRING), kind)

    def value(self, node: Node, kind: Type = STRING) -> Column:
        """Evaluate a node; `kind` is the type that a null takes on."""
        match node:
            case Literal():
                return constant(node.value, literal_type(node) or kind)
            case Name():
                column = self.columns[node.name] if self.keys is None else self.keys[node.name]
                return _plain(column)
            case ChoiceRank():
                ranks = self.ordered(Name(node.start, node.end, node.name))._sort_ranks()
                column = self.columns[node.name] if self.keys is None else self.keys[node.name]
                return Column(INTEGER, ranks, column.state)
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
            case Pattern():
                result = logic.like_regex(self.value(node.operand), node.pattern)
                return logic.negation(result) if node.negated else result
            case DistinctFrom():
                result = logic.distinct(*(self.value(part) for part in (node.left, node.right)))
                return logic.negation(result) if node.negated else result
            case AggregateCall():
                return self.aggregate(node)
            case Columns():
                return across(node.function, [self.value(part) for part in node.operands], node.kind or NUMBER)
            case InList() | Between():
                return self.membership(node)
            case Case():
                return self.case(node, kind)
            case Cast():
                return self.cast(node)
            case Call():
                return self.call(node, kind)
        raise AssertionError(f"no rule for {node!r}")

    def ordered(self, node: Node) -> Column:
        """Evaluate what is put in order: a category keeps the order of its choices."""
        if isinstance(node, Name):
            return self.columns[node.name] if self.keys is None else self.keys[node.name]
        return self.value(node, INTEGER)

    def aggregate(self, node: AggregateCall) -> Column:
        """Evaluate an aggregate over each group, or over windows of rows; its value for each row, or for each group."""
        if node.over is not None:
            return self.of_groups(node)
        made = self.known[id(node)] if id(node) in self.known else self.of_groups(node)
        if self.keys is not None or len(self.groups) == 1:
            return made
        return made._take(self.groups.codes)

    def of_groups(self, node: AggregateCall) -> Column:
        """Evaluate an aggregate: a value for each group; of windows one for each row."""
        rows = _Evaluator(self.columns, self.groups)
        height = len(self.groups.codes)
        share, between = 0.5, ""
        arguments = list(node.arguments)
        if node.function.startswith("percentile"):
            share = float(str(getattr(arguments.pop(), "value", 0.5)))
        elif node.function == "listagg" and len(arguments) > 1:
            between = str(getattr(arguments.pop(), "value", ""))
        # A null is a whole number there, as it was checked.
        value = rows.ordered if node.function in ("min", "max") else partial(rows.in_blocks, kind=INTEGER)
        columns = [_stretched(value(argument), height) for argument in arguments]
        used = None
        if node.where is not None:
            condition = _stretched(rows.in_blocks(node.where, Type("boolean")), height)
            used = condition.array if condition.state is None else condition.array & condition.present
        if node.over is not None:
            return _plain(self.windowed(node, rows, columns, used))
        order = None
        if node.order:
            keys, _ = rows.ranked(node.order, height)
            order = order_rows(keys)
        made = aggregate(
            node.function, columns, self.groups, used=used, distinct=node.distinct, order=order, share=share,
            between=between,
        )  # fmt: skip
        return _plain(made)

    def in_blocks(self, node: Node, kind: Type = STRING) -> Column:
        """Evaluate a part of an aggregate, some rows at a time where the table is on disk."""

        def calculate(columns: Mapping[str, Column], rows: slice) -> Column:
            height = rows.stop - rows.start
            return _stretched(_Evaluator(columns, Groups.whole(height)).value(node, kind), height)

        height = len(self.groups.codes)
        made = in_blocks(node, self.columns, height, self.groups.storage, calculate)
        return self.value(node, kind) if made is None else made

    def ranked(self, keys: Sequence[Key], height: int) -> tuple[list[Codes], Mask]:
        """Return ascending ranks for the keys of an order, missing last, and where one is missing."""
        found, missing = [], np.zeros(height, np.bool_)
        for key in keys:
            column = _stretched(self.ordered(key.node), height)
            ranks = column._sort_ranks()
            found.append(missing_last(ranks, descending=key.descending))
            missing |= ranks < 0
        return found, missing

    def windowed(self, node: AggregateCall, rows: "_Evaluator", columns: list[Column], used: Mask | None) -> Column:
        """Evaluate a function of windows."""
        assert node.over is not None
        height = len(self.groups.codes)
        partition = [_stretched(rows.value(part), height) for part in node.over.partition]
        groups = partitioned(self.groups, partition)
        if not node.over.order and node.function not in ("lag", "lead", "ntile", "first_value", "last_value", *RANKS):
            return over_all(node.function, columns, groups, used, distinct=node.distinct)
        keys, missing = rows.ranked(node.over.order, height)
        window = Window(groups, keys, missing)
        if node.function in RANKS:
            return window.rank(node.function)
        if node.function == "ntile":
            return window.tile(int(columns[0].array[0]) if height else 1)
        if node.function in ("lag", "lead"):
            step = int(columns[1].array[0]) if len(columns) > 1 and height else 1
            return window.neighbour(columns[0], -step if node.function == "lag" else step)
        frame = node.over.frame
        low, high = window.frame(None, None, by_peers=True)
        if frame is not None and frame.by_rows:
            low, high = window.frame(*(None if one is None else int(str(one.value)) for one in (frame.low, frame.high)))
        elif frame is not None:
            key = node.over.order[0]
            scale = _stretched(rows.value(key.node), height)
            low, high = window.span(scale, key.descending, *(_offset(edge, scale) for edge in (frame.low, frame.high)))
        if node.function in FRAMED[-4:]:
            return window.edge_value(node.function, columns[0], low, high, used)
        if frame is None:
            return window.running(node.function, columns, used)
        return window.framed(node.function, columns, low, high, used)

    def binary(self, node: Binary) -> Column:
        """Evaluate two operands and put them together."""
        if node.operator in ("and", "or"):
            left, right = (self.value(part, Type("boolean")) for part in (node.left, node.right))
            return (logic.conjunction if node.operator == "and" else logic.disjunction)(left, right)
        if node.operator == "||":
            parts = [self.value(node.left), self.value(node.right)]
            return join_texts(*parts)
        if node.operator in FUSED:
            quick = self.fused(node)
            if quick is not None:
                return quick
        left = self.value(node.left, INTEGER)
        right = self.value(node.right, DURATION if left.type.word in moments.MOMENTS else INTEGER)
        if right.type.word in moments.MOMENTS and left.type == INTEGER and not left.present.any():
            # Beside a moment a null is a duration, as it was checked.
            left = self.value(node.left, DURATION)
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
        if node.digits is not None:
            plain = operand._replace(type=operand.type.plain)
            # A text is read with all its digits, and rounded then.
            exact = plain if plain.type.numeric else convert_column(plain, Request("decimal", ""))
            return to_scale(exact, node.digits)[0]
        rounding = "down" if (operand.type.word, node.word) == ("datetime", "date") else None
        return convert_column(operand, Request(node.word, ""), rounding=rounding)

    def fused(self, node: Binary) -> Column | None:
        """Calculate with several numbers at once, block by block; None where cells are missing or results are not."""
        height = len(self.groups.codes)
        leaves: dict[str, Any] = {}
        if self.keys is not None or height < FEW_ROWS or not self._leaves(node, leaves):
            return None
        out = np.empty(height)

        def block(part: Node, rows: slice) -> Any:
            if isinstance(part, Name):
                return leaves[part.name][rows]
            if isinstance(part, Literal):
                return float(str(part.value))
            assert isinstance(part, Binary)
            left, right = block(part.left, rows), block(part.right, rows)
            return arithmetic.FLOATS[part.operator](left, right)

        try:
            with np.errstate(over="raise", divide="raise", invalid="raise", under="ignore"):
                for start in range(0, height, BLOCK):
                    rows = slice(start, min(start + BLOCK, height))
                    out[rows] = block(node, rows)
        except FloatingPointError:
            return None
        return Column(NUMBER, out)

    def _leaves(self, node: Node, leaves: dict[str, Any]) -> bool:
        """Collect the columns of a formula of numbers; False unless it may be calculated in blocks."""
        if isinstance(node, Literal):
            return isinstance(node.value, int | float) and not isinstance(node.value, bool) and abs(node.value) < 2**53
        if isinstance(node, Name):
            column = self.columns[node.name]
            if column.state is not None or column.type.word not in ("number", "integer"):
                return False
            leaves[node.name] = column.array
            return True
        if not isinstance(node, Binary) or node.operator not in FUSED:
            return False
        # Whole numbers among themselves are calculated exactly.
        return self._is_float(node) and self._leaves(node.left, leaves) and self._leaves(node.right, leaves)

    def _is_float(self, node: Node) -> bool:
        """Return whether a part is calculated with floats."""
        if isinstance(node, Literal):
            return isinstance(node.value, float)
        if isinstance(node, Name):
            return self.columns[node.name].type == NUMBER
        if isinstance(node, Binary):
            return node.operator == "/" or self._is_float(node.left) or self._is_float(node.right)
        return False

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
        brought = 1 if node.function == "nullif" else len(node.arguments) * same
        arguments = [self.column(part, kind) for part in node.arguments[:brought]]
        for at, part in enumerate(node.arguments[brought:], brought):
            # A null has no type of its own.
            takes = function.takes[min(at, len(function.takes) - 1)]
            arguments.append(self.value(part, NULL_TYPES.get(takes, kind)))
        return function.apply(arguments)


def across(function: str, columns: Sequence[Column], kind: Type) -> Column:
    """Add up, compare or count several columns row by row; missing cells do not count."""
    missing = np.sum([column.missing for column in columns], axis=0)
    if function == "missing_columns":
        return Column(INTEGER, missing.astype(np.int64))
    wide = [widened(column, kind) for column in columns]
    present = np.stack([column.present for column in wide])
    values = np.stack([column.array for column in wide])
    none = missing == len(columns)
    if function in ("sum_columns", "mean_columns"):
        total = np.where(present, values, 0).sum(axis=0)
        if kind.word != "number" and float(np.abs(values.astype(np.float64)).max(initial=0)) * len(columns) >= 2.0**62:
            made = wide[0]._replace(values=np.where(present[0], values[0], 0), state=None)
            for column in wide[1:]:
                made = arithmetic.calculate(
                    "+", made, column._replace(values=np.where(column.present, column.array, 0), state=None)
                )
            total = made.array
        found = total / np.maximum(len(columns) - missing, 1) if function == "mean_columns" else total
    else:
        pick = np.argmin if function == "min_columns" else np.argmax
        limits = (np.inf, -np.inf) if kind == NUMBER else (np.iinfo(np.int64).max, np.iinfo(np.int64).min)
        shown = np.where(present, values, limits[function == "max_columns"])
        found = np.take_along_axis(shown, pick(shown, axis=0)[None], axis=0)[0]
        found = np.where(none, 0, found)
    return Column(kind, found, np.where(none, np.uint8(Reason.BLANK), np.uint8(0)))


def widened(column: Column, kind: Type | None) -> Column:
    """Return a numeric column as a wider numeric type."""
    if kind is None or column.type == kind or not (column.type.numeric and kind.numeric):
        return column
    if kind == NUMBER:
        return column._replace(type=NUMBER, values=arithmetic.as_floats(column))
    values, bad = arithmetic.rescaled(column.array, kind.scale - column.type.scale)
    return column._replace(type=kind, values=values, state=arithmetic.undefined_where(bad, column.states))


def join_texts(left: Column, right: Column) -> Column:
    """``left || right``: missing where either is."""
    state = arithmetic.first_missing(left, right)
    height = len(state)
    sides = [(texts, np.broadcast_to(places, height)) for texts, places in (left.text.pieces(), right.text.pieces())]
    return Column(STRING, put_together(sides).coded_if_repeated(), np.broadcast_to(state, height))
