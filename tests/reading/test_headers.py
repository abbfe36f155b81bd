"""What stands above, between and below the rows of delimited text as spreadsheets and reports write it."""

import csv
import json
from pathlib import Path

import pytest
import xlsxwriter
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from comb.tables.names import unique_names
from support.examples import drawn
from support.running import run_comb

ROWS = ["Mill,1.5,2025-01-02", "Quarry,2.5,2025-01-03", "Fox,3.5,2025-01-04"]
NAMES = ("place", "kg", "seen_on")

# The lines, how many rows there are, the titles, and what a note says.
PAGES = {
    "padded titles": (["Honey yields,,", "All apiaries,,", "place,kg,seen_on", *ROWS], 3, ("Honey yields", "All apiaries"), ""),
    "a title and a gap": (["Honey yields,,", ",,", "place,kg,seen_on", *ROWS], 3, ("Honey yields",), "1 line of delimiters only left out: line 2"),
    "gaps above": ([",,", ",,", "place,kg,seen_on", *ROWS], 3, (), "2 lines of delimiters only left out: lines 1, 2"),
    "gaps between": (["place,kg,seen_on", ROWS[0], ",,", *ROWS[1:], ",,", ",,"], 3, (), "3 lines of delimiters only left out: lines 3, 6, 7"),
    "pages": (["Yields,,", "Page 1,,", "place,kg,seen_on", ROWS[0], "Yields,,", "Page 2,,", "place,kg,seen_on", *ROWS[1:]], 3, ("Yields", "Page 1"), "2 rows repeating a title, left out: lines 5, 6"),
    "pages, not padded": (["Yields", "Page 1", "place,kg,seen_on", ROWS[0], "Yields", "Page 12", "place,kg,seen_on", *ROWS[1:]], 3, ("Yields", "Page 1"), "1 row repeating the header, left out: line 7"),
    "sep": (["sep=,", "place,kg,seen_on", *ROWS], 3, (), ""),
    "sep and a title": (["sep=,", "Yields,,", "place,kg,seen_on", *ROWS], 3, ("Yields",), ""),
    "notes below a gap": (["place,kg,seen_on", *ROWS, ",,", "Source: the co-operative,,"], 3, (), "1 line below the table treated as notes: line 6"),
    "marked notes below": (["place,kg,seen_on", *ROWS, "* not weighed,,", "Source: the co-operative,,"], 3, (), "2 lines below the table treated as notes: lines 5, 6"),
    "a last row with gaps": (["place,kg,seen_on", *ROWS, "Mill Brook,,"], 4, (), ""),
    "words only": (["Names of places,,", "place,kg,seen_on", "a,b,c", "d,e,f"], 2, ("Names of places",), ""),
}  # fmt: skip


@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
@pytest.mark.parametrize(("lines", "rows", "titles", "note"), PAGES.values(), ids=PAGES)
def test_the_header_is_found_and_every_other_line_is_told(
    tmp_path: Path, lines: list[str], rows: int, titles: tuple[str, ...], note: str, delimiter: str
) -> None:
    (tmp_path / "t.csv").write_text("\n".join(lines).replace(",", delimiter) + "\n")
    table = comb.load(tmp_path / "t.csv")
    assert table.names == NAMES and len(table) == rows and table.origin.titles == titles
    assert note in "; ".join(table.notes)
    if "words" not in titles[:1]:
        assert comb.load(tmp_path / "t.csv", **as_given(table)).equals(table)


def as_given(table: comb.Table) -> dict[str, object]:
    options = table.origin.options
    return {name: getattr(options, name) for name in ("delimiter", "quote", "encoding", "header", "skip")}


