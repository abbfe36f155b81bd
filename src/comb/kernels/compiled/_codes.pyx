# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: what is done with codes and with pairs of texts, one after the other.

NumPy's own ways to do the same copy all codes into wider integers first, or gather all bytes.
"""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint64_t
from libc.string cimport memcmp, memcpy

import sys

import numpy as np

include "_version.pxi"

cdef bint LITTLE = sys.byteorder == "little"


cdef bint _inside(const int32_t[::1] codes, int64_t size):
    """Return whether all codes are from 0 to below a size."""
    cdef Py_ssize_t at
    cdef int32_t least = 0, most = -1
    with nogil:
        for at in range(codes.shape[0]):
            least = min(least, codes[at])
            most = max(most, codes[at])
    return least >= 0 and most < size


def count(const int32_t[::1] codes, Py_ssize_t size, /):
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


def look_up(const uint8_t[::1] table, const int32_t[::1] codes, /):
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


def renumber(int32_t[::1] codes, const int32_t[::1] numbers, /):
    """Replace each code by another, in place."""
    cdef Py_ssize_t at
    if not _inside(codes, numbers.shape[0]):
        raise IndexError("expected codes below the number of texts")
    with nogil:
        for at in range(codes.shape[0]):
            codes[at] = numbers[codes[at]]


def same(const uint8_t[::1] left, const int64_t[::1] left_offsets, const uint8_t[::1] right,
         const int64_t[::1] right_offsets, /):
    """Return for each pair of texts whether they are the same.

    Parameters
    ----------
    left, right : uint8 array
        The bytes of the texts.
    left_offsets, right_offsets : int64 array
        Where each begins, and the end; of one length.
    """
    cdef Py_ssize_t at, count = left_offsets.shape[0] - 1
    cdef int64_t size
    if count != right_offsets.shape[0] - 1:
        raise ValueError("expected as many texts on both sides")
    if not _rising(left_offsets, left.shape[0]) or not _rising(right_offsets, right.shape[0]):
        raise IndexError("expected offsets that rise to no more than the number of bytes")
    same_array = np.ones(count, np.uint8)
    cdef uint8_t[::1] equal = same_array
    with nogil:
        for at in range(count):
            size = left_offsets[at + 1] - left_offsets[at]
            if size != right_offsets[at + 1] - right_offsets[at]:
                equal[at] = 0
            elif size:
                equal[at] = memcmp(&left[left_offsets[at]], &right[right_offsets[at]], size) == 0
    return same_array


def fingerprints(const uint8_t[::1] buffer, const int64_t[::1] offsets, /):
    """Return for each text a number of 64 bits that depends on all of its bytes.

    Eight bytes at a time are brought in, each by a multiplication with an odd number, which loses nothing: texts of one
    length that differ in eight bytes alone never have the same number. The last bytes are filled up with zeros.

    Parameters
    ----------
    buffer : uint8 array
    offsets : int64 array
    """
    cdef Py_ssize_t at, count = offsets.shape[0] - 1
    cdef int64_t place, end, before
    cdef uint64_t word, mixed
    if not _rising(offsets, buffer.shape[0]):
        raise IndexError("expected offsets that rise to no more than the number of bytes")
    prints_array = np.empty(count, np.uint64)
    cdef uint64_t[::1] prints = prints_array
    with nogil:
        for at in range(count):
            place, end = offsets[at], offsets[at + 1]
            mixed = <uint64_t>(end - place) * <uint64_t>0x9E3779B97F4A7C15
            while place < end:
                word = 0
                if end - place >= 8:
                    memcpy(&word, &buffer[place], 8)
                elif end >= 8:
                    # With what stands before it, which is moved out again: that many bytes are copied at once.
                    memcpy(&word, &buffer[end - 8], 8)
                    before = 64 - 8 * (end - place)
                    word = word >> before if LITTLE else word << before
                else:
                    memcpy(&word, &buffer[place], end - place)
                mixed = (mixed ^ word) * <uint64_t>0xBF58476D1CE4E5B9
                mixed ^= mixed >> 32
                place += 8
            prints[at] = mixed
    return prints_array


cdef bint _rising(const int64_t[::1] offsets, int64_t size):
    """Return whether offsets rise from 0 or more to no more than a size."""
    cdef Py_ssize_t at
    cdef bint rising = offsets[0] >= 0 and offsets[offsets.shape[0] - 1] <= size
    with nogil:
        for at in range(offsets.shape[0] - 1):
            rising &= offsets[at] <= offsets[at + 1]
    return rising


def number_values(const int64_t[::1] values, int64_t low, int32_t[::1] places, int64_t[::1] different,
                  int64_t[::1] numbers, int64_t[::1] first, int64_t[::1] sizes, int64_t start, int64_t known, /):
    """Number values in order of appearance, from a row on; return the row that ends it, and how many are different.

    It ends early where `first` or `different` is full, or where a value has no place.

    Parameters
    ----------
    values : int64 array
    low : int
        The least value, if each has a place of its own.
    places : int32 array
        One more than the number of the value at each place, 0 where there is none: a place for each value that there
        can be, or a hash table of a power of two.
    different : int64 array
        Becomes the values that are different, in order; empty where each value has a place of its own.
    numbers : int64 array
        Becomes the number of each value; where it is empty nothing is written.
    first, sizes : int64 array
        Become where each number is first, and how often it occurs: as long as each other.
    start, known : int
        From which row on, and how many are different before it.
    """
    cdef Py_ssize_t at
    cdef bint hashed = different.shape[0] > 0, each = numbers.shape[0] > 0
    cdef int64_t number, most = different.shape[0] if hashed else first.shape[0]
    cdef uint64_t place, last = places.shape[0] - 1, mixed
    with nogil:
        for at in range(start, values.shape[0]):
            if hashed:
                mixed = <uint64_t>values[at]
                mixed = (mixed ^ (mixed >> 32)) * <uint64_t>0x9E3779B97F4A7C15
                place = (mixed ^ (mixed >> 32)) & last
                while places[place] and different[places[place] - 1] != values[at]:
                    place = (place + 1) & last
            else:
                place = <uint64_t>(values[at] - low)
                if place > last:
                    break
            number = places[place] - 1
            if number < 0:
                if known == most:
                    break
                number = known
                if hashed:
                    different[known] = values[at]
                first[known] = at
                known += 1
                places[place] = <int32_t>known
            sizes[number] += 1
            if each:
                numbers[at] = number
        else:
            at = values.shape[0]
    return at, known
