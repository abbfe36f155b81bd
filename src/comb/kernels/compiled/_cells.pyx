# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: read, count and encode cells that are given by their places in a text.

A cell is the bytes from `begins[i]` to `ends[i]` of the text, or, beyond the text's end, of
what stands aside. `comb.kernels.reference.scalars`, `comb.kernels.reference.counting` and
`comb.kernels.grouping` say what the results are; this is the same without Python objects.

Numbers that are written as most are, are read in C (`_digits.h`); all others here, with more care. Where
neither can decide which float is nearest, Python's own `float` does.
"""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint32_t, uint64_t
from libc.string cimport memchr, memcmp, memcpy, memset

import numpy as np

include "_version.pxi"

from comb.kernels.types import (
    DIGITS_ONLY, INNER_SPACES, IS_BLANK, IS_GIVEN, IS_KNOWN, LEAST_PLUS_DIGITS, MOST_DECIMAL_DIGITS, OUTER_SPACES, SIZE, TallySlot, ZERO_AHEAD,
)

cdef extern from *:
    """
    #include <stdint.h>
    #include <string.h>
    #include "_compiler.h"
    /* Read the up to eight bytes that end here, when eight bytes can be looked at, as if zeros followed them. */
    static inline uint64_t comb_last_bytes(const uint8_t *end, int size) {
        uint64_t eight = 0;
    #if COMB_LITTLE_ENDIAN
        memcpy(&eight, end - 8, 8);
        return size ? eight >> (64 - 8 * size) : 0;
    #else
        memcpy(&eight, end - size, size);
        return eight;
    #endif
    }
    /* Take apart a date of ten bytes with the year first and two digits for month and day; returns whether it is one. */
    static inline int comb_year_first(const uint8_t *text, int *groups) {
    #if COMB_LITTLE_ENDIAN
        const uint64_t mark = text[4];
        uint64_t eight;
        unsigned tens = text[8] - 48u, ones = text[9] - 48u;
        memcpy(&eight, text, 8);
        eight ^= 0x0030300030303030ULL | mark << 32 | mark << 56;
        if ((eight & 0xFFF0F0FFF0F0F0F0ULL) | ((eight + 0x0006060006060606ULL) & 0x00F0F000F0F0F0F0ULL)) return 0;
        if (tens > 9 || ones > 9) return 0;
        groups[0] = (eight & 15) * 1000 + (eight >> 8 & 15) * 100 + (eight >> 16 & 15) * 10 + (eight >> 24 & 15);
        groups[1] = (eight >> 40 & 15) * 10 + (eight >> 48 & 15);
        groups[2] = tens * 10 + ones;
        return 1;
    #else
        return 0;
    #endif
    }
    """
    uint64_t comb_product(uint64_t, uint64_t, uint64_t *) nogil
    uint64_t comb_last_bytes(const uint8_t *, int) nogil
    bint comb_year_first(const uint8_t *, int *) nogil
    void COMB_PREFETCH(const void *) nogil

cdef extern from "_digits.h":
    enum:
        COMB_LEFT
        COMB_LEAST_POWER
        COMB_MOST_POWER
    ctypedef struct Form "comb_form":
        int kind
        int scale
        int mark
        bint left
    ctypedef struct Tallied "comb_shapes":
        int64_t blank
        int64_t whole
        int64_t scaled[20]
        int64_t unscaled
        int64_t exponent
        int64_t bare
        int64_t many
        int64_t decided
        int64_t unusual
    ctypedef struct Column "comb_column":
        const int32_t *begins
        const int32_t *ends
        int64_t *values
        uint8_t *status
        Form form
        Tallied shapes
    uint64_t comb_power_high[651]
    uint64_t comb_power_low[651]
    bint _nearest_float "comb_nearest_float"(uint64_t, int64_t, double *) nogil
    void comb_read_column_32(const uint8_t *, int64_t, const int32_t *, const int32_t *, int64_t, const Form *,
                             int64_t *, uint8_t *, Tallied *) nogil
    void comb_read_column_64(const uint8_t *, int64_t, const int64_t *, const int64_t *, int64_t, const Form *,
                             int64_t *, uint8_t *, Tallied *) nogil
    void comb_read_rows(const uint8_t *, int64_t, Column *, int64_t, int64_t, int64_t, int64_t) nogil

ctypedef fused place:
    int32_t
    int64_t

cdef enum:
    FITS = 0
    BLANK = 1
    MISFIT = 3
    UNUSUAL = 4  # it fits, but its text is not the shortest of its value
    UNDECIDED = 5  # for Python's own float

# In a wide table each cell of a column stands in a part of the text that no cache holds: the
# memory is asked for so many cells ahead.
cdef enum:
    AHEAD = 16

# So much text is worked on at once by all columns, but never fewer rows than this.
cdef Py_ssize_t BYTES_AT_ONCE = 250_000
cdef Py_ssize_t FEWEST_AT_ONCE = 16

# So many rows and columns are turned at once.
cdef enum:
    TILE = 32

# So many columns are read at once where places stand row by row.
cdef enum:
    SIDE_BY_SIDE = 64

cdef enum:
    YMD = 1
    DMY = 2
    MDY = 4

cdef int _BLANK = TallySlot.BLANK, _GIVEN = TallySlot.GIVEN, _KNOWN = TallySlot.KNOWN, _OTHER = TallySlot.OTHER
cdef int _INTEGER = TallySlot.INTEGER, _WHOLE = TallySlot.WHOLE, _LEADING_ZERO = TallySlot.LEADING_ZERO, _LONG = TallySlot.LONG
cdef int _MANY_DIGITS = TallySlot.MANY_DIGITS, _NEGATIVE_ZERO = TallySlot.NEGATIVE_ZERO
cdef int _POINT = TallySlot.POINT, _POINT_MARKED = TallySlot.POINT_MARKED, _POINT_SCALE = TallySlot.POINT_SCALE
cdef int _COMMA = TallySlot.COMMA, _COMMA_MARKED = TallySlot.COMMA_MARKED, _COMMA_SCALE = TallySlot.COMMA_SCALE
cdef int _PLUS = TallySlot.PLUS, _BARE_EXPONENT = TallySlot.BARE_EXPONENT, _LEAST_PLUS_DIGITS = LEAST_PLUS_DIGITS
cdef int _POINT_DECIDED = TallySlot.POINT_DECIDED, _COMMA_DECIDED = TallySlot.COMMA_DECIDED, _DATE = TallySlot.DATE, _WORD = TallySlot.WORD
cdef uint8_t _IS_BLANK = IS_BLANK, _IS_GIVEN = IS_GIVEN, _IS_KNOWN = IS_KNOWN
cdef int _MOST_DECIMAL_DIGITS = MOST_DECIMAL_DIGITS
cdef int _MOST_NUMBER_DIGITS = 17
cdef uint64_t _INT64_MAX = 0x7FFFFFFFFFFFFFFFULL

# The days before each month in a year that begins in March.
cdef int _BEFORE[13]


def _fill_powers():
    """Fill the table of powers, as the paper's appendix describes it."""
    for power in range(COMB_LEAST_POWER, COMB_MOST_POWER + 1):
        if power < 0:
            five = 5 ** -power
            bits = (five - 1).bit_length()
            value = (1 << (2 * bits + 128 if power < -27 else bits + 127)) // five + 1
        else:
            value = 5**power
        excess = value.bit_length() - 128
        value = value >> excess if excess > 0 else value << -excess
        comb_power_high[power - COMB_LEAST_POWER] = value >> 64
        comb_power_low[power - COMB_LEAST_POWER] = value & 0xFFFFFFFFFFFFFFFF
    for month in range(1, 13):
        _BEFORE[month] = (153 * (month - 3 if month > 2 else month + 9) + 2) // 5


