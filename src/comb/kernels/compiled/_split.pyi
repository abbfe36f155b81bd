from typing import Any

import numpy as np
from numpy.typing import NDArray

VERSION: int

class Found:
    begins: NDArray[np.int32]
    ends: NDArray[np.int32]
    side: NDArray[np.uint8]
    lines: NDArray[np.int32]
    rows: int
    after: int
    line_ends: int
    blank: list[int]
    stray: list[int]
    unclosed: list[int]
    short: list[tuple[int, int]]
    surplus: list[tuple[int, int, int]]

def split(
    data: bytes | memoryview,
    last: bool,
    delimiter: int,
    quote: int,
    escape: int,
    width: int,
    single: bool,
    most: int,
    scratch: object = None,
    /,
) -> Found: ...
def count_byte(data: bytes | memoryview, wanted: int, stop: int, /) -> int: ...
def check_text(data: Any, /) -> tuple[bool, int, int]: ...
def as_utf8(data: Any, table: bytes, /) -> bytes | int: ...
