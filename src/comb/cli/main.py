"""The commands, their options, and the one place where errors are printed.

Only click is loaded here: everything a command needs is imported when it runs, so that
``comb --help`` answers at once.
"""

import codecs
import contextlib
import errno
import gc
import os
import sys
from collections.abc import Callable
from importlib import import_module
from typing import Any, TypeVar

import click

from comb import __version__
from comb.errors import CombError, ParameterError, washed, washed_lines
from comb.interface.log import log

# What a shell expects of a program that was stopped by Ctrl-C.
STOPPED = 130

# An error that nobody foresaw; 1 is for findings and broken rules, 2 for all other errors.
DEFECT = 3
LONGEST_DEFECT = 300

_DEBUG = "--debug"

# What the system says when standard output is full or closed.
_NO_OUTPUT = (errno.ENOSPC, errno.EIO, errno.EBADF, errno.EFBIG, errno.EDQUOT)

Command = TypeVar("Command", bound=Callable[..., Any])

# A file or folder: completed by the shell, and checked by whoever reads it.
PATH = click.Path()

# The commands in the order of the work, under what they are for.
HEADINGS = {
    "See what is there": ("demo", "inspect", "show", "count", "profile"),
    "Summarise and compare": ("aggregate", "draw", "compare"),
    "Put right and save": ("run", "save", "report"),
    "Check": ("differences", "trace"),
}


# Where each of them is.
MODULES = {
    "demo": "demo", "inspect": "inspecting", "show": "showing", "count": "counting", "profile": "profiling",
    "aggregate": "everyday", "draw": "looking", "compare": "looking", "run": "running", "save": "everyday",
    "report": "reporting", "differences": "running", "trace": "running",
}  # fmt: skip


def column_names(context: click.Context, _parameter: click.Parameter, incomplete: str) -> list[str]:
    """Complete names of columns, also after a comma, from the first file that was named."""
    from comb.cli.completion import columns_of

    return columns_of({**context.params, "rest": context.args}, incomplete)


def table_names(context: click.Context, _parameter: click.Parameter, incomplete: str) -> list[str]:
    """Complete names of tables inside the file that was named."""
    from comb.cli.completion import tables_of

    return tables_of({**context.params, "rest": context.args}, incomplete)


class _Commands(click.Group):
    """The commands, listed under headings."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the commands in the order of the work."""
        return [name for names in HEADINGS.values() for name in names]

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the commands under their headings."""
        width = max(len(name) for name in self.commands)
        for heading, names in HEADINGS.items():
            rows = [(name.ljust(width), self.commands[name].get_short_help_str(limit=80)) for name in names]
            with formatter.section(heading):
                formatter.write_dl(rows)


class _Command(click.Command):
    """A command whose options for reading stand under a heading of their own."""

    def invoke(self, ctx: click.Context) -> Any:
        """Run the command; what it loads first stays until the end, so that no garbage is looked for in it."""
        gc.disable()
        import_module(f"comb.cli.{MODULES[ctx.info_name or self.name or '']}")
        gc.freeze()
        gc.enable()
        return super().invoke(ctx)

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the options by what they are about."""
        parts: dict[str, list[tuple[str, str]]] = {"Options": [], _READ_HEADING: [], _WORK_HEADING: []}
        for parameter in self.get_params(ctx):
            record = parameter.get_help_record(ctx) if isinstance(parameter, click.Option) else None
            if record is not None:
                heading = ABOUT_READING.get(parameter.name or "", "Options")
                parts[heading].append(record)
        for heading, records in parts.items():
            if records:
                with formatter.section(heading):
                    formatter.write_dl(records)


_READ_HEADING = "How the file is read"
_WORK_HEADING = "What there is to work with"

