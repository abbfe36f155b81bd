"""A short run of every kind of fuzzing; the long one is `python benchmarks/fuzz.py`."""

from pathlib import Path
from random import Random

import pytest

import fuzz

CASES = 25
KINDS = {kind.__name__: kind for kind in fuzz.KINDS}
SLOW = {"kills": 1, "full_disks": 2}


@pytest.mark.parametrize("name", sorted(KINDS))
def test_every_input_is_answered(tmp_path: Path, name: str) -> None:
    for seed in range(SLOW.get(name, CASES)):
        folder = tmp_path / str(seed)
        folder.mkdir()
        assert KINDS[name](Random(f"{name} {seed}"), folder)