# Headings that are days or years; and first lines that are not headings.
HEADINGS = {
    "days": (["hive,2025-01-01,2025-02-01", "a,1,2", "b,3,4"], ("hive", "2025-01-01", "2025-02-01")),
    "days with points": (["hive;01.01.2025;01.02.2025", "a;1,5;2", "b;3,5;4"], ("hive", "01.01.2025", "01.02.2025")),
    "days only": (["2025-01-01,2025-02-01", "1,2", "3,4"], ("2025-01-01", "2025-02-01")),
    "days above words": (["name,2025-01-01,2025-01-02", "Ada,on,off", "Bea,off,on"], ("name", "2025-01-01", "2025-01-02")),
    "years": (["hive,2023,2024", "a,1,2", "b,3,4"], ("hive", "2023", "2024")),
    "two lines": (["hive,,2025,", ",kg,n,x", "a,1,2,3", "b,3,4,5"], ("hive", "hive kg", "2025 n", "2025 x")),
    "two lines, the upper cut off": (["Yields", ",2024,,2025", "site,kg,n,kg,n", "a,1,2,3,4", "b,3,4,5,6"], ("site", "2024 kg", "2024 n", "2025 kg", "2025 n")),
    "two lines and units": ([",2024,,2025,", "site,new,old,new,old", ",kg,kg,kg,kg", "a,1,2,3,4", "b,3,4,5,6"], ("site", "2024 new", "2024 old", "2025 new", "2025 old")),
    "three lines": ([",2024,,,,2025,,,", ",oak,,elm,,oak,,elm,", "site,kg,n,kg,n,kg,n,kg,n", "a,1,2,3,4,5,6,7,8", "b,1,2,3,4,5,6,7,9"], ("site", *(f"{year} {tree} {what}" for year in (2024, 2025) for tree in ("oak", "elm") for what in ("kg", "n")))),
    "three lines, cut off": ([",2024,,,,2025", ",oak,,elm,,oak", "site,kg,n,kg,n,kg,n", "a,1,2,3,4,5,6", "b,1,2,3,4,5,6"], ("site", "2024 oak kg", "2024 oak n", "2024 elm kg", "2024 elm n", "2025 oak kg", "2025 oak n")),
    "names that go down": (["site,2024,,,,note", ",oak,,elm,,", ",kg,n,kg,n,", "a,1,2,3,4,x", "b,1,2,3,4,"], ("site", "2024 oak kg", "2024 oak n", "2024 elm kg", "2024 elm n", "note")),
    "a title that is cut off": (["Yields of sites", "site,kg,n", "a,1,2", "b,3,4"], ("site", "kg", "n")),
    "prices": (["jar,$5,$10", "a,1,2", "b,3,4"], ("jar", "$5", "$10")),
    "amounts": (["jar,$5", "lid,$3", "box,$12"], ("_col.1", "_col.2")),
    "fields of records": (["Name:Ada", "Hives:7", "Name:Bo", "Hives:9", "Name:Cy", "Hives:3"], ("_col.1", "_col.2")),
    "fields, most of them numbers": (["Name:Ada", "Hives:7", "Kg:31", "Age:40", "Name:Bo", "Hives:9", "Kg:28", "Age:51"], ("_col.1", "_col.2")),
    "a list of columns": (["name,place", "id,1", "name,2", "kg,3"], ("name", "place")),
    "rows only": (["2025-01-01,5", "2025-01-02,6"], ("_col.1", "_col.2")),
    "a column of days": (["Mill,2025-01-01,on", "Fox,2025-01-02,off"], ("_col.1", "_col.2", "_col.3")),
}  # fmt: skip


@pytest.mark.parametrize(("lines", "names"), HEADINGS.values(), ids=HEADINGS)
def test_days_and_years_name_columns(tmp_path: Path, lines: list[str], names: tuple[str, ...]) -> None:
    (tmp_path / "t.csv").write_text("\n".join(lines) + "\n")
    table = comb.load(tmp_path / "t.csv")
    assert table.names == names and comb.load(tmp_path / "t.csv", **as_given(table)).equals(table)


@pytest.mark.parametrize("case", ["two lines and units", "three lines", "names that go down"])
def test_lines_of_headings_say_the_same_in_a_sheet_and_make_a_draft(tmp_path: Path, case: str) -> None:
    lines, names = HEADINGS[case]
    (tmp_path / "t.csv").write_text("\n".join(lines) + "\n")
    assert comb.load(tmp_path / "t.csv", table="*").names == names
    drafted = run_comb("inspect", "t.csv", "--plan", "p.yaml", cwd=tmp_path).out
    [tall] = comb.Plan.load(tmp_path / "p.yaml").run(dry_run=True).tables.values()
    kept = [name for name in names if " " not in name]
    assert "to_long" in drafted and set(kept) < set(tall.names) and len(tall) > len(comb.load(tmp_path / "t.csv"))