_READING = (
    click.option(
        "--table",
        metavar="NAME",
        shell_complete=table_names,
        help="Which table inside: its name or number, a sheet, a range.",
    ),
    click.option("--delimiter", metavar="TEXT", help="What stands between fields; 'tab', 'spaces' for runs of them."),
    click.option("--quote", metavar="CHAR", help="The quote character; empty for none."),
    click.option("--encoding", metavar="NAME", help="For instance utf-8, windows-1252, utf-8+windows-1252."),
    click.option("--header", type=int, metavar="LINES", help="Lines of header: 0 to 5."),
    click.option("--skip", type=int, metavar="LINES", help="Lines above the header."),
    click.option("--missing", multiple=True, metavar="[NAME=]WORD", help="A word for missing, in all columns or one."),
    click.option("--no-known-words", is_flag=True, help="NA, n/a, - ... are values, not missing."),
    click.option("--type", "types", multiple=True, metavar="NAME=TYPE", help="The type of a column; repeatable."),
    click.option("--rows", type=int, metavar="N", help="Read at most N rows, from the top."),
    click.option("--schema", metavar="FILE", help="A description by CSV on the Web; empty for none."),
    click.option("--totals", is_flag=True, help="Keep rows and columns of a workbook that are totals."),
    click.option("--fill-merged", is_flag=True, help="Copy a merged cell's value to every cell it covers."),
    click.option("--lists", default="keep", metavar="HOW", help="Lists in JSON: keep, count, rows, columns."),
    click.option("--most-bytes", type=int, metavar="N", help="The most a compressed file may decompress to."),
)

_LIMITS = (
    click.option("--memory", metavar="SIZE", help="How much memory to work with, 2GB; by default what is free."),
    click.option("--temporary", metavar="DIR", help="Where temporary files go if a source does not fit into memory."),
    click.option("--workers", metavar="N|URL", help="Processes that read large files, or tcp://host:8786."),
)

ABOUT_READING = {
    **dict.fromkeys(
        ("table", "delimiter", "quote", "encoding", "header", "skip", "missing", "no_known_words", "types", "rows",
         "schema", "totals", "fill_merged", "lists", "most_bytes"), _READ_HEADING,
    ),
    **dict.fromkeys(("memory", "temporary", "workers"), _WORK_HEADING),
}  # fmt: skip


def reading_options(command: Command) -> Command:
    """Add the options that say how a source is read."""
    for option in reversed(_READING):
        command = option(command)
    return command


def working_options(command: Command) -> Command:
    """Add the options that say what there is to work with."""
    for option in reversed(_LIMITS):
        command = option(command)
    return command


def _reading(given: dict[str, Any]) -> dict[str, Any]:
    """Return options as `load` takes them."""
    types = {}
    for text in given.pop("types"):
        name, equals, word = text.rpartition("=")
        if not equals:
            raise ParameterError(f"expected --type NAME=TYPE, got {text!r}", remedy="for instance --type colony=string")
        types[name] = word
    missing: dict[str, list[str]] = {}
    for text in given.pop("missing"):
        name, _, word = text.rpartition("=")
        missing.setdefault(name or "*", []).append(word if name else text)
    words = missing["*"] if list(missing) == ["*"] else missing
    given["known_words"] = not given.pop("no_known_words")
    delimiter = {"tab": "\t", "\\t": "\t"}.get(given["delimiter"], given["delimiter"])
    return {**given, "delimiter": delimiter, "types": types or None, "missing": words or None}


def _version(context: click.Context, _parameter: click.Parameter, asked: bool) -> None:
    """Show the version and which kernels are in use."""
    if asked:
        from comb.kernels.presence import description

        click.echo(f"comb {__version__}, {description()}")
        context.exit()


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.option("--debug", is_flag=True, expose_value=False, help="If Comb itself fails, show a full report.")
@click.option("--version", is_flag=True, is_eager=True, expose_value=False, callback=_version, help="Show the version.")
def cli() -> None:
    """Turn the tables people are handed into tidy, documented datasets.

    Begin with `comb demo`, or with `comb inspect FILE` on a file of your own.
    """


@cli.command(cls=_Command, short_help="Write the demo data; walk through Comb's main job on it.")
@click.argument("folder", default="comb-demo", metavar="[DIR]")
@click.option("--overwrite", is_flag=True, help="Replace an existing demo.")
def demo(folder: str, overwrite: bool) -> None:
    """Write the demo data to DIR and walk through Comb's main job on it."""
    from comb.cli.demo import run_demo

    run_demo(folder, overwrite=overwrite)


