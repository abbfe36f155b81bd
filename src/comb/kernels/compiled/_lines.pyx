# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: find the cells of records that stand in lines of JSON (RFC 8259), a record in each.

The cells are handed out as places in the bytes, column by column; objects inside objects
have columns of their own. Lists of records, keys with escapes and keys that stand twice end
the search: then the reference, which reads any JSON, has to read the text.
"""

from libc.stdint cimport int32_t, uint8_t
from libc.string cimport memchr, memcmp

import numpy as np

include "_version.pxi"

cdef enum:
    MOST_COLUMNS = 500
    MOST_ENTRIES = 1000
    MOST_NODES = 200
    MOST_LEVELS = 20
    MOST_NESTED = 200

# What a cell holds, as `JSON_KINDS` in `comb.kernels.chosen` lists it.
cdef enum Kind:
    ABSENT = 0
    NULL_ = 1
    FALSE_ = 2
    TRUE_ = 3
    INTEGER = 4
    FLOAT = 5
    STRING = 6
    ESCAPED = 7
    NESTED = 8
    NOT_FINITE = 9

cdef enum Outcome:
    SOUND = 0
    BROKEN = 1
    UNUSUAL = 2
    NEW_ENTRY = 3


cdef struct Entry:
    # A key of an object: its cells, or the object inside it.
    const uint8_t *key
    Py_ssize_t size
    int parent
    int leaf
    int node
    int following
    Py_ssize_t last_row


cdef class Records:
    """The columns that were found so far."""

    cdef Entry entries[MOST_ENTRIES]
    cdef int first[MOST_NODES]
    cdef int32_t *begins[MOST_COLUMNS]
    cdef int32_t *ends[MOST_COLUMNS]
    cdef uint8_t *kinds[MOST_COLUMNS]
    cdef int entry_count, leaf_count, node_count
    cdef Py_ssize_t capacity, row
    cdef const uint8_t *start
    cdef const uint8_t *at
    cdef const uint8_t *end
    cdef public list names, arrays, prefixes

    cdef inline void spaces(self) noexcept nogil:
        while self.at < self.end and (self.at[0] == 32 or self.at[0] == 9 or self.at[0] == 13):
            self.at += 1

    cdef Outcome text(self, bint *escaped) noexcept nogil:
        """Pass a string; the quote before it was passed."""
        escaped[0] = False
        while self.at < self.end:
            if self.at[0] == 34:
                self.at += 1
                return SOUND
            if self.at[0] == 92:
                escaped[0] = True
                self.at += 1
                if self.at >= self.end or not self.escape():
                    return BROKEN
                continue
            self.at += 1
        return BROKEN

    cdef bint escape(self) noexcept nogil:
        """Pass what may stand behind a backslash."""
        cdef uint8_t byte = self.at[0]
        cdef int digit
        self.at += 1
        if byte == 117:
            if self.end - self.at < 4:
                return False
            for digit in range(4):
                byte = self.at[digit]
                if not (48 <= byte <= 57 or 65 <= byte <= 70 or 97 <= byte <= 102):
                    return False
            self.at += 4
            return True
        return byte in (34, 92, 47, 98, 102, 110, 114, 116)

    cdef inline bint digits(self) noexcept nogil:
        cdef const uint8_t *before = self.at
        while self.at < self.end and 48 <= self.at[0] <= 57:
            self.at += 1
        return self.at > before

    cdef Outcome number(self, Kind *kind) noexcept nogil:
        """Pass a number."""
        kind[0] = INTEGER
        if self.at[0] == 45:
            self.at += 1
            if self.at < self.end and self.at[0] == 73:
                kind[0] = NOT_FINITE
                return SOUND if self.says(b"Infinity", 8) else BROKEN
        if self.at < self.end and self.at[0] == 48:
            self.at += 1
        elif not self.digits():
            return BROKEN
        if self.at < self.end and self.at[0] == 46:
            kind[0] = FLOAT
            self.at += 1
            if not self.digits():
                return BROKEN
        if self.at < self.end and (self.at[0] == 101 or self.at[0] == 69):
            kind[0] = FLOAT
            self.at += 1
            if self.at < self.end and (self.at[0] == 43 or self.at[0] == 45):
                self.at += 1
            if not self.digits():
                return BROKEN
        return SOUND

    cdef inline bint says(self, const char *word, Py_ssize_t size) noexcept nogil:
        if self.end - self.at < size or memcmp(self.at, word, size) != 0:
            return False
        self.at += size
        return True

    cdef Outcome plain(self, Kind *kind, int level) noexcept nogil:
        """Pass a value that is no object with keys."""
        cdef uint8_t byte = self.at[0]
        cdef bint escaped
        cdef Outcome outcome
        if byte == 34:
            self.at += 1
            outcome = self.text(&escaped)
            kind[0] = ESCAPED if escaped else STRING
            return outcome
        if byte == 116:
            kind[0] = TRUE_
            return SOUND if self.says(b"true", 4) else BROKEN
        if byte == 102:
            kind[0] = FALSE_
            return SOUND if self.says(b"false", 5) else BROKEN
        if byte == 110:
            kind[0] = NULL_
            return SOUND if self.says(b"null", 4) else BROKEN
        if byte == 78 or byte == 73:
            kind[0] = NOT_FINITE
            return SOUND if self.says(b"NaN", 3) or self.says(b"Infinity", 8) else BROKEN
        if byte == 91:
            kind[0] = NESTED
            return self.array(level)
        return self.number(kind)

    cdef Outcome array(self, int level) noexcept nogil:
        """Pass an array without objects inside."""
        cdef Kind kind
        cdef Outcome outcome
        if level > MOST_NESTED:
            return UNUSUAL
        self.at += 1
        self.spaces()
        if self.at < self.end and self.at[0] == 93:
            self.at += 1
            return SOUND
        while True:
            self.spaces()
            if self.at >= self.end:
                return BROKEN
            if self.at[0] == 123:
                return UNUSUAL
            outcome = self.plain(&kind, level + 1)
            if outcome != SOUND:
                return outcome
            self.spaces()
            if self.at >= self.end:
                return BROKEN
            self.at += 1
            if (self.at - 1)[0] == 93:
                return SOUND
            if (self.at - 1)[0] != 44:
                return BROKEN

    cdef Outcome object(self, int node, int level) noexcept nogil:
        """Pass an object and note its cells; the brace before it was passed."""
        cdef const uint8_t *key
        cdef const uint8_t *begin
        cdef Py_ssize_t size
        cdef int expected = self.first[node], found, before = -1, inner
        cdef bint escaped
        cdef Kind kind
        cdef Outcome outcome
        if level > MOST_LEVELS:
            return UNUSUAL
        while True:
            self.spaces()
            if self.at >= self.end or self.at[0] != 34:
                return BROKEN
            self.at += 1
            key = self.at
            outcome = self.text(&escaped)
            if outcome != SOUND:
                return outcome
            if escaped:
                return UNUSUAL
            size = self.at - 1 - key
            self.spaces()
            if self.at >= self.end or self.at[0] != 58:
                return BROKEN
            self.at += 1
            self.spaces()
            if self.at >= self.end:
                return BROKEN
            found = self.find(expected, node, key, size)
            if found < 0:
                found = self.enter(node, key, size)
                if found < 0:
                    return UNUSUAL
            if before < 0:
                self.first[node] = found
            else:
                self.entries[before].following = found
            before = found
            expected = self.entries[found].following
            if self.entries[found].last_row == self.row:
                return UNUSUAL
            self.entries[found].last_row = self.row
            begin = self.at
            if self.at[0] == 123:
                self.at += 1
                self.spaces()
                if self.at < self.end and self.at[0] == 125:
                    self.at += 1
                    kind = NESTED
                else:
                    inner = self.inner(found)
                    if inner < 0:
                        return UNUSUAL
                    outcome = self.object(inner, level + 1)
                    kind = ABSENT
                    if outcome != SOUND:
                        return outcome
            else:
                outcome = self.plain(&kind, 0)
                if outcome != SOUND:
                    return outcome
            if kind != ABSENT and not self.note(found, kind, begin):
                return UNUSUAL
            self.spaces()
            if self.at >= self.end:
                return BROKEN
            self.at += 1
            if (self.at - 1)[0] == 125:
                return SOUND
            if (self.at - 1)[0] != 44:
                return BROKEN

    cdef inline int find(self, int expected, int node, const uint8_t *key, Py_ssize_t size) noexcept nogil:
        """Return the entry of a key; -1 if it is new."""
        cdef int at
        cdef Entry *entry
        if expected >= 0:
            entry = &self.entries[expected]
            if entry.parent == node and entry.size == size and memcmp(entry.key, key, size) == 0:
                return expected
        for at in range(self.entry_count):
            entry = &self.entries[at]
            if entry.parent == node and entry.size == size and memcmp(entry.key, key, size) == 0:
                return at
        return -1

    cdef int enter(self, int node, const uint8_t *key, Py_ssize_t size) noexcept nogil:
        cdef Entry *entry
        if self.entry_count == MOST_ENTRIES:
            return -1
        entry = &self.entries[self.entry_count]
        entry.key, entry.size, entry.parent = key, size, node
        entry.leaf = entry.node = entry.following = -1
        entry.last_row = -1
        self.entry_count += 1
        return self.entry_count - 1

    cdef int inner(self, int found) noexcept nogil:
        """Return the node of the object inside a key."""
        if self.entries[found].node < 0:
            if self.node_count == MOST_NODES:
                return -1
            with gil:
                name = self.name(found)
                self.prefixes.append(name + b".")
            self.first[self.node_count] = -1
            self.entries[found].node = self.node_count
            self.node_count += 1
        return self.entries[found].node

    cdef bytes name(self, int found):
        cdef Entry *entry = &self.entries[found]
        prefix = self.prefixes[entry.parent]
        return prefix + (<const char *> entry.key)[: entry.size]

    cdef inline bint note(self, int found, Kind kind, const uint8_t *begin) noexcept nogil:
        """Note a cell; strings without their quotes."""
        cdef int leaf = self.entries[found].leaf
        cdef bint quoted = kind == STRING or kind == ESCAPED
        if leaf < 0:
            if self.leaf_count == MOST_COLUMNS:
                return False
            leaf = self.leaf_count
            with gil:
                self.grow(found)
            self.entries[found].leaf = leaf
        self.kinds[leaf][self.row] = kind
        self.begins[leaf][self.row] = <int32_t> (begin + quoted - self.start)
        self.ends[leaf][self.row] = <int32_t> (self.at - quoted - self.start)
        return True

    cdef grow(self, int found):
        cdef int32_t[::1] begins
        cdef int32_t[::1] ends
        cdef uint8_t[::1] kinds
        arrays = (np.zeros(self.capacity, np.int32), np.zeros(self.capacity, np.int32), np.zeros(self.capacity, np.uint8))
        begins, ends, kinds = arrays
        self.begins[self.leaf_count], self.ends[self.leaf_count] = &begins[0], &ends[0]
        self.kinds[self.leaf_count] = &kinds[0]
        self.arrays.append(arrays)
        self.names.append(self.name(found))
        self.leaf_count += 1

    cdef void forget(self) noexcept nogil:
        """Take back the cells of a record that turned out broken."""
        cdef int leaf, entry
        for leaf in range(self.leaf_count):
            self.kinds[leaf][self.row] = ABSENT
        for entry in range(self.entry_count):
            if self.entries[entry].last_row == self.row:
                self.entries[entry].last_row = -1


def take_records(const uint8_t[::1] data):
    """Find the cells of all records.

    Returns
    -------
    names : list of bytes
        Of the columns, dotted.
    columns : list of (begins, ends, kinds)
    lines : int32 array
        The line of each record, from 1.
    bad : list of (int, int, int)
        Lines that are no record: number, and where each begins and ends.

    None if something in it has to be left to the reference.
    """
    cdef Py_ssize_t size = data.shape[0], count = 1, line = 0
    cdef const uint8_t *at
    cdef const uint8_t *stop
    cdef const uint8_t *line_end
    cdef Outcome outcome = SOUND
    cdef Kind kind
    cdef int32_t[::1] lines
    cdef Records records = Records()
    if not size:
        return None
    records.start = &data[0]
    stop = records.start + size
    with nogil:
        at = <const uint8_t *> memchr(records.start, 10, size)
        while at != NULL:
            count += 1
            at = <const uint8_t *> memchr(at + 1, 10, stop - at - 1)
    records.capacity = count
    records.names, records.arrays, records.prefixes = [], [], [b""]
    records.entry_count = records.leaf_count = 0
    records.node_count = 1
    records.first[0] = -1
    records.row = 0
    lines_array = np.empty(count, np.int32)
    lines = lines_array
    bad = []
    with nogil:
        at = records.start
        while at < stop:
            line_end = <const uint8_t *> memchr(at, 10, stop - at)
            if line_end == NULL:
                line_end = stop
            line += 1
            records.at, records.end = at, line_end
            records.spaces()
            if records.at < line_end:
                outcome = BROKEN
                if records.at[0] != 123:
                    # A value that is no object is a record of its own kind.
                    outcome = records.plain(&kind, 0)
                    records.spaces()
                    if outcome != BROKEN and records.at == line_end:
                        outcome = UNUSUAL
                        break
                    outcome = BROKEN
                if records.at[0] == 123:
                    records.at += 1
                    records.spaces()
                    if records.at < line_end and records.at[0] == 125:
                        outcome = SOUND
                        records.at += 1
                    else:
                        outcome = records.object(0, 0)
                    if outcome == UNUSUAL:
                        break
                    records.spaces()
                    if records.at < line_end:
                        outcome = BROKEN
                if outcome == SOUND:
                    lines[records.row] = <int32_t> line
                    records.row += 1
                else:
                    records.forget()
                    with gil:
                        bad.append((line, at - records.start, line_end - records.start))
            at = line_end + 1
    if outcome == UNUSUAL:
        return None
    columns = [tuple(part[: records.row] for part in arrays) for arrays in records.arrays]
    return records.names, columns, lines_array[: records.row], bad
