// The rows of a sheet's XML in the form that common writers produce, without a parser.
//
// `<row r="2" …><c r="A2" s="1" t="s"><v>71</v></c>…</row>`: tags follow one another, and address,
// style and type stand at known places. Whatever stands otherwise makes it give up. Serial numbers
// in cells of dates and times become ISO 8601 by ECMA-376 Part 1, 18.17.4, to the millisecond.

#include "sheet.hpp"

#include <cmath>

namespace olive {

namespace {

constexpr std::int64_t DAY_MS = 86400000;
constexpr double LAST_SERIAL = 2958466;  // one day after 31 December 9999
constexpr std::size_t LONG = 17;         // characters of a numeral with a point and 16 digits

bool starts_with(const byte* at, const byte* end, const char* text, std::size_t size) {
    return end - at >= static_cast<std::ptrdiff_t>(size) && std::memcmp(at, text, size) == 0;
}

struct Number {
    int value = 0, digits = 0;
};

Number whole_number(const byte*& at, const byte* end, int most) {
    Number found;
    for (; at < end && found.digits < most && is_digit(*at); ++at, ++found.digits)
        found.value = found.value * 10 + (*at - '0');
    return found;
}

int type_of(const byte* at, std::size_t size) {
    if (size == 1) {
        const char* const letters = "ns  bed";
        for (int type = 0; type < 7; ++type)
            if (*at == letters[type] && letters[type] != ' ') return type;
    }
    if (size == 3 && std::memcmp(at, "str", 3) == 0) return FORMULA_TEXT;
    if (size == 9 && std::memcmp(at, "inlineStr", 9) == 0) return INLINE;
    return -1;
}

struct Date {
    int year, month, day;
};

// The day of the calendar so many days after 1970-01-01; years begin in March.
Date date_of(std::int64_t days) {
    days += 719468;
    const std::int64_t era = (days >= 0 ? days : days - 146096) / 146097;
    const std::int64_t of_era = days - era * 146097;
    const std::int64_t year = (of_era - of_era / 1460 + of_era / 36524 - of_era / 146096) / 365;
    const std::int64_t of_year = of_era - (365 * year + year / 4 - year / 100);
    const std::int64_t month = (5 * of_year + 2) / 153;
    const int day = static_cast<int>(of_year - (153 * month + 2) / 5 + 1);
    const int civil = static_cast<int>(month < 10 ? month + 3 : month - 9);
    return {static_cast<int>(year + era * 400 + (civil <= 2)), civil, day};
}

byte* two(byte* at, int value) {
    at[0] = static_cast<byte>('0' + value / 10);
    at[1] = static_cast<byte>('0' + value % 10);
    return at + 2;
}

byte* date_text(byte* at, std::int64_t days) {
    const Date date = date_of(days);
    at = two(two(at, date.year / 100), date.year % 100);
    *at++ = '-';
    at = two(at, date.month);
    *at++ = '-';
    return two(at, date.day);
}

byte* clock_text(byte* at, std::int64_t millis) {
    const int seconds = static_cast<int>(millis / 1000), rest = static_cast<int>(millis % 1000);
    at = two(at, seconds / 3600);
    *at++ = ':';
    at = two(at, seconds / 60 % 60);
    *at++ = ':';
    at = two(at, seconds % 60);
    if (rest) {
        *at++ = '.';
        *at++ = static_cast<byte>('0' + rest / 100);
        at = two(at, rest % 100);
    }
    return at;
}

// The text of a serial number, and the kind that it turns out to be; 0 if it stays a number.
int serial_text(double serial, int kind, bool from_1904, byte* into, std::size_t& size) {
    size = 0;
    if (!std::isfinite(serial) || std::fabs(serial) >= LAST_SERIAL) return 0;
    const std::int64_t millis = static_cast<std::int64_t>(std::nearbyint(serial * DAY_MS));
    std::int64_t days = millis / DAY_MS, rest = millis % DAY_MS;
    if (rest < 0) {
        rest += DAY_MS;
        days -= 1;
    }
    if (kind == DATE && rest) kind = DATETIME;
    if (kind == DATETIME && days == 0 && rest) kind = TIME;
    if (kind == TIME && days != 0) kind = DURATION;
    byte* at = into;
    if (kind == DATE || kind == DATETIME) {
        if (days < 0 || (!from_1904 && (days == 60 || days == 0))) return 0;  // no such days
        std::int64_t since = days + (from_1904 ? -24107 : -25569);
        if (!from_1904) since += days > 0 && days < 60;
        at = date_text(at, since);
        if (kind == DATETIME) {
            *at++ = 'T';
            at = clock_text(at, rest);
        }
    } else if (kind == TIME) {
        at = clock_text(at, rest);
    }
    size = static_cast<std::size_t>(at - into);
    return kind;
}

class Reader {
  public:
    Reader(const byte* at_, const byte* end_, const SheetRule& rule_, SheetCells& into_)
        : at(at_), end(end_), rule(rule_), into(into_) {}

