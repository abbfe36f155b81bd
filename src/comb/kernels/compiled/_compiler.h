/* What compilers call differently: products of 128 bits, bits that are counted, hints how to compile.

   With COMB_PORTABLE nothing but standard C is used, slower and with the same results: for compilers that are
   not known here, and to test that way with one that is. */

#ifndef COMB_COMPILER_H
#define COMB_COMPILER_H

#include <stdint.h>

#if defined(_MSC_VER) && defined(_M_X64) && !defined(COMB_PORTABLE)
#include <intrin.h>
#define COMB_INLINE static __forceinline
#define COMB_APART static __declspec(noinline)
#define COMB_PREFETCH(place) _mm_prefetch((const char *)(place), _MM_HINT_T0)
#elif (defined(__GNUC__) || defined(__clang__)) && !defined(COMB_PORTABLE)
#define COMB_INLINE static inline __attribute__((always_inline))
#define COMB_APART static __attribute__((noinline))
#define COMB_PREFETCH(place) __builtin_prefetch(place)
#else
#define COMB_INLINE static inline
#define COMB_APART static
#define COMB_PREFETCH(place) ((void)(place))
#endif

#if defined(_MSC_VER) || (defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__)
#define COMB_LITTLE_ENDIAN 1
#else
#define COMB_LITTLE_ENDIAN 0
#endif

/* The upper half of a product of 128 bits; the lower half goes to `low`. */
COMB_INLINE uint64_t comb_product(uint64_t left, uint64_t right, uint64_t *low) {
#if defined(COMB_PORTABLE) || !(defined(__SIZEOF_INT128__) || (defined(_MSC_VER) && defined(_M_X64)))
    const uint64_t mask = 0xFFFFFFFFULL;
    const uint64_t bottom = (left & mask) * (right & mask), top = (left >> 32) * (right >> 32);
    const uint64_t one = (left >> 32) * (right & mask), other = (left & mask) * (right >> 32);
    const uint64_t middle = (bottom >> 32) + (one & mask) + (other & mask);
    *low = middle << 32 | (bottom & mask);
    return top + (one >> 32) + (other >> 32) + (middle >> 32);
#elif defined(_MSC_VER)
    uint64_t high;
    *low = _umul128(left, right, &high);
    return high;
#else
    const unsigned __int128 product = (unsigned __int128)left * right;
    *low = (uint64_t)product;
    return (uint64_t)(product >> 64);
#endif
}

/* How many zero bits are above the highest one, and below the lowest one, of a number that is not zero. */
COMB_INLINE int comb_zeros_above(uint64_t bits) {
#if defined(COMB_PORTABLE) || !(defined(__GNUC__) || defined(__clang__) || (defined(_MSC_VER) && defined(_M_X64)))
    int count = 0;
    while (!(bits >> 63)) {
        bits <<= 1;
        count += 1;
    }
    return count;
#elif defined(_MSC_VER)
    unsigned long place;
    _BitScanReverse64(&place, bits);
    return 63 - (int)place;
#else
    return __builtin_clzll(bits);
#endif
}

COMB_INLINE int comb_zeros_below(uint64_t bits) {
#if defined(COMB_PORTABLE) || !(defined(__GNUC__) || defined(__clang__) || (defined(_MSC_VER) && defined(_M_X64)))
    int count = 0;
    while (!(bits & 1)) {
        bits >>= 1;
        count += 1;
    }
    return count;
#elif defined(_MSC_VER)
    unsigned long place;
    _BitScanForward64(&place, bits);
    return (int)place;
#else
    return __builtin_ctzll(bits);
#endif
}

#endif
