# Cells by their places, and words to compare them with: what the compiled readers share.

cdef struct Cell:
    const uint8_t *text
    Py_ssize_t size


cdef inline bint _is_space(uint8_t byte) noexcept nogil:
    return byte == 32 or 9 <= byte <= 13 or 28 <= byte <= 31


cdef inline int _space_ahead(const uint8_t *text, Py_ssize_t size) noexcept nogil:
    """Return how many bytes the space takes with which a text begins; 0 if it begins otherwise."""
    if text[0] < 0x80:
        return _is_space(text[0])
    if text[0] == 0xC2 and size > 1:
        return 2 if text[1] == 0x85 or text[1] == 0xA0 else 0
    if size > 2:
        if text[0] == 0xE1:
            return 3 if text[1] == 0x9A and text[2] == 0x80 else 0
        if text[0] == 0xE3:
            return 3 if text[1] == 0x80 and text[2] == 0x80 else 0
        if text[0] == 0xE2 and text[1] == 0x80:
            return 3 if 0x80 <= text[2] <= 0x8A or 0xA8 <= text[2] <= 0xA9 or text[2] == 0xAF else 0
        if text[0] == 0xE2 and text[1] == 0x81:
            return 3 if text[2] == 0x9F else 0
    return 0


cdef inline Cell _stripped(Cell cell) noexcept nogil:
    """Take the spaces off that Python's `str.strip` takes off."""
    cdef int step
    while cell.size:
        step = _space_ahead(cell.text, cell.size)
        if not step:
            break
        cell.text += step
        cell.size -= step
    while cell.size:
        if _is_space(cell.text[cell.size - 1]):
            step = 1
        elif cell.text[cell.size - 1] < 0x80:
            break
        elif cell.size > 1 and _space_ahead(cell.text + cell.size - 2, 2) == 2:
            step = 2
        elif cell.size > 2 and _space_ahead(cell.text + cell.size - 3, 3) == 3:
            step = 3
        else:
            break
        cell.size -= step
    return cell


cdef inline bint _is_digit(uint8_t byte) noexcept nogil:
    return 48 <= byte <= 57


cdef inline int _days_in(int year, int month) noexcept nogil:
    if month == 2:
        return 29 if year % 4 == 0 and (year % 100 != 0 or year % 400 == 0) else 28
    return 30 if month == 4 or month == 6 or month == 9 or month == 11 else 31


cdef struct Words:
    const uint8_t *text
    const int64_t *offsets
    Py_ssize_t count
    bint folded
    uint64_t sizes[256]  # by first byte, the sizes that occur


cdef inline uint8_t _lower(uint8_t byte) noexcept nogil:
    return byte + 32 if 65 <= byte <= 90 else byte


cdef void _set_words(Words *words, const uint8_t[::1] text, const int64_t[::1] offsets, bint folded):
    cdef Py_ssize_t at, size
    words.text = &text[0] if text.shape[0] else NULL
    words.offsets = &offsets[0]
    words.count = offsets.shape[0] - 1
    words.folded = folded
    for at in range(256):
        words.sizes[at] = 0
    for at in range(words.count):
        size = offsets[at + 1] - offsets[at]
        if size:
            words.sizes[text[offsets[at]]] |= <uint64_t> 1 << min(size, 63)


cdef inline Py_ssize_t _find_word(Words *words, Cell cell) noexcept nogil:
    """Return which word a cell is; -1 if none."""
    cdef Py_ssize_t at, byte, start
    cdef uint8_t first = _lower(cell.text[0]) if words.folded else cell.text[0]
    if not (words.sizes[first] >> min(cell.size, 63)) & 1:
        return -1
    for at in range(words.count):
        start = words.offsets[at]
        if words.offsets[at + 1] - start != cell.size:
            continue
        for byte in range(cell.size):
            if words.text[start + byte] != (_lower(cell.text[byte]) if words.folded else cell.text[byte]):
                break
        else:
            return at
    return -1


cdef inline Cell _cell(const uint8_t *text, Py_ssize_t size, const uint8_t *side, int64_t begin, int64_t end) noexcept nogil:
    cdef Cell cell
    cell.text = text + begin if begin < size else side + (begin - size)
    cell.size = end - begin
    return cell


cdef inline const uint8_t *_start(const uint8_t[::1] bytes_) noexcept:
    return &bytes_[0] if bytes_.shape[0] else NULL