    bool all() {
        while (next_tag()) {
            const byte first = at[1], second = at[2];
            if (first == 'c' && second == ' ') {
                if (!cell()) return false;
            } else if (first == '/') {
                at += 2;
            } else if (first == 'v' && second == '>') {
                if (!has_cell || type == INLINE || !value(at + 3, 'v')) return false;
            } else if (first == 'r' && second == 'o') {
                if (!row()) return false;
            } else if (first == 't' && (second == '>' || second == ' ')) {
                if (!has_cell || type != INLINE || !text(second == ' ')) return false;
            } else if (first == 'i' && second == 's') {
                at += 3;
            } else if (first == 'f' && (second == '>' || second == ' ' || second == '/')) {
                at += 2;
            } else if (first == 'v' && second == '/') {
                at += 2;
            } else {
                return false;
            }
        }
        return true;
    }

  private:
    bool next_tag() {
        if (at < end && *at == '<') return true;
        at = bracket(at);
        return at < end;
    }

    // The next bracket; the end if there is none.
    const byte* bracket(const byte* from) const {
        for (; from < end; from += 8) {
            const std::uint64_t other = fetch(from) ^ (ONES * '<');
            const std::uint64_t hits = (other - ONES) & ~other & HIGH;
            if (hits) {
                from += trailing_zeros(hits) >> 3;
                return from < end ? from : end;
            }
        }
        return end;
    }

    bool row() {
        if (!starts_with(at, end, "<row r=\"", 8)) return false;
        const byte* digit = at + 8;
        const Number number = whole_number(digit, end, 7);
        if (!number.digits || number.value < 1 || digit >= end || *digit != '"') return false;
        const void* found = std::memchr(digit, '>', static_cast<std::size_t>(end - digit));
        if (!found) return false;
        const byte* const close = static_cast<const byte*>(found);
        if (rule.hiding && hides(digit, close)) into.hidden.push_back(number.value);
        row_digits = at + 8;
        row_size = number.digits;
        row_number = number.value;
        has_cell = false;
        at = close + 1;
        return true;
    }

    static bool hides(const byte* from, const byte* to) {
        for (; from + 11 <= to; ++from)
            if (*from == ' ' && (starts_with(from, to, " hidden=\"1\"", 11) ||
                                 starts_with(from, to, " hidden=\"true\"", 14)))
                return true;
        return false;
    }

    bool cell() {
        if (!row_number || !starts_with(at + 2, end, " r=\"", 4)) return false;
        const byte* letter = at + 6;
        int number = 0, letters = 0;
        for (; letters < 3 && *letter >= 'A' && *letter <= 'Z'; ++letters)
            number = number * 26 + (*letter++ - 'A' + 1);
        if (!letters || number > (1 << 14)) return false;
        if (std::memcmp(letter, row_digits, static_cast<std::size_t>(row_size)) != 0) return false;
        letter += row_size;
        if (*letter++ != '"') return false;
        column = number;
        style = 0;
        type = NUMERIC;
        bool has_type = false;
        for (int attribute = 0; attribute < 3; ++attribute) {
            if (starts_with(letter, end, " s=\"", 4)) {
                letter += 4;
                const Number found = whole_number(letter, end, 6);
                if (letter >= end || *letter++ != '"') return false;
                style = found.value;
            } else if (!has_type && starts_with(letter, end, " t=\"", 4)) {
                letter += 4;
                const byte* const from = letter;
                while (letter < end && letter - from < 10 && *letter != '"') ++letter;
                type = type_of(from, static_cast<std::size_t>(letter - from));
                if (type < 0 || *letter++ != '"') return false;
                has_type = true;
            } else {
                break;
            }
        }
        if (*letter != '>' && *letter != '/') return false;
        has_cell = true;
        has_value = false;
        at = letter;
        return true;
    }

    bool text(bool spaced) {
        if (!spaced) return value(at + 3, 't');
        if (!starts_with(at, end, "<t xml:space=\"preserve\">", 24)) return false;
        return value(at + 24, 't');
    }

