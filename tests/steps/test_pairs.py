"""Texts of pairs of keys and values: told by the profile, taken apart by a step."""

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.parsing.pairs import pairs_of
from comb.plans.draft import draft_plan
from comb.profiling.pairs import EQUALS, MARKS, marks_of

KEYS = st.sampled_from(["colour", "kg", "lid", "last seen"])
PLAIN = st.text("abc 1.-", max_size=5).map(str.strip)


@given(
    st.lists(
        st.dictionaries(KEYS, PLAIN | st.sampled_from(["a;b", "x=y", "5, 6"]), min_size=1), min_size=1, max_size=6
    ),
    st.sampled_from(["=", ":"]),
)
def test_what_was_written_is_read_again(records: list[dict[str, str]], equals: str) -> None:
    texts = [
        "; ".join(
            f'{key}{equals}"{value}"' if ";" in value else f"{key} {equals} {value}" for key, value in one.items()
        )
        for one in records
    ]
    assert [dict(pairs_of(text, ";", equals) or []) for text in texts] == records
    made = comb.table(columns={"box": texts}).take_apart("box", mark=";", equals=equals, keep_original=True)
    for key in {key for one in records for key in one}:
        column = made[f"box.{key}"]
        for at, one in enumerate(records):
            reason = None if column.reasons()[at] is None else str(column.reasons()[at])
            if key not in one:
                assert reason == "absent"
            elif one[key] == "":
                assert reason == "blank"
            else:
                assert reason in (None, "marker", "unreadable")


@given(
    st.lists(st.dictionaries(st.sampled_from("abcd"), st.integers(0, 99), min_size=2), min_size=6, max_size=9),
    st.sampled_from(MARKS), st.sampled_from(EQUALS),
)  # fmt: skip
def test_the_marks_are_told_from_the_texts(records: list[dict[str, int]], mark: str, equals: str) -> None:
    records = [one | {"n": at} for at, one in enumerate(records)]
    texts = [mark.join(f"{key}{equals}{value}" for key, value in one.items()) for one in records]
    found = marks_of(texts)
    few = {key for one in records for key in one}
    if sum(map(len, records)) >= 3 * len(few):
        assert found == (mark, equals)


ATTRS = ["colour=blue; kg=3.5; day=2026-05-01", "kg=4; colour=red", "colour=blue; kg=n/a; kg=5", "damaged", ""]


def test_values_get_types_and_what_is_no_pair_stays_and_is_told() -> None:
    made = comb.table(columns={"hive": list("abcde"), "attrs": ATTRS}).take_apart("attrs", mark=";")
    assert made.names == ("hive", "attrs", "attrs.colour", "attrs.kg", "attrs.day")
    assert made["attrs.kg"].to_list() == [3.5, 4, 5, None, None] and made["attrs.day"].type.word == "date"
    assert made["attrs"].to_list() == [None, None, None, "damaged", None]
    assert [str(one) for one in made["attrs.day"].reasons()] == ["None", "absent", "absent", "absent", "blank"]
    said = " ".join(made.sentence().split())
    assert "1 cell of attrs is not made of pairs: it stays in attrs, for instance 'damaged'" in said
    assert "1 key stands twice in a cell: the last counts" in said


@pytest.mark.parametrize(
    ("given_", "says"),
    [
        ({"mark": "|"}, "no cell of attrs is made of pairs like key=value, with '|' between them"),
        ({"mark": ";", "lists": "rows"}, "expected equals beside a mark, and no lists"),
        ({"mark": ";", "equals": ""}, "expected equals beside a mark"),
    ],
)
def test_what_cannot_be_done_says_why(given_: dict[str, Any], says: str) -> None:
    with pytest.raises(comb.CombError) as caught:
        comb.table(columns={"attrs": ["a: 1; b: 2", "a: 3"]}).take_apart("attrs", **given_)
    assert says in str(caught.value)


