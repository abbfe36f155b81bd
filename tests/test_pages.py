"""The examples of the pages about first steps, tasks and Python run, and print what the pages show.

The blocks of a page are run one after the other beside the demo data. A block ``text`` below one shows what it prints;
a line ``...`` in it stands for any lines. With COMB_WRITE_PAGES=1 the outputs of a page are written anew.
"""

import contextlib
import io
import os
import re
import shlex
from pathlib import Path

import pytest

import comb
from comb.cli.page import command_page
from comb.demo.files import DEMO_FILES, demo_bytes
from comb.steps.catalogue import STEPS
from comb.tables.reasons import MEANING
from comb.tables.types import STORAGE
from support.running import run_comb

DOCS = Path(__file__).parents[1] / "docs"
PAGES = ("first-hour.md", "how-to.md", "python.md")
BLOCK = re.compile(r"```(python|sh)\n(.*?)```(?:\n\n```text\n(.*?)```)?", re.DOTALL)


def _output(language: str, code: str, names: dict[str, object]) -> str:
    """Run a block, and return what it prints."""
    if language == "python":
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            exec(compile(code, "<page>", "exec"), names)
        return out.getvalue()
    printed = ""
    for command in code.replace("\\\n", " ").strip().splitlines():
        words = shlex.split(command)
        assert words[0] == "comb", command
        ran = run_comb(*words[1:], cwd=Path.cwd())
        assert ran.code in (0, 1), ran.err
        printed += ran.out + "".join(line + "\n" for line in ran.err.splitlines() if line.startswith(("saved", "note")))
    return printed


def _plain(text: str) -> str:
    return "\n".join(line.rstrip() for line in text.strip("\n").splitlines())


def _matches(shown: str, printed: str) -> bool:
    pattern = ".*?".join(re.escape(part) for part in re.split(r"^\.\.\.$", _plain(shown), flags=re.MULTILINE))
    return re.fullmatch(pattern, _plain(printed), re.DOTALL) is not None


@pytest.mark.parametrize("page", PAGES)
def test_the_examples_of_a_page_print_what_it_shows(page: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "comb-demo").mkdir()
    for name in DEMO_FILES:
        (tmp_path / "comb-demo" / name).write_bytes(demo_bytes(name))
    place = DOCS / page
    text = place.read_text(encoding="utf-8")
    names: dict[str, object] = {}
    written, last = "", 0
    for block in BLOCK.finditer(text):
        printed = _output(block[1], block[2], names)
        if os.environ.get("COMB_WRITE_PAGES") and block[3] is not None:
            written += text[last : block.start(3)] + _plain(printed) + "\n"
            last = block.end(3)
        elif block[3] is not None:
            assert _matches(block[3], printed), f"{page}: {block[2]}\n{printed}"
    if written:
        place.write_text(written + text[last:], encoding="utf-8")
    assert len(BLOCK.findall(text)) >= 8


def test_the_page_of_errors_quotes_what_is_said() -> None:
    source = "\n".join(path.read_text(encoding="utf-8") for path in (DOCS.parent / "src").rglob("*.py"))
    said = re.sub(r'"\s*\n\s*f?"', "", source)
    rows = re.findall(r"^\| (`.*?) \|", (DOCS / "errors.md").read_text(encoding="utf-8"), re.MULTILINE)
    quoted = [text for row in rows for text in re.findall(r"`([^`]+)`", row)]
    assert len(quoted) > 20 and [text for text in quoted if text not in said] == []


def test_what_the_page_of_words_names_is_there() -> None:
    table = comb.table(
        {"apiary": ["Mill", "Elm"], "hive": ["a1", "b2"], "region": ["Plain", "Moor"], "queen": ["laying", "virgin"],
         "kg": [1.5, 2.0], "mites": [3, None], "note": ["Fed", "swarm"], "day": ["2025-05-01", "2025-05-02"], "x": ["1", "2"]}
    ).convert({"day": "date"})  # fmt: skip
    text = (DOCS / "words.md").read_text(encoding="utf-8")
    cells = [row.split(" | ", 1)[1] for row in text.splitlines() if row.startswith("| ") and " | " in row][1:]
    formulas = 0
    for cell in cells:
        for step in re.findall(r"steps? `(\w+)`", cell):
            assert step in STEPS, step
        for code in re.findall(r"`([^`]+)`", cell):
            if code.startswith("table."):
                eval(code, {"table": table})
            elif (
                re.match(r"((?!len)\w+\(|\w+ (like|in|is)|case |kg [-/])", code)
                and "..." not in code
                and "=" not in code
            ):
                window = " over " in code or not re.match(r"(avg|count|sum)\(", code)
                made = table.calculate({"made": code}) if window else table.aggregate({"made": code})
                assert "made" in made
                formulas += 1
    assert formulas > 15


def test_the_page_of_the_command_line_is_what_the_commands_say() -> None:
    page = (DOCS / "command-line.md").read_text(encoding="utf-8")
    assert page == command_page().rstrip("\n") + "\n", "python -m comb.cli.page docs"
    assert page.count("```json") == 11


def test_the_glossary_has_every_reason_and_type() -> None:
    page = (DOCS / "glossary.md").read_text(encoding="utf-8")
    assert all(f"| `{reason.word}` |" in page for reason in MEANING) and all(f"`{word}`" in page for word in STORAGE)
    table = comb.table({"apiary": ["Mill"], "net_kg": [1.5], "jan": [1], "dec": [2]})
    for selector in ("apiary", "*_kg", "jan:dec", "#1:#3"):
        assert f"`{selector}`" in page and table.select(selector).names
