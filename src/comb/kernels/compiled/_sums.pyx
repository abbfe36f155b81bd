# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: sums of floats that are exactly rounded, so that no order of the values changes a bit.

A float is a whole number of 53 bits times a power of two. The sum of a group is kept as one long whole number in
limbs of 32 bits, each in an integer of 64 bits, counted from the lowest power of two that occurs in the values; a value
is added to the three limbs that its bits reach into, without a carry. Carries are made every 2**30 values, before a limb
could overflow, and at the end. Then the long number is rounded once, half to even, to the nearest float.

How many limbs there are follows from the powers of two that occur: 68 at most. Of most columns the values are so close
to each other that 128 bits hold the whole sum; those are added up in two words with a carry between them, without
limbs (`short_sums`), which takes a third of the time.
"""

from libc.math cimport ldexp
from libc.stdint cimport int64_t, uint64_t
from libc.string cimport memcpy

import numpy as np

include "_version.pxi"

cdef enum:
    BIAS = 1075          # a mantissa of 53 bits with the exponent field e is worth 2 ** (e - 1075)
    LIMB = 32
    HEADROOM = 64        # bits for carries of as many values as there can be
    CARRY_EVERY = 1073741824

cdef uint64_t MASK = 0xFFFFFFFF
cdef uint64_t FRACTION = 0xFFFFFFFFFFFFF
cdef uint64_t IMPLICIT = 0x10000000000000


cdef inline int field(uint64_t bits) noexcept nogil:
    """Return the exponent field of a float; those below the smallest normal one count as that."""
    cdef int e = <int>((bits >> 52) & 0x7FF)
    return e if e else 1


def span(const double[::1] values, /):
    """Return the least and the largest exponent field of the values, and whether all are finite; 1 and 0 if all are 0."""
    cdef Py_ssize_t at
    cdef uint64_t bits, least = 0xFFFFFFFFFFFFFFFF, most = 0
    with nogil:
        for at in range(values.shape[0]):
            memcpy(&bits, &values[at], 8)
            bits = (bits << 1) >> 1
            most = bits if bits > most else most
            # Zero becomes the largest of all.
            bits -= 1
            least = bits if bits < least else least
    if not most:
        return 1, 0, True
    return field(least + 1), min(field(most), 0x7FE), field(most) != 0x7FF


def short_sums(const double[::1] values, const int64_t[::1] codes, Py_ssize_t groups, int least, /):
    """Return the exactly rounded sums of groups whose sums have at most 127 bits.

    Parameters
    ----------
    values : float64 array
        All finite.
    codes : int64 array
        The group of each value, below `groups`; empty where all are in one.
    groups : int
    least : int
        As `span` gives it.
    """
    cdef Py_ssize_t at, rows = values.shape[0]
    cdef bint whole = codes.shape[0] == 0, outside = False
    cdef uint64_t bits, mantissa, low, high, lower = 0, upper = 0
    cdef int shift
    cdef uint64_t* word
    words_array = np.zeros(2 * groups, np.uint64)
    made_array = np.zeros(groups, np.float64)
    cdef uint64_t[::1] words = words_array
    cdef double[::1] made = made_array
    if not whole and codes.shape[0] != rows:
        raise ValueError("expected a code for each value")
    with nogil:
        for at in range(rows):
            memcpy(&bits, &values[at], 8)
            mantissa = (bits & FRACTION) | (IMPLICIT if (bits << 1) >> 53 else 0)
            shift = field(bits) - least
            # What is zero has the lowest field, and nothing to be moved.
            if shift < 0:
                continue
            if shift >= 64:
                low, high = 0, mantissa << (shift - 64)
            else:
                # In two steps: by all 64 bits at once nothing is defined.
                low, high = mantissa << shift, (mantissa >> 1) >> (63 - shift)
            if bits >> 63:
                low, high = ~low + 1, ~high + (low == 0)
            if whole:
                lower += low
                upper += high + (lower < low)
                continue
            if <uint64_t>codes[at] >= <uint64_t>groups:
                outside = True
                break
            word = &words[2 * codes[at]]
            word[0] += low
            word[1] += high + (word[0] < low)
        if whole and groups:
            words[0], words[1] = lower, upper
        for at in range(groups):
            made[at] = nearest(words[2 * at], words[2 * at + 1], least)
    if outside:
        raise IndexError("expected codes below the number of groups")
    return made_array


cdef double nearest(uint64_t low, uint64_t high, int lowest) noexcept nogil:
    """Round a whole number of 128 bits with a sign to the nearest float."""
    cdef bint negative = high >> 63
    cdef int z = 0, place = 64
    cdef uint64_t q, r
    if negative:
        high = ~high + (low == 0)
        low = ~low + 1
    if not high:
        if not low:
            return 0.0
        high, low, place = low, 0, 0
    z = clz(high)
    if z:
        high = (high << z) | (low >> (64 - z))
        low <<= z
    q, r = high >> 11, high & 0x7FF
    if r > 0x400 or (r == 0x400 and (low != 0 or q & 1)):
        q += 1
    return ldexp(-<double>q if negative else <double>q, place - z + lowest - BIAS + 11)


cdef inline int clz(uint64_t bits) noexcept nogil:
    """Count the zeros above the highest bit that is set."""
    cdef int count = 0
    if not bits >> 32:
        count += 32
        bits <<= 32
    if not bits >> 48:
        count += 16
        bits <<= 16
    if not bits >> 56:
        count += 8
        bits <<= 8
    while not bits >> 63:
        count += 1
        bits <<= 1
    return count


cdef void carry(int64_t* limbs, Py_ssize_t count) noexcept nogil:
    """Bring all limbs but the last into 32 bits; the last keeps the sign."""
    cdef Py_ssize_t k
    cdef int64_t over = 0, whole
    for k in range(count - 1):
        whole = limbs[k] + over
        limbs[k] = whole & <int64_t>MASK
        over = whole >> LIMB
    limbs[count - 1] += over


cdef double rounded(int64_t* limbs, Py_ssize_t count, int lowest) noexcept nogil:
    """Round a long number to the nearest float; its limbs are used up."""
    cdef Py_ssize_t k, top
    cdef int64_t over = 0, whole
    cdef uint64_t high, rest, q, r, last
    cdef int z = 0
    cdef bint negative, sticky
    carry(limbs, count)
    negative = limbs[count - 1] < 0
    if negative:
        for k in range(count):
            limbs[k] = -limbs[k]
        carry(limbs, count)
    top = count - 1
    while top >= 0 and not limbs[top]:
        top -= 1
    if top < 0:
        return 0.0
    # The uppermost 64 bits, beginning with the highest that is set.
    high = (<uint64_t>limbs[top] << LIMB) | (<uint64_t>limbs[top - 1] if top else 0)
    last = <uint64_t>limbs[top - 2] if top > 1 else 0
    while not (high << z) >> 63:
        z += 1
    high = (high << z) | (last >> (LIMB - z) if z else 0)
    rest = last & ((<uint64_t>1 << (LIMB - z)) - 1) if z else last
    sticky = rest != 0
    k = top - 3
    while not sticky and k >= 0:
        sticky = limbs[k] != 0
        k -= 1
    q, r = high >> 11, high & 0x7FF
    if r > 0x400 or (r == 0x400 and (sticky or q & 1)):
        q += 1
    return ldexp(-<double>q if negative else <double>q, <int>(LIMB * (top - 1)) - z + lowest - BIAS + 11)


def sums(const double[::1] values, const int64_t[::1] codes, Py_ssize_t first, Py_ssize_t stop, int least, int most, /):
    """Return the exactly rounded sums of the groups from `first` to below `stop`.

    Parameters
    ----------
    values : float64 array
        Infinities and what is no number make a sum that is none.
    codes : int64 array
        The group of each value; empty where all are one.
    first, stop : int
    least, most : int
        As `span` gives them.
    """
    cdef Py_ssize_t at, k, groups = stop - first, rows = values.shape[0]
    cdef Py_ssize_t count = (most - least + 53 + HEADROOM + LIMB - 1) // LIMB + 1 if most else 2
    cdef bint whole = codes.shape[0] == 0
    cdef uint64_t bits, mantissa, low, high
    cdef int64_t code, since = 0
    cdef int e, shift
    cdef int64_t* limbs
    long_array = np.zeros(groups * count, np.int64)
    made_array = np.zeros(groups, np.float64)
    odd_array = np.zeros(groups, np.float64)
    cdef int64_t[::1] long_numbers = long_array
    cdef double[::1] made = made_array, odd = odd_array
    if not whole and codes.shape[0] != rows:
        raise ValueError("expected a code for each value")
    if not groups:
        return made_array
    with nogil:
        for at in range(rows):
            code = 0 if whole else codes[at]
            if code < first or code >= stop:
                continue
            memcpy(&bits, &values[at], 8)
            if not bits << 1:
                continue
            e = field(bits)
            if e == 0x7FF:
                odd[code - first] += values[at]
                continue
            mantissa = bits & FRACTION
            if (bits >> 52) & 0x7FF:
                mantissa |= IMPLICIT
            shift = e - least
            limbs = &long_numbers[(code - first) * count + (shift >> 5)]
            shift &= 31
            low = mantissa << shift
            high = mantissa >> (64 - shift) if shift else 0
            if bits >> 63:
                limbs[0] -= <int64_t>(low & MASK)
                limbs[1] -= <int64_t>(low >> LIMB)
                limbs[2] -= <int64_t>high
            else:
                limbs[0] += <int64_t>(low & MASK)
                limbs[1] += <int64_t>(low >> LIMB)
                limbs[2] += <int64_t>high
            since += 1
            if since == CARRY_EVERY:
                for k in range(groups):
                    carry(&long_numbers[k * count], count)
                since = 0
        for k in range(groups):
            # An infinity among the values is what the sum is; two that cancel out are no number.
            made[k] = rounded(&long_numbers[k * count], count, least) if odd[k] == 0 else odd[k]
    return made_array
