/* The quick way from one field to the next, as long as all is regular.

   Regular are plain and well-formed quoted fields in rows that are as wide as wanted and end as lines do. The bytes that
   matter, delimiters, quotes and line ends, are found 64 at a time, as bits. Whatever else comes up is left to
   who looks with more care (`comb.kernels.compiled._split.split`), from the field on where it was met. */

#ifndef COMB_FIELDS_H
#define COMB_FIELDS_H

#include <stdint.h>
#include <string.h>

#include "_compiler.h"

/* As in the reference: a longer quoted field is taken for a quote that was never closed. */
#define COMB_LONGEST_QUOTED 256000000

enum { COMB_ORDINARY = 0, COMB_DELIMITER = 1, COMB_LINE_END = 2, COMB_QUOTE = 3 };

typedef struct {
    const uint8_t *text;
    int64_t size;
    int last;
    uint8_t kinds[256];
    uint8_t delimiter;
    int quote;  /* -1: none */
    int escape; /* -1: none */
    /* Where quoted fields with quotes inside are written anew. */
    uint8_t *side;
    int64_t side_size;
    /* Up to here no quote closes. */
    int64_t hopeless_until;
    /* The field found last. */
    int64_t begin, end, stop;
    int crosses;   /* a line end */
    int64_t inner; /* line ends inside the well-formed quoted fields of this record */
    int stray;
    int unclosed;
} comb_scan;

/* How far the quick way came: a field that begins at `position`, `count` fields into a row that begins at `start`. */
typedef struct {
    int64_t position, start, row, count, line, base;
    uint64_t bits;
} comb_progress;

/* Where the places go. */
typedef struct {
    int32_t *begins, *ends, *lines;
    int64_t row_step, column_step, width, most_rows;
} comb_places;

/* The bytes, of 64, that are one of two given ones or end a line, as bits. */
#if defined(__SSE2__) || defined(_M_X64)
#include <emmintrin.h>
#define COMB_EACH_16(shift) do { \
    const __m128i some = _mm_loadu_si128((const __m128i *)(text + shift)); \
    const __m128i hit = _mm_or_si128( \
        _mm_or_si128(_mm_cmpeq_epi8(some, one), _mm_cmpeq_epi8(some, two)), \
        _mm_or_si128(_mm_cmpeq_epi8(some, line_feed), _mm_cmpeq_epi8(some, carriage_return))); \
    found |= (uint64_t)(uint32_t)_mm_movemask_epi8(hit) << shift; \
} while (0)
static inline uint64_t comb_find_in_64(const uint8_t *text, uint8_t a, uint8_t b) {
    const __m128i one = _mm_set1_epi8((char)a), two = _mm_set1_epi8((char)b);
    const __m128i line_feed = _mm_set1_epi8(10), carriage_return = _mm_set1_epi8(13);
    uint64_t found = 0;
    COMB_EACH_16(0);
    COMB_EACH_16(16);
    COMB_EACH_16(32);
    COMB_EACH_16(48);
    return found;
}
#else
static inline uint64_t comb_find_in_64(const uint8_t *text, uint8_t a, uint8_t b) {
    uint64_t found = 0;
    for (int at = 0; at < 64; at++) {
        const uint8_t byte = text[at];
        found |= (uint64_t)(byte == a || byte == b || byte == 10 || byte == 13) << at;
    }
    return found;
}
#endif

/* The bytes that matter among the 64 from a place on. */
static uint64_t comb_bits(const comb_scan *scan, int64_t base) {
    uint64_t bits = 0;
    if (base + 64 <= scan->size)
        return comb_find_in_64(scan->text + base, scan->delimiter, scan->quote >= 0 ? (uint8_t)scan->quote : scan->delimiter);
    for (int64_t at = base; at < scan->size; at++)
        bits |= (uint64_t)(scan->kinds[scan->text[at]] != COMB_ORDINARY) << (at - base);
    return bits;
}

/* Find the next byte that matters, and pass it; the size of the text if there is none. */
static inline int64_t comb_next(const comb_scan *scan, int64_t *base, uint64_t *bits) {
    int64_t at;
    while (!*bits) {
        *base += 64;
        if (*base >= scan->size) return scan->size;
        *bits = comb_bits(scan, *base);
    }
    at = *base + comb_zeros_below(*bits);
    *bits &= *bits - 1;
    return at;
}

static inline void comb_put_aside(comb_scan *scan, int64_t start, int64_t stop) {
    memcpy(scan->side + scan->side_size, scan->text + start, (size_t)(stop - start));
    scan->side_size += stop - start;
}

