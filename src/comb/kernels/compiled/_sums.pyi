import numpy as np
from numpy.typing import NDArray

VERSION: int

def span(values: NDArray[np.float64], /) -> tuple[int, int, bool]: ...
def short_sums(
    values: NDArray[np.float64], codes: NDArray[np.int64], groups: int, least: int, /
) -> NDArray[np.float64]: ...
def sums(
    values: NDArray[np.float64], codes: NDArray[np.int64], first: int, stop: int, least: int, most: int, /
) -> NDArray[np.float64]: ...
