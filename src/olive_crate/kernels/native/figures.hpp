// What a column of numbers or reasons holds, in one pass.
#pragma once

#include "common.hpp"

namespace olive {

// How often each byte comes: adds to 256 counts.
void tally(const byte* reasons, std::int64_t count, std::int64_t* counts);

// How many cells have a reason, and which, if it is one and the same; else 0.
struct Missing {
    std::int64_t count = 0;
    byte only = 0;
};

// A bit for each reason that is 0, the lowest first; `bits` may be null.
Missing validity(const byte* reasons, std::int64_t count, byte* bits);

// Numbers from `lows` to `highs` are codes: cells that hold one get its reason, of several the first.
// Returns how many cells do; those that have a reason already are left alone.
template <class Number>
struct Codes {
    const Number *lows, *highs;
    const byte* reasons;
    std::int64_t count;
};
std::int64_t find_codes(const std::int64_t* values, byte* reasons, std::int64_t count,
                        Codes<std::int64_t> codes);
std::int64_t find_codes(const double* values, byte* reasons, std::int64_t count, Codes<double> codes);

// Numbers that may be codes, in rising order, and what is found of them.
struct Looks {
    const double* values;
    std::int64_t count;
    std::int64_t* counts;  // of those that lie outside of all other numbers; the others are not counted
};

// The smallest and the largest number that is none of `looks`; `low` is above `high` if there is none.
struct Extremes {
    double low, high;
};

// Of the numbers without a reason; `reasons` may be null.
Extremes extremes(const std::int64_t* values, const byte* reasons, std::int64_t count, Looks looks);
Extremes extremes(const double* values, const byte* reasons, std::int64_t count, Looks looks);

// How whole numbers without a reason follow each other; `reasons` may be null.
struct Course {
    bool repeats = false;  // one of the first `COURSE_HEAD` comes twice among them
    bool rises = false;    // each is above the one before; false where one repeats
};
constexpr std::int64_t COURSE_HEAD = 256;
Course course(const std::int64_t* values, const byte* reasons, std::int64_t count);

// Whole numbers turned into others that look as if drawn at random, one for one: the finaliser of
// G. L. Steele, D. Lea and C. H. Flood, "Fast splittable pseudorandom number generators", OOPSLA 2014.
// `salt` is added first; a cell with a reason counts as that reason, whatever it holds.
void mix(const std::uint64_t* raw, const byte* reasons, std::int64_t count, std::uint64_t salt,
         std::uint64_t* mixed);

}  // namespace olive
