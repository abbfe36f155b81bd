"""What steps do to texts in all bytes at once is what Python does to each text."""

from pathlib import Path
from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.interface.table import Table
from comb.steps.accounting import take_step
from comb.steps.catalogue import make_step
from comb.steps.cell_steps import MANY_TEXTS, tidied, uncovered
from comb.steps.record import StepRecord
from comb.steps.shape_steps import MOST_OPTIONAL
from comb.tables.column import Column
from support.strategies import tables

# Letters of one to four bytes, spaces of several kinds, what cannot be seen, and parts that may begin within themselves.
TEXTS = st.text("aab. é𝄞\u00a0\t\u200b", min_size=1, max_size=6)
CELLS = st.lists(st.none() | TEXTS, min_size=1, max_size=12)


def tables_of(cells: list[str | None]) -> list[comb.Table]:
    """Return a table of texts without codes, and with them."""
    table = comb.table(columns={"n": list(range(len(cells)))})
    table = table._derive({"a": Column._of_strings(cells), **table.columns})
    return [table, table._derive({name: column._with_codes() for name, column in table.columns.items()})]


def cells_after(table: comb.Table, change: Any) -> list[str | None]:
    """Return the texts that are there, changed; what has nothing but spaces left is missing."""
    changed = [None if text is None else change(text) for text in table["a"].to_list()]
    return [text if text and text.strip() else None for text in changed]


@given(CELLS, st.sampled_from(["a", "aa", "ab", ".", " ", "é", "𝄞", "ba"]), st.sampled_from(["", "x", " ", "éé", "a"]))
def test_a_part_is_replaced_as_python_does(cells: list[str | None], old: str, new: str) -> None:
    for table in tables_of(cells):
        expected = cells_after(table, lambda text: text.replace(old, new))
        assert table.replace_text("a", old=old, new=new)["a"].to_list() == expected


@given(CELLS, st.booleans(), st.booleans())
def test_spaces_are_trimmed_as_python_does(cells: list[str | None], inner: bool, invisible: bool) -> None:
    for table in tables_of(cells):

        def change(text: str) -> str:
            seen = uncovered(text) if invisible else text
            return tidied(seen) if inner else seen.strip()

        assert table.trim("a", inner=inner, invisible=invisible)["a"].to_list() == cells_after(table, change)


@given(CELLS, st.integers(1, 8), st.sampled_from(["left", "right"]), st.sampled_from("0é𝄞"))
def test_texts_are_padded_as_python_does(cells: list[str | None], width: int, side: str, character: str) -> None:
    padded = str.rjust if side == "left" else str.ljust
    for table in tables_of(cells):
        expected = cells_after(table, lambda text: padded(text, width, character))
        assert table.pad_text("a", width=width, side=side, character=character)["a"].to_list() == expected


@given(CELLS, st.sampled_from(["-", "", " · "]), st.booleans())
def test_cells_are_combined_as_python_joins_them(cells: list[str | None], mark: str, skip: bool) -> None:
    for table in tables_of(cells):
        texts = table["a"].to_list()
        parts = [[text, str(at), text] for at, text in enumerate(texts)]
        expected = [mark.join(part or "" for part in row if part is not None or not skip) for row in parts]
        table = table.calculate({"b": "a"})
        made = table.combine(["a", "n", "b"], mark=mark, new_columns="all", skip_missing=skip)
        assert made["all"].to_list() == expected
        for name, change in (("upper", str.upper), ("lower", str.lower), ("trim", str.strip)):
            assert table.calculate({"c": f"{name}(a)"})["c"].to_list() == cells_after(table, change)
        both = table.calculate({"all": "a || '-' || cast(n as string) || a"})["all"].to_list()
        assert both == [None if text is None else f"{text}-{at}{text}" for at, text in enumerate(texts)]


@pytest.mark.parametrize("where", [None, "n > 0"])
def test_what_is_found_across_a_border_of_two_texts_is_no_part_of_either(where: str | None) -> None:
    table = comb.table(columns={"a": ["xab", "abx", "ax", "bab"], "n": [1, 2, 3, 4]})
    assert table.replace_text("a", old="xa", new="-", where=where)["a"].to_list() == ["-b", "abx", "ax", "bab"]
    assert table.replace_text("a", old="bab", new="-", where=where)["a"].to_list() == ["xab", "abx", "ax", "-"]


@pytest.mark.parametrize("coded", [False, True])
def test_a_few_values_among_very_many_are_recoded(coded: bool) -> None:
    many = MANY_TEXTS + 5
    column = Column._of_strings([f"box {at}" for at in range(many)] + [None])
    table = comb.table(columns={"n": list(range(many + 1))})
    table = table._derive({"a": column._with_codes() if coded else column, **table.columns})
    made = table.recode("a", {"box 3": "box 4", f"box {many - 1}": "roof", "box": "none"})
    expected = [f"box {at}" for at in range(many)]
    expected[3], expected[-1] = "box 4", "roof"
    assert made["a"].to_list() == [*expected, None] and "not found in a: 'box'" in made.sentence()
    assert made["a"].distinct().counts.max() == 2


