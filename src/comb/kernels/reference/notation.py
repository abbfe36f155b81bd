"""Write numbers of any notation as plain ones: the reference."""

from collections.abc import Sequence

import numpy as np

from comb.kernels.notation import (
    _SAME_MARKS,
    ODD_SIGN,
    PER_CENT,
    PLAIN_FITS,
    WITH_UNIT,
    ZERO_FIRST,
    Marks,
    PlainNumbers,
    plain_body,
)
from comb.kernels.string_buffer import pack

_SIGN_CHARACTERS = "+-\N{MINUS SIGN}\N{EN DASH}"


def plain_numbers(texts: Sequence[str], marks: Marks, unit: str) -> PlainNumbers:
    """Write numbers of one notation as plain ones: the reference.

    Parameters
    ----------
    texts : sequence of str
    marks : Marks
    unit : str
        The unit that may stand with them; percentages are divided by 100.

    >>> plain_numbers(["(1.234,5 kg)", "7"], Marks(",", "."), "kg").texts.strings()
    ['-1234.5', '7']
    """
    found = [_plain(text.strip(), marks, unit) for text in texts]
    return PlainNumbers(
        pack([text for text, _, _ in found]),
        np.array([flags for _, flags, _ in found], np.uint8),
        np.array([decimals for _, _, decimals in found], np.int32),
    )


def _plain(text: str, marks: Marks, unit: str) -> tuple[str, int, int]:
    """Return a plain number, its flags and its digits after the mark."""
    if not text:
        return "", 0, 0
    flags, signs = PLAIN_FITS, ""
    inside = text[0] == "(" and text[-1] == ")"
    if inside:
        text, flags = text[1:-1].strip(), flags | ODD_SIGN
    elif text[0] in _SIGN_CHARACTERS:
        signs, text = text[0], text[1:].strip()
    if unit and text.startswith(unit):
        text, flags = text[len(unit) :].strip(), flags | WITH_UNIT
        if text[:1] and text[0] in _SIGN_CHARACTERS and not signs and not inside:
            signs, text = text[0], text[1:]
    elif text[-1:] and text[-1] in _SIGN_CHARACTERS and not signs and not inside:
        signs, text, flags = text[-1], text[:-1].strip(), flags | ODD_SIGN
    if unit and not flags & WITH_UNIT and text.endswith(unit):
        text, flags = text[: -len(unit)].strip(), flags | WITH_UNIT
    plain = plain_body(text.translate(_SAME_MARKS), marks)
    if not plain:
        return "?", 0, 0
    decimals = len(plain.partition(".")[2])
    if len(plain) > 1 and plain[0] == "0" and plain[1] != ".":
        flags |= ZERO_FIRST
    if unit == PER_CENT:
        plain = _hundredth(plain)
    negative = inside or (signs and signs != "+")
    return f"-{plain}" if negative else plain, flags, decimals


def _hundredth(plain: str) -> str:
    """Divide a number by 100 by moving its point."""
    whole, _, rest = plain.partition(".")
    whole = whole.rjust(3, "0")
    return f"{whole[:-2]}.{whole[-2:]}{rest}"
