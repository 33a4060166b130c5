// Decimal numerals to numbers, correctly rounded.
//
// A numeral of up to sixteen characters is fetched as one or two words that end where it ends; the
// decimal mark is taken out by closing the gap, so that what is left are digits only, which three
// multiplications turn into a number, as in the NumPy kernels. mantissa / 10^decimals is exact for
// a mantissa below 2^53 and a power of at most 22: W. D. Clinger, "How to read floating point
// numbers accurately", PLDI 1990. Beyond that, up to 17 digits, the product with a power of five of
// 128 bits decides: D. Lemire, "Number parsing at a gigabyte per second", Software: Practice and
// Experience 51 (2021), algorithm 1. What neither can decide is left to the caller.

constexpr int LONGEST = 24;
constexpr std::uint64_t EXACT = 1ull << 53;
constexpr std::uint64_t SEVENTEEN_DIGITS = 100000000000000000ull;

struct Numeral {
    std::uint64_t mantissa = 0;
    int decimals = 0;
    bool good = false;
    bool marked = false;
    bool negative = false;
    bool padded = false;  // a zero stands before another digit
};

// The bit 7 of the first byte that equals `each`, 0 if there is none.
static inline std::uint64_t first_match(std::uint64_t word, std::uint64_t each) {
    const std::uint64_t other = word ^ each;
    const std::uint64_t hits = (other - ONES) & ~other & HIGH;
    return hits & (~hits + 1);
}

// Up to 24 characters with at most 19 digits that count, one after the other.
template <bool DECIMALS>
static inline Numeral read_digits(const byte* at, const byte* end, std::uint64_t mark) {
    Numeral found;
    int counting = 0;
    const byte decimal = static_cast<byte>(mark);
    for (; at < end; ++at) {
        if (DECIMALS && *at == decimal && !found.marked) {
            found.marked = true;
            found.decimals = static_cast<int>(end - at) - 1;
            continue;
        }
        if (!is_digit(*at)) return found;
        found.mantissa = found.mantissa * 10 + (*at - '0');
        counting += counting > 0 || *at != '0';
        if (counting > 19) return found;
    }
    found.good = true;
    return found;
}

// A plain numeral: an optional sign, digits, at most one decimal mark. `mark` is the decimal mark
// eight times.
template <bool DECIMALS>
static inline Numeral read_plain(const byte* at, const byte* end, std::uint64_t mark) {
    bool negative = false;
    byte lead = *at;
    if (lead == '-' || lead == '+') {
        negative = lead == '-';
        lead = *++at;
    }
    const std::int64_t length = end - at;
    Numeral found;
    if (length > 0 && length <= LONGEST) found = read_digits<DECIMALS>(at, end, mark);
    const std::int64_t digits = length - found.marked;
    found.good = found.good && digits > 0;
    found.padded = lead == '0' && digits - found.decimals > 1;
    found.negative = negative;
    return found;
}

struct Product {
    std::uint64_t high, low;
};

