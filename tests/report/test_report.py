"""The report: what it says, that data in it are inert, and that it can be read in a browser at any size."""

import html
import json
import re
import shutil
import subprocess
from html.parser import HTMLParser
from pathlib import Path

import pytest

import comb
from support.running import run_comb

BROWSER = shutil.which("chromium") or shutil.which("chromium-browser")
in_a_browser = pytest.mark.skipif(
    BROWSER is None, reason="there is no Chromium on this machine: the page was not opened"
)

NASTY = "</td></table><script>alert(1)</script><img src=x onerror=alert(2)>\"' {{ 7*7 }} \u202eevil\u2066 \x1b[31m\x00 &amp; |`*_"


class Texts(HTMLParser):
    """The tags and attributes of a page, and its text."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.text = ""
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append((tag, dict(attrs)))

    def handle_data(self, data: str) -> None:
        self.text += data


@pytest.fixture
def ran(demo: Path) -> Path:
    """The demo's plan, which has two pictures, run."""
    comb.Plan.load(demo / "plan.yaml").run()
    return demo


def test_a_report_begins_with_the_answer(ran: Path) -> None:
    outcome = comb.Plan.load(ran / "plan.yaml").run(dry_run=True)
    report = outcome.report()
    assert report.parts.answer() == [
        "inspections: 2,362 rows and 14 columns, from inspections.csv",
        "frames: 4,681 rows and 5 columns, from inspections.csv",
        "Every row is accounted for: the ledger adds up over 16 steps.",
        "2 rules: 2 met; 1 could not be checked in some rows.",
        "14 rows were set aside, with the reason; none is lost.",
    ]
    assert len(report.parts.matters()) == 3 and report.parts.matters()[0][0] == "would give wrong numbers"
    page = Texts(report.html)
    for said in (
        "What became of the rows", "8 set aside", "net_kg = gross_kg - tare_kg", "Were visits with 0 brood frames counted",
        "Settled", "there is a note only where something was seen", "mites between 0 and 300",
    ):  # fmt: skip
        assert said in page.text, said
    assert [tag for tag, _ in page.tags].count("img") == 2
    # The folder's own report, and one made of the folder alone, say the same.
    saved = (ran / "tidy" / "report.html").read_text()
    assert outcome.report().html.replace("plan.yaml", "") == saved.replace("plan.yaml", "") or "2,362 rows" in saved
    again = comb.make_report(ran / "tidy")
    assert {one.partition(", from")[0] for one in again.parts.answer()} == {
        one.partition(", from")[0] for one in report.parts.answer()
    }
    assert [one.title for one in again.parts.pictures] == [one.title for one in report.parts.pictures]
    assert report.html == outcome.report().html


def test_a_report_of_a_file_shows_what_each_remedy_would_change(demo: Path) -> None:
    report = comb.make_report(demo / "inspections.csv")
    part = report.parts.tables[0]
    stand_in = next(one for one in part.findings or () if one.code == "missing.stand_in")
    assert stand_in.effect == "67 cells changed" and stand_in.examples[0].before == "999"
    assert stand_in.examples[0].after.startswith("(marker)")
    assert ("delimiter", "semicolon") in [one[:2] for one in part.reading]
    steps = (
        comb.load(demo / "inspections.csv")
        .filter("mites < 999", why="not counted")
        .set_aside("honey_frames < 0", reason="odd")
    )
    mine = steps.report()
    assert [one.step for one in mine.parts.tables[0].flow] == ["load", "filter", "set_aside"]
    assert mine.parts.tables[0].aside_count == 4 and "odd" in mine.html and "not counted" in mine.markdown
    assert comb.make_report(demo / "scales.jsonl").parts.tables[0].aside_count == 1
    empty = comb.load(demo / "inspections.csv").filter("mites < -1").report()
    assert "0 rows" in empty.html and empty.markdown