@settings(max_examples=drawn(40), suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.lists(st.sampled_from(["a,1", "b,2", ",", ",3"]), min_size=1, max_size=12))
def test_lines_of_delimiters_are_left_out_and_counted(tmp_path: Path, lines: list[str]) -> None:
    (tmp_path / "t.csv").write_text("name,n\nm,9\n" + "".join(f"{line}\n" for line in lines))
    table = comb.load(tmp_path / "t.csv")
    told = next((note for note in table.notes if "delimiters only" in note), "0")
    assert len(table) + int(told.split()[0]) == len(lines) + 1 == len(table) + lines.count(",")
    # What Comb writes itself comes back, rows without a value too.
    hollow = comb.table(columns={"a": [None, "x", None, None], "b": [None, 1, 2, None]})
    hollow.save(tmp_path / "h.csv", overwrite=True)
    assert [comb.load(tmp_path / "h.csv")[name].to_list() for name in "ab"] == [
        [None, "x", None, None],
        [None, 1, 2, None],
    ]


@pytest.mark.parametrize(
    ("text", "rows", "units"),
    [
        ("a,b\n(5),(7)\n(6),(8)\n", 2, ["", ""]),
        ("unit,amount\nkg,\nlb,3\ng,4\n", 3, ["", ""]),
        ("a,b\n(none),(3)\n5,6\n7,8\n", 3, ["", ""]),
        ("name,weight\n,kg\nm,3\ns,4\n", 2, ["", "kg"]),
        ("name,weight\n,(kg)\nm,3\ns,4\n", 2, ["", "kg"]),
        ("size,length\nm,s\nl,m\n", 2, ["", ""]),
    ],
)
def test_a_first_row_is_a_line_of_units_only_above_numbers(
    tmp_path: Path, text: str, rows: int, units: list[str]
) -> None:
    (tmp_path / "t.csv").write_text(text)
    table = comb.load(tmp_path / "t.csv")
    assert len(table) == rows and [column.description for column in table.columns.values()] == units
    assert ("gives units" in "; ".join(table.notes)) == any(units)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("a,b\n1,2\n3,4\n", "3 lines read: 2 rows, 1 of the header"),
        ("a,b\n1,2\n3,4", "3 lines read: 2 rows, 1 of the header"),
        ("a,b", "1 line read: 0 rows, 1 of the header"),
        ('a,b\r\n"x\r\ny",2\r\n"z\n\n",4\r\n', "6 lines read: 2 rows, 1 of the header, 3 going on with the row above"),
        ("Counts 2025\n\nhive,weight\n,kg\na,1.5\nb,2\n\nc,3\n", "8 lines read: 3 rows, 2 above the header, 1 of the header, 1 of units, 1 blank"),
        ("hive,mites,kg\na,1,2\nhive,mites,kg\nb,2,3\n,,\n\ncounted at dawn\n", "7 lines read: 2 rows, 1 of the header, 1 blank, 1 of delimiters only, 1 repeating the header, 1 of notes below"),
        ("x\n1\n\n2\n", "4 lines read: 3 rows, 1 of the header"),
    ],
)  # fmt: skip
def test_every_line_of_a_file_is_accounted_for(tmp_path: Path, text: str, said: str) -> None:
    place = tmp_path / "t.csv"
    place.write_bytes(text.encode())
    for loaded in (comb.load(text.encode()), comb.load(place)):
        (entry,) = loaded.ledger
        assert entry.notes[0] == said and entry.adds_up and entry.rows_out == len(loaded)
    two = comb.load([place, place])
    assert two.ledger[0].rows_in == 2 * entry.rows_in and two.ledger[0].adds_up
    (tmp_path / "plan.yaml").write_text("source: t.csv\nsteps: [{step: trim}]\nsave: [out, book.xlsx]\n")
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    assert outcome.ledger["t"][0] == entry and outcome.adds_up
    assert '"number":0,"step":"load"' in (tmp_path / "out" / "ledger.jsonl").read_text().splitlines()[0]
    assert comb.load(tmp_path / "book.xlsx", table="ledger")["step"].to_list() == ["load", "trim"]


