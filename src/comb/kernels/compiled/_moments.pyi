from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

VERSION: int

_Places = NDArray[np.integer[Any]]
_Words = tuple[NDArray[np.uint8], NDArray[np.int64]]
_Names = tuple[NDArray[np.uint8], NDArray[np.int64], NDArray[np.int32]]

def read_moments(
    data: Any,
    side: NDArray[np.uint8],
    begins: _Places,
    ends: _Places,
    programs: Sequence[tuple[str, NDArray[np.int32]]],
    month_names: _Names,
    weekday_names: _Names,
    given_words: _Words,
    /,
) -> tuple[NDArray[np.int64], NDArray[np.uint8], NDArray[np.int64]]: ...
