/* Numbers in decimal digits, eight digits at a time.

   Cells are given by where they begin and end in a text. A number that is written as most are, digits, perhaps
   a minus in front and one mark between, perhaps an exponent of two digits, is read here; everything else, and
   what stands in the first bytes of a text, is left (COMB_LEFT) to who reads it with more care. What is counted, and
   what the values are, is as in `comb.kernels.reference.counting` and `comb.kernels.reference.scalars`.

   Numbers in digits become floats by the algorithm of D. Lemire, "Number parsing at a gigabyte per second",
   Software: Practice and Experience 51 (2021).

   Weak spot: the order of bytes matters; on big-endian machines all is left. */

#ifndef COMB_DIGITS_H
#define COMB_DIGITS_H

#include <stdint.h>
#include <string.h>

#include "_compiler.h"

enum { COMB_FITS = 0, COMB_BLANK = 1, COMB_LEFT = 255 };
enum { COMB_INTEGER = 0, COMB_DECIMAL = 1, COMB_NUMBER = 2 };

/* So many bytes before the end of a cell may be looked at, and no longer number is read here. */
#define COMB_LONGEST 24

#define COMB_MOST_DECIMAL_DIGITS 18
#define COMB_MOST_NUMBER_DIGITS 17

typedef struct {
    int kind;
    int scale; /* of decimals, else 0 */
    int mark;
    int left; /* whether all is left: words for missing were given, which may be numbers */
} comb_form;

/* Numbers that were read here, by their shape, and cells with nothing in them. */
typedef struct {
    int64_t blank;
    int64_t whole;
    int64_t scaled[20]; /* by digits after the mark */
    int64_t unscaled;   /* with a mark, but too many digits for a decimal */
    int64_t exponent;
    int64_t bare; /* with an exponent, but no mark */
    int64_t many;    /* digits */
    int64_t decided; /* a mark that cannot part thousands */
    int64_t unusual; /* neither read here nor blank */
} comb_shapes;

/* Powers of five from 5**-342 to 5**308, as 128 bits each, normalised; filled when the module is loaded. */
enum { COMB_LEAST_POWER = -342, COMB_MOST_POWER = 308 };
static uint64_t comb_power_high[651], comb_power_low[651];