YEARS = """Yields of the season;;;;;
(kg);;;;;
;2024;;2025;;
Apiary;Jan-Jun;Jul-Dec;Jan-Jun;Jul-Dec;REMARK
Mill;1.234,5;980,25;1.100;\u2014;
Quarry;12,0;n/a;30,5;41;late
"""


@pytest.mark.parametrize(
    ("last", "names"),
    [
        # Behind the same names as in the year before, and no numbers: beside the year and not of it.
        ("Remark", ("Apiary", "2024 Jan-Jun", "2024 Jul-Dec", "2025 Jan-Jun", "2025 Jul-Dec", "Remark")),
        ("Jul-Dec", ("Apiary", "2024 Jan-Jun", "2024 Jul-Dec", "2025 Jan-Jun", "2025 Jul-Dec", "2025 Jul-Dec (2)")),
    ],
)
def test_years_above_halves_of_years(tmp_path: Path, last: str, names: tuple[str, ...]) -> None:
    (tmp_path / "t.csv").write_text(YEARS.replace("REMARK", last), encoding="utf-8")
    table = comb.load(tmp_path / "t.csv")
    assert table.names == names and len(table) == 2
    assert table.origin.titles == ("Yields of the season", "(kg)")
    assert table["2025 Jul-Dec"].to_list() == [None, 41]


@pytest.mark.parametrize(
    ("text", "names", "first"),
    [
        ("2025-03-01 08:00 | Mill | in\n2025-03-01 08:05 | Elm | out\n2025-03-01 8:10 | Elm | in\n", 3, "2025-03-01T08:00:00"),
        ("10:20:30\n11:21:31\n", 1, "10:20:30"),
        ("a:b:c\n10:20:x\n11:21:y\n", 3, "10"), ("8:15;a\n9:30;b\n", 2, "08:15:00"),
    ],
)  # fmt: skip
def test_times_are_neither_parted_by_their_colons_nor_names(tmp_path: Path, text: str, names: int, first: str) -> None:
    (tmp_path / "t.txt").write_text(text)
    table = comb.load(tmp_path / "t.txt")
    assert len(table.names) == names and table[table.names[0]].texts()[0] == first


FRAMES = {
    "marked-up text": (["| place | kg |", "|-------|---:|", "| Mill | 1.5 |", "| Elm | 2.5 |"], ["2"], ()),
    "marked-up text, short": (["|place|kg|", "|:-|-:|", "|Mill|1.5|", "|Elm|2.5|"], ["2"], ()),
    "a console": (
        ["+-------+-----+", "| place | kg  |", "+-------+-----+", "| Mill  | 1.5 |", "| Elm   | 2.5 |",
         "+-------+-----+", "2 rows in set"], ["3"], ("+-------+-----+",),
    ),
}  # fmt: skip


def test_how_columns_are_aligned_is_no_label_of_them(tmp_path: Path) -> None:
    lines = [
        "| hive | kg | day |",
        "|:-----|---:|-----|",
        *(f"| H{at} | {at}.5 | 2025-05-0{at} |" for at in range(1, 9)),
    ]
    (tmp_path / "t.md").write_text("\n".join(lines) + "\n")
    table = comb.load(tmp_path / "t.md")
    assert "1 line of dashes left out: line 2" in table.notes and not any(
        column.description for column in table.columns.values()
    )


