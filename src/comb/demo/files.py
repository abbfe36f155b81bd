"""The demo files: as they ship in the package, or as they are made when they are asked for."""

from functools import lru_cache
from importlib.resources import files

DEMO_FILES = (
    "inspections.csv", "inspections-truth.json", "plan.yaml", "harvest.xlsx", "harvest-truth.json", "scales.jsonl",
    "scales-truth.json", "apiaries.csv", "apiaries-truth.json", "answers.csv",
    "inspections-2026.csv", "inspections-2026-truth.json",
)  # fmt: skip


# All are made by a script in a fifth of a second; as files they would be most of the demo data. The workbook ships as
# it is, since the library that writes it may write it in another way one day.
SHIPPED = frozenset({"plan.yaml", "harvest.xlsx"})


@lru_cache(maxsize=1)
def _made() -> dict[str, bytes]:
    from comb.demo.make import texts

    return dict(texts())


def demo_bytes(name: str) -> bytes:
    """Return the bytes of one of the demo files."""
    if name not in SHIPPED:
        return _made()[name]
    return files("comb.demo").joinpath("data", name).read_bytes()
