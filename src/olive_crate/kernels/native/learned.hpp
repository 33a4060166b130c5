// What a long numeral of a column looks like, seen from its end.
//
// The numerals of a column mostly have the same number of decimals, groups of three digits before
// them, or an exponent of the same length behind: "1,234.5" and "12,345.6", "1.234567e-01" and
// "9.876543e+12". Seen from their end everything stands at the same place, however many digits stand
// in front. So one numeral that was read the long way tells how to read the others in one go. Where
// decimals are many and their number changes, the decimal mark still stands at the same place, seen
// from the front.
#pragma once

#include "common.hpp"

namespace olive {

struct Learned {
    static constexpr int MOST = 16;  // characters
    // By the place among the last sixteen characters: literals, and 0xFF where one stands, or a digit;
    // then which digit goes where: four of the exponent, twelve of the mantissa.
    byte literal[MOST] = {}, literals[MOST] = {}, digits[MOST] = {}, order[MOST] = {};
    int decimals = 0;
    bool scientific = false;  // with an exponent
    int sign = 0;    // so many characters before the end stands the sign of the exponent; 0: none
    int single = 0;  // characters of a numeral with one digit in its whole part
    std::uint32_t lengths = 0;  // a bit for each number of characters that a numeral may have
    bool marked = false;  // with a decimal mark or an exponent
    // Of numerals that are too long for that, with a number of decimals that changes: so many digits
    // stand before their decimal mark; 0: they are no such numerals, or have no mark.
    int whole = 0;
    int rest = 0;    // for so many chunks of cells it is left alone: few looked like that

    bool knows() const { return lengths || whole; }

    // Is there nothing to work out of each but its digits?
    bool is_even() const { return lengths && !scientific; }

    void forget() {
        lengths = 0;
        whole = 0;
        rest = 32;
    }

    // From a numeral that is known to be one. `group` is the mark between groups of three digits, or
    // the decimal mark where there is none.
    void learn(const byte* at, const byte* end, byte mark, byte group) {
        Learned found;
        at += *at == '-' || *at == '+';
        for (byte& each : found.order) each = 0x80;
        int place = MOST, tail = 0, held = MOST;  // all from the end
        const byte* letter = at;
        while (letter < end && (*letter | 0x20) != 'e') ++letter;
        found.scientific = letter < end;
        if (letter < end) {
            for (const byte* each = end - 1; each > letter; --each) {
                if (--place < 0) return;
                if (is_digit(*each)) {
                    if (tail == 4) return;
                    found.digits[place] = 0xFF;
                    found.order[3 - tail++] = static_cast<byte>(place);
                } else {
                    found.sign = MOST - place;
                }
            }
            if (--place < 0) return;
            found.put_literal(place, *letter);
        }
        const byte* stop = at;
        while (stop < letter && *stop != mark) ++stop;
        if (end - at > MOST && letter == end && stop < end) {
            whole = static_cast<int>(stop - at);
            return;
        }
        bool grouped = false;
        for (const byte* each = at; each < stop; ++each) grouped |= mark != group && *each == group;
        if (stop < letter) {
            found.decimals = static_cast<int>(letter - stop) - 1;
            for (int each = 0; each < found.decimals; ++each) {
                if (--place < 0 || --held < 4) return;
                found.put_digit(place, held);
            }
            if (--place < 0) return;
            found.put_literal(place, mark);
        }
        found.marked = stop < end;
        found.single = MOST - place + 1;
        for (int each = 0; --place >= 0; ++each) {
            if (grouped && each % 4 == 3) {
                found.put_literal(place, group);
            } else {
                if (--held < 4) break;
                found.put_digit(place, held);
                found.lengths |= 1u << (MOST - place);
            }
        }
        *this = found;
    }

  private:
    void put_literal(int place, byte each) {
        literal[place] = each;
        literals[place] = 0xFF;
    }
    void put_digit(int place, int to) {
        digits[place] = 0xFF;
        order[to] = static_cast<byte>(place);
    }
};

}  // namespace olive
