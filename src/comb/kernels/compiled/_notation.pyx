# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: write numbers of one notation as plain ones; see `comb.kernels.notation`."""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint64_t
from libc.string cimport memcmp

import numpy as np

include "_version.pxi"

from comb.kernels.notation import ODD_SIGN, PLAIN_FITS, WITH_UNIT, ZERO_FIRST

include "_places.pxi"

cdef enum:
    FITS_BIT = 1
    UNIT_BIT = 2
    ODD_BIT = 4
    ZERO_BIT = 8

assert (PLAIN_FITS, WITH_UNIT, ODD_SIGN, ZERO_FIRST) == (FITS_BIT, UNIT_BIT, ODD_BIT, ZERO_BIT)

# A sign that is no ASCII character takes three bytes; per cent may add three zeros and a point.
cdef enum:
    MOST_ADDED = 6


cdef inline int _sign_ahead(Cell cell, bint *minus) noexcept nogil:
    """Return how many bytes the sign takes with which a text begins; 0 if there is none."""
    if not cell.size:
        return 0
    if cell.text[0] == 43 or cell.text[0] == 45:
        minus[0] = cell.text[0] == 45
        return 1
    if cell.size > 2 and cell.text[0] == 0xE2:
        if (cell.text[1] == 0x88 and cell.text[2] == 0x92) or (cell.text[1] == 0x80 and cell.text[2] == 0x93):
            minus[0] = True
            return 3
    return 0


cdef inline int _sign_behind(Cell cell, bint *minus) noexcept nogil:
    cdef Cell end
    if not cell.size:
        return 0
    end.text, end.size = cell.text + cell.size - 1, 1
    if end.text[0] < 0x80:
        return _sign_ahead(end, minus)
    if cell.size > 2:
        end.text, end.size = cell.text + cell.size - 3, 3
        return _sign_ahead(end, minus)
    return 0


cdef inline Cell _without(Cell cell, Py_ssize_t ahead, Py_ssize_t behind) noexcept nogil:
    cell.text += ahead
    cell.size -= ahead + behind
    return _stripped(cell)


cdef inline int _mark_ahead(const uint8_t *text, Py_ssize_t size, uint8_t mark) noexcept nogil:
    """Return how many bytes a mark takes that stands here; spaces and apostrophes are all alike."""
    if text[0] == mark:
        return 1
    if mark == 32:
        if size > 1 and text[0] == 0xC2 and text[1] == 0xA0:
            return 2
        if size > 2 and text[0] == 0xE2 and text[1] == 0x80 and (text[2] == 0xAF or text[2] == 0x89):
            return 3
    elif mark == 39 and size > 2 and text[0] == 0xE2 and text[1] == 0x80 and text[2] == 0x99:
        return 3
    return 0


cdef Py_ssize_t _body(Cell cell, uint8_t decimal, uint8_t group, uint8_t *out, int *whole, int *after) noexcept nogil:
    """Write digits without their marks; returns how many, -1 where the marks stand where they should not."""
    cdef Py_ssize_t at = 0, written = 0
    cdef int step, in_group = 0, first = 0
    cdef bint grouped = False, threes = False, twos = False
    whole[0] = after[0] = 0
    while at < cell.size:
        if _is_digit(cell.text[at]):
            out[written] = cell.text[at]
            written += 1
            whole[0] += 1
            in_group += 1
            at += 1
            continue
        step = _mark_ahead(cell.text + at, cell.size - at, group) if group else 0
        if not step:
            break
        if not grouped:
            if not 1 <= in_group <= 3:
                return -1
            first = in_group
        elif in_group == 3:
            threes = True
        elif in_group == 2 and group == 44:
            # As in India: groups of two, but for the last.
            twos = True
        else:
            return -1
        grouped = True
        in_group = 0
        at += step
    if grouped and (in_group != 3 or out[0] == 48 or (twos and (threes or first == 3))):
        return -1
    if at < cell.size:
        if cell.text[at] != decimal:
            return -1
        at += 1
        if at == cell.size:
            return -1
        while at < cell.size:
            if not _is_digit(cell.text[at]):
                return -1
            out[written] = cell.text[at]
            written += 1
            after[0] += 1
            at += 1
    return written if written else -1


