"""Pictures: what is drawn from which numbers, what is said, and that they can be read."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import comb
from comb.drawing.kinds import drawing_of
from comb.drawing.render import drawn_figure, render
from comb.drawing.request import PictureRequest
from support.examples import drawn
from support.running import run_comb
from support.strategies import tables

HIVES = comb.table(
    columns={
        "day": [f"2025-{month:02}-{day:02}" for month in range(1, 13) for day in (1, 15)],
        "site": ["Elm", "Fox", "Elm"] * 8,
        "kg": [20 + at % 7 for at in range(24)],
        "mites": [None if at % 6 == 0 else at for at in range(24)],
    }
).convert({"day": "date"})


@pytest.mark.parametrize(
    ("given", "title", "caption", "data"),
    [
        (
            {"kind": "histogram", "x": "kg"},
            "Half of the 24 values of kg lie between 21 and 24.25",
            "n = 24 rows; source: table typed in by hand",
            {"from": [19.5, 20.5, 21.5, 22.5, 23.5, 24.5, 25.5], "rows": [4, 4, 4, 3, 3, 3, 3]},
        ),
        (
            {"kind": "histogram", "x": "mites", "bin_width": 10},
            "Half of the 20 values of mites lie between 6.5 and 17.5",
            "n = 20 of 24 rows; 4 left out: mites is missing (4 blank); source: table typed in by hand",
            {"from": [0, 10, 20], "below": [10, 20, 30], "rows": [8, 8, 4]},
        ),
        (
            {"kind": "histogram", "x": "day"},
            "Half of the 24 values of day lie between 2025-03-27 and 2025-09-19",
            "n = 24 rows",
            {"rows": [2] * 12},
        ),
        (
            {"kind": "bars", "x": "site", "where": "kg > 20"},
            "Rows by site: from 7 (Fox) to 13 (Elm)",
            "n = 20 of 24 rows; 4 left out: not kg > 20",
            {"site": ["Elm", "Fox"], "count": [13, 7]},
        ),
        (
            {"kind": "bars", "x": "site", "y": "kg", "value": "max", "order": "value"},
            "Max of kg by site: 26 each",
            "n = 24 rows",
            {"site": ["Elm", "Fox"], "max": [26, 26]},
        ),
        (
            {"kind": "lines", "x": "day", "y": "kg", "by": "site", "value": "sum"},
            "kg over day, by site: 20 to 26",
            "n = 24 rows",
            {"site": ["Elm"] * 16 + ["Fox"] * 8},
        ),
        (
            {"kind": "scatter", "x": "kg", "y": "mites", "trend": "line"},
            "mites against kg, 20 rows: r = 0.01, n = 20",
            "4 left out: mites is missing (4 blank)",
            {},
        ),
        (
            {"kind": "boxes", "y": "kg", "by": "site"},
            "kg by site: medians from 22.5 (Elm) to 22.5 (Fox)",
            "whiskers to the last value within 1.5 of that distance",
            {"site": ["Elm", "Fox"], "n": [16, 8], "median": [22.5, 22.5], "whisker_low": [20, 20]},
        ),
        (
            {"kind": "missing"},
            "4 of 96 cells are missing, most in mites: 16.7 %",
            "n = 24 rows",
            {"column": [name for name in ("day", "site", "kg", "mites") for _ in range(24)]},
        ),
    ],
)
def test_what_is_drawn_and_said(given: dict, title: str, caption: str, data: dict) -> None:
    picture = HIVES.draw(**given)
    assert picture.title == title and caption in picture.caption
    for name, expected in data.items():
        assert picture.data[name].to_list() == expected, name
    assert repr(picture).startswith(title)


def test_figures_are_those_of_aggregate() -> None:
    for value, function in (("sum", "sum"), ("mean", "avg"), ("median", "median"), ("min", "min"), ("max", "max")):
        drawn = HIVES.draw("bars", x="site", y="mites", value=value, order="value").data
        expected = (
            HIVES.filter("mites is not null").aggregate(by="site", columns={"v": f"{function}(mites)"}).sort(by="site")
        )
        assert np.allclose(
            drawn[value].to_numpy(missing=0).astype(float), [float(one) for one in expected["v"].to_list()]
        )
    line = HIVES.draw("lines", x="day", y="mites").data
    expected = HIVES.filter("mites is not null")
    assert line["day"].to_list() == expected["day"].to_list() and line["mites"].to_list() == expected["mites"].to_list()


@given(st.lists(st.floats(1e-9, 1e9), min_size=1, max_size=20))
def test_a_logarithmic_histogram_leaves_nothing_out(values: list[float]) -> None:
    picture = comb.table(columns={"kg": values}).draw("histogram", x="kg", log="x")
    assert sum(picture.data["rows"].to_list()) == len(values)


def test_bars_by_group_and_panel_are_those_of_each_part() -> None:
    drawn = HIVES.draw("bars", x="site", y="kg", by="mites", panels="kg", value="median", where="mites < 9").data
    for panel, group, site, found in zip(
        *(drawn[name].to_list() for name in ("kg", "mites", "site", "median")), strict=True
    ):
        part = HIVES.filter(f"kg = {panel} and mites = {group} and site = '{site}'")["kg"].to_list()
        assert found == (float(np.median(part)) if part else None)


def test_error_bars_are_intervals_of_means() -> None:
    drawn = HIVES.draw("bars", x="site", y="kg", error_bars=True).data
    for at, site in enumerate(drawn["site"].to_list()):
        kg = np.array(HIVES.filter(f"site = '{site}'")["kg"].to_list(), float)
        # Student's t at 97.5 % for 15 and 7 degrees of freedom, from a printed table.
        reach = {"Elm": 2.1314, "Fox": 2.3646}[site] * kg.std(ddof=1) / np.sqrt(len(kg))
        assert drawn["low"].to_list()[at] == pytest.approx(kg.mean() - reach, abs=1e-3)
        assert drawn["high"].to_list()[at] == pytest.approx(kg.mean() + reach, abs=1e-3)


def test_many_groups_are_the_largest_and_others() -> None:
    names = [f"site {at:02}" for at in range(30) for _ in range(at + 1)]
    many = comb.table(columns={"site": names, "kg": list(range(len(names)))})
    picture = many.draw("histogram", x="kg", by="site")
    groups = list(dict.fromkeys(picture.data["site"].to_list()))
    assert groups == [f"site {at:02}" for at in range(29, 22, -1)] + ["others (23)"]
    assert "the 7 largest are shown, 23 with 276 rows are 'others'" in picture.caption
    bars = comb.table(columns={"site": [f"s{at}" for at in range(60)]}).draw("bars", x="site")
    assert bars.data.row_count == 40 and bars.data["site"].to_list()[-1] == "others (21)"
    assert sum(bars.data["count"].to_list()) == 60
    lines = many.draw("lines", x="kg", y="kg", by="site")
    assert "30 lines, drawn faintly" in lines.caption
    strong = many.draw("lines", x="kg", y="kg", by="site", emphasise="site 29")
    assert "site 29 against 29 others" in strong.caption and strong.title.endswith("site 29 and the others")


def test_months_and_weekdays_are_in_their_order() -> None:
    for names in (["March", "April", "May", "June"], ["Tue", "Wed", "Sat", "Sun"]):
        table = comb.table(columns={"when": [names[2], names[0], *names[::-1]], "kg": [1, 2, 3, 4, 5, 6]})
        assert table.draw("bars", x="when").data["when"].to_list() == names
        assert table.draw("boxes", y="kg", by="when").data["when"].to_list() == names
    people = comb.table(columns={"who": ["May", "June", "Bob", "Bob"]})
    assert people.draw("bars", x="who").data["who"].to_list()[0] == "Bob"


def test_wide_intervals_are_cut_and_that_is_said() -> None:
    table = comb.table(columns={"x": [1, 1, 2, 2, 3, 3], "kg": [10, 10.1, 12, 30, 11, 11.2]})
    picture = table.draw("lines", x="x", y="kg", error_bars=True)
    assert "1 interval cut where the axis ends" in picture.caption and min(picture.data["low"].to_list()) < -90


def test_scales_are_written_plainly() -> None:
    numbers = np.random.default_rng(1).normal(size=60_000).tolist()
    drawing = drawing_of(comb.table(columns={"x": numbers, "y": numbers}), PictureRequest(kind="scatter", x="x", y="y"))
    with drawn_figure(drawing) as figure:
        figure.canvas.draw()
        texts = [one.get_text() for axes in figure.axes for one in axes.get_yticklabels() + axes.get_xticklabels()]
    assert not any("$" in one or "\\" in one for one in texts) and "100" in texts


def test_a_year_is_laid_over_its_months_and_lines_break_at_gaps() -> None:
    days = ["2024-02-29", "2024-03-01", "2025-02-28", "2025-03-01"]
    table = comb.table(columns={"day": days, "kg": [1, 2, 3, 4]}).convert({"day": "date"})
    picture = table.draw("lines", x="day", y="kg", each_year=True)
    assert picture.data["year"].to_list() == ["2024", "2024", "2025", "2025"]
    assert picture.data["day"].to_list() == [59, 60, 58, 60]
    days = ["2025-01-01", "2025-01-02", "2025-01-03", "2025-01-04", "2025-06-01", "2025-09-01", "2025-09-02"]
    gaps = comb.table(columns={"day": days, "kg": list(range(7))}).convert({"day": "date"})
    request = PictureRequest(kind="lines", x="day", y="kg")
    marks = drawing_of(gaps, request).panels[0].marks
    line = next(one for one in marks if one.kind == "line")
    alone = next(one for one in marks if one.kind == "points")
    assert np.isnan(line.y).sum() == 2 and alone.y.tolist() == [4.0]
    assert "a line is broken where there is nothing for 6 times its usual step" in drawing_of(gaps, request).caption


def test_very_many_points_are_counted_and_none_is_lost() -> None:
    numbers = np.random.default_rng(3).normal(size=60_000)
    many = comb.table(
        columns={"x": numbers.tolist(), "y": (numbers**2).tolist(), "g": (numbers > 0).astype(int).tolist()}
    )
    picture = many.draw("scatter", x="x", y="y")
    assert sum(picture.data["rows"].to_list()) == 60_000 and "60,000 points are counted in cells" in picture.caption
    grouped = many.draw("scatter", x="x", y="y", by="g")
    assert "each g has a picture of its own" in grouped.caption
    assert sum(grouped.data["rows"].to_list()) == 60_000 and set(grouped.data["g"].to_list()) == {"0", "1"}
    times = comb.table(columns={"x": numbers.tolist(), "y": numbers.tolist()}).draw("lines", x="x", y="y")
    assert times.data.row_count <= 500 and "put together by parts of the axis" in times.caption


@pytest.mark.parametrize(
    ("given", "what", "hint"),
    [
        ({"kind": "histgram", "x": "kg"}, "there is no kind 'histgram'", "did you mean 'histogram'"),
        ({"kind": "histogram"}, "needs a column for x", "x='mites'"),
        ({"kind": "histogram", "x": "kgs"}, "kgs", "kg"),
        ({"kind": "histogram", "x": "site"}, "expected numbers, dates or times for x, site is string", "kind='bars'"),
        ({"kind": "histogram", "x": "kg", "y": "mites"}, "histogram takes no y", "bin_width"),
        ({"kind": "histogram", "x": "kg", "bin_width": 1e-9}, "would be 6,000,000,000", "at most 1,000"),
        ({"kind": "histogram", "x": "kg", "bin_width": -1}, "above 0", ""),
        ({"kind": "histogram", "x": "kg", "bins": 0}, "1 to 1,000 bars", ""),
        ({"kind": "histogram", "x": "kg", "bins": 5, "bin_width": 2}, "got both", ""),
        ({"kind": "histogram", "x": "kg", "log": "z"}, "log", "expected a list with x or y"),
        ({"kind": "histogram", "x": "kg", "x_limits": [1]}, "expected two x_limits", ""),
        ({"kind": "histogram", "x": "kg", "x_limits": [9, 1]}, "from the lower to the higher", ""),
        ({"kind": "histogram", "x": "day", "x_limits": ["may", "june"]}, "dates as 2026-05-01", ""),
        ({"kind": "histogram", "x": "day", "log": "x"}, "not logarithmic: day", ""),
        ({"kind": "bars", "x": "site", "value": "sum"}, "sum needs a column for y", "value='count'"),
        ({"kind": "bars", "x": "site", "y": "day", "value": "max"}, "bars stand for amounts", ""),
        ({"kind": "bars", "x": "site", "error_bars": True}, "name the column for y", ""),
        ({"kind": "lines", "x": "kg", "y": "mites", "each_year": True}, "needs dates on x", ""),
        ({"kind": "lines", "x": "day", "y": "kg", "by": "site", "each_year": True}, "does not go with by", ""),
        ({"kind": "lines", "x": "day", "y": "kg", "by": "site", "emphasise": "Fix"}, "Fix", "Fox"),
        ({"kind": "lines", "x": "day", "y": "kg", "trend": "median", "window": 1}, "window of 2 points", ""),
        ({"kind": "lines", "x": "day", "y": "kg", "value": "midpoint"}, "value", "expected count, sum, mean"),
        ({"kind": "boxes", "y": "kg", "x": "site", "by": "day"}, "by one column", "panels"),
        ({"kind": "missing", "by": "site"}, "mean nothing for missing", "where"),
        ({"kind": "histogram", "x": "kg", "where": "kgs > 1"}, "kgs", "kg"),
    ],
)
def test_what_cannot_be_drawn_is_said_with_what_can(given: dict, what: str, hint: str) -> None:
    with pytest.raises(comb.CombError) as raised:
        HIVES.draw(**given)
    assert what in str(raised.value) and hint in str(raised.value)


KINDS = ("histogram", "bars", "lines", "scatter", "boxes", "missing")


@given(tables(), st.data())
def test_any_table_is_drawn_or_says_why_not(table: comb.Table, data: st.DataObject) -> None:
    names = st.sampled_from(["", *table.names])
    kind = data.draw(st.sampled_from(KINDS))
    given = {"kind": kind, **{one: data.draw(names) for one in ("x", "y", "by", "panels")}}
    given |= data.draw(
        st.fixed_dictionaries(
            {},
            optional={
                "trend": st.sampled_from(["line", "local", "median"]),
                "log": st.lists(st.sampled_from(["x", "y"]), max_size=2, unique=True),
                "value": st.sampled_from(["count", "mean", "median", "sum"]),
                "bins": st.integers(1, 30),
                "error_bars": st.booleans(),
            },
        )
    )
    try:
        drawing = drawing_of(table, PictureRequest(**given))
    except comb.CombError:
        return
    # Rows are drawn or left out, and that is said.
    assert f"n = {table.row_count:,}" in drawing.caption or "left out" in drawing.caption
    if kind == "histogram":
        left = sum(
            int(one.split(" ")[0].replace(",", "")) for one in drawing.caption.split("; ") if " left out: " in one
        )
        # Where all are left out there is nothing drawn, and nothing in the numbers.
        drawn = drawing.data["rows"].to_list() if "rows" in drawing.data else []
        assert sum(drawn) == table.row_count - left


@settings(max_examples=drawn(12))
@given(tables(), st.sampled_from(KINDS), st.data())
def test_what_has_numbers_can_be_rendered(table: comb.Table, kind: str, data: st.DataObject) -> None:
    names = st.sampled_from(table.names)
    given = {name: data.draw(names) for name in {"histogram": "x", "bars": "x", "missing": ""}.get(kind, "xy")}
    try:
        drawing = drawing_of(table, PictureRequest(kind=kind, **given))  # type: ignore[arg-type]
    except comb.CombError:
        return
    content, _ = render(drawing, "svg")
    assert content.startswith(b"<?xml") and b"<svg" in content


def test_empty_tables_say_that_there_is_nothing() -> None:
    none = HIVES.filter("kg > 1000")
    for asked in (
        {"kind": "histogram", "x": "kg"}, {"kind": "histogram", "x": "day", "by": "site"}, {"kind": "bars", "x": "site"},
        {"kind": "bars", "x": "site", "y": "kg", "by": "kg"}, {"kind": "lines", "x": "day", "y": "kg", "by": "site"},
        {"kind": "scatter", "x": "kg", "y": "mites", "trend": "local"}, {"kind": "boxes", "y": "kg", "by": "site"},
        {"kind": "boxes", "y": "kg", "panels": "site"}, {"kind": "missing"},
    ):  # fmt: skip
        picture = none.draw(**asked)  # type: ignore[arg-type]
        assert picture.to_bytes("png").startswith(b"\x89PNG") and picture.data.row_count == 0, asked
        assert "nothing to draw" in picture.title or "no cells" in picture.title
    hollow = comb.table(columns={"kg": [None, None]}).convert({"kg": "number"})
    assert "2 left out: kg is missing (2 blank)" in hollow.draw("histogram", x="kg").title


LONG = "Apiary at the far end of the long lane behind the old mill by the brook"
CROWDED = comb.table(
    columns={
        "place": [f"{LONG} {at}" for at in range(40)] * 3,
        "year": [1990 + at % 35 for at in range(120)],
        "day": [f"{1990 + at % 35}-0{1 + at % 9}-11" for at in range(120)],
        "t": [at * 1000.5 for at in range(120)],
        "g": [f"group {at % 5}" for at in range(120)],
    }
).convert({"day": "date"})


@pytest.mark.parametrize(
    "given",
    [
        {"kind": "histogram", "x": "year"},
        {"kind": "histogram", "x": "day", "panels": "g"},
        {"kind": "bars", "x": "place"},
        {"kind": "bars", "x": "year"},
        {"kind": "bars", "x": "g", "y": "t", "by": "year"},
        {"kind": "lines", "x": "day", "y": "t", "by": "g"},
        {"kind": "lines", "x": "day", "y": "t", "each_year": True},
        {"kind": "scatter", "x": "t", "y": "year", "by": "g"},
        {"kind": "scatter", "x": "day", "y": "t", "log": ["y"], "panels": "g"},
        {"kind": "boxes", "y": "t", "by": "place"},
        {"kind": "missing"},
    ],
)
def test_labels_of_ticks_never_overlap(given: dict) -> None:
    drawing = drawing_of(CROWDED, PictureRequest(**given))
    with drawn_figure(drawing) as figure:
        figure.canvas.draw()
        width, height = figure.canvas.get_width_height()
        for axes in figure.axes:
            for axis in (axes.xaxis, axes.yaxis):
                shown = [one for one in axis.get_majorticklabels() if one.get_visible() and one.get_text()]
                boxes = [one.get_window_extent() for one in shown]
                limits = sorted(axis.get_view_interval())
                inside = [
                    box
                    for box, place in zip(boxes, axis.get_majorticklocs()[: len(boxes)], strict=False)
                    if limits[0] <= place <= limits[1]
                ]
                for at, box in enumerate(inside):
                    assert not any(box.overlaps(other) for other in inside[at + 1 :]), [one.get_text() for one in shown]
                    assert box.x0 >= -1 and box.x1 <= width + 1 and box.y0 >= -1 and box.y1 <= height + 1
                if given.get("x") == "year" and axis is axes.xaxis:
                    assert all("." not in one.get_text() for one in shown)


def test_the_same_input_gives_the_same_bytes_whatever_lies_about(tmp_path: Path) -> None:
    (tmp_path / "matplotlibrc").write_text("axes.facecolor: red\nfont.size: 30\nsavefig.dpi: 30\n")
    program = """
