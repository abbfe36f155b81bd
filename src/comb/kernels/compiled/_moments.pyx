# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: read dates, datetimes, times and durations by the programs of `comb.kernels.reference.moments`."""

from libc.stdint cimport int32_t, int64_t, uint8_t, uint64_t

import numpy as np

include "_version.pxi"

from comb.kernels.types import MOST_FRACTION_DIGITS, MOST_HOUR_DIGITS, SIZE, Op, TallySlot

ctypedef fused place:
    int32_t
    int64_t

include "_places.pxi"

cdef enum:
    FITS = 0
    BLANK = 1
    MISFIT = 3

cdef enum:
    DATE = 0
    DATETIME = 1
    SPAN = 2

# The same as in `Op`, which a test holds together with this.
cdef enum:
    LITERAL, SPACES, YEAR, SHORT_YEAR, MONTH, DAY, HOUR, HALF_HOUR, MINUTE, SECOND, FRACTION
    OFFSET, MONTH_NAME, WEEKDAY_NAME, HALF, QUARTER, WEEK, WEEKDAY, HOURS, SIGN, ORDINAL, END_OF_DAY

assert [name for name in vars(Op) if name.isupper()] == (
    "LITERAL SPACES YEAR SHORT_YEAR MONTH DAY HOUR HALF_HOUR MINUTE SECOND FRACTION "
    "OFFSET MONTH_NAME WEEKDAY_NAME HALF QUARTER WEEK WEEKDAY HOURS SIGN ORDINAL END_OF_DAY"
).split()

cdef int _MOST_FRACTION_DIGITS = MOST_FRACTION_DIGITS, _MOST_HOUR_DIGITS = MOST_HOUR_DIGITS
cdef int64_t FIRST_DAY = -719162, LAST_DAY = 2932896, A_DAY = 86_400_000_000


cdef struct Names:
    const uint8_t *text
    const int64_t *offsets
    const int32_t *values
    int first[257]  # by first byte


cdef struct Moment:
    int year, month, day, week, weekday, days_named
    int64_t hour
    int minute, second, fraction, offset, half, sign


cdef void _set_names(Names *names, const uint8_t[::1] text, const int64_t[::1] offsets, const int32_t[::1] values):
    cdef Py_ssize_t at, count = offsets.shape[0] - 1
    cdef int byte
    names.text = &text[0] if text.shape[0] else NULL
    names.offsets = &offsets[0]
    names.values = &values[0] if values.shape[0] else NULL
    at = 0
    for byte in range(257):
        while at < count and text[offsets[at]] < byte:
            at += 1
        names.first[byte] = at


cdef inline bint _name(Names *names, Cell *rest, int *value) noexcept nogil:
    """Read the longest name with which a text begins, and a point behind it."""
    cdef Py_ssize_t at, byte, start, size
    cdef uint8_t first
    if not rest.size:
        return False
    first = _lower(rest.text[0])
    for at in range(names.first[first], names.first[first + 1]):
        start = names.offsets[at]
        size = names.offsets[at + 1] - start
        if size > rest.size:
            continue
        for byte in range(1, size):
            if names.text[start + byte] != _lower(rest.text[byte]):
                break
        else:
            rest.text += size
            rest.size -= size
            if rest.size and rest.text[0] == 46:
                rest.text += 1
                rest.size -= 1
            value[0] = names.values[at]
            return True
    return False


cdef inline bint _digits(Cell *rest, int least, int most, int64_t *value) noexcept nogil:
    cdef int found = 0
    cdef int64_t number = 0
    while found < most and found < rest.size and _is_digit(rest.text[found]):
        number = number * 10 + (rest.text[found] - 48)
        found += 1
    value[0] = number
    rest.text += found
    rest.size -= found
    return found >= least