_fill_powers()


include "_places.pxi"


# -- the shape of one cell ------------------------------------------------------------------


cdef struct Number:
    bint negative
    bint signed
    uint8_t mark  # 0 where there is none
    bint exponent
    Py_ssize_t whole  # digits before the mark
    Py_ssize_t leading  # zeros in front of these
    Py_ssize_t after  # digits after the mark
    Py_ssize_t digits  # of mantissa and exponent
    bint zero
    uint64_t mantissa  # of the first 19 digits that count
    int significant  # how many digits count
    int64_t power  # of ten, for the mantissa


cdef struct Date:
    uint8_t mark
    int sizes[3]
    int groups[3]


cdef bint _scan_number(Cell cell, Number *found) noexcept nogil:
    """Take a number apart; the mark may be a point or a comma."""
    cdef Py_ssize_t at = 0
    cdef int64_t power = 0, sign = 1
    cdef uint8_t byte
    found.negative = found.signed = found.exponent = False
    found.mark = 0
    found.whole = found.leading = found.after = found.digits = 0
    found.mantissa = 0
    found.significant = 0
    found.power = 0
    if cell.size and (cell.text[0] == 43 or cell.text[0] == 45):
        found.signed = True
        found.negative = cell.text[0] == 45
        at = 1
    while at < cell.size:
        byte = cell.text[at]
        if _is_digit(byte):
            if found.mark:
                found.after += 1
            else:
                found.leading += byte == 48 and found.leading == found.whole
                found.whole += 1
            if found.significant or byte != 48:
                if found.significant < 19:
                    found.mantissa = found.mantissa * 10 + (byte - 48)
                    found.power -= found.mark != 0
                else:
                    found.power += found.mark == 0
                found.significant += 1
            else:
                found.power -= found.mark != 0
        elif (byte == 46 or byte == 44) and not found.mark:
            found.mark = byte
        else:
            break
        at += 1
    if not found.whole + found.after:
        return False
    found.digits = found.whole + found.after
    found.zero = found.significant == 0
    if at < cell.size:
        if cell.text[at] != 101 and cell.text[at] != 69:
            return False
        at += 1
        found.exponent = True
        if at < cell.size and (cell.text[at] == 43 or cell.text[at] == 45):
            sign = -1 if cell.text[at] == 45 else 1
            at += 1
        if at == cell.size:
            return False
        while at < cell.size:
            if not _is_digit(cell.text[at]):
                return False
            if power < 10_000_000:
                power = power * 10 + (cell.text[at] - 48)
            found.digits += 1
            at += 1
        found.power += sign * power
    return True


cdef bint _scan_date(Cell cell, Date *found) noexcept nogil:
    """Take a numeric date apart: three groups of digits with one mark between."""
    cdef Py_ssize_t at = 0
    cdef int group, value, size
    if cell.size < 5 or cell.size > 12:
        return False
    for group in range(3):
        value = size = 0
        while at < cell.size and size < 5 and _is_digit(cell.text[at]):
            value = value * 10 + (cell.text[at] - 48)
            size += 1
            at += 1
        if not size or size > (2 if group == 1 else 4):
            return False
        found.sizes[group], found.groups[group] = size, value
        if group == 2:
            return at == cell.size
        if at >= cell.size:
            return False
        if group == 0:
            found.mark = cell.text[at]
            if found.mark != 45 and found.mark != 46 and found.mark != 47:
                return False
        elif cell.text[at] != found.mark:
            return False
        at += 1
    return False


cdef inline bint _day_number(Date *date, int order, int64_t *days) noexcept nogil:
    """Count the days from 1970-01-01."""
    cdef int at = 0 if order == YMD else 2
    cdef int month_at = 0 if order == MDY else 1
    cdef int day_at = 2 if order == YMD else 0 if order == DMY else 1
    if date.sizes[at] != 4 or date.sizes[month_at] > 2 or date.sizes[day_at] > 2:
        return False
    return _count_days(date.groups[at], date.groups[month_at], date.groups[day_at], days)


cdef inline bint _count_days(int year, int month, int day, int64_t *days) noexcept nogil:
    cdef unsigned int shifted, century
    if not year or not 1 <= month <= 12 or not 1 <= day <= 31 or (day > 28 and day > _days_in(year, month)):
        return False
    # Years that begin in March put the leap day last.
    shifted = year - (month <= 2)
    # Years have four digits, of which this is a hundredth: a division would take longer than all else here.
    century = (shifted * 5243) >> 19
    days[0] = <int> (365 * shifted + (shifted >> 2) - century + (century >> 2)) + _BEFORE[month] + day - 719469
    return True


# -- numbers ---------------------------------------------------------------------------------


cdef inline bint _to_float(Number *number, double *value) noexcept nogil:
    """Find the float of a number; False where Python has to say."""
    if number.significant > 19 or not _nearest_float(number.mantissa, number.power, value):
        return False
    if number.negative:
        value[0] = -value[0]
    return True


