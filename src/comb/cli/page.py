"""The page of the documentation about the command line, made from the commands themselves.

    python -m comb.cli.page docs

writes `command-line.md` into the folder. What ``--json`` gives is shown as it comes out for the demo data: the names,
and of each value its kind.
"""

import contextlib
import io
import json
import os
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from comb.cli.main import ABOUT_READING, HEADINGS, cli
from comb.demo.files import DEMO_FILES, demo_bytes

HEAD = """\
# The command line

Every command with its options, and what `--json` gives. The page is made from the commands (`python -m comb.cli.page
docs`). Exit codes: 0 is fine; 1 findings, broken rules or differences, where `--check` asks for it; 2 wrong use or a
source that cannot be read; 3 a defect of Comb; 130 stopped by Ctrl-C. Results go to standard output, everything else to
standard error. A file may be `-`, standard input; a pattern (`'2026-*.csv'`) or several files are read as one table.

"""

_COMMON = "options-of-all-commands-that-read-a-file"

# What each command is run with to show what its JSON looks like.
_EXAMPLES = {
    "inspect": ["inspections.csv"],
    "show": ["inspections.csv", "--first", "1", "--columns", "visit,mites"],
    "count": ["inspections.csv", "--by", "fed"],
    "profile": ["apiaries.csv"],
    "aggregate": ["inspections.csv", "mean_kg = avg(net_kg)", "--by", "keeper"],
    "draw": ["inspections.csv", "--kind", "histogram", "--x", "net_kg", "--out", "picture.svg"],
    "compare": ["inspections.csv", "--value", "net_kg", "--by", "fed"],
    "run": ["plan.yaml"],
    "report": ["apiaries.csv", "--out", "report.html"],
    "differences": ["inspections.csv", "inspections-2026.csv"],
    "trace": ["tidy", "--table", "inspections", "--row", "12", "--column", "mites"],
}


def command_page() -> str:
    """Make the page."""
    text = [HEAD]
    common = [one for one in cli.commands["show"].params if ABOUT_READING.get(one.name or "")]
    with _demo_folder():
        for heading, names in HEADINGS.items():
            text.append(f"## {heading}\n")
            for name in names:
                text += _command(name, cli.commands[name])
    text.append("## Options of all commands that read a file\n")
    text.append(_options(common))
    return "\n".join(text)


def _command(name: str, command: click.Command) -> Iterator[str]:
    """Describe a command."""
    context = click.Context(command, info_name=f"comb {name}")
    yield f"### comb {name}\n"
    yield " ".join((command.help or "").split()) + "\n"
    yield f"```console\n{' '.join([f'comb {name}', *command.collect_usage_pieces(context)])}\n```\n"
    own = [one for one in command.params if isinstance(one, click.Option) and not ABOUT_READING.get(one.name or "")]
    if own:
        yield _options(own)
    if len(own) < len([one for one in command.params if isinstance(one, click.Option)]):
        yield f"It also takes [the options of all commands that read a file](#{_COMMON}).\n"
    if name in _EXAMPLES:
        words = " ".join(f'"{word}"' if " " in word else word for word in _EXAMPLES[name])
        shape = json.dumps(shape_of(_json_of(name)), indent=2, ensure_ascii=False)
        yield f"`comb {name} {words} --json` gives:\n\n```json\n{shape}\n```\n"


def _options(options: list[Any]) -> str:
    rows = ["| Option | What it does |", "|---|---|"]
    for option in options:
        record = option.get_help_record(click.Context(cli))
        if record is not None:
            rows.append(f"| `{record[0]}` | {record[1]} |".replace("|MISSING", r"\|MISSING"))
    return "\n".join(rows) + "\n"


@contextlib.contextmanager
def _demo_folder() -> Iterator[None]:
    before = Path.cwd()
    with tempfile.TemporaryDirectory() as folder:
        for name in DEMO_FILES:
            (Path(folder) / name).write_bytes(demo_bytes(name))
        os.chdir(folder)
        try:
            yield
        finally:
            os.chdir(before)


def _json_of(name: str) -> Any:
    """Run a command beside the demo data, and return what its JSON holds."""
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
        cli([name, *_EXAMPLES[name], "--json"], standalone_mode=False)
    return json.loads(out.getvalue())


# More values by name than this, of one shape, are shown by the first.
_MOST_ALIKE = 2


def shape_of(value: Any) -> Any:
    """Return what JSON looks like: names as they are, of lists the first item, of other values the kind.

    >>> shape_of({"rows": [{"row": 1, "mites": None}, {"row": 2}], "adds_up": True})
    {'rows': [{'row': 'integer', 'mites': 'null'}, '...'], 'adds_up': 'true or false'}
    """
    if isinstance(value, dict):
        shapes = {key: shape_of(one) for key, one in value.items()}
        alike = len(shapes) > _MOST_ALIKE and len({json.dumps(one) for one in shapes.values()}) == 1
        nested = alike and isinstance(next(iter(value.values())), dict)
        return {**dict(list(shapes.items())[:1]), "...": "..."} if nested else shapes
    if isinstance(value, list):
        return [shape_of(value[0]), *(["..."] if len(value) > 1 else [])] if value else []
    kinds = {bool: "true or false", int: "integer", float: "number", str: "text"}
    return kinds.get(type(value), "null")


if __name__ == "__main__":
    (Path(sys.argv[1]) / "command-line.md").write_text(command_page().rstrip("\n") + "\n", encoding="utf-8")
