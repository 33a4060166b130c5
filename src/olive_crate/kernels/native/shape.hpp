// Dates and times in which everything stands at its place.
//
// Most cells of a column are written with the same number of characters, so that the place of each
// digit is known before any is looked at. A pattern has one shape with all digits, and one more for
// each way to leave out the first digit of day, month or hour ("5.1.2021", "9:30"). What has no
// place of its own, a fraction of a second or a zone, may follow behind it.
#pragma once

#include <initializer_list>
#include <vector>

#include "numbers.hpp"

namespace olive {

struct Pattern {
    const byte* steps = nullptr;  // two bytes a step: the directive's letter and 0, or 0 and a literal
    std::int64_t count = 0;
    bool exact = false;  // numbers need all the digits of their width
};

struct Shape {
    static constexpr int MOST = 32;  // characters
    // Pairs of digits, in this order; of the last one there is none.
    enum Pair { century, of_century, month, day, hour, minute, second, none };

    int width = 0;          // 0: the pattern has no shape
    std::int64_t tail = 0;  // the step behind the last one that has a place
    int name = -1, half = -1;  // where the name of the month stands, and AM or PM
    bool has_zone = false;  // within it
    bool has_date = false, short_year = false, has_hour = false, twelve = false;
    // The first sixteen characters and the last ones, which begin at `last`: literals, and 0xFF where
    // one stands, or a digit; then which digit makes which pair, 0x80 for those that are not there.
    int last = 0;
    byte literal[MOST] = {}, literals[MOST] = {}, digits[MOST] = {}, order[MOST];
    // What stands before the end of the name of a month, of the same characters; all without a name.
    byte before[MOST];
    std::uint32_t outline = 0;  // which characters are no digits, and a bit for the end
    // The least value of each pair, and how much greater it may be.
    std::int16_t least[8] = {}, span[8] = {99, 99, 12, 31, 23, 59, 59, 0};

    // `left_out` has a bit for each pair whose first digit is not written; in a `zulu` shape a zone is
    // the letter Z.
    Shape(const Pattern& pattern, unsigned left_out, bool zulu) {
        signed char from[2 * none];  // where each digit stands; -1: nowhere
        std::memset(from, -1, sizeof from);
        const auto put = [&](Pair pair, int& at, int count) {
            for (int digit = 2 - count; digit < 2; ++digit) {
                digits[at] = 0xFF;
                from[2 * pair + digit] = static_cast<signed char>(at++);
            }
        };
        bool seen[256] = {};
        int at = 0;
        for (; tail < pattern.count && at + 6 < MOST; ++tail) {
            const byte kind = kind_of(pattern, tail);
            if (kind == 'f' || (kind == 'z' && !zulu)) break;
            if (kind && (seen[kind] || kind == 'j')) return;
            seen[kind] = true;
            if (!kind || kind == 'z') {
                literal[at] = kind ? static_cast<byte>('Z') : pattern.steps[2 * tail + 1];
                literals[at++] = 0xFF;
            } else if (kind == 'b') {
                if (!ends_a_word(pattern, tail)) return;
                name = at;
                at += 3;
            } else if (kind == 'p') {
                half = at;
                at += 2;
            } else if (kind == 'Y') {
                put(century, at, 2);
                put(of_century, at, 2);
            } else {
                const Pair pair = pair_of(kind);
                const bool is_left_out = (left_out >> pair & 1) != 0;
                if (is_left_out && !ends_a_number(pattern, tail)) return;
                put(pair, at, is_left_out ? 1 : 2);
            }
        }
        for (std::int64_t step = tail; step < pattern.count; ++step) {
            const byte kind = kind_of(pattern, step);
            if (kind && kind != 'f' && kind != 'z') return;
        }
        short_year = seen['y'];
        has_zone = seen['z'];
        twelve = seen['I'];
        has_date = (seen['Y'] != seen['y']) && (seen['m'] != seen['b']) && seen['d'];
        has_hour = seen['H'] != seen['I'];
        const bool no_date = !seen['Y'] && !seen['y'] && !seen['m'] && !seen['b'] && !seen['d'];
        const bool no_clock = !seen['H'] && !seen['I'] && !seen['p'] && !seen['M'] && !seen['S'];
        if ((has_date || no_date) && (has_hour || no_clock) && (has_date || has_hour)) width = at;
        if (left_out & ~(1u << day | 1u << month | 1u << hour)) width = 0;
        for (const Pair pair : {day, month, hour})
            if ((left_out >> pair & 1) && from[2 * pair + 1] < 0) width = 0;
        for (const Pair pair : {day, month}) {
            least[pair] = from[2 * pair + 1] >= 0;
            span[pair] = static_cast<std::int16_t>(span[pair] - least[pair]);
        }
        outline = 1u << at;
        for (int each = 0; each < at; ++each) outline |= digits[each] ? 0 : 1u << each;
        set_order(from);
    }

    // Is nothing in it but numbers, a year of four digits, and an hour of the day?
    bool is_plain() const { return !short_year && !twelve && name < 0; }

  private:
    static byte kind_of(const Pattern& pattern, std::int64_t step) { return pattern.steps[2 * step]; }

    // The literal behind a step; 0 where a directive follows, ' ' at the end.
    static byte behind(const Pattern& pattern, std::int64_t step) {
        if (step + 1 == pattern.count) return ' ';
        return kind_of(pattern, step + 1) ? 0 : pattern.steps[2 * step + 3];
    }
    static bool ends_a_number(const Pattern& pattern, std::int64_t step) {
        const byte each = behind(pattern, step);
        return each && !is_digit(each) && !pattern.exact;
    }
    static bool ends_a_word(const Pattern& pattern, std::int64_t step) {
        const byte each = behind(pattern, step);
        return each && static_cast<byte>((each | 0x20) - 'a') >= 26;
    }

