# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: write values as texts, and join the cells of rows to delimited text.

`comb.kernels.reference.formatting` says what the results are. Floats are written in the shortest form
that reads back equal, by the algorithm of R. Giulietti, "The Schubfach way to render
doubles" (2020); it is what Python's `repr` gives.
"""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint32_t, uint64_t
from libc.stdlib cimport free, malloc
from libc.string cimport memchr, memcpy, memmove

import numpy as np

include "_version.pxi"

cdef extern from "Python.h":
    object PyByteArray_FromStringAndSize(const char *, Py_ssize_t)
    char *PyByteArray_AsString(object) except NULL
    int PyByteArray_Resize(object, Py_ssize_t) except -1

cdef extern from "_compiler.h":
    uint64_t comb_product(uint64_t, uint64_t, uint64_t *) nogil
    int comb_zeros_above(uint64_t) nogil

cdef enum:
    LEAST_POWER = -292
    MOST_POWER = 324
    LONGEST_NUMBER = 32
    BYTES_AT_ONCE = 4096
    COPIED = 16

cdef uint64_t _HIGH[617]
cdef uint64_t _LOW[617]


def _fill_powers():
    """Fill the table of powers of ten, as 128 bits each, rounded up."""
    for power in range(LEAST_POWER, MOST_POWER + 1):
        if power >= 0:
            numerator, denominator = 10**power, 1
        else:
            numerator, denominator = 1, 10**-power
        shift = 127 - ((power * 1741647) >> 19)
        if shift >= 0:
            numerator <<= shift
        else:
            denominator <<= -shift
        value = -(-numerator // denominator)
        _HIGH[power - LEAST_POWER] = value >> 64
        _LOW[power - LEAST_POWER] = value & 0xFFFFFFFFFFFFFFFF


_fill_powers()

# The numbers from 00 to 99, two digits each.
cdef uint8_t _PAIRS[200]
cdef uint64_t _TENS[20]


def _fill_pairs():
    for number in range(100):
        _PAIRS[2 * number], _PAIRS[2 * number + 1] = 48 + number // 10, 48 + number % 10
    for number in range(20):
        _TENS[number] = 10**number


_fill_pairs()


cdef inline uint64_t _to_odd(int power, uint64_t factor) noexcept nogil:
    """Multiply with a power of ten; the last bit says whether something was cut off."""
    cdef uint64_t low, unused
    cdef uint64_t carry = comb_product(_LOW[power - LEAST_POWER], factor, &unused)
    cdef uint64_t high = comb_product(_HIGH[power - LEAST_POWER], factor, &low)
    low += carry
    return (high + (low < carry)) | (low > 1)


cdef void _shortest(uint64_t bits, uint64_t *digits, int *exponent) noexcept nogil:
    """Find the shortest decimal that reads back as a float, without its sign."""
    cdef uint64_t fraction = bits & 0xFFFFFFFFFFFFFULL, c, left, middle, right, lower, upper, s, tens
    cdef int raised = <int> ((bits >> 52) & 0x7FF), q, k, h
    cdef bint closer = fraction == 0 and raised > 1, odd, below, above
    if raised:
        c, q = fraction | (<uint64_t> 1 << 52), raised - 1075
        if -53 < q <= 0 and c & ((<uint64_t> 1 << -q) - 1) == 0:
            digits[0], exponent[0] = c >> -q, 0
            return
    else:
        c, q = fraction, -1074
    odd = c & 1
    k = (q * 1262611 - (524031 if closer else 0)) >> 22
    h = q + ((-k * 1741647) >> 19) + 1
    left = _to_odd(-k, (4 * c - 2 + closer) << h)
    middle = _to_odd(-k, (4 * c) << h)
    right = _to_odd(-k, (4 * c + 2) << h)
    lower, upper = left + odd, right - odd
    s = middle // 4
    if s >= 10:
        tens = s // 10
        below, above = lower <= 40 * tens, 40 * tens + 40 <= upper
        if below != above:
            digits[0], exponent[0] = tens + above, k + 1
            return
    below, above = lower <= 4 * s, 4 * s + 4 <= upper
    if below != above:
        digits[0], exponent[0] = s + above, k
        return
    above = middle > 4 * s + 2 or (middle == 4 * s + 2 and s & 1)
    digits[0], exponent[0] = s + above, k


cdef inline int _count_digits(uint64_t value) noexcept nogil:
    """Return how many digits a whole number has: about 0.3 for each of its bits."""
    cdef int about = ((64 - comb_zeros_above(value | 1)) * 1233) >> 12
    return about + ((value | 1) >= _TENS[about])


cdef int _write_digits(uint64_t value, uint8_t *out) noexcept nogil:
    """Write a whole number; returns how many digits it has."""
    cdef int count = _count_digits(value), at = count
    cdef uint64_t rest
    cdef uint32_t small, pair
    # Two digits at a time, and the last eight of a long number by divisions of 32 bits.
    while value >= 100000000:
        rest = value // 100000000
        small = <uint32_t> (value - rest * 100000000)
        value = rest
        for _ in range(4):
            pair = small % 100
            small //= 100
            at -= 2
            memcpy(out + at, &_PAIRS[2 * pair], 2)
    small = <uint32_t> value
    while small >= 100:
        pair = small % 100
        small //= 100
        at -= 2
        memcpy(out + at, &_PAIRS[2 * pair], 2)
    if small >= 10:
        memcpy(out, &_PAIRS[2 * small], 2)
    else:
        out[0] = 48 + small
    return count


cdef inline int _write_decimals(double value, uint8_t mark, uint8_t *out) noexcept nogil:
    """Write a positive float that has up to six decimals; returns 0 for another.

    No two decimals of at most fifteen digits are read as the same float, so the one that reads back is the shortest.
    """
    cdef int64_t millionths
    cdef uint32_t rest
    cdef int size
    if not 1e-4 <= value < 1e9:
        return 0
    millionths = <int64_t> (value * 1e6 + 0.5)
    if <double> millionths / 1e6 != value:
        return 0
    rest = <uint32_t> (millionths % 1000000)
    size = _write_digits(millionths // 1000000, out)
    if not rest:
        return size
    out[size] = mark
    memcpy(out + size + 1, &_PAIRS[2 * (rest // 10000)], 2)
    memcpy(out + size + 3, &_PAIRS[2 * (rest // 100 % 100)], 2)
    memcpy(out + size + 5, &_PAIRS[2 * (rest % 100)], 2)
    size += 7
    while out[size - 1] == 48:
        size -= 1
    return size


cdef int _write_float(double value, uint8_t mark, uint8_t *out) noexcept nogil:
    """Write a finite float as `comb.kernels.scalars.number_text` does."""
    cdef uint64_t bits, digits = 0
    cdef int exponent = 0, count, size = 0, point, at
    cdef uint8_t written[20]
    memcpy(&bits, &value, 8)
    if bits >> 63:
        out[size] = 45
        size += 1
    if not bits << 1:
        out[size] = 48
        return size + 1
    count = _write_decimals(-value if size else value, mark, out + size)
    if count:
        return size + count
    _shortest(bits & 0x7FFFFFFFFFFFFFFFULL, &digits, &exponent)
    while digits % 100000000 == 0:
        digits //= 100000000
        exponent += 8
    if digits % 10000 == 0:
        digits //= 10000
        exponent += 4
    while digits % 10 == 0:
        digits //= 10
        exponent += 1
    count = _write_digits(digits, written)
    point = count + exponent
    if -4 < point <= 16:
        if point <= 0:
            out[size], out[size + 1] = 48, mark
            size += 2
            for at in range(-point):
                out[size] = 48
                size += 1
            point = 0
        if 0 < point < count:
            memcpy(out + size, written, point)
            out[size + point] = mark
            memcpy(out + size + point + 1, written + point, count - point)
            return size + count + 1
        memcpy(out + size, written, count)
        size += count
        for at in range(point - count):
            out[size] = 48
            size += 1
        return size
    out[size] = written[0]
    size += 1
    if count > 1:
        out[size] = mark
        size += 1
        memcpy(out + size, written + 1, count - 1)
        size += count - 1
    out[size], out[size + 1] = 101, 43 if point > 0 else 45
    size += 2
    point = point - 1 if point > 0 else 1 - point
    if point < 10:
        out[size] = 48
        size += 1
    return size + _write_digits(point, out + size)


cdef int _write_scaled(int64_t value, int scale, uint8_t mark, uint8_t *out) noexcept nogil:
    """Write a whole number of digits with the mark where its scale puts it; takes up to `LONGEST_NUMBER` bytes."""
    cdef int size = 0, count, at, point
    cdef uint64_t magnitude = <uint64_t> value, behind
    if value < 0:
        out[0] = 45
        size = 1
        magnitude = 0 - magnitude
    if not scale:
        return size + _write_digits(magnitude, out + size)
    count = _count_digits(magnitude)
    if count <= scale:
        out[size], out[size + 1] = 48, mark
        size += 2
        for at in range(scale - count):
            out[size] = 48
            size += 1
        return size + _write_digits(magnitude, out + size)
    point = size + _write_digits(magnitude, out + size) - scale
    # The digits behind the mark make room for it.
    if scale <= 8:
        memcpy(&behind, out + point, 8)
        memcpy(out + point + 1, &behind, 8)
    else:
        memmove(out + point + 1, out + point, scale)
    out[point] = mark
    return point + 1 + scale


def write_integers(const int64_t[:] values, int scale, int mark, /):
    """Write whole numbers or decimals; returns buffer and offsets."""
    cdef Py_ssize_t count = values.shape[0], at
    cdef int64_t size = 0
    buffer_array, offsets_array = np.empty(count * LONGEST_NUMBER + 1, np.uint8), np.empty(count + 1, np.int64)
    cdef uint8_t[::1] buffer = buffer_array
    cdef int64_t[::1] offsets = offsets_array
    with nogil:
        for at in range(count):
            offsets[at] = size
            size += _write_scaled(values[at], scale, mark, &buffer[size])
        offsets[count] = size
    return buffer_array[:size], offsets_array


def write_numbers(const double[:] values, int mark, /):
    """Write finite floats; returns buffer and offsets. Others are left empty."""
    cdef Py_ssize_t count = values.shape[0], at
    cdef int64_t size = 0
    buffer_array, offsets_array = np.empty(count * LONGEST_NUMBER + 1, np.uint8), np.empty(count + 1, np.int64)
    cdef uint8_t[::1] buffer = buffer_array
    cdef int64_t[::1] offsets = offsets_array
    with nogil:
        for at in range(count):
            offsets[at] = size
            if values[at] - values[at] == 0:
                size += _write_float(values[at], mark, &buffer[size])
        offsets[count] = size
    return buffer_array[:size], offsets_array


def write_dates(const int64_t[:] days, str order, int mark, bint padded_month, bint padded_day, /):
    """Write days from 1970-01-01, years 1 to 9999; returns buffer and offsets."""
    cdef Py_ssize_t count = days.shape[0], at
    cdef int64_t size = 0
    cdef uint32_t shifted, era, in_era, year_of_era, in_year, month, day, year
    cdef int step, part
    cdef int parts[3]
    buffer_array, offsets_array = np.empty(count * 10 + 1, np.uint8), np.empty(count + 1, np.int64)
    cdef uint8_t[::1] buffer = buffer_array
    cdef int64_t[::1] offsets = offsets_array
    for step, letter in enumerate(order):
        parts[step] = "ymd".index(letter)
    with nogil:
        for at in range(count):
            offsets[at] = size
            if not -719162 <= days[at] <= 2932896:
                continue
            # Years that begin in March put the leap day last; an era of 400 of them has 146,097 days.
            shifted = <uint32_t> (days[at] + 719468)
            era = shifted // 146097
            in_era = shifted - era * 146097
            year_of_era = (in_era - in_era // 1460 + in_era // 36524 - in_era // 146096) // 365
            in_year = in_era - (365 * year_of_era + year_of_era // 4 - year_of_era // 100)
            month = (5 * in_year + 2) // 153
            day = in_year - (153 * month + 2) // 5 + 1
            month = month + 3 if month < 10 else month - 9
            year = year_of_era + era * 400 + (month <= 2)
            for step in range(3):
                part = parts[step]
                if step:
                    buffer[size] = mark
                    size += 1
                if part == 0:
                    memcpy(&buffer[size], &_PAIRS[2 * (year // 100)], 2)
                    memcpy(&buffer[size + 2], &_PAIRS[2 * (year % 100)], 2)
                    size += 4
                    continue
                shifted = month if part == 1 else day
                if shifted > 9 or (padded_month if part == 1 else padded_day):
                    memcpy(&buffer[size], &_PAIRS[2 * shifted], 2)
                    size += 2
                else:
                    buffer[size] = 48 + shifted
                    size += 1
        offsets[count] = size
    return buffer_array[:size], offsets_array


def write_between(bytes before, const int64_t[:] values, bytes behind, /):
    """Write whole numbers, each between the same two texts; returns buffer and offsets."""
    cdef Py_ssize_t count = values.shape[0], at, ahead = len(before), rest = len(behind)
    cdef int64_t size = 0
    cdef const uint8_t *before_text = before
    cdef const uint8_t *behind_text = behind
    buffer_array = np.empty(count * (LONGEST_NUMBER + ahead + rest) + 1, np.uint8)
    offsets_array = np.empty(count + 1, np.int64)
    cdef uint8_t[::1] buffer = buffer_array
    cdef int64_t[::1] offsets = offsets_array
    with nogil:
        for at in range(count):
            offsets[at] = size
            memcpy(&buffer[size], before_text, ahead)
            size += ahead
            size += _write_scaled(values[at], 0, 46, &buffer[size])
            memcpy(&buffer[size], behind_text, rest)
            size += rest
        offsets[count] = size
    return buffer_array[:size], offsets_array


cdef struct Written:
    const uint8_t *text
    int64_t last  # from this byte of the text and those before it, `COPIED` can be read
    const int64_t *offsets
    const int32_t *codes  # NULL where each cell has its own text
    const uint8_t *state  # NULL where nothing is missing
    bint plain  # whether no text of the column needs quotes


cdef bint _has_marks(const uint8_t *text, int64_t size, uint8_t delimiter) noexcept nogil:
    """Say whether some of many bytes need quotes around them; quicker than to look at each cell."""
    cdef int64_t start = 0, at, stop
    cdef uint8_t found
    while start < size:
        stop = min(start + BYTES_AT_ONCE, size)
        found = 0
        for at in range(start, stop):
            found |= (text[at] == delimiter) | (text[at] == 34) | (text[at] == 10) | (text[at] == 13)
        if found:
            return True
        start = stop
    return False


cdef bint _needs_quotes(const uint8_t *text, int64_t size, uint8_t delimiter) noexcept nogil:
    cdef int64_t at
    for at in range(size):
        if text[at] == delimiter or text[at] == 34 or text[at] == 10 or text[at] == 13:
            return True
    return False


def join(list columns, Py_ssize_t rows, bytes delimiter, bytes line_end, bytes missing, /):
    """Join the cells of rows to delimited text, quoted where RFC 4180 wants it.

    Parameters
    ----------
    columns : list of (buffer, offsets, codes or None, state or None)
    rows : int
    delimiter : bytes
        One byte.
    line_end, missing : bytes
    """
    cdef Py_ssize_t width = len(columns), at, row, room = 0
    cdef Written *cells = <Written *> malloc(max(width, 1) * sizeof(Written))
    cdef const uint8_t *text
    cdef const uint8_t *end_text = line_end
    cdef const uint8_t *missing_text = missing
    cdef Py_ssize_t end_size = len(line_end), missing_size = len(missing)
    cdef uint8_t mark = delimiter[0]
    cdef int64_t size, place, step
    cdef const uint8_t[::1] buffer
    cdef const int64_t[::1] offsets
    cdef const int32_t[::1] codes
    cdef const uint8_t[::1] state
    cdef uint8_t *out
    cdef bint quote_missing
    if cells == NULL:
        raise MemoryError
    held = []
    try:
        for at in range(width):
            buffer, offsets = columns[at][0], columns[at][1]
            held.append((columns[at][0], columns[at][1], columns[at][2], columns[at][3]))
            cells[at].text = &buffer[0] if buffer.shape[0] else NULL
            cells[at].last = buffer.shape[0] - COPIED
            cells[at].offsets = &offsets[0]
            cells[at].codes = cells[at].state = NULL
            if columns[at][2] is not None and rows:
                codes = columns[at][2]
                cells[at].codes = &codes[0]
            if columns[at][3] is not None and rows:
                state = columns[at][3]
                cells[at].state = &state[0]
            # All texts of a coded column are looked at where there are not many more than cells.
            size = buffer.shape[0] if cells[at].codes else offsets[rows] - offsets[0]
            cells[at].plain = False
            if cells[at].codes == NULL or offsets.shape[0] <= 2 * rows:
                place = 0 if cells[at].codes else offsets[0]
                cells[at].plain = not size or not _has_marks(cells[at].text + place, size, mark)
        quote_missing = _needs_quotes(missing_text, missing_size, mark) or (width == 1 and not missing_size)
        with nogil:
            for at in range(width):
                # At worst every byte is a quote, which is doubled, inside two more.
                if cells[at].codes == NULL:
                    step = cells[at].offsets[rows] - cells[at].offsets[0]
                    room += step if cells[at].plain else 2 * (step + rows)
                    continue
                for row in range(rows):
                    place = cells[at].codes[row]
                    step = cells[at].offsets[place + 1] - cells[at].offsets[place]
                    room += step if cells[at].plain else 2 * (step + 1)
            room += rows * (end_size + width * (2 * missing_size + 3)) + COPIED
        made = PyByteArray_FromStringAndSize(NULL, room)
        out = <uint8_t *> PyByteArray_AsString(made)
        size = 0
        with nogil:
            for row in range(rows):
                for at in range(width):
                    if at:
                        out[size] = mark
                        size += 1
                    if cells[at].state and cells[at].state[row]:
                        size += _put(out + size, missing_text, missing_size, quote_missing)
                        continue
                    place = cells[at].codes[row] if cells[at].codes else row
                    text = cells[at].text + cells[at].offsets[place]
                    step = cells[at].offsets[place + 1] - cells[at].offsets[place]
                    if cells[at].plain:
                        # What is copied too much is written over by what follows.
                        if step <= COPIED and cells[at].offsets[place] <= cells[at].last:
                            memcpy(out + size, text, COPIED)
                        else:
                            _copy(out + size, text, step)
                        size += step
                    else:
                        size += _put(out + size, text, step, _needs_quotes(text, step, mark))
                memcpy(out + size, end_text, end_size)
                size += end_size
    finally:
        free(cells)
    PyByteArray_Resize(made, size)
    return made


cdef inline void _copy(uint8_t *out, const uint8_t *text, int64_t size) noexcept nogil:
    """Copy a short text: its first and its last bytes at once, which may overlap."""
    cdef uint64_t first, last
    cdef uint32_t few, end
    if size > 16:
        memcpy(out, text, size)
    elif size >= 8:
        memcpy(&first, text, 8)
        memcpy(&last, text + size - 8, 8)
        memcpy(out, &first, 8)
        memcpy(out + size - 8, &last, 8)
    elif size >= 4:
        memcpy(&few, text, 4)
        memcpy(&end, text + size - 4, 4)
        memcpy(out, &few, 4)
        memcpy(out + size - 4, &end, 4)
    elif size:
        out[0] = text[0]
        if size > 1:
            out[1], out[size - 1] = text[1], text[size - 1]


cdef inline int64_t _put(uint8_t *out, const uint8_t *text, int64_t size, bint quoted) noexcept nogil:
    """Write one field; returns how many bytes it took."""
    cdef int64_t written = 1, part
    cdef const uint8_t *end = text + size
    cdef const uint8_t *quote
    if not quoted:
        _copy(out, text, size)
        return size
    out[0] = 34
    while text < end:
        quote = <const uint8_t *> memchr(text, 34, end - text)
        part = (quote + 1 if quote else end) - text
        memcpy(out + written, text, part)
        written += part
        text += part
        if quote:
            out[written] = 34
            written += 1
    out[written] = 34
    return written + 1
