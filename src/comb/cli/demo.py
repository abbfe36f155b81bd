"""The demo: write the data, then do Comb's main job on it before the user's eyes."""

from pathlib import Path

from comb.cli.commands import (
    ProfileRequest,
    RunRequest,
    ShowRequest,
    differences_command,
    inspect_command,
    profile_command,
    run_command,
    show_command,
    trace_command,
)
from comb.cli.terminal import Terminal
from comb.demo.files import DEMO_FILES, demo_bytes
from comb.errors import WriteError
from comb.interface.loading import load
from comb.interface.table import Table
from comb.tables.layout import LayoutRequest, Line, Span, lay_out
from comb.writing.atomic import check_file_free, write_file

GUIDE = (
    ("inspections.csv", "what a database exported: the raw file"),
    ("inspections-truth.json", "every defect planted in it, by row"),
    ("plan.yaml", "the plan that was run: read it, change it, run it again"),
    ("answers.csv", "questions about single cells, answered by those who were there"),
    ("inspections-2026.csv", "the next season: comb run plan.yaml --source inspections-2026.csv --to tidy-2026"),
    ("harvest.xlsx", "a workbook laid out for people: comb inspect drafts its plan with --plan"),
    ("scales.jsonl", "readings as a logger sends them, one line broken"),
    ("apiaries.csv", "where the apiaries lie, three of them spelled differently"),
    ("*-truth.json", "what is planted in these three"),
    ("tidy/inspections.csv", "the tidy table"),
    ("tidy/inspections.csv-metadata.json", "its columns and types, as CSV on the Web"),
    ("tidy/inspections-cells.csv", "why each missing cell is missing"),
    ("tidy/report.html", "all of this as one page: open it in a browser"),
    ("tidy/weights.svg", "the weights over the season, drawn as the plan says"),
    ("tidy/frames.csv", "brood and honey frames, one row for each"),
    ("tidy/dictionary.md", "the columns, described for people"),
    ("tidy/ledger.jsonl", "what every step did"),
    ("tidy/changed-cells.csv", "every cell that a step changed, before and after"),
    ("tidy/set-aside.csv", "rows kept out of the result, with the reason"),
)


# A day that a keeper's diary corrected.
ANSWERED_ROW = 1287


def run_demo(folder: str, *, overwrite: bool) -> None:
    """Write the demo data to a folder, inspect, profile, run the plan, show the result."""
    screen = Terminal(hints=False)
    place = Path(folder)
    _write_data(place, overwrite)
    source, plan, result = (str(place / name) for name in ("inspections.csv", "plan.yaml", "tidy/inspections.csv"))
    _chapter(screen, "What is this file?", f"comb inspect {source}")
    inspect_command((source,), {}, screen=screen)
    _chapter(screen, "What is wrong in it?", f"comb profile {source}")
    profile_command((source,), {}, ProfileRequest(), screen=screen)
    _chapter(screen, "Put it right, and account for every row.", f"comb run {plan}")
    run_command(plan, RunRequest(overwrite=overwrite), screen=screen)
    cell = f"--table inspections --row {ANSWERED_ROW} --column inspected_on"
    tidy = str(place / "tidy")
    _chapter(screen, "Where does this day come from?", f"comb trace {tidy} {cell}")
    trace_command(tidy, ANSWERED_ROW, "inspected_on", table="inspections", screen=screen)
    where = "mites > 30"
    _chapter(screen, "The tidy table.", f'comb show {result} --where "{where}" --sort "mites desc" --first 5')
    show_command((result,), {}, ShowRequest(first=5, where=where, sort="mites desc"), screen=screen)
    later = str(place / "inspections-2026.csv")
    _chapter(screen, "The next season's file: what is different?", f"comb differences {source} {later}")
    differences_command(source, later, {}, screen=screen)
    book, scales, apiaries = (str(place / name) for name in ("harvest.xlsx", "scales.jsonl", "apiaries.csv"))
    _chapter(screen, "A workbook laid out for people.", f"comb inspect {book}")
    inspect_command((book,), {}, screen=screen)
    _chapter(
        screen,
        "Its seasons as one table, months to rows.",
        "load(..., table='Harvest*').to_long('April:September', ...)",
    )
    seasons = load(book, table="Harvest*").rename({"table": "season"})
    tall = seasons.to_long("April:September", heading_column="month", value_column="kg", keep_missing=False)
    screen.lines(_shown(tall, screen.width))
    _chapter(
        screen,
        "Readings as a logger sends them; their visits are a table of their own.",
        f"comb show {scales} --table visits",
    )
    show_command((scales,), {"table": "visits"}, ShowRequest(first=4), screen=screen)
    _chapter(screen, "Where are the apiaries? Unmatched names are listed.", "visits.join(apiaries, 'apiary')")
    looked_up = load(result).join(load(apiaries), "apiary")
    screen.lines([[Span(note)] for note in looked_up.ledger[-1].notes])
    _chapter(screen, "How often is a queen laying, by region?", "visits.join(...).count('region', across='queen')")
    screen.lines(_shown(looked_up.count("region", across="queen"), screen.width))
    _chapter(
        screen,
        "Words with an order: which are more than open?",
        "apiaries.convert({'shelter': 'category'}, choices=['open', 'half', 'full']).filter(\"shelter > 'open'\")",
    )
    sheltered = load(apiaries).convert({"shelter": "category"}, choices=["open", "half", "full"])
    screen.lines(_shown(sheltered.filter("shelter > 'open'").sort("shelter desc"), screen.width))
    _chapter(screen, f"What is where in {place}", "")
    screen.lines([[Span(f"  {name:<36}"), Span(what, "dim")] for name, what in GUIDE])


def _shown(table: Table, width: int) -> list[Line]:
    return lay_out(LayoutRequest(table.columns, table.row_numbers, table.sentence(), width, 6))


def _chapter(screen: Terminal, title: str, command: str) -> None:
    screen.lines([[], [Span(title, "head"), Span(f"  {command}", "dim")], []])


def _write_data(place: Path, overwrite: bool) -> None:
    try:
        place.mkdir(exist_ok=True)
    except OSError as error:
        raise WriteError(f"the demo cannot be written here: {error.strerror}", where=str(place)) from None
    for name in DEMO_FILES:
        check_file_free(place / name, overwrite=overwrite)
    for name in DEMO_FILES:
        write_file(place / name, demo_bytes(name), overwrite=overwrite)