@given(CELLS, st.sampled_from(["a", "aa", ".", "b.", " ", "é"]), st.integers(1, 4), st.sampled_from(["left", "right"]))
def test_texts_are_split_as_python_does(cells: list[str | None], mark: str, width: int, side: str) -> None:
    for table in tables_of(cells):
        made = table.split("a", mark=mark, new_columns=[f"c{at}" for at in range(width)], side=side)
        for at, text in enumerate(table["a"].to_list()):
            cut = str.rsplit if side == "right" else str.split
            parts = [] if text is None else [part.strip() or None for part in cut(text, mark, width - 1)]
            assert [made[f"c{place}"].to_list()[at] for place in range(width)] == parts + [None] * (width - len(parts))
        odd = sum(text is not None and text.count(mark) + 1 != width for text in table["a"].to_list())
        assert (f"{odd} row{'s do' if odd > 1 else ' does'} not have {width} parts" in made.sentence()) == (odd > 0)


def record_of_combining(table: comb.Table, columns: list[str], **more: Any) -> StepRecord:
    """Return the record of a step that combines columns."""
    step = make_step("combine", {"columns": columns, "new_columns": ["all of it"], **more})
    return take_step(step, table, {}).record


@given(tables(), st.sampled_from(["-", "'", "\t", ""]), st.booleans(), st.randoms())
def test_the_formula_of_combined_columns_gives_them(table: comb.Table, mark: str, skip: bool, chance: Random) -> None:
    names = [name for name in table.names if table.types[name].word != "json"]
    names = chance.sample(names, chance.randint(2, min(4, len(names))))
    formulas = record_of_combining(table, names, mark=mark, skip_missing=skip).formulas
    made = Table._adopt(table).combine(names, mark=mark, new_columns="all of it", skip_missing=skip, keep_original=True)
    if not formulas:
        assert (skip or not mark) and len(names) > MOST_OPTIONAL
    else:
        again = Table._adopt(table).calculate({"x": formulas["all of it"]})["x"].to_list()
        # In the language a text of nothing is missing, as in a result that is not there.
        assert again == [text or None for text in made["all of it"].to_list()]


def test_what_was_combined_is_followed_without_a_formula(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("a,b,c,d\n1,2,3,4\n,2,,4\n")
    (tmp_path / "plan.yaml").write_text(
        "source: t.csv\nsteps:\n  - {step: combine, columns: 'a:d', new_columns: e, mark: /, skip_missing: true}\n"
        "  - {step: calculate, columns: {k: char_length(e) * 2}}\n  - {step: convert, columns: {k: string}}\nsave: tidy\n"
    )
    comb.Plan.load(tmp_path / "plan.yaml").run()
    made = comb.load(tmp_path / "t.csv").combine("a:d", new_columns="e", mark="/", skip_missing=True)
    made = made.calculate({"k": "char_length(e) * 2"}).convert({"k": "string"})
    assert made["e"].to_list() == ["1/2/3/4", "2/4"] and made["k"].to_list() == ["14", "6"]
    for found in (made.trace(2, "e"), comb.trace(tmp_path / "tidy", 2, "e")):
        assert [(one.column, one.source_text) for one in found[0].inputs] == list(
            zip("abcd", ["", "2", "", "4"], strict=True)
        )
    for found in (made.trace(2, "k"), comb.trace(tmp_path / "tidy", 2, "k")):
        # A column of another type is no longer what the formula made: its calculation is not shown.
        assert found[0].value == "6" and not any(event.working for event in found[0].events)


@given(CELLS, st.integers(-1, 4), st.integers(0, 3), st.sampled_from(["a", ".", "é", "ab"]), st.booleans())
def test_formulas_of_texts_give_what_python_does(
    cells: list[str | None], start: int, size: int, part: str, ascii_only: bool
) -> None:
    cells = [cell and cell.encode("ascii", "ignore").decode() for cell in cells] if ascii_only else cells
    first = [cell if cell and cell.strip() else None for cell in cells]
    for table in tables_of(first):
        second = first[::-1]
        table = table._derive({**table.columns, "b": Column._of_strings(second)})
        if table["a"].text.codes is not None:
            table = table._derive({name: column._with_codes() for name, column in table.columns.items()})
        expected: dict[str, tuple[str, list[Any]]] = {
            "substring": (f"substring(a, {start}, {size})", [
                one and (one[max(start - 1, 0) : max(start - 1 + size, 0)] or None) for one in first]),
            "rest": (f"substring(a, {start})", [one and (one[max(start - 1, 0) :] or None) for one in first]),
            "replace": (f"replace(a, '{part}', 'x')", [one and one.replace(part, "x") for one in first]),
            "taken": (f"replace(a, '{part}', '')", [one and (one.replace(part, "") or None) for one in first]),
            "case": (f"case when n > 1 then a when n = 0 then '{part}' else b end", [
                one if at > 1 else part if at == 0 else two for at, (one, two) in enumerate(zip(first, second, strict=True))]),
            "coalesce": ("coalesce(a, b, 'none')", [one or two or "none" for one, two in zip(first, second, strict=True)]),
            "same": ("a = b", [one == two if one and two else None for one, two in zip(first, second, strict=True)]),
            "is": (f"'{part}' <> a", [one and one != part for one in first]),
            "begins": (f"a like '{part}%'", [one and one.startswith(part) for one in first]),
        }  # fmt: skip
        made = table.calculate({name: formula for name, (formula, _) in expected.items()})
        assert {name: made[name].to_list() for name in expected} == {
            name: wanted for name, (_, wanted) in expected.items()
        }
