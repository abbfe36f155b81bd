"""What is to be noticed about texts: spaces, digits, words for missing. The reference."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.scalars import fold
from comb.kernels.types import DIGITS_ONLY, INNER_SPACES, IS_KNOWN, OUTER_SPACES, ZERO_AHEAD

_SPACES = lazy_pattern(r"[^\S\r\n]{2}")
_DIGITS = lazy_pattern(r"[0-9]+")


def traits(texts: Sequence[str], known: Sequence[str]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
    """Tell what is to be noticed about texts.

    Parameters
    ----------
    texts : sequence of str
    known : sequence of str
        Words for missing, in lower case.

    Returns
    -------
    traits, lengths
        Bits for outer and repeated spaces, for digits only (ASCII), for these with a zero
        in front, and for words for missing; and how many characters there are.

    >>> [int(bits) for bits in traits(["a  b ", "007", "n/a"], ["n/a"])[0]]
    [24, 96, 4]
    """
    found = np.zeros(len(texts), np.uint8)
    for at, text in enumerate(texts):
        stripped = text.strip()
        bits = OUTER_SPACES if stripped != text else 0
        bits |= INNER_SPACES if _SPACES.search(stripped) else 0
        if _DIGITS.fullmatch(stripped):
            bits |= DIGITS_ONLY | (ZERO_AHEAD if stripped.startswith("0") and len(stripped) > 1 else 0)
        found[at] = bits | (IS_KNOWN if fold(stripped) in known else 0)
    return found, np.fromiter(map(len, texts), np.int64, len(texts))