# Columns that hold no pairs.
OTHERS = {
    "times": ["8:15, 9:30", "10:00, 11:45", "7:05, 8:10"],
    "addresses": ["http://a.org/?x=1&y=2", "https://b.org/?x=2&y=3", "http://c.org/?y=1&x=4"],
    "sentences": ["Note: it rained, as said: all day", "Seen: two, one: dead", "To do: ask, then: write"],
    "one pair": ["kg=3", "kg=4", "kg=5"],
    "lists": ["a; b", "b; c", "a; c"],
    "scores": ["3:1, 2:2", "0:0, 4:1", "1:1, 2:0"],
    "other keys each time": [f"k{at}=1; m{at}=2" for at in range(9)],
}


@pytest.mark.parametrize("texts", OTHERS.values(), ids=OTHERS)
def test_other_texts_are_no_pairs(texts: list[str]) -> None:
    assert not comb.table(columns={"a": texts * 4}).profile().of("text.pairs")


@pytest.mark.parametrize("suffix", [".csv", ".xlsx", ".json", ".sqlite", ".parquet"])
def test_from_every_source_the_finding_is_told_drafted_and_run(tmp_path: Path, suffix: str) -> None:
    attrs = [f"colour={'red' if at % 2 else 'blue'}; kg={at / 2}" for at in range(12)]
    comb.table(columns={"hive": [f"h{at}" for at in range(12)], "attrs": attrs}).save(tmp_path / f"t{suffix}")
    table = comb.load(tmp_path / f"t{suffix}")
    [finding] = [one for one in table.profile().findings if one.columns == ("attrs",)]
    assert finding.code == "text.pairs" and finding.remedy is not None
    done = table.take_step(finding.remedy)
    assert done["attrs.kg"].to_list() == [at / 2 for at in range(12)]
    drafted = tmp_path / "plan.yaml"
    drafted.write_text(draft_plan(table, table.profile(), tmp_path).text.replace("  active: false\n", ""))
    [again] = comb.Plan.load(drafted).run().tables.values()
    assert again["attrs.kg"].to_list() == done["attrs.kg"].to_list()
    assert str(done.trace(2, "attrs.kg")).count("attrs") >= 1


def test_a_plan_with_keys_has_them_on_a_month_without_rows_and_in_pieces(tmp_path: Path) -> None:
    rows = "".join(f"{at},kg={at};lid={'yes' if at % 2 else 'no'}\n" for at in range(3000))
    for name, content in (("may.csv", rows), ("june.csv", "")):
        (tmp_path / name).write_text("n,attrs\n" + content)
    (tmp_path / "plan.yaml").write_text(
        "source: may.csv\nsteps:\n- {step: take_apart, column: attrs, mark: ;, keys: [kg, lid, no such]}\n"
    )
    plan = comb.Plan.load(tmp_path / "plan.yaml")
    whole = plan.run().tables["may"]
    assert whole.names == ("n", "attrs.kg", "attrs.lid", "attrs.no such") and whole["attrs.kg"].to_list()[-1] == 2999
    pieces = plan.run(memory="100MB", save_to=tmp_path / "pieces").tables["may"]
    assert pieces.types == whole.types
    [june] = plan.run(sources={"may": tmp_path / "june.csv"}).tables.values()
    assert june.names == whole.names and june.row_count == 0


@pytest.mark.parametrize("texts", [[f"kg={at}; lid={at}" for at in range(9)], [f'{{"kg": {at}}}' for at in range(9)]])
@pytest.mark.parametrize("taken", ["a.kg", "a.kg.net"])
def test_no_step_is_offered_where_a_name_is_taken(texts: list[str], taken: str, tmp_path: Path) -> None:
    comb.table(columns={"a": texts, taken: list(range(9))}).save(tmp_path / "t.csv")
    table = comb.load(tmp_path / "t.csv")
    [finding] = [one for one in table.profile().findings if one.code in ("text.pairs", "text.json")]
    assert finding.remedy is None and "take_apart" in finding.by_hand
    assert "take_apart" in draft_plan(table, table.profile(), tmp_path).text
