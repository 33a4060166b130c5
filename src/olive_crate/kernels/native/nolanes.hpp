// What `lanes.inl` gives, for processors on which cells are read one by one.
#pragma once

#include "numbers.hpp"
#include "shape.hpp"

namespace olive {

struct NoLanes {
    static constexpr bool THERE = false;

    // Reads a cell by its shape; false for what is not written so, or beyond what a pair may be.
    struct Placed {
        const Shape& shape;
        bool read(const byte* at, Sums& found) const { return read_placed(shape, at, found); }
        bool read_named(const byte*, int, Sums&) const { return false; }
        bool read_outlined(const byte*, Sums&) const { return false; }
    };

    static std::uint32_t others(const byte*) { return 0; }

    static bool read_placed(const Shape& shape, const byte* at, Sums& found) {
        std::uint64_t wrong = 0;
        for (int word = 0; word < Shape::MOST; word += 8) {
            const std::uint64_t held = fetch(at + (word < 16 ? word : shape.last + word - 16));
            const std::uint64_t plain = (held ^ ZEROS) & fetch(shape.digits + word);
            wrong |= (held & fetch(shape.literals + word)) ^ fetch(shape.literal + word);
            wrong |= ((plain + 0x7676767676767676ull) | plain) & HIGH;
        }
        if (wrong) return false;
        int pairs[8] = {};
        for (int pair = 0; pair < Shape::none; ++pair) {
            for (int digit = 2 * pair; digit < 2 * pair + 2; ++digit) {
                const byte near = shape.order[digit], far = shape.order[16 + digit];
                const int value = near < 16 ? at[near] - '0' : far < 16 ? at[shape.last + far] - '0' : 0;
                pairs[pair] = 10 * pairs[pair] + value;
            }
            const int more = pairs[pair] - shape.least[pair];
            if (more < 0 || more > shape.span[pair]) return false;
        }
        found.months = 1200 * pairs[0] + 12 * pairs[1] + pairs[2];
        found.day = pairs[3];
        found.seconds = 3600 * pairs[4] + 60 * pairs[5] + pairs[6];
        found.of_century = pairs[1];
        found.hour = pairs[4];
        return true;
    }
};

}  // namespace olive