import comb, hashlib, sys
table = comb.table(columns={"kg": [1, 2, 2, 5], "site": ["a", "$x^2$", "_b", "a"]})
for kind in ("png", "svg"):
    print(hashlib.sha256(table.draw("bars", x="site", y="kg").to_bytes(kind)).hexdigest())
"""
    found = set()
    for backend in ("Agg", "no such thing", ""):
        environment = {**os.environ, "MPLBACKEND": backend}
        done = subprocess.run(
            [sys.executable, "-c", program], cwd=tmp_path, env=environment, capture_output=True, text=True, check=True
        )
        found.add(done.stdout)
    import matplotlib

    before = {name: matplotlib.rcParams[name] for name in matplotlib.rcParams if name != "backend"}
    table = comb.table(columns={"kg": [1, 2, 2, 5], "site": ["a", "$x^2$", "_b", "a"]})
    import hashlib

    mine = "".join(
        hashlib.sha256(table.draw("bars", x="site", y="kg").to_bytes(kind)).hexdigest() + "\n"
        for kind in ("png", "svg")
    )
    assert found == {mine}
    # Nothing is left behind in what all of a program shares.
    assert {name: matplotlib.rcParams[name] for name in before} == before and "matplotlib.pyplot" not in sys.modules


def test_saving_writes_picture_and_numbers_or_neither(tmp_path: Path) -> None:
    picture = HIVES.draw("bars", x="site")
    picture.save(tmp_path / "sites.png", numbers=tmp_path / "sites.csv")
    assert comb.load(tmp_path / "sites.csv")["count"].to_list() == [16, 8]
    from PIL import Image

    with Image.open(tmp_path / "sites.png") as image:
        assert image.size == (1280, 800)
    with pytest.raises(comb.WriteError, match="already"):
        picture.save(tmp_path / "more.png", numbers=tmp_path / "sites.csv")
    with pytest.raises(comb.ParameterError, match="stand beside their picture"):
        picture.save(tmp_path / "more.png", numbers=tmp_path.parent / "sites.csv")
    with pytest.raises(comb.ParameterError, match=r"ends in .png, .svg and .pdf|\.png"):
        picture.save(tmp_path / "more.gif")
    assert sorted(one.name for one in tmp_path.iterdir()) == ["sites.csv", "sites.png"]
    assert set(picture._repr_mimebundle_()) == {"image/png", "text/plain"}
    strange = comb.table(columns={"x": ["\ue000", "a\x1b[31m"]}).draw("bars", x="x")
    assert b"\x1b" not in strange.to_bytes("svg") and "1 character of the labels cannot be drawn" in strange.notes[0]


def test_the_command_draws_and_says_what(demo: Path) -> None:
    made = run_comb(
        "draw",
        "inspections.csv",
        "--kind",
        "histogram",
        "--x",
        "mites",
        "--out",
        "m.svg",
        "--numbers",
        "m.csv",
        cwd=demo,
    )
    assert made.code == 0 and "Half of the 2,386 values of mites lie between 3 and 11" in made.err
    assert "14 left out: mites is missing (14 marker)" in made.err and (demo / "m.svg").read_bytes().startswith(
        b"<?xml"
    )
    assert sum(comb.load(demo / "m.csv")["rows"].to_list()) == 2386
    as_json = run_comb(
        "draw", "harvest.xlsx", "--table", "Keepers", "--kind", "missing", "--out", "k.png", "--json", cwd=demo
    )
    assert as_json.code == 0 and '"caption": "n = ' in as_json.out
    for arguments, what in (
        (["--kind", "pie", "--out", "x.png"], "there is no kind 'pie'"),
        (["--kind", "bars", "--x", "quen", "--out", "x.png"], "did you mean 'queen'"),
        (["--kind", "bars", "--x", "queen", "--out", "m.svg"], "already"),
        (["--kind", "bars", "--x", "queen", "--out", "x.bmp"], "a picture cannot be written"),
        (["--kind", "bars", "--x", "queen", "--out", "no/x.png"], "no"),
    ):
        failed = run_comb("draw", "inspections.csv", *arguments, cwd=demo)
        assert failed.code == 2 and what in failed.err and not (demo / "x.png").exists()


PLAN = """
source: inspections.csv
steps:
  - {step: convert, columns: {mites: integer}, missing: ["999", "-"]}
