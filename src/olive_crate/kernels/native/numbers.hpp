// Decimal numerals to numbers.
#pragma once

#include "common.hpp"

namespace olive {

// Where the cells of a column lie: by start and end, or (starts is null) at equal distances.
struct CellsAt {
    const byte* buffer;
    const place* starts;
    const place* ends;
    std::int64_t first, stride, width;
    std::int64_t count;

    const byte* begin(std::int64_t cell) const {
        return buffer + (starts ? starts[cell] : first + cell * stride);
    }
    const byte* end(std::int64_t cell) const {
        return buffer + (starts ? ends[cell] : first + cell * stride + width);
    }
};

struct NumberRule {
    int decimal;  // the byte of the decimal mark; 0: none is allowed
    bool strict;  // zeros in front of a digit make it no number
    int implied;  // decimals where no mark is written
};

struct NumbersTold {
    std::int64_t left = 0;    // cells that are neither read nor blank
    std::int64_t blanks = 0;
    int most_decimals = 0;
};

// Powers of five from LOWEST_POWER to HIGHEST_POWER, 128 bits each: high word, low word.
constexpr int LOWEST_POWER = -64, HIGHEST_POWER = 64;
void set_powers(const std::uint64_t* words);

extern const double TENS[23];
extern const std::uint64_t FILL[9];  // zeros in all but the last so many bytes
extern std::uint64_t POWERS_OF_FIVE[2 * (HIGHEST_POWER - LOWEST_POWER + 1)];

}  // namespace olive
