# cython: language_level=3, boundscheck=False, wraparound=False, cdivision=True, initializedcheck=False
"""Compiled: find the cells of records that are written in JSON (RFC 8259), in lines or in a list.

The cells are handed out as places in the bytes, table by table and column by column. Objects inside
objects have columns of their own. A list of records inside a record is a table below it: each of its
rows has the row that it is in. Keys with escapes, keys that stand twice, and lists in which records
stand behind other values end the search: then the reference, which reads any JSON, has to read the text.

A key is an *entry* of the object it is in (a *node*). An entry leads to a column of its own (a *leaf*),
to the node of the object inside it, or to the table of the records inside it: to any of them, once it
was seen to hold one. Records of one table have their keys in the same order, mostly: so each entry
remembers which one followed it, and that one is tried first.

A line that turns out broken was entered already up to its fault. What it brought is taken back: its
cells, its rows in the tables below, and what was seen for the first time in it.

Lists of records inside a document are found by their brackets alone; whatever is in them is checked when
they are read.
"""

from libc.stdint cimport int32_t, int64_t, uint8_t
from libc.string cimport memchr, memcmp

import numpy as np

include "_version.pxi"

cdef enum:
    MOST_COLUMNS = 2000
    MOST_ENTRIES = 4000
    MOST_NODES = 800
    MOST_TABLES = 60
    MOST_LEVELS = 20
    MOST_BELOW = 8
    MOST_NESTED = 200
    FIRST_ROWS = 256
    MOST_DEPTH = 4
    MOST_KEYS = 10000

# The column of what is no record.
cdef const char *VALUE = b"value"

# What a cell holds, as `JSON_KINDS` in `comb.kernels.types` lists it.
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


cdef struct Entry:
    # A key of an object. What it leads to is -1 where nothing of the kind was seen.
    const uint8_t *key
    Py_ssize_t size
    int parent
    int leaf
    int node
    int table
    int following
    int beside
    Py_ssize_t last_row
    # The first row in which there is something else than null or an empty list.
    Py_ssize_t filled


cdef struct Node:
    # An object: its table, its first key in the last record, and the last of its entries.
    int table
    int first
    int latest


cdef struct Below:
    # A table: its root, the entry of its lists, and the row it has reached.
    int node
    int entry
    int above
    int level
    Py_ssize_t rows
    Py_ssize_t capacity
    Py_ssize_t before
    int32_t *parents