@pytest.mark.parametrize(("lines", "ruled", "titles"), FRAMES.values(), ids=FRAMES)
def test_tables_in_a_frame(tmp_path: Path, lines: list[str], ruled: list[str], titles: tuple[str, ...]) -> None:
    (tmp_path / "t.txt").write_text("\n".join(lines) + "\n")
    table = comb.load(tmp_path / "t.txt")
    assert table.names == ("place", "kg") and table["kg"].to_list() == [1.5, 2.5] and table.origin.titles == titles
    assert f"1 line of dashes left out: line {ruled[0]}" in table.notes
    assert any("the empty first and last columns are left out" in note for note in table.notes)
    # The same by what was found, one column of it, and the plan of it.
    assert comb.load(tmp_path / "t.txt", **as_given(table)).equals(table)
    assert comb.load(tmp_path / "t.txt", columns=["kg"]).equals(table.select(["kg"]))
    [again] = table.plan().run(dry_run=True).tables.values()
    assert again.equals(table)
    # The header alone, which the dashes below it tell.
    (tmp_path / "h.txt").write_text("\n".join(lines[: len(titles) + 2]) + "\n")
    header = comb.load(tmp_path / "h.txt")
    assert header.names == ("place", "kg") and len(header) == 0
    # A first column with a value in it stays, and so does one without a frame.
    (tmp_path / "u.txt").write_text("\n".join([*lines[:-1], "x| Oak | 3.5 |"]) + "\n")
    assert len(comb.load(tmp_path / "u.txt").names) >= 3
    (tmp_path / "c.csv").write_text(",a,b,\n,1,2,\n,3,4,\n")
    assert comb.load(tmp_path / "c.csv").names == ("_col.1", "a", "b")


@pytest.mark.parametrize(
    ("lines", "names", "titles"),
    [
        (["Station,Elm", "Serial,1234", "", "day,kg", "2025-01-02,1.5", "2025-01-03,2"], ("day", "kg"), ("Station,Elm", "Serial,1234")),
        (["Station,Elm", "Began,2025-01-02", "", "", "kg,keeper", "1.5,Alder", "2,Hazel"], ("kg", "keeper"), ("Station,Elm", "Began,2025-01-02")),
        (["Station,Elm,", "Serial,1234,", "", "place,kg,seen_on", *ROWS], NAMES, ("Station,Elm", "Serial,1234")),
        # Padded to the width, above a line of delimiters or with colons; a total is no value of the column.
        (["Account:,7,", "Range:,2025,", "place,kg,seen_on", *ROWS], NAMES, ("Account:,7", "Range:,2025")),
        (["Account,7,", ",,", "place,kg,seen_on", *ROWS, "Total,7.5,"], NAMES, ("Account,7",)),
        (["Account,7,", "", "place,kg,seen_on", *ROWS, "Total,7.5,sum"], NAMES, ("Account,7",)),
        (["Account,7,", "place,kg,seen_on", "Mill,dry,warm"], ("_col.1", "_col.2", "_col.3"), ()),
        # Nothing says that these are no rows.
        (["Elm,Alder", "Oak,Hazel", "", "place,keeper", "Fir,Rowan", "Ash,Alder"], ("_col.1", "_col.2"), ()),
        (["2025-01-01,3", "2025-01-02,4", "", "2025-01-03,1.5", "2025-01-04,2"], ("_col.1", "_col.2"), ()),
        (["day,kg", "2025-01-01,3", "", "2025-01-03,1.5", "2025-01-04,2"], ("day", "kg"), ()),
    ],
)  # fmt: skip
def test_particulars_above_a_blank_line(
    tmp_path: Path, lines: list[str], names: tuple[str, ...], titles: tuple[str, ...]
) -> None:
    (tmp_path / "t.csv").write_text("\n".join(lines) + "\n")
    table = comb.load(tmp_path / "t.csv")
    assert table.names == names and table.origin.titles == titles
    assert comb.load(tmp_path / "t.csv", **as_given(table)).equals(table)


SURVEY = ["id,age,seen_on,answer", "Number of the hive,Age of the queen,When,What was said"]
ANSWERS = ["h1,2,2025-01-02 08:00,calm", "h2,1,2025-01-03 09:30,calm", "h3,4,2025-01-04 10:00,loud"]

