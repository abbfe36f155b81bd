"""The report as one page, or as Markdown. Pure: parts in, bytes out.

The page is one file: styles and pictures inside, no script, nothing loaded from elsewhere. Templates escape whatever
they put in, always, and every text is washed first, so that data stay data: markup is shown, not obeyed, and so are
marks of direction and control characters. What is drawn by `charts` is markup of our own in which texts were escaped.
"""

import base64
import re
from collections.abc import Sequence
from typing import Any

from comb.errors import washed
from comb.report.charts import flow_bars, missing_bars, shape_svg
from comb.report.dictionary import values_words
from comb.report.parts import FindingPart, PicturePart, ReportParts, TablePart
from comb.steps.ledger import Entry, first_number
from comb.tables.bars import share_words
from comb.tables.reasons import MEANING

# Of longer lists the page has the first, and says how many there are.
MOST_LISTED = 40


def _environment() -> Any:
    import jinja2

    def inert(value: Any) -> Any:
        return washed(value) if type(value) is str else value

    made = jinja2.Environment(
        loader=jinja2.PackageLoader("comb.report"), autoescape=True, undefined=jinja2.StrictUndefined, finalize=inert,
        trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    made.filters["share"] = share_words
    made.filters["values"] = values_words
    made.filters["count"] = lambda number: f"{number:,}"
    return made


def report_html(parts: ReportParts) -> bytes:
    """Make the page of a report.

    Parameters
    ----------
    parts : ReportParts

    Returns
    -------
    bytes
        HTML in UTF-8; the same parts give the same bytes. Cost: some kilobytes for each column and finding.
    """
    from markupsafe import Markup

    environment = _environment()
    return bytes(
        environment.get_template("report.html.j2").render(
            parts=parts,
            most=MOST_LISTED,
            meanings=_meanings(parts.tables),
            first=lambda one: first_number(one.flow),
            shape=lambda one: Markup(shape_svg(one.shape, one.name)),
            flow=lambda one: Markup(flow_bars(one.flow, one.name)),
            missing=lambda one: Markup(missing_bars(one.missing)) if one.missing is not None else "",
            picture=_data_address,
        ),
        "utf-8",
    )


def _data_address(picture: PicturePart) -> str:
    kind = {"svg": "image/svg+xml", "png": "image/png"}[picture.kind]
    return f"data:{kind};base64,{base64.b64encode(picture.content).decode()}"


def _meanings(tables: Sequence[TablePart]) -> list[tuple[str, str]]:
    """Return what the reasons for missing cells mean, those that occur."""
    used = {reason for table in tables for column in table.columns for reason in column.missing}
    return [(reason.word, text) for reason, text in MEANING.items() if reason.word in used]


def report_markdown(parts: ReportParts) -> bytes:
    """Make the report as Markdown, without pictures.

    Parameters
    ----------
    parts : ReportParts
    """
    lines = [f"# {_text(parts.title)}", ""]
    lines += [f"- {_text(one)}" for one in (*parts.answer(), *parts.notes)]
    matters = parts.matters()
    if matters:
        lines += ["", "## What matters most", ""]
        lines += [f"{at}. {_text(text)} ({severity})" for at, (severity, text) in enumerate(matters, 1)]
    for table in parts.tables:
        lines += ["", f"## {_text(table.name)}", ""]
        lines += _markdown_table(table)
    if parts.questions:
        lines += [
            "",
            "## Questions",
            "",
            *(f"- {_text(one)}{f': {_text(answer)}' if answer else ''}" for one, answer in parts.questions),
        ]
    if parts.pictures:
        lines += ["", "## Pictures", "", *(f"- {_text(one.title)} ({_text(one.caption)})" for one in parts.pictures)]
    meanings = _meanings(parts.tables)
    if meanings:
        lines += ["", "## Why cells are empty", "", *(f"- **{word}**: {_text(text)}" for word, text in meanings)]
    lines += ["", "## How this was made", "", *(f"- {_text(what)}: {_text(value)}" for what, value in parts.made)]
    return ("\n".join(lines) + "\n").encode()


def _markdown_table(table: TablePart) -> list[str]:
    lines = []
    if table.flow:
        lines += ["| step | what | in | out | not out | cells |", "|---|---|--:|--:|---|--:|"]
        lines += [_markdown_step(one) for one in table.flow]
        lines.append("")
    lines += ["| column | type | missing | values | description |", "|---|---|---|---|---|"]
    for column in table.columns:
        missing = ", ".join(f"{count:,} {reason}" for reason, count in column.missing.items()) or "none"
        said = (column.name, column.type, missing, values_words(column), table.descriptions.get(column.name, ""))
        lines.append("| " + " | ".join(map(_text, said)) + " |")
    for line in table.gaps:
        lines += ["", _text(line)]
    for title, listed in _markdown_lists(table):
        if listed:
            lines += ["", f"### {title}", "", *(f"- {one}" for one in listed)]
    return lines


def _markdown_step(one: Entry) -> str:
    gone = {
        "added": one.added, "taken off": one.no_rows, "left out": one.left_out, "set aside": one.set_aside,
        "merged": one.merged,
    }  # fmt: skip
    said = ", ".join(f"{count:,} {word}" for word, count in gone.items() if count)
    what = f"{one.says}; {one.why}" if one.why else one.says
    cells = sum(one.cells_changed.values())
    return f"| {_text(one.step)} | {_text(what)} | {one.rows_in:,} | {one.rows_out:,} | {said} | {cells:,} |"


def _what_to_do(part: FindingPart) -> str:
    if part.remedy:
        return f". Remedy: {_code(part.remedy)}"
    return f". By hand: {_text(part.by_hand)}" if part.by_hand else ""


def _markdown_lists(table: TablePart) -> list[tuple[str, list[str]]]:
    findings = [f"**{part.code}** {_text(part.text)}{_what_to_do(part)}" for part in table.findings or ()]
    rules = [
        f"{_code(rule.says)}: {rule.met:,} met, {rule.broken:,} broken, {rule.not_checked:,} not checked"
        for rule in table.rules
    ]
    aside = [f"row {_text(one.row)} ({_text(one.place)}): {_text(one.reason)}" for one in table.aside[:MOST_LISTED]]
    return [
        ("Findings", findings),
        ("Settled", [f"{_text(text)}: {_text(why)}" for text, why in table.accepted]),
        ("Rules", rules),
        ("Set aside", aside),
        ("How it was read", [f"{_text(what)}: {_text(value)}" for what, value, _ in table.reading]),
    ]


def _text(text: str) -> str:
    """Write a text so that Markdown shows it as it is."""
    text = washed(text)
    return "".join(
        f"\\{one}" if one in "\\`*_[]|#" else {"<": "&lt;", ">": "&gt;", "&": "&amp;"}.get(one, one) for one in text
    )


def _code(text: str) -> str:
    """Write a text as code, between more marks than it has itself."""
    text = washed(text).replace("|", "\\|")
    mark = "`" * (max(map(len, re.findall("`+", text)), default=0) + 1)
    return f"{mark} {text} {mark}" if "`" in text else f"{mark}{text}{mark}"
