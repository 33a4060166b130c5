// What a column of numbers or reasons holds, in one pass.

#include "figures.hpp"

#include <algorithm>
#include <cmath>

namespace olive {

void tally(const byte* reasons, std::int64_t count, std::int64_t* counts) {
    constexpr int TABLES = 8;  // so that a byte does not wait for the one before
    std::int64_t held[TABLES][256] = {};
    std::int64_t at = 0;
    for (; at + 8 <= count; at += 8) {
        const std::uint64_t word = fetch(reasons + at);
        if (!word) {
            counts[0] += 8;
            continue;
        }
        for (int each = 0; each < TABLES; ++each) ++held[each][(word >> (8 * each)) & 0xFF];
    }
    for (; at < count; ++at) ++held[0][reasons[at]];
    for (int each = 0; each < 256; ++each)
        for (const auto& table : held) counts[each] += table[each];
}

namespace {

std::int64_t place_of(double value, const Looks& looks) {
    const double* const end = looks.values + looks.count;
    const double* const found = std::lower_bound(looks.values, end, value);
    return found != end && *found == value ? found - looks.values : -1;
}

// One of two numbers, without a branch that cannot be foretold.
template <class Number>
Number either(bool first, Number one, Number two) {
    std::uint64_t left, right;
    std::memcpy(&left, &one, 8);
    std::memcpy(&right, &two, 8);
    const std::uint64_t mask = 0 - static_cast<std::uint64_t>(first);
    const std::uint64_t bits = (left & mask) | (right & ~mask);
    Number chosen;
    std::memcpy(&chosen, &bits, 8);
    return chosen;
}

template <class Number>
Extremes extremes_of(const Number* values, const byte* reasons, std::int64_t count, Looks looks) {
    Extremes found{HUGE_VAL, -HUGE_VAL};
    Number low{}, high{};
    bool any = false;
    const auto usual = [&](Number value) {
        const std::int64_t place = place_of(static_cast<double>(value), looks);
        if (place >= 0) ++looks.counts[place];
        return place < 0;
    };
    std::int64_t at = 0;
    for (; at < count && !any; ++at) {
        if (reasons && reasons[at]) continue;
        ++found.seen;
        if (!usual(values[at])) continue;
        low = high = values[at];
        any = true;
    }
    constexpr std::int64_t CHUNK = 64;
    for (; at < count; at += CHUNK) {
        const std::int64_t stop = at + CHUNK < count ? at + CHUNK : count;
        Number least = low, most = high;
        std::int64_t missing = 0;
        if (reasons) {
            for (std::int64_t each = at; each < stop; ++each) {
                const bool is_missing = reasons[each] != 0;
                const Number value = either(is_missing, low, values[each]);
                missing += is_missing;
                least = value < least ? value : least;
                most = value > most ? value : most;
            }
        } else {
            for (std::int64_t each = at; each < stop; ++each) {
                least = values[each] < least ? values[each] : least;
                most = values[each] > most ? values[each] : most;
            }
        }
        found.seen += stop - at - missing;
        if (least == low && most == high) continue;
        for (std::int64_t each = at; each < stop; ++each) {
            if ((reasons && reasons[each]) || (values[each] >= low && values[each] <= high)) continue;
            if (!usual(values[each])) continue;
            low = std::min(low, values[each]);
            high = std::max(high, values[each]);
        }
    }
    if (!any) return found;
    found.low = static_cast<double>(low);
    found.high = static_cast<double>(high);
    for (std::int64_t each = 0; each < looks.count; ++each)
        if (looks.values[each] >= found.low && looks.values[each] <= found.high)
            looks.counts[each] = 0;
    return found;
}

}  // namespace

Extremes extremes(const std::int64_t* values, const byte* reasons, std::int64_t count,
                  Looks looks) {
    return extremes_of(values, reasons, count, looks);
}

Extremes extremes(const double* values, const byte* reasons, std::int64_t count, Looks looks) {
    return extremes_of(values, reasons, count, looks);
}

}  // namespace olive
