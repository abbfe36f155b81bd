"""Letters that look the same and are not: written as several characters, or of another script."""

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.parsing.letters import composed, in_latin, in_one_script, looks_like, written_out

# Letters, marks that are put onto letters, doubles of three scripts.
TEXTS = st.text(
    st.sampled_from("aeoAcTxHq7 -\u0308\u0301\u0323\u00f6\u0410\u0430\u0421\u0436\u0391\u03a9\u2126\u1112\u1161\u11ab")
)


@pytest.mark.parametrize(
    ("text", "as_one", "one_script"),
    [
        ("Ho\u0308he", "H\u00f6he", "Ho\u0308he"),
        ("q\u0308 e\u0323\u0302", "q\u0308 \u1ec7", "q\u0308 e\u0323\u0302"),
        ("\u1112\u1161\u11ab\u1100\u1173\u11af", "\ud55c\uae00", "\u1112\u1161\u11ab\u1100\u1173\u11af"),
        ("5 k\u2126, 3 \u212b", "5 k\u03a9, 3 \u00c5", "5 k\u2126, 3 \u212b"),
        ("\u0410pril", "\u0410pril", "April"),
        ("Mo\u0441\u043a\u0432a", "Mo\u0441\u043a\u0432a", "\u041c\u043e\u0441\u043a\u0432\u0430"),
        ("\u0394T \u03b1-pinene", "\u0394T \u03b1-pinene", "\u0394T \u03b1-pinene"),
        ("USB-\u043a\u0430\u0431\u0435\u043b\u044c", "USB-\u043a\u0430\u0431\u0435\u043b\u044c", "USB-\u043a\u0430\u0431\u0435\u043b\u044c"),
        # What a normal form changes for more than its look stays.
        ("\uf900 \u0958", "\uf900 \u0958", "\uf900 \u0958"),
    ],
)  # fmt: skip
def test_letters(text: str, as_one: str, one_script: str) -> None:
    assert composed(text) == as_one and in_one_script(text) == one_script
    assert (written_out(text) == text) is (as_one == text == one_script)


@given(TEXTS)
def test_what_is_put_right_stays_so_and_looks_the_same(text: str) -> None:
    for change in (composed, in_one_script, in_latin, looks_like):
        assert change(change(text)) == change(text) and looks_like(change(text)) == looks_like(text)
    assert unicodedata.normalize("NFC", composed(text)) == unicodedata.normalize("NFC", text)
    assert written_out(text).encode("ascii", "backslashreplace").decode() == ascii(text)[1:-1]


def test_trim_says_what_it_did_to_letters_that_look_the_same() -> None:
    table = comb.table(columns={"place": ["Ho\u0308he", "H\u00f6he", "q\u0308"]})
    done = table.trim("place", invisible=True)
    assert done["place"].to_list() == ["H\u00f6he", "H\u00f6he", "q\u0308"] and len(done["place"].distinct()) == 2
    (example,) = done.ledger[-1].examples
    assert (example.before, example.after) == ("Ho\\u0308he", "H\u00f6he")
    assert table.trim("place").equals(table)


def test_of_two_forms_that_are_as_common_the_plain_one_is_taken() -> None:
    table = comb.table(columns={"place": ["Mill\u2013Brook", "Mill-Brook", "Tal"] * 8})
    (finding,) = table.profile().of("text.case")
    assert set(table.take_step(finding.remedy)["place"].to_list()) == {"Mill-Brook", "Tal"}