static inline Product multiplied(std::uint64_t one, std::uint64_t two) {
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
static bool nearest(std::uint64_t mantissa, int scale, double& value) {
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

static inline bool scaled(std::uint64_t mantissa, int scale, double& value) {
    if (mantissa <= EXACT && scale >= -22 && scale <= 22) {
        value = static_cast<double>(static_cast<std::int64_t>(mantissa));
        if (scale < 0)
            value /= TENS[-scale];
        else if (scale > 0)
            value *= TENS[scale];
        return true;
    }
    return mantissa < SEVENTEEN_DIGITS && nearest(mantissa, scale, value);
}

// The exponent behind `e`, as far as it has one to four digits.
static inline bool read_exponent(const byte* at, const byte* end, int& exponent) {
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
static inline const byte* exponent_in(const byte* at, const byte* end) {
    for (; at < end; ++at)
        if ((*at | 0x20) == 'e') return at;
    return nullptr;
}

// Moves `at` and `end` past the blanks around a cell.
static inline void trim(const byte*& at, const byte*& end) {
    while (at < end && is_blank(*at)) ++at;
    while (at < end && is_blank(end[-1])) --end;
}

// What a cell holds that is not just a short numeral: blanks around it, an exponent, many digits.
struct Read {
    double number = 0;
    std::int64_t whole = 0;
    int decimals = 0;
    byte reason = 2;
};

template <bool DECIMALS>
OLIVE_APART static Read read_slowly(const byte* at, const byte* end, std::uint64_t mark, NumberRule rule) {
    Read found;
    trim(at, end);
    if (at == end) {
        found.reason = 1;
        return found;
    }
    Numeral numeral = read_plain<DECIMALS>(at, end, mark);
    int decimals = numeral.marked ? numeral.decimals : rule.implied, exponent = 0;
    if (DECIMALS && !numeral.good) {
        const byte* letter = exponent_in(at, end);
        if (letter && letter > at && read_exponent(letter + 1, end, exponent)) {
            numeral = read_plain<DECIMALS>(at, letter, mark);
            decimals = numeral.decimals;
        }
    }
    if (!numeral.good) return found;
    found.decimals = decimals;
    if (rule.strict && numeral.padded) return found;
    if (DECIMALS) {
        if (!scaled(numeral.mantissa, exponent - decimals, found.number)) {
            found.number = 0;
            return found;
        }
        if (numeral.negative) found.number = -found.number;
    } else {
        const std::uint64_t limit = (1ull << 63) - 1 + numeral.negative;
        if (decimals != 0 || numeral.mantissa > limit) return found;
        const std::uint64_t bits = numeral.negative ? 0 - numeral.mantissa : numeral.mantissa;
        std::memcpy(&found.whole, &bits, 8);
    }
    found.reason = 0;
    return found;
}

// Digits of up to eight characters, without the character zero, zeros in front of them.
static inline std::uint64_t plain_word(const byte* at, std::int64_t length) {
    return (fetch(at) ^ ZEROS) << (64 - 8 * length);
}

// The same without the decimal mark `hit`.
static inline std::uint64_t without(std::uint64_t plain, std::uint64_t hit, std::uint64_t carried) {
    const std::uint64_t before = (hit >> 7) - 1;
    return ((plain & before) << 8) | carried | (plain & ~before & ~(hit | (hit - (hit >> 7))));
}

// A numeral of up to sixteen characters without blanks behind it.
struct Short {
    std::int64_t mantissa = 0;
    int decimals = 0;
    bool good = false;
};

template <bool DECIMALS>
static inline Short read_short(const byte* at, const byte* const end, std::uint64_t plain_mark,
                               NumberRule rule) {
    while (at < end && *at == ' ') ++at;
    const byte sign = *at;
    const bool negative = sign == '-';
    at += negative || sign == '+';
    const std::int64_t length = end - at;
    std::uint64_t mantissa = 0;
    int behind = 0;
    bool marked = false, good = false;
    if (static_cast<std::uint64_t>(length - 1) < 8) {
        std::uint64_t plain = plain_word(at, length);
        if (DECIMALS) {
            const std::uint64_t hit = first_match(plain, plain_mark);
            if (hit) {
                marked = true;
                behind = 7 - (trailing_zeros(hit) >> 3);
                plain = without(plain, hit, 0);
            }
        }
        mantissa = digits_value(plain);
        good = are_digits(plain) && length > marked;
    } else if (static_cast<std::uint64_t>(length - 1) < 16) {
        std::uint64_t high = plain_word(at, length - 8), plain = fetch(end - 8) ^ ZEROS;
        if (DECIMALS) {
            const std::uint64_t in_high = first_match(high, plain_mark);
            const std::uint64_t hit = first_match(plain, plain_mark);
            if (in_high) {
                marked = true;
                behind = 15 - (trailing_zeros(in_high) >> 3);
                high = without(high, in_high, 0);
            } else if (hit) {
                marked = true;
                behind = 7 - (trailing_zeros(hit) >> 3);
                plain = without(plain, hit, high >> 56);
                high <<= 8;
            }
        }
        mantissa = digits_value(high) * 100000000ull + digits_value(plain);
        good = are_digits(plain) && are_digits(high);
    }
    if (!marked) behind = rule.implied;
    if (DECIMALS) {
        good = good && mantissa <= EXACT && behind <= 22;
        if (negative && !mantissa) good = false;  // the zero below zero
    } else {
        good = good && !rule.implied;
    }
    if (rule.strict && *at == '0' && length - marked - (marked ? behind : 0) > 1) good = false;
    const std::int64_t value =
        (static_cast<std::int64_t>(mantissa) ^ -static_cast<std::int64_t>(negative)) + negative;
    return {value, behind, good};
}

// Short numerals here and now, several at a time where the processor can; everything else goes the
// slow way. Division comes in a pass of its own, since it would hold up all that follows.
template <bool DECIMALS, class Cells, class Several = Lanes>
static NumbersTold read_all(const Cells cells, std::int64_t total, NumberRule rule, void* const into,
                            byte* const reasons) {
    constexpr int CHUNK = 256;
    const std::uint64_t mark = ONES * static_cast<byte>(rule.decimal);
    const std::uint64_t plain_mark = mark ^ ZEROS;
    std::int64_t* const wholes = static_cast<std::int64_t*>(into);
    double* const numbers = static_cast<double*>(into);
    std::int64_t mantissas[CHUNK];
    NumbersTold told;
    int rest[CHUNK], slow[CHUNK], vain = 0;
    byte decimals[CHUNK];
    for (std::int64_t begin = 0; begin < total; begin += CHUNK) {
        const int size = static_cast<int>(total - begin < CHUNK ? total - begin : CHUNK);
        int many = 0, count = 0, slow_count = 0;
        if constexpr (Several::THERE) {
            if (Several::can(DECIMALS, rule)) {
                many = size / Several::COUNT * Several::COUNT;
                count = Several::template read_some<DECIMALS>(cells, begin, many, rule, into,
                                                              reasons, rest, vain, told);
            }
        }
        for (; many < size; ++many) rest[count++] = many;
        for (int each = 0; each < count; ++each) {
            const std::int64_t cell = begin + rest[each];
            const Short found =
                read_short<DECIMALS>(cells.begin(cell), cells.end(cell), plain_mark, rule);
            reasons[cell] = !found.good;
            mantissas[each] = found.mantissa;
            decimals[each] = static_cast<byte>(found.good ? found.decimals : 0);
            slow[slow_count] = each;
            slow_count += !found.good;
        }
        for (int each = 0; each < count; ++each) {
            const std::int64_t cell = begin + rest[each];
            if (DECIMALS) {
                numbers[cell] = static_cast<double>(mantissas[each]) / TENS[decimals[each]];
                if (decimals[each] > told.most_decimals) told.most_decimals = decimals[each];
            } else {
                wholes[cell] = mantissas[each];
            }
        }
        for (int each = 0; each < slow_count; ++each) {
            const std::int64_t cell = begin + rest[slow[each]];
            const Read read = read_slowly<DECIMALS>(cells.begin(cell), cells.end(cell), mark, rule);
            reasons[cell] = read.reason;
            told.left += read.reason == 2;
            told.blanks += read.reason == 1;
            if (read.decimals > told.most_decimals) told.most_decimals = read.decimals;
            if (DECIMALS)
                numbers[cell] = read.number;
            else
                wholes[cell] = read.whole;
        }
        for (int each = 0; each < count; ++each) {
            const std::int64_t cell = begin + rest[each];
            const bool read = !reasons[cell];
            if (DECIMALS) {
                told.low = read && numbers[cell] < told.low ? numbers[cell] : told.low;
                told.high = read && numbers[cell] > told.high ? numbers[cell] : told.high;
            } else {
                told.low_whole = read && wholes[cell] < told.low_whole ? wholes[cell] : told.low_whole;
                told.high_whole = read && wholes[cell] > told.high_whole ? wholes[cell] : told.high_whole;
            }
        }
    }
    return told;
}

static NumbersTold read_integers(const CellsAt& cells, NumberRule rule, std::int64_t* values,
                                 byte* reasons) {
    return cells.visit([&](const auto& each) {
        return read_all<false>(each, cells.count, rule, values, reasons);
    });
}

static NumbersTold read_floats(const CellsAt& cells, NumberRule rule, double* values,
                               byte* reasons) {
    return cells.visit([&](const auto& each) {
        return read_all<true>(each, cells.count, rule, values, reasons);
    });
}
