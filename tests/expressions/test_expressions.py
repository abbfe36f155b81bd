"""The language: against SQL where SQL agrees, by cases where it does not, and its errors."""

import sqlite3
from datetime import date
from decimal import Decimal

import pytest
from hypothesis import assume, given

import comb
from comb.expressions.evaluate import evaluate, evaluate_condition
from comb.expressions.nodes import column_names
from comb.expressions.parser import parse
from support.strategies import CONDITIONS, numeric_tables


@given(numeric_tables(), CONDITIONS)
def test_conditions_agree_with_sql(table: comb.Table, condition: str) -> None:
    # On purpose unlike SQL here: / is the true quotient, so sqlite gets a real operand.
    sql = condition.replace("a / 4", "a * 1.0 / 4").replace("char_length", "length")
    connection = sqlite3.connect(":memory:")
    connection.execute("pragma case_sensitive_like = on")
    connection.execute("create table t (n integer, a integer, b integer, c integer, s text, t text)")
    rows = list(zip(*(table[name].to_list() for name in table.names), strict=True))
    connection.executemany("insert into t values (?, ?, ?, ?, ?, ?)", [(n, *row) for n, row in enumerate(rows)])
    expected = [row[0] for row in connection.execute(f"select ({sql}) from t order by n")]
    connection.close()
    # SQLite's upper knows ASCII only.
    assume("upper" not in condition or all((text or "").isascii() for name in "st" for text in table[name].to_list()))
    found = evaluate_condition(condition, table).to_list()
    assert found == [None if value is None else bool(value) for value in expected]


CELLS = comb.table(
    columns={
        "n": [7, -7, None],
        "kg": [Decimal("19.90"), Decimal("-0.05"), Decimal("3.00")],
        "x": [2.5, 0.0, 1e300],
        "s": ["Mill", "straße", None],
        "day": [date(2026, 5, 31), date(2024, 2, 29), None],
        "ok": [True, None, False],
        "odd name": [1, 2, 3],
    }
)