def plain_numbers(const uint8_t[::1] data, const int64_t[::1] offsets, int decimal, int group, const uint8_t[::1] unit,
                  bint per_cent, /):
    """Write texts as plain numbers.

    Returns
    -------
    buffer, offsets, flags, decimals
    """
    cdef Py_ssize_t count = offsets.shape[0] - 1, at, digits, place, place_of_point
    cdef Py_ssize_t unit_size = unit.shape[0]
    cdef const uint8_t *text = _start(data)
    cdef const uint8_t *unit_text = _start(unit)
    cdef Cell cell
    cdef uint8_t flag
    cdef bint inside, minus, signed_
    cdef int step, whole = 0, after = 0, zeros
    buffer_array = np.empty(data.shape[0] + MOST_ADDED * count + 1, np.uint8)
    starts_array = np.zeros(count + 1, np.int64)
    flags_array, decimals_array = np.zeros(count, np.uint8), np.zeros(count, np.int32)
    scratch_array = np.empty(int(np.diff(np.asarray(offsets)).max(initial=0)) + 1, np.uint8)
    cdef uint8_t[::1] buffer = buffer_array
    cdef int64_t[::1] starts = starts_array
    cdef uint8_t[::1] flags = flags_array
    cdef int32_t[::1] decimals = decimals_array
    cdef uint8_t[::1] scratch_view = scratch_array
    cdef uint8_t *scratch = &scratch_view[0]
    cdef Py_ssize_t end = 0
    with nogil:
        for at in range(count):
            cell.text, cell.size = text + offsets[at], offsets[at + 1] - offsets[at]
            cell = _stripped(cell)
            if not cell.size:
                starts[at + 1] = end
                continue
            flag = FITS_BIT
            minus = signed_ = False
            inside = cell.text[0] == 40 and cell.text[cell.size - 1] == 41 and cell.size > 1
            if inside:
                cell = _without(cell, 1, 1)
                flag |= ODD_BIT
                minus = True
            else:
                step = _sign_ahead(cell, &minus)
                if step:
                    signed_ = True
                    cell = _without(cell, step, 0)
            if unit_size and cell.size >= unit_size and memcmp(cell.text, unit_text, unit_size) == 0:
                cell = _without(cell, unit_size, 0)
                flag |= UNIT_BIT
                if not signed_ and not inside:
                    step = _sign_ahead(cell, &minus)
                    cell.text += step
                    cell.size -= step
            elif not signed_ and not inside:
                step = _sign_behind(cell, &minus)
                if step:
                    cell = _without(cell, 0, step)
                    flag |= ODD_BIT
            if unit_size and not flag & UNIT_BIT and cell.size >= unit_size and memcmp(
                cell.text + cell.size - unit_size, unit_text, unit_size
            ) == 0:
                cell = _without(cell, 0, unit_size)
                flag |= UNIT_BIT
            digits = _body(cell, decimal, group, scratch, &whole, &after)
            if digits < 0:
                buffer[end] = 63
                end += 1
                starts[at + 1] = end
                continue
            if whole > 1 and scratch[0] == 48:
                flag |= ZERO_BIT
            flags[at] = flag
            decimals[at] = after
            if minus:
                buffer[end] = 45
                end += 1
            if per_cent:
                # At least one digit stands before the point that moves by two places.
                zeros = 3 - whole if whole < 3 else 0
                place_of_point = (whole if whole > 3 else 3) - 2
                for place in range((whole if whole > 3 else 3) + after):
                    if place == place_of_point:
                        buffer[end] = 46
                        end += 1
                    buffer[end] = 48 if place < zeros else scratch[place - zeros]
                    end += 1
            else:
                for place in range(digits):
                    if place == whole:
                        buffer[end] = 46
                        end += 1
                    buffer[end] = scratch[place]
                    end += 1
            starts[at + 1] = end
    return buffer_array[:end].copy(), starts_array, flags_array, decimals_array
