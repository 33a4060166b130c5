// Decimal numerals to numbers.
#pragma once

#include <cmath>

#include "common.hpp"

namespace olive {

// Cells of which it is known where each begins and ends.
struct Located {
    const byte* buffer;
    const place *starts, *ends;
    const byte* begin(std::int64_t cell) const { return buffer + starts[cell]; }
    const byte* end(std::int64_t cell) const { return buffer + ends[cell]; }
};

// Cells of one width at equal distances.
struct Grid {
    const byte* first;
    std::int64_t stride, width;
    const byte* begin(std::int64_t cell) const { return first + cell * stride; }
    const byte* end(std::int64_t cell) const { return begin(cell) + width; }
};

// Cells between two stops, every so many stops.
struct Between {
    const byte* buffer;
    const place* stops;
    std::int64_t step;
    const byte* begin(std::int64_t cell) const { return buffer + stops[cell * step] + 1; }
    const byte* end(std::int64_t cell) const { return buffer + stops[cell * step + 1]; }
};

// The cells of a column, in one of these ways: `starts`, `stops`, or else a grid.
struct CellsAt {
    const byte* buffer;
    const place* starts;
    const place* ends;
    std::int64_t first, stride, width;
    std::int64_t count;
    const place* stops = nullptr;

    template <class Work>
    auto visit(Work work) const {
        if (stops) return work(Between{buffer, stops, stride});
        if (starts) return work(Located{buffer, starts, ends});
        return work(Grid{buffer + first, stride, width});
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
    std::int64_t low_whole = INT64_MAX, high_whole = INT64_MIN;  // of what was read
    double low = HUGE_VAL, high = -HUGE_VAL;

    void add(const NumbersTold& more) {
        left += more.left;
        blanks += more.blanks;
        if (more.most_decimals > most_decimals) most_decimals = more.most_decimals;
        if (more.low_whole < low_whole) low_whole = more.low_whole;
        if (more.high_whole > high_whole) high_whole = more.high_whole;
        if (more.low < low) low = more.low;
        if (more.high > high) high = more.high;
    }
};

// Powers of five from LOWEST_POWER to HIGHEST_POWER, 128 bits each: high word, low word.
constexpr int LOWEST_POWER = -64, HIGHEST_POWER = 64;
void set_powers(const std::uint64_t* words);

extern const double TENS[23];
extern std::uint64_t POWERS_OF_FIVE[2 * (HIGHEST_POWER - LOWEST_POWER + 1)];

}  // namespace olive
