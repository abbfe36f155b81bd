"""Number texts in plain Python."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray


def number_strings(texts: Sequence[str]) -> tuple[list[str], NDArray[np.int64]]:
    """Return the distinct texts in order of appearance, and the code of each text.

    >>> words, codes = number_strings(["b", "a", "b"])
    >>> words, codes.tolist()
    (['b', 'a'], [0, 1, 0])
    """
    index: dict[str, int] = {}
    codes = np.fromiter((index.setdefault(text, len(index)) for text in texts), np.int64, len(texts))
    return list(index), codes