cdef inline bint _overflows(Cell cell, Number *number) noexcept nogil:
    """Return whether a number is too large for a float, or so small that it would become zero."""
    cdef int64_t magnitude
    cdef double value
    if number.zero:
        return False
    magnitude = number.power + min(number.significant, 19)
    if -300 < magnitude < 308:
        return False
    if magnitude > 310 or magnitude < -330:
        return True
    if _to_float(number, &value):
        return False
    with gil:
        value = abs(float(bytes(cell.text[: cell.size]).replace(b",", b".")))
        return value == float("inf") or value == 0


cdef inline bint _to_integer(Number *number, Py_ssize_t size, int64_t *value) noexcept nogil:
    """Find the whole number; False if there is none in the range of int64."""
    if number.mark or number.exponent or size > 20 or number.significant > 19:
        return False
    if number.mantissa > _INT64_MAX + number.negative:
        return False
    value[0] = <int64_t> (0 - number.mantissa) if number.negative else <int64_t> number.mantissa
    return True


cdef inline int _scale_of(Number *number) noexcept nogil:
    """Return how many digits stand after the mark; 0 where that cannot be told."""
    if not number.mark or number.exponent or not number.whole or not number.after:
        return 0
    return <int> number.after if number.whole - number.leading + number.after <= _MOST_DECIMAL_DIGITS else 0


# -- counting --------------------------------------------------------------------------------


cdef void _count_number(Cell cell, Number *number, int64_t *tally, int64_t weight) noexcept nogil:
    cdef int64_t value
    cdef Py_ssize_t rest = cell.size - number.signed - number.whole - 1
    cdef bint long_number
    cdef bint decided = rest != 3 or not 1 <= number.whole <= 3 or number.leading
    if number.leading and number.whole > 1 and not number.signed and not number.exponent:
        tally[_LEADING_ZERO] += weight
    if number.exponent and not number.mark and _is_digit(cell.text[number.signed + number.whole + 1]):
        tally[_BARE_EXPONENT] += weight
    if not number.mark and not number.exponent:
        tally[_WHOLE] += weight
        if number.signed and not number.negative and number.whole >= _LEAST_PLUS_DIGITS:
            tally[_PLUS] += weight
        long_number = number.significant > 19 or number.mantissa > _INT64_MAX + number.negative
        if long_number:
            tally[_LONG] += weight
        elif _to_integer(number, cell.size, &value):
            tally[_INTEGER] += weight
    if _overflows(cell, number):
        return
    if number.digits > _MOST_NUMBER_DIGITS:
        tally[_MANY_DIGITS] += weight
    if number.zero and number.negative:
        tally[_NEGATIVE_ZERO] += weight
    if number.mark != 44:
        tally[_POINT] += weight
        if number.mark or number.exponent:
            tally[_POINT_MARKED] += weight
        if number.mark and decided:
            tally[_POINT_DECIDED] += weight
        tally[_POINT_SCALE + _scale_of(number)] += weight
    if number.mark != 46:
        tally[_COMMA] += weight
        if number.mark:
            tally[_COMMA_MARKED] += weight
            if decided:
                tally[_COMMA_DECIDED] += weight
        tally[_COMMA_SCALE + _scale_of(number)] += weight


cdef void _count_date(Date *date, int64_t *tally, int64_t weight) noexcept nogil:
    cdef int64_t days
    cdef int64_t *parts = tally + _DATE + 9 * (date.mark - 45)
    if date.sizes[0] == 4:
        parts[0] += weight
        parts[1] += weight * (date.sizes[1] != 2 or date.sizes[2] != 2)
        parts[2] += weight * _day_number(date, YMD, &days)
    if date.sizes[2] == 4:
        parts[3] += weight
        parts[4] += weight * (date.sizes[0] != 2 or date.sizes[1] != 2)
        parts[5] += weight * (date.groups[0] > 12)
        parts[6] += weight * (date.groups[1] > 12)
        parts[7] += weight * _day_number(date, DMY, &days)
        parts[8] += weight * _day_number(date, MDY, &days)


def tally(const uint8_t[::1] data, const uint8_t[::1] side, const place[::1] begins, const place[::1] ends,
          const int64_t[::1] counts, words, /):
    """Count what cells could be; see `comb.kernels.reference.counting.tally`.

    `counts` may be empty: each cell counts once. `words` are three pairs of arrays.
    """
    cdef Py_ssize_t count = begins.shape[0], at, size = data.shape[0]
    cdef const uint8_t *text = _start(data)
    cdef const uint8_t *aside = _start(side)
    cdef Words given, known, counted
    cdef Cell cell
    cdef Number number
    cdef Date date
    cdef Py_ssize_t word
    cdef int64_t weight = 1
    cdef uint8_t first
    cdef bint weighted = counts.shape[0] > 0
    total, marks = np.zeros(SIZE, np.int64), np.zeros(count, np.uint8)
    cdef int64_t[::1] tallied = total
    cdef uint8_t[::1] kinds = marks
    cdef int64_t *places = &tallied[0]
    _set_words(&given, words[0][0], words[0][1], False)
    _set_words(&known, words[1][0], words[1][1], True)
    _set_words(&counted, words[2][0], words[2][1], True)
    with nogil:
        for at in range(count):
            if at + AHEAD < count:
                COMB_PREFETCH(text + begins[at + AHEAD])
            cell = _stripped(_cell(text, size, aside, begins[at], ends[at]))
            if weighted:
                weight = counts[at]
            if not cell.size:
                kinds[at] = _IS_BLANK
                places[_BLANK] += weight
                continue
            if given.count and _find_word(&given, cell) >= 0:
                kinds[at] = _IS_GIVEN
                places[_GIVEN] += weight
                continue
            if known.count and _find_word(&known, cell) >= 0:
                kinds[at] = _IS_KNOWN
                places[_KNOWN] += weight
                continue
            places[_OTHER] += weight
            first = cell.text[0]
            if 43 <= first <= 57:
                if _scan_number(cell, &number):
                    _count_number(cell, &number, places, weight)
                elif _scan_date(cell, &date):
                    _count_date(&date, places, weight)
            word = _find_word(&counted, cell)
            if word >= 0:
                places[_WORD + word] += weight
    return total, marks


# -- reading ---------------------------------------------------------------------------------


cdef inline bint _is_given(Words *given, Cell cell) noexcept nogil:
    return given.count > 0 and cell.size > 0 and _find_word(given, cell) >= 0


