"""Check the types of an expression before a row is touched.

The checker also rewrites what it can settle: a text literal beside a date becomes a
date. A type of None is that of ``null``: it goes with everything.
"""

from collections.abc import Collection, Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from functools import reduce
from typing import Any

import msgspec
from msgspec.structs import replace

from comb.casting.rules import check_pair
from comb.errors import CombError, ExpressionError, ParameterError, counted, listing, unknown_name
from comb.expressions.arithmetic import result_type
from comb.expressions.functions import FUNCTIONS, LITERAL_PARAMETERS, NULL_TYPES, TIME_PARTS, Function
from comb.expressions.literals import MOMENT_EXAMPLES, read_moment
from comb.expressions.moments import MOMENTS, moment_type
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
    Over,
    Parameter,
    Pattern,
    Today,
    Unary,
    children,
)
from comb.expressions.signatures import AGGREGATES, COLUMN_FUNCTIONS, FRAMED, RANKED
from comb.expressions.slips import NO_VALUES, OTHER_FUNCTIONS
from comb.expressions.tokens import fail
from comb.kernels.types import MOST_DECIMAL_DIGITS
from comb.tables.names import choose
from comb.tables.types import (
    BOOLEAN,
    DATE,
    DATETIME,
    DURATION,
    INTEGER,
    NUMBER,
    STORAGE,
    STRING,
    TIME,
    UTC_DATETIME,
    Type,
    called_here,
    decimal,
)

Kind = Type | None
Checked = tuple[Node, Kind]

# What places of functions take, in words.
_WORDED = {"numeric": "a number", "dated": "a date or datetime", "moment": "a date or time"}

# Casts that cut a part of the value off, as SQL has it.
CUT = frozenset({("datetime", "date"), ("datetime", "time")})

_COMPARISONS = frozenset({"=", "<>", "<", "<=", ">", ">="})


class Given(msgspec.Struct, frozen=True):
    """What is given beside an expression.

    Attributes
    ----------
    as_of : date, optional
        What ``current_date`` means.
    parameters : mapping of str to value
        What ``:name`` means.
    keys : collection of str, optional
        In an aggregation, the columns that stand for each group: no other may stand outside an aggregate.
    """

    as_of: date | None = None
    parameters: Mapping[str, Any] = msgspec.field(default_factory=dict)
    keys: Collection[str] | None = None


NOTHING_GIVEN = Given()


def check(node: Node, text: str, types: Mapping[str, Type], given: Given = NOTHING_GIVEN) -> Checked:
    """Return the expression with its type.

    Parameters
    ----------
    node : Node
    text : str
        The expression as written, for messages.
    types : mapping of str to Type
        The columns there are.
    given : Given

    Raises
    ------
    ExpressionError
        With a marker under the part that does not fit.
    """
    checker = _Checker(text, types, given)
    found = checker.checked(node)
    # A value alone is a constant on purpose.
    if not isinstance(node, Literal):
        checker.refuse_values_as_columns(node)
    return found


def check_condition(node: Node, text: str, types: Mapping[str, Type], given: Given = NOTHING_GIVEN) -> Node:
    """Return a checked expression that is true or false."""
    checker = _Checker(text, types, given)
    checked, kind = checker.checked(node)
    checker.refuse_values_as_columns(node)
    if kind not in (BOOLEAN, None):
        what = f"expected a condition that is true or false, this is {kind}"
        raise checker.fail(node, what, "compare it with something, for instance with > 0")
    return checked


def _literals(node: Node) -> list[Literal] | None:
    """Return the values in a condition of nothing but values; None if there is anything else in it."""
    if isinstance(node, Literal):
        return [node]
    if not isinstance(node, Unary | Binary | InList | Between | Like):
        return None
    parts = [_literals(part) for part in children(node)]
    return None if None in parts else [one for part in parts if part for one in part]


def literal_type(literal: Literal) -> Kind:
    """Return the type of a value written in an expression."""
    value = literal.value
    if value is None:
        return None
    if isinstance(value, Decimal):
        return decimal(max(0, -int(value.as_tuple().exponent)))
    if isinstance(value, datetime):
        return DATETIME if value.tzinfo is None else UTC_DATETIME
    return _LITERALS[type(value)]


