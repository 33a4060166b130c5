// Records one behind another: a kind and a length, two bytes each, low byte first, and the data.
#pragma once

#include "common.hpp"

namespace olive {

// Where the data of each record begin, from `at` on to the end of the part that begins there: parts
// lie in one another. -1 where the data end before it.
inline std::int64_t record_places(const byte* data, std::int64_t size, std::int64_t at,
                                  unsigned begins, unsigned ends, std::uint16_t* kinds,
                                  std::int64_t* places) {
    std::int64_t count = 0, depth = 0;
    while (at + 4 <= size) {
        const unsigned kind = data[at] | data[at + 1] << 8;
        const std::int64_t length = data[at + 2] | data[at + 3] << 8;
        kinds[count] = static_cast<std::uint16_t>(kind);
        places[count++] = at + 4;
        at += 4 + length;
        if (at > size) return -1;
        depth += kind == begins;
        depth -= kind == ends;
        if (kind == ends && depth <= 0) return count;
    }
    return -1;
}

// Numbers of so many bytes (2, 4 or 8), high byte first, that begin at these places; false where one
// of them does not lie in the data.
inline bool big_endian(const byte* data, std::int64_t size, const std::int64_t* at,
                       std::int64_t count, int width, std::int64_t* numbers) {
    for (std::int64_t i = 0; i < count; ++i) {
        if (at[i] < 0 || at[i] > size - 8) return false;
        const std::uint64_t word = swapped(fetch(data + at[i]));  // shifted to the sign
        numbers[i] = static_cast<std::int64_t>(word) >> (64 - 8 * width);
    }
    return true;
}

}  // namespace olive