def test_whatever_is_in_the_data_is_inert(tmp_path: Path) -> None:
    names = [NASTY, "b"]
    table = comb.table(rows=[[NASTY, 1], [f" {NASTY}", 2], [None, 3]] * 9, names=names)
    table.save(tmp_path / "x.csv")
    report = comb.load(tmp_path / "x.csv").recode(NASTY, values={NASTY: f"{NASTY}2"}, why=NASTY).report()
    page = Texts(report.html)
    allowed = {
        "html", "head", "meta", "title", "style", "body", "a", "header", "main", "section", "nav", "ul", "ol", "li", "h1", "h2", "h3",
        "h4", "p", "table", "caption", "thead", "tbody", "tr", "th", "td", "br", "span", "code", "article", "dl", "dt", "dd", "strong",
        "svg", "rect", "div", "figure", "img", "figcaption",
    }  # fmt: skip
    assert {tag for tag, _ in page.tags} <= allowed
    for tag, attributes in page.tags:
        assert not any(name.startswith("on") for name in attributes), tag
        for name in ("src", "href"):
            value = attributes.get(name) or ""
            assert value.startswith(("#", "data:image/")) or not value
    assert "49" not in re.findall(r"\{\{ 7\*7 \}\}|49", page.text) and "{{ 7*7 }}" in page.text
    for strange in ("\u202e", "\u2066", "\x1b", "\x00"):
        assert strange not in report.html and strange not in report.markdown
    # What is code stands between more marks than it has itself.
    assert "<script" not in re.sub(r"(`+)(?!`).*?(?<!`)\1(?!`)", "", report.markdown)
    shown = [comb.load(tmp_path / "x.csv"), table.profile(), table.summary(NASTY), table.summary(), comb.inspect(tmp_path / "x.csv"),
             table.compare_groups("b", NASTY), report]  # fmt: skip
    for one in shown:
        inside = Texts(one._repr_html_())
        assert {tag for tag, _ in inside.tags} <= allowed | {"pre", "iframe"}, type(one)
        assert "\x1b" not in repr(one) and "\u202e" not in repr(one)


def test_many_columns_make_no_large_page() -> None:
    wide = comb.table(columns={f"column {at}": [f"v{at}", None, "w" * 40, "x"] * 50 for at in range(200)})
    assert len(wide.report().html) < 2_000_000


def test_saving_and_the_command(ran: Path) -> None:
    report = comb.make_report(ran / "apiaries.csv")
    report.save(ran / "a.html")
    assert (ran / "a.html").read_text() == report.html
    with pytest.raises(comb.WriteError, match="already"):
        report.save(ran / "a.html")
    with pytest.raises(comb.ParameterError, match="ends in"):
        report.save(ran / "a.docx")
    for source in (
        ["inspections.csv"],
        ["plan.yaml"],
        ["tidy"],
        ["harvest.xlsx", "--table", "Keepers"],
        ["apiaries.csv", "--rows", "3"],
    ):
        made = run_comb("report", *source, "--out", "r.md", "--overwrite", cwd=ran)
        assert made.code == 0 and "saved: r.md" in made.err, made.err
        assert (ran / "r.md").read_text().startswith("# Report: ")
    as_json = json.loads(run_comb("report", "apiaries.csv", "--out", "j.html", "--json", cwd=ran).out)
    assert as_json["answer"][0].startswith("apiaries: 8 rows")
    (ran / "other").mkdir()
    for arguments, what in (
        (["nothing.csv", "--out", "z.html"], "nothing.csv"), (["apiaries.csv", "--out", "z.pdf"], "cannot be written"),
        (["apiaries.csv", "--out", "a.html"], "already"), (["plan.yaml", "--skip", "3", "--out", "z.html"], "a plan says itself"),
        (["other", "--out", "z.html"], "folder"),
    ):  # fmt: skip
        failed = run_comb("report", *arguments, cwd=ran)
        assert failed.code == 2 and what in failed.err and not (ran / "z.html").exists(), failed.err


