"""Lists without a line of names: a first text that has the form of those below is one of them, and no name."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb

# Lines of a file, all of them rows.
ROWS = {
    "mail": ["ann@mill.org", "bo@fox.org", "cy@mill.org"],
    "mail, two": ["ann@mill.org", "bo@fox.org"],
    "mail beside names": ["Reed;ann@mill.org", "Lund;bo@fox.org", "Marsh;cy@mill.org"],
    "the web": ["https://mill.org/a", "https://fox.org/b?x=1", "http://mill.org:80/c", "ftp://d"],
    "the web beside words": ["home,https://mill.org/a", "shop,https://mill.org/b", "blog,https://fox.org/c"],
    "paths": ["/data/mill/a.csv", "/data/b.csv", "./c.csv"],
    "paths on a drive": ["C:\\data\\a.csv", "C:\\data\\b.csv", "D:\\c.csv"],
    "names of files": ["a.csv", "b.csv", "plan.yaml", "c.csv"],
    "tags": ["#bees", "#honey", "#swarm"],
    "identifiers": ["9f1b6c1e-aaaa-4bbb-8ccc-1234567890ab", "8f1b6c1e-abaa-4bbb-8ccc-1234567890ab"],
    "pairs": ["level=info hive=7", "level=warn hive=8", "level=info hive=9", "level=info hive=9"],
    "pairs with commas": ["level=info,who=ann", "level=warn,who=bo", "level=info,who=cy"],
    "codes": ["AB-C", "DE-F", "GH-I", "JK-L"],
    "versions": ["v1.2", "v1.13", "v2.0"],
    "lines of a system": [
        "Nov  1 10:00:00 mill cron[9]: done",
        "Nov 12 11:00:00 fox cron[10]: it failed",
        "Nov 13 11:00:00 fox sshd: x",
    ],
    "streets": ["12 Mill Road", "5 Oak Lane", "101 Fox Hollow", "7 Mill Road"],
}

# And with a line of names.
NAMED = {
    "mail": ["mail", "ann@mill.org", "bo@fox.org", "cy@mill.org"],
    "the web": ["site url", "https://mill.org/a", "https://fox.org/b"],
    "a name with a dot": ["file.name", "a.csv", "b.csv", "c.csv"],
    "a tag of tags": ["tag", "#bees", "#honey", "#swarm"],
    "codes": ["hive-id", "AB-C", "DE-F", "GH-I"],
    "a name with a digit": ["line 1", "Mill Road", "Oak Lane", "Fox Hollow"],
    "names that are numbered": ["w1,w2,w3", "a4,b5,c6", "b2,a3,c4", "c5,c5,a1"],
    "times of day": ["from:to", "8:15", "9:30", "10:45"],
    "one that is like the others, one that is not": ["mail,#tag", "ann@mill.org,#a", "bo@fox.org,#b", "cy@m.org,#c"],
}


@pytest.mark.parametrize("lines", ROWS.values(), ids=ROWS)
def test_no_line_is_taken_for_names(lines: list[str], tmp_path: Path) -> None:
    table = comb.load(("\n".join(lines) + "\n").encode())
    assert table.row_count == len(lines) and set(table.names) <= {f"_col.{at}" for at in range(1, 5)}
    # Of a sheet, too.
    if ";" not in lines[0] and "," not in lines[0]:
        comb.table(columns={lines[0]: lines[1:]}).save(tmp_path / "t.xlsx")
        assert comb.load(tmp_path / "t.xlsx").row_count == len(lines)


@pytest.mark.parametrize("lines", NAMED.values(), ids=NAMED)
def test_names_stay_names(lines: list[str]) -> None:
    table = comb.load(("\n".join(lines) + "\n").encode())
    assert table.names == tuple(lines[0].split(",")) and table.row_count == len(lines) - 1


@given(st.lists(st.from_regex(r"[a-z]{1,6}@[a-z]{1,6}\.org", fullmatch=True), min_size=2, max_size=6), st.booleans())
def test_addresses_are_rows_whatever_they_are(addresses: list[str], named: bool) -> None:
    lines = ["mail", *addresses] if named else addresses
    assert comb.load(("\n".join(lines) + "\n").encode()).row_count == len(addresses)
