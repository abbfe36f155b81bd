from typing import Any

import numpy as np
from numpy.typing import NDArray

VERSION: int

_Column = tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.uint8]]

def take_records(
    data: Any,
) -> tuple[list[bytes], list[_Column], NDArray[np.int32], list[tuple[int, int, int]]] | None: ...