pictures:
  - {kind: histogram, x: mites, file: mites.svg}
  - {kind: bars, x: queen, file: queens.png}
save: tidy
"""


def test_a_plan_draws_its_pictures_with_the_dataset(demo: Path) -> None:
    place = demo / "draw.yaml"
    place.write_text(PLAN)
    plan = comb.Plan.load(place)
    dry = plan.run(dry_run=True)
    assert dry.pictures[0].title == "Half of the 2,319 values of mites lie between 3 and 11"
    assert not (demo / "tidy").exists()
    plan.run()
    assert (demo / "tidy" / "mites.svg").read_bytes() == dry.pictures[0].content
    assert "all 19 files as saved" in run_comb("inspect", "tidy", cwd=demo).out or comb.inspect(demo / "tidy").tables
    assert b"data:image/svg+xml;base64," in (demo / "tidy" / "report.html").read_bytes()
    # No picture is lost where its table is in no folder.
    apart = (
        PLAN.replace("source:", "tables:\n  visits:\n    source:")
        .replace("\nsteps", "\n    steps")
        .replace("\npictures", "\n    pictures")
    )
    apart = apart.replace("\n  - {", "\n      - {").replace(
        "save: tidy", "  few:\n    from_table: visits\nsave: {to: apart, tables: few}"
    )
    place.write_text(apart)
    comb.Plan.load(place).run()
    assert (demo / "apart" / "mites.svg").is_file() and not (demo / "apart" / "visits.csv").exists()
    # Saved to one file, they stand beside it.
    place.write_text(PLAN.replace("save: tidy", "save: out.csv"))
    comb.Plan.load(place).run()
    assert (demo / "out.csv").is_file() and (demo / "queens.png").is_file()
    with pytest.raises(comb.WriteError, match="already"):
        (demo / "out.csv").unlink()
        comb.Plan.load(place).run()
    assert not (demo / "out.csv").exists()


@pytest.mark.parametrize(
    ("old", "new", "what"),
    [
        ("kind: histogram", "kind: histogam", "line 6: there is no kind 'histogam'"),
        ("file: mites.svg", "file: ../mites.svg", "line 6: expected a plain name"),
        ("file: mites.svg", "file: mites.gif", "line 6: a picture cannot be written"),
        (", file: mites.svg", "", "line 6: expected a plain name"),
        ("file: mites.svg", "file: queens.png", "line 7: two pictures would be called 'queens.png'"),
        ("x: mites", "x: mites, colour: red", "line 6: there is no field 'colour'"),
        ("x: mites", "x: mitse", "line 6, picture 1"),
        ("x: mites", "x: mites, bins: many", "line 6: bins"),
    ],
)
def test_slips_in_pictures_of_a_plan_are_said_with_their_line(demo: Path, old: str, new: str, what: str) -> None:
    (demo / "draw.yaml").write_text(PLAN.replace(old, new, 1))
    with pytest.raises(comb.PlanError if "picture 1" not in what else comb.CombError) as raised:
        comb.Plan.load(demo / "draw.yaml").run()
    said = str(raised.value)
    assert what in said or (what.partition(": ")[0] in said and what.partition(": ")[2] in said), said
    assert not (demo / "tidy").exists()
