"""Commands for a file and no plan: save it as another, aggregate it, take a step or two."""

import re
import shlex
from collections.abc import Iterator
from inspect import Parameter, signature
from pathlib import Path
from typing import Any

import msgspec
import yaml

from comb.cli.sources import again, check_files, loading, names_of, records_of
from comb.cli.terminal import Terminal
from comb.errors import ParameterError, counted, unknown_name, washed_lines
from comb.execution.memory import COUNT
from comb.formats.lazy_pattern import lazy_pattern
from comb.interface.step_table import by_name
from comb.interface.table import Table
from comb.steps.catalogue import STEPS
from comb.tables.layout import LayoutRequest, Span, lay_out
from comb.views.runs import ledger_view
from comb.writing.atomic import check_file_free
from comb.writing.files import file_kind

# Rows of a result that are shown where nobody says.
ROWS_SHOWN = 20
ROWS_AFTER_STEPS = 10


class SaveRequest(msgspec.Struct, frozen=True):
    """What `comb save` is asked for."""

    out: str
    where: str | None = None
    columns: str | None = None
    sort: str | None = None
    kind: str | None = None
    describe: bool = False
    overwrite: bool = False
    disarm: bool = False
    nested: bool = False
    out_delimiter: str | None = None
    out_encoding: str | None = None


def save_command(
    source: tuple[str, ...], options: dict[str, Any], wanted: SaveRequest, *, screen: Terminal | None = None
) -> None:
    """Save a source as another kind of file, some of its rows and columns."""
    screen = screen or Terminal()
    check_files(source, "--columns")
    form: dict[str, Any] = {
        "delimiter": {"tab": "\t"}.get(wanted.out_delimiter or "", wanted.out_delimiter),
        "encoding": wanted.out_encoding,
        "disarm": wanted.disarm or None,
        "nested": wanted.nested or None,
    }
    if wanted.out != "-":
        # Whatever does not need the data is found out before it is read.
        file_kind(Path(wanted.out).name)
        _check_target(source, wanted.out, overwrite=wanted.overwrite)
    with loading(screen, source, options) as work:
        table = _chosen(work.load(), wanted)
        work.progress(f"writing {len(table):,} rows")
        if wanted.out == "-":
            table.save("-", kind=wanted.kind, **form)
            return
        table.save(wanted.out, kind=wanted.kind, overwrite=wanted.overwrite, describe=wanted.describe, **form)
    screen.say(washed_lines(table.sentence()))
    screen.say(f"saved: {wanted.out}")
    screen.next_step(f"comb show {shlex.quote(wanted.out)}")


def _check_target(source: tuple[str, ...], out: str, *, overwrite: bool) -> None:
    """Raise an error unless a result may be written to a place."""
    place = Path(out).expanduser()
    if any(one != "-" and Path(one).expanduser().resolve() == place.resolve() for one in source):
        raise ParameterError("this would replace the source", where=out, remedy="save it under another name")
    check_file_free(place, overwrite=overwrite)


def _chosen(table: Table, wanted: SaveRequest) -> Table:
    if wanted.where:
        table = table.filter(wanted.where)
    if wanted.sort:
        table = table.sort(names_of(wanted.sort))
    return table.select(names_of(wanted.columns)) if wanted.columns else table


class AggregateRequest(msgspec.Struct, frozen=True):
    """What `comb aggregate` is asked for."""

    by: str | None = None
    where: str | None = None
    sort: str | None = None
    first: int = ROWS_SHOWN
    to: str | None = None
    overwrite: bool = False
    as_json: bool = False


def parted_formulas(arguments: tuple[str, ...]) -> tuple[tuple[str, ...], dict[str, str]]:
    """Part files from formulas: what has an equals sign and is no file is a formula.

    Raises
    ------
    ParameterError
        If there is no file, or no formula.
    """
    formulas: dict[str, str] = {}
    files = []
    for text in arguments:
        if "=" in text and not Path(text).expanduser().exists():
            formulas |= by_name(text, _FORMULA, equation=True)
        else:
            files.append(text)
    if not files:
        raise ParameterError("expected a file to aggregate", remedy=_FORMULA)
    if not formulas:
        raise ParameterError("expected what to calculate for each group", remedy=_FORMULA)
    return tuple(files), formulas


