"""What people write by habit and Comb writes differently: the words that show the way."""

# Functions by other common names, and what to write.
OTHER_FUNCTIONS = {
    "mean": "avg(x)", "average": "avg(x)", "std": "stddev_samp(x)", "sd": "stddev_samp(x)", "stdev": "stddev_samp(x)",
    "stddev": "stddev_samp(x)", "var": "var_samp(x)", "variance": "var_samp(x)",
    "quantile": "percentile_cont(0.9, x)", "percentile": "percentile_cont(0.9, x)",
    "mode": "count the column: its commonest value comes first",
    "len": "char_length(x)", "length": "char_length(x)", "contains": "x like '%text%'",
    "startswith": "x like 'text%'", "endswith": "x like '%text'", "match": "x like_regex 'pattern'",
    "substr": "substring(x from 1 for 2)", "concat": "a || b", "strip": "trim(x)",
    "year": "extract(year from x)", "quarter": "extract(quarter from x)", "month": "extract(month from x)",
    "week": "extract(week from x)", "day": "extract(day from x)", "weekday": "extract(weekday from x)",
    "hour": "extract(hour from x)", "minute": "extract(minute from x)", "second": "extract(second from x)",
    "today": "current_date", "now": "current_date",
    "if": "case when condition then a else b end", "isnull": "x is null", "ifnull": "coalesce(x, y)",
    "int": "cast(x as integer)", "float": "cast(x as number)", "str": "cast(x as string)",
    "pow": "power(x, 2)", "ceil": "ceiling(x)",
}  # fmt: skip

# Marks and words by which other languages say it.
OTHER_MARKS = {
    "&": "did you mean 'and'?", "|": "did you mean 'or'?", "!": "did you mean 'not'?",
    "~": "for patterns write: x like_regex 'pattern'", "^": "for powers write: power(x, 2)",
    "?": "write: case when condition then a else b end", "{": "expected round brackets", "[": "expected round brackets",
    "`": 'names are written in double quotes: "wind speed"', ";": "one condition is expected",
}  # fmt: skip

# Names that stand for a missing cell elsewhere.
NO_VALUES = frozenset({"none", "nan", "na", "nil"})