_LITERALS: dict[type, Type] = {
    bool: BOOLEAN, int: INTEGER, float: NUMBER, str: STRING, date: DATE, time: TIME, timedelta: DURATION
}  # fmt: skip


class _Checker:
    def __init__(self, text: str, types: Mapping[str, Type], given: Given) -> None:
        self.text = text
        self.types = types
        self.given = given
        self.inside = False

    def refuse_values_as_columns(self, node: Node) -> None:
        """Raise an error where nothing but values are put together, and one of them is called like a column.

        2021 > 5 is meant to be "2021" > 5, and 'keeper' = 'Alder' to be keeper = 'Alder'.
        """
        for literal in _literals(node) or ():
            written = self.text[literal.start : literal.end]
            name = written.strip("'")
            if name in self.types:
                what = f"{written} is a value here and no column, so that the result is the same for all rows"
                raise self.fail(literal, what, f'the column is written "{name}"')

    def fail(self, node: Node, what: str, remedy: str | None = None) -> ExpressionError:
        """Return the error for a node, with a marker under it."""
        return fail(self.text, node.start, node.end, what, remedy)

    def checked(self, node: Node) -> Checked:
        """Check a node and all below it."""
        match node:
            case Literal():
                return self.literal(node)
            case Name():
                return node, self.column(node)
            case Unary():
                return self.unary(node)
            case Binary():
                return self.binary(node)
            case IsNull():
                return replace(node, operand=self.checked(node.operand)[0]), BOOLEAN
            case InList() | Between():
                return self.membership(node), BOOLEAN
            case Like():
                return replace(node, operand=self.wanted(node.operand, "string")), BOOLEAN
            case Pattern():
                return replace(node, operand=self.wanted(node.operand, "string")), BOOLEAN
            case DistinctFrom():
                for one, other in ((node.left, node.right), (node.right, node.left)):
                    if isinstance(other, Literal) and other.value is None:
                        return self.checked(IsNull(node.start, node.end, one, not node.negated))
                left, right = self.compared([node.left, node.right])
                return replace(node, left=left, right=right), BOOLEAN
            case Today():
                return self.today(node)
            case Parameter():
                return self.parameter(node)
            case AggregateCall():
                return self.aggregate(node)
            case Columns():
                return self.columns(node)
            case Case():
                return self.case(node)
            case ChoiceRank():
                return node, INTEGER
            case Cast():
                return self.cast(node)
            case Call():
                return self.call(node)
        raise AssertionError(f"no rule for {node!r}")

    def literal(self, node: Literal) -> Checked:
        """Give a value its type; whole numbers beyond int64 have none."""
        kind = literal_type(node)
        exact = node.value if isinstance(node.value, int | Decimal) else 0
        if abs(Decimal(exact)).scaleb(kind.scale if kind else 0) >= 2**63:
            raise self.fail(node, f"{node.value} is beyond the range of integers", "write it with an exponent: 1e20")
        return node, kind

    def column(self, node: Name, *, as_text: bool = False) -> Type:
        """Find a column, or say which name is nearest."""
        keys = self.given.keys
        if node.name in self.types and keys is not None and not self.inside and node.name not in keys:
            what = f"{node.name} has a value for each row, here one for each group is wanted"
            raise self.fail(
                node, what, f"aggregate it: avg({self.shown(node)}), max({self.shown(node)}), or group by it"
            )
        if node.name in self.types:
            return self.types[node.name].plain
        what, remedy = unknown_name("column", node.name, list(self.types))
        quoted = "'" + node.name.replace("'", "''") + "'"
        if node.name.casefold() in NO_VALUES:
            remedy = "a missing cell is found by: x is null"
        elif as_text:
            remedy = f"if it is text, write it in single quotes: {quoted}; {remedy}"
        raise self.fail(node, what, remedy)

    def today(self, node: Today) -> Checked:
        """Give ``current_date`` the day that was given: there is no hidden clock."""
        if self.given.as_of is None:
            raise self.fail(node, "current_date is not set", "give it: as_of='2026-05-01'")
        return Literal(node.start, node.end, self.given.as_of), DATE

    def parameter(self, node: Parameter) -> Checked:
        """Put the value of a parameter in its place."""
        known = self.given.parameters
        if node.name not in known:
            what, remedy = unknown_name("parameter", node.name, list(known))
            raise self.fail(node, what, remedy)
        found = Literal(node.start, node.end, known[node.name])
        return self.literal(found)

    def aggregate(self, node: AggregateCall) -> Checked:
        """Check an aggregate, what it is taken of, and its window."""
        descending = node.function.endswith("_desc")
        name = node.function.removesuffix("_desc")
        signature = AGGREGATES[name]
        if self.inside and node.over is None:
            raise self.fail(node, f"{name} inside another aggregate", "calculate the inner one as a column first")
        if signature.window and node.over is None:
            raise self.fail(node, f"{name} needs an order", f"write: {self.shown(node)} over (order by ...)")
        if node.over is not None and self.given.keys is not None and not self.inside:
            what = f"{self.shown(node)} has a value for each row, here one for each group is wanted"
            raise self.fail(node, what, "calculate it as a column first, with the step calculate; then aggregate that")
        was, self.inside = self.inside, True
        got = len(node.arguments)
        if got < signature.needs or got > max(len(signature.takes), signature.needs):
            raise self.fail(node, f"{name} takes {counted(signature.needs, 'argument')}, got {got}", signature.says)
        checked = [self.checked(argument) for argument in node.arguments]
        types = [kind or INTEGER for _, kind in checked]
        for argument, kind, takes in zip(node.arguments, types, signature.takes, strict=False):
            self.aggregated(argument, kind, takes)
        where = None if node.where is None else self.condition(node.where, "filter")
        order = self.keys(node.order)
        over = node.over
        if over is not None:
            partition = tuple(self.checked(part)[0] for part in over.partition)
            self.window(node, name, over)
            over = Over(partition, self.keys(over.order), over.frame)
        self.inside = was
        kind = signature.result(types)
        arguments = [part for part, _ in checked]
        if name.startswith("percentile") and descending:
            share = arguments[1]
            assert isinstance(share, Literal)
            arguments[1] = replace(share, value=1 - float(str(share.value)))
        return replace(
            node, function=name, arguments=tuple(arguments), where=where, order=order, over=over, kind=kind
        ), kind

    def window(self, node: AggregateCall, name: str, over: Over) -> None:
        """Raise an error unless a function goes with the order and the frame of its window."""
        frame = over.frame
        if over.order and name not in (*FRAMED, *RANKED):
            what = f"{name} in a window with an order would have to say which rows it is taken of"
            raise self.fail(node, what, f"leave out the order; with one go {listing(list(FRAMED), len(FRAMED))}")
        if node.distinct and over.order:
            raise self.fail(node, "distinct does not go with an order in a window", "leave out the order, or distinct")
        if name == "ntile":
            parts = getattr(node.arguments[0], "value", None)
            if not isinstance(parts, int) or parts < 1:
                raise self.fail(node, "expected the number of parts, from 1", "ntile(4) over (order by kg)")
        if frame is None:
            return
        if name not in FRAMED:
            raise self.fail(node, f"{name} takes no frame", f"frames go with {listing(list(FRAMED), len(FRAMED))}")
        if not over.order:
            raise self.fail(node, "a frame needs an order", "order by day rows between 2 preceding and current row")
        offsets = [edge.value for edge in (frame.low, frame.high) if edge is not None]
        if frame.by_rows and not all(isinstance(one, int) for one in offsets):
            raise self.fail(
                node, "expected whole numbers of rows in the frame", "range is for spans: range between ..."
            )
        sizes = [one / timedelta(microseconds=1) if isinstance(one, timedelta) else float(str(one)) for one in offsets]
        if len(sizes) == 2 and sizes[0] > sizes[1]:
            raise self.fail(node, "the frame ends before it begins", "the earlier edge comes first")
        if not frame.by_rows:
            self.span(node, over, offsets)

    def span(self, node: AggregateCall, over: Over, offsets: Sequence[Any]) -> None:
        """Raise an error unless a frame is given in units of the one key that orders the rows."""
        kind = self.checked(over.order[0].node)[1] if len(over.order) == 1 else None
        if kind is None or not (kind.numeric or kind.word in ("date", "datetime", "duration")):
            raise self.fail(node, "a range needs an order by one number or date", "rows counts rows")
        wanted = int | float | Decimal if kind.numeric else timedelta
        if not all(isinstance(one, wanted) for one in offsets if one != 0):
            example = "range between 5 preceding and current row"
            if not kind.numeric:
                example = "range between duration '7 days' preceding and current row"
            raise self.fail(node, f"expected the frame in units of the {kind} that orders the rows", example)

    def keys(self, keys: Sequence[Key]) -> tuple[Key, ...]:
        """Check the keys of an order."""
        return tuple(Key(self.checked(key.node)[0], key.descending) for key in keys)

    def aggregated(self, node: Node, kind: Type, takes: str) -> None:
        """Raise an error unless an argument is what an aggregate takes."""
        value = getattr(node, "value", None)
        if takes == "share":
            if not isinstance(value, int | float | Decimal) or not 0 <= value <= 1:
                raise self.fail(node, "expected a constant from 0 to 1, like 0.9")
            return
        if takes == "text":
            if not isinstance(value, str):
                raise self.fail(node, "expected a text written here, like ', '")
            return
        fits = {
            "any": True, "numeric": kind.numeric, "summed": kind.numeric or kind == DURATION,
            "string": kind == STRING, "integer": kind == INTEGER,
        }[takes]  # fmt: skip
        if not fits:
            worded = {"numeric": "a number", "summed": "a number or a duration"}
            raise self.fail(
                node, f"expected {worded.get(takes, takes)}, this is {kind}", self.number_hint(node, kind, takes)
            )

    def number_hint(self, node: Node, kind: Kind, takes: str) -> str | None:
        """Say how a column of texts becomes one of numbers, where a number is wanted."""
        if takes not in ("numeric", "summed", "integer") or kind != STRING or not isinstance(node, Name):
            return None
        word = "integer" if takes == "integer" else "number"
        # What cannot be read as one is kept as text beside the column.
        return f"convert {self.shown(node)} to {word} first, or read it as such: --type {node.name}={word}, or types="

    def columns(self, node: Columns) -> Checked:
        """Find the columns that are meant, and the type that holds the result."""
        try:
            names = choose(list(node.selectors), dict(self.types))
        except CombError as error:
            raise self.fail(node, error.what, error.remedy) from None
        if not names:
            raise self.fail(node, "expected at least one column, for instance jan:dec")
        operands = tuple(Name(node.start, node.end, name) for name in names)
        types = [self.column(operand) for operand in operands]
        if node.function == "missing_columns":
            return replace(node, operands=operands, kind=INTEGER), INTEGER
        for name, kind in zip(names, types, strict=True):
            if not kind.numeric:
                raise self.fail(node, f"expected numbers, {name!r} is {kind}")
        shared = reduce(lambda one, other: result_type("+", one, other), types)
        kind = NUMBER if node.function == "mean_columns" else shared
        return replace(node, operands=operands, kind=kind), kind

    def unary(self, node: Unary) -> Checked:
        """Check a sign or a negation; the sign of a literal is settled here."""
        if node.operator == "not":
            return replace(node, operand=self.condition(node.operand, "not")), BOOLEAN
        operand, kind = self.checked(node.operand)
        if kind == DURATION:
            return (replace(node, operand=operand) if node.operator == "-" else operand), kind
        self.need_number(node.operand, kind)
        if kind is None:
            # Of nothing known there is no sign.
            return operand, kind
        if isinstance(operand, Literal) and operand.value is not None and node.operator == "-":
            return Literal(node.start, node.end, -operand.value), kind  # type: ignore[operator]
        return (replace(node, operand=operand) if node.operator == "-" else operand), kind

    def binary(self, node: Binary) -> Checked:
        """Check two operands by the kind of their operator."""
        if node.operator in ("and", "or"):
            left = self.condition(node.left, node.operator)
            self.slipped_alternative(node)
            return replace(node, left=left, right=self.condition(node.right, node.operator)), BOOLEAN
        if node.operator in _COMPARISONS:
            return self.comparison(node), BOOLEAN
        if node.operator == "||":
            parts = [self.wanted(part, "string") for part in (node.left, node.right)]
            return replace(node, left=parts[0], right=parts[1]), STRING
        (left, left_type), (right, right_type) = self.checked(node.left), self.checked(node.right)
        if any(kind is not None and kind.word in MOMENTS for kind in (left_type, right_type)):
            return replace(node, left=left, right=right), self.moment(node, left_type, right_type)
        self.need_number(node.left, left_type)
        self.need_number(node.right, right_type)
        kind = result_type(node.operator, left_type or INTEGER, right_type or INTEGER)
        return replace(node, left=left, right=right), kind

    def moment(self, node: Binary, left: Kind, right: Kind) -> Type:
        """Return the type of a calculation with moments, or say what can be calculated with them."""
        kind = moment_type(node.operator, left or DURATION, right or DURATION)
        if kind is not None:
            return kind
        what = f"{left or 'null'} {node.operator} {right or 'null'} has no meaning"
        remedies = {
            "date": "day + 7 is a week later, day - other is the duration between, day + clock the datetime",
            "datetime": "at + duration 'PT1H' is an hour later, at - other is the duration between",
        }
        words = {one.word for one in (left, right) if one}
        remedy = next((message for word, message in remedies.items() if word in words), "durations: duration 'PT1H30M'")
        raise self.fail(node, what, remedy)

    def comparison(self, node: Binary) -> Node:
        """Check two operands that are compared; null is compared by `is` only."""
        for side in (node.left, node.right):
            if isinstance(side, Literal) and side.value is None:
                negation = " not" if node.operator == "<>" else ""
                raise self.fail(node, "= null is never true", f"write: is{negation} null")
        left, right = self.compared([node.left, node.right], ordered=node.operator not in ("=", "<>"))
        return replace(node, left=left, right=right)

    def membership(self, node: InList | Between) -> Node:
        """Check an operand against a list or two bounds."""
        if isinstance(node, Between):
            operand, low, high = self.compared([node.operand, node.low, node.high], ordered=True)
            return replace(node, operand=operand, low=low, high=high)
        operand, *options = self.compared([node.operand, *node.options])
        return replace(node, operand=operand, options=tuple(options))

    def compared(self, nodes: Sequence[Node], *, ordered: bool = False) -> list[Node]:
        """Check that nodes can be compared with the first; `ordered` where it matters which one is less."""
        category = next((kind for node in nodes if (kind := self.category(node)) is not None), None)
        if category is not None:
            nodes = self.among_choices(nodes, category, ordered=ordered)
        checked = [self.value_or_text(node) for node in nodes]
        kinds = [kind for _, kind in checked if kind is not None and kind.word in MOMENTS]
        if kinds:
            checked = [self.as_moment(*pair, kinds[0]) for pair in checked]
        first = next((kind for _, kind in checked if kind), None)
        for node, (_, kind) in zip(nodes, checked, strict=True):
            if kind and first and not _comparable(kind, first):
                raise self.unlike(node, kind, first)
        return [node for node, _ in checked]

    def category(self, node: Node) -> Type | None:
        """Return the category that a column is of, None for anything else."""
        kind = self.types.get(node.name) if isinstance(node, Name) else None
        return kind if kind is not None and kind.choices else None

    def among_choices(self, nodes: Sequence[Node], category: Type, *, ordered: bool) -> list[Node]:
        """Put values in place of labels, and where the order counts, places among the choices in place of both.

        Numbers of a category of numbers are compared as numbers: ``frames > 3`` means what it says.
        """
        texts = any(isinstance(node, Literal) and isinstance(node.value, str) for node in nodes)
        columns = [self.category(node) for node in nodes]
        by_place = ordered and (texts or category.plain == STRING or all(columns))
        found: list[Node] = []
        for node, kind in zip(nodes, columns, strict=True):
            if kind is not None and by_place:
                if kind != category:
                    raise self.fail(node, "these are two categories with different choices, which have no common order")
                assert isinstance(node, Name)
                self.column(node)
                found.append(ChoiceRank(node.start, node.end, node.name))
            elif isinstance(node, Literal) and isinstance(node.value, str):
                found.append(self.choice(node, category, by_place=by_place))
            elif by_place and kind is None:
                raise self.fail(
                    node, f"expected one of the choices: {listing([one.value for one in category.choices])}"
                )
            else:
                found.append(node)
        return found

    def choice(self, node: Literal, category: Type, *, by_place: bool) -> Node:
        """Find the choice that a text names, by its value or its label."""
        values = [one.value for one in category.choices]
        names = [*values, *(one.label for one in category.choices if one.label)]
        text = str(node.value)
        if text not in names:
            what, remedy = unknown_name("choice", text, names)
            raise self.fail(node, what, remedy)
        labels = {one.label: one.value for one in category.choices if one.label}
        value = text if text in values else labels[text]
        if by_place:
            return Literal(node.start, node.end, values.index(value))
        return Literal(node.start, node.end, _typed(value, category.plain))

    def value_or_text(self, node: Node) -> Checked:
        """Check an operand of a comparison; an unknown name may be text without quotes."""
        if isinstance(node, Name):
            return node, self.column(node, as_text=True)
        return self.checked(node)

    def as_moment(self, node: Node, kind: Kind, wanted: Type) -> Checked:
        """Read a text literal beside a date, a datetime, a time or a duration as one; a date as its midnight."""
        if isinstance(node, Literal) and isinstance(node.value, date) and wanted.word == "datetime":
            node = Literal(node.start, node.end, node.value.isoformat())
        if not isinstance(node, Literal) or not isinstance(node.value, str):
            return node, kind
        value = read_moment(node.value, wanted.word)
        if value is None:
            what = f"expected a {wanted.word} like {MOMENT_EXAMPLES[wanted.word]}, got {node.value!r}"
            year = node.value.isdigit() and wanted.word in ("date", "datetime")
            raise self.fail(node, what, "a year is compared by extract(year from ...) = 2026" if year else None)
        if isinstance(value, datetime) and wanted.utc:
            value = value.replace(tzinfo=UTC) if value.tzinfo is None else value.astimezone(UTC)
        found = Literal(node.start, node.end, value)
        return found, literal_type(found)

    def unlike(self, node: Node, kind: Type, first: Type) -> ExpressionError:
        """Word the error for types that cannot be compared."""
        remedy = f"convert one of them first, or write cast(... as {first})"
        if first.word in ("date", "datetime") and kind.numeric:
            year = "extract(year from ...) = 2026"
            remedy = f"a day is written in quotes: '2026-05-01'; a year is compared by {year}"
        elif "boolean" in (first.word, kind.word):
            remedy = "a column that is true or false is a condition by itself: write its name, or not and its name"
        if kind.numeric and first == STRING and isinstance(node, Literal):
            remedy = f"the column is text: write '{self.text[node.start : node.end]}' in quotes"
        elif kind == STRING and first.numeric and isinstance(node, Literal):
            remedy = "numbers are written without quotes"
        return self.fail(node, f"{first} and {kind} cannot be compared", remedy)

    def slipped_alternative(self, node: Binary) -> None:
        """Catch ``frames = 8 or 9``: the second half is no condition but one more value."""
        left, right = node.left, node.right
        if isinstance(right, Literal) and isinstance(left, Binary) and left.operator == "=":
            parts = [self.text[part.start : part.end] for part in (left.left, left.right, right)]
            hint = f"did you mean {parts[0]} in ({parts[1]}, {parts[2]})?"
            raise self.fail(right, f"expected a condition after '{node.operator}', got a value", hint)

    def condition(self, node: Node, operator: str) -> Node:
        """Check an operand of and, or, not, when."""
        checked, kind = self.checked(node)
        if kind not in (BOOLEAN, None):
            raise self.fail(node, f"'{operator}' joins conditions, this is {kind}")
        return checked

    def wanted(self, node: Node, word: str) -> Node:
        """Check an operand that has to be of one type."""
        checked, kind = self.checked(node)
        if kind is not None and kind.word != word:
            raise self.fail(node, f"expected {word}, this is {kind}", f"cast({self.shown(node)} as {word})")
        return checked

    def shown(self, node: Node) -> str:
        """Return a node as it was written."""
        return self.text[node.start : node.end]

    def need_number(self, node: Node, kind: Kind) -> None:
        """Raise an error unless a node can be calculated with."""
        if kind is None or kind.numeric:
            return
        hint = self.number_hint(node, kind, "numeric")
        hint = f"{hint}; texts are joined with ||" if hint else "texts are joined with ||" if kind == STRING else None
        raise self.fail(node, f"expected a number to calculate with, this is {kind}", hint)

    def case(self, node: Case) -> Checked:
        """Check all branches; their results share one type."""
        conditions = [self.condition(when, "when") for when, _ in node.branches]
        results = [then for _, then in node.branches]
        checked = [self.checked(result) for result in results]
        last = self.checked(node.otherwise) if node.otherwise else None
        nodes = results + ([node.otherwise] if node.otherwise else [])
        kind = self.one_type(nodes, [*checked, *([last] if last else [])])
        branches = tuple(zip(conditions, (result for result, _ in checked), strict=True))
        return replace(node, branches=branches, otherwise=last[0] if last else None, kind=kind), kind

    def one_type(self, nodes: Sequence[Node], checked: Sequence[Checked]) -> Kind:
        """Return the type that all results share; numbers widen to the widest."""
        kind: Kind = None
        for node, (_, other) in zip(nodes, checked, strict=True):
            if kind is None or other is None:
                kind = kind or other
            elif kind.numeric and other.numeric:
                kind = result_type("+", kind, other)
            elif kind != other:
                raise self.fail(node, f"expected {kind} like the results before it, this is {other}")
        return kind

    def cast(self, node: Cast) -> Checked:
        """Check the type a value is cast to."""
        operand, kind = self.checked(node.operand)
        if node.word not in STORAGE or node.word == "category":
            words = [word for word in STORAGE if word != "category"]
            meant = called_here(node.word)
            here = f"here it is {meant!r}; " if meant in words else ""
            raise self.fail(node, f"cannot cast to {node.word!r}", f"{here}allowed: {listing(words)}")
        if (node.word == "decimal") != (node.digits is not None):
            given = "decimal without" if node.digits is None else f"{node.word} with"
            raise self.fail(node, f"expected digits after the point with decimal only, got {given}", "write decimal(2)")
        if node.digits is not None and not 1 <= node.digits <= MOST_DECIMAL_DIGITS:
            raise self.fail(node, f"expected 1 to {MOST_DECIMAL_DIGITS} digits after the point, got {node.digits}")
        if kind is not None and (kind.word, node.word) not in CUT:
            try:
                check_pair(kind.word, node.word, "")
            except ParameterError as error:
                raise self.fail(node, error.what, error.remedy) from None
        utc = bool(kind and kind.utc and node.word == "datetime")
        return replace(node, operand=operand), Type(node.word, node.digits or 0, utc=utc)

    def call(self, node: Call) -> Checked:
        """Check a function, its arguments and what it results in."""
        function = FUNCTIONS.get(node.function)
        if function is None:
            known = sorted({*FUNCTIONS, *AGGREGATES, *COLUMN_FUNCTIONS})
            what, remedy = unknown_name("function", node.function, known)
            other = OTHER_FUNCTIONS.get(node.function)
            raise self.fail(node, what, f"write: {other}" if other else remedy)
        self.count_arguments(node, function)
        checked = [self.checked(argument) for argument in node.arguments]
        takes = [function.takes[min(at, len(function.takes) - 1)] for at in range(len(checked))]
        first = next((kind for _, kind in checked if kind is not None), STRING)
        types = [kind or NULL_TYPES.get(one, first) for one, (_, kind) in zip(takes, checked, strict=True)]
        if node.function in TIME_PARTS:
            self.needed_part(node, types[1])
        for argument, (_, kind), one in zip(node.arguments, checked, takes, strict=True):
            self.argument(argument, kind, one, types[0])
        literals = [_whole_literal(part) for part, _ in checked]
        self.needed_literal(node, literals)
        kind = function.result(types, literals)
        if node.function == "extract" and getattr(node.arguments[0], "value", None) == "second":
            kind = NUMBER
        if "same" in function.takes:
            kind = self.one_type(node.arguments, checked) or STRING
            if node.function == "nullif":
                # The result is the first or nothing: it keeps its type, whatever it is compared with.
                kind = checked[0][1] or kind
        return replace(node, arguments=tuple(part for part, _ in checked), kind=kind), kind

    def count_arguments(self, node: Call, function: Function) -> None:
        """Raise an error unless a function has as many arguments as it takes."""
        most = len(function.takes)
        got = len(node.arguments)
        if got < function.needs or (got > most and not function.repeats):
            wanted = f"{function.needs} to " if function.needs < most else ""
            message = f"{node.function} takes {wanted}{counted(most, 'argument')}, got {got}"
            raise self.fail(node, message, function.says)

    def argument(self, node: Node, kind: Kind, takes: str, first: Type) -> None:
        """Raise an error unless an argument is of the type its place takes."""
        if kind is None or takes == "any":
            return
        groups = {"dated": ("date", "datetime"), "moment": tuple(MOMENTS)}
        fits = kind.numeric if takes == "numeric" else kind.word in groups.get(takes, (takes,))
        if takes == "same" or (fits and takes == "dated" and first.word in groups["dated"]):
            # A moment of a time zone is not counted from one without.
            fits = _comparable(kind, first)
        if not fits:
            worded = {
                "numeric": "a number",
                "same": str(first),
                "dated": str(first) if kind.word == "datetime" else "a date or datetime",
                "moment": "a date or time",
            }
            expected = worded.get(takes, takes)
            raise self.fail(node, f"expected {expected}, this is {kind}", self.number_hint(node, kind, takes))

    def needed_literal(self, node: Call, literals: Sequence[int | None]) -> None:
        """Raise an error where a value must be known before any row is looked at."""
        at = LITERAL_PARAMETERS.get(node.function)
        if at is not None and at < len(literals) and literals[at] is None:
            raise self.fail(node.arguments[at], "expected a whole number written here")

    def needed_part(self, node: Call, kind: Type) -> None:
        """Raise an error unless the part of time that is asked for is one that the type has."""
        parts = TIME_PARTS[node.function](kind)
        part = getattr(node.arguments[0], "value", None)
        if parts and part not in parts:
            what, remedy = unknown_name("part", str(part), list(parts))
            raise self.fail(node.arguments[0], what, remedy)


def _comparable(kind: Type, other: Type) -> bool:
    if {kind.word, other.word} == {"date", "datetime"}:
        return not (kind.utc or other.utc)
    return (kind.word == other.word and kind.utc == other.utc) or (kind.numeric and other.numeric)


def _whole_literal(node: Node) -> int | None:
    value = node.value if isinstance(node, Literal) else None
    return value if isinstance(value, int) and not isinstance(value, bool) else None


def _typed(value: str, kind: Type) -> Any:
    """Return the value of a choice as a literal of the type the category is based on."""
    if kind == INTEGER:
        return int(value)
    if kind.word in ("decimal", "number"):
        return Decimal(value) if kind.word == "decimal" else float(value)
    return value == "true" if kind == BOOLEAN else value
