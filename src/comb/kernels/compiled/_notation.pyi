from typing import Any

import numpy as np
from numpy.typing import NDArray

VERSION: int

def plain_numbers(
    data: NDArray[np.uint8], offsets: NDArray[np.int64], decimal: int, group: int, unit: Any, per_cent: bool, /
) -> tuple[NDArray[np.uint8], NDArray[np.int64], NDArray[np.uint8], NDArray[np.int32]]: ...
