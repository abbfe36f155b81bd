# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: what is done with the codes of texts, one code after the other.

NumPy's own ways to do the same copy all codes into wider integers first.
"""

from libc.stdint cimport int32_t, int64_t, uint8_t

import numpy as np

include "_version.pxi"


cdef bint _inside(const int32_t[::1] codes, int64_t size):
    """Return whether all codes are from 0 to below a size."""
    cdef Py_ssize_t at
    cdef int32_t least = 0, most = -1
    with nogil:
        for at in range(codes.shape[0]):
            least = min(least, codes[at])
            most = max(most, codes[at])
    return least >= 0 and most < size


def count(const int32_t[::1] codes, Py_ssize_t size):
    """Count how often each code occurs."""
    cdef Py_ssize_t at
    counts_array = np.zeros(size, np.int64)
    cdef int64_t[::1] counts = counts_array
    if not _inside(codes, size):
        raise IndexError("expected codes below the number of texts")
    with nogil:
        for at in range(codes.shape[0]):
            counts[codes[at]] += 1
    return counts_array


def look_up(const uint8_t[::1] table, const int32_t[::1] codes):
    """Return for each code what a table of small numbers says of it."""
    cdef Py_ssize_t at
    found_array = np.empty(codes.shape[0], np.uint8)
    cdef uint8_t[::1] found = found_array
    if not _inside(codes, table.shape[0]):
        raise IndexError("expected codes below the size of the table")
    with nogil:
        for at in range(codes.shape[0]):
            found[at] = table[codes[at]]
    return found_array


def renumber(int32_t[::1] codes, const int32_t[::1] numbers):
    """Replace each code by another, in place."""
    cdef Py_ssize_t at
    if not _inside(codes, numbers.shape[0]):
        raise IndexError("expected codes below the number of texts")
    with nogil:
        for at in range(codes.shape[0]):
            codes[at] = numbers[codes[at]]
