// Dates and times by pattern.
#pragma once

#include <optional>

#include "shape.hpp"

namespace olive {

enum class Unit { days = 0, of_day = 1, since_1970 = 2 };  // int32 days; int64 microseconds twice

// The patterns that cells may follow, in the order in which they are tried, and what else may stand
// in a cell.
struct Patterns {
    static constexpr int MOST = 8;
    Pattern all[MOST];
    int count = 0;
    const Writing* writing = nullptr;
    int* usual = nullptr;  // the pattern that the cell before followed

    bool vary = false;  // the shapes of the usual one take turns

    // The shapes of one of them, the one with all digits first; they are made when they are needed.
    const std::vector<Shape>& shapes(int each) {
        std::optional<std::vector<Shape>>& held = made[each];
        if (!held) held = shapes_of(all[each]);
        return *held;
    }
    const Variants& variants(int each) {
        std::optional<Variants>& held = varying[each];
        if (!held) held.emplace(shapes(each), all[each]);
        return *held;
    }

    // From two bytes for the number of steps, one for `exact`, and the steps, of
    // each pattern. False if they are not of that form.
    bool set(const byte* at, std::int64_t size) {
        const byte* const stop = at + size;
        for (count = 0; at < stop; ++count) {
            if (count == MOST || stop - at < 3) return false;
            Pattern& each = all[count];
            each.count = at[0] * 256 + at[1];
            each.exact = at[2] != 0;
            each.steps = at += 3;
            if (stop - at < 2 * each.count) return false;
            at += 2 * each.count;
        }
        return count > 0;
    }

  private:
    std::optional<std::vector<Shape>> made[MOST];
    std::optional<Variants> varying[MOST];
};

extern const char* const MONTHS[12];

struct MonthName {
    std::uint64_t head, tail;  // its first three letters; what follows
    int longer;                // how many letters that are
};
extern MonthName MONTH_NAMES[12];
constexpr std::uint64_t MONTH_FACTOR = 15;
extern byte MONTH_SLOTS[64];  // months, by their first letters times the factor

// The names of the months, whole and by their first three letters, each in a slot of its own.
struct MonthWord {
    std::uint64_t text;  // its first eight letters
    std::uint64_t told;  // how many letters it has, in the next byte the last one; from bit 32 the month
};
struct MonthWords {
    static constexpr int BITS = 6, SLOTS = 1 << BITS;
    std::uint32_t factor = 0;  // takes a text, whose halves are laid over each other, to its slot
    MonthWord words[SLOTS] = {};
};
extern MonthWords MONTH_WORDS;
extern const int LENGTHS[12];
constexpr int FIRST_YEAR = 1900, LAST_YEAR = 2200;  // without the last
extern place MONTH_STARTS[12 * (LAST_YEAR - FIRST_YEAR) + 1];
void set_months();
constexpr std::int64_t DAY_US = 86400000000ll;

}  // namespace olive
