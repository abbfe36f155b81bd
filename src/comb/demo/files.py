"""The demo files as they ship in the package."""

from importlib.resources import files

DEMO_FILES = (
    "inspections.csv", "inspections-truth.json", "plan.yaml", "harvest.xlsx", "harvest-truth.json", "scales.jsonl",
    "scales-truth.json", "apiaries.csv", "apiaries-truth.json", "answers.csv",
    "inspections-2026.csv", "inspections-2026-truth.json",
)  # fmt: skip


def demo_bytes(name: str) -> bytes:
    """Return the bytes of one of the demo files."""
    return files("comb.demo").joinpath("data", name).read_bytes()
