from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

VERSION: int

_Places = NDArray[np.integer[Any]]
_Words = tuple[NDArray[np.uint8], NDArray[np.int64]]
_Read = tuple[NDArray[Any], NDArray[np.uint8], NDArray[np.int64]]

def tally(
    data: Any,
    side: NDArray[np.uint8],
    begins: _Places,
    ends: _Places,
    counts: NDArray[np.int64],
    words: Sequence[_Words],
    /,
) -> tuple[NDArray[np.int64], NDArray[np.uint8]]: ...
def read_numbers(
    data: Any,
    side: NDArray[np.uint8],
    begins: _Places,
    ends: _Places,
    kind: str,
    scale: int,
    mark: int,
    given_words: _Words,
    /,
) -> _Read: ...
def read_number_columns(
    data: Any,
    side: NDArray[np.uint8],
    begins: NDArray[np.int32],
    ends: NDArray[np.int32],
    columns: NDArray[np.int64],
    forms: Sequence[tuple[str, int, int]],
    given_words: _Words,
    rooms: Sequence[tuple[NDArray[np.int64], NDArray[np.uint8]]] | None,
    first: int,
    /,
) -> tuple[list[NDArray[np.int64]], list[NDArray[np.uint8]], NDArray[np.int64], NDArray[np.int64]]: ...
def read_dates(
    data: Any,
    side: NDArray[np.uint8],
    begins: _Places,
    ends: _Places,
    orders: Sequence[tuple[str, str]],
    given_words: _Words,
    room: tuple[NDArray[np.int64], NDArray[np.uint8]] | None = None,
    /,
) -> _Read: ...
def encode(
    data: Any,
    side: NDArray[np.uint8],
    begins: _Places,
    ends: _Places,
    most_distinct: float,
    known: int = -1,
    room: NDArray[np.int32] | None = None,
    seen: tuple[NDArray[np.uint8], NDArray[np.int64]] | None = None,
    /,
) -> tuple[NDArray[np.int64], NDArray[np.int32]] | tuple[None, None]: ...
def traits(
    data: Any, side: NDArray[np.uint8], begins: _Places, ends: _Places, known_words: _Words, /
) -> tuple[NDArray[np.uint8], NDArray[np.int64]]: ...
def gather(
    data: Any, side: NDArray[np.uint8], begins: _Places, ends: _Places, /
) -> tuple[NDArray[np.uint8], NDArray[np.int64]]: ...
def turned(places: NDArray[np.int32], /) -> NDArray[np.int32]: ...