@pytest.mark.parametrize(
    ("text", "word", "values", "reasons"),
    [
        ("n + 1", "integer", [8, -6, None], [None, None, "blank"]),
        ("n / 2", "number", [3.5, -3.5, None], [None, None, "blank"]),
        ("n div 2", "integer", [3, -3, None], [None, None, "blank"]),
        ("n % 4", "integer", [3, -3, None], [None, None, "blank"]),
        ("n / 0", "number", [None] * 3, ["undefined", "undefined", "blank"]),
        ("kg + 0.1", "decimal", [Decimal("20.00"), Decimal("0.05"), Decimal("3.10")], [None] * 3),
        ("kg * 1.5", "decimal", [Decimal("29.850"), Decimal("-0.075"), Decimal("4.500")], [None] * 3),
        ("kg * 2.5e0", "number", [49.75, -0.125, 7.5], [None] * 3),
        ("round(kg, 1)", "decimal", [Decimal("19.9"), Decimal("-0.1"), Decimal("3.0")], [None] * 3),
        ("round(kg)", "integer", [20, 0, 3], [None] * 3),
        ("round(2.675e0, 2)", "number", [2.68] * 3, [None] * 3),
        ("x * x", "number", [6.25, 0.0, None], [None, None, "undefined"]),
        ("ln(x)", "number", [pytest.approx(0.9163, abs=1e-4), None, pytest.approx(690.8, abs=0.1)], [None, "undefined", None]),
        ("day - interval '2' day = day - duration '48 h'", "boolean", [True, True, None], [None, None, "blank"]),
        ("day + interval '1' week = day + 7 + interval '-0' hours", "boolean", [True, True, None], [None, None, "blank"]),
        ("n * 9223372036854775807", "integer", [None, None, None], ["undefined", "undefined", "blank"]),
        ("9223372036854775807 + n", "integer", [None, 2**63 - 8, None], ["undefined", None, "blank"]),
        ("upper(s)", "string", ["MILL", "STRASSE", None], [None, None, "blank"]),
        ("char_length(s)", "integer", [4, 6, None], [None, None, "blank"]),
        ("substring(s, 2, 3)", "string", ["ill", "tra", None], [None, None, "blank"]),
        ("substring(s, 9)", "string", [None, None, None], ["blank"] * 3),
        ("substring(s, 1, position('l' in s) - 1)", "string", ["Mi", None, None], [None, "undefined", "blank"]),
        ("replace(s, 'l', 'L')", "string", ["MiLL", "straße", None], [None, None, "blank"]),
        ("s || '!'", "string", ["Mill!", "straße!", None], [None, None, "blank"]),
        ("extract(month from day)", "integer", [5, 2, None], [None, None, "blank"]),
        ("extract(day from day) + extract(year from day)", "integer", [2057, 2053, None], [None, None, "blank"]),
        ("day > '2025-01-01'", "boolean", [True, False, None], [None, None, "blank"]),
        ("day = date '2024-02-29'", "boolean", [False, True, None], [None, None, "blank"]),
        ("ok and n > 0", "boolean", [True, False, False], [None] * 3),
        ("ok or n is null", "boolean", [True, None, True], [None, "blank", None]),
        ("not ok", "boolean", [False, None, True], [None, "blank", None]),
        ("coalesce(n, kg)", "decimal", [Decimal("7.00"), Decimal("-7.00"), Decimal("3.00")], [None] * 3),
        ("nullif(n, 7)", "integer", [None, -7, None], ["undefined", None, "blank"]),
        ("reason(n)", "string", [None, None, "blank"], ["blank", "blank", None]),
        ("case when n > 0 then 'up' when n < 0 then 'down' end", "string", ["up", "down", None], [None, None, "cleared"]),
        ("case when ok then 1 else kg end", "decimal", [Decimal("1.00"), Decimal("-0.05"), Decimal("3.00")], [None] * 3),
        ("cast(s as integer)", "integer", [None] * 3, ["unreadable", "unreadable", "blank"]),
        ("cast(n as string) || 'x'", "string", ["7x", "-7x", None], [None, None, "blank"]),
        ("cast(kg as decimal(1))", "decimal", [Decimal("19.9"), Decimal("-0.1"), Decimal("3.0")], [None] * 3),
        ("cast(n as decimal(2))", "decimal", [Decimal("7.00"), Decimal("-7.00"), None], [None, None, "blank"]),
        ("cast(x as decimal(2))", "decimal", [Decimal("2.50"), Decimal("0.00"), None], [None, None, "undefined"]),
        ("cast('1.005' as decimal(2))", "decimal", [Decimal("1.01")] * 3, [None] * 3),
        ("ok is true", "boolean", [True, False, False], [None] * 3),
        ("ok is not true", "boolean", [False, True, True], [None] * 3),
        ("ok is false", "boolean", [False, False, True], [None] * 3),
        ("(n > 0) is unknown", "boolean", [False, False, True], [None] * 3),
        ("n > 0 and ok is not unknown", "boolean", [True, False, None], [None, None, "blank"]),
        ("n is not distinct from null", "boolean", [False, False, True], [None] * 3),
        ("null is distinct from n", "boolean", [True, True, False], [None] * 3),
        ("case s when 'Mill' then 1 when 'x' then 2 else 0 end", "integer", [1, 0, 0], [None] * 3),
        ("case n + 1 when 8 then s end", "string", ["Mill", None, None], [None, "cleared", "cleared"]),
        ("substring(s from 1 for 2) || substring(s from 3 for 1)", "string", ["Mil", "str", None], [None, None, "blank"]),
        ('"odd name" * 10', "integer", [10, 20, 30], [None] * 3),
        ("n > 5% and n == 7 and n != 8", "boolean", [True, False, None], [None, None, "blank"]),
        ("floor(kg) + ceiling(kg) + floor(x * 0)", "number", [39.0, -1.0, 6.0], [None] * 3),
        ("sqrt(abs(n + 2)) + power(n, 2) + exp(0)", "number", [53.0, pytest.approx(52.236, abs=1e-3), None], [None, None, "blank"]),
        ("trim(' a ') || lower('B')", "string", ["ab"] * 3, [None] * 3),
        ("- - n", "integer", [7, -7, None], [None, None, "blank"]),
        ("2 + 3 * 4 - 6 / 3", "number", [12.0] * 3, [None] * 3),
        ("(n > 0) = ok", "boolean", [True, None, None], [None, "blank", "blank"]),
        ("null", "string", [None] * 3, ["cleared"] * 3),
    ],
)  # fmt: skip
def test_values_types_and_reasons(text: str, word: str, values: list[object], reasons: list[str]) -> None:
    column = evaluate(text, CELLS)
    assert (column.type.word, column.to_list(), column.reasons()) == (word, values, reasons)


