# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: find the records and fields of delimited text, and check that it is text.

Follows `comb.kernels.reference.splitting` word for word, on UTF-8 bytes with a delimiter and a quote
of one byte each. The fields are handed out as places: column by column, where each begins
and ends. A quoted field with quotes inside is written anew beside the text; its places
count from the end of the text.
"""

from cpython.bytes cimport PyBytes_AsString, PyBytes_FromStringAndSize
from libc.stdint cimport int32_t, int64_t, uint8_t, uint64_t
from libc.string cimport memchr, memcpy

import numpy as np

include "_version.pxi"

cdef extern from *:
    """
    #include <stdint.h>
    #if defined(__SSE2__) || defined(_M_X64)
    #include <emmintrin.h>
    #endif
    /* Whether 16 bytes are ASCII that text has: no high bit, and below the space only 9 to 13. */
    static inline int comb_plain_16(const uint8_t *text) {
    #if defined(__SSE2__) || defined(_M_X64)
        const __m128i some = _mm_loadu_si128((const __m128i *)text);
        const __m128i printed = _mm_cmpgt_epi8(some, _mm_set1_epi8(31));
        const __m128i spaced = _mm_and_si128(
            _mm_cmpgt_epi8(some, _mm_set1_epi8(8)), _mm_cmplt_epi8(some, _mm_set1_epi8(14)));
        return _mm_movemask_epi8(_mm_or_si128(printed, spaced)) == 0xFFFF;
    #else
        for (int at = 0; at < 16; at++)
            if (text[at] > 127 || (text[at] < 32 && (text[at] < 9 || text[at] > 13))) return 0;
        return 1;
    #endif
    }
    """
    int comb_plain_16(const uint8_t *) nogil

cdef extern from "_fields.h":
    enum:
        ORDINARY "COMB_ORDINARY"
        DELIMITER "COMB_DELIMITER"
        LINE_END "COMB_LINE_END"
        QUOTE "COMB_QUOTE"
        LONGEST_QUOTED "COMB_LONGEST_QUOTED"
    ctypedef struct Scan "comb_scan":
        const uint8_t *text
        int64_t size
        bint last
        uint8_t kinds[256]
        uint8_t delimiter
        int quote
        int escape
        uint8_t *side
        int64_t side_size
        int64_t hopeless_until
        int64_t begin
        int64_t end
        int64_t stop
        bint crosses
        int64_t inner
        bint stray
        bint unclosed
    ctypedef struct Progress "comb_progress":
        int64_t position
        int64_t start
        int64_t row
        int64_t count
        int64_t line
        int64_t base
        uint64_t bits
    ctypedef struct Places "comb_places":
        int32_t *begins
        int32_t *ends
        int32_t *lines
        int64_t row_step
        int64_t column_step
        int64_t width
        int64_t most_rows
    uint64_t _bits "comb_bits"(const Scan *, int64_t) nogil
    int64_t _next "comb_next"(const Scan *, int64_t *, uint64_t *) nogil
    void _put_aside "comb_put_aside"(Scan *, int64_t, int64_t) nogil
    int64_t _closing "comb_closing"(Scan *, int64_t, int64_t *, uint64_t *) nogil
    void _quickly "comb_quickly"(Scan *, const Places *, Progress *) nogil

# So many short rows of a wide table at once; the others are left for later.
cdef Py_ssize_t FEWEST_ROWS = 1024
cdef Py_ssize_t MOST_CELLS = 16_000_000

# From so many columns on the places stand row by row: written column by column they would lie far apart.
cdef Py_ssize_t WIDE = 200

cdef enum Outcome:
    MORE_NEEDED = -1
    NOT_QUOTED = 0
    FOUND = 1


cdef class Found:
    """What `split` found; the places of the cells are arrays of columns by rows.

    In memory those of wide tables stand row by row; see `comb.kernels.compiled._cells.turned`.
    """

    cdef public object begins, ends, side, lines
    cdef public Py_ssize_t rows, after, line_ends
    cdef public list blank, stray, unclosed, short, surplus


cdef bint _crosses(const uint8_t *text, Py_ssize_t start, Py_ssize_t stop) noexcept nogil:
    if stop <= start:
        return False
    return memchr(text + start, 10, stop - start) != NULL or memchr(text + start, 13, stop - start) != NULL


cdef Py_ssize_t _count_line_ends(const uint8_t *text, Py_ssize_t start, Py_ssize_t stop) noexcept nogil:
    cdef Py_ssize_t count = 0, at
    for at in range(start, stop):
        count += text[at] == 10 or (text[at] == 13 and not (at + 1 < stop and text[at + 1] == 10))
    return count


cdef Py_ssize_t _most_records(const uint8_t *text, Py_ssize_t size) noexcept nogil:
    """Count bytes that end lines; in strips, so that the count of each fits a byte."""
    cdef Py_ssize_t count = 1, at = 0, stop
    cdef uint8_t few
    while at < size:
        stop = min(size, at + 128)
        few = 0
        for at in range(at, stop):
            few += (text[at] == 10) + (text[at] == 13)
        at = stop
        count += few
    return count


def count_byte(const uint8_t[::1] data, uint8_t wanted, Py_ssize_t stop, /):
    """Count a byte before a place; in strips, so that the count of each fits a byte."""
    cdef Py_ssize_t count = 0, at = 0, strip
    cdef const uint8_t *text
    cdef uint8_t few
    if stop <= 0:
        return 0
    text = &data[0]
    with nogil:
        while at < stop:
            strip = min(stop, at + 128)
            few = 0
            for at in range(at, strip):
                few += text[at] == wanted
            at = strip
            count += few
    return count


cdef bint _escaped(Scan *scan, Py_ssize_t close, Py_ssize_t start) noexcept nogil:
    cdef Py_ssize_t count = 0
    while close - count > start and scan.text[close - count - 1] == scan.escape:
        count += 1
    return count % 2 == 1


cdef Outcome _quoted(Scan *scan, Py_ssize_t start) noexcept nogil:
    """Find the quoted field whose content starts here."""
    cdef const uint8_t *text = scan.text
    cdef Py_ssize_t position = start, checked = start, close, limit = min(scan.size, start + LONGEST_QUOTED)
    cdef Py_ssize_t kept = scan.side_size
    cdef const uint8_t *found
    cdef bint crossed = False, stray = False, escaped, several = False
    while True:
        found = <const uint8_t *> memchr(text + position, scan.quote, limit - position) if position < limit else NULL
        if found == NULL:
            scan.side_size = kept
            return NOT_QUOTED if scan.last or limit < scan.size else MORE_NEEDED
        close = found - text
        escaped = scan.escape >= 0 and _escaped(scan, close, start)
        if several:
            _put_aside(scan, position, close - escaped)
        if close + 1 >= scan.size and not scan.last:
            scan.side_size = kept
            return MORE_NEEDED
        if not escaped:
            if close + 1 >= scan.size:
                break
            if text[close + 1] == scan.quote:
                pass
            elif scan.kinds[text[close + 1]] == DELIMITER or scan.kinds[text[close + 1]] == LINE_END:
                break
            else:
                crossed = crossed or _crosses(text, checked, close)
                checked = close
                if crossed and (text[close - 1] in (10, 13) or text[close - 1] == scan.delimiter):
                    scan.side_size = kept
                    return NOT_QUOTED
                stray = True
        if not several:
            several = True
            _put_aside(scan, start, close - escaped)
        scan.side[scan.side_size] = scan.quote
        scan.side_size += 1
        position = close + 1 + (not escaped and text[close + 1] == scan.quote)
    scan.stray = stray
    scan.crosses = crossed or _crosses(text, checked, close)
    scan.stop = close + 1
    scan.begin = scan.size + kept if several else start
    scan.end = scan.size + scan.side_size if several else close
    return FOUND


cdef Outcome _field(Scan *scan, Py_ssize_t position) noexcept nogil:
    """Find the field that begins here."""
    cdef const uint8_t *text = scan.text
    cdef Py_ssize_t at = position, line_end
    cdef Outcome outcome
    cdef uint8_t kind
    scan.stray = scan.unclosed = scan.crosses = False
    if scan.quote >= 0 and at < scan.size and text[at] == scan.quote:
        if at >= scan.hopeless_until:
            outcome = _quoted(scan, at + 1)
            if outcome != NOT_QUOTED:
                return outcome
            scan.unclosed = True
            line_end = at
            while line_end < scan.size and text[line_end] != 10 and text[line_end] != 13:
                line_end += 1
            scan.hopeless_until = line_end
        at += 1
    while True:
        while at < scan.size and scan.kinds[text[at]] == ORDINARY:
            at += 1
        if at >= scan.size:
            if not scan.last:
                return MORE_NEEDED
            break
        kind = scan.kinds[text[at]]
        if kind != QUOTE:
            break
        scan.stray = scan.stray or at > position
        at += 1
    scan.begin, scan.end, scan.stop = position, at, at
    return FOUND


cdef void _set_kinds(Scan *scan) noexcept nogil:
    cdef int byte
    for byte in range(256):
        scan.kinds[byte] = ORDINARY
    if scan.quote >= 0:
        scan.kinds[scan.quote] = QUOTE
    scan.kinds[10] = scan.kinds[13] = LINE_END
    scan.kinds[scan.delimiter] = DELIMITER


def split(const uint8_t[::1] data, bint last, int delimiter, int quote, int escape, Py_ssize_t width,
          bint single, Py_ssize_t most, scratch=None, /):
    """Find the records of a text and the places of their fields.

    Parameters
    ----------
    data : bytes-like
        Begins with a record.
    last : bool
        Whether the text ends here; else a record that is not whole is left for later.
    delimiter, quote, escape : int
        Bytes; -1 for none.
    width : int
        The columns whose places are handed out.
    single : bool
        Whether blank lines are rows.
    most : int
        Stop after so many rows.
    scratch : comb.kernels.blocks.Scratch, optional
        Where the places go; they hold until it is used again.

    Returns
    -------
    Found
    """
    cdef Scan scan
    cdef Py_ssize_t size = data.shape[0], position = 0, start, row = 0, count, capacity, stop_row
    cdef Py_ssize_t line = 0, column, begin = 0, end = 0, stop = 0
    cdef int64_t base = -64
    cdef uint64_t bits = 0
    cdef Outcome outcome = FOUND
    cdef bint crosses, at_end = False, plain
    cdef int32_t *begin_of
    cdef int32_t *end_of
    cdef int32_t[:, ::1] begins, ends
    cdef Py_ssize_t row_step, column_step
    cdef bint by_rows = width >= WIDE
    cdef int32_t[::1] lines
    cdef uint8_t[::1] side
    cdef const uint8_t *text
    cdef Places places
    cdef Progress progress
    found = Found()
    found.blank, found.stray, found.unclosed, found.short, found.surplus = [], [], [], [], []
    scan.text = &data[0] if size else NULL
    scan.size, scan.last = size, last
    scan.delimiter, scan.quote, scan.escape = delimiter, quote, escape
    scan.side_size = scan.hopeless_until = 0
    _set_kinds(&scan)
    text = scan.text
    with nogil:
        capacity = _most_records(scan.text, size)
    capacity = min(capacity, max(MOST_CELLS // width, size // width + FEWEST_ROWS))
    capacity = stop_row = min(capacity, most)
    shape = (capacity, width) if by_rows else (width, capacity)
    if scratch is None:
        begins, ends = np.empty(shape, np.int32), np.empty(shape, np.int32)
        side = np.empty(size + 1, np.uint8)
    else:
        begins = scratch.array("begins", capacity * width, np.int32).reshape(shape)
        ends = scratch.array("ends", capacity * width, np.int32).reshape(shape)
        side = scratch.array("side", size + 1, np.uint8)
    lines = np.empty(capacity, np.int32)
    scan.side = &side[0]
    begin_of, end_of = &begins[0, 0], &ends[0, 0]
    row_step = width if by_rows else 1
    column_step = 1 if by_rows else capacity
    places = Places(begin_of, end_of, &lines[0], row_step, column_step, width, stop_row)
    with nogil:
        while position < size and row < stop_row:
            progress = Progress(position, position, row, 0, line, base, bits)
            _quickly(&scan, &places, &progress)
            position, start, row, count = progress.position, progress.start, progress.row, progress.count
            line, base, bits = progress.line, progress.base, progress.bits
            if row >= stop_row or (position >= size and not count):
                break
            crosses = False
            while True:
                outcome = FOUND
                # The short way: from one byte that matters to the next.
                if scan.quote < 0 or position >= size or text[position] != scan.quote:
                    stop = _next(&scan, &base, &bits)
                    plain = stop < size and scan.kinds[text[stop]] != QUOTE
                    begin, end = position, stop
                else:
                    plain = _closing(&scan, position, &base, &bits) >= 0
                    if plain:
                        begin, end, stop = scan.begin, scan.end, _next(&scan, &base, &bits)
                if not plain:
                    outcome = _field(&scan, position)
                    if outcome != FOUND:
                        break
                    begin, end, stop = scan.begin, scan.end, scan.stop
                    crosses = crosses or scan.crosses
                    base, bits = stop + 1, _bits(&scan, stop + 1)
                    if scan.stray or scan.unclosed:
                        with gil:
                            if scan.unclosed:
                                found.unclosed.append(line)
                            if scan.stray:
                                found.stray.append(line)
                if count < width:
                    begin_of[row * row_step + count * column_step] = <int32_t> begin
                    end_of[row * row_step + count * column_step] = <int32_t> end
                else:
                    with gil:
                        found.surplus.append((row, begin, end))
                count += 1
                position = stop
                at_end = stop >= size
                if at_end or text[stop] != scan.delimiter:
                    break
                position += 1
            if outcome == FOUND and not at_end:
                position += 1
                if text[stop] == 13:
                    if position >= size and not last:
                        outcome = MORE_NEEDED
                    elif position < size and text[position] == 10:
                        position += 1
                        base, bits = position, _bits(&scan, position)
            if outcome != FOUND:
                position = start
                with gil:
                    _forget(found, row, line)
                break
            lines[row] = <int32_t> line
            if count == 1 and not single and begin == end:
                with gil:
                    found.blank.append(line)
            else:
                if count < width:
                    for column in range(count, width):
                        begin_of[row * row_step + column * column_step] = 0
                        end_of[row * row_step + column * column_step] = 0
                    with gil:
                        found.short.append((row, count))
                row += 1
            if crosses or (scan.inner and at_end):
                line += _count_line_ends(text, start, position)
            else:
                line += 1 + scan.inner
    found.begins, found.ends = np.asarray(begins), np.asarray(ends)
    if by_rows:
        found.begins, found.ends = found.begins.T, found.ends.T
    found.begins, found.ends = found.begins[:, :row], found.ends[:, :row]
    found.lines, found.side = np.asarray(lines)[:row], np.asarray(side)[: scan.side_size]
    found.rows, found.after, found.line_ends = row, position, line
    return found


cdef _forget(Found found, Py_ssize_t row, Py_ssize_t line):
    """Take back what was noted of a record that is not whole."""
    found.surplus = [one for one in found.surplus if one[0] != row]
    found.stray = [one for one in found.stray if one != line]
    found.unclosed = [one for one in found.unclosed if one != line]


def as_utf8(const uint8_t[::1] data, const uint8_t[::1] table, /):
    """Write bytes that are a character each as UTF-8.

    Parameters
    ----------
    data : bytes
    table : bytes
        Four for each byte: how many bytes its character has in UTF-8, 0 for none, and these. Those of ASCII are
        themselves.

    Returns
    -------
    bytes, or int
        Where the first byte is that is no character.
    """
    cdef Py_ssize_t size = data.shape[0], at = 0, total = 0
    cdef const uint8_t *text
    cdef const uint8_t *character
    cdef uint8_t *out
    if not size:
        return b""
    text = &data[0]
    with nogil:
        while at < size:
            if at + 16 <= size and comb_plain_16(text + at):
                at += 16
                total += 16
                continue
            character = &table[4 * text[at]]
            if not character[0]:
                break
            total += character[0]
            at += 1
    if at < size:
        return at
    made = PyBytes_FromStringAndSize(NULL, total)
    out = <uint8_t *> PyBytes_AsString(made)
    with nogil:
        at = 0
        while at < size:
            if at + 16 <= size and comb_plain_16(text + at):
                memcpy(out, text + at, 16)
                at += 16
                out += 16
                continue
            character = &table[4 * text[at]]
            out[0] = character[1]
            if character[0] > 1:
                out[1] = character[2]
            if character[0] > 2:
                out[2] = character[3]
            out += character[0]
            at += 1
    return made


def check_text(const uint8_t[::1] data, /):
    """Check bytes for being UTF-8.

    Returns
    -------
    valid, controls, characters
        Whether all is well-formed (RFC 3629), how many bytes are control characters that
        text does not have, and how many characters there are.
    """
    cdef Py_ssize_t size = data.shape[0], at = 0, controls = 0, trailing = 0
    cdef const uint8_t *text
    cdef uint8_t byte, second
    cdef int length
    if not size:
        return True, 0, 0
    text = &data[0]
    with nogil:
        while at < size:
            # Sixteen bytes at once where all are ASCII, as nearly all are.
            if at + 16 <= size and comb_plain_16(text + at):
                at += 16
                continue
            byte = text[at]
            if byte < 0x80:
                controls += byte < 32 and not (9 <= byte <= 13 or byte == 26)
                at += 1
                continue
            length = 2 if 0xC2 <= byte <= 0xDF else 3 if 0xE0 <= byte <= 0xEF else 4 if 0xF0 <= byte <= 0xF4 else 0
            if not length or at + length > size:
                break
            second = text[at + 1]
            if second & 0xC0 != 0x80 or (byte == 0xE0 and second < 0xA0) or (byte == 0xED and second > 0x9F):
                break
            if (byte == 0xF0 and second < 0x90) or (byte == 0xF4 and second > 0x8F):
                break
            if length > 2 and text[at + 2] & 0xC0 != 0x80:
                break
            if length > 3 and text[at + 3] & 0xC0 != 0x80:
                break
            trailing += length - 1
            at += length
    return at == size, controls, size - trailing