static const double comb_tens[23] = {
    1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
    1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
static const uint64_t comb_whole_tens[19] = {
    1ULL, 10ULL, 100ULL, 1000ULL, 10000ULL, 100000ULL, 1000000ULL, 10000000ULL, 100000000ULL, 1000000000ULL,
    10000000000ULL, 100000000000ULL, 1000000000000ULL, 10000000000000ULL, 100000000000000ULL, 1000000000000000ULL,
    10000000000000000ULL, 100000000000000000ULL, 1000000000000000000ULL};

/* Find the float nearest to mantissa * 10**power; 0 where this does not decide it. */
COMB_INLINE int comb_nearest_float(uint64_t mantissa, int64_t power, double *value) {
    uint64_t high, low, bits;
    int zeros, upper;
    int64_t exponent;
    if (mantissa <= 1ULL << 53 && power >= -22 && power <= 22) {
        /* Both are exact as floats, so one operation rounds once, as IEEE 754 has it. */
        *value = power >= 0 ? (double)(int64_t)mantissa * comb_tens[power] : (double)(int64_t)mantissa / comb_tens[-power];
        return 1;
    }
    if (mantissa == 0) {
        *value = 0.0;
        return 1;
    }
    if (power < COMB_LEAST_POWER || power > COMB_MOST_POWER) return 0;
    zeros = comb_zeros_above(mantissa);
    mantissa <<= zeros;
    high = comb_product(mantissa, comb_power_high[power - COMB_LEAST_POWER], &low);
    if ((high & 0x1FF) == 0x1FF) {
        uint64_t unused;
        const uint64_t second = comb_product(mantissa, comb_power_low[power - COMB_LEAST_POWER], &unused);
        low += second;
        high += low < second;
    }
    if (low == ~0ULL && !(power >= -27 && power <= 55)) return 0;
    upper = (int)(high >> 63);
    bits = high >> (upper + 9);
    exponent = ((217706 * power) >> 16) + 63 + upper - zeros + 1023;
    if (exponent <= 0 || exponent >= 2046) return 0;
    if (low <= 1 && power >= -4 && power <= 23 && (bits & 3) == 1 && bits << (upper + 9) == high) bits &= ~1ULL;
    bits = (bits + (bits & 1)) >> 1;
    if (bits >= 1ULL << 53) {
        bits = 1ULL << 52;
        exponent += 1;
    }
    bits = (bits & ~(1ULL << 52)) | ((uint64_t)exponent << 52);
    memcpy(value, &bits, 8);
    return 1;
}

#define COMB_ONES 0x0101010101010101ULL
#define COMB_TOPS 0x8080808080808080ULL
#define COMB_ZEROS 0x3030303030303030ULL

COMB_INLINE uint64_t comb_eight(const uint8_t *at) {
    uint64_t eight;
    memcpy(&eight, at, 8);
    return eight;
}

/* The last `count` of eight bytes, 1 to 8, less the digit zero each, and nothing for the others. */
COMB_INLINE uint64_t comb_last(uint64_t eight, int count) {
    return (eight ^ COMB_ZEROS) & (~0ULL << (64 - 8 * count));
}

/* Bits where eight bytes, less the digit zero each, are no digits. */
COMB_INLINE uint64_t comb_wrong(uint64_t digits) {
    return ((digits + 0x7676767676767676ULL) | digits) & COMB_TOPS;
}

/* Eight digits as a number: neighbours are added up, by two, four and eight. */
COMB_INLINE uint64_t comb_value(uint64_t digits) {
    digits = (digits * 2561) >> 8 & 0x00FF00FF00FF00FFULL;
    digits = (digits * 6553601) >> 16 & 0x0000FFFF0000FFFFULL;
    return (digits * 42949672960001ULL) >> 32;
}

/* The high bit of the first of eight bytes that is a mark, among others. */
COMB_INLINE uint64_t comb_marks(uint64_t eight, uint64_t marks) {
    eight ^= marks;
    return (eight - COMB_ONES) & ~eight & COMB_TOPS;
}

/* What a number looks like: its digits as a whole number, how many stand before and after the mark. */
typedef struct {
    uint64_t mantissa;
    int before;
    int after;
    int negative;
    int leading; /* a zero is the first digit */
} comb_shape;

/* Take apart a number of at most eight bytes that ends here; 0 where it is written otherwise. */
COMB_INLINE int comb_take_short(const uint8_t *stop, int size, int mark, comb_shape *shape) {
    const int negative = stop[-size] == '-', count = size - negative;
    uint64_t digits, marked;
    if (!count) return 0;
    digits = comb_last(comb_eight(stop - 8), count);
    shape->negative = negative;
    shape->leading = stop[-count] == '0';
    shape->before = count;
    shape->after = 0;
    marked = mark ? comb_marks(digits, COMB_ONES * (uint64_t)(mark ^ '0')) : 0;
    if (marked) {
        /* What stands before the mark moves up by one. */
        const int shift = comb_zeros_below(marked) & ~7;
        const uint64_t below = (1ULL << shift) - 1;
        digits = (digits & (~0ULL << shift << 8)) | ((digits & below) << 8);
        shape->after = 7 - (shift >> 3);
        shape->before = count - shape->after - 1;
        if (!shape->after || shape->before < 1) return 0;
    }
    shape->mantissa = comb_value(digits);
    return !comb_wrong(digits) && !(shape->leading && shape->before > 1) && (!negative || shape->mantissa);
}

/* The same for 9 to COMB_LONGEST bytes. */
COMB_INLINE int comb_take_long(const uint8_t *stop, int size, int mark, comb_shape *shape) {
    const int negative = stop[-size] == '-', count = size - negative;
    const uint8_t *start = stop - count;
    const uint64_t marked = comb_marks(comb_eight(start), COMB_ONES * (uint64_t)mark);
    uint64_t wrong, digits;
    int rest = count;
    shape->negative = negative;
    shape->leading = *start == '0';
    if (marked) {
        const int before = comb_zeros_below(marked) >> 3;
        rest = count - before - 1;
        if (!before || !rest || count > 20 || (shape->leading && before > 1)) return 0;
        digits = comb_last(comb_eight(start + before - 8), before);
        wrong = comb_wrong(digits);
        shape->mantissa = comb_value(digits) * comb_whole_tens[rest];
        shape->before = before;
        shape->after = rest;
    } else {
        if (count > COMB_MOST_DECIMAL_DIGITS || (shape->leading && count > 1)) return 0;
        wrong = shape->mantissa = 0;
        shape->before = count;
        shape->after = 0;
    }
    if (rest > 16) {
        digits = comb_last(comb_eight(stop - 24), rest - 16);
        wrong |= comb_wrong(digits);
        shape->mantissa += comb_value(digits) * 10000000000000000ULL;
        rest = 16;
    }
    if (rest > 8) {
        digits = comb_last(comb_eight(stop - 16), rest - 8);
        wrong |= comb_wrong(digits);
        shape->mantissa += comb_value(digits) * 100000000ULL;
        rest = 8;
    }
    digits = comb_last(comb_eight(stop - 8), rest);
    wrong |= comb_wrong(digits);
    shape->mantissa += comb_value(digits);
    return !wrong && (!negative || shape->mantissa);
}

/* Read a number with an exponent of a sign and two digits; the mark is a point. */
COMB_INLINE int comb_read_powered(const uint8_t *stop, int size, double *value, comb_shapes *shapes) {
    const unsigned tens = stop[-2] - 48u, ones = stop[-1] - 48u;
    const int minus = stop[-3] == '-';
    comb_shape shape;
    int power;
    if ((!minus && stop[-3] != '+') || tens > 9 || ones > 9) return COMB_LEFT;
    if (size > 12 || !comb_take_short(stop - 4, size - 4, '.', &shape)) return COMB_LEFT;
    power = (int)(tens * 10 + ones);
    if (!comb_nearest_float(shape.mantissa, (minus ? -power : power) - shape.after, value)) return COMB_LEFT;
    if (shape.negative) *value = -*value;
    if (shape.after)
        shapes->exponent += 1;
    else
        shapes->bare += 1;
    return COMB_FITS;
}

/* Read a cell that is not blank as one of the kinds; its value is set where it fits. */
COMB_INLINE int comb_read_filled(const uint8_t *stop, int size, int kind, const comb_form *form, int64_t *value,
                                 comb_shapes *shapes) {
    comb_shape shape;
    int many = 0;
    if (kind == COMB_NUMBER && size > 4 && form->mark == '.' && (stop[-4] | 32) == 'e')
        return comb_read_powered(stop, size, (double *)value, shapes);
    if (size <= 8) {
        if (!comb_take_short(stop, size, kind == COMB_INTEGER ? 0 : form->mark, &shape)) return COMB_LEFT;
    } else {
        if (!comb_take_long(stop, size, form->mark, &shape)) return COMB_LEFT;
        many = shape.before + shape.after > COMB_MOST_NUMBER_DIGITS;
    }
    if (kind == COMB_INTEGER) {
        if (shape.after) return COMB_LEFT;
        *value = shape.negative ? -(int64_t)shape.mantissa : (int64_t)shape.mantissa;
        shapes->whole += 1;
        shapes->many += many;
        return COMB_FITS;
    }
    if (kind == COMB_NUMBER) {
        double real;
        if (!comb_nearest_float(shape.mantissa, -shape.after, &real)) return COMB_LEFT;
        if (shape.negative) real = -real;
        memcpy(value, &real, 8);
    } else {
        const int lacking = form->scale - shape.after;
        if (lacking < 0 || shape.before - shape.leading + form->scale > COMB_MOST_DECIMAL_DIGITS) return COMB_LEFT;
        const int64_t whole = (int64_t)(shape.mantissa * comb_whole_tens[lacking]);
        *value = shape.negative ? -whole : whole;
    }
    shapes->many += many;
    if (!shape.after)
        shapes->whole += 1;
    else if (shape.before - shape.leading + shape.after <= COMB_MOST_DECIMAL_DIGITS)
        shapes->scaled[shape.after] += 1;
    else
        shapes->unscaled += 1;
    if (shape.after) shapes->decided += shape.after != 3 || shape.before > 3 || shape.leading;
    return COMB_FITS;
}

/* Read a cell of a text that is so large; the value of what is no number is 0. */
COMB_INLINE uint8_t comb_read_number(const uint8_t *text, int64_t text_size, int64_t begin, int64_t end, int kind,
                                     const comb_form *form, int64_t *value, comb_shapes *shapes) {
    const int64_t size = end - begin;
    if (!size) {
        *value = 0;
        shapes->blank += 1;
        return COMB_BLANK;
    }
#if COMB_LITTLE_ENDIAN
    if (size <= COMB_LONGEST && end >= COMB_LONGEST && end <= text_size)
        return (uint8_t)comb_read_filled(text + end, (int)size, kind, form, value, shapes);
#endif
    return COMB_LEFT;
}

/* Read the next cells of a column; a loop for each kind, so that none asks for it at every cell. */
#define COMB_READ_EACH(kind) \
    for (int64_t at = 0; at < count; at++) { \
        /* Where rows are long, each cell is in a part of the text that no cache holds. */ \
        if (at + 16 < count) COMB_PREFETCH(text + begins[at + 16]); \
        status[at] = comb_read_number(text, text_size, begins[at], ends[at], kind, form, values + at, shapes); \
    }
#define COMB_READ_COLUMN(name, place) \
    static void name(const uint8_t *text, int64_t text_size, const place *begins, const place *ends, int64_t count, \
                     const comb_form *form, int64_t *values, uint8_t *status, comb_shapes *shapes) { \
        if (form->left) \
            memset(status, COMB_LEFT, (size_t)count); \
        else if (form->kind == COMB_INTEGER) \
            COMB_READ_EACH(COMB_INTEGER) \
        else if (form->kind == COMB_DECIMAL) \
            COMB_READ_EACH(COMB_DECIMAL) \
        else \
            COMB_READ_EACH(COMB_NUMBER) \
    }
COMB_READ_COLUMN(comb_read_column_32, int32_t)
COMB_READ_COLUMN(comb_read_column_64, int64_t)

/* Where the places of a column stand, where its values and status go, and how it is read. */
typedef struct {
    const int32_t *begins;
    const int32_t *ends;
    int64_t *values;
    uint8_t *status;
    comb_form form;
    comb_shapes shapes;
} comb_column;

/* Read cells of columns side by side, row by row, as they stand in the text; whole numbers in a loop of their own. */
#define COMB_READ_ROWS(kind_of) \
    for (int64_t row = start; row < stop; row++) \
        for (int64_t at = 0; at < width; at++) { \
            comb_column *one = columns + at; \
            one->status[row] = one->form.left ? COMB_LEFT : comb_read_number( \
                text, text_size, one->begins[row * stride], one->ends[row * stride], kind_of, &one->form, \
                one->values + row, &one->shapes); \
        }
static void comb_read_rows(const uint8_t *text, int64_t text_size, comb_column *columns, int64_t width, int64_t stride,
                           int64_t start, int64_t stop) {
    int all_integers = 1;
    for (int64_t at = 0; at < width; at++) all_integers &= columns[at].form.kind == COMB_INTEGER;
    if (all_integers)
        COMB_READ_ROWS(COMB_INTEGER)
    else
        COMB_READ_ROWS(one->form.kind)
}

#endif