cdef inline bint _usual_number(Cell cell, int mark, Number *found) noexcept nogil:
    """Take apart a number of at most 18 digits that is written as usual; False for all others."""
    cdef const uint8_t *at = cell.text
    cdef const uint8_t *end = cell.text + cell.size
    cdef const uint8_t *start
    cdef uint64_t mantissa = 0
    cdef uint8_t digit
    cdef int64_t power = 0
    cdef bint minus
    found.negative = at[0] == 45
    at += found.negative
    start = at
    while at < end:
        digit = at[0] - 48
        if digit > 9:
            break
        mantissa = mantissa * 10 + digit
        at += 1
    found.whole = at - start
    found.after = 0
    found.leading = start < end and start[0] == 48
    found.exponent = False
    found.mark = 0
    if not found.whole or (found.leading and found.whole > 1):
        return False
    if at < end and at[0] == mark:
        found.mark = mark
        at += 1
        start = at
        while at < end:
            digit = at[0] - 48
            if digit > 9:
                break
            mantissa = mantissa * 10 + digit
            at += 1
        found.after = at - start
        if not found.after:
            return False
    found.digits = found.whole + found.after
    if found.digits > _MOST_DECIMAL_DIGITS or (found.negative and not mantissa):
        return False
    # With a comma, or without any mark, an exponent is looked at with more care.
    if at < end and (at[0] | 32) == 101 and found.mark == 46:
        found.exponent = True
        at += 1
        minus = at < end and at[0] == 45
        at += minus or (at < end and at[0] == 43)
        start = at
        while at < end and at - start < 4:
            digit = at[0] - 48
            if digit > 9:
                break
            power = power * 10 + digit
            at += 1
        if at == start or power > 280:
            return False
        found.digits += at - start
        if minus:
            power = -power
    found.mantissa = mantissa
    found.power = power - found.after
    found.significant = 18
    found.zero = mantissa == 0
    return at == end


cdef inline void _count_usual(Number *number, Tallied *tallied) noexcept nogil:
    tallied.many += number.digits > _MOST_NUMBER_DIGITS
    if number.exponent:
        tallied.exponent += 1
    elif not number.mark:
        tallied.whole += 1
    elif number.whole - number.leading + number.after <= _MOST_DECIMAL_DIGITS:
        tallied.scaled[number.after] += 1
    else:
        tallied.unscaled += 1
    if number.mark:
        tallied.decided += number.after != 3 or number.whole > 3 or number.leading > 0


cdef void _add_usual(Tallied *tallied, int mark, int64_t *total) noexcept nogil:
    """Add the counts of usual numbers to a tally."""
    cdef int64_t everything, marked = tallied.exponent + tallied.bare + tallied.unscaled
    cdef int step
    cdef int scale = _COMMA_SCALE if mark == 44 else _POINT_SCALE
    for step in range(1, 19):
        marked += tallied.scaled[step]
        total[scale + step] += tallied.scaled[step]
    everything = tallied.whole + marked
    total[_BLANK] += tallied.blank
    total[_OTHER] += everything
    total[_INTEGER] += tallied.whole
    total[_WHOLE] += tallied.whole
    total[_MANY_DIGITS] += tallied.many
    total[_POINT] += tallied.whole if mark == 44 else everything
    # Without a mark, an exponent could stand behind a number with a comma just as well.
    total[_COMMA] += everything if mark == 44 else tallied.whole + tallied.bare
    total[scale] += tallied.unscaled
    total[_POINT_SCALE] += tallied.whole + tallied.exponent + tallied.bare
    total[_COMMA_SCALE] += tallied.whole + tallied.bare
    total[_COMMA_MARKED if mark == 44 else _POINT_MARKED] += marked
    total[_COMMA_DECIDED if mark == 44 else _POINT_DECIDED] += tallied.decided


cdef inline int _value_of(Number *number, Py_ssize_t size, int kind, int scale, int64_t *whole, double *real) noexcept nogil:
    """Find the value of a number as a type; returns a status."""
    cdef int step
    if kind == AS_INTEGER:
        return FITS if _to_integer(number, size, whole) else MISFIT
    if kind == AS_NUMBER:
        return FITS if _to_float(number, real) else UNDECIDED
    if number.exponent or number.after > scale or number.whole - number.leading + scale > _MOST_DECIMAL_DIGITS:
        return MISFIT
    whole[0] = <int64_t> number.mantissa
    for step in range(scale - <int> number.after):
        whole[0] *= 10
    if number.negative:
        whole[0] = -whole[0]
    return FITS


cdef enum:
    AS_INTEGER = 0
    AS_DECIMAL = 1
    AS_NUMBER = 2


cdef struct Text:
    # Cells begin and end in `text`, or beyond its size in `aside`.
    const uint8_t *text
    const uint8_t *aside
    Py_ssize_t size


cdef Form _form(str kind, int scale, int mark, bint any_given):
    cdef Form form
    form.kind = AS_NUMBER if kind == "number" else AS_DECIMAL if kind == "decimal" and scale else AS_INTEGER
    form.scale, form.mark = scale if form.kind == AS_DECIMAL else 0, mark
    form.left = any_given
    return form


cdef uint8_t _number_with_care(Cell raw, Form *form, Words *given, int64_t *value, Tallied *tallied) noexcept nogil:
    """Read a number however it is written; returns a status."""
    cdef Cell cell = raw
    cdef Number number
    cdef bint usual = given.count == 0 and _usual_number(raw, form.mark, &number)
    cdef int found
    if not usual:
        cell = _stripped(raw)
        if not _scan_number(cell, &number) or (number.mark and number.mark != form.mark) or _is_given(given, cell):
            value[0] = 0
            if not cell.size:
                tallied.blank += 1
                return BLANK
            tallied.unusual += 1
            return MISFIT
    value[0] = 0
    found = _value_of(&number, cell.size, form.kind, form.scale, value, <double *> value)
    if found != FITS:
        value[0] = 0
    if found == FITS and usual:
        _count_usual(&number, tallied)
        return FITS
    tallied.unusual += 1
    return UNUSUAL if found == FITS else found


