// What `lanes.inl` gives, for processors on which cells are read one by one.
#pragma once

#include "numbers.hpp"

namespace olive {

struct NoLanes {
    static constexpr bool THERE = false;
    static bool read_one(const byte*, std::int64_t, byte, byte, Numerals&) { return false; }

    // Dates of up to sixteen bytes in which everything stands at its place.
    class Dates {
      public:
        Dates(const std::uint64_t* literals, const std::uint64_t* literal_masks,
              const std::uint64_t* digit_masks, int year, int month, int day)
            : literal{literals[0], literals[1]}, literal_mask{literal_masks[0], literal_masks[1]},
              digit_mask{digit_masks[0], digit_masks[1]}, year(year), month(month), day(day) {}

        // Century, year of it, month and day, 16 bits each; false for what is not written so.
        bool read(const byte* at, std::uint64_t& parts) const {
            std::uint64_t wrong = 0;
            for (int word = 0; word < 2; ++word) {
                const std::uint64_t held = fetch(at + 8 * word);
                const std::uint64_t plain = (held ^ ZEROS) & digit_mask[word];
                wrong |= (held & literal_mask[word]) ^ literal[word];
                wrong |= ((plain + 0x7676767676767676ull) | plain) & HIGH;
            }
            parts = two(at + year) | two(at + year + 2) << 16 | two(at + month) << 32 |
                    two(at + day) << 48;
            return wrong == 0;
        }

      private:
        static std::uint64_t two(const byte* at) {
            return static_cast<std::uint64_t>((at[0] - '0') * 10 + (at[1] - '0')) & 0xFFFF;
        }
        std::uint64_t literal[2], literal_mask[2], digit_mask[2];
        int year, month, day;
    };
};

}  // namespace olive
