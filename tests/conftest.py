"""Shared by all tests: the demo data in a folder of its own, and the command line."""

import os
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

import comb
from comb.demo.files import DEMO_FILES, demo_bytes
from support.examples import drawn

# Timings never decide a test: a slow machine must not fail a law.
# Elsewhere every run draws other examples; CI draws the same ones, so that it judges the change, and fewer: it runs the
# tests four times, and after the first time a share.
settings.register_profile(
    "comb",
    deadline=None,
    max_examples=drawn(40 if os.environ.get("CI") else 60),
    derandomize=bool(os.environ.get("CI")),
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("comb")


@pytest.fixture
def demo(tmp_path: Path) -> Path:
    """Return a folder with the demo files."""
    for name in DEMO_FILES:
        (tmp_path / name).write_bytes(demo_bytes(name))
    return tmp_path


@pytest.fixture(scope="session")
def inspections(tmp_path_factory: pytest.TempPathFactory) -> comb.Table:
    """Return the loaded demo table, shared by tests that only look."""
    place = tmp_path_factory.mktemp("demo") / "inspections.csv"
    place.write_bytes(demo_bytes("inspections.csv"))
    return comb.load(place)
