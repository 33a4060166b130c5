// Text out of a buffer: blanks around it, runs side by side, words told apart.

#include "texts.hpp"

#include <vector>

namespace olive {

namespace {

inline std::uint64_t mixed(std::uint64_t value) {
    value ^= value >> 32;
    value *= 0x9E3779B97F4A7C15ull;
    return value ^ (value >> 29);
}

// The first bytes of a run as a word, zeros behind its end.
inline std::uint64_t first_bytes(const byte* at, std::int64_t length) {
    const std::uint64_t word = fetch(at);
    return length >= 8 ? word : word & ((1ull << (8 * length)) - 1);
}

inline std::uint64_t hashed(const byte* at, std::int64_t length) {
    std::uint64_t value = static_cast<std::uint64_t>(length) * 0xD6E8FEB86659FD93ull;
    while (length > 8) {
        value = mixed(value ^ fetch(at));
        at += 8;
        length -= 8;
    }
    return mixed(value ^ first_bytes(at, length));
}

inline bool same(const byte* one, const byte* two, std::int64_t length) {
    while (length > 8) {
        if (fetch(one) != fetch(two)) return false;
        one += 8;
        two += 8;
        length -= 8;
    }
    return first_bytes(one, length) == first_bytes(two, length);
}

}  // namespace

std::int64_t trim(const Runs& runs, bool left, bool right, place* starts, place* ends) {
    std::int64_t changed = 0;
    for (std::int64_t cell = 0; cell < runs.count; ++cell) {
        place start = runs.starts[cell], end = runs.ends[cell];
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

void gather(const Runs& runs, const byte* reasons, place* offsets, byte* data) {
    std::int64_t at = 0;
    for (std::int64_t cell = 0; cell < runs.count; ++cell) {
        offsets[cell] = static_cast<place>(at);
        if (reasons && reasons[cell]) continue;
        const byte* from = runs.buffer + runs.starts[cell];
        const std::int64_t length = runs.ends[cell] - runs.starts[cell];
        if (length <= 16) {
            std::memcpy(data + at, from, 16);
        } else if (length <= 32) {
            std::memcpy(data + at, from, 32);
        } else {
            std::memcpy(data + at, from, static_cast<std::size_t>(length));
        }
        at += length;
    }
    offsets[runs.count] = static_cast<place>(at);
}

std::int64_t encode(const Runs& runs, const byte* reasons, place* codes, place* firsts,
                    std::int64_t most) {
    struct Slot {
        std::uint64_t hash;
        place code;
    };
    std::size_t size = 64;
    std::vector<Slot> table(size, Slot{0, -1});
    place known = 0;
    for (std::int64_t cell = 0; cell < runs.count; ++cell) {
        codes[cell] = 0;
        if (reasons && reasons[cell]) continue;
        const byte* at = runs.buffer + runs.starts[cell];
        const std::int64_t length = runs.ends[cell] - runs.starts[cell];
        const std::uint64_t hash = hashed(at, length);
        std::size_t slot = hash & (size - 1);
        while (true) {
            const Slot& held = table[slot];
            if (held.code < 0) break;
            if (held.hash == hash) {
                const place first = firsts[held.code];
                if (runs.ends[first] - runs.starts[first] == length &&
                    same(runs.buffer + runs.starts[first], at, length))
                    break;
            }
            slot = (slot + 1) & (size - 1);
        }
        if (table[slot].code >= 0) {
            codes[cell] = table[slot].code;
            continue;
        }
        if (known >= most) return -1;
        firsts[known] = static_cast<place>(cell);
        codes[cell] = known;
        table[slot] = {hash, known};
        known += 1;
        if (2 * static_cast<std::size_t>(known) > size) {
            std::vector<Slot> wider(4 * size, Slot{0, -1});
            size *= 4;
            for (const Slot& each : table) {
                if (each.code < 0) continue;
                std::size_t to = each.hash & (size - 1);
                while (wider[to].code >= 0) to = (to + 1) & (size - 1);
                wider[to] = each;
            }
            table.swap(wider);
        }
    }
    return known;
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
        while (at + 8 <= high && !(fetch(buffer + at) & HIGH)) at += 8;
        if (at >= high) break;
        const byte lead = buffer[at];
        if (lead < 0x80) {
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