cdef void _read_left(Text *source, const place *begins, const place *ends, Py_ssize_t stride, Py_ssize_t count,
                     Form *form, Words *given, int64_t *values, uint8_t *status, Tallied *tallied) noexcept nogil:
    """Read with care the cells of a column that were left."""
    cdef Py_ssize_t at = 0
    cdef const uint8_t *found
    while at < count:
        found = <const uint8_t *> memchr(status + at, COMB_LEFT, count - at)
        if found == NULL:
            return
        at = found - status
        status[at] = _number_with_care(
            _cell(source.text, source.size, source.aside, begins[at * stride], ends[at * stride]),
            form, given, values + at, tallied
        )
        at += 1


def read_numbers(const uint8_t[::1] data, const uint8_t[::1] side, const place[::1] begins, const place[::1] ends,
                 str kind, int scale, int mark, given_words, /):
    """Read cells as numbers of one kind.

    Parameters
    ----------
    kind : {"integer", "decimal", "number"}
    scale : int
        Digits after the mark of a decimal; fewer are filled up with zeros.
    mark : int
        The byte of the decimal mark.

    Returns
    -------
    values, status, tally
        Where the status is `UNUSUAL` or `MISFIT`, the cell is not in the tally yet; where it is
        `UNDECIDED`, neither, and the value is left to Python.
    """
    cdef Py_ssize_t count = begins.shape[0]
    cdef Text source = Text(_start(data), _start(side), data.shape[0])
    cdef Form form = _form(kind, scale, mark, given_words[1].shape[0] > 1)
    cdef Words given
    cdef Tallied tallied
    values, states, total = np.empty(count, np.int64), np.empty(count, np.uint8), np.zeros(SIZE, np.int64)
    cdef int64_t[::1] integers = values
    cdef uint8_t[::1] status = states
    memset(&tallied, 0, sizeof(Tallied))
    _set_words(&given, given_words[0], given_words[1], False)
    if count:
        with nogil:
            if place is int32_t:
                comb_read_column_32(source.text, source.size, &begins[0], &ends[0], count, &form, &integers[0], &status[0], &tallied)
            else:
                comb_read_column_64(source.text, source.size, &begins[0], &ends[0], count, &form, &integers[0], &status[0], &tallied)
            _read_left(&source, &begins[0], &ends[0], 1, count, &form, &given, &integers[0], &status[0], &tallied)
    cdef int64_t[::1] tallies = total
    _add_usual(&tallied, mark, &tallies[0])
    return values.view(np.float64) if kind == "number" else values, states, total


