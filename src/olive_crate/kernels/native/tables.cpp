// Tables that the kernels of all instruction sets share.

#include "times.hpp"

namespace olive {

const double TENS[23] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
                         1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

std::uint64_t POWERS_OF_FIVE[2 * (HIGHEST_POWER - LOWEST_POWER + 1)];

const char* const MONTHS[12] = {"january", "february", "march",     "april",   "may",      "june",
                                "july",    "august",   "september", "october", "november", "december"};

const int LENGTHS[12] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};

place MONTH_STARTS[12 * (LAST_YEAR - FIRST_YEAR) + 1];

void set_months() {
    // one more at the end, so that each month ends where the next one starts
    place days = -25567;  // 1 January 1900
    for (int month = 0; month <= 12 * (LAST_YEAR - FIRST_YEAR); ++month) {
        const int year = FIRST_YEAR + month / 12;
        const bool leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
        MONTH_STARTS[month] = days;
        days += LENGTHS[month % 12] + (month % 12 == 1 && leap);
    }
}

void set_powers(const std::uint64_t* words) {
    std::memcpy(POWERS_OF_FIVE, words, sizeof POWERS_OF_FIVE);
}

}  // namespace olive