cdef class Records:
    """The tables and columns that were found so far."""

    cdef Entry entries[MOST_ENTRIES]
    cdef Node nodes[MOST_NODES]
    cdef Below tables[MOST_TABLES]
    cdef int leaf_entry[MOST_COLUMNS]
    cdef int32_t *begins[MOST_COLUMNS]
    cdef int32_t *ends[MOST_COLUMNS]
    cdef uint8_t *kinds[MOST_COLUMNS]
    cdef int entry_count, leaf_count, node_count, table_count
    # What there was before the record that is being read.
    cdef int entries_before, leaves_before, nodes_before, tables_before
    cdef const uint8_t *start
    cdef const uint8_t *at
    cdef const uint8_t *end
    cdef list arrays, parents, prefixes

    def __init__(self, Py_ssize_t capacity):
        self.arrays, self.parents, self.prefixes = [], [], []
        self.entry_count = self.leaf_count = self.node_count = self.table_count = 0
        self.open(-1, capacity)

    cdef inline void spaces(self) noexcept nogil:
        while self.at < self.end and (self.at[0] == 32 or self.at[0] == 10 or self.at[0] == 13 or self.at[0] == 9):
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
        cdef Py_ssize_t size, row
        cdef int expected = self.nodes[node].first, found, before = -1, inner
        cdef bint escaped
        cdef Kind kind
        cdef Outcome outcome
        if level > MOST_LEVELS:
            return UNUSUAL
        self.spaces()
        if self.at < self.end and self.at[0] == 125 and level == 0:
            # A record without cells.
            self.at += 1
            return SOUND
        row = self.tables[self.nodes[node].table].rows
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
                return UNUSUAL
            if before < 0:
                self.nodes[node].first = found
            else:
                self.entries[before].following = found
            before = found
            expected = self.entries[found].following
            if self.entries[found].last_row == row:
                return UNUSUAL
            self.entries[found].last_row = row
            begin = self.at
            if self.opens(91, 123):
                outcome = self.items(found)
            elif self.opens(123, 34):
                inner = self.inner(found)
                if inner < 0:
                    return UNUSUAL
                self.at += 1
                outcome = self.object(inner, level + 1)
            else:
                if self.opens(123, 125):
                    self.at += 1
                    self.spaces()
                    self.at += 1
                    kind, outcome = NESTED, SOUND
                elif begin[0] == 123:
                    outcome = BROKEN
                else:
                    outcome = self.plain(&kind, 0)
                if outcome == SOUND and not self.note(found, kind, begin):
                    return UNUSUAL
            if outcome != SOUND:
                return outcome
            self.spaces()
            if self.at >= self.end:
                return BROKEN
            self.at += 1
            if (self.at - 1)[0] == 125:
                return SOUND
            if (self.at - 1)[0] != 44:
                return BROKEN

    cdef inline bint opens(self, uint8_t bracket, uint8_t behind) noexcept nogil:
        """Return whether a bracket is next, and behind it this byte."""
        cdef const uint8_t *begin = self.at
        cdef bint found
        if begin[0] != bracket:
            return False
        self.at += 1
        self.spaces()
        found = self.at < self.end and self.at[0] == behind
        self.at = begin
        return found

    cdef Outcome items(self, int found) noexcept nogil:
        """Pass a list that begins with a record: each of its items is a row of the table below."""
        cdef const uint8_t *begin
        cdef int table = self.entries[found].table, node
        cdef int value
        cdef Kind kind
        cdef Outcome outcome
        if table < 0:
            if self.table_count == MOST_TABLES or self.node_count == MOST_NODES:
                return UNUSUAL
            if self.tables[self.nodes[self.entries[found].parent].table].level == MOST_BELOW:
                return UNUSUAL
            table = self.table_count
            with gil:
                try:
                    self.open(found, FIRST_ROWS)
                except MemoryError:
                    # Left to the reference, which says so.
                    return UNUSUAL
        node = self.tables[table].node
        self.at += 1
        while True:
            self.spaces()
            if self.at >= self.end:
                return BROKEN
            if self.tables[table].rows == self.tables[table].capacity:
                with gil:
                    try:
                        self.widen(table)
                    except MemoryError:
                        return UNUSUAL
            self.tables[table].parents[self.tables[table].rows] = <int32_t> self.tables[self.tables[table].above].rows
            begin = self.at
            if begin[0] == 123:
                self.at += 1
                outcome = self.object(node, 0)
            else:
                outcome = self.plain(&kind, 0)
                if outcome == SOUND:
                    value = self.find(-1, node, <const uint8_t *> VALUE, 5)
                    if value < 0 or not self.note(value, kind, begin):
                        return UNUSUAL
            if outcome != SOUND:
                return outcome
            self.tables[table].rows += 1
            self.spaces()
            if self.at >= self.end:
                return BROKEN
            self.at += 1
            if (self.at - 1)[0] == 93:
                return SOUND
            if (self.at - 1)[0] != 44:
                return BROKEN

    cdef inline int find(self, int expected, int node, const uint8_t *key, Py_ssize_t size) noexcept nogil:
        """Return the entry of a key, a new one if it has none; -1 if there are too many."""
        cdef int at
        cdef Entry *entry
        if expected >= 0:
            entry = &self.entries[expected]
            if entry.parent == node and entry.size == size and memcmp(entry.key, key, size) == 0:
                return expected
        at = self.nodes[node].latest
        while at >= 0:
            entry = &self.entries[at]
            if entry.size == size and memcmp(entry.key, key, size) == 0:
                return at
            at = entry.beside
        if self.entry_count == MOST_ENTRIES:
            return -1
        entry = &self.entries[self.entry_count]
        entry.key, entry.size, entry.parent = key, size, node
        entry.leaf = entry.node = entry.table = entry.following = -1
        entry.last_row = entry.filled = -1
        entry.beside = self.nodes[node].latest
        self.nodes[node].latest = self.entry_count
        self.entry_count += 1
        return self.entry_count - 1

    cdef int inner(self, int found) noexcept nogil:
        """Return the node of the object inside a key; -1 if there are too many."""
        if self.entries[found].node < 0:
            if self.node_count == MOST_NODES:
                return -1
            with gil:
                try:
                    self.prefixes.append(self.name(found) + b".")
                except MemoryError:
                    return -1
            self.entries[found].node = self.add_node(self.nodes[self.entries[found].parent].table)
        return self.entries[found].node

    cdef int add_node(self, int table) noexcept nogil:
        cdef Node *node = &self.nodes[self.node_count]
        node.table, node.first, node.latest = table, -1, -1
        self.node_count += 1
        return self.node_count - 1

    cdef open(self, int found, Py_ssize_t capacity):
        """Add the table of the records inside a key; -1 for that of all records."""
        cdef Below *table = &self.tables[self.table_count]
        cdef int32_t[::1] parents
        table.entry, table.rows, table.before, table.capacity = found, 0, 0, capacity
        table.above = self.nodes[self.entries[found].parent].table if found >= 0 else -1
        table.level = self.tables[table.above].level + 1 if found >= 0 else 0
        self.prefixes.append(b"")
        table.node = self.add_node(self.table_count)
        # Those of all records are in nothing.
        self.parents.append(np.zeros(capacity if found >= 0 else 1, np.int32))
        parents = self.parents[self.table_count]
        table.parents = &parents[0]
        if found >= 0:
            self.entries[found].table = self.table_count
        self.table_count += 1

    cdef widen(self, int number):
        """Make room for twice as many rows."""
        cdef Below *table = &self.tables[number]
        cdef Py_ssize_t capacity = 2 * table.capacity
        cdef int leaf
        cdef int32_t[::1] parents
        if table.entry >= 0:
            self.parents[number] = longer(self.parents[number], capacity)
            parents = self.parents[number]
            table.parents = &parents[0]
        for leaf in range(self.leaf_count):
            if self.nodes[self.entries[self.leaf_entry[leaf]].parent].table == number:
                self.place(leaf, tuple([longer(one, capacity) for one in self.arrays[leaf]]))
        table.capacity = capacity

    cdef place(self, int leaf, tuple arrays):
        """Keep the arrays of a column."""
        cdef int32_t[::1] begins
        cdef int32_t[::1] ends
        cdef uint8_t[::1] kinds
        begins, ends, kinds = arrays
        self.begins[leaf], self.ends[leaf], self.kinds[leaf] = &begins[0], &ends[0], &kinds[0]
        if leaf == len(self.arrays):
            self.arrays.append(arrays)
        else:
            self.arrays[leaf] = arrays

    cdef bytes name(self, int found):
        cdef Entry *entry = &self.entries[found]
        return self.prefixes[entry.parent] + (<const char *> entry.key)[: entry.size]

    cdef inline bint note(self, int found, Kind kind, const uint8_t *begin) noexcept nogil:
        """Note a cell; strings without their quotes."""
        cdef int leaf = self.entries[found].leaf
        cdef bint quoted = kind == STRING or kind == ESCAPED
        cdef Below *table = &self.tables[self.nodes[self.entries[found].parent].table]
        if leaf < 0:
            if self.leaf_count == MOST_COLUMNS:
                return False
            leaf = self.leaf_count
            with gil:
                size = table.capacity
                self.place(leaf, (np.zeros(size, np.int32), np.zeros(size, np.int32), np.zeros(size, np.uint8)))
            self.leaf_entry[leaf] = found
            self.leaf_count += 1
            self.entries[found].leaf = leaf
        self.kinds[leaf][table.rows] = kind
        self.begins[leaf][table.rows] = <int32_t> (begin + quoted - self.start)
        self.ends[leaf][table.rows] = <int32_t> (self.at - quoted - self.start)
        if self.entries[found].filled < 0 and kind != NULL_ and not (kind == NESTED and empty(begin)):
            self.entries[found].filled = table.rows
        return True

    cdef void begin(self) noexcept nogil:
        """Remember what there is before a record."""
        cdef int table
        for table in range(self.table_count):
            self.tables[table].before = self.tables[table].rows
        self.entries_before, self.leaves_before = self.entry_count, self.leaf_count
        self.nodes_before, self.tables_before = self.node_count, self.table_count

    cdef void forget(self) noexcept nogil:
        """Take back what a record brought that turned out broken."""
        cdef int leaf, at
        cdef Py_ssize_t row, before
        cdef Below *table
        cdef Entry *entry
        for leaf in range(self.leaves_before):
            table = &self.tables[self.nodes[self.entries[self.leaf_entry[leaf]].parent].table]
            for row in range(table.before, min(table.rows + 1, table.capacity)):
                self.kinds[leaf][row] = ABSENT
        for at in range(self.entries_before):
            entry = &self.entries[at]
            before = self.tables[self.nodes[entry.parent].table].before
            entry.last_row = -1 if entry.last_row >= before else entry.last_row
            entry.filled = -1 if entry.filled >= before else entry.filled
            entry.leaf = kept(entry.leaf, self.leaves_before)
            entry.node = kept(entry.node, self.nodes_before)
            entry.table = kept(entry.table, self.tables_before)
            entry.following = kept(entry.following, self.entries_before)
        for at in range(self.nodes_before):
            self.nodes[at].first = kept(self.nodes[at].first, self.entries_before)
            while self.nodes[at].latest >= self.entries_before:
                self.nodes[at].latest = self.entries[self.nodes[at].latest].beside
        for at in range(self.tables_before):
            self.tables[at].rows = self.tables[at].before
        self.entry_count, self.leaf_count = self.entries_before, self.leaves_before
        self.node_count, self.table_count = self.nodes_before, self.tables_before
        with gil:
            del self.arrays[self.leaf_count :], self.parents[self.table_count :], self.prefixes[self.node_count :]

    cdef list found(self):
        """Return the tables."""
        cdef int number, leaf, found
        cdef Py_ssize_t rows
        tables = []
        for number in range(self.table_count):
            rows, found = self.tables[number].rows, self.tables[number].entry
            leaves = [
                leaf for leaf in range(self.leaf_count)
                if self.nodes[self.entries[self.leaf_entry[leaf]].parent].table == number
            ]
            tables.append((
                self.name(found) if found >= 0 else b"",
                self.tables[number].above,
                self.parents[number][: rows if found >= 0 else 0],
                rows,
                [self.name(self.leaf_entry[leaf]) for leaf in leaves],
                [tuple([part[:rows] for part in self.arrays[leaf]]) for leaf in leaves],
                [self.entries[self.leaf_entry[leaf]].filled >= 0 for leaf in leaves],
            ))
        return tables