_FORMULA = 'for instance: comb aggregate visits.csv --by apiary "mean_kg = avg(net_kg)" "visits = count(*)"'


def aggregate_command(
    arguments: tuple[str, ...], options: dict[str, Any], wanted: AggregateRequest, *, screen: Terminal | None = None
) -> None:
    """Calculate figures for groups of a source's rows."""
    screen = screen or Terminal()
    source, formulas = parted_formulas(arguments)
    if wanted.first < 0:
        raise ParameterError(f"expected a number of rows, got {wanted.first}")
    if wanted.to is not None:
        file_kind(Path(wanted.to).name)
        _check_target(source, wanted.to, overwrite=wanted.overwrite)
    with loading(screen, source, options, COUNT) as work:
        table = work.load()
        table = table.filter(wanted.where) if wanted.where else table
        found = table.aggregate(formulas, by=names_of(wanted.by or ""))
        found = found.sort(names_of(wanted.sort)) if wanted.sort else found
        if wanted.to is not None:
            found.save(wanted.to, overwrite=wanted.overwrite)
    if wanted.as_json:
        screen.json(records_of(found))
        return
    rows = min(wanted.first, len(found))
    asked = LayoutRequest(found.columns, found.row_numbers, found.sentence(), screen.width, rows, 0, False, "--first N")
    screen.lines(lay_out(asked))
    if wanted.to is not None:
        screen.say(f"saved: {wanted.to}")
        screen.next_step(f"comb show {shlex.quote(wanted.to)}")


# Steps whose parameter is an expression: everything up to the next option belongs to it.
_EXPRESSIONS = frozenset({"filter", "set_aside", "mark_rows", "calculate", "aggregate"})

# Parameters that may follow by their place, though in Python they are given by name.
_FURTHER = {
    "fill": ("value",), "replace_text": ("old", "new"), "round": ("digits",), "pad_text": ("width",),
    "recode": ("values",), "combine": ("new_columns",),
}  # fmt: skip

# Parameters that are expressions or signs, and are not read as YAML.
_RAW = frozenset({
    "where", "formula", "why", "reason", "pattern", "mark", "old", "new", "value", "equals", "unit", "decimal_mark",
    "group_mark", "begins",
})  # fmt: skip

# Names with commas between are a list.
_LISTS = frozenset({"columns", "by", "order_by", "new_columns", "similar_in", "on_line"})
_NUMBERS = frozenset({"widths"})

# The name of a parameter that there is not, behind the value of another.
_OTHER_NAME = lazy_pattern(r"\s(\w+)=")

_STEP = 'for instance --step "fill keeper unknown", --step "filter mites > 3", --step "trim apiary inner=true"'


def take_steps(table: Table, texts: tuple[str, ...]) -> Table:
    """Take the steps that are written at the command line.

    A step is its name, then parameters in the order of the Python method, or as ``name=value``, with values as a plan
    writes them.
    """
    for text in texts:
        name, _, rest = text.strip().partition(" ")
        if name not in STEPS:
            what, remedy = unknown_name("step", name, list(STEPS))
            raise ParameterError(what, where=f"--step {text!r}", remedy=remedy if name else _STEP)
        method = getattr(Table, name, None)
        if method is None or name in ("join", "stack_tables", "separate_tables"):
            raise ParameterError(
                f"{name} needs a second table", where=f"--step {text!r}", remedy="write a plan for it: comb run PLAN"
            )
        try:
            table = method(table, **_parameters(name, method, rest.strip()))
        except TypeError as error:
            if "argument" not in str(error):
                raise
            raise ParameterError(str(error).partition("() ")[2], where=f"--step {text!r}", remedy=_STEP) from None
        except ParameterError as error:
            error.where = error.where or f"--step {text!r}"
            raise
    return table


