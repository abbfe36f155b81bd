"""The kernels in use: the compiled ones where they could be built, else the reference.

Whatever is chosen gives the same results. `COMB_KERNELS=reference` in the environment
chooses the reference, and this is the only place that asks.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.kernels import coding
from comb.kernels import tally as counting
from comb.kernels.packed import Packed
from comb.kernels.tally import Kinds, Tally, Words

COMPILED = False


def tally(texts: Packed, counts: NDArray[np.int64] | None, words: Words) -> tuple[Tally, Kinds]:
    """Count what texts could be; see `comb.kernels.tally.tally`."""
    return counting.tally(texts.strings(), counts, words)


def encode(texts: Packed) -> tuple[NDArray[np.int64], NDArray[Any]]:
    """Number texts in order of appearance.

    Returns
    -------
    first, codes
        Where each distinct text stands first, and the number of each text.
    """
    _, codes = coding.encode(texts.strings())
    return np.unique(codes, return_index=True)[1].astype(np.int64), codes