    bool value(const byte* from, byte tag) {
        const byte* const to = bracket(from);
        if (has_value || end - to < 3 || to[1] != '/' || to[2] != tag) return false;
        has_value = true;
        at = to + 2;
        if (starts_with(to, end, "</v></c>", 8)) at = to + 8;
        if (into.count >= into.room) return false;  // shorter than cells can be
        return from == to || filled(from, static_cast<std::size_t>(to - from));
    }

    bool filled(const byte* from, std::size_t size) {
        switch (type) {
            case SHARED: return shared(from, size);
            case NUMERIC: return number(from, size);
            case LOGICAL:
                keep(BOOLEAN, *from == '1' ? "true" : "false", *from == '1' ? 4 : 5);
                return true;
            case FAILED:
                keep(ERROR, from, size);
                return true;
            case ISO:
                look_again();
                keep(DATE, from, size);
                return true;
            default:
                if (std::memchr(from, '&', size) || std::memchr(from, '\r', size) ||
                    has_escape(from, size))
                    look_again();
                keep(TEXT, from, size);
                return true;
        }
    }

    static bool has_escape(const byte* from, std::size_t size) {
        for (std::size_t place = 0; place + 1 < size; ++place)
            if (from[place] == '_' && from[place + 1] == 'x') return true;
        return false;
    }

    bool shared(const byte* from, std::size_t size) {
        const byte* digit = from;
        if (size > 9) return false;
        const Number index = whole_number(digit, from + size, 9);
        if (digit != from + size) return false;
        if (index.value >= rule.strings) {
            into.unknown_strings += 1;
            return true;
        }
        const std::int64_t start = rule.string_starts[index.value];
        const std::int64_t stop = rule.string_ends[index.value];
        if (stop > start) add(TEXT, start, stop);
        return true;
    }

    bool number(const byte* from, std::size_t size) {
        const std::int64_t last = rule.formats - 1;
        const int kind = rule.format_kinds[style < last ? style : last];
        if (kind == NUMBER) {
            if (size >= LONG) look_again();
            keep(NUMBER, from, size);
            return true;
        }
        const CellsAt one{from, nullptr, nullptr, 0, 0, static_cast<std::int64_t>(size), 1};
        double serial = 0;
        byte reason = 2;
        in_use().read_floats(one, NumberRule{'.', false, 0}, &serial, &reason);
        byte written[32];
        std::size_t length = 0;
        const int found = reason ? 0 : serial_text(serial, kind, rule.from_1904, written, length);
        if (reason || found == DURATION) {
            look_again();
            keep(NUMBER, from, size);
        } else if (found) {
            keep(found, written, length);
        } else {
            keep(NUMBER, from, size);
        }
        return true;
    }

    void look_again() { into.special.push_back(static_cast<std::int32_t>(into.count)); }

    void keep(int kind, const void* from, std::size_t size) {
        const std::size_t start = into.texts.size();
        const byte* const bytes = static_cast<const byte*>(from);
        into.texts.insert(into.texts.end(), bytes, bytes + size);
        add(kind, static_cast<std::int64_t>(start), static_cast<std::int64_t>(start + size));
    }

    void add(int kind, std::int64_t start, std::int64_t stop) {
        const std::int64_t here = (static_cast<std::int64_t>(row_number) << 15) + column;
        into.in_order = into.in_order && here > before;
        before = here;
        const std::size_t place = into.count++;
        into.rows[place] = row_number;
        into.columns[place] = static_cast<std::int16_t>(column);
        into.styles[place] = style;
        into.kinds[place] = static_cast<byte>(kind);
        into.types[place] = static_cast<byte>(type);
        into.starts[place] = start;
        into.ends[place] = stop;
    }

