"""Which codes are told as shorter or longer than the others, and which are so because they count."""

import pytest

import comb

ROWS = range(60)
# Sixty texts, and those among further ones that are told.
CASES = {
    "filled up with zeros": ([f"WR-{at:04}" for at in ROWS], ["WR-61", "WR-062"], {"WR-61", "WR-062"}),
    "letters left out": ([f"WR-{at:02}" for at in ROWS], ["W-07", "WRX-09"], {"W-07", "WRX-09"}),
    "a digit left out": ([f"X{at * 1511 + 100003}" for at in ROWS], ["X1203"], {"X1203"}),
    "counted on": ([f"K{at + 50}" for at in range(48)], ["K98", "K99", "K100", "K101"], set()),
    "counted from one": ([f"K{at}" for at in range(10, 60)], [f"K{at}" for at in range(1, 10)], set()),
    "digits of other scripts": ([f"K{at}" for at in range(10, 60)], ["K٣٤", "K²", "K٣", "K7"], {"K²", "K٣", "K7"}),
    "two measures": ([f"{at} x {70 - at} cm" for at in range(12, 60)], ["5 x 44 cm", "7 x 30 cm", "9 x 12 cm", "30 x 8 cm", "12 x 6 cm", "14 x 9 cm"], set()),
    "a measure in brackets": ([f"{at} kg ({2 * at} lb)" for at in range(60, 100)], ["100 kg (220 lb)", "101 kg (222 lb)"], set()),
    "parts of a number": ([f"1998.{at}.{at % 9}" for at in range(10, 60)], [f"1998.{at}.1" for at in range(10)], set()),
    "a part filled up": ([f"1998.{at:02}.{at % 9}" for at in ROWS], ["1998.7.1"], {"1998.7.1"}),
}  # fmt: skip


@pytest.mark.parametrize(("texts", "more", "told"), CASES.values(), ids=CASES)
def test_only_what_is_not_counted_is_told(texts: list[str], more: list[str], told: set[str]) -> None:
    table = comb.table(columns={"x": [*texts, *more]})
    found = {table["x"].to_list()[row - 1] for one in table.profile().of("text.length") for row in one.rows.tolist()}
    assert found == told
