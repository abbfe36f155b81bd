"""The yardstick of the findings on a few of its tables: what is planted is found, and hardly anything else."""

from findings import judged, tables
from planted.sheet import Chance
from planted.tempting import TEMPTING


def test_what_is_planted_is_found_and_hardly_anything_else() -> None:
    planted = missed = wrong = 0
    for sheet in tables(36, 5):
        absent, false, _ = judged(sheet)
        planted, missed, wrong = planted + len(sheet.planted), missed + len(absent), wrong + len(false)
    assert missed <= 0.02 * planted and wrong <= 0.05 * planted


def test_what_only_looks_wrong_is_left_alone() -> None:
    alarms = [(sheet.name, false) for one in TEMPTING if (false := judged(sheet := one(Chance(21)))[1])]
    assert len([one for one in alarms if any(code != "missing.blank" for code, _, _ in one[1])]) <= 1
