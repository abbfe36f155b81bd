"""Parse expressions by precedence climbing.

From loosest to tightest: ``or``; ``and``; ``not``; comparisons, ``is``, ``in``,
``between``, ``like``; ``||``; ``+ -``; ``* / div %``; unary ``-``; the rest.
"""

import re
from datetime import timedelta
from decimal import Decimal

from msgspec.structs import replace

from comb.errors import ExpressionError, counted
from comb.expressions.literals import MOMENT_EXAMPLES, read_moment
from comb.expressions.nodes import (
    AggregateCall,
    Between,
    Binary,
    Call,
    Case,
    Cast,
    Columns,
    DistinctFrom,
    Frame,
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
from comb.expressions.signatures import AGGREGATES, COLUMN_FUNCTIONS
from comb.expressions.slips import OTHER_FUNCTIONS
from comb.expressions.tokens import Token, fail, tokens_of
from comb.formats import regular_expressions
from comb.tables.value_texts import Value

# Deeper nesting than this is no condition a person wrote.
DEEPEST = 80

# The evaluator descends one level per operation; Python allows about a thousand.
HIGHEST = 250

_BINDING = {
    "or": 1, "and": 2,
    "=": 4, "==": 4, "<>": 4, "!=": 4, "<": 4, "<=": 4, ">": 4, ">=": 4,
    "is": 4, "in": 4, "between": 4, "like": 4, "like_regex": 4, "not": 4,
    "||": 5, "+": 6, "-": 6, "*": 7, "/": 7, "div": 7, "%": 7,
}  # fmt: skip
_NOT, _COMPARISON, _SIGN = 3, 4, 8

_STANDARD = {"==": "=", "!=": "<>"}

# What the standard calls these.
_ALSO = {"timestamp": "datetime", "interval": "duration"}

# The units that stand behind the number of an interval; of months and years there is no duration, and that is said.
_UNITS = {
    f"{unit}{several}" for unit in ("second", "minute", "hour", "day", "week", "month", "year") for several in ("", "s")
}
DAYS_IN_WEEK = 7

_CONSTANTS = {"true": True, "false": False, "null": None}


def parse(text: str) -> Node:
    """Parse an expression.

    Parameters
    ----------
    text : str
        For instance ``mites > 3 and apiary in ('Mill', 'Ridge')``.

    Returns
    -------
    Node

    Raises
    ------
    ExpressionError
        With a marker under the place, and what was expected there.

    >>> parse("a = 1").operator
    '='
    """
    return _Parser(text).whole()


class _Parser:
    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens = tokens_of(text)
        self.at = 0
        self.depth = 0
        self.bracketed: set[tuple[int, int]] = set()

    @property
    def token(self) -> Token:
        """The token that is looked at."""
        return self.tokens[self.at]

    def whole(self) -> Node:
        """Parse the expression to its end."""
        if self.token.kind == "end":
            raise ExpressionError("expected a condition or formula, got an empty text")
        node = self.expression(0)
        if self.token.kind != "end":
            raise self.unexpected("an operator or the end")
        if _height(node) > HIGHEST:
            raise ExpressionError(f"expected at most {HIGHEST} operations in a row, got {_height(node)}")
        return node

    def unexpected(self, wanted: str) -> ExpressionError:
        """Return the error for a token that cannot stand here."""
        token = self.token
        got = repr(token.text) if token.text else "the end"
        return fail(self.text, token.start, token.end, f"expected {wanted}, got {got}", self.way_out())

    def way_out(self) -> str | None:
        """Say how it is written what the tokens before this one and this one seem to mean."""
        before = self.tokens[self.at - 1] if self.at else None
        here, after = self.token, self.tokens[min(self.at + 1, len(self.tokens) - 1)]
        if before is None:
            return None
        if before.text.lower() == "in" and here.text != "(":
            return f"write the values in brackets: in ({here.text})"
        if before.kind == after.kind == "number" and here.text == "," and len(after.text) == 3:
            return f"numbers are written without a thousands separator: {before.text}{after.text}"
        if here.text == "*" and before.text == "*":
            return "for powers write: power(x, 2)"
        if here.text == ":":
            return "write: cast(x as integer)"
        if here.text.lower() == "ilike":
            return "write: lower(x) like 'a%'"
        if here.text == "." and after.text.lower() in OTHER_FUNCTIONS:
            return f"write: {OTHER_FUNCTIONS[after.text.lower()]}"
        if before.kind in ("word", "keyword") and here.text == "." and after.kind in ("word", "keyword"):
            return f'a name with a dot is written in double quotes: "{before.text}.{after.text}"'
        if before.kind == "word" and here.kind in ("word", "number") and before.end < here.start:
            return f'a name with a space is written in double quotes: "{before.text} {here.text}"'
        return None

    def accept(self, *words: str) -> Token | None:
        """Take the next token if it is one of the words or marks."""
        token = self.token
        if token.kind in ("keyword", "mark") and token.text.lower() in words:
            self.at += 1
            return token
        return None

    def expect(self, word: str) -> Token:
        """Take the next token, which must be the given one."""
        token = self.accept(word)
        if token is None:
            raise self.unexpected(f"'{word}'")
        return token

    def expression(self, binding: int) -> Node:
        """Parse whatever binds tighter than the given strength."""
        self.depth += 1
        if self.depth > DEEPEST:
            raise fail(self.text, self.token.start, self.token.end, f"nested deeper than {DEEPEST} levels")
        left = self.prefix()
        while True:
            operator = self.token.text.lower()
            strength = _BINDING.get(operator, 0) if self.token.kind in ("keyword", "mark") else 0
            if strength <= binding:
                break
            if strength == _COMPARISON and self.is_comparison(left):
                break
            left = self.infix(left, operator, strength)
        self.depth -= 1
        return left

    def is_comparison(self, node: Node) -> bool:
        """A comparison is not compared again: ``1 < x < 3`` is an error, not a surprise."""
        if (node.start, node.end) in self.bracketed:
            return False
        compared = isinstance(node, Binary) and _BINDING.get(node.operator) == _COMPARISON
        return compared or isinstance(node, InList | Between | Like | Pattern)

    def prefix(self) -> Node:
        """Parse a sign, a negation, or what stands without one."""
        token = self.token
        if self.accept("not"):
            operand = self.expression(_NOT)
            return Unary(token.start, operand.end, "not", operand)
        if self.accept("-", "+"):
            operand = self.expression(_SIGN)
            return Unary(token.start, operand.end, token.text, operand)
        return self.primary()

    def infix(self, left: Node, operator: str, strength: int) -> Node:
        """Parse what follows an operand and an operator."""
        if operator in ("is", "in", "between", "like", "like_regex", "not"):
            return self.predicate(left)
        self.at += 1
        right = self.expression(strength)
        return Binary(left.start, right.end, _STANDARD.get(operator, operator), left, right)

    def predicate(self, left: Node) -> Node:
        """Parse what follows a value: is null, [not] in, between, like."""
        if self.accept("is"):
            return self.test(left)
        negated = self.accept("not") is not None
        if self.accept("in"):
            self.expect("(")
            options, end = self.arguments()
            return InList(left.start, end, left, options, negated)
        if self.accept("between"):
            low = self.expression(_COMPARISON)
            if self.token.text.lower() != "and":
                shown = self.text[low.start : low.end]
                raise fail(
                    self.text, self.token.start, self.token.end, "expected 'and' and the upper bound after between",
                    f"between {shown} and ...; for one bound write >= {shown}",
                )  # fmt: skip
            self.expect("and")
            high = self.expression(_COMPARISON)
            return Between(left.start, high.end, left, low, high, negated)
        if self.accept("like"):
            token = self.token
            if token.kind != "text":
                raise self.unexpected("a pattern in quotes, like '%mill%'")
            self.at += 1
            return Like(left.start, token.end, left, _unquoted(token.text), negated)
        if self.accept("like_regex"):
            token, pattern = self.pattern()
            return Pattern(left.start, token.end, left, pattern, negated)
        raise self.unexpected("'in', 'between' or 'like' after 'not'")

    def pattern(self) -> tuple[Token, str]:
        """Take a regular expression in quotes; it is read here, so that what is wrong with it is said at its place."""
        token = self.token
        if token.kind != "text":
            raise self.unexpected("a pattern in quotes, like '[A-Z]+[0-9]+'")
        self.at += 1
        pattern = _unquoted(token.text)
        problem = regular_expressions.problem_with(pattern)
        if problem:
            raise fail(self.text, token.start, token.end, problem)
        return token, pattern

    def test(self, left: Node) -> Node:
        """Parse what follows ``is``: [not] null, unknown, true, false or distinct from."""
        negated = self.accept("not") is not None
        token = self.token
        if self.word("distinct"):
            self.expect("from")
            right = self.expression(_COMPARISON)
            return DistinctFrom(left.start, right.end, left, right, negated)
        if self.accept("true", "false"):
            # Of missing cells "is true" is false, and "is not true" is true.
            wanted = Literal(token.start, token.end, _CONSTANTS[token.text.lower()])
            return DistinctFrom(left.start, token.end, left, wanted, not negated)
        if self.accept("null") or self.word("unknown"):
            return IsNull(left.start, token.end, left, negated)
        raise self.unexpected("null, true, false or distinct from after 'is' (a value is compared with =)")

    def word(self, text: str) -> bool:
        """Take the next token if it is a word that means something only here."""
        if self.token.kind in ("word", "keyword") and self.token.text.lower() == text:
            self.at += 1
            return True
        return False

    def words(self, *texts: str) -> None:
        """Take the next tokens, which must be the given words."""
        for text in texts:
            if not self.word(text):
                raise self.unexpected(f"'{text}'")

    def arguments(self) -> tuple[tuple[Node, ...], int]:
        """Parse expressions up to the closing bracket; returns them and its end."""
        found: list[Node] = []
        if closing := self.accept(")"):
            return (), closing.end
        while True:
            found.append(self.expression(0))
            if closing := self.accept(")"):
                return tuple(found), closing.end
            if not self.accept(","):
                raise self.unexpected("',' or ')'")

    def primary(self) -> Node:
        """Parse a value, a name, a function or brackets."""
        token = self.token
        self.at += 1
        if token.kind == "number":
            return _number(token)
        if token.kind == "text":
            return Literal(token.start, token.end, _unquoted(token.text))
        if token.kind == "parameter":
            return Parameter(token.start, token.end, token.text[1:])
        if token.kind == "quoted":
            return Name(token.start, token.end, token.text[1:-1].replace('""', '"'))
        if token.kind == "word" or (token.kind == "keyword" and token.text.lower() in MOMENT_EXAMPLES):
            return self.named(token)
        if token.text == "(":
            inner = self.expression(0)
            closing = self.expect(")")
            inner = replace(inner, start=token.start, end=closing.end)
            self.bracketed.add((inner.start, inner.end))
            return inner
        word = token.text.lower()
        if token.kind == "keyword" and word in _CONSTANTS:
            return Literal(token.start, token.end, _CONSTANTS[word])
        if word == "case":
            return self.case(token)
        if word == "cast":
            return self.cast(token)
        self.at -= 1
        raise self.unexpected("a column, a value or '('")

    def named(self, token: Token) -> Node:
        """Parse a column, a function, or ``date '2026-05-01'``."""
        word = _ALSO.get(token.text.lower(), token.text.lower())
        if word in MOMENT_EXAMPLES and self.token.kind == "text":
            quoted = self.token
            self.at += 1
            if word == "duration" and self.token.kind == "word" and self.token.text.lower() in _UNITS:
                quoted = self.with_unit(quoted)
            return Literal(token.start, quoted.end, self.moment(quoted, word))
        if word == "current_date" and not (self.token.kind == "mark" and self.token.text == "("):
            return Today(token.start, token.end)
        if not self.accept("("):
            return Name(token.start, token.end, token.text)
        if word == "extract":
            return self.extract(token)
        if word == "position":
            return self.position(token)
        if word == "substring":
            return self.substring(token)
        if word == "substring_regex":
            return self.found_part(token)
        if word in COLUMN_FUNCTIONS:
            return self.columns(token)
        if word in AGGREGATES:
            return self.aggregate(token)
        arguments, end = self.arguments()
        return Call(token.start, end, word, arguments)

    def position(self, token: Token) -> Node:
        """Parse ``position('x' in s)`` after its name."""
        wanted = self.expression(_COMPARISON)
        if not (self.accept("in") or self.accept(",")):
            raise self.unexpected("'in'")
        operand = self.expression(0)
        return Call(token.start, self.expect(")").end, "position", (wanted, operand))

    def substring(self, token: Token) -> Node:
        """Parse ``substring(s from 1 for 2)`` or ``substring(s, 1, 2)`` after its name."""
        arguments = [self.expression(0)]
        if self.accept("from"):
            if self.token.kind == "text":
                what = "expected a position, got a text"
                raise fail(self.text, self.token.start, self.token.end, what, "write: substring_regex('pattern' in x)")
            arguments.append(self.expression(0))
            if self.word("for"):
                arguments.append(self.expression(0))
        else:
            while self.accept(","):
                arguments.append(self.expression(0))
        closing = self.accept(")")
        if not closing:
            raise self.unexpected("'from', ',' or ')'" if len(arguments) == 1 else "')'")
        return Call(token.start, closing.end, "substring", tuple(arguments))

    def found_part(self, token: Token) -> Node:
        """Parse ``substring_regex('([0-9]+) kg' in s group 1)`` after its name."""
        if self.token.kind != "text":
            what = "expected a pattern in quotes first"
            raise fail(self.text, self.token.start, self.token.end, what, "substring_regex('[0-9]+' in note)")
        quoted, pattern = self.pattern()
        if not (self.accept("in") or self.accept(",")):
            raise self.unexpected("'in' and the text that is searched")
        arguments: list[Node] = [Literal(quoted.start, quoted.end, pattern), self.expression(0)]
        if self.word("group") or self.accept(","):
            number = self.token
            self.at += 1
            groups = regular_expressions.pattern(pattern).groups
            if not number.text.isdecimal() or int(number.text) > groups:
                there = f"the pattern has {counted(groups, 'group')}, in brackets"
                what = f"expected the number of a group, got {number.text or 'the end'}"
                raise fail(self.text, number.start, number.end, what, there)
            arguments.append(Literal(number.start, number.end, int(number.text)))
        return Call(token.start, self.expect(")").end, "substring_regex", tuple(arguments))

    def columns(self, token: Token) -> Node:
        """Parse ``sum_columns(jan:dec, extra)``: what is in the brackets are selectors."""
        begin, level = self.token.start, 1
        while level:
            if self.token.kind == "end":
                raise self.unexpected("')'")
            level += {"(": 1, ")": -1}.get(self.token.text, 0) if self.token.kind == "mark" else 0
            self.at += 1
        closing = self.tokens[self.at - 1]
        parts = [part.strip().strip('"') for part in self.text[begin : closing.start].split(",")]
        return Columns(token.start, closing.end, token.text.lower(), tuple(part for part in parts if part))

    def aggregate(self, token: Token) -> Node:
        """Parse an aggregate or a function of windows after its name and bracket."""
        function = token.text.lower()
        distinct = False
        order: tuple[Key, ...] = ()
        arguments: list[Node] = []
        if function == "count" and self.accept("*"):
            end = self.expect(")").end
        else:
            distinct = self.word("distinct")
            if closing := self.accept(")"):
                end = closing.end
            else:
                arguments.append(self.expression(0))
                while self.accept(","):
                    arguments.append(self.expression(0))
                if self.word("order"):
                    self.words("by")
                    order = self.keys()
                end = self.expect(")").end
        if self.word("within"):
            self.words("group")
            self.expect("(")
            self.words("order", "by")
            within = self.keys()
            end = self.expect(")").end
            if function == "mode" or function.startswith("percentile"):
                # The standard names the share first, and then what it is a share of.
                arguments = [within[0].node, *arguments]
                descending = within[0].descending and function != "mode"
                function = f"{function}_desc" if descending else function
            else:
                order = within
        where: Node | None = None
        if self.token.kind == "word" and self.token.text.lower() == "filter":
            self.at += 1
            self.expect("(")
            self.words("where")
            where = self.expression(0)
            end = self.expect(")").end
        over: Over | None = None
        if self.word("over"):
            over, end = self.window()
        return AggregateCall(token.start, end, function, tuple(arguments), distinct, order, where, over)

    def window(self) -> tuple[Over, int]:
        """Parse ``(partition by ... order by ...)``."""
        self.expect("(")
        partition: list[Node] = []
        order: tuple[Key, ...] = ()
        if self.word("partition"):
            self.words("by")
            partition.append(self.expression(0))
            while self.accept(","):
                partition.append(self.expression(0))
        if self.word("order"):
            self.words("by")
            order = self.keys()
        frame = self.frame() if self.token.text.lower() in ("rows", "range") else None
        return Over(tuple(partition), order, frame), self.expect(")").end

    def frame(self) -> Frame:
        """Parse ``rows between 2 preceding and current row`` or ``rows 2 preceding``."""
        start = self.token
        by_rows = start.text.lower() == "rows"
        self.at += 1
        if self.accept("between"):
            low = self.edge("preceding")
            self.expect("and")
            high = self.edge("following")
        else:
            low, high = self.edge("preceding"), Literal(start.start, start.end, 0)
        return Frame(start.start, self.tokens[self.at - 1].end, by_rows, low, high)

    def edge(self, unbounded: str) -> Literal | None:
        """Parse one edge of a frame; None where it is unbounded."""
        token = self.token
        if self.word("unbounded"):
            self.words(unbounded)
            return None
        if self.word("current"):
            self.words("row")
            return Literal(token.start, token.end, 0)
        given = self.expression(_COMPARISON)
        if not isinstance(given, Literal) or not isinstance(given.value, int | float | Decimal | timedelta):
            raise fail(
                self.text, given.start, given.end, "expected a number, or a duration in quotes, written here",
                "rows between 2 preceding and current row; range between duration '7 days' preceding and current row",
            )  # fmt: skip
        before = self.word("preceding")
        if not before:
            self.words("following")
        value = -given.value if before else given.value
        return Literal(given.start, given.end, value)

    def keys(self) -> tuple[Key, ...]:
        """Parse the keys of an order, each with its direction."""
        found = []
        while True:
            node = self.expression(0)
            descending = self.word("desc")
            if not descending:
                self.word("asc")
            found.append(Key(node, descending))
            if not self.accept(","):
                return tuple(found)

    def extract(self, token: Token) -> Node:
        """Parse ``extract(year from d)`` after its name."""
        part = self.token
        if part.kind != "word":
            raise self.unexpected("year, month, day or another part")
        self.at += 1
        self.expect("from")
        operand = self.expression(0)
        name = Literal(part.start, part.end, part.text.lower())
        return Call(token.start, self.expect(")").end, "extract", (name, operand))

    def with_unit(self, quoted: Token) -> Token:
        """Take the unit that stands behind a number in quotes, as the standard has it: ``interval '3' day``."""
        unit = self.token
        self.at += 1
        number, word = _unquoted(quoted.text).strip(), unit.text.lower()
        if word.startswith("week") and number.removeprefix("-").isdigit():
            number, word = str(int(number) * DAYS_IN_WEEK), "days"
        return quoted._replace(text=f"'{number} {word}'", end=unit.end)

    def moment(self, token: Token, word: str) -> Value:
        """Read the text of a literal of a date, a datetime, a time or a duration."""
        value = read_moment(_unquoted(token.text), word)
        if value is None:
            what = f"expected a {word} like {MOMENT_EXAMPLES[word]}, got {token.text}"
            found = re.search("month|year", token.text.lower()) if word == "duration" else None
            hint = f"a {found[0]} is not always of one length: add_months(date, 1)" if found else None
            raise fail(self.text, token.start, token.end, what, hint)
        return value

    def case(self, token: Token) -> Node:
        """Parse a case expression after its first word: of conditions, or of values of one operand."""
        branches = []
        simple = not (self.token.kind == "keyword" and self.token.text.lower() == "when")
        operand = self.expression(0) if simple else None
        while self.accept("when"):
            condition = self.expression(0)
            if operand is not None:
                condition = Binary(condition.start, condition.end, "=", operand, condition)
            self.expect("then")
            branches.append((condition, self.expression(0)))
        if not branches:
            raise self.unexpected("'when'")
        otherwise = self.expression(0) if self.accept("else") else None
        return Case(token.start, self.expect("end").end, tuple(branches), otherwise)

    def cast(self, token: Token) -> Node:
        """Parse ``cast(x as date)`` or ``cast(x as decimal(2))`` after its name."""
        self.expect("(")
        operand = self.expression(0)
        self.expect("as")
        word = self.token
        if word.text.lower() not in MOMENT_EXAMPLES and word.kind != "word":
            raise self.unexpected("a type")
        self.at += 1
        digits = None
        if self.accept("("):
            if self.token.kind != "number" or not self.token.text.isdigit():
                raise self.unexpected("the digits after the point, as in decimal(2)")
            digits = int(self.token.text)
            self.at += 1
            self.expect(")")
        kind = word.text.lower()
        return Cast(token.start, self.expect(")").end, operand, _ALSO.get(kind, kind), digits)


def _height(node: Node) -> int:
    """Return how many levels a tree has, without recursion."""
    level, height = [node], 0
    while level:
        height += 1
        level = [child for parent in level for child in children(parent)]
    return height


def _unquoted(text: str) -> str:
    return text[1:-1].replace("''", "'")


def _number(token: Token) -> Literal:
    """Read a number: whole, decimal as written, with an exponent, or in percent."""
    text = token.text
    if text.endswith("%"):
        return Literal(token.start, token.end, float(Decimal(text[:-1]) / 100))
    if "e" in text.lower():
        return Literal(token.start, token.end, float(text))
    if "." in text:
        return Literal(token.start, token.end, Decimal(text))
    return Literal(token.start, token.end, int(text))