cdef inline bint _spaces(Cell *rest) noexcept nogil:
    cdef int found = 0, step
    while rest.size:
        if rest.text[0] == 32 or rest.text[0] == 9:
            step = 1
        elif rest.size > 1 and rest.text[0] == 0xC2 and rest.text[1] == 0xA0:
            step = 2
        elif rest.size > 2 and rest.text[0] == 0xE2 and rest.text[1] == 0x80 and rest.text[2] == 0xAF:
            step = 3
        else:
            break
        rest.text += step
        rest.size -= step
        found += 1
    return found > 0


cdef inline bint _fraction(Cell *rest, Moment *moment) noexcept nogil:
    cdef int64_t number = 0
    cdef int found = 0
    if rest.size < 2 or (rest.text[0] != 46 and rest.text[0] != 44) or not _is_digit(rest.text[1]):
        return True
    rest.text += 1
    rest.size -= 1
    while found < _MOST_FRACTION_DIGITS and rest.size and _is_digit(rest.text[0]):
        number = number * 10 + (rest.text[0] - 48)
        rest.text += 1
        rest.size -= 1
        found += 1
    while found < _MOST_FRACTION_DIGITS:
        number *= 10
        found += 1
    moment.fraction = <int> (number // 1000)
    return number % 1000 == 0


cdef inline bint _word(Cell *rest, const char *word, int size) noexcept nogil:
    cdef int at
    if rest.size < size:
        return False
    for at in range(size):
        if _lower(rest.text[at]) != <uint8_t> word[at]:
            return False
    rest.text += size
    rest.size -= size
    return True


cdef inline bint _offset(Cell *rest, Moment *moment) noexcept nogil:
    cdef int64_t hours = 0, minutes = 0
    cdef bint minus
    if _word(rest, b"utc", 3) or _word(rest, b"gmt", 3) or _word(rest, b"z", 1):
        return True
    if not rest.size or (rest.text[0] != 43 and rest.text[0] != 45):
        return False
    minus = rest.text[0] == 45
    rest.text += 1
    rest.size -= 1
    if not _digits(rest, 2, 2, &hours):
        return False
    if rest.size and rest.text[0] == 58:
        rest.text += 1
        rest.size -= 1
        if not _digits(rest, 2, 2, &minutes):
            return False
    elif rest.size and _is_digit(rest.text[0]) and not _digits(rest, 2, 2, &minutes):
        return False
    moment.offset = <int> ((hours * 60 + minutes) * (-1 if minus else 1))
    return hours < 24 and minutes < 60


cdef inline bint _half(Cell *rest, Moment *moment) noexcept nogil:
    cdef uint8_t letter = _lower(rest.text[0]) if rest.size else 0
    cdef int part
    if letter != 97 and letter != 112:
        return False
    for part in range(2):
        if part and (not rest.size or _lower(rest.text[0]) != 109):
            return False
        rest.text += 1
        rest.size -= 1
        if rest.size and rest.text[0] == 46:
            rest.text += 1
            rest.size -= 1
    moment.half = letter == 112
    return True


cdef inline bint _part(Cell *rest, Moment *moment, int op, int argument, Names *months, Names *weekdays) noexcept nogil:
    """Read the part of a text that an operation asks for."""
    cdef int64_t number = 0
    if op == LITERAL:
        if not rest.size or rest.text[0] != argument:
            return False
        rest.text += 1
        rest.size -= 1
        return True
    if op == SPACES:
        return _spaces(rest)
    if op == YEAR:
        if not _digits(rest, 4, 4, &number):
            return False
        moment.year = <int> number
        return True
    if op == SHORT_YEAR:
        if not _digits(rest, 2, 2, &number):
            return False
        moment.year = <int> number + (1900 if number >= argument else 2000)
        return True
    if op == MONTH:
        if not _digits(rest, argument, 2, &number):
            return False
        moment.month = <int> number
        return True
    if op == DAY:
        if not _digits(rest, argument, 2, &number):
            return False
        moment.day = <int> number
        return True
    if op == HOUR or op == HALF_HOUR:
        if not _digits(rest, argument, 2, &number):
            return False
        moment.hour = number
        return number < 24 if op == HOUR else 1 <= number <= 12
    if op == MINUTE:
        if not _digits(rest, 2, 2, &number):
            return False
        moment.minute = <int> number
        return number < 60
    if op == SECOND:
        if not _digits(rest, 2, 2, &number):
            return False
        moment.second = <int> number
        return number < 60
    if op == FRACTION:
        return _fraction(rest, moment)
    if op == OFFSET:
        return _offset(rest, moment)
    if op == MONTH_NAME:
        return _name(months, rest, &moment.month)
    if op == WEEKDAY_NAME:
        return _name(weekdays, rest, &moment.days_named)
    if op == HALF:
        return _half(rest, moment)
    if op == QUARTER:
        if not _digits(rest, 1, 1, &number):
            return False
        moment.month = 3 * <int> number - 2
        return 1 <= number <= 4
    if op == WEEK:
        if not _digits(rest, 2, 2, &number):
            return False
        moment.week = <int> number
        if not moment.weekday:
            moment.weekday = 1
        return 1 <= number <= 53
    if op == WEEKDAY:
        if not _digits(rest, 1, 1, &number):
            return False
        moment.weekday = <int> number
        return 1 <= number <= 7
    if op == HOURS:
        return _digits(rest, 1, _MOST_HOUR_DIGITS, &moment.hour)
    if op == SIGN:
        if rest.size and (rest.text[0] == 45 or rest.text[0] == 43):
            moment.sign = -1 if rest.text[0] == 45 else 1
            rest.text += 1
            rest.size -= 1
        return True
    if op == ORDINAL:
        return _ordinal(rest)
    if op == END_OF_DAY:
        moment.hour = 24
        return True
    return False


cdef inline bint _ordinal(Cell *rest) noexcept nogil:
    """Read st, nd, rd or th, in letters of any case."""
    cdef int first, second
    if rest.size < 2:
        return False
    first, second = rest.text[0] | 32, rest.text[1] | 32
    if not ((first == 115 and second == 116) or (first == 110 and second == 100)
            or (first == 114 and second == 100) or (first == 116 and second == 104)):
        return False
    rest.text += 2
    rest.size -= 2
    return True


cdef inline int64_t _days_of(int year, int month, int day) noexcept nogil:
    """Count the days from 1970-01-01; by the era of 400 years, which has 146,097 days."""
    cdef int shifted = year - (month <= 2)
    cdef int in_era = shifted % 400
    cdef int in_year = (153 * (month - 3 if month > 2 else month + 9) + 2) // 5 + day - 1
    return <int64_t> (shifted // 400) * 146097 + in_era * 365 + in_era // 4 - in_era // 100 + in_year - 719468


cdef inline int _weekday_of(int64_t days) noexcept nogil:
    """Return 0 for Monday."""
    return <int> (((days + 3) % 7 + 7) % 7)


cdef inline bint _date(Moment *moment, int64_t *days) noexcept nogil:
    cdef int64_t first, new_year
    if not moment.year:
        return False
    if moment.week:
        # The first week has the fourth of January in it; the last one, the year's last Thursday.
        new_year = _days_of(moment.year, 1, 4)
        first = new_year - _weekday_of(new_year)
        if moment.week == 53:
            new_year = _days_of(moment.year, 12, 31)
            if _weekday_of(new_year) != 3 and (_weekday_of(new_year) != 4 or _days_in(moment.year, 2) != 29):
                return False
        days[0] = first + (moment.week - 1) * 7 + moment.weekday - 1
        if not FIRST_DAY <= days[0] <= LAST_DAY:
            return False
    else:
        if not 1 <= moment.month <= 12 or not 1 <= moment.day <= _days_in(moment.year, moment.month):
            return False
        days[0] = _days_of(moment.year, moment.month, moment.day)
    return not moment.days_named or (moment.days_named >> _weekday_of(days[0])) & 1


cdef inline bint _value(Moment *moment, int kind, int64_t *value) noexcept nogil:
    cdef int64_t micro, days = 0
    if moment.half >= 0:
        moment.hour = moment.hour % 12 + 12 * moment.half
    micro = moment.sign * (((moment.hour * 60 + moment.minute) * 60 + moment.second) * 1_000_000 + moment.fraction)
    if kind == SPAN:
        value[0] = micro
        return True
    if not _date(moment, &days):
        return False
    if kind == DATE:
        value[0] = days
        return True
    value[0] = days * A_DAY + micro - moment.offset * <int64_t> 60_000_000
    return FIRST_DAY * A_DAY <= value[0] < (LAST_DAY + 1) * A_DAY


def read_moments(const uint8_t[::1] data, const uint8_t[::1] side, const place[:] begins, const place[:] ends,
                 programs, month_names, weekday_names, given_words, /):
    """Read cells by the first program that fits.

    `programs` are pairs of a kind and an int32 array of operations with their argument;
    names are (buffer, offsets, values).

    Returns
    -------
    values, status, tally
        Days or microseconds; what fits is counted as other than blank, missing or a number.
    """
    cdef Py_ssize_t count = begins.shape[0], at, size = data.shape[0], which, step
    cdef const uint8_t *text = _start(data)
    cdef const uint8_t *aside = _start(side)
    cdef Words given
    cdef Names months, weekdays
    cdef Cell cell, rest
    cdef Moment moment, fresh
    cdef int64_t fitting = 0, blank = 0
    cdef bint fits
    cdef Py_ssize_t program_count = len(programs)
    starts_array = np.cumsum([0] + [len(ops) for _, ops in programs]).astype(np.int64)
    joined = [np.asarray(ops, np.int32).reshape(-1, 2) for _, ops in programs]
    ops_array = np.ascontiguousarray(np.concatenate([*joined, np.zeros((1, 2), np.int32)]))
    kinds_array = np.array([{"date": DATE, "datetime": DATETIME}.get(kind, SPAN) for kind, _ in programs], np.int32)
    cdef const int64_t[::1] starts = starts_array
    cdef const int32_t[:, ::1] ops = ops_array
    cdef const int32_t[::1] kinds = kinds_array
    numbers, states, total = np.zeros(count, np.int64), np.zeros(count, np.uint8), np.zeros(SIZE, np.int64)
    cdef int64_t[::1] values = numbers
    cdef uint8_t[::1] status = states
    _set_words(&given, given_words[0], given_words[1], False)
    _set_names(&months, month_names[0], month_names[1], month_names[2])
    _set_names(&weekdays, weekday_names[0], weekday_names[1], weekday_names[2])
    fresh.year, fresh.month, fresh.day = 1970, 1, 1
    fresh.week = fresh.weekday = fresh.days_named = fresh.minute = fresh.second = fresh.fraction = fresh.offset = 0
    fresh.hour = 0
    fresh.half = -1
    fresh.sign = 1
    with nogil:
        for at in range(count):
            cell = _stripped(_cell(text, size, aside, begins[at], ends[at]))
            if not cell.size:
                status[at] = BLANK
                blank += 1
                continue
            if given.count and _find_word(&given, cell) >= 0:
                status[at] = MISFIT
                continue
            status[at] = MISFIT
            for which in range(program_count):
                moment = fresh
                rest = cell
                fits = True
                for step in range(starts[which], starts[which + 1]):
                    if not _part(&rest, &moment, ops[step, 0], ops[step, 1], &months, &weekdays):
                        fits = False
                        break
                if fits and not rest.size and _value(&moment, kinds[which], &values[at]):
                    status[at] = FITS
                    fitting += 1
                    break
            else:
                values[at] = 0
    total[TallySlot.OTHER], total[TallySlot.BLANK] = fitting, blank
    return numbers, states, total
