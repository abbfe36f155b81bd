"""What the documents show is what comes out, and the examples run."""

import ast
import contextlib
import io
import json
import re
import runpy
import shlex
from pathlib import Path

import pytest

import comb
from comb.interface.pages import EXAMPLES, SOURCES, dataset_page, examples_as_plan, steps_page
from comb.interface.reshape_page import reshape_page
from comb.plans.model import Accepted, ColumnText, Rule, Save, TablePlan
from comb.plans.parse import read_plan
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
    expected = blocks("text")[1].split("\n", 1)[1]
    assert (ran.out + ran.err).strip() == expected.strip()
    command, _, expected = blocks("text")[2].partition("\n")
    assert run_comb(*command.split()[2:], cwd=beside_the_demo).out == expected


@pytest.mark.parametrize("script", sorted(path.name for path in (ROOT / "examples").glob("*.py")))
def test_examples_run(script: str) -> None:
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        runpy.run_path(str(ROOT / "examples" / script), run_name="__main__")
    assert len(out.getvalue().splitlines()) > 10


def test_the_notebook_runs_and_every_result_shows_itself(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    notebook = json.loads((ROOT / "examples" / "season.ipynb").read_text(encoding="utf-8"))
    monkeypatch.chdir(tmp_path)
    names: dict[str, object] = {}
    shown = []
    for cell in notebook["cells"]:
        code = ast.parse("".join(cell["source"])) if cell["cell_type"] == "code" else ast.parse("")
        last = code.body.pop() if code.body and isinstance(code.body[-1], ast.Expr) else None
        exec(compile(code, "<cell>", "exec"), names)
        if last is not None:
            result = eval(compile(ast.Expression(last.value), "<cell>", "eval"), names)
            page = getattr(result, "_repr_html_", lambda: "")()
            shown.append(type(result).__name__)
            assert len(repr(result)) > 20 and (page or shown[-1] in ("Traces", "Plan", "Picture"))
    assert shown == ["Table", "ShownProfile", "Ledger", "Picture", "ShownComparison", "Traces", "Plan"]
    assert all(cell.get("outputs", []) == [] for cell in notebook["cells"])


def test_the_commands_of_the_pages_about_looking_run(beside_the_demo: Path) -> None:
    for name in ("plan.yaml", "answers.csv"):
        (beside_the_demo / name).rename(beside_the_demo / "comb-demo" / name)
    comb.Plan.load(beside_the_demo / "comb-demo" / "plan.yaml").run()
    found = []
    for page in ("pictures.md", "compare.md", "large.md"):
        text = (ROOT / "docs" / page).read_text(encoding="utf-8")
        found += [block.replace("\\\n", " ") for block in re.findall(r"```sh\n(.*?)```", text, re.DOTALL)]
    assert len(found) >= 7
    for command in found:
        words = shlex.split(command)
        ran = run_comb(*words[1:], cwd=beside_the_demo)
        assert words[0] == "comb" and ran.code == 0, ran.err
    assert {path.name for path in beside_the_demo.glob("*.png")} == {
        f"{kind}.png" for kind in ("histogram", "bars", "lines", "scatter", "boxes", "missing")
    }


def test_links_and_pictures_of_the_documents_are_there() -> None:
    for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
        for link in re.findall(r"\]\(([^)#]+)", page.read_text(encoding="utf-8")):
            assert link.startswith("https://") or (page.parent / link).exists(), f"{page.name}: {link}"
    shown = set(re.findall(r"screenshots/([\w-]+\.png)", README))
    assert shown == {path.name for path in (ROOT / "docs" / "screenshots").iterdir()} and len(shown) < 20


def test_the_changelog_names_every_step() -> None:
    text = (ROOT / "CHANGELOG.md").read_text(encoding="utf-8")
    assert all(name in text for name in STEPS)


def test_the_pages_made_from_the_code_are_what_it_makes() -> None:
    for page, text in (("steps.md", steps_page()), ("dataset.md", dataset_page()), ("reshape.md", reshape_page())):
        assert (ROOT / "docs" / page).read_text(encoding="utf-8") == text.rstrip("\n") + "\n", (
            f"python -m comb.interface.pages docs ({page})"
        )
    assert set(EXAMPLES) == set(STEPS)


def test_the_examples_of_the_steps_are_a_plan_that_runs(tmp_path: Path) -> None:
    for name, data in SOURCES.items():
        (tmp_path / f"{name}.csv").write_bytes(data)
    (tmp_path / "plan.yaml").write_text(examples_as_plan(), encoding="utf-8")
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True)
    assert outcome.adds_up and len(outcome.tables) == len(SOURCES) + len(STEPS)
    for name in STEPS:
        [entry] = outcome.ledger[f"after {name}"]
        assert entry.counts() != "nothing changed", name


def test_the_page_of_plans_explains_every_field_and_its_examples_are_plans() -> None:
    text = (ROOT / "docs" / "plans.md").read_text(encoding="utf-8")
    for kind in (TablePlan, Rule, Save, Accepted, ColumnText):
        for field in kind.__struct_fields__:
            assert f"`{field}`" in text or field in ("lines", "rule_lines", "picture_lines"), f"{kind.__name__}.{field}"
    examples = re.findall(r"```yaml\n(.*?)```", text, re.DOTALL)
    assert len(examples) > 4
    for example in examples:
        assert read_plan(example, "plans.md").tables
