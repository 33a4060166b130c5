// Text out of a buffer: blanks around it, runs side by side, words told apart.

#include "texts.hpp"

namespace olive {

namespace {

inline std::uint64_t mixed(std::uint64_t value) {
    value ^= value >> 32;
    value *= 0x9E3779B97F4A7C15ull;
    return value ^ (value >> 29);
}

constexpr std::int64_t SHORT = 16;  // bytes of a text that is its own key

// What keeps the first so many of 16 bytes.
struct First {
    std::uint64_t low[SHORT + 1] = {}, high[SHORT + 1] = {};
    constexpr First() {
        for (int length = 1; length <= SHORT; ++length) {
            low[length] = length < 8 ? ~0ull >> (64 - 8 * length) : ~0ull;
            high[length] = length > 8 ? ~0ull >> (64 - 8 * (length - 8)) : 0;
        }
    }
};
constexpr First FIRST;

// A run of up to 16 bytes as a whole, a longer one by its hash.
struct Key {
    std::uint64_t low, high;
    std::int64_t length;
};

inline Key key_of(const byte* at, std::int64_t length) {
    if (length <= SHORT)
        return {fetch(at) & FIRST.low[length], fetch(at + 8) & FIRST.high[length], length};
    std::uint64_t low = 0, high = 0;
    std::int64_t left = length;
    for (; left >= SHORT; left -= SHORT, at += SHORT) {
        low = mixed(low ^ fetch(at));
        high = mixed(high ^ fetch(at + 8));
    }
    low = mixed(low ^ (fetch(at) & FIRST.low[left]));
    return {low, mixed(high ^ (fetch(at + 8) & FIRST.high[left])), length};
}

}  // namespace

std::int64_t trim(const Runs& runs, bool left, bool right, place* starts, place* ends) {
    std::int64_t changed = 0;
    for (std::int64_t cell = 0; cell < runs.count; ++cell) {
        place start = runs.starts[cell], end = runs.ends[cell];
        if (start < end && runs.buffer[start] > ' ' && runs.buffer[end - 1] > ' ') {  // as most are
            starts[cell] = start;
            ends[cell] = end;
            continue;
        }
        if (left)
            while (start < end && is_blank(runs.buffer[start])) ++start;
        if (right)
            while (start < end && is_blank(runs.buffer[end - 1])) --end;
        changed += (start != runs.starts[cell]) | (end != runs.ends[cell]);
        starts[cell] = start;
        ends[cell] = end;
    }
    return changed;
}

std::int64_t blank(const Runs& runs, byte* into) {
    std::int64_t found = 0;
    for (std::int64_t cell = 0; cell < runs.count; ++cell) {
        place start = runs.starts[cell];
        const place end = runs.ends[cell];
        into[cell] = 0;
        if (start < end && runs.buffer[start] > ' ') continue;  // as most are
        while (start < end && is_blank(runs.buffer[start])) ++start;
        into[cell] = start == end;
        found += into[cell];
    }
    return found;
}

std::int64_t total_length(const Runs& runs, const byte* reasons) {
    std::int64_t total = 0;
    for (std::int64_t cell = 0; cell < runs.count; ++cell)
        if (!reasons || !reasons[cell]) total += runs.ends[cell] - runs.starts[cell];
    return total;
}

namespace {

// A text, and up to 32 bytes behind its end.
inline void put_text(byte* to, const byte* from, std::int64_t length) {
    if (length <= 16)
        std::memcpy(to, from, 16);
    else if (length <= 32)
        std::memcpy(to, from, 32);
    else
        std::memcpy(to, from, static_cast<std::size_t>(length));
}

}  // namespace

void gather(const Runs& runs, const byte* reasons, place* offsets, byte* data) {
    std::int64_t at = 0;
    for (std::int64_t cell = 0; cell < runs.count; ++cell) {
        offsets[cell] = static_cast<place>(at);
        if (reasons && reasons[cell]) continue;
        const std::int64_t length = runs.ends[cell] - runs.starts[cell];
        put_text(data + at, runs.buffer + runs.starts[cell], length);
        at += length;
    }
    offsets[runs.count] = static_cast<place>(at);
}

Words::Words(std::int64_t most_, std::int64_t expected) : offsets(1, 0), most(most_) {
    std::size_t size = 256;
    for (shift = 56; size < 2 * static_cast<std::size_t>(expected); --shift) size *= 2;
    slots.assign(size, Slot{});
}

namespace {

// The upper bits of a sum of products, which all bits below have a part in.
inline std::size_t slot_of(std::uint64_t low, std::uint64_t high, int shift) {
    return (low * 0x9E3779B97F4A7C15ull + high * 0xD6E8FEB86659FD93ull) >> shift;
}

inline bool all_blank(const byte* at, std::int64_t length) {
    while (length && is_blank(*at)) ++at, --length;
    return !length;
}

}  // namespace

bool Words::is(const Slot& slot, const byte* at) const {
    const byte* const own = bytes.data() + offsets[static_cast<std::size_t>(slot.number)];
    return std::memcmp(own, at, static_cast<std::size_t>(slot.length)) == 0;
}

void Words::widen() {
    const std::size_t size = 4 * slots.size();
    std::vector<Slot> wider(size);
    shift -= 2;
    for (const Slot& each : slots) {
        if (each.number < 0) continue;
        std::size_t to = slot_of(each.low, each.high, shift);
        while (wider[to].number >= 0) to = (to + 1) & (size - 1);
        wider[to] = each;
    }
    slots.swap(wider);
}

place Words::number_of(const byte* at, std::int64_t length) {
    const Key key = key_of(at, length);
    std::size_t slot = slot_of(key.low, key.high, shift);
    for (; slots[slot].number >= 0; slot = (slot + 1) & (slots.size() - 1)) {
        const Slot& held = slots[slot];
        if (held.low == key.low && held.high == key.high && held.length == length &&
            (length <= SHORT || is(held, at)))
            return held.number;
    }
    if (count() >= most) return -1;
    const place number = static_cast<place>(count());
    slots[slot] = {key.low, key.high, static_cast<place>(length), number};
    bytes.insert(bytes.end(), at, at + length);
    offsets.push_back(static_cast<place>(bytes.size()));
    if (2 * offsets.size() > slots.size()) widen();
    return number;
}

namespace {

// Where a cell begins, and its length; false if it cannot be told.
inline bool find(const Runs& runs, std::int64_t cell, const byte*& at, std::int64_t& length) {
    at = runs.buffer + runs.starts[cell];
    length = runs.ends[cell] - runs.starts[cell];
    return true;
}

template <bool QUOTES>
struct Between {
    Fields all;
};

template <bool QUOTES>
inline bool find(const Between<QUOTES>& fields, std::int64_t cell, const byte*& at,
                 std::int64_t& length) {
    const place* const stop = fields.all.stops + cell * fields.all.step;
    at = fields.all.buffer + stop[0] + 1;
    length = stop[1] - stop[0] - 1;
    if (!QUOTES || *at != fields.all.quote || !length) return true;
    const bool closes = length > 1 && at[length - 1] == fields.all.quote;
    at += 1;
    length -= 2;
    return closes;
}

inline std::int64_t count_of(const Runs& runs) { return runs.count; }
template <bool QUOTES>
inline std::int64_t count_of(const Between<QUOTES>& fields) {
    return fields.all.count;
}

}  // namespace

template <bool FINDS_BLANKS, class Cells>
bool Words::number(const Cells cells, Reasons<FINDS_BLANKS> reasons, place* codes,
                   std::int64_t& blanks) {
    const Slot* all = slots.data();
    int by = shift;
    for (std::int64_t cell = 0, count = count_of(cells); cell < count; ++cell) {
        const byte* at;
        std::int64_t length;
        if (!find(cells, cell, at, length)) return false;
        if constexpr (FINDS_BLANKS) {
            reasons[cell] = 0;
            if ((*at <= ' ' || !length) && all_blank(at, length)) {
                reasons[cell] = 1;
                blanks += 1;
                codes[cell] = 0;
                continue;
            }
        } else if (reasons && reasons[cell]) {
            codes[cell] = 0;
            continue;
        }
        if (length <= SHORT) {  // most often it is in the first place looked at
            const std::uint64_t low = fetch(at) & FIRST.low[length];
            const std::uint64_t high = fetch(at + 8) & FIRST.high[length];
            const Slot& held = all[slot_of(low, high, by)];
            if (held.low == low && held.high == high && held.length == length) {
                codes[cell] = held.number;
                continue;
            }
        }
        codes[cell] = number_of(at, length);
        if (codes[cell] < 0) return false;
        all = slots.data();
        by = shift;
    }
    return true;
}

bool encode(const Runs& runs, const byte* reasons, Words& words, place* codes) {
    std::int64_t blanks = 0;
    return words.number<false>(runs, reasons, codes, blanks);
}

bool encode_filled(const Runs& runs, byte* reasons, Words& words, place* codes, std::int64_t& blanks) {
    return words.number<true>(runs, reasons, codes, blanks);
}

bool encode_filled(const Fields& fields, byte* reasons, Words& words, place* codes,
                   std::int64_t& blanks) {
    return fields.quote ? words.number<true>(Between<true>{fields}, reasons, codes, blanks)
                        : words.number<true>(Between<false>{fields}, reasons, codes, blanks);
}

namespace {

template <class Cells>
Gathered gather_from(const Cells cells, byte* reasons, place* offsets, Room& into,
                     std::int64_t& blanks) {
    std::int64_t end = into.filled, found = 0;
    const std::int64_t count = count_of(cells);
    for (std::int64_t cell = 0; cell < count; ++cell) {
        const byte* at;
        std::int64_t length;
        if (!find(cells, cell, at, length)) return Gathered::not_told;
        offsets[cell] = static_cast<place>(end);
        reasons[cell] = 0;
        if ((*at <= ' ' || !length) && all_blank(at, length)) {
            reasons[cell] = 1;
            found += 1;
            continue;
        }
        if (end + length > into.size) return Gathered::no_room;
        put_text(into.data + end, at, length);
        end += length;
    }
    offsets[count] = static_cast<place>(end);
    into.filled = end;
    blanks += found;
    return Gathered::all;
}

}  // namespace

Gathered gather_filled(const Runs& runs, byte* reasons, place* offsets, Room& into,
                       std::int64_t& blanks) {
    return gather_from(runs, reasons, offsets, into, blanks);
}

Gathered gather_filled(const Fields& fields, byte* reasons, place* offsets, Room& into,
                       std::int64_t& blanks) {
    return fields.quote ? gather_from(Between<true>{fields}, reasons, offsets, into, blanks)
                        : gather_from(Between<false>{fields}, reasons, offsets, into, blanks);
}

void hashes(const Runs& runs, std::uint64_t* into) {
    for (std::int64_t cell = 0; cell < runs.count; ++cell) {
        const Key key = key_of(runs.buffer + runs.starts[cell], runs.ends[cell] - runs.starts[cell]);
        into[cell] = mixed(key.low + mixed(key.high + static_cast<std::uint64_t>(key.length)));
    }
}

std::int64_t spread_length(const place* codes, const byte* reasons, std::int64_t count,
                           const place* offsets, std::int64_t words) {
    std::vector<place> lengths(static_cast<std::size_t>(words));
    for (std::int64_t word = 0; word < words; ++word)
        lengths[static_cast<std::size_t>(word)] = offsets[word + 1] - offsets[word];
    const place* const length = lengths.data();
    std::int64_t total = 0;
    if (reasons) {
        for (std::int64_t cell = 0; cell < count; ++cell)
            if (!reasons[cell]) total += length[codes[cell]];
    } else {
        for (std::int64_t cell = 0; cell < count; ++cell) total += length[codes[cell]];
    }
    return total;
}

namespace {

// A word with its length beside it, to be copied as a whole.
struct Padded {
    byte text[SHORT];
    std::int64_t length;
};

// So many short words, which are few.
std::vector<Padded> padded(const place* offsets, const byte* words, std::int64_t count) {
    std::vector<Padded> made(static_cast<std::size_t>(count));
    for (std::int64_t word = 0; word < count; ++word) {
        Padded& each = made[static_cast<std::size_t>(word)];
        std::memcpy(each.text, words + offsets[word], SHORT);
        each.length = offsets[word + 1] - offsets[word];
        if (each.length > SHORT) return {};
    }
    return made;
}

constexpr std::int64_t FEW = 1024;

}  // namespace

void spread(const place* codes, const byte* reasons, std::int64_t count, const place* offsets,
            const byte* words, std::int64_t different, std::int64_t base, place* into_offsets,
            byte* into) {
    const std::vector<Padded> held =
        different <= FEW && !reasons ? padded(offsets, words, different) : std::vector<Padded>();
    if (!held.empty()) {
        const Padded* const all = held.data();
        for (std::int64_t cell = 0; cell < count; ++cell) {
            const Padded& word = all[codes[cell]];
            into_offsets[cell] = static_cast<place>(base);
            std::memcpy(into + base, word.text, SHORT);
            base += word.length;
        }
        into_offsets[count] = static_cast<place>(base);
        return;
    }
    for (std::int64_t cell = 0; cell < count; ++cell) {
        into_offsets[cell] = static_cast<place>(base);
        if (reasons && reasons[cell]) continue;
        const place from = offsets[codes[cell]];
        const std::int64_t length = offsets[codes[cell] + 1] - from;
        if (length <= SHORT)
            std::memcpy(into + base, words + from, SHORT);
        else
            std::memcpy(into + base, words + from, static_cast<std::size_t>(length));
        base += length;
    }
    into_offsets[count] = static_cast<place>(base);
}

std::int64_t match(const Runs& runs, const byte* words, const place* offsets, std::int64_t count,
                   std::int64_t* into) {
    // By length and first byte, which leaves few words to compare; an empty word matches an empty
    // run.
    place longest = 0;
    bool begins[256] = {};
    std::int64_t empty = -1, found = 0;
    for (std::int64_t word = count - 1; word >= 0; --word) {
        const place length = offsets[word + 1] - offsets[word];
        if (length > longest) longest = length;
        if (length)
            begins[words[offsets[word]]] = true;
        else
            empty = word;
    }
    for (std::int64_t cell = 0; cell < runs.count; ++cell) {
        const byte* at = runs.buffer + runs.starts[cell];
        const place length = runs.ends[cell] - runs.starts[cell];
        into[cell] = -1;
        if (length == 0) {
            into[cell] = empty;
            found += empty >= 0;
            continue;
        }
        if (length > longest || !begins[*at]) continue;
        for (std::int64_t word = 0; word < count; ++word) {
            if (offsets[word + 1] - offsets[word] == length &&
                std::memcmp(words + offsets[word], at, static_cast<std::size_t>(length)) == 0) {
                into[cell] = word;
                found += 1;
                break;
            }
        }
    }
    return found;
}

std::int64_t invalid_utf8(const byte* buffer, std::int64_t low, std::int64_t high) {
    // The well-formed sequences of The Unicode Standard, table 3-7.
    std::int64_t at = low;
    while (at < high) {
        for (; at + 8 <= high; at += 8) {
            const std::uint64_t beyond = fetch(buffer + at) & HIGH;
            if (beyond) {
                at += trailing_zeros(beyond) >> 3;
                break;
            }
        }
        if (at >= high) break;
        const byte lead = buffer[at];
        if (lead < 0x80) {  // in the last bytes
            at += 1;
            continue;
        }
        int more;
        byte least = 0x80, greatest = 0xBF;
        if (lead >= 0xC2 && lead <= 0xDF) {
            more = 1;
        } else if (lead >= 0xE0 && lead <= 0xEF) {
            more = 2;
            if (lead == 0xE0) least = 0xA0;
            if (lead == 0xED) greatest = 0x9F;
        } else if (lead >= 0xF0 && lead <= 0xF4) {
            more = 3;
            if (lead == 0xF0) least = 0x90;
            if (lead == 0xF4) greatest = 0x8F;
        } else {
            return at;
        }
        if (at + more >= high) return at;
        if (buffer[at + 1] < least || buffer[at + 1] > greatest) return at;
        for (int next = 2; next <= more; ++next)
            if ((buffer[at + next] & 0xC0) != 0x80) return at;
        at += more + 1;
    }
    return -1;
}

}  // namespace olive