    static Pair pair_of(byte kind) {
        switch (kind) {
            case 'y': return of_century;
            case 'm': return month;
            case 'd': return day;
            case 'M': return minute;
            case 'S': return second;
            default: return hour;
        }
    }

    void set_order(const signed char* from) {
        last = width > 16 ? width - 16 : 0;
        for (byte* const each : {literal, literals, digits}) std::memmove(each + 16, each + last, 16);
        for (int each = 0; each < MOST; ++each)
            before[each] = name < 0 || (each < 16 ? each : last + each - 16) < name + 3 ? 0xFF : 0;
        std::memset(order, 0x80, MOST);
        for (int digit = 0; digit < 2 * none; ++digit) {
            if (from[digit] >= 16)
                order[16 + digit] = static_cast<byte>(from[digit] - last);
            else if (from[digit] >= 0)
                order[digit] = static_cast<byte>(from[digit]);
        }
    }
};

// The shapes that a pattern has.
inline std::vector<Shape> shapes_of(const Pattern& pattern) {
    constexpr unsigned DAY = 1 << Shape::day, MONTH = 1 << Shape::month, HOUR = 1 << Shape::hour;
    std::vector<Shape> found;
    for (const unsigned left_out : {0u, DAY, MONTH, HOUR, DAY | MONTH, DAY | HOUR, MONTH | HOUR,
                                    DAY | MONTH | HOUR}) {
        for (const bool zulu : {true, false}) {
            const Shape shape(pattern, left_out, zulu);
            if (shape.width && (!zulu || shape.has_zone)) found.push_back(shape);
        }
    }
    return found;
}

// A shape, in which the name of the month may be so many letters longer than three.
struct Variant {
    std::uint32_t outline;
    const Shape* shape;
    int longer;
};

// What stands between two parts of a cell, up to eight characters.
struct Divider {
    std::uint64_t text = 0, mask = 0;
    int length = 0;

    bool stands(const byte* at) const { return !((fetch(at) ^ text) & mask); }
    bool add(byte each) {
        if (length == 8 || is_digit(each)) return false;
        text |= static_cast<std::uint64_t>(each) << 8 * length;
        mask |= std::uint64_t{0xFF} << 8 * length++;
        return true;
    }
};

// A date of a day, the name of a month and a year of four digits, with something between them:
// "5 January 2021", "January 5, 2021", "2021-January-05". Digits are counted from the ends of the
// cell, and what is left has to be the name.
struct Worded {
    enum Order { none, day_first, name_first, year_first };
    Order order = none;  // none: the pattern is no such date
    Divider between[2];
    int least = 0;  // characters of the shortest one

    explicit Worded(const Pattern& pattern) {
        int kinds = 0;
        byte met[3] = {};
        for (std::int64_t step = 0; step < pattern.count; ++step) {
            const byte kind = pattern.steps[2 * step];
            if (kind ? kinds == 3 : kinds == 0 || kinds == 3) return;
            if (kind)
                met[kinds++] = kind;
            else if (!between[kinds - 1].add(pattern.steps[2 * step + 1]))
                return;
        }
        if (kinds < 3 || pattern.exact || !between[0].length || !between[1].length) return;
        least = 1 + between[0].length + 3 + between[1].length + 4;
        const auto is = [&](const char* order) { return !std::memcmp(met, order, 3); };
        order = is("dbY") ? day_first : is("bdY") ? name_first : is("Ybd") ? year_first : none;
    }
};

// The shapes of a pattern by their outlines, for columns in which they take turns.
class Variants {
  public:
    static constexpr int LONGEST = Shape::MOST - 6, MOST_LETTERS = 9;
    Variants(const std::vector<Shape>& shapes, const Pattern& pattern) : words(pattern) {
        for (const Shape& shape : shapes) {
            if (shape.tail != pattern.count) continue;
            add({shape.outline, &shape, 0});
            if (shape.name < 0 || shape.half >= 0) continue;
            for (int longer = 1; shape.width + longer <= LONGEST && 3 + longer <= MOST_LETTERS; ++longer) {
                const int ends = shape.name + 3;
                const std::uint32_t letters = ((1u << (3 + longer)) - 1) << shape.name;
                const std::uint32_t low = shape.outline & ((1u << ends) - 1);
                add({low | letters | (shape.outline >> ends) << (ends + longer), &shape, longer});
            }
        }
        for (int each = 0; !there && each < 256 && all.size() > 1 && all.size() <= 64; ++each) {
            factor = 0x9E3779B1u * static_cast<std::uint32_t>(2 * each + 1);
            there = fits();
        }
    }

    bool are_there() const { return there; }
    bool are_named() const { return all.front().shape->name >= 0; }
    const Worded& worded() const { return words; }
    // The variant of an outline, if there is one; else any.
    const Variant& of(std::uint32_t outline) const { return all[slots[outline * factor >> 24]]; }

  private:
    void add(const Variant& variant) {
        for (const Variant& each : all)
            if (each.outline == variant.outline) return;
        all.push_back(variant);
    }
    // Does each have a slot of its own?
    bool fits() {
        bool taken[256] = {};
        for (std::size_t each = 0; each < all.size(); ++each) {
            const std::uint32_t slot = all[each].outline * factor >> 24;
            if (taken[slot]) return false;
            taken[slot] = true;
            slots[slot] = static_cast<byte>(each);
        }
        return true;
    }

    Worded words;
    std::vector<Variant> all;
    byte slots[256] = {};
    std::uint32_t factor = 1;
    bool there = false;
};

// What the digits of a cell come to: months since the year 0, days, seconds of the day.
struct Sums {
    int months, day, seconds;
    int of_century, hour;
};

}  // namespace olive