cdef inline int kept(int number, int count) noexcept nogil:
    return number if number < count else -1


cdef inline bint empty(const uint8_t *begin) noexcept nogil:
    """Return whether a sound value is an empty list."""
    if begin[0] != 91:
        return False
    begin += 1
    while begin[0] == 32 or begin[0] == 10 or begin[0] == 13 or begin[0] == 9:
        begin += 1
    return begin[0] == 93


cdef longer(array, Py_ssize_t capacity):
    made = np.zeros(capacity, array.dtype)
    made[: len(array)] = array
    return made


def take_lines(const uint8_t[::1] data, /):
    """Find the cells of records that are in lines, one in each.

    Returns
    -------
    tables : list of (key, above, parents, rows, names, columns, filled)
        That of all records first; see `JsonCells` in `comb.kernels.types`.
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
    cdef Records records
    if not size:
        return None
    at = &data[0]
    stop = at + size
    with nogil:
        at = <const uint8_t *> memchr(at, 10, size)
        while at != NULL:
            count += 1
            at = <const uint8_t *> memchr(at + 1, 10, stop - at - 1)
    records = Records(count)
    records.start = &data[0]
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
                records.begin()
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
                    outcome = records.object(0, 0)
                    if outcome == UNUSUAL:
                        break
                    records.spaces()
                    if records.at < line_end:
                        outcome = BROKEN
                if outcome == SOUND:
                    lines[records.tables[0].rows] = <int32_t> line
                    records.tables[0].rows += 1
                else:
                    records.forget()
                    with gil:
                        bad.append((line, at - records.start, line_end - records.start))
            at = line_end + 1
    if outcome == UNUSUAL:
        return None
    return records.found(), lines_array[: records.tables[0].rows], bad


def take_list(const uint8_t[::1] data, /):
    """Find the cells of records with a comma between two; returns tables as `take_lines` does.

    None if something in it has to be left to the reference.
    """
    cdef Outcome outcome = BROKEN
    cdef Records records = Records(FIRST_ROWS)
    if not data.shape[0]:
        return None
    with nogil:
        records.start = records.at = &data[0]
        records.end = records.start + data.shape[0]
        while True:
            records.spaces()
            if records.at >= records.end or records.at[0] != 123:
                break
            if records.tables[0].rows == records.tables[0].capacity:
                with gil:
                    records.widen(0)
            records.at += 1
            if records.object(0, 0) != SOUND:
                break
            records.tables[0].rows += 1
            records.spaces()
            if records.at == records.end:
                outcome = SOUND
                break
            if records.at[0] != 44:
                break
            records.at += 1
    return records.found() if outcome == SOUND else None


cdef const uint8_t *past_text(const uint8_t *at, const uint8_t *end) noexcept nogil:
    """Pass a string, the quote before it was passed; NULL if it does not end."""
    while at < end:
        if at[0] == 34:
            return at + 1
        at += 2 if at[0] == 92 else 1
    return NULL


cdef const uint8_t *past_space(const uint8_t *at, const uint8_t *end) noexcept nogil:
    while at < end and (at[0] == 32 or at[0] == 10 or at[0] == 13 or at[0] == 9):
        at += 1
    return at


cdef const uint8_t *past_brackets(
    const uint8_t *at, const uint8_t *end, Py_ssize_t most, int64_t *cuts, Py_ssize_t *count
) noexcept nogil:
    """Pass what is in brackets, and cut it behind commas of its own; NULL if they do not close."""
    cdef const uint8_t *begin = at
    cdef const uint8_t *before = at
    cdef Py_ssize_t depth = 0
    cdef uint8_t byte
    while at < end:
        byte = at[0]
        at += 1
        if byte == 34:
            at = past_text(at, end)
            if at == NULL:
                return NULL
        elif byte == 91 or byte == 123:
            depth += 1
        elif byte == 93 or byte == 125:
            depth -= 1
            if depth == 0:
                return at
        elif byte == 44 and depth == 1 and cuts != NULL and at - before >= most:
            cuts[count[0]] = at - begin
            count[0] += 1
            before = at
    return NULL


cdef class Lists:
    """The lists of records that were found in a document so far."""

    cdef const uint8_t *start
    cdef const uint8_t *end
    cdef Py_ssize_t least, most, keys
    cdef list path, found

    cdef const uint8_t *value(self, const uint8_t *at) except? NULL:
        """Pass a value; NULL where its brackets or quotes do not close, or it has too many keys."""
        at = past_space(at, self.end)
        if at == self.end:
            return NULL
        if at[0] == 123 and len(self.path) < MOST_DEPTH:
            return self.object(at + 1)
        if at[0] == 91 or at[0] == 123:
            return self.brackets(at)
        if at[0] == 34:
            return past_text(at + 1, self.end)
        while at < self.end and at[0] != 44 and at[0] != 93 and at[0] != 125:
            at += 1
        return at

    cdef const uint8_t *brackets(self, const uint8_t *at) except? NULL:
        """Pass a list, or an object too deep to look into."""
        cdef const uint8_t *behind = past_space(at + 1, self.end)
        cdef bint records = at[0] == 91 and behind < self.end and behind[0] == 123
        cdef Py_ssize_t count = 0
        cdef int64_t[::1] cuts = np.empty((self.end - at) // self.most + 1 if records else 1, np.int64)
        cdef const uint8_t *stop
        with nogil:
            stop = past_brackets(at, self.end, self.most, &cuts[0] if records else NULL, &count)
        if records and stop != NULL and stop - at >= self.least:
            begin = at - self.start
            self.found.append((tuple(self.path), begin, stop - self.start, np.asarray(cuts[:count]) + begin))
        return stop

    cdef const uint8_t *object(self, const uint8_t *at) except? NULL:
        """Pass an object; the brace before it was passed."""
        cdef const uint8_t *key
        at = past_space(at, self.end)
        if at < self.end and at[0] == 125:
            return at + 1
        while True:
            at = past_space(at, self.end)
            if at == self.end or at[0] != 34 or self.keys == MOST_KEYS:
                return NULL
            self.keys += 1
            key = at + 1
            at = past_text(key, self.end)
            if at == NULL:
                return NULL
            self.path.append((<const char *> key)[: at - 1 - key])
            at = past_space(at, self.end)
            if at == self.end or at[0] != 58:
                return NULL
            at = self.value(at + 1)
            if at == NULL:
                return NULL
            self.path.pop()
            at = past_space(at, self.end)
            if at == self.end:
                return NULL
            at += 1
            if (at - 1)[0] == 125:
                return at
            if (at - 1)[0] != 44:
                return NULL


def find_lists(const uint8_t[::1] data, Py_ssize_t least, Py_ssize_t most, /):
    """Find the lists of records in a document, by their brackets.

    Parameters
    ----------
    data : bytes
    least : int
        Lists of fewer bytes are passed over.
    most : int
        Lists are cut behind a record whenever there are so many bytes.

    Returns
    -------
    list of (keys, begin, end, cuts), or None where brackets do not close
        The keys that lead to it, as they are written; its brackets; where its pieces begin, but for the first.
    """
    cdef Lists lists = Lists()
    if not data.shape[0]:
        return None
    lists.start = &data[0]
    lists.end = lists.start + data.shape[0]
    lists.least, lists.most, lists.keys = least, max(1, most), 0
    lists.path, lists.found = [], []
    return None if lists.value(lists.start) == NULL else lists.found
