// What may stand in a cell of numbers or times besides plain numerals: words that stand for "no
// value", groups of three digits, signs of currency or percent, parentheses for "negative".
#pragma once

#include <vector>

#include "common.hpp"

namespace olive {

class Writing {
  public:
    bool adorned = false;  // signs, spaces and parentheses around a numeral are no part of it
    Text unit{nullptr, 0};  // the sign that every number has to carry

    // From its parts, one behind the other, and eight bytes more: see `_parts_of` in
    // kernels/compiled/cells.py. They have to stay where they are. False if they are not of that form.
    bool set(const byte* at, std::int64_t size);

    // Is one of the words a declared code, which may look like a number or a date?
    bool has_codes() const { return codes; }

    bool groups() const { return !grouping.empty(); }

    // The mark between groups of digits, where it is one byte; else what is given.
    byte single_mark(byte other) const {
        return grouping.size() == 1 && grouping[0].size == 1 ? *grouping[0].data : other;
    }

    // The reason that a cell without blanks around it stands for; 0 if it is none of the words.
    byte reason_of(const byte* at, const byte* end) const {
        const std::int64_t size = end - at;
        const std::uint64_t head = head_of(at, size);
        for (std::size_t slot = slot_of(head, size);; slot = (slot + 1) % SLOTS) {
            const int place = slots[slot];
            if (!place) return 0;
            const Word& word = words[static_cast<std::size_t>(place - 1)];
            if (word.head == head && word.text.size == size &&
                (size <= 8 || std::memcmp(word.text.data, at, static_cast<std::size_t>(size)) == 0))
                return word.reason;
        }
    }

    // How many bytes of a mark between groups of digits begin here; 0 if none does.
    int mark_at(const byte* at, const byte* end) const {
        for (const Text& mark : grouping)
            if (end - at >= mark.size &&
                std::memcmp(at, mark.data, static_cast<std::size_t>(mark.size)) == 0)
                return static_cast<int>(mark.size);
        return 0;
    }

    // Moves past signs in front of a numeral, and behind it.
    void strip_front(const byte*& at, const byte* end) const {
        for (int pass = 0; pass < 2; ++pass)
            for (const Text& sign : signs)
                if (end - at >= sign.size && is(at, sign)) at += sign.size;
    }
    void strip_back(const byte* at, const byte*& end) const {
        for (int pass = 0; pass < 2; ++pass) {
            if (end - at > 1 && end[-1] == '%') --end;
            for (const Text& sign : signs)
                if (end - at > sign.size && is(end - sign.size, sign)) end -= sign.size;
        }
    }

    // Does the cell hold the unit?
    bool has_unit(const byte* at, const byte* end) const {
        for (; end - at >= unit.size; ++at)
            if (is(at, unit)) return true;
        return false;
    }

    // Takes the unit off one end of a cell; false if it stands at neither.
    bool take_unit(const byte*& at, const byte*& end) const {
        if (end - at <= unit.size) return false;
        if (is(end - unit.size, unit)) {
            end -= unit.size;
            return true;
        }
        if (!is(at, unit)) return false;
        at += unit.size;
        return true;
    }

    // Moves past the blanks between a sign that was taken off and the numeral, if there may be any.
    void strip_blanks(const byte*& at, const byte*& end) const {
        if (!adorned) return;
        while (end - at > 1 && end[-1] == ' ') --end;
        while (end - at > 1 && *at == ' ') ++at;
        if (end - at > 2 && end[-2] == 0xC2 && end[-1] == 0xA0) end -= 2;  // one that does not break
        if (end - at > 2 && at[0] == 0xC2 && at[1] == 0xA0) at += 2;
    }

  private:
    static constexpr std::size_t SLOTS = 512, MOST = 200;
    static constexpr byte FIRST_MARK = 200;  // reasons of well-known marks: see columns/rule.py
    struct Word {
        std::uint64_t head;
        Text text;
        byte reason;
    };

    static bool is(const byte* at, const Text& text) {
        const std::int64_t size = text.size;
        return head_of(at, size) == head_of(text.data, size) &&
               (size <= 8 || std::memcmp(at, text.data, static_cast<std::size_t>(size)) == 0);
    }
    static std::uint64_t head_of(const byte* at, std::int64_t size) {
        return size >= 8 ? fetch(at) : size ? fetch(at) & ((1ull << (8 * size)) - 1) : 0;
    }
    static std::size_t slot_of(std::uint64_t head, std::int64_t size) {
        const std::uint64_t mixed = (head ^ static_cast<std::uint64_t>(size)) * 0x9E3779B97F4A7C15ull;
        return static_cast<std::size_t>(mixed >> 55);
    }

    bool codes = false;
    std::vector<Word> words;
    std::vector<Text> signs, grouping;
    std::uint16_t slots[SLOTS] = {};
};

}  // namespace olive
