# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: find the cells in the XML of a sheet that is written as nearly all programs write it.

The cells are handed out as places in the bytes. Whatever is written in any other way than
rows, cells, values, formulas and texts without a tag inside ends the search: then a parser of
XML has to read the sheet, and is the reference for what this finds.
"""

from libc.stdint cimport int32_t, uint8_t, uint16_t
from libc.string cimport memchr, memcmp

import numpy as np

include "_version.pxi"

cdef enum:
    MOST_ROWS = 1048576
    MOST_COLUMNS = 16384

# How a cell says what its value is, as `SHEET_KINDS` in `comb.kernels.types` lists them.
cdef enum Kind:
    NUMBER = 0
    SHARED = 1
    BOOLEAN = 2
    ERROR = 3
    TEXT = 4


cdef struct Scan:
    const uint8_t *at
    const uint8_t *end


cdef struct Part:
    const uint8_t *begin
    const uint8_t *end


cdef inline bint _says(Scan *scan, const char *word, Py_ssize_t size) noexcept nogil:
    """Pass a word if it stands here."""
    if scan.end - scan.at < size or memcmp(scan.at, word, size) != 0:
        return False
    scan.at += size
    return True


cdef inline bint _is(Part part, const char *word, Py_ssize_t size) noexcept nogil:
    return part.end - part.begin == size and memcmp(part.begin, word, size) == 0


cdef inline bint _until(Scan *scan, uint8_t mark, Part *part) noexcept nogil:
    """Pass everything up to a mark, and the mark."""
    cdef const uint8_t *found = <const uint8_t *> memchr(scan.at, mark, scan.end - scan.at)
    if found == NULL:
        return False
    part.begin, part.end = scan.at, found
    scan.at = found + 1
    return True


cdef inline bint _attribute(Scan *scan, Part *name, Part *value) noexcept nogil:
    """Pass an attribute with its value in double quotes; False if there is none here."""
    while scan.at < scan.end and (scan.at[0] == 32 or scan.at[0] == 10 or scan.at[0] == 13):
        scan.at += 1
    if scan.at >= scan.end or scan.at[0] == 62 or scan.at[0] == 47:
        return False
    if not _until(scan, 61, name) or scan.at >= scan.end or scan.at[0] != 34:
        return False
    scan.at += 1
    return _until(scan, 34, value)


cdef inline int _whole(Part part, int most) noexcept nogil:
    """Read a whole number; -1 if it is none or too large."""
    cdef int value = 0
    if part.begin == part.end:
        return -1
    while part.begin < part.end:
        if part.begin[0] < 48 or part.begin[0] > 57:
            return -1
        value = value * 10 + (part.begin[0] - 48)
        if value > most:
            return -1
        part.begin += 1
    return value


cdef inline bint _address(Part part, int32_t *row, int32_t *column) noexcept nogil:
    cdef int letters = 0
    while part.begin < part.end and 65 <= part.begin[0] <= 90:
        letters = letters * 26 + (part.begin[0] - 64)
        if letters > MOST_COLUMNS:
            return False
        part.begin += 1
    column[0] = letters - 1
    row[0] = _whole(part, MOST_ROWS) - 1
    return letters > 0 and row[0] >= 0


cdef inline int _kind(Part part) noexcept nogil:
    if _is(part, b"n", 1):
        return NUMBER
    if _is(part, b"s", 1):
        return SHARED
    if _is(part, b"b", 1):
        return BOOLEAN
    if _is(part, b"e", 1):
        return ERROR
    return TEXT if _is(part, b"str", 3) or _is(part, b"inlineStr", 9) or _is(part, b"d", 1) else -1


def take_cells(const uint8_t[::1] data, Py_ssize_t begin, Py_ssize_t end, /):
    """Find the cells between two places.

    Returns
    -------
    rows, columns : int32 array
        From 0.
    kinds, styles : uint8 and uint16 array
    values, formulas, abouts : int32 array of cells by 2
        Where the value, the formula and the attributes of the formula begin and end; -1 where
        there are none.
    hidden : list of int
        Rows that are hidden.

    None if a single thing is written otherwise.
    """
    cdef Py_ssize_t count = 0, most = 0, at
    cdef const uint8_t *start = &data[0] if data.shape[0] else NULL
    cdef Scan scan
    cdef Part name, value, part
    cdef int32_t row = 0, column = 0, this_row = -1
    cdef int kind, style
    cdef bint hidden, sound = True
    for at in range(begin, end - 1):
        most += data[at] == 60 and data[at + 1] == 99
    rows_array, columns_array = np.empty(most, np.int32), np.empty(most, np.int32)
    kinds_array, styles_array = np.empty(most, np.uint8), np.empty(most, np.uint16)
    places_array = np.full((3, most, 2), -1, np.int32)
    cdef int32_t[::1] rows = rows_array
    cdef int32_t[::1] columns = columns_array
    cdef uint8_t[::1] kinds = kinds_array
    cdef uint16_t[::1] styles = styles_array
    cdef int32_t[:, :, ::1] places = places_array
    hidden_rows = []
    scan.at, scan.end = start + begin, start + end
    part.begin = part.end = start
    with nogil:
        while scan.at < scan.end and sound:
            if scan.at[0] == 10 or scan.at[0] == 13 or scan.at[0] == 32 or scan.at[0] == 9:
                scan.at += 1
                continue
            if _says(&scan, b"</row>", 6):
                continue
            if _says(&scan, b"<row ", 5):
                this_row = -1
                hidden = False
                while _attribute(&scan, &name, &value):
                    if _is(name, b"r", 1):
                        this_row = _whole(value, MOST_ROWS) - 1
                    elif _is(name, b"hidden", 6):
                        hidden = _is(value, b"1", 1) or _is(value, b"true", 4)
                sound = this_row >= 0 and (_says(&scan, b">", 1) or _says(&scan, b"/>", 2))
                if hidden and sound:
                    with gil:
                        hidden_rows.append(this_row)
                continue
            if not _says(&scan, b"<c ", 3):
                sound = False
                break
            row = column = -1
            kind, style = NUMBER, 0
            while _attribute(&scan, &name, &value):
                if _is(name, b"r", 1):
                    if not _address(value, &row, &column):
                        row = -1
                        break
                elif _is(name, b"s", 1):
                    style = _whole(value, 65535)
                elif _is(name, b"t", 1):
                    kind = _kind(value)
            if row < 0 or style < 0 or kind < 0 or row != this_row:
                sound = False
                break
            rows[count], columns[count], kinds[count], styles[count] = row, column, kind, style
            if _says(&scan, b"/>", 2):
                count += 1
                continue
            if not _says(&scan, b">", 1):
                sound = False
                break
            if _says(&scan, b"<f", 2):
                if not _until(&scan, 62, &part):
                    sound = False
                    break
                places[2, count, 0], places[2, count, 1] = part.begin - start, part.end - start
                if part.end > part.begin and (part.end - 1)[0] == 47:
                    places[1, count, 0] = places[1, count, 1] = part.end - start
                else:
                    sound = _until(&scan, 60, &part) and _says(&scan, b"/f>", 3)
                    places[1, count, 0], places[1, count, 1] = part.begin - start, part.end - start
                if not sound:
                    break
            if _says(&scan, b"<v>", 3):
                sound = _until(&scan, 60, &part) and _says(&scan, b"/v>", 3)
                places[0, count, 0], places[0, count, 1] = part.begin - start, part.end - start
            elif _says(&scan, b"<v/>", 4):
                pass
            elif _says(&scan, b"<is><t>", 7) or _says(&scan, b'<is><t xml:space="preserve">', 28):
                sound = _until(&scan, 60, &part) and _says(&scan, b"/t></is>", 8)
                places[0, count, 0], places[0, count, 1] = part.begin - start, part.end - start
            sound = sound and _says(&scan, b"</c>", 4)
            count += 1
    if not sound:
        return None
    parts = (rows_array, columns_array, kinds_array, styles_array)
    return (*(part[:count] for part in parts), *(places_array[at, :count] for at in range(3)), hidden_rows)