/* Find the quote that closes a well-formed field, and its places; -1 where it needs more care. */
static int64_t comb_closing(comb_scan *scan, int64_t start, int64_t *base, uint64_t *bits) {
    const uint8_t *text = scan->text;
    const int64_t kept = scan->side_size;
    int64_t position = start + 1, inner = 0;
    if (start < scan->hopeless_until) return -1;
    comb_next(scan, base, bits);
    for (;;) {
        const int64_t at = comb_next(scan, base, bits);
        uint8_t kind;
        if (at + 1 >= scan->size || at - start > COMB_LONGEST_QUOTED) break;
        kind = scan->kinds[text[at]];
        if (kind == COMB_DELIMITER) continue;
        if (kind == COMB_LINE_END) {
            inner += text[at] == 10 || text[at + 1] != 10;
            continue;
        }
        if (scan->escape >= 0 && text[at - 1] == scan->escape) break;
        kind = scan->kinds[text[at + 1]];
        if (kind == COMB_QUOTE) {
            comb_put_aside(scan, position, at + 1);
            position = at + 2;
            comb_next(scan, base, bits);
            continue;
        }
        if (kind == COMB_ORDINARY) break;
        scan->inner += inner;
        scan->begin = start + 1;
        scan->end = at;
        if (position > start + 1) {
            comb_put_aside(scan, position, at);
            scan->begin = scan->size + kept;
            scan->end = scan->size + scan->side_size;
        }
        return at;
    }
    scan->side_size = kept;
    return -1;
}

/* Find fields as long as all is regular; stops before the first field that needs more care.

   Not to be inlined: what it works with would no longer fit into registers. */
COMB_APART void comb_quickly(comb_scan *scan, const comb_places *out, comb_progress *progress) {
    const uint8_t *const text = scan->text;
    const int64_t size = scan->size, last_column = out->width - 1, column_step = out->column_step;
    const uint8_t delimiter = scan->delimiter, other = scan->quote >= 0 ? (uint8_t)scan->quote : delimiter;
    const int quote = scan->quote;
    int32_t *const begins = out->begins, *const ends = out->ends;
    int64_t position = progress->position, row = progress->row, line = progress->line, base = progress->base;
    int64_t start = position, count = 0, place = row * out->row_step;
    uint64_t bits = progress->bits;
    scan->inner = 0;
    for (;;) {
        int64_t at, begin, end, after, further, inner, aside;
        uint64_t rest;
        uint8_t byte;
        while (!bits && base + 128 <= size) {
            base += 64;
            bits = comb_find_in_64(text + base, delimiter, other);
        }
        if (!bits) break;
        /* Plain fields, up to the next byte that is no delimiter. */
        do {
            at = base + comb_zeros_below(bits);
            byte = text[at];
            if (byte != delimiter || count >= last_column) break;
            begins[place] = (int32_t)position;
            ends[place] = (int32_t)at;
            place += column_step;
            count += 1;
            position = at + 1;
            bits &= bits - 1;
        } while (bits);
        if (!bits) continue;
        rest = bits & (bits - 1);
        begin = position;
        end = at;
        further = base;
        inner = scan->inner;
        aside = scan->side_size;
        if (byte == quote) {
            if (at != position) break;
            /* Two quotes and a delimiter, with nothing between that matters, all among the same 64 bytes. */
            if (rest) {
                end = base + comb_zeros_below(rest);
                rest &= rest - 1;
                if (rest && text[end] == quote && text[end + 1] == delimiter && count < last_column && scan->escape < 0
                    && at >= scan->hopeless_until) {
                    begins[place] = (int32_t)(position + 1);
                    ends[place] = (int32_t)end;
                    place += column_step;
                    count += 1;
                    position = end + 2;
                    bits = rest & (rest - 1);
                    continue;
                }
            }
            rest = bits;
            end = comb_closing(scan, at, &further, &rest);
            if (end < 0) break;
            at = comb_next(scan, &further, &rest);
            begin = scan->begin;
            end = scan->end;
            byte = text[at];
        }
        after = at + 1;
        if (byte == delimiter && count < last_column) {
            begins[place] = (int32_t)begin;
            ends[place] = (int32_t)end;
            place += column_step;
            count += 1;
            position = after;
            base = further;
            bits = rest;
            continue;
        }
        if (byte == 13 && rest && further + comb_zeros_below(rest) == after && text[after] == 10) {
            rest &= rest - 1;
            after += 1;
            byte = 10;
        }
        if (byte != 10 || count != last_column || (begin == end && !count)) {
            scan->inner = inner;
            scan->side_size = aside;
            break;
        }
        begins[place] = (int32_t)begin;
        ends[place] = (int32_t)end;
        out->lines[row] = (int32_t)line;
        line += 1 + scan->inner;
        position = start = after;
        base = further;
        bits = rest;
        row += 1;
        count = 0;
        place = row * out->row_step;
        scan->inner = 0;
        if (row >= out->most_rows) break;
    }
    progress->position = position;
    progress->start = start;
    progress->row = row;
    progress->count = count;
    progress->line = line;
    progress->base = base;
    progress->bits = bits;
}

#endif
