from typing import Any

import numpy as np
from numpy.typing import NDArray

VERSION: int

def take_cells(
    data: Any, begin: int, end: int, /
) -> (
    tuple[
        NDArray[np.int32],
        NDArray[np.int32],
        NDArray[np.uint8],
        NDArray[np.uint16],
        NDArray[np.int32],
        NDArray[np.int32],
        NDArray[np.int32],
        list[int],
    ]
    | None
): ...
