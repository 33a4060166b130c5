// Decimal numerals to numbers, correctly rounded.
//
// A numeral of up to sixteen characters is fetched as one or two words that end where it ends; the
// decimal mark is taken out by closing the gap, so that what is left are digits only, which three
// multiplications turn into a number, as in the NumPy kernels. mantissa / 10^decimals is exact for
// a mantissa below 2^53 and a power of at most 22: W. D. Clinger, "How to read floating point
// numbers accurately", PLDI 1990. Beyond that, up to 17 digits, the product with a power of five of
// 128 bits decides: D. Lemire, "Number parsing at a gigabyte per second", Software: Practice and
// Experience 51 (2021), algorithm 1. What neither can decide is left to the caller.

#include "numbers.hpp"

namespace olive {

namespace {

constexpr int LONGEST = 24;
constexpr std::uint64_t EXACT = 1ull << 53;
constexpr std::uint64_t SEVENTEEN_DIGITS = 100000000000000000ull;

const double TENS[23] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
                         1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

std::uint64_t POWERS_OF_FIVE[2 * (HIGHEST_POWER - LOWEST_POWER + 1)];

struct Numeral {
    std::uint64_t mantissa;
    int decimals;
    int digits;     // zeros in front and decimals included
    bool marked;
    bool negative;
    bool padded;    // a zero stands before another digit
};

// The word with everything before its last `count` bytes as zeros.
inline std::uint64_t last_bytes(std::uint64_t word, int count) {
    if (count >= 8) return word;
    const int outside = 64 - 8 * count;
    if (count == 0) return ZEROS;
    return ((word >> outside) << outside) | (ZEROS >> (8 * count));
}

// The bit 7 of the first byte that equals `each`, 0 if there is none.
inline std::uint64_t first_match(std::uint64_t word, byte each) {
    const std::uint64_t other = word ^ (ONES * each);
    const std::uint64_t hits = (other - ONES) & ~other & HIGH;
    return hits & (~hits + 1);
}

inline bool read_short(const byte* end, int length, int decimal, Numeral& into) {
    std::uint64_t word = last_bytes(fetch(end - 8), length);
    if (decimal) {
        const std::uint64_t hit = first_match(word, static_cast<byte>(decimal));
        if (hit) {
            const std::uint64_t mark = hit >> 7, before = mark - 1;
            into.decimals = 7 - (trailing_zeros(hit) >> 3);
            into.marked = true;
            word = ((word & before) << 8) | '0' | (word & ~(before | (mark * 255)));
        }
    }
    const std::uint64_t plain = word ^ ZEROS;
    into.mantissa = digits_value(plain);
    return are_digits(plain);
}

inline bool read_longer(const byte* end, int length, int decimal, Numeral& into) {
    std::uint64_t low = fetch(end - 8), high = last_bytes(fetch(end - 16), length - 8);
    if (decimal) {
        std::uint64_t hit = first_match(high, static_cast<byte>(decimal));
        if (hit) {
            const std::uint64_t mark = hit >> 7, before = mark - 1;
            into.decimals = 15 - (trailing_zeros(hit) >> 3);
            into.marked = true;
            high = ((high & before) << 8) | '0' | (high & ~(before | (mark * 255)));
        } else if ((hit = first_match(low, static_cast<byte>(decimal)))) {
            const std::uint64_t mark = hit >> 7, before = mark - 1;
            into.decimals = 7 - (trailing_zeros(hit) >> 3);
            into.marked = true;
            low = ((low & before) << 8) | (high >> 56) | (low & ~(before | (mark * 255)));
            high = (high << 8) | '0';
        }
    }
    const std::uint64_t plain_low = low ^ ZEROS, plain_high = high ^ ZEROS;
    into.mantissa = digits_value(plain_high) * 100000000ull + digits_value(plain_low);
    return are_digits(plain_low) && are_digits(plain_high);
}

// Up to 24 characters with at most 19 digits that count.
inline bool read_long(const byte* at, const byte* end, int decimal, Numeral& into) {
    int counting = 0;
    for (; at < end; ++at) {
        if (decimal && *at == decimal && !into.marked) {
            into.marked = true;
            into.decimals = static_cast<int>(end - at) - 1;
            continue;
        }
        if (!is_digit(*at)) return false;
        into.mantissa = into.mantissa * 10 + (*at - '0');
        counting += counting > 0 || *at != '0';
        if (counting > 19) return false;
    }
    return true;
}

// A plain numeral: an optional sign, digits, at most one decimal mark.
inline bool read_plain(const byte* at, const byte* end, int decimal, Numeral& into) {
    into = {0, 0, 0, false, false, false};
    if (*at == '-' || *at == '+') {
        into.negative = *at == '-';
        ++at;
    }
    const int length = static_cast<int>(end - at);
    if (length > LONGEST || length <= 0) return false;
    bool good;
    if (length <= 8)
        good = read_short(end, length, decimal, into);
    else if (length <= 16)
        good = read_longer(end, length, decimal, into);
    else
        good = read_long(at, end, decimal, into);
    into.digits = length - into.marked;
    into.padded = *at == '0' && into.digits - into.decimals > 1;
    return good && into.digits > 0;
}

struct Product {
    std::uint64_t high, low;
};

inline Product multiplied(std::uint64_t one, std::uint64_t two) {
#if defined(__SIZEOF_INT128__)
    const unsigned __int128 all = static_cast<unsigned __int128>(one) * two;
    return {static_cast<std::uint64_t>(all >> 64), static_cast<std::uint64_t>(all)};
#else
    const std::uint64_t a = one >> 32, b = one & 0xFFFFFFFFu, c = two >> 32, d = two & 0xFFFFFFFFu;
    const std::uint64_t bd = b * d, ad = a * d, bc = b * c;
    const std::uint64_t middle = (bd >> 32) + (ad & 0xFFFFFFFFu) + (bc & 0xFFFFFFFFu);
    return {a * c + (ad >> 32) + (bc >> 32) + (middle >> 32), (middle << 32) | (bd & 0xFFFFFFFFu)};
#endif
}

// mantissa * 10^scale, to the nearest number; false where that cannot be told here.
bool nearest(std::uint64_t mantissa, int scale, double& value) {
    if (mantissa == 0) {
        value = 0.0;
        return true;
    }
    if (scale < LOWEST_POWER || scale > HIGHEST_POWER) return false;
    const int shift = leading_zeros(mantissa);
    mantissa <<= shift;
    const std::uint64_t* power = POWERS_OF_FIVE + 2 * (scale - LOWEST_POWER);
    Product product = multiplied(mantissa, power[0]);
    if ((product.high & 0x1FF) == 0x1FF) {
        const Product more = multiplied(mantissa, power[1]);
        product.low += more.high;
        product.high += product.low < more.high;
    }
    if (product.low == ~0ull && (scale < -27 || scale > 55)) return false;
    const int upper = static_cast<int>(product.high >> 63);
    std::uint64_t digits = product.high >> (upper + 9);
    int exponent = ((217706 * scale) >> 16) + 63 + upper - shift + 1023;
    if (exponent <= 0) return false;
    if (product.low <= 1 && scale >= -4 && scale <= 23 && (digits & 3) == 1 &&
        (digits << (upper + 9)) == product.high)
        digits &= ~1ull;
    digits = (digits + (digits & 1)) >> 1;
    if (digits >= (2ull << 52)) {
        digits = 1ull << 52;
        exponent += 1;
    }
    if (exponent >= 2047) return false;
    const std::uint64_t bits =
        (digits & ~(1ull << 52)) | (static_cast<std::uint64_t>(exponent) << 52);
    std::memcpy(&value, &bits, 8);
    return true;
}

inline bool scaled(std::uint64_t mantissa, int scale, double& value) {
    if (mantissa <= EXACT && scale >= -22 && scale <= 22) {
        value = static_cast<double>(mantissa);
        value = scale < 0 ? value / TENS[-scale] : value * TENS[scale];
        return true;
    }
    return mantissa < SEVENTEEN_DIGITS && nearest(mantissa, scale, value);
}

// The exponent behind `e`, as far as it has one to four digits.
inline bool read_exponent(const byte* at, const byte* end, int& exponent) {
    bool negative = false;
    if (at < end && (*at == '-' || *at == '+')) negative = *at++ == '-';
    if (at >= end || end - at > 4) return false;
    exponent = 0;
    for (; at < end; ++at) {
        if (!is_digit(*at)) return false;
        exponent = exponent * 10 + (*at - '0');
    }
    if (negative) exponent = -exponent;
    return true;
}

// Is there a letter e, and where?
inline const byte* exponent_in(const byte* at, const byte* end) {
    for (; at < end; ++at)
        if ((*at | 0x20) == 'e') return at;
    return nullptr;
}

struct Trimmed {
    const byte* at;
    const byte* end;
};

inline Trimmed trimmed(const byte* at, const byte* end) {
    while (at < end && is_blank(*at)) ++at;
    while (at < end && is_blank(end[-1])) --end;
    return {at, end};
}

}  // namespace

void set_powers(const std::uint64_t* words) {
    std::memcpy(POWERS_OF_FIVE, words, sizeof POWERS_OF_FIVE);
}

NumbersTold read_integers(const CellsAt& cells, NumberRule rule, std::int64_t* values,
                          byte* reasons) {
    NumbersTold told;
    Numeral numeral;
    for (std::int64_t cell = 0; cell < cells.count; ++cell) {
        const Trimmed text = trimmed(cells.begin(cell), cells.end(cell));
        values[cell] = 0;
        if (text.at == text.end) {
            reasons[cell] = 1;
            told.blanks += 1;
            continue;
        }
        reasons[cell] = 2;
        const bool good = read_plain(text.at, text.end, 0, numeral);
        if (good && rule.implied > told.most_decimals) told.most_decimals = rule.implied;
        const std::uint64_t limit = (1ull << 63) - 1 + numeral.negative;
        if (!good || rule.implied || (rule.strict && numeral.padded) || numeral.mantissa > limit) {
            told.left += 1;
            continue;
        }
        reasons[cell] = 0;
        values[cell] = static_cast<std::int64_t>(numeral.negative ? 0 - numeral.mantissa
                                                                  : numeral.mantissa);
    }
    return told;
}

NumbersTold read_floats(const CellsAt& cells, NumberRule rule, double* values, byte* reasons) {
    NumbersTold told;
    Numeral numeral;
    for (std::int64_t cell = 0; cell < cells.count; ++cell) {
        const Trimmed text = trimmed(cells.begin(cell), cells.end(cell));
        values[cell] = 0.0;
        if (text.at == text.end) {
            reasons[cell] = 1;
            told.blanks += 1;
            continue;
        }
        reasons[cell] = 2;
        int exponent = 0;
        bool good = read_plain(text.at, text.end, rule.decimal, numeral);
        int decimals = numeral.marked ? numeral.decimals : rule.implied;
        if (!good) {
            const byte* at = exponent_in(text.at, text.end);
            if (at && at > text.at && read_exponent(at + 1, text.end, exponent)) {
                good = read_plain(text.at, at, rule.decimal, numeral);
                decimals = numeral.decimals;
            }
        }
        if (good && decimals > told.most_decimals) told.most_decimals = decimals;
        if (!good || (rule.strict && numeral.padded) ||
            !scaled(numeral.mantissa, exponent - decimals, values[cell])) {
            told.left += 1;
            continue;
        }
        reasons[cell] = 0;
        if (numeral.negative) values[cell] = -values[cell];
    }
    return told;
}

}  // namespace olive