def test_a_folder_without_a_report_and_one_that_was_changed(demo: Path) -> None:
    plan = demo / "plan.yaml"
    plan.write_text(plan.read_text().replace("save: tidy", "save: {to: tidy, report: false}"))
    comb.Plan.load(plan).run()
    assert not (demo / "tidy" / "report.html").exists()
    (demo / "tidy" / "inspections.csv").write_bytes((demo / "tidy" / "inspections.csv").read_bytes() + b"\r\n")
    assert any("inspections.csv" in note for note in comb.make_report(demo / "tidy").parts.notes)


MEASURE = """
<script>
const frame = document.querySelector('iframe');
frame.onload = () => {
  const page = frame.contentDocument, width = frame.clientWidth;
  const wide = [...page.querySelectorAll('body *')].filter(one => {
    const box = one.getBoundingClientRect(), style = frame.contentWindow.getComputedStyle(one);
    return style.position !== 'absolute' && (box.right > width + 1 || one.scrollWidth > one.clientWidth + 1 && style.display !== 'inline' && one.clientWidth);
  }).map(one => one.tagName + '.' + one.className.toString() + ':' + one.textContent.slice(0, 40));
  document.title = JSON.stringify({wide: wide.filter(one => !one.startsWith('A.skip')),
    loaded: frame.contentWindow.performance.getEntriesByType('resource').filter(one => !one.name.startsWith('data:')).length,
    headings: page.querySelectorAll('h1').length, captions: [...page.querySelectorAll('table')].every(one => one.caption)});
};
</script>
"""


@in_a_browser
@pytest.mark.parametrize("width", [390, 1280])
def test_the_page_fits_and_loads_nothing(ran: Path, tmp_path: Path, width: int) -> None:
    long = "a-name-without-any-break-that-goes-on-and-on-" * 3
    odd = comb.table(columns={long: [long * 4, NASTY, None] * 9, "n": list(range(27))})
    odd.save(tmp_path / "odd.csv")
    pages = [(ran / "tidy" / "report.html").read_text(), comb.make_report(ran / "inspections.csv").html,
             comb.load(tmp_path / "odd.csv").filter("n > 3", why=long * 3).report().html]  # fmt: skip
    for page in pages:
        place = tmp_path / "frame.html"
        place.write_text(
            f'<body style="margin:0"><iframe style="border:0;width:{width}px;height:900px" srcdoc="{html.escape(page)}"></iframe>{MEASURE}'
        )
        done = subprocess.run(
            [str(BROWSER), "--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=1400,1000", "--enable-logging=stderr", "--v=0",
             "--virtual-time-budget=4000", f"--user-data-dir={tmp_path / 'browser'}", "--dump-dom", place.as_uri()],
            capture_output=True, text=True, timeout=120,
        )  # fmt: skip
        found = json.loads(html.unescape(done.stdout.partition("<title>")[2].partition("</title>")[0]))
        assert found == {"wide": [], "loaded": 0, "headings": 1, "captions": True}
        said = [line for line in done.stderr.splitlines() if "CONSOLE" in line and place.name in line]
        assert not said


def test_contrast_is_enough() -> None:
    style = (Path(comb.__file__).parent / "report" / "templates" / "report.css").read_text()
    schemes = re.findall(r":root \{ ([^}]*--text[^}]*)\}", style)
    assert len(schemes) == 3
    for scheme in schemes:
        colours = dict(re.findall(r"--(\w+): (#[0-9a-f]{6})", scheme))
        for name in ("text", "quiet", "blue", *(["bad"] if "bad" in colours else [])):
            for ground in ("page", "soft"):
                assert contrast(colours[name], colours[ground]) >= 4.5, (name, ground, scheme)


def contrast(one: str, other: str) -> float:
    """The contrast of two colours as the Web Content Accessibility Guidelines 2.2 define it."""
    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def luminance(colour: str) -> float:
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
