// Decimal numerals to numbers.
#pragma once

#include <cmath>

#include "common.hpp"
#include "learned.hpp"
#include "writing.hpp"

namespace olive {

// Cells of which it is known where each begins and ends.
struct Located {
    const byte* buffer;
    const place *starts, *ends;
    const byte* begin(std::int64_t cell) const { return buffer + starts[cell]; }
    const byte* end(std::int64_t cell) const { return buffer + ends[cell]; }
};

// Cells without a sign of currency or percent, which each has to have at its front or else behind.
template <class Cells>
struct Unsigned {
    Cells cells;
    std::int64_t size;
    std::uint64_t mask, sign;
    bool front;
    // Where the sign stands is told by a cell.
    Unsigned(const Cells& given, const Writing& writing, const byte* cell)
        : cells(given), size(writing.unit.size), mask((1ull << (8 * size)) - 1),
          sign(fetch(writing.unit.data) & mask), front((fetch(cell) & mask) == sign) {}
    const byte* begin(std::int64_t cell) const { return cells.begin(cell) + (front ? size : 0); }
    const byte* end(std::int64_t cell) const { return cells.end(cell) - (front ? 0 : size); }
    // More than can be read where the sign is not there.
    std::int64_t length(std::int64_t cell) const {
        const byte *const at = cells.begin(cell), *const stop = cells.end(cell);
        const std::uint64_t held = fetch(front ? at : stop - size) & mask;
        return held == sign && stop - at > size ? stop - at - size : 1000;
    }
};

template <class Cells>
constexpr bool HAS_UNIT = false;
template <class Cells>
constexpr bool HAS_UNIT<Unsigned<Cells>> = true;

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

// What the cells of a column before have shown.
struct Habit {
    // For how many chunks of cells the fast ways are left alone: nearly all needed a slower one.
    int no_lanes = 0, no_short = 0;
    bool wide = false;  // many cells have more than eight characters
    // The word for "no value" that was met last: a cell of up to eight bytes, which end where the word
    // ends, and its reason.
    std::uint64_t word = 0;
    std::int64_t length = -1;
    byte reason = 0;
    Learned learned;

    void note(const byte* at, const byte* end, byte why) {
        if (end - at < 1 || end - at > 8) return;
        length = end - at;
        word = fetch(at) << (64 - 8 * length);
        reason = why;
    }
};

struct NumberRule {
    int decimal;  // the byte of the decimal mark; 0: none is allowed
    bool strict;  // zeros in front of a digit make it no number
    int implied;  // decimals where no mark is written
    const Writing* writing = nullptr;  // what else may stand in a cell
    Habit* habit = nullptr;            // of the cells of this column before
};

struct NumbersTold {
    std::int64_t left = 0;    // cells that are neither read nor blank
    std::int64_t worded = 0;  // cells with a word that stands for "no value"
    std::int64_t inexact = 0; // numerals of more digits than binary64 can hold
    std::int64_t blanks = 0;
    int most_decimals = 0;
    std::int64_t low_whole = INT64_MAX, high_whole = INT64_MIN;  // of what was read
    double low = HUGE_VAL, high = -HUGE_VAL;

    void add(const NumbersTold& more) {
        left += more.left;
        worded += more.worded;
        inexact += more.inexact;
        blanks += more.blanks;
        if (more.most_decimals > most_decimals) most_decimals = more.most_decimals;
        if (more.low_whole < low_whole) low_whole = more.low_whole;
        if (more.high_whole > high_whole) high_whole = more.high_whole;
        if (more.low < low) low = more.low;
        if (more.high > high) high = more.high;
    }
};

// A cell, without the sign that it has to have and the blanks beside that; empty if it has none.
template <class Cells>
inline Text bare_text(const Cells& cells, std::int64_t cell, const Writing* unit) {
    const byte *at = cells.begin(cell), *end = cells.end(cell);
    if (!unit) return {at, end - at};
    if (!unit->take_unit(at, end)) return {at, 0};
    unit->strip_blanks(at, end);
    return {at, end - at};
}

constexpr std::uint64_t SEVENTEEN_DIGITS = 100000000000000000ull;
constexpr int CHUNK = 256;  // cells that go from one way of reading to the next together

// A numeral of up to nineteen digits: mantissa * 10^scale, 0 where it is not `good`.
struct Numerals {
    std::uint64_t mantissa;
    int scale;
    bool negative, good;
};

// Numerals taken apart, and what they have in common.
struct Apart {
    Numerals all[CHUNK];
    std::uint64_t bits = 0;  // of all mantissas
    int low = 0, high = 0, most_decimals = 0;

    void put(int place, std::uint64_t mantissa, int scale, bool negative, bool good) {
        all[place] = {good ? mantissa : 0, good ? scale : 0, negative, good};
        bits |= all[place].mantissa;
        low = all[place].scale < low ? all[place].scale : low;
        high = all[place].scale > high ? all[place].scale : high;
    }
};

// Ten to the powers of zero to eight.
constexpr std::uint64_t SHIFTS[9] = {1,      10,      100,      1000,     10000,
                                            100000, 1000000, 10000000, 100000000};

// The exponent behind `e`, as far as it has one to four digits.
inline bool read_exponent(const byte* at, const byte* end, int& exponent) {
    const byte sign = *at;
    at += sign == '-' || sign == '+';
    const std::int64_t count = end - at;
    if (static_cast<std::uint64_t>(count - 1) >= 4) return false;
    const std::uint64_t plain = (fetch(at) ^ ZEROS) << (64 - 8 * count);
    const int value = static_cast<int>(digits_value(plain)), minus = sign == '-';
    exponent = (value ^ -minus) + minus;
    return are_digits(plain);
}

// Powers of five from LOWEST_POWER to HIGHEST_POWER, 128 bits each: high word, low word.
constexpr int LOWEST_POWER = -342, HIGHEST_POWER = 308;
void set_powers(const std::uint64_t* words);

extern const double TENS[23];
extern std::uint64_t POWERS_OF_FIVE[2 * (HIGHEST_POWER - LOWEST_POWER + 1)];

}  // namespace olive
