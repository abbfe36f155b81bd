"""The dictionary of a dataset: its columns described in Markdown. Pure."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any

from comb.errors import washed
from comb.profiling.summaries import Summary, summaries_of
from comb.statistics.figures import plain_figure
from comb.tables.layout import cut_middle, padded
from comb.tables.origin import MADE
from comb.tables.reasons import MEANING, REASON_WORDS
from comb.tables.table import BareTable

LONGEST_VALUE = 40


def dictionary_bytes(
    tables: Mapping[str, BareTable],
    questions: Sequence[str] = (),
    formulas: Mapping[str, Mapping[str, str]] = MappingProxyType({}),
    summaries: Mapping[str, Sequence[Summary]] = MappingProxyType({}),
) -> bytes:
    """Describe the columns of all tables of a dataset.

    Parameters
    ----------
    tables : mapping of str to BareTable
    questions : sequence of str
        Open ones.
    formulas : mapping of str to mapping of str to str
        Of each table the formulas of columns that were calculated.
    summaries : mapping of str to sequence of Summary
        Of tables whose columns were summarised before.

    Returns
    -------
    bytes
        Markdown: for each table its source and a line for each column with type,
        values and missing cells; last, what the reasons mean.
    """
    lines = ["# Dictionary", ""]
    reasons: set[str] = set()
    for name, table in tables.items():
        summarised = summaries.get(name) or summaries_of(table)
        lines += _table_lines(name, table, summarised)
        known = formulas.get(name, {})
        if known:
            lines += [
                "Calculated columns:",
                "",
                *(f"- {_cell(title)} = {_code(one)}" for title, one in known.items()),
                "",
            ]
        reasons |= {reason for summary in summarised for reason in summary.missing}
    if reasons:
        lines += ["## Why cells are empty", ""]
        lines += [f"- **{reason.word}**: {MEANING[reason]}" for reason in MEANING if reason.word in reasons]
    if questions:
        lines += ["", "## Open questions", "", *(f"- {_cell(one)}" for one in questions)]
    return ("\n".join(lines) + "\n").encode()


def _code(formula: str) -> str:
    """Write a formula as code; it may contain the mark that begins and ends code."""
    mark = "``" if "`" in formula else "`"
    return f"{mark}{washed(formula)}{mark}"


def _table_lines(name: str, table: BareTable, summaries: Sequence[Summary]) -> list[str]:
    origin = table.origin
    lines = [f"## {name}", ""]
    lines += [f"{table.row_count:,} rows and {len(table.names)} columns, from `{origin.name.removeprefix(MADE)}`"]
    if origin.checksum:
        lines[-1] += f" ({origin.size:,} bytes, BLAKE3 `{origin.checksum}`)"
    lines += ["", "| Column | Type | Values | Missing | Description |", "|---|---|---|---|---|"]
    for summary in summaries:
        column = table[summary.name]
        parts = (
            summary.name,
            column.type.in_full,
            values_words(summary),
            missing_words(summary),
            column.description,
        )
        lines.append("| " + " | ".join(map(_cell, parts)) + " |")
    return [*lines, ""]


def _cell(text: str) -> str:
    return washed(text).replace("\\", "\\\\").replace("|", "\\|").replace("<", "&lt;")


def missing_words(summary: Summary) -> str:
    """Say how many cells are missing, and why."""
    order = [word for word in REASON_WORDS if word in summary.missing]
    return ", ".join(f"{summary.missing[word]:,} {word}" for word in order) or "none"


def values_words(summary: Summary) -> str:
    """Say in a few words what the values of a column are.

    Returns
    -------
    str
        Numbers and dates: from where to where; booleans: how often each; text: the
        commonest, all of them where there are few.
    """
    details: dict[str, Any] = summary.details
    if not details:
        return "none"
    if "min" in details:
        return f"{details['min']} to {details['max']}, median {plain_figure(details['median'])}"
    if "first" in details:
        return f"{details['first']} to {details['last']}"
    if "true" in details:
        return f"{details['true']:,} true, {details['false']:,} false"
    message = ", ".join(
        f"{cut_middle(padded(text), LONGEST_VALUE)} ({count:,})" for text, count in details["commonest"]
    )
    more = summary.distinct - len(details["commonest"])
    return f"{message} and {more:,} more" if more > 0 else message