# Lines below the names, the rows, and what is then said of the columns.
LABELS = {
    "labels": (SURVEY[1:], ANSWERS, ["Number of the hive", "Age of the queen", "When", "What was said"]),
    "labels and units": ([SURVEY[1], ",a,,"], [f"h{at},{at},{at}.5,x" for at in range(4)], ["Number of the hive", "Age of the queen; a", "When", "What was said"]),
    "two lines": ([SURVEY[1], '"{""c"":1}","{""c"":2}","{""c"":3}","{""c"":4}"'], ANSWERS, ['Number of the hive; {"c":1}', 'Age of the queen; {"c":2}', 'When; {"c":3}', 'What was said; {"c":4}']),
    # Rows: one column of values only, the same word twice, a word that comes again, too few rows below.
    "one column": ([], ["x,old,y,z", "h1,2,a,b", "h2,1,c,d", "h3,4,e,f"], [""] * 4),
    "no word of their own": ([], ["h0,lost,lost,calm", *ANSWERS], [""] * 4),
    "a word that recurs": ([], ["h0,young,early,calm", *ANSWERS], [""] * 4),
    "few rows": ([], ["h0,young,early,wild", *ANSWERS[:2]], [""] * 4),
}  # fmt: skip


@pytest.mark.parametrize("kind", ["csv", "xlsx"])
@pytest.mark.parametrize(("labels", "rows", "described"), LABELS.values(), ids=LABELS)
def test_labels_below_the_names_describe_the_columns(
    tmp_path: Path, labels: list[str], rows: list[str], described: list[str], kind: str
) -> None:
    (tmp_path / "t.csv").write_text("\n".join([SURVEY[0], *labels, *rows]) + "\n")
    if kind == "xlsx":
        # As a workbook has it: what looks like a number is one.
        book = xlsxwriter.Workbook(str(tmp_path / "t.xlsx"))
        sheet = book.add_worksheet()
        for at, cells in enumerate(csv.reader([SURVEY[0], *labels, *rows])):
            for place, cell in enumerate(cells):
                sheet.write(at, place, float(cell) if cell.replace(".", "").isdigit() else cell)
        book.close()
    table = comb.load(tmp_path / f"t.{kind}")
    assert table.names == tuple(SURVEY[0].split(",")) and len(table) == len(rows)
    assert [column.description for column in table.columns.values()] == described
    lines = 1 + any(label.startswith('"') for label in labels)
    said = f"{lines} of labels" in table.ledger[0].notes[0]
    assert said == any(described) and table.ledger[0].adds_up
    if kind == "csv":
        assert any("a label for each column" in note for note in table.notes) == any(described)
        assert comb.load(tmp_path / "t.csv", **as_given(table)).equals(table)
        assert len(comb.load(tmp_path / "t.csv", header=0)) == len(rows) + len(labels) + 1


@pytest.mark.parametrize(
    ("text", "names", "titles"),
    [
        ("# time x y\n0.0 1.5 2\n0.1 1.6 3\n0.2 1.7 5\n", ("time", "x", "y"), ()),
        ("# time,x,y\n0.0,1.5,2\n0.1,1.6,3\n", ("time", "x", "y"), ()),
        ("# run 7, dry\n# by hand\ntime hive kg\n2025-01-01T08:00:00 A 1\n2025-01-01T09:00:00 B 2\n", ("time", "hive", "kg"), ("# run 7, dry", "# by hand")),
        ("# run 7\n# columns: time, x, y\n0.0 1.5 2\n0.1 1.6 3\n", ("_col.1", "_col.2", "_col.3"), ("# run 7", "# columns: time, x, y")),
        ("#\tname\tkg\n1\tMill\t3\n2\tElm\t4\n", ("#", "name", "kg"), ()),
        ("#id,name,kg\n1,Mill,3\n2,Elm,4\n", ("#id", "name", "kg"), ()),
        # A first row of days with times is no header, nor is one of amounts.
        ("2025-01-01 08:00,calm\n2025-01-01 09:00,loud\n", ("_col.1", "_col.2"), ()),
        ("3 Nov 2025,$1.50\n4 Nov 2025,$12\n", ("_col.1", "_col.2"), ()),
        ("2025-01-01 08:00:00 begun by hand\n2025-01-01 08:00:01 slow\n2025-01-01 08:00:02 all done\n", ("_col.1",), ()),
        ("5 hives at noon\nall calm\none loud\n", ("5 hives at noon",), ()),
        ("March,room 12\nMill,5\nElm,6\n", ("March", "room 12"), ()),
    ],
)  # fmt: skip
def test_comments_names_and_values_in_a_first_line(
    tmp_path: Path, text: str, names: tuple[str, ...], titles: tuple[str, ...]
) -> None:
    (tmp_path / "t.txt").write_text(text)
    table = comb.load(tmp_path / "t.txt")
    assert table.names == names and table.origin.titles == titles and table.ledger[0].adds_up
    assert comb.load(tmp_path / "t.txt", **as_given(table)).equals(table)


