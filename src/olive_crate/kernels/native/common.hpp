// What all compiled kernels share: eight bytes of text as one word, and what counts as blank.
//
// Buffers hold at least 32 bytes before and behind the text (PAD in kernels/reference/words.py), so
// a word may be fetched around any field. Words are little-endian, as in the NumPy kernels.
#pragma once

#include <cstdint>
#include <cstring>

#if defined(_MSC_VER)
#include <intrin.h>
#endif

#if defined(__GNUC__)
#define OLIVE_APART __attribute__((noinline))
#define OLIVE_INLINE inline __attribute__((always_inline))
#else
#define OLIVE_APART
#define OLIVE_INLINE inline
#endif

namespace olive {

using byte = unsigned char;
using place = std::int32_t;  // a position in a buffer of less than 2 GB

constexpr std::uint64_t ONES = 0x0101010101010101ull;
constexpr std::uint64_t HIGH = 0x8080808080808080ull;
constexpr std::uint64_t ZEROS = 0x3030303030303030ull;

inline std::uint64_t swapped(std::uint64_t word) {
    word = ((word & 0x00FF00FF00FF00FFull) << 8) | ((word >> 8) & 0x00FF00FF00FF00FFull);
    word = ((word & 0x0000FFFF0000FFFFull) << 16) | ((word >> 16) & 0x0000FFFF0000FFFFull);
    return (word << 32) | (word >> 32);
}

inline bool little_endian() {
    const std::uint16_t probe = 1;
    byte first;
    std::memcpy(&first, &probe, 1);
    return first == 1;
}

inline std::uint64_t fetch(const byte* at) {
    std::uint64_t word;
    std::memcpy(&word, at, 8);
    return little_endian() ? word : swapped(word);
}

inline void put_word(byte* at, std::uint64_t word) {
    if (!little_endian()) word = swapped(word);
    std::memcpy(at, &word, 8);
}

inline int trailing_zeros(std::uint64_t word) {
#if defined(_MSC_VER)
    unsigned long index;
    _BitScanForward64(&index, word);
    return static_cast<int>(index);
#else
    return __builtin_ctzll(word);
#endif
}

inline int leading_zeros(std::uint64_t word) {
#if defined(_MSC_VER)
    unsigned long index;
    _BitScanReverse64(&index, word);
    return 63 - static_cast<int>(index);
#else
    return __builtin_clzll(word);
#endif
}

inline int count_bits(std::uint64_t word) {
#if defined(_MSC_VER)
    return static_cast<int>(__popcnt64(word));
#else
    return __builtin_popcountll(word);
#endif
}

// The blanks that may stand around a cell: space, and 9 to 13.
inline bool is_blank(byte each) { return each == 32 || (each >= 9 && each <= 13); }

inline bool is_digit(byte each) { return static_cast<byte>(each - '0') < 10; }

// Are all eight bytes (without the character zero) digits?
inline bool are_digits(std::uint64_t plain) {
    return (((plain + 0x7676767676767676ull) | plain) & HIGH) == 0;
}

// The number that eight digits stand for: pairs, then fours, then eight.
inline std::uint64_t digits_value(std::uint64_t plain) {
    plain = (plain * 2561) >> 8;
    plain = ((plain & 0x00FF00FF00FF00FFull) * 6553601) >> 16;
    return ((plain & 0x0000FFFF0000FFFFull) * 42949672960001ull) >> 32;
}

// Text that will be looked at soon is asked for.
inline void ahead(const byte* at) {
#if defined(__GNUC__)
    __builtin_prefetch(at + 1024);
#else
    (void)at;
#endif
}

struct Text {
    const byte* data;
    std::int64_t size;
};

}  // namespace olive
