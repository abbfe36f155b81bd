"""The demo: write the data, do Comb's main job on it, show the answer and how one gets there."""

from collections.abc import Sequence
from pathlib import Path

from comb.cli.everyday import AggregateRequest, aggregate_command
from comb.cli.inspecting import inspect_command
from comb.cli.profiling import ProfileRequest, profile_command
from comb.cli.running import differences_command, trace_command
from comb.cli.showing import ShowRequest, show_command
from comb.cli.terminal import Terminal
from comb.demo.files import DEMO_FILES, demo_bytes
from comb.errors import WriteError, counted, listing
from comb.interface.plan import Plan
from comb.plans.outcome import Outcome
from comb.steps.ledger import total
from comb.tables.layout import DEFAULT_WIDTH, Line, Span
from comb.views.lines import text_line, wrapped
from comb.views.runs import run_view
from comb.writing.atomic import check_file_free, write_file

# What is where in the folder, most useful first.
GUIDE = (
    ("plan.yaml", "the plan that was run: read it, change it, run it again"),
    ("tidy/report.html", "all of this as one page: open it in a browser"),
    ("tidy/inspections.csv", "the tidy table; beside it types, reasons, ledger, changed cells"),
    ("inspections.csv", "the raw file; inspections-truth.json lists every defect planted in it"),
    ("inspections-2026.csv", "the next season, for the same plan: --source and --to"),
    ("harvest.xlsx, scales.jsonl", "a workbook for people, readings of a logger"),
    ("apiaries.csv, answers.csv", "where the apiaries lie, answers about single cells"),
)

# A day that a keeper's diary corrected.
ANSWERED_ROW = 1287

# Lines of each stage.
SCREEN = 9


class _Excerpt(Terminal):
    """A screen of each stage: its first lines, and how many more the command shows."""

    def __init__(self) -> None:
        super().__init__(hints=False)
        self._left, self._hidden = 0, 0

    def begin(self, title: str, command: str, most: int = SCREEN) -> None:
        """Begin a stage."""
        self.end()
        super().lines([[], [Span(title, "head"), Span(f"  {command}", "dim")]])
        self._left = most

    def end(self) -> None:
        """Say how much of the stage was not shown."""
        if self._hidden:
            super().lines([[Span(f"... and {counted(self._hidden, 'line')} more", "dim")]])
        self._left, self._hidden = 0, 0

    def lines(self, lines: Sequence[Line]) -> None:
        """Print what there is room for; empty lines take none."""
        full = [line for line in lines if any(span.text.strip() for span in line)]
        super().lines(full[: self._left])
        self._hidden += max(0, len(full) - self._left)
        self._left = max(0, self._left - len(full))

    def say(self, text: str, style: str = "plain") -> None:
        """Say nothing: each stage shows its result only."""


def run_demo(folder: str, *, overwrite: bool) -> None:
    """Write the demo data to a folder, do the whole job on it, and show the answer and a screen of each stage."""
    screen, quiet = Terminal(hints=False), _Excerpt()
    place = Path(folder)
    _write_data(place, overwrite)
    plan = str(place / "plan.yaml")
    with screen.working(f"running {plan}"):
        outcome = Plan.load(plan).run(overwrite=overwrite)
    screen.lines(_answer(outcome, place))
    _stages(quiet, place, outcome)
    quiet.end()
    screen.lines([[], [Span(f"What is where in {place}", "head")]])
    screen.lines([[Span(f"  {name:<28}"), Span(what, "dim")] for name, what in GUIDE])


def _answer(outcome: Outcome, place: Path) -> list[Line]:
    """Say in a few lines what came of it."""
    table, entries = outcome.tables["inspections"], outcome.ledger["inspections"]
    cells = sum(sum(entry.cells_changed.values()) for entry in entries)
    first = total(list(entries))
    gone = {"set aside": first.set_aside, "left out": first.left_out, "merged with their copies": first.merged}
    said = (
        f"{counted(first.rows_in, 'line')} of inspections.csv became {counted(table.row_count, 'row')} of a tidy "
        f"table, by {counted(len(outcome.taken['inspections']), 'step')}: {counted(cells, 'cell')} changed; of rows "
        f"{listing([f'{count:,} {what}' for what, count in gone.items() if count])}."
    )
    adds = "Every line, row and changed cell is accounted for" if outcome.adds_up else "THE LEDGER DOES NOT ADD UP"
    # Paths are not wrapped: they would be cut at a hyphen.
    saved = [f"{adds}: {place / 'tidy'}", f"The report on it: {place / 'tidy' / 'report.html'}"]
    return [*wrapped(said, DEFAULT_WIDTH), *(text_line(line) for line in saved)]


def _stages(screen: _Excerpt, place: Path, outcome: Outcome) -> None:
    source, plan, result = (str(place / name) for name in ("inspections.csv", "plan.yaml", "tidy/inspections.csv"))
    screen.begin("What is this file?", f"comb inspect {source}")
    inspect_command((source,), {}, screen=screen)
    screen.begin("What is wrong in it?", f"comb profile {source}", 10)
    profile_command((source,), {}, ProfileRequest(), screen=screen)
    screen.begin("Put it right, and account for every row.", f"comb run {plan}", 15)
    screen.lines(run_view(outcome, screen.width))
    cell = f"--table inspections --row {ANSWERED_ROW} --column inspected_on"
    tidy = str(place / "tidy")
    screen.begin("Where does this day come from?", f"comb trace {tidy} {cell}", 6)
    trace_command(tidy, ANSWERED_ROW, "inspected_on", table="inspections", screen=screen)
    where = "mites > 30"
    screen.begin("The tidy table.", f'comb show {result} --where "{where}" --sort "mites desc" --first 3', 8)
    show_command((result,), {}, ShowRequest(first=3, where=where, sort="mites desc"), screen=screen)
    later = str(place / "inspections-2026.csv")
    screen.begin("The next season's file: what is different?", f"comb differences {source} {later}", 6)
    differences_command(source, later, {}, screen=screen)
    book, scales = (str(place / name) for name in ("harvest.xlsx", "scales.jsonl"))
    screen.begin("A workbook laid out for people, its seasons as one table.", f"comb show {book} --table 'Harvest*'", 8)
    show_command((book,), {"table": "Harvest*"}, ShowRequest(first=2), screen=screen)
    screen.begin("Readings as a logger sends them: a table inside.", f"comb show {scales} --table visits", 8)
    show_command((scales,), {"table": "visits"}, ShowRequest(first=3), screen=screen)
    formulas = ("mean_kg = round(avg(net_kg), 1)", "visits = count(*)")
    command = " ".join([f"comb aggregate {result} --by apiary", *(f'"{one}"' for one in formulas)])
    screen.begin("How heavy are the hives, by apiary?", command, 8)
    aggregate_command((result, *formulas), {}, AggregateRequest(by="apiary", first=3), screen=screen)
    screen.begin("And everything else in the folder?", f"comb inspect {place}", 5)
    inspect_command((str(place),), {}, screen=screen)


def _write_data(place: Path, overwrite: bool) -> None:
    try:
        place.mkdir(exist_ok=True)
    except OSError as error:
        raise WriteError(f"the demo cannot be written here: {error.strerror}", where=str(place)) from None
    for name in DEMO_FILES:
        check_file_free(place / name, overwrite=overwrite)
    for name in DEMO_FILES:
        write_file(place / name, demo_bytes(name), overwrite=overwrite)