SMALL = ["item,n,share", "A,1,0.5", "B,2,0.25", "C,2,0.25"]
LARGE = ["id,item,kg,seen_on", "1,A,2.5,2025-01-01", "2,B,3.5,2025-01-02", "3,A,1.5,2025-01-03", "4,A,1.5,2025-01-04"]


@pytest.mark.parametrize(
    ("lines", "said"),
    [
        (["Small", *SMALL, "", "Large", *LARGE], "lines 2 to 5 above the header look like a table of their own"),
        ([*LARGE, "", "Small", *SMALL], "1 header that may be of another table, below a gap; load_all(table='*') reads each, inspect with --plan lists them: line 8"),
        ([*LARGE, ",,,", *(f"{line}," for line in SMALL)], "1 header that may be of another table"),
        ([*LARGE, "", *LARGE[1:]], ""),
        ([*LARGE, "", "Small", *LARGE], ""),
        (["Station,Elm,,", "Height,52,,", "", *LARGE], ""),
    ],
)  # fmt: skip
def test_a_second_table_is_told(tmp_path: Path, lines: list[str], said: str) -> None:
    place = tmp_path / "t.csv"
    place.write_text("\n".join(lines) + "\n")
    notes = [note for note in comb.load(place).notes if "load_all" in note]
    assert len(notes) == bool(said) and all(said in note for note in notes)
    if said:
        tables = comb.load_all(place, table="*")
        assert sorted(map(len, tables.values())) == [3, 4]


ANSWERS = {
    "different names": ("mood,queen,keeper", True),
    "a name twice": ("mood,queen,queen", True),
    "a name that marks a choice": ("mood,queen,x", True),
    "a name that is lacking": ("mood,,queen", True),
    "numbers of questions": ("1,2,3", True),
    "numbers of questions beside a word": ("place,1,2", True),
    "answers": ("calm,yes,x", False),
    "answers with a gap": ("calm,,x", False),
}


@pytest.mark.parametrize("kind", ["csv", "xlsx", "json"])
@pytest.mark.parametrize(("first", "named"), ANSWERS.values(), ids=ANSWERS)
def test_of_texts_alone_those_below_tell_whether_the_first_line_names_columns(
    tmp_path: Path, first: str, named: bool, kind: str
) -> None:
    below = ["calm,yes,x", "wild,no,", "calm,no,", "wild,yes,x", "calm,yes,", "wild,no,x"]
    rows = [line.split(",") for line in (first, *below)]
    path = tmp_path / f"t.{kind}"
    if kind == "csv":
        path.write_text("\n".join([first, *below]) + "\n")
    elif kind == "json":
        path.write_text(json.dumps([[cell or None for cell in row] for row in rows]))
    else:
        with xlsxwriter.Workbook(path) as book:
            sheet = book.add_worksheet()
            for at, row in enumerate(rows):
                for column, cell in enumerate(row):
                    if cell:
                        sheet.write(at, column, int(cell) if cell.isdecimal() else cell)
    table = comb.load(path)
    given = first.split(",") if named else ["", "", ""]
    assert table.names == tuple(unique_names(given))
    assert len(table) == len(rows) - named
    assert table[table.names[0]].to_list()[-3:] == ["wild", "calm", "wild"]