@cli.command(cls=_Command, short_help="Show how a file is read, and why.")
@click.argument("source", metavar="FILE...", nargs=-1, required=True, type=PATH)
@click.option("--column", metavar="NAME", help="Show the evidence for the type of one column.")
@click.option("--plan", metavar="PLAN", help="Write a draft plan that makes one tidy table of a sheet made for people.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
@reading_options
def inspect(source: tuple[str, ...], column: str | None, plan: str | None, as_json: bool, **given: Any) -> None:
    """Show how FILE (several of one shape are one table) is read: encoding, delimiter, header, types, and why.

    Of a folder: what is in it, and what its sources share; of a dataset folder, whether it still is what was saved.
    """
    from comb.cli.inspecting import inspect_command

    inspect_command(source, _reading(given), column=column, plan=plan, as_json=as_json)


@cli.command(cls=_Command, short_help="Show rows: first, last, one record, by a condition.")
@click.argument("source", metavar="FILE...", nargs=-1, required=True, type=PATH)
@click.option("--first", type=int, metavar="N", help="The first N rows (10 if nothing else is asked for).")
@click.option("--last", type=int, metavar="N", help="The last N rows.")
@click.option("--between", nargs=2, type=int, metavar="A B", help="Rows by position, from 1.")
@click.option("--every", type=int, metavar="N", help="Every Nth row, from the first.")
@click.option("--random", type=int, metavar="N", help="N rows chosen at random; the same ones each time.")
@click.option("--seed", type=int, default=0, metavar="S", help="With --random: another choice (0).")
@click.option("--largest", metavar="KEY", shell_complete=column_names, help="The rows with the largest values of KEY.")
@click.option(
    "--duplicates",
    metavar="KEYS",
    shell_complete=column_names,
    help="Rows that share their values in KEYS, below each other; columns in which they differ come first.",
)
@click.option("--record", type=int, metavar="ROW", help="One record by its row number, top to bottom.")
@click.option(
    "--columns",
    metavar="NAMES",
    shell_complete=column_names,
    help="Columns to show, with commas between: 'apiary,*_kg'.",
)
@click.option("--where", metavar="CONDITION", help="Only rows for which this is true: 'mites > 3'.")
@click.option(
    "--sort", metavar="KEYS", shell_complete=column_names, help="Sort first, with commas between: 'apiary,mites desc'."
)
@click.option("--type-line", is_flag=True, help="Show the type of each column under its name.")
@click.option("--json", "as_json", is_flag=True, help="Print the rows as JSON.")
@reading_options
@working_options
def show(source: tuple[str, ...], **given: Any) -> None:
    """Show rows of FILE: the first, the last, one record, those that meet a condition."""
    from comb.cli.showing import ShowRequest, show_command

    asked = (
        "first", "last", "between", "every", "random", "seed", "largest", "duplicates", "record", "columns", "where",
        "sort", "type_line", "as_json",
    )  # fmt: skip
    wanted = ShowRequest(**{name: given.pop(name) for name in asked})
    show_command(source, _reading(given), wanted)


@cli.command(cls=_Command, short_help="Count rows by the values of columns.")
@click.argument("source", metavar="FILE...", nargs=-1, required=True, type=PATH)
@click.option(
    "--by",
    metavar="COLUMNS",
    shell_complete=column_names,
    help="The columns whose values are counted, with commas between.",
)
@click.option(
    "--across", metavar="COLUMN", shell_complete=column_names, help="A column whose values become columns, with totals."
)
@click.option("--where", metavar="CONDITION", help="Count only rows for which this is true.")
@click.option("--of-counts", is_flag=True, help="Show how many groups have 1, 2, 3 ... rows.")
@click.option("--sort", type=click.Choice(["count", "value"]), default="count", help="The order of the rows.")
@click.option("--first", type=int, default=20, metavar="N", help="Show at most N rows (20).")
@click.option("--json", "as_json", is_flag=True, help="Print the counts as JSON.")
@reading_options
@working_options
def count(source: tuple[str, ...], **given: Any) -> None:
    """Count the rows of FILE by the values of columns: how often does each occur?"""
    from comb.cli.counting import CountRequest, count_command

    asked = ("by", "across", "where", "of_counts", "sort", "first", "as_json")
    wanted = CountRequest(**{name: given.pop(name) for name in asked})
    count_command(source, _reading(given), wanted)


@cli.command(cls=_Command, short_help="Summarise columns; list what is wrong, with remedies.")
@click.argument("source", metavar="FILE...", nargs=-1, type=PATH)
@click.option("--column", metavar="NAME", help="One column: what it holds, and every text that was not read.")
@click.option("--gaps", is_flag=True, help="Where cells are missing: columns by blocks of rows.")
@click.option("--only", metavar="CODE|COLUMN", multiple=True, help="Only these findings; repeatable.")
@click.option("--explain", metavar="CODE", help="What a kind of finding looks at, and from where on.")
@click.option("--together", is_flag=True, help="Each FILE is a table; also find what refers to what.")
@click.option("--accepted", metavar="PLAN", help="List what PLAN declares settled as such.")
@click.option("--as-of", metavar="DAY", help="The day that counts as today: 2026-05-01.")
@click.option("--questions", metavar="SHEET", help="Write the doubtful cells as questions: SHEET.xlsx or .csv.")
@click.option("--draft", metavar="PLAN", help="Write the remedies of all findings to a new plan file.")
@click.option("--check", is_flag=True, help="Exit with 1 if there are findings.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
@reading_options
@working_options
def profile(source: tuple[str, ...], explain: str | None, check: bool, **given: Any) -> int:
    """Summarise the columns of FILE and list what is wrong in it, with remedies."""
    from comb.cli.profiling import ProfileRequest, explain_command, profile_command

    if explain is not None:
        explain_command(explain)
        return 0
    if not source:
        raise click.UsageError("expected a file to profile, or --explain CODE")
    asked = ("column", "gaps", "only", "together", "accepted", "as_of", "draft", "questions", "as_json")
    wanted = ProfileRequest(**{name: given.pop(name) for name in asked})
    findings = profile_command(source, _reading(given), wanted)
    return int(check and findings > 0)


@cli.command(cls=_Command, short_help="Calculate figures for groups of rows.")
@click.argument("arguments", metavar="FILE... FORMULA...", nargs=-1, required=True, type=PATH)
@click.option(
    "--by", metavar="COLUMNS", shell_complete=column_names, help="The groups, with commas between; one if none."
)
@click.option("--where", metavar="CONDITION", help="Only rows for which this is true.")
@click.option("--sort", metavar="KEYS", help="The order of the groups: 'mean_kg desc'.")
@click.option("--first", type=int, default=20, metavar="N", help="Show at most N groups (20).")
@click.option("--to", metavar="FILE", type=PATH, help="Also save them all.")
@click.option("--overwrite", is_flag=True, help="Replace an existing file.")
@click.option("--json", "as_json", is_flag=True, help="Print the figures as JSON.")
@reading_options
@working_options
def aggregate(arguments: tuple[str, ...], **given: Any) -> None:
    """Calculate figures for groups of rows of FILE: comb aggregate visits.csv --by apiary "mean_kg = avg(net_kg)"."""
    from comb.cli.everyday import AggregateRequest, aggregate_command

    asked = ("by", "where", "sort", "first", "to", "overwrite", "as_json")
    wanted = AggregateRequest(**{name: given.pop(name) for name in asked})
    aggregate_command(arguments, _reading(given), wanted)


@cli.command(cls=_Command, short_help="Save a file as another kind of file, or a part of it.")
@click.argument("files", metavar="FILE... OUT", nargs=-1, required=True, type=PATH)
@click.option("--columns", metavar="NAMES", shell_complete=column_names, help="These columns, in this order.")
@click.option("--where", metavar="CONDITION", help="Only rows for which this is true.")
@click.option("--sort", metavar="KEYS", help="Sort first, with commas between: 'apiary,mites desc'.")
@click.option("--kind", metavar="SUFFIX", help="With - for OUT, standard output: .csv, .json, .jsonl ...")
@click.option("--describe", is_flag=True, help="Keep types, reasons and texts that were no values, beside or in it.")
@click.option("--disarm", is_flag=True, help="Put an apostrophe before texts that a spreadsheet program would run.")
@click.option("--nested", is_flag=True, help="In JSON, make objects inside objects of dotted names.")
@click.option("--out-delimiter", metavar="TEXT", help="What stands between fields of OUT; 'tab'.")
@click.option("--out-encoding", metavar="NAME", help="The encoding of OUT (utf-8).")
@click.option("--overwrite", is_flag=True, help="Replace an existing file.")
@reading_options
@working_options
def save(files: tuple[str, ...], **given: Any) -> None:
    """Save FILE as OUT, whose suffix says what it is: .csv, .tsv, .json, .jsonl, .xlsx, .ods, .sqlite, .parquet."""
    from comb.cli.everyday import SaveRequest, save_command

    if len(files) < 2:
        raise click.UsageError("expected a file and where to save it: comb save FILE OUT")
    asked = ("columns", "where", "sort", "kind", "describe", "disarm", "nested", "out_delimiter", "out_encoding",
             "overwrite")  # fmt: skip
    wanted = SaveRequest(files[-1], **{name: given.pop(name) for name in asked})
    save_command(files[:-1], _reading(given), wanted)


@cli.command(cls=_Command, short_help="Draw a picture: histogram, bars, lines, scatter, boxes, missing.")
@click.argument("source", metavar="FILE...", nargs=-1, required=True, type=PATH)
@click.option("--kind", metavar="KIND", required=True, help="histogram, bars, lines, scatter, boxes or missing.")
@click.option(
    "--x", metavar="COLUMN", shell_complete=column_names, help="The column on the lower axis; of bars, their groups."
)
@click.option("--y", metavar="COLUMN", shell_complete=column_names, help="The column on the upright axis.")
@click.option("--by", metavar="COLUMN", shell_complete=column_names, help="Groups, told apart by colours and marks.")
@click.option("--panels", metavar="COLUMN", shell_complete=column_names, help="Groups that get a small picture each.")
@click.option("--where", metavar="CONDITION", help="Only rows for which this is true.")
@click.option("--value", metavar="HOW", help="Of bars and lines: count, sum, mean, median, min or max.")
@click.option("--bins", type=int, metavar="N", help="Of a histogram: about how many bars.")
@click.option("--bin-width", type=float, metavar="W", help="Of a histogram: how wide each bar is.")
@click.option("--order", metavar="HOW", help="Of bars: size or value.")
@click.option("--emphasise", metavar="GROUP", help="Of lines: the one drawn strongly.")
@click.option("--each-year", is_flag=True, help="Of lines over dates: a line for each year.")
@click.option("--trend", metavar="HOW", help="line, local (regression) or median (moving).")
@click.option("--window", type=int, metavar="N", help="Points in a moving median (7).")
@click.option("--error-bars", is_flag=True, help="Of means: their 95 % intervals.")
@click.option("--log", multiple=True, metavar="AXIS", help="x or y; repeatable.")
@click.option("--x-limits", nargs=2, metavar="A B", help="Where the lower axis begins and ends.")
@click.option("--y-limits", nargs=2, metavar="A B", help="Where the upright axis begins and ends.")
@click.option("--title", metavar="TEXT", help="Instead of the sentence that Comb makes.")
@click.option("--out", metavar="PICTURE", required=True, help="The file to write: .png, .svg or .pdf.")
@click.option("--numbers", metavar="FILE", help="Also write the numbers that are drawn, beside the picture.")
@click.option("--overwrite", is_flag=True, help="Replace existing files.")
@click.option("--json", "as_json", is_flag=True, help="Print title, caption and numbers as JSON.")
@reading_options
@working_options
def draw(source: tuple[str, ...], **given: Any) -> None:
    """Draw a picture of FILE: how values are spread, groups, a course over time, two columns, missing cells."""
    from comb.cli.looking import DrawRequest, draw_command

    own = ("out", "numbers", "overwrite", "as_json")
    wanted = DrawRequest(**{name: given.pop(name) for name in own})
    asked = {name: given.pop(name) for name in _PICTURE}
    draw_command(source, _reading(given), {name: value for name, value in asked.items() if value}, wanted)


# What `comb draw` says of the picture itself.
_PICTURE = (
    "kind", "x", "y", "by", "panels", "where", "value", "bins", "bin_width", "order", "emphasise", "each_year", "trend",
    "window", "error_bars", "log", "x_limits", "y_limits", "title",
)  # fmt: skip


@cli.command(cls=_Command, short_help="Compare groups: differences with intervals and tests, in words.")
@click.argument("source", metavar="FILE...", nargs=-1, required=True, type=PATH)
@click.option("--value", metavar="COLUMN", shell_complete=column_names, required=True, help="What is compared.")
@click.option(
    "--by",
    metavar="COLUMN",
    shell_complete=column_names,
    required=True,
    help="Its groups; or a second column of numbers.",
)
@click.option(
    "--paired-by", metavar="COLUMN", shell_complete=column_names, help="Which rows of two groups belong together."
)
@click.option("--where", metavar="CONDITION", help="Only rows for which this is true.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
@reading_options
@working_options
def compare(source: tuple[str, ...], **given: Any) -> None:
    """Compare the values of a column of FILE between groups, and say what the difference means."""
    from comb.cli.looking import CompareRequest, compare_command

    asked = ("value", "by", "paired_by", "where", "as_json")
    wanted = CompareRequest(**{name: given.pop(name) for name in asked})
    compare_command(source, _reading(given), wanted)


@cli.command(cls=_Command, short_help="Write a report of a file, a plan or a dataset folder: one page.")
@click.argument("source", metavar="FILE|PLAN|FOLDER", nargs=-1, required=True, type=PATH)
@click.option("--out", metavar="REPORT", required=True, help="The file to write: .html, or .md for Markdown.")
@click.option("--as-of", metavar="DAY", help="The day that counts as today: 2026-05-01.")
@click.option("--overwrite", is_flag=True, help="Replace an existing report.")
@click.option("--json", "as_json", is_flag=True, help="Print in JSON what the report begins with.")
@reading_options
@working_options
def report(source: tuple[str, ...], **given: Any) -> None:
    """Write a report: what it is, what matters, the flow of rows, columns, findings, rules, changes, pictures.

    Of a PLAN, what it would do (nothing else is written); of a dataset FOLDER, what was done.
    """
    from comb.cli.reporting import ReportRequest, report_command

    wanted = ReportRequest(**{name: given.pop(name) for name in ("out", "as_of", "overwrite", "as_json")})
    report_command(source, _reading(given), wanted)


@cli.command(cls=_Command, short_help="Run a plan: load, clean, account for rows, save.")
@click.argument("plan", metavar="PLAN|FILE", type=PATH)
@click.option(
    "--step", "steps", metavar="STEP", multiple=True, help="Take this step on FILE: 'fill keeper unknown'; repeatable."
)
@click.option("--dry-run", is_flag=True, help="Show what each step would change; write nothing.")
@click.option("--overwrite", is_flag=True, help="Replace the existing dataset.")
@click.option("--write-outside", is_flag=True, help="Let the plan write outside its own folder.")
@click.option("--source", "sources", metavar="TABLE=FILE", multiple=True, help="Another file for a table; repeatable.")
@click.option("--as-of", metavar="DAY", help="The day of the run: 2026-05-01.")
@click.option("--without", metavar="N", type=int, multiple=True, help="Do not take step N this time; repeatable.")
@click.option("--to", metavar="PLACE", help="Save there, and not where the plan says.")
@click.option("--until", metavar="N", type=int, help="Take no step after step N.")
@click.option("--check", is_flag=True, help="Exit with 1 if a rule is broken, or a source differs from before.")
@click.option("--json", "as_json", is_flag=True, help="Print the ledger as JSON.")
@reading_options
@working_options
def run(plan: str, steps: tuple[str, ...], check: bool, **given: Any) -> int:
    """Run PLAN: load, clean, account for every row, save the dataset.

    Or take a step or two on FILE without a plan: comb run FILE --step "trim apiary" --step "filter mites > 3". What
    comes out is shown, with the plan that it amounts to; --to saves it.
    """
    from comb.cli.running import RunRequest, run_command

    reading = {name: given.pop(name) for name, heading in ABOUT_READING.items() if heading == _READ_HEADING}
    if steps:
        from comb.cli.everyday import StepsRequest, steps_command

        for name in ("dry_run", "write_outside", "sources", "as_of", "without", "until"):
            if given[name]:
                raise click.UsageError(f"--{name.rstrip('s').replace('_', '-')} is for a plan, and --step needs none")
        limits = {name: given[name] for name in ("memory", "temporary", "workers")}
        wanted = StepsRequest(steps, given["to"], given["overwrite"], given["as_json"])
        steps_command((plan,), {**_reading(reading), **limits}, wanted)
        return 0
    told = [name for name, value in reading.items() if value and value != "keep"]
    if told:
        flag = {"types": "type"}.get(told[0], told[0].replace("_", "-"))
        raise click.UsageError(f"--{flag} is for a file with --step: a plan says itself how its sources are read")
    found = run_command(plan, RunRequest(**given))
    return int(check and found > 0)


@cli.command(cls=_Command, short_help="Say what is different between two files or dataset folders.")
@click.argument("old", metavar="OLD", type=PATH)
@click.argument("new", metavar="NEW", type=PATH)
@click.option(
    "--key",
    metavar="COLUMNS",
    shell_complete=column_names,
    help="Columns that tell rows apart: then rows and cells are compared too.",
)
@click.option("--check", is_flag=True, help="Exit with 1 if anything is different.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
@reading_options
def differences(old: str, new: str, key: str | None, check: bool, as_json: bool, **given: Any) -> int:
    """Say what is different between OLD and NEW: columns, how they are filled, and with a key every row and cell."""
    from comb.cli.running import differences_command

    found = differences_command(old, new, _reading(given), key=key, as_json=as_json)
    return int(check and found > 0)


@cli.command(cls=_Command, short_help="Tell the history of one cell: from its source through every step.")
@click.argument("place", metavar="FOLDER|PLAN", type=PATH)
@click.option("--row", type=int, metavar="N", required=True, help="The row number in the source.")
@click.option("--column", metavar="NAME", required=True, help="The column.")
@click.option("--table", metavar="NAME", help="The table of the plan, where it has several.")
@click.option("--json", "as_json", is_flag=True, help="Print the history as JSON.")
def trace(place: str, row: int, column: str, table: str | None, as_json: bool) -> None:
    """Tell the history of one cell of a dataset FOLDER, or of what a PLAN makes."""
    from comb.cli.running import trace_command

    trace_command(place, row, column, table=table, as_json=as_json)


# Options by other common names, and what to write.
_OTHER_OPTIONS = {
    "--head": "--first N shows the first rows", "--tail": "--last N shows the last rows",
    "--limit": "--first N shows the first rows; --rows N reads no more than that",
    "--top": "--first N shows the first rows",
    "--sample": "--random N chooses rows at random; --every N shows every Nth", "--filter": "--where 'mites > 3'",
    "--select": "--columns 'apiary,mites'", "--column": "--columns 'apiary,mites'", "--order-by": "--sort 'mites desc'",
    "--sheet": "--table NAME", "--separator": "--delimiter ';'", "--sep": "--delimiter ';'",
    "--group-by": "--by 'apiary,queen'", "--columns": "comb show FILE --columns 'apiary,mites'",
    "--output": "comb save FILE OUT", "--save": "comb save FILE OUT", "--out": "comb save FILE OUT",
}  # fmt: skip


def _say_error(what: str, *, where: str | None = None, hint: str | None = None) -> None:
    """Print an error in the one form that all errors have: what, where, and what to do."""
    lines = [f"comb: {washed_lines(what)}"]
    lines += [f"  {washed(where)}"] if where else []
    lines += [f"  hint: {washed_lines(hint)}"] if hint else []
    with contextlib.suppress(OSError, ValueError):
        click.echo("\n".join(lines), err=True)


def _report(error: Exception) -> None:
    """Say that Comb itself is at fault, and how to learn more; or tell all there is to tell."""
    if _DEBUG in sys.argv:
        import platform
        import traceback

        import numpy as np

        about = f"comb {__version__}, NumPy {np.__version__}, Python {platform.python_version()}, {platform.platform()}"
        with contextlib.suppress(OSError, ValueError):
            click.echo(washed_lines(f"{about}\n{''.join(traceback.format_exception(error))}"), err=True)
    what = " ".join(f"{type(error).__name__}: {error}".split())
    hint = "a full report, to be sent with a question about it: the same command with --debug"
    _say_error(f"this is a defect of Comb: {what[:LONGEST_DEFECT]}", hint=hint)


# What stands for characters that an encoding does not have: bars from low to high, bars from short to long, marks.
_PLAINER = str.maketrans("▁▂▃▄▅▆▇█▏▎▍▌▋▊▉…·�↵", ".:-=+*%#...####~.?|")


def _plainer(error: UnicodeError) -> tuple[str, int]:
    """Write characters that the output's encoding does not have in others of the same width, else as their number."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    plain = error.object[error.start : error.end].translate(_PLAINER)
    return plain.encode("ascii", "backslashreplace").decode(), error.end


def _prepare_streams() -> None:
    """Make sure that there is something to write to, which takes every character."""
    for name in ("stdout", "stderr"):
        stream = getattr(sys, name)
        if stream is None:
            # It was closed before: whoever did that wants to see nothing.
            setattr(sys, name, open(os.devnull, "w", encoding="utf-8"))  # noqa: SIM115, PTH123 - until the end
        elif hasattr(stream, "reconfigure"):
            codecs.register_error("comb-plain", _plainer)
            stream.reconfigure(errors="comb-plain")


def main() -> None:
    """Run the command line; every error ends here, in one message and an exit code."""
    _prepare_streams()
    log.listener = _note
    try:
        code = cli([one for one in sys.argv[1:] if one != _DEBUG], standalone_mode=False)
        sys.stdout.flush()
    except click.ClickException as error:
        context = getattr(error, "ctx", None)
        hint = f"{context.command_path} --help" if context else "comb --help"
        hint = _OTHER_OPTIONS.get(getattr(error, "option_name", ""), hint)
        _say_error(error.format_message().removesuffix("."), hint=hint)
        code = error.exit_code
    except CombError as error:
        _say_error(error.what, where=error.where, hint=error.remedy)
        code = error.exit_code
    except (click.Abort, KeyboardInterrupt):
        _say_error("stopped; nothing was left half-written")
        code = STOPPED
    except (BrokenPipeError, SystemExit):
        # Who read the output had enough (click and rich leave by SystemExit then); there is nobody left to tell.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        code = 0
    except MemoryError:
        _say_error("there is not enough memory for this", hint="read less of it with --rows, or give --memory")
        code = CombError.exit_code
    except Exception as error:
        if isinstance(error, OSError) and error.errno in _NO_OUTPUT:
            _say_error(f"the output cannot be written: {error.strerror}")
            code = CombError.exit_code
        elif isinstance(error, OSError) and error.filename is not None:
            _say_error(f"the system says: {error.strerror}", where=os.fsdecode(error.filename))
            code = CombError.exit_code
        else:
            _report(error)
            code = DEFECT
    sys.exit(_flushed(code))


def _note(message: str) -> None:
    from comb.cli.terminal import Terminal

    Terminal().say(f"note: {message}")


def _flushed(code: int | None) -> int | None:
    """Write out what is left, and return the exit code; what cannot be written goes nowhere, without a word."""
    for stream in (sys.stdout, sys.stderr):
        try:
            stream.flush()
        except (OSError, ValueError):
            with contextlib.suppress(OSError, ValueError):
                os.dup2(os.open(os.devnull, os.O_WRONLY), stream.fileno())
            code = code or (CombError.exit_code if stream is sys.stdout else 0)
    return code
