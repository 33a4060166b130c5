// Decimal numerals to numbers, correctly rounded.
//
// A numeral of up to sixteen characters is fetched as one or two words that end where it ends; the
// decimal mark is taken out by closing the gap, so that what is left are digits only, which three
// multiplications turn into a number, as in the NumPy kernels. mantissa / 10^decimals is exact for
// a mantissa below 2^53 and a power of at most 22: W. D. Clinger, "How to read floating point
// numbers accurately", PLDI 1990. Beyond that, for as many as nineteen digits, the product with a
// power of five of 128 bits decides: D. Lemire, "Number parsing at a gigabyte per second", Software:
// Practice and Experience 51 (2021), algorithm 1. What neither can decide is left to the caller.

constexpr std::uint64_t EXACT = 1ull << 53;

struct Numeral {
    std::uint64_t mantissa = 0;
    int counting = 0;  // digits of it, without zeros in front
    int dropped = 0;   // digits behind these
    int decimals = 0, exponent = 0;
    bool lost = false;  // of those that were dropped, one is no zero
    bool good = false;
    bool marked = false;
    bool scientific = false;  // with an exponent
    bool negative = false;
    bool padded = false;  // a zero stands before another digit
};

// The bit 7 of the first byte that equals `each`, 0 if there is none.
static inline std::uint64_t first_match(std::uint64_t word, std::uint64_t each) {
    const std::uint64_t other = word ^ each;
    const std::uint64_t hits = (other - ONES) & ~other & HIGH;
    return hits & (~hits + 1);
}

// How many digits stand at a place, eight at most, and the number that they make.
static inline int digits_at(const byte* at, std::int64_t room, std::uint64_t& value) {
    const std::uint64_t plain = fetch(at) ^ ZEROS;
    const std::uint64_t other = ((plain + 0x7676767676767676ull) | plain) & HIGH;
    int count = other ? trailing_zeros(other) >> 3 : 8;
    if (count > room) count = static_cast<int>(room);
    value = count ? digits_value(plain << (64 - 8 * count)) : 0;
    return count;
}

// A run of digits goes into the mantissa, as far as nineteen that count; returns how many there are.
static inline std::int64_t take_digits(const byte*& at, const byte* end, Numeral& found) {
    const byte* const from = at;
    while (at < end) {
        while (!found.counting && at < end && *at == '0') ++at;
        std::uint64_t value;
        const int count = digits_at(at, end - at, value);
        if (found.counting + count <= 19) {
            found.mantissa = found.mantissa * SHIFTS[count] + value;
            found.counting += count;
        } else {
            for (int each = 0; each < count; ++each) {
                if (found.counting < 19) {
                    found.mantissa = found.mantissa * 10 + (at[each] - '0');
                    found.counting += 1;
                } else {
                    found.dropped += 1;
                    found.lost |= at[each] != '0';
                }
            }
        }
        at += count;
        if (count < 8) break;
    }
    return at - from;
}

// Groups of three digits, the first of which may be shorter, as far as marks stand between them;
// returns how many digits there are, -1 if they are grouped otherwise.
static inline std::int64_t take_groups(const byte*& at, const byte* end, const Writing& writing,
                                       Numeral& found) {
    int size = 0, count = digits_at(at, end - at, found.mantissa);
    if (count == 0 || count > 3 || (size = writing.mark_at(at + count, end)) == 0) {
        found.mantissa = 0;
        return take_digits(at, end, found);
    }
    std::int64_t whole = count;
    for (at += count; size; size = writing.mark_at(at, end)) {
        std::uint64_t value;
        at += size;
        if (digits_at(at, end - at, value) != 3 || whole > 15) return -1;
        found.mantissa = found.mantissa * 1000 + value;
        whole += 3;
        at += 3;
    }
    found.counting = static_cast<int>(whole);
    return whole;
}