def _parameters(name: str, method: Any, text: str) -> dict[str, Any]:
    """Read the parameters of a step from its text."""
    listed = [one for one in signature(method).parameters.values() if one.name != "self"]
    places = [one.name for one in listed if one.kind is Parameter.POSITIONAL_OR_KEYWORD] + list(_FURTHER.get(name, ()))
    names = [one.name for one in listed]
    parts = list(_split_at_names(text, names))
    found: dict[str, Any] = {}
    before = parts[0][1]
    if name in _EXPRESSIONS and before:
        found[places[0]] = before if name not in ("calculate", "aggregate") else by_name(before, _STEP, equation=True)
    elif before:
        try:
            words = shlex.split(before)
        except ValueError as error:
            raise ParameterError(f"a quote is not closed: {error}", remedy=_STEP) from None
        found = _by_place(words, places)
    for key, value in parts[1:]:
        strange = _OTHER_NAME.search(value) if key not in _RAW else None
        if strange:
            what, remedy = unknown_name("parameter", strange[1], names)
            raise ParameterError(f"{what} of {name}", remedy=remedy)
        found[key] = _value(key, value)
    return found


def _split_at_names(text: str, names: list[str]) -> Iterator[tuple[str, str]]:
    """Split a text where ``name=`` of a parameter begins; what is before the first has an empty name."""
    begins = list(re.finditer(rf"(?:^|(?<=\s))({'|'.join(map(re.escape, names))})=(?![=])", text)) if names else []
    yield "", text[: begins[0].start() if begins else len(text)].strip()
    for at, begin in enumerate(begins):
        end = begins[at + 1].start() if at + 1 < len(begins) else len(text)
        yield begin[1], text[begin.end() : end].strip()


def _by_place(words: list[str], places: list[str]) -> dict[str, Any]:
    """Give words to parameters in their order; ``old=new`` and the like make one mapping together."""
    found: dict[str, Any] = {}
    pairs = dict(word.split("=", 1) for word in words if "=" in word)
    alone = [word for word in words if "=" not in word]
    if len(alone) + bool(pairs) > len(places):
        raise ParameterError(
            f"expected {counted(len(places), 'value')} without a name ({', '.join(places)}), got {len(alone)}",
            remedy="write values with spaces in quotes, and others as name=value",
        )
    for place, word in zip(places, alone, strict=False):
        found[place] = _value(place, word)
    if pairs:
        found[places[len(alone)]] = pairs
    return found


def _value(name: str, text: str) -> Any:
    """Read a value as a plan writes it."""
    if name in _RAW:
        return text[1:-1] if len(text) > 1 and text[0] == text[-1] and text[0] in "'\"" else text
    if name in _LISTS and not text.startswith(("[", "{")):
        return names_of(text) if "," in text else text
    if name in _NUMBERS and not text.startswith("["):
        text = f"[{text}]"
    try:
        return yaml.safe_load(text)
    except yaml.YAMLError:
        raise ParameterError(f"the value of {name} cannot be read: {text!r}", remedy="write it as in a plan") from None


class StepsRequest(msgspec.Struct, frozen=True):
    """What `comb run FILE --step ...` is asked for."""

    steps: tuple[str, ...]
    to: str | None = None
    overwrite: bool = False
    as_json: bool = False


def steps_command(
    source: tuple[str, ...], options: dict[str, Any], wanted: StepsRequest, *, screen: Terminal | None = None
) -> None:
    """Take steps on a source, show what comes out, and print the plan that it amounts to."""
    screen = screen or Terminal()
    with loading(screen, source, options) as work:
        table = take_steps(work.load(), wanted.steps)
        plan = table.plan()
        if wanted.to is not None:
            outcome = plan.run(save_to=wanted.to, overwrite=wanted.overwrite, write_outside=True)
            saved, messages = [wanted.to], outcome.messages
        else:
            saved, messages = [], []
    if wanted.as_json:
        screen.json({"plan": str(plan), "saved": saved, "rows": records_of(table)})
        return
    asked = LayoutRequest(
        table.columns, table.row_numbers, table.sentence(), screen.width, min(ROWS_AFTER_STEPS, len(table)), 0, False,
        "--to FILE saves them all",
    )  # fmt: skip
    screen.lines([*lay_out(asked), [], *ledger_view(table.ledger, screen.width), []])
    screen.lines([[Span("the same as a plan:", "head")], []])
    screen.lines([[Span(line)] for line in str(plan).splitlines()])
    for message in messages:
        screen.say(f"note: {message}")
    for place in saved:
        screen.say(f"saved: {place}")
    if not saved:
        steps = " ".join(f"--step {shlex.quote(one)}" for one in wanted.steps)
        screen.next_step(f"comb run {again(source, options)} {steps} --to result.csv")
