// Tables that the kernels of all instruction sets share.

#include "times.hpp"
#include "writing.hpp"

namespace olive {

const double TENS[23] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
                         1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

std::uint64_t POWERS_OF_FIVE[2 * (HIGHEST_POWER - LOWEST_POWER + 1)];

const char* const MONTHS[12] = {"january", "february", "march",     "april",   "may",      "june",
                                "july",    "august",   "september", "october", "november", "december"};

const int LENGTHS[12] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};

MonthName MONTH_NAMES[12];

byte MONTH_SLOTS[64];

MonthWords MONTH_WORDS;

place MONTH_STARTS[12 * (LAST_YEAR - FIRST_YEAR) + 1];

namespace {

MonthWord month_word(int month, int letters) {
    const char* const name = MONTHS[month];
    MonthWord word{0, static_cast<std::uint64_t>(month + 1) << 32 |
                          static_cast<std::uint64_t>(name[letters - 1]) << 8 |
                          static_cast<std::uint64_t>(letters)};
    for (int letter = 0; letter < letters && letter < 8; ++letter)
        word.text |= static_cast<std::uint64_t>(name[letter]) << 8 * letter;
    return word;
}

// Has each name a slot of its own by this factor?
bool fits(MonthWords& into) {
    for (MonthWord& word : into.words) word = {};
    for (int month = 0; month < 12; ++month) {
        const int whole = static_cast<int>(std::strlen(MONTHS[month]));
        for (const int letters : {3, whole}) {
            const MonthWord word = month_word(month, letters);
            const auto folded = static_cast<std::uint32_t>(word.text ^ word.text >> 32);
            MonthWord& slot = into.words[folded * into.factor >> (32 - MonthWords::BITS)];
            if (slot.text && slot.text != word.text) return false;
            slot = word;
        }
    }
    return true;
}

}  // namespace

void set_months() {
    for (std::uint32_t each = 1; !fits(MONTH_WORDS); each += 2)
        MONTH_WORDS.factor = 0x9E3779B1u * each;
    for (byte month = 0; month < 12; ++month) {
        MonthName& name = MONTH_NAMES[month];
        const char* const letters = MONTHS[month];
        name.longer = static_cast<int>(std::strlen(letters)) - 3;
        for (int letter = 0; letters[letter]; ++letter)
            (letter < 3 ? name.head : name.tail) |=
                static_cast<std::uint64_t>(letters[letter]) << 8 * (letter < 3 ? letter : letter - 3);
        MONTH_SLOTS[(name.head * MONTH_FACTOR >> 16) % 64] = month;
    }
    // one more at the end, so that each month ends where the next one starts
    place days = -25567;  // 1 January 1900
    for (int month = 0; month <= 12 * (LAST_YEAR - FIRST_YEAR); ++month) {
        const int year = FIRST_YEAR + month / 12;
        const bool leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
        MONTH_STARTS[month] = days;
        days += LENGTHS[month % 12] + (month % 12 == 1 && leap);
    }
}

void set_powers(const std::uint64_t* words) {
    std::memcpy(POWERS_OF_FIVE, words, sizeof POWERS_OF_FIVE);
}

bool Writing::set(const byte* at, std::int64_t size) {
    const byte* const stop = at + size - 8;
    if (size < 8) return false;
    const auto text = [&](Text& into) {
        if (at >= stop || stop - at - 1 < *at) return false;
        into = Text{at + 1, *at};
        at += 1 + *at;
        return true;
    };
    const auto texts = [&](std::vector<Text>& into) {
        if (at >= stop) return false;
        into.resize(*at++);
        for (Text& each : into)
            if (!text(each)) return false;
        return true;
    };
    if (at >= stop) return false;
    adorned = *at++ != 0;
    if (!text(unit) || !texts(signs) || !texts(grouping)) return false;
    while (at < stop) {
        Word word{0, {}, *at++};
        if (!text(word.text) || words.size() == MOST) return false;
        word.head = head_of(word.text.data, word.text.size);
        words.push_back(word);
        codes = codes || word.reason < FIRST_MARK;
        std::size_t slot = slot_of(word.head, word.text.size);
        while (slots[slot]) slot = (slot + 1) % SLOTS;
        slots[slot] = static_cast<std::uint16_t>(words.size());
    }
    return true;
}

}  // namespace olive