@pytest.mark.parametrize(
    "text", ["n + 1", "s || 'x'", "upper(s)", "1", "replace(s, 'a', 'b')", "coalesce(s, 'x')", "s in ('a')"]
)
def test_a_table_without_rows_gives_columns_without_cells(text: str) -> None:
    assert len(evaluate(text, CELLS.filter("n > 99"))) == 0


@pytest.mark.parametrize(
    ("text", "marker", "message"),
    [
        ("N > 3", "^", "Capital and small letters differ"),
        ("s = Mill", "    ^^^^", "write it in single quotes: 'Mill'"),
        ('s = "Mill"', "    ^^^^^^", "write it in single quotes"),
        ("s > 3", "    ^", "write '3' in quotes"),
        ("n > '3'", "    ^^^", "numbers are written without quotes"),
        ("n = 8 or 9", "         ^", "did you mean n in (8, 9)?"),
        ("n = null", "^^^^^^^^", "write: is null"),
        ("n <> null", "^^^^^^^^^", "write: is not null"),
        ("n +", "   ^", "expected a column, a value or '(', got the end"),
        ("n & 3", "  ^", "did you mean 'and'?"),
        ("s = 'x", "    ^", "is never closed"),
        ("s = ‘x’", "    ^", "typographic quote"),
        ("1 < n < 3", "      ^", "expected an operator or the end, got '<'"),
        ("n", "^", "this is integer"),
        ("flor(n) = 1", "^^^^^^^", "did you mean 'floor'?"),
        ("round(n, n) = 1", "         ^", "expected a whole number written here"),
        ("abs(n, 1) = 1", "^^^^^^^^^", "takes 1 arguments, came 2"),
        ("upper(n) = 'x'", "      ^", "expected string, this is integer"),
        ("s + 1 = 2", "^", "texts are joined with ||"),
        ("day > 'May'", "      ^^^^^", "expected a date like"),
        ("day + interval '2' months", "               ^^^^^^^^^^", "a month is not always of one length: add_months"),
        ("cast(n as decimal)", "^^^^^^^^^^^^^^^^^^", "write decimal(2)"),
        ("cast(n as decimal(19))", "^^^^^^^^^^^^^^^^^^^^^^", "expected 1 to 18 digits after the point, got 19"),
        ("n is 7", "     ^", "a value is compared with ="),
        ("case s when 7 then 1 end", "            ^", "write '7' in quotes"),
        ("cast(n as dat) = 1", "^^^^^^^^^^^^^^", "cannot cast to 'dat'"),
        ("extract(fortnight from day) = 1", "        ^^^^^^^^^", "there is no part 'fortnight'"),
        ("case when n then 1 end = 1", "          ^", "'when' joins conditions"),
        ("case when ok then 1 else 'x' end = 1", "                         ^^^", "expected integer like the results before it"),
        ("n in (1, 'x')", "         ^^^", "cannot be compared"),
        ("n like 'x%'", "^", "cast(n as string)"),
        ("s like n", "       ^", "expected a pattern in quotes"),
        ("99999999999999999999 > n", "^^^^^^^^^^^^^^^^^^^^", "beyond the range of integers"),
        ("n not 3", "      ^", "after 'not'"),
        ("ok and 1 = 1 and n", "                 ^", "joins conditions"),
        ("(n = 1", "      ^", "expected ')'"),
    ],
)  # fmt: skip
def test_errors_point_at_the_place_and_show_the_way(text: str, marker: str, message: str) -> None:
    with pytest.raises(comb.ExpressionError) as caught:
        evaluate_condition(text, CELLS)
    message = str(caught.value)
    assert message in message
    assert f"    {text}\n    {marker}" in message.replace("\n  ", "\n  ")


@pytest.mark.parametrize(
    "text", ["(" * 500 + "1" + ")" * 500, "not " * 500 + "ok", "+".join(["n"] * 900), "n > 1 " * 9000, ""]
)
def test_depth_and_size_are_capped(text: str) -> None:
    with pytest.raises(comb.ExpressionError):
        evaluate(text, CELLS)


def test_the_columns_an_expression_reads() -> None:
    assert column_names(parse("a + case when b in (c, a) then d end > abs(e)")) == ["a", "b", "c", "d", "e"]