    const byte* at;
    const byte* const end;
    const SheetRule& rule;
    SheetCells& into;
    const byte* row_digits = nullptr;
    int row_size = 0, row_number = 0, column = 0, style = 0, type = NUMERIC;
    bool has_cell = false, has_value = false;
    std::int64_t before = 0;
};

}  // namespace

SheetCells::SheetCells(std::size_t room_)
    : room(room_),
      rows(new std::int32_t[room]),
      styles(new std::int32_t[room]),
      columns(new std::int16_t[room]),
      kinds(new byte[room]),
      types(new byte[room]),
      starts(new std::int64_t[room]),
      ends(new std::int64_t[room]) {}

bool read_sheet(const byte* buffer, std::int64_t low, std::int64_t high, const SheetRule& rule,
                SheetCells& into) {
    into.texts.reserve(static_cast<std::size_t>(high - low) / 2 + 64);
    return Reader(buffer + low, buffer + high, rule, into).all();
}

std::int64_t read_strings(const byte* buffer, std::int64_t low, std::int64_t high, std::int64_t room,
                          std::int64_t* starts, std::int64_t* ends) {
    const byte *at = buffer + low, *const end = buffer + high;
    std::int64_t count = 0;
    while (at < end) {
        if (*at == ' ' || *at == '\n' || *at == '\r' || *at == '\t') {
            ++at;
            continue;
        }
        if (count >= room || !starts_with(at, end, "<si><t", 6)) return -1;
        at += 6;
        if (*at == '>')
            at += 1;
        else if (starts_with(at, end, " xml:space=\"preserve\">", 22))
            at += 22;
        else
            return -1;
        const void* found = std::memchr(at, '<', static_cast<std::size_t>(end - at));
        const byte* const to = static_cast<const byte*>(found);
        if (!found || !starts_with(to, end, "</t></si>", 9)) return -1;
        starts[count] = at - buffer;
        ends[count] = to - buffer;
        count += 1;
        at = to + 9;
    }
    return count;
}

namespace {

constexpr std::int64_t MOST_CHARACTERS = 20;
constexpr int MOST_DECIMALS = 22;
constexpr std::uint64_t LEAST_CUT = 1000000000000000, MOST_CUT = 10000000000000000;
const double TENS[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10,
                       1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21};

// A numeral of digits with one point, and perhaps a sign.
struct Numeral {
    std::uint64_t whole = 0;  // its digits
    int decimals = 0;
    bool negative = false;

    bool read(const byte* at, const byte* end) {
        negative = *at == '-';
        at += negative;
        const byte* point = nullptr;
        for (const byte* each = at; each < end; ++each) {
            if (*each == '.' && !point) {
                point = each;
            } else if (is_digit(*each)) {
                whole = whole * 10 + static_cast<std::uint64_t>(*each - '0');
            } else {
                return false;
            }
        }
        if (!point) return false;
        decimals = static_cast<int>(end - point) - 1;
        return decimals >= 1 && decimals <= MOST_DECIMALS && end[-1] != '0';
    }
};

// The digits of a number with so many decimals, as short as they can be; how many bytes it takes.
int write_short(std::uint64_t number, int decimals, bool negative, byte* into) {
    byte digits[MOST_DECIMALS + 2];
    int count = 0;
    for (; number || count <= decimals; number /= 10) digits[count++] = byte('0' + number % 10);
    int zeros = 0;
    while (zeros < decimals - 1 && digits[zeros] == '0') ++zeros;
    byte* at = into;
    if (negative) *at++ = '-';
    for (int place = count - 1; place >= zeros; --place) {
        *at++ = digits[place];
        if (place == decimals) *at++ = '.';
    }
    if (!decimals) *at++ = '0';
    return static_cast<int>(at - into);
}

int shorter_numeral(const byte* at, const byte* end, byte* into) {
    const byte last = end[-1];
    const auto is_exponent = [end](int back) { return (end[-back] | 0x20) == 'e'; };
    const bool written = is_exponent(3) || is_exponent(4) || is_exponent(5);
    if (last != '9' && last != '1' && !written) return 0;
    Numeral numeral;
    if (end - at > MOST_CHARACTERS || !numeral.read(at, end)) return -1;
    const std::uint64_t ending = numeral.whole % 10;
    if (numeral.whole < LEAST_CUT || numeral.whole >= MOST_CUT || (ending != 9 && ending != 1))
        return 0;
    const double off = ending == 9 ? -1.0 : 1.0;
    const std::uint64_t meant = (ending == 9 ? numeral.whole + 1 : numeral.whole - 1) / 10;
    const double power = TENS[numeral.decimals - 1], digits = static_cast<double>(meant);
    const double number = digits / power;
    if (off * std::fma(number, power, -digits) < 0.05) return 0;
    if (number < 1e-4) return -1;
    return write_short(meant, numeral.decimals - 1, numeral.negative, into);
}

}  // namespace

std::int64_t shorter_numerals(const byte* buffer, const std::int64_t* starts,
                              const std::int64_t* ends, std::size_t count, std::int8_t* lengths,
                              byte* texts) {
    byte* at = texts;
    for (std::size_t each = 0; each < count; ++each) {
        const int length = shorter_numeral(buffer + starts[each], buffer + ends[each], at);
        lengths[each] = static_cast<std::int8_t>(length);
        if (length > 0) at += length;
    }
    return at - texts;
}

}  // namespace olive
