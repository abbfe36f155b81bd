import numpy as np
from numpy.typing import NDArray

VERSION: int

def count(codes: NDArray[np.int32], size: int, /) -> NDArray[np.int64]: ...
def look_up(table: NDArray[np.uint8], codes: NDArray[np.int32], /) -> NDArray[np.uint8]: ...
def renumber(codes: NDArray[np.int32], numbers: NDArray[np.int32], /) -> None: ...
def fingerprints(buffer: NDArray[np.uint8], offsets: NDArray[np.int64], /) -> NDArray[np.uint64]: ...
def same(
    left: NDArray[np.uint8],
    left_offsets: NDArray[np.int64],
    right: NDArray[np.uint8],
    right_offsets: NDArray[np.int64],
    /,
) -> NDArray[np.uint8]: ...
def number_values(
    values: NDArray[np.int64],
    low: int,
    places: NDArray[np.int32],
    different: NDArray[np.int64],
    numbers: NDArray[np.int64],
    first: NDArray[np.int64],
    sizes: NDArray[np.int64],
    start: int,
    known: int,
    /,
) -> tuple[int, int]: ...
