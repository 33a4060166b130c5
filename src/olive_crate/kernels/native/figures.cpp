// What a column of numbers or reasons holds, in one pass.

#include "figures.hpp"

#include "instructions.hpp"

#include <algorithm>
#include <cmath>

namespace olive {

Missing validity(const byte* reasons, std::int64_t count, byte* bits) {
    return in_use().validity(reasons, count, bits);
}

void tally(const byte* reasons, std::int64_t count, std::int64_t* counts) {
    const Missing missing = validity(reasons, count, nullptr);
    if (missing.only || !missing.count) {
        counts[missing.only] += missing.count;
        counts[0] += count - missing.count;
        return;
    }
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

// Four at a time, none of which waits for another.
template <class Number>
bool are_within(const Number* values, std::int64_t count, Number low, Number high) {
    const auto beyond = [&](std::int64_t at) {
        return static_cast<unsigned>(values[at] < low) | static_cast<unsigned>(values[at] > high);
    };
    unsigned first = 0, second = 0, third = 0, fourth = 0;
    std::int64_t at = 0;
    for (; at + 4 <= count; at += 4) {
        first |= beyond(at);
        second |= beyond(at + 1);
        third |= beyond(at + 2);
        fourth |= beyond(at + 3);
    }
    for (; at < count; ++at) first |= beyond(at);
    return !(first | second | third | fourth);
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
        if (!usual(values[at])) continue;
        low = high = values[at];
        any = true;
    }
    constexpr std::int64_t CHUNK = 64;
    for (; at < count; at += CHUNK) {
        const std::int64_t stop = at + CHUNK < count ? at + CHUNK : count;
        // what has a reason may count here, too: then it is looked at below, and left
        if (are_within(values + at, stop - at, low, high)) continue;
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

// So many at a time, of which mostly none lies between the lowest and the highest of the codes.
template <class Number>
std::int64_t codes_in(const Number* values, byte* reasons, std::int64_t count, Codes<Number> codes) {
    if (!codes.count) return 0;
    const Number low = *std::min_element(codes.lows, codes.lows + codes.count);
    const Number high = *std::max_element(codes.highs, codes.highs + codes.count);
    constexpr std::int64_t CHUNK = 32;
    std::int64_t found = 0;
    for (std::int64_t at = 0; at < count; at += CHUNK) {
        const std::int64_t stop = at + CHUNK < count ? at + CHUNK : count;
        unsigned any = 0;
        for (std::int64_t each = at; each < stop; ++each)
            any |= static_cast<unsigned>(values[each] >= low) & static_cast<unsigned>(values[each] <= high);
        if (!any) continue;
        byte own[CHUNK] = {};
        for (std::int64_t code = codes.count; code-- > 0;) {  // without a branch that cannot be foretold
            const Number from = codes.lows[code], to = codes.highs[code];
            const byte reason = codes.reasons[code];
            for (std::int64_t each = at; each < stop; ++each) {
                const unsigned hit = static_cast<unsigned>(values[each] >= from) &
                                     static_cast<unsigned>(values[each] <= to);
                const byte mask = static_cast<byte>(0 - hit);
                own[each - at] = static_cast<byte>((own[each - at] & ~mask) | (reason & mask));
            }
        }
        for (std::int64_t each = at; each < stop; ++each) {
            const byte free = static_cast<byte>(0 - static_cast<unsigned>(reasons[each] == 0));
            const byte added = own[each - at] & free;
            reasons[each] = static_cast<byte>(reasons[each] | added);
            found += added != 0;
        }
    }
    return found;
}

}  // namespace

std::int64_t find_codes(const std::int64_t* values, byte* reasons, std::int64_t count,
                        Codes<std::int64_t> codes) {
    return codes_in(values, reasons, count, codes);
}

std::int64_t find_codes(const double* values, byte* reasons, std::int64_t count,
                        Codes<double> codes) {
    return codes_in(values, reasons, count, codes);
}

Extremes extremes(const std::int64_t* values, const byte* reasons, std::int64_t count,
                  Looks looks) {
    return extremes_of(values, reasons, count, looks);
}

Extremes extremes(const double* values, const byte* reasons, std::int64_t count, Looks looks) {
    return extremes_of(values, reasons, count, looks);
}

namespace {

// The numbers met so far, in a table of which half stays free.
class Met {
  public:
    // Was this number not met before?
    bool add(std::int64_t number) {
        constexpr std::uint64_t GOLDEN = 0x9E3779B97F4A7C15u;
        std::uint64_t slot = (static_cast<std::uint64_t>(number) * GOLDEN) >> (64 - BITS);
        for (; is_used[slot]; slot = (slot + 1) % SLOTS)
            if (held[slot] == number) return false;
        held[slot] = number;
        is_used[slot] = true;
        return true;
    }

  private:
    static constexpr int BITS = 9;
    static constexpr std::uint64_t SLOTS = 1 << BITS;
    static_assert(SLOTS >= 2 * COURSE_HEAD);
    std::int64_t held[SLOTS];
    bool is_used[SLOTS] = {};
};

bool repeats(const std::int64_t* values, const byte* reasons, std::int64_t count) {
    Met met;
    std::int64_t looked_at = 0;
    for (std::int64_t at = 0; at < count && looked_at < COURSE_HEAD; ++at) {
        if (reasons && reasons[at]) continue;
        if (!met.add(values[at])) return true;
        ++looked_at;
    }
    return false;
}

bool rises(const std::int64_t* values, const byte* reasons, std::int64_t count) {
    std::int64_t at = 0;
    while (reasons && at < count && reasons[at]) ++at;
    for (std::int64_t last = at++; at < count; ++at) {
        if (reasons && reasons[at]) continue;
        if (values[at] <= values[last]) return false;
        last = at;
    }
    return true;
}

}  // namespace

Course course(const std::int64_t* values, const byte* reasons, std::int64_t count) {
    if (repeats(values, reasons, count)) return {true, false};
    return {false, rises(values, reasons, count)};
}

namespace {

std::uint64_t one_mixed(std::uint64_t raw) {
    raw = (raw ^ (raw >> 30)) * 0xBF58476D1CE4E5B9u;
    raw = (raw ^ (raw >> 27)) * 0x94D049BB133111EBu;
    return raw ^ (raw >> 31);
}

}  // namespace

void mix(const std::uint64_t* raw, const byte* reasons, std::int64_t count, std::uint64_t salt,
         std::uint64_t* mixed) {
    constexpr std::uint64_t GOLDEN = 0x9E3779B97F4A7C15u;
    if (!reasons) {
        for (std::int64_t at = 0; at < count; ++at) mixed[at] = one_mixed(raw[at] + salt);
        return;
    }
    for (std::int64_t at = 0; at < count; ++at) {
        const std::uint64_t held = reasons[at] ? GOLDEN + reasons[at] : raw[at];
        mixed[at] = one_mixed(held + salt);
    }
}

}  // namespace olive
