from typing import Any

import numpy as np
from numpy.typing import NDArray

VERSION: int

_Column = tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.uint8]]
_Cells = tuple[bytes, int, NDArray[np.int32], int, list[bytes], list[_Column], list[bool]]

def take_lines(data: Any, /) -> tuple[list[_Cells], NDArray[np.int32], list[tuple[int, int, int]]] | None: ...
def take_list(data: Any, /) -> list[_Cells] | None: ...
def find_lists(
    data: Any, least: int, most: int, /
) -> list[tuple[tuple[bytes, ...], int, int, NDArray[np.int64]]] | None: ...
