"""What the documents show is what comes out, and the examples run."""

import contextlib
import io
import re
import runpy
from pathlib import Path

import pytest

from comb.steps.catalogue import STEPS
from support.running import run_comb

ROOT = Path(__file__).parents[1]
README = (ROOT / "README.md").read_text(encoding="utf-8")


def blocks(language: str) -> list[str]:
    return re.findall(rf"```{language}\n(.*?)```", README, re.DOTALL)


@pytest.fixture
def beside_the_demo(tmp_path: Path, demo: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    (tmp_path / "comb-demo").mkdir()
    (demo / "inspections.csv").rename(tmp_path / "comb-demo" / "inspections.csv")
    monkeypatch.chdir(tmp_path)
    return tmp_path


def test_the_python_example_of_the_readme(beside_the_demo: Path) -> None:
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        exec(blocks("python")[0], {})
    assert out.getvalue() == blocks("text")[0]


def test_the_plan_of_the_readme(beside_the_demo: Path) -> None:
    (beside_the_demo / "plan.yaml").write_text(blocks("yaml")[0], encoding="utf-8")
    ran = run_comb("run", "plan.yaml", cwd=beside_the_demo)
    expected = blocks("text")[2].split("\n", 1)[1]
    assert (ran.out + ran.err).strip() == expected.strip()


@pytest.mark.parametrize("script", sorted(path.name for path in (ROOT / "examples").glob("*.py")))
def test_examples_run(script: str) -> None:
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        runpy.run_path(str(ROOT / "examples" / script), run_name="__main__")
    assert len(out.getvalue().splitlines()) > 10
    if script == "questions.py":
        assert out.getvalue() == blocks("text")[1]


def test_links_and_pictures_of_the_documents_are_there() -> None:
    for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
        for link in re.findall(r"\]\(([^)#]+)", page.read_text(encoding="utf-8")):
            assert link.startswith("https://") or (page.parent / link).exists(), f"{page.name}: {link}"
    shown = set(re.findall(r"screenshots/([\w-]+\.png)", README))
    assert shown == {path.name for path in (ROOT / "docs" / "screenshots").iterdir()} and len(shown) < 20


def test_the_changelog_names_every_step() -> None:
    text = (ROOT / "CHANGELOG.md").read_text(encoding="utf-8")
    assert all(name in text for name in STEPS)
