"""The demo files: as they ship in the package, or as they are made when they are asked for."""

from functools import lru_cache
from importlib.resources import files

DEMO_FILES = (
    "inspections.csv", "inspections-truth.json", "plan.yaml", "harvest.xlsx", "harvest-truth.json", "scales.jsonl",
    "scales-truth.json", "apiaries.csv", "apiaries-truth.json", "answers.csv",
    "inspections-2026.csv", "inspections-2026-truth.json",
)  # fmt: skip


# The next season differs from the first by what the script changes; as a file it would be a third of the demo data.
MADE = "inspections-2026.csv"


@lru_cache(maxsize=1)
def _made() -> bytes:
    from comb.demo.make import make_visits, next_season

    return next_season(make_visits())[0]


def demo_bytes(name: str) -> bytes:
    """Return the bytes of one of the demo files."""
    if name == MADE:
        return _made()
    return files("comb.demo").joinpath("data", name).read_bytes()
