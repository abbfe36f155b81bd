"""Which kernels are in use, and what is said where the compiled ones cannot be."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import comb
from comb.kernels import dispatch
from comb.kernels.compiled import APART, MODULES

PACKAGE = Path(comb.__file__).parent


def version(folder: Path, **environment: str) -> str:
    """Return what `comb --version` says of the package in a folder."""
    done = subprocess.run(
        [sys.executable, "-c", "from comb.cli.main import main; main()", "--version"],
        env={**os.environ, "PYTHONPATH": str(folder), "PYTHONSAFEPATH": "1", "COMB_KERNELS": "", **environment},
        cwd=folder, capture_output=True, text=True, check=False,
    )  # fmt: skip
    return done.stdout + done.stderr


WORK = """
import comb
table = comb.load("visits.csv").aggregate({"kg": "sum(kg)", "day": "max(day)", "n": "count(*)"}, by="hive")
table.save("sums.csv", overwrite=True)
lines = comb.load("scales.jsonl")
lines.save("scales.csv", overwrite=True)
print(open("sums.csv").read(), open("scales.csv").read(), table.profile().findings, comb.load("prices.csv").types)
"""


def worked_on(folder: Path) -> str:
    """Return what comes of some work with the package in a folder."""
    (folder / "visits.csv").write_text(
        "hive,day,kg\n" + "".join(f'"h, {at % 7}",2026-05-{at % 28 + 1:02},{at}.1\n' for at in range(90))
    )
    (folder / "scales.jsonl").write_text("".join(f'{{"n": {at}, "text": "calm {at % 3}"}}\n' for at in range(30)))
    (folder / "prices.csv").write_text("price\n" + "".join(f'"{at}.000,5 €"\n' for at in range(1, 30)))
    done = subprocess.run(
        [sys.executable, "-c", WORK],
        env={**os.environ, "PYTHONPATH": str(folder), "PYTHONSAFEPATH": "1", "COMB_KERNELS": ""},
        cwd=folder, capture_output=True, text=True, check=True,
    )  # fmt: skip
    return done.stdout


@pytest.fixture(scope="module")
def copied(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with a copy of the package."""
    folder = tmp_path_factory.mktemp("package")
    shutil.copytree(PACKAGE, folder / "comb", ignore=shutil.ignore_patterns("__pycache__", "data"))
    # As in a source folder, where modules may be older than the rest.
    (folder / "comb" / "kernels" / "compiled" / "_split.pyx").touch()
    return folder


def test_the_choice_is_said_and_may_be_overridden(copied: Path) -> None:
    assert "reference kernels (plain Python), as COMB_KERNELS asks for" in version(copied, COMB_KERNELS="reference")
    assert "expected COMB_KERNELS to be reference or compiled, got 'fast'" in version(copied, COMB_KERNELS="fast")


@pytest.mark.skipif(not dispatch.kernels.compiled, reason="nothing is compiled here")
def test_modules_that_are_not_there_or_stale_are_named(copied: Path) -> None:
    assert version(copied).strip() == f"comb {comb.__version__}, compiled kernels"
    face = copied / "comb" / "kernels" / "compiled" / "__init__.py"
    text = face.read_text()
    face.write_text(text.replace("VERSION = ", "VERSION = 90"))
    stale = version(copied)
    assert "reference kernels" in stale and "install Comb again" in stale and "_split" in stale
    assert all(name in stale for name in MODULES)
    face.write_text(text)
    expected = worked_on(copied)
    for number, name in enumerate([*APART, "_cells"]):
        for built in copied.glob(f"comb/kernels/compiled/{name}.*so"):
            built.unlink()
        said = version(copied)
        kind = "reference kernels (plain Python)" if name == "_cells" else "compiled kernels, in part plain Python"
        gone = [one for one in MODULES if not list(copied.glob(f"comb/kernels/compiled/{one}.*so"))]
        assert f"{kind}, because {', '.join(gone)} could not be loaded: it was not built" in said, said
        assert number or f"{name} could not be loaded" in version(copied, COMB_KERNELS="compiled")
        assert worked_on(copied) == expected
