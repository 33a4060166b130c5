// Dates and times by pattern.
#pragma once

#include "numbers.hpp"

namespace olive {

enum class Unit { days = 0, of_day = 1, since_1970 = 2 };  // int32 days; int64 microseconds twice

struct Pattern {
    const byte* steps;  // two bytes a step: the directive's letter and 0, or 0 and a literal byte
    std::int64_t count;
    int width;          // bytes of a cell with every directive at its full width; 0 if not fixed
    bool exact;         // numbers need all the digits of their width
};

extern const char* const MONTHS[12];
extern const int LENGTHS[12];
constexpr int FIRST_YEAR = 1900, LAST_YEAR = 2200;  // without the last
extern place MONTH_STARTS[12 * (LAST_YEAR - FIRST_YEAR) + 1];
void set_months();
constexpr std::int64_t DAY_US = 86400000000ll;

}  // namespace olive
