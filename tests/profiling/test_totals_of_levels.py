"""Tables as people lay them out: a label once for each group, totals of several levels below."""

from pathlib import Path

import pytest

import comb
from comb.plans.draft import draft_plan

KG = {
    ("North", "Ada"): [3, 9, 27, 40, 12, 5], ("North", "Ben"): [1, 2, 3, 4, 5, 61], ("North", "Cy"): [11, 12, 13, 14, 15, 16],
    ("South", "Ada"): [7, 7, 8, 9, 30, 2], ("South", "Dot"): [4, 80, 4, 2, 2, 1], ("South", "Eli"): [6, 5, 4, 3, 2, 21],
}  # fmt: skip


def laid_out(*, wrong: int = 0, label: str = "{} Total") -> list[str]:
    """Return the lines of a table with labels once, and totals of keepers, regions and all."""
    lines, region_before = ["region,keeper,month,kg"], ""
    for (region, keeper), values in KG.items():
        if region_before not in ("", region):
            lines.append(_total(region_before, label))
        for at, kg in enumerate(values):
            lines.append(
                f"{region if region != region_before else ''},{keeper if at == 0 else ''},2026-{at + 1:02},{kg}"
            )
            region_before = region
        lines.append(f",{label.format(keeper)},,{sum(values) + (wrong if keeper == 'Cy' else 0)}")
    return [*lines, _total("South", label), f"{label.format('Grand')},,,{sum(map(sum, KG.values()))}"]


def _total(region: str, label: str) -> str:
    return f"{label.format(region)},,,{sum(sum(values) for (one, _), values in KG.items() if one == region)}"


@pytest.mark.parametrize("label", ["{} Total", "Total {}", "{} total"])
def test_totals_of_every_level_go_and_labels_come_down(tmp_path: Path, label: str) -> None:
    (tmp_path / "laid.csv").write_text("\n".join(laid_out(label=label)) + "\n")
    table = comb.load(tmp_path / "laid.csv")
    profile = table.profile()
    assert not profile.of("value.total") and [finding.count for finding in profile.of("layout.totals")] == [9]
    assert {finding.columns: finding.count for finding in profile.of("missing.same_as_above")} == {("region",): 34, ("keeper",): 30}  # fmt: skip
    # The draft lists the steps, since they drop rows and fill cells; taken, they give the rows of the whole table.
    plan = tmp_path / "plan.yaml"
    plan.write_text(draft_plan(table, profile, tmp_path).text.replace("active: false", "active: true"))
    done = comb.Plan.load(plan).run(dry_run=True).tables["laid"]
    expected = [(region, keeper, kg) for (region, keeper), values in KG.items() for kg in values]
    assert list(zip(done["region"].to_list(), done["keeper"].to_list(), done["kg"].to_list(), strict=True)) == expected


def test_a_workbook_sets_totals_of_every_level_aside(tmp_path: Path) -> None:
    (tmp_path / "laid.csv").write_text("\n".join(laid_out()) + "\n")
    comb.load(tmp_path / "laid.csv").save(tmp_path / "laid.xlsx")
    table = comb.load(tmp_path / "laid.xlsx")
    assert len(table) == 36 and len(table.origin.set_aside) == 9 and not table.origin.wrong_totals
    steps = [one.remedy for one in table.profile().of("missing.same_as_above")]
    for step in steps:
        table = table.take_step(step)
    found = list(zip(table["region"].to_list(), table["keeper"].to_list(), strict=True))
    assert found == [key for key in KG for _ in range(6)]


# Labels of totals that have no short condition, labels in the remarks of other rows, and one label for all.
LABELS = {
    "of many kinds": (
        ["Total A", "Sum of B", "C subtotal", "Overall D", "Gesamt E", "Suma F", "Totale G", "Ensemble H"],
        "",
        None,
    ),
    "in other rows": (["Total", "Total", "Total", "Total"], "total loss", "site is null or site not in ('Total')"),
    "of two kinds": (
        ["Total A", "B total", "Total A", "B total"],
        "",
        "site is null or site not in ('B total', 'Total A')",
    ),
}


@pytest.mark.parametrize(("labels", "remark", "condition"), LABELS.values(), ids=LABELS)
def test_the_condition_is_right_or_there_is_none(labels: list[str], remark: str, condition: str | None) -> None:
    rows = [(f"s{group}{at}", 3 * at + group + 2, "") for group in range(len(labels)) for at in range(5)]
    for group, label in reversed(list(enumerate(labels))):
        rows.insert(5 * group + 5, (label, sum(kg for _, kg, _ in rows[5 * group : 5 * group + 5]), ""))
    table = comb.table(columns={
        "site": [site for site, _, _ in rows], "kg": [kg for _, kg, _ in rows],
        "note": [remark if at == 1 and remark else f"n{at}" for at in range(len(rows))],
    })  # fmt: skip
    [finding] = table.profile().of("layout.totals")
    assert finding.count == len(labels) and (finding.remedy.where if finding.remedy else None) == condition
    if condition:
        assert len(table.take_step(finding.remedy)) == 20


def test_headings_and_totals_of_a_list_of_goods(tmp_path: Path) -> None:
    lines = ["item,quantity,price,sum"]
    for kind, sums in {"Tools": (12, 30, 8), "Jars": (5, 7, 9), "Feed": (40, 2, 60)}.items():
        lines += [
            f"{kind},,,",
            *(f"{kind} {at},2,{one / 2},{one}" for at, one in enumerate(sums)),
            f"Subtotal,,,{sum(sums)}",
        ]
    (tmp_path / "goods.csv").write_text("\n".join(lines) + "\n")
    profile = comb.load(tmp_path / "goods.csv").profile()
    found = {one.code: one.count for one in profile.findings if one.code.startswith("layout.")}
    assert found == {"layout.heading_rows": 3, "layout.totals": 3} and not profile.of("value.total")


def test_large_numbers_with_marks_are_no_codes() -> None:
    table = comb.table(columns={"elevation": [f"{at:,} ft" for at in range(300, 3000, 45)]})
    assert {one.code for one in table.profile().findings} == {"type.ambiguous_numbers"}


def test_a_wrong_total_of_a_level_is_told_alone(tmp_path: Path) -> None:
    (tmp_path / "laid.csv").write_text("\n".join(laid_out(wrong=3)) + "\n")
    [finding] = comb.load(tmp_path / "laid.csv").profile().of("value.total")
    assert (
        finding.count == 1 and f"{sum(KG['North', 'Cy']) + 3} in row 21, parts {sum(KG['North', 'Cy'])}" in finding.text
    )
