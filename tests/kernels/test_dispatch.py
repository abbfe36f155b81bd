"""Which kernels are in use, and what is said where the compiled ones cannot be."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

import comb
from comb.kernels import dispatch
from comb.kernels.compiled import MODULES

PACKAGE = Path(comb.__file__).parent


def version(folder: Path, **environment: str) -> str:
    """Return what `comb --version` says of the package in a folder."""
    done = subprocess.run(
        [sys.executable, "-c", "from comb.cli.main import main; main()", "--version"],
        env={**os.environ, "PYTHONPATH": str(folder), "PYTHONSAFEPATH": "1", "COMB_KERNELS": "", **environment},
        cwd=folder, capture_output=True, text=True, check=False,
    )  # fmt: skip
    return done.stdout + done.stderr


@pytest.fixture(scope="module")
def copied(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with a copy of the package."""
    folder = tmp_path_factory.mktemp("package")
    shutil.copytree(PACKAGE, folder / "comb", ignore=shutil.ignore_patterns("__pycache__", "data"))
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
    for built in copied.glob("comb/kernels/compiled/_sheet.*.so"):
        built.unlink()
    assert "because _sheet could not be loaded: it was not built" in version(copied)
    assert "_sheet could not be loaded" in version(copied, COMB_KERNELS="compiled")