def read_number_columns(const uint8_t[::1] data, const uint8_t[::1] side, const int32_t[:, :] begins,
                        const int32_t[:, :] ends, const int64_t[::1] columns, forms, given_words, rooms, Py_ssize_t first, /):
    """Read several columns as numbers, some rows at a time, so that the text they stand in is at hand.

    Parameters
    ----------
    begins, ends : int32 arrays of columns by rows
    columns : int64 array
        The columns to read.
    forms : sequence of (str, int, int)
        Kind, scale and mark of each; see `read_numbers`.
    rooms : sequence of (int64 array, uint8 array) or None
        Where values and status of each column go; None for new arrays.
    first : int
        The row there with which to begin.

    Returns
    -------
    values, status, tally, unusual
        As `read_numbers`, a list of arrays for the columns, numbers as the bits of floats; and how many cells of
        each neither fit at once nor are blank.
    """
    cdef Py_ssize_t width = columns.shape[0], count = begins.shape[1], at, start, stop, step, stride
    cdef Text source = Text(_start(data), _start(side), data.shape[0])
    cdef Words given
    if rooms is None:
        first = 0
        rooms = list(zip(np.empty((width, count), np.int64), np.empty((width, count), np.uint8)))
    totals, columns_array = np.zeros((width, SIZE), np.int64), np.zeros((width, sizeof(Column)), np.uint8)
    cdef uint8_t[:, ::1] columns_view = columns_array
    cdef int64_t[::1] integers
    cdef uint8_t[::1] status
    cdef Column *into
    for at in range(width):
        into = <Column *> &columns_view[at, 0]
        into.form = _form(forms[at][0], forms[at][1], forms[at][2], given_words[1].shape[0] > 1)
        integers, status = rooms[at]
        if integers.shape[0] < first + count or status.shape[0] < first + count:
            raise ValueError("expected room for every row")
        if count:
            into.begins, into.ends = &begins[columns[at], 0], &ends[columns[at], 0]
            into.values, into.status = &integers[first], &status[first]
    _set_words(&given, given_words[0], given_words[1], False)
    stride = begins.strides[1] // <Py_ssize_t> sizeof(int32_t)
    if count > 1 and begins.strides[1] != ends.strides[1]:
        raise ValueError("expected begins and ends side by side")
    # The rows that are read at once have to stay in the cache.
    step = max(FEWEST_AT_ONCE, BYTES_AT_ONCE * count // max(source.size, 1))
    if width:
        into = <Column *> &columns_view[0, 0]
        with nogil:
            start = 0
            while start < count:
                stop = min(count, start + step)
                at = 0
                while at < width and stride > 1:
                    # Where the places stand row by row.
                    comb_read_rows(source.text, source.size, into + at, min(width - at, SIDE_BY_SIDE), stride, start, stop)
                    at += SIDE_BY_SIDE
                for at in range(width):
                    if stride == 1:
                        comb_read_column_32(
                            source.text, source.size, into[at].begins + start, into[at].ends + start, stop - start,
                            &into[at].form, into[at].values + start, into[at].status + start, &into[at].shapes
                        )
                    _read_left(
                        &source, into[at].begins + start * stride, into[at].ends + start * stride, stride, stop - start,
                        &into[at].form, &given, into[at].values + start, into[at].status + start, &into[at].shapes
                    )
                start = stop
    unusual = np.zeros(width, np.int64)
    cdef int64_t[::1] unusual_of = unusual
    cdef int64_t[:, ::1] total = totals
    for at in range(width):
        into = <Column *> &columns_view[at, 0]
        _add_usual(&into.shapes, into.form.mark, &total[at, 0])
        unusual_of[at] = into.shapes.unusual
    values = [one[0][first : first + count] for one in rooms]
    return values, [one[1][first : first + count] for one in rooms], totals, unusual


cdef inline int _two(const uint8_t *text) noexcept nogil:
    """Read two digits; a number above 99 where they are none."""
    cdef int tens = text[0] - 48, ones = text[1] - 48
    return tens * 10 + ones if 0 <= tens <= 9 and 0 <= ones <= 9 else 1000


cdef inline bint _padded_date(Cell cell, Date *date) noexcept nogil:
    """Take apart a date of ten characters, with the year first or last."""
    cdef const uint8_t *text = cell.text
    cdef int first, second
    if cell.size != 10:
        return False
    if text[4] == text[7] and 45 <= text[4] <= 47:
        first, second = _two(text), _two(text + 2)
        date.mark = text[4]
        date.sizes[0], date.sizes[1], date.sizes[2] = 4, 2, 2
        date.groups[0], date.groups[1], date.groups[2] = first * 100 + second, _two(text + 5), _two(text + 8)
        return first < 100 and second < 100 and date.groups[1] < 100 and date.groups[2] < 100
    if text[2] == text[5] and 45 <= text[2] <= 47:
        first, second = _two(text + 6), _two(text + 8)
        date.mark = text[2]
        date.sizes[0], date.sizes[1], date.sizes[2] = 2, 2, 4
        date.groups[0], date.groups[1], date.groups[2] = _two(text), _two(text + 3), first * 100 + second
        return first < 100 and second < 100 and date.groups[0] < 100 and date.groups[1] < 100
    return False


def read_dates(const uint8_t[::1] data, const uint8_t[::1] side, const place[::1] begins, const place[::1] ends,
               orders, given_words, room=None, /):
    """Read cells as numeric dates; `orders` are pairs of an order and a mark.

    `room` is where values and status go, an int64 and a uint8 array; new arrays by default.

    Returns
    -------
    values, status, tally
        Days from 1970-01-01; otherwise as `read_numbers`.
    """
    cdef Py_ssize_t count = begins.shape[0], at, size = data.shape[0]
    cdef const uint8_t *text = _start(data)
    cdef const uint8_t *aside = _start(side)
    cdef Words given
    cdef Cell raw, cell
    cdef Date date
    cdef int allowed[3]
    cdef int64_t days_found = 0
    cdef int64_t fitting = 0
    cdef int64_t iso[3]
    cdef int place_of
    cdef bint fits
    numbers, states = (np.empty(count, np.int64), np.empty(count, np.uint8)) if room is None else room
    total = np.zeros(SIZE, np.int64)
    cdef int64_t[::1] days = numbers
    cdef uint8_t[::1] status = states
    cdef int64_t[::1] tallied = total
    cdef int64_t *places = &tallied[0]
    if days.shape[0] < count or status.shape[0] < count:
        raise ValueError("expected room for every row")
    numbers.fill(0)
    states.fill(0)
    allowed[0] = allowed[1] = allowed[2] = iso[0] = iso[1] = iso[2] = 0
    for order, mark in orders:
        allowed["-./".index(mark)] |= {"ymd": YMD, "dmy": DMY, "mdy": MDY}[order]
    _set_words(&given, given_words[0], given_words[1], False)
    with nogil:
        for at in range(count):
            if at + AHEAD < count:
                COMB_PREFETCH(text + begins[at + AHEAD])
            raw = _cell(text, size, aside, begins[at], ends[at])
            if not raw.size:
                status[at] = BLANK
                places[_BLANK] += 1
                continue
            if raw.size == 10 and not given.count and 45 <= raw.text[4] <= 47 and allowed[raw.text[4] - 45] & YMD:
                if comb_year_first(raw.text, date.groups) and _count_days(
                    date.groups[0], date.groups[1], date.groups[2], &days_found
                ):
                    iso[raw.text[4] - 45] += 1
                    days[at] = days_found
                    fitting += 1
                    continue
            if given.count or not _padded_date(raw, &date):
                cell = _stripped(raw)
                if not _scan_date(cell, &date) or _is_given(&given, cell):
                    status[at] = MISFIT if cell.size else BLANK
                    places[_BLANK] += cell.size == 0
                    continue
            place_of = date.mark - 45
            fits = allowed[place_of] & YMD and _day_number(&date, YMD, &days_found)
            if fits and date.sizes[1] == 2 and date.sizes[2] == 2:
                iso[place_of] += 1
            else:
                if not fits and allowed[place_of] & MDY:
                    fits = _day_number(&date, MDY, &days_found)
                if not fits and allowed[place_of] & DMY:
                    fits = _day_number(&date, DMY, &days_found)
                if not fits:
                    status[at] = MISFIT
                    continue
                _count_date(&date, places, 1)
            days[at] = days_found
            fitting += 1
    places[_OTHER] += fitting
    for place_of in range(3):
        places[_DATE + 9 * place_of] += iso[place_of]
        places[_DATE + 9 * place_of + 2] += iso[place_of]
    return numbers, states, total


def turned(const int32_t[:, :] places, /):
    """Return places with those of a column next to each other, whatever stood so before."""
    cdef Py_ssize_t width = places.shape[0], rows = places.shape[1], row, column, first, top = 0
    found = np.empty((width, rows), np.int32)
    cdef int32_t[:, ::1] out = found
    with nogil:
        while top < rows:
            first = 0
            while first < width:
                for row in range(top, min(rows, top + TILE)):
                    for column in range(first, min(width, first + TILE)):
                        out[column, row] = places[column, row]
                first += TILE
            top += TILE
    return found


# -- texts -----------------------------------------------------------------------------------


cdef inline uint64_t _mixed(uint64_t left, uint64_t right) noexcept nogil:
    cdef uint64_t low
    cdef uint64_t high = comb_product(left, right, &low)
    return low ^ high


cdef struct Key:
    # The bytes of a cell as far as sixteen tell them: the first eight, or all where there are fewer, and the last eight.
    uint64_t low
    uint64_t high
    uint64_t hash


cdef struct Slot:
    uint64_t low
    uint64_t high
    uint32_t size
    int32_t code  # from 1; 0 where the slot is free


cdef inline uint64_t _hash(uint64_t low, uint64_t high, Py_ssize_t size) noexcept nogil:
    return _mixed(low ^ 0x9E3779B97F4A7C15ULL ^ <uint64_t> size, high ^ 0xD6E8FEB86659FD93ULL)


cdef Key _long_key(Cell cell) noexcept nogil:
    """Return what a cell of more than eight bytes is found by."""
    cdef Key key
    cdef Py_ssize_t at = 8
    cdef uint64_t eight
    memcpy(&key.low, cell.text, 8)
    memcpy(&key.high, cell.text + cell.size - 8, 8)
    key.hash = _hash(key.low, key.high, cell.size)
    while at + 8 < cell.size:
        memcpy(&eight, cell.text + at, 8)
        key.hash = _mixed(key.hash ^ eight, 0xA0761D6478BD642FULL)
        at += 8
    return key


cdef inline Key _key(Cell cell, bint after_eight) noexcept nogil:
    """Return what a cell is found by; `after_eight` says that eight bytes stand before its end."""
    cdef Key key
    if cell.size > 8:
        return _long_key(cell)
    key.low = key.high = 0
    if after_eight:
        key.low = comb_last_bytes(cell.text + cell.size, <int> cell.size)
    elif cell.size:
        memcpy(&key.low, cell.text, cell.size)
    key.hash = _hash(key.low, 0, cell.size)
    return key


cdef enum:
    BATCH = 32
    # After so many cells the share of distinct ones is looked at.
    EARLY = 2048
    LATER = 8192
    FEWEST_SLOTS = 1024
    # A table of so many slots is in the processor's cache.
    SMALL_TABLE = 8192


cdef struct Seen:
    # Texts that have numbers already.
    const uint8_t *text
    const int64_t *offsets
    Py_ssize_t count


cdef inline bint _number_cell(Slot *slots, uint64_t mask, const Key *key, Cell cell, Py_ssize_t at, Py_ssize_t known,
                              const Text *source, const place *begins, const place *ends, const Seen *before,
                              int64_t *first, Py_ssize_t distinct, int32_t *code) noexcept nogil:
    """Find the number of a cell; returns whether it is a new one, which then is entered."""
    cdef uint64_t number = key.hash & mask
    cdef Slot *slot
    cdef Py_ssize_t other
    cdef Cell same
    while True:
        slot = slots + number
        if slot.low == key.low and slot.high == key.high and slot.size == <uint32_t> cell.size and slot.code:
            if cell.size <= 16:
                code[0] = slot.code - 1
                return False
            other = slot.code - 1 - before.count
            if other < 0:
                same.text = before.text + before.offsets[slot.code - 1]
            else:
                same = _cell(source.text, source.size, source.aside, begins[first[other]], ends[first[other]])
            if memcmp(cell.text, same.text, cell.size) == 0:
                code[0] = slot.code - 1
                return False
        elif slot.code == 0:
            if at >= known:
                code[0] = -1
                return False
            code[0] = <int32_t> (before.count + distinct)
            slot.low, slot.high, slot.size, slot.code = key.low, key.high, <uint32_t> cell.size, code[0] + 1
            first[distinct] = at
            return True
        number = (number + 1) & mask


def encode(const uint8_t[::1] data, const uint8_t[::1] side, const place[::1] begins, const place[::1] ends,
           double most_distinct, Py_ssize_t known=-1, room=None, seen=None, /):
    """Number distinct cells in order of appearance.

    Parameters
    ----------
    most_distinct : float
        Give up when more than this share of the cells is distinct.
    known : int
        Where given, only so many cells are numbered; the others get the number of an equal one, or -1.
    room : int32 array, optional
        Where the numbers go; by default a new array.
    seen : (uint8 array, int64 array), optional
        Distinct texts, end to end, that have the first numbers already.

    Returns
    -------
    first, codes
        The position at which each distinct cell that was not seen before stands first, and the number of each
        cell; None for both after giving up.
    """
    cdef Py_ssize_t count = begins.shape[0], size = data.shape[0], at = 0, ahead, inside
    cdef const uint8_t *text = _start(data)
    cdef const uint8_t *aside = _start(side)
    cdef Cell cells[BATCH]
    cdef Key keys[BATCH]
    cdef Key key
    cdef Slot *slots
    cdef uint64_t mask = FEWEST_SLOTS - 1
    cdef Py_ssize_t distinct = 0, most = <Py_ssize_t> (most_distinct * count), early = EARLY, begin, end
    cdef bint given_up = False
    known = known if known >= 0 else count
    # The first cells may all differ where a thousand texts take turns.
    cdef double early_share = (1 + most_distinct) / 2
    cdef Seen before
    cdef Cell cell
    cdef Text source = Text(text, aside, size)
    _set_seen(&before, seen)
    codes_array = np.empty(count, np.int32) if room is None else room
    first_array = np.empty(1024, np.int64)
    slots_array = np.zeros((FEWEST_SLOTS, sizeof(Slot)), np.uint8)
    while 2 * (before.count + BATCH) > len(slots_array):
        slots_array = np.zeros((4 * len(slots_array), sizeof(Slot)), np.uint8)
    mask = len(slots_array) - 1
    cdef uint8_t[:, ::1] slots_view = slots_array
    cdef int32_t[::1] codes = codes_array
    cdef int64_t[::1] first = first_array
    slots = <Slot *> &slots_view[0, 0]
    if codes.shape[0] < count:
        raise ValueError("expected room for every row")
    _enter_seen(&before, slots, mask)
    while at < count:
        if distinct + BATCH > first.shape[0]:
            first_array = np.concatenate([first_array, np.empty(len(first_array), np.int64)])
            first = first_array
        if 2 * (before.count + distinct + BATCH) > <Py_ssize_t> mask:
            slots_array = _grown(slots_array, data, side, begins, ends, first, distinct, seen)
            slots_view = slots_array
            slots = <Slot *> &slots_view[0, 0]
            mask = slots_view.shape[0] - 1
        if distinct > most or (at >= LATER and distinct > most_distinct * at) or (at >= EARLY and distinct > early_share * at):
            given_up = True
            break
        early = EARLY if at < EARLY else LATER
        with nogil:
            # Batches until a table has to grow or enough were seen to think again.
            while at < count and 2 * (before.count + distinct + BATCH) <= <Py_ssize_t> mask and distinct + BATCH <= first.shape[0]:
                ahead = min(BATCH, count - at)
                for inside in range(at, at + ahead):
                    if mask >= SMALL_TABLE:
                        break
                    # A small table is in the cache: one cell after the other.
                    if inside + AHEAD < count:
                        COMB_PREFETCH(text + begins[inside + AHEAD])
                    cell = _cell(text, size, aside, begins[inside], ends[inside])
                    key = _key(cell, cell.text - (aside if begins[inside] >= size else text) + cell.size >= 8)
                    distinct += _number_cell(
                        slots, mask, &key, cell, inside, known, &source, &begins[0], &ends[0], &before, &first[0],
                        distinct, &codes[inside]
                    )
                if mask >= SMALL_TABLE:
                    for inside in range(ahead):
                        COMB_PREFETCH(text + begins[at + inside])
                    for inside in range(ahead):
                        begin, end = begins[at + inside], ends[at + inside]
                        cells[inside] = _cell(text, size, aside, begin, end)
                        keys[inside] = _key(cells[inside], end - size * (begin >= size) >= 8)
                        COMB_PREFETCH(slots + (keys[inside].hash & mask))
                    for inside in range(ahead):
                        distinct += _number_cell(
                            slots, mask, &keys[inside], cells[inside], at + inside, known, &source, &begins[0], &ends[0],
                            &before, &first[0], distinct, &codes[at + inside]
                        )
                at += ahead
                if at == early or (at > early and at - ahead < early):
                    break
    if given_up or distinct > most:
        return None, None
    return first_array[:distinct].copy(), codes_array


cdef void _set_seen(Seen *before, seen):
    cdef const uint8_t[::1] text
    cdef const int64_t[::1] offsets
    before.text, before.offsets, before.count = NULL, NULL, 0
    if seen is not None:
        text, offsets = seen
        before.text, before.offsets, before.count = _start(text), &offsets[0], offsets.shape[0] - 1


cdef inline void _enter(Slot *slots, uint64_t mask, Cell cell, int32_t number) noexcept nogil:
    """Put a text into a table that does not have it."""
    cdef Key key = _key(cell, False)
    cdef uint64_t place_of = key.hash & mask
    while slots[place_of].code:
        place_of = (place_of + 1) & mask
    slots[place_of].low, slots[place_of].high = key.low, key.high
    slots[place_of].size, slots[place_of].code = <uint32_t> cell.size, number + 1


cdef void _enter_seen(Seen *before, Slot *slots, uint64_t mask) noexcept nogil:
    cdef Py_ssize_t at
    cdef Cell cell
    for at in range(before.count):
        cell.text = before.text + before.offsets[at]
        cell.size = before.offsets[at + 1] - before.offsets[at]
        _enter(slots, mask, cell, <int32_t> at)


def _grown(slots_array, const uint8_t[::1] data, const uint8_t[::1] side, const place[::1] begins, const place[::1] ends,
           const int64_t[::1] first, Py_ssize_t distinct, seen, /):
    """Return a table of four times the size with the same content."""
    cdef Py_ssize_t room = 4 * len(slots_array), at, size = data.shape[0]
    cdef const uint8_t *text = _start(data)
    cdef const uint8_t *aside = _start(side)
    cdef uint64_t mask = room - 1
    cdef Slot *slots
    cdef Seen before
    larger = np.zeros((room, sizeof(Slot)), np.uint8)
    cdef uint8_t[:, ::1] view = larger
    slots = <Slot *> &view[0, 0]
    _set_seen(&before, seen)
    with nogil:
        _enter_seen(&before, slots, mask)
        for at in range(distinct):
            _enter(slots, mask, _cell(text, size, aside, begins[first[at]], ends[first[at]]), <int32_t> (before.count + at))
    return larger


def gather(const uint8_t[::1] data, const uint8_t[::1] side, const place[::1] begins, const place[::1] ends, /):
    """Copy cells end to end.

    Returns
    -------
    buffer, offsets
    """
    cdef Py_ssize_t count = begins.shape[0], size = data.shape[0], at
    cdef const uint8_t *text = _start(data)
    cdef const uint8_t *aside = _start(side)
    cdef int64_t total = 0
    cdef Cell cell
    offsets_array = np.empty(count + 1, np.int64)
    cdef int64_t[::1] offsets = offsets_array
    with nogil:
        for at in range(count):
            offsets[at] = total
            total += ends[at] - begins[at]
        offsets[count] = total
    buffer_array = np.empty(max(total, 1), np.uint8)
    cdef uint8_t[::1] buffer = buffer_array
    with nogil:
        for at in range(count):
            cell = _cell(text, size, aside, begins[at], ends[at])
            if cell.size:
                memcpy(&buffer[offsets[at]], cell.text, cell.size)
    return buffer_array[:total], offsets_array


# -- traits of texts ---------------------------------------------------------------------------


cdef uint8_t _OUTER = OUTER_SPACES, _INNER = INNER_SPACES, _DIGITS = DIGITS_ONLY, _ZERO_AHEAD = ZERO_AHEAD


def traits(const uint8_t[::1] data, const uint8_t[::1] side, const place[::1] begins, const place[::1] ends, known_words, /):
    """Tell of cells what `comb.kernels.reference.traits.traits` tells.

    Returns
    -------
    traits : uint8 array
    lengths : int64 array
        In characters.
    """
    cdef Py_ssize_t count = begins.shape[0], at, byte, size = data.shape[0]
    cdef const uint8_t *text = _start(data)
    cdef const uint8_t *aside = _start(side)
    cdef Words known
    cdef Cell raw, cell
    cdef uint8_t bits
    cdef int64_t characters
    cdef bint digits, spaced
    cdef int step
    found, lengths = np.zeros(count, np.uint8), np.zeros(count, np.int64)
    cdef uint8_t[::1] out = found
    cdef int64_t[::1] sizes = lengths
    _set_words(&known, known_words[0], known_words[1], True)
    with nogil:
        for at in range(count):
            raw = _cell(text, size, aside, begins[at], ends[at])
            cell = _stripped(raw)
            bits = _OUTER if cell.size != raw.size else 0
            characters = 0
            for byte in range(raw.size):
                characters += raw.text[byte] & 0xC0 != 0x80
            sizes[at] = characters
            digits = cell.size > 0
            spaced = False
            byte = 0
            while byte < cell.size:
                digits = digits and _is_digit(cell.text[byte])
                step = _space_ahead(cell.text + byte, cell.size - byte)
                if step and cell.text[byte] != 10 and cell.text[byte] != 13:
                    if spaced:
                        bits |= _INNER
                    spaced = True
                    byte += step
                else:
                    spaced = False
                    byte += 1
            if digits:
                bits |= _DIGITS
                if cell.text[0] == 48 and cell.size > 1:
                    bits |= _ZERO_AHEAD
            if cell.size and _find_word(&known, cell) >= 0:
                bits |= _IS_KNOWN
            out[at] = bits
    return found, lengths