// An optional sign, digits (of the whole part in groups, if there is a `writing`), at most one decimal
// mark, with DECIMALS an exponent.
template <bool DECIMALS>
static inline Numeral read_numeral(const byte* at, const byte* end, byte mark,
                                   const Writing* writing = nullptr) {
    Numeral found;
    found.negative = *at == '-';
    at += found.negative || *at == '+';
    const byte lead = *at;
    const std::int64_t whole =
        writing ? take_groups(at, end, *writing, found) : take_digits(at, end, found);
    if (whole < 0) return found;
    std::int64_t behind = 0;
    if (DECIMALS && at < end && *at == mark) {
        found.marked = true;
        behind = take_digits(++at, end, found);
    }
    found.decimals = static_cast<int>(behind);
    found.padded = lead == '0' && whole > 1;
    found.good = whole + behind > 0 && behind < 1000 && found.dropped < 1000;
    if (DECIMALS && at < end && (*at | 0x20) == 'e') {
        found.scientific = true;
        found.good = found.good && read_exponent(at + 1, end, found.exponent);
        at = end;
    }
    found.good = found.good && at == end;
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
static inline bool nearest(std::uint64_t mantissa, int scale, double& value) {
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
    return nearest(mantissa, scale, value);
}

// Of a numeral of more than nineteen digits, the number is known where the next mantissa gives the
// same.
static inline bool rounded(const Numeral& numeral, int scale, double& value) {
    double above;
    scale += numeral.dropped;
    if (!scaled(numeral.mantissa, scale, value)) return false;
    return !numeral.lost || (scaled(numeral.mantissa + 1, scale, above) && above == value);
}

// Has it more digits than binary64 can hold, zeros at both ends left out?
static inline bool is_inexact(const Numeral& numeral) {
    if (numeral.mantissa < SEVENTEEN_DIGITS) return false;
    if (numeral.lost) return true;
    std::uint64_t rest = numeral.mantissa;
    while (rest % 10 == 0) rest /= 10;
    return rest >= SEVENTEEN_DIGITS;
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
    bool inexact = false;
};

// A numeral without blanks around it; `turned` is one that signs around it make negative.
template <bool DECIMALS>
static inline Read read_trimmed(const byte* at, const byte* end, NumberRule rule, bool turned) {
    Read found;
    const Writing* const writing = rule.writing && rule.writing->groups() ? rule.writing : nullptr;
    Numeral numeral = read_numeral<DECIMALS>(at, end, static_cast<byte>(rule.decimal), writing);
    if (!numeral.good) return found;
    const bool implied = !numeral.marked && !numeral.scientific;
    const int decimals = implied ? rule.implied : numeral.decimals;
    found.decimals = decimals;
    if (rule.strict && numeral.padded) return found;
    numeral.negative ^= turned;
    if (DECIMALS) {
        if (!rounded(numeral, numeral.exponent - decimals, found.number)) {
            found.number = 0;
            return found;
        }
        if (numeral.negative) found.number = -found.number;
        found.inexact = is_inexact(numeral);
    } else {
        const std::uint64_t limit = (1ull << 63) - 1 + numeral.negative;
        if (decimals != 0 || numeral.dropped || numeral.mantissa > limit) return found;
        const std::uint64_t bits = numeral.negative ? 0 - numeral.mantissa : numeral.mantissa;
        std::memcpy(&found.whole, &bits, 8);
    }
    found.reason = 0;
    return found;
}

// A numeral with signs around it.
template <bool DECIMALS>
static inline Read read_written(const byte* at, const byte* end, NumberRule rule) {
    const Writing& writing = *rule.writing;
    bool turned = false;
    if (writing.adorned) {
        if (writing.unit.size && !writing.has_unit(at, end)) return Read();
        const bool wrapped = end - at > 2 && *at == '(' && end[-1] == ')';
        at += wrapped;
        end -= wrapped;
        const bool minus = *at == '-' && !wrapped;
        const byte* const behind = at + minus;
        const byte* moved = behind;
        writing.strip_front(moved, end);
        if (moved > behind) at = moved;
        writing.strip_back(at, end);
        turned = wrapped || (minus && moved > behind);
        if (at >= end) return Read();
    }
    return read_trimmed<DECIMALS>(at, end, rule, turned);
}

template <bool DECIMALS>
OLIVE_APART static Read read_slowly(const byte* at, const byte* end, NumberRule rule) {
    Read found;
    trim(at, end);
    if (at == end) {
        found.reason = 1;
        return found;
    }
    const Writing* const writing = rule.writing;
    const bool is_bare = !writing || !writing->unit.size;
    if (is_bare && static_cast<byte>(*at - '+') < 15) {
        found = read_trimmed<DECIMALS>(at, end, rule, false);
        if (found.reason == 0 || !writing) return found;
    } else if (is_bare && !writing) {
        return found;
    }
    if (const byte reason = writing->reason_of(at, end)) {
        found.reason = reason;
        return found;
    }
    return writing->adorned ? read_written<DECIMALS>(at, end, rule) : found;
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

// Numerals of up to nineteen digits without anything around them: those that look like one that was
// learned from, unless that was tried, then the others. Lists the places of what is none.
template <bool DECIMALS, class Several>
static int take_apart(const Text* cells, int total, const NumberRule& rule, byte group, bool tried,
                      Learned& learned, Apart& apart, int* others) {
    int places[CHUNK], count = total;
    if (learned.lengths && !tried) {
        count = Several::read_learned(cells, total, learned, rule, apart, places);
        if (4 * count > 3 * total) learned.forget();
    } else {
        learned.rest -= learned.rest > 0;
        for (int each = 0; each < total; ++each) places[each] = each;
    }
    const int left = Several::read_longs(cells, places, count, rule, !DECIMALS, group, apart, others);
    for (int each = 0; each < count && !learned.knows() && !learned.rest; ++each) {
        const Text& cell = cells[places[each]];
        if (!apart.all[places[each]].good) continue;
        learned.learn(cell.data, cell.data + cell.size, static_cast<byte>(rule.decimal), group);
        if (!learned.knows()) learned.forget();
    }
    return left;
}

// The same, one after the other.
template <bool DECIMALS>
static int take_apart_slowly(const Text* cells, int total, const NumberRule& rule, byte group,
                             Apart& apart, int* others) {
    const byte mark = static_cast<byte>(rule.decimal);
    int count = 0;
    for (int each = 0; each < total; ++each) {
        const byte* const at = cells[each].data;
        Numeral found;
        if (group == mark && cells[each].size > 0)
            found = read_numeral<DECIMALS>(at, at + cells[each].size, mark);
        const bool marked = found.marked || found.scientific;
        const int decimals = marked ? found.decimals : rule.implied;
        const bool good = found.good && !found.dropped && !(rule.strict && found.padded) &&
                          (DECIMALS ? found.mantissa < SEVENTEEN_DIGITS
                                    : !marked && !decimals && found.mantissa < 1ull << 63);
        apart.put(each, found.mantissa, found.exponent - decimals, found.negative, good);
        if (good && decimals > apart.most_decimals) apart.most_decimals = decimals;
        others[count] = each;
        count += !good;
    }
    return count;
}

// mantissa * 10^scale, where both are small: exact, divided or multiplied once.
static inline double scaled_simply(std::uint64_t mantissa, int scale) {
    const double whole = static_cast<double>(static_cast<std::int64_t>(mantissa));
    return whole * TENS[scale > 0 ? scale : 0] / TENS[scale < 0 ? -scale : 0];
}

// What `read_slowly` finds in such numerals; lists the other cells. First all are taken apart, then
// all are scaled, so that neither waits for the other.
template <bool DECIMALS, class Several, class Cells>
OLIVE_APART static int read_longs(const Cells& cells, const NumberRule& rule, byte group,
                                  const int* places, int total, bool tried, std::int64_t begin,
                                  void* into, byte* reasons, int* left, Habit& habit,
                                  NumbersTold& told) {
    const Writing* const unit = rule.writing && rule.writing->unit.size ? rule.writing : nullptr;
    Text texts[CHUNK];
    Apart apart;
    for (int each = 0; each < total; ++each) {
        const std::int64_t cell = begin + places[each];
        const byte* const at = cells.begin(cell);
        texts[each] = unit ? bare_text(cells, cell, unit) : Text{at, cells.end(cell) - at};
    }
    int count;
    if constexpr (Several::THERE)
        count = take_apart<DECIMALS, Several>(texts, total, rule, group, tried, habit.learned, apart, left);
    else
        count = take_apart_slowly<DECIMALS>(texts, total, rule, group, apart, left);
    const bool all_small = apart.bits <= EXACT && apart.low >= -22 && apart.high <= 22;
    for (int each = 0; each < total; ++each) {
        const Numerals& found = apart.all[each];
        const std::int64_t cell = begin + places[each];
        reasons[cell] = 0;
        if (!DECIMALS) {
            const std::int64_t value = static_cast<std::int64_t>(found.mantissa);
            static_cast<std::int64_t*>(into)[cell] = found.negative ? -value : value;
            continue;
        }
        double value = 0;
        if (all_small)
            value = scaled_simply(found.mantissa, found.scale);
        else if (!nearest(found.mantissa, found.scale, value))
            left[count++] = each;
        static_cast<double*>(into)[cell] = found.negative ? -value : value;
    }
    for (int each = 0; each < count; ++each) left[each] = places[left[each]];
    if (apart.most_decimals > told.most_decimals) told.most_decimals = apart.most_decimals;
    return count;
}

// Numerals of which the decimal mark stands as many characters behind the first one as in the one
// that was learned from, with nine to nineteen decimals; `places` then lists the others, and how many
// they are is returned. Sixteen decimals are read from the end, and the one before them, since no
// more than seventeen digits are taken.
template <class Several, class Cells>
OLIVE_APART static int read_many_decimals(const Cells cells, const Writing* unit,
                                          const NumberRule& rule, int* places, int total,
                                          std::int64_t begin, double* values, byte* reasons,
                                          Habit& habit, NumbersTold& told) {
    constexpr int KEPT = 16, MORE = 3;
    constexpr std::uint64_t FRONT[MORE + 1] = {0, 0xFF, 0xFFFF, 0xFFFFFF};
    static constexpr std::uint64_t TEN_TO[] = {1000000000ull,       10000000000ull,
                                               100000000000ull,     1000000000000ull,
                                               10000000000000ull,   100000000000000ull,
                                               1000000000000000ull, 10000000000000000ull};
    static constexpr std::uint64_t MOST[] = {100000000, 10000000, 1000000, 100000, 10000, 1000, 100, 10};
    const byte mark = static_cast<byte>(rule.decimal);
    const int whole = habit.learned.whole;
    if (whole > 8) return total;
    double low = told.low, high = told.high;
    int count = 0, most = told.most_decimals;
    for (int each = 0; each < total; ++each) {
        const std::int64_t cell = begin + places[each];
        const byte* at = cells.begin(cell);
        Text text{at, cells.end(cell) - at};
        if (unit) text = bare_text(cells, cell, unit);
        const bool negative = *text.data == '-';
        at = text.data + negative;
        const byte *const end = text.data + text.size, *const behind = at + whole + 1;
        const std::int64_t decimals = end - behind;
        const bool fits = static_cast<std::uint64_t>(decimals - 9) <= KEPT + MORE - 9;
        const int taken = fits ? static_cast<int>(decimals) : KEPT;
        const int kept = taken < KEPT ? taken : KEPT, more = taken - kept, before = more - (more > 0);
        std::uint64_t first = static_cast<std::uint64_t>(*at - '0'), digits;
        bool good = fits & (at[whole] == mark) & Several::sixteen(end, kept, digits);
        if (whole > 1) {
            const std::uint64_t front = (fetch(at) ^ ZEROS) << (64 - 8 * whole);
            good &= are_digits(front) & !(rule.strict & (*at == '0'));
            first = digits_value(front);
        }
        // at most seventeen digits, whatever zeros stand before
        const std::uint64_t extra = (fetch(behind) ^ ZEROS) & FRONT[more], next = extra >> 8 * before;
        good &= (first < MOST[kept - 9]) & ((more == 0) | ((first == 0) & (next < 10))) &
                ((extra & FRONT[before]) == 0);
        double value = 0;
        good = good && nearest((first + next) * TEN_TO[kept - 9] + digits, -taken, value);
        value = negative ? -value : value;
        values[cell] = value;
        reasons[cell] = 0;
        low = good && value < low ? value : low;
        high = good && value > high ? value : high;
        most = good && taken > most ? taken : most;
        places[count] = places[each];
        count += !good;
    }
    told.low = low;
    told.high = high;
    told.most_decimals = most;
    return count;
}

// Have some of these cells more than eight characters? Judged by a few of them.
template <class Cells>
static bool are_long(const Cells& cells, std::int64_t begin, int size) {
    bool found = false;
    for (std::int64_t cell = begin; cell < begin + size; cell += 16)
        found |= cells.end(cell) - cells.begin(cell) > 8;
    return found;
}

// Short numerals here and now, several at a time where the processor can; everything else goes the
// slow way, at once where nearly all of the cells before had to. Division comes in a pass of its own,
// since it would hold up all that follows.
template <bool DECIMALS, class Cells, class Several = Lanes>
static NumbersTold read_all(const Cells cells, std::int64_t total, NumberRule rule, void* const into,
                            byte* const reasons) {
    constexpr int SPELL = 32;  // chunks until it is tried again
    const std::uint64_t plain_mark = ONES * static_cast<byte>(rule.decimal) ^ ZEROS;
    const Writing* const writing = rule.writing;
    const bool has_unit = writing && writing->unit.size;
    const byte group = writing ? writing->single_mark(static_cast<byte>(rule.decimal))
                               : static_cast<byte>(rule.decimal);
    std::int64_t* const wholes = static_cast<std::int64_t*>(into);
    double* const numbers = static_cast<double*>(into);
    std::int64_t mantissas[CHUNK];
    NumbersTold told;
    int rest[CHUNK], slow[CHUNK], left[CHUNK], vain = 0;
    Habit own, &habit = rule.habit ? *rule.habit : own;
    byte decimals[CHUNK];
    for (std::int64_t begin = 0; begin < total; begin += CHUNK) {
        const int size = static_cast<int>(total - begin < CHUNK ? total - begin : CHUNK);
        int many = 0, count = 0, slow_count = 0;
        if constexpr (Several::THERE) {
            if (Several::can(DECIMALS, rule) && !habit.no_lanes) {
                many = size / Several::COUNT * Several::COUNT;
                const auto read = [&](const auto& given) {
                    const auto some = habit.wide
                        ? Several::template read_some<DECIMALS, true, std::decay_t<decltype(given)>>
                        : Several::template read_some<DECIMALS, false, std::decay_t<decltype(given)>>;
                    return some(given, begin, many, rule, into, reasons, rest, vain, habit, told);
                };
                count = has_unit ? read(Unsigned<Cells>{cells, *writing, cells.begin(begin)}) : read(cells);
                const bool wide = (habit.wide || 2 * count > many) && are_long(cells, begin, size);
                if ((habit.wide || !wide) && 4 * count > 3 * many) habit.no_lanes = SPELL;
                habit.wide = !habit.no_lanes && wide;
            } else {
                habit.no_lanes -= habit.no_lanes > 0;
            }
        }
        for (; many < size; ++many) rest[count++] = many;
        const bool straight = habit.no_short > 0;
        if (straight) {
            --habit.no_short;
            std::memcpy(slow, rest, sizeof(int) * static_cast<std::size_t>(count));
            slow_count = count;
        }
        for (int each = slow_count; each < count; ++each) {
            const std::int64_t cell = begin + rest[each];
            const byte *at = cells.begin(cell), *end = cells.end(cell);
            const bool whole = !has_unit || writing->take_unit(at, end);
            const Short found = read_short<DECIMALS>(at, end, plain_mark, rule);
            const bool good = found.good && whole;
            reasons[cell] = !good;
            mantissas[each] = found.mantissa;
            decimals[each] = static_cast<byte>(good ? found.decimals : 0);
            slow[slow_count] = rest[each];
            slow_count += !good;
        }
        if (4 * slow_count > 3 * size && !straight) habit.no_short = SPELL;
        for (int each = 0; each < count && !straight; ++each) {
            const std::int64_t cell = begin + rest[each];
            if (DECIMALS) {
                numbers[cell] = static_cast<double>(mantissas[each]) / TENS[decimals[each]];
                if (decimals[each] > told.most_decimals) told.most_decimals = decimals[each];
            } else {
                wholes[cell] = mantissas[each];
            }
        }
        bool tried = false;
        if constexpr (DECIMALS && Several::THERE) {
            const int all = slow_count;
            const Writing* const unit = has_unit ? writing : nullptr;
            tried = slow_count && ((habit.learned.is_even() && rule.implied <= 22) || habit.learned.whole);
            if (tried) {
                slow_count = habit.learned.whole
                    ? read_many_decimals<Several>(cells, unit, rule, slow, all, begin, numbers, reasons,
                                                  habit, told)
                    : Several::read_even(cells, unit, rule, habit.learned, slow, all, begin, numbers,
                                         reasons, told);
                if (4 * slow_count > 3 * all) habit.learned.forget();
                if (straight) {
                    std::memcpy(rest, slow, sizeof(int) * static_cast<std::size_t>(slow_count));
                    count = slow_count;
                }
            }
        }
        const int left_count =
            slow_count ? read_longs<DECIMALS, Several>(cells, rule, group, slow, slow_count, tried, begin,
                                                       into, reasons, left, habit, told)
                       : 0;
        for (int each = 0; each < left_count; ++each) {
            const std::int64_t cell = begin + left[each];
            const Read read = read_slowly<DECIMALS>(cells.begin(cell), cells.end(cell), rule);
            reasons[cell] = read.reason;
            told.left += read.reason == 2;
            told.blanks += read.reason == 1;
            if (read.reason > 2) {
                told.worded += 1;
                habit.note(cells.begin(cell), cells.end(cell), read.reason);
            }
            told.inexact += read.inexact;
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
