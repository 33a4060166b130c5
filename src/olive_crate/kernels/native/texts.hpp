// Text out of a buffer: blanks around it, runs side by side, words told apart.
#pragma once

#include "common.hpp"

namespace olive {

struct Runs {
    const byte* buffer;
    const place* starts;
    const place* ends;
    std::int64_t count;
};

// Starts and ends without the blanks around; returns how many cells changed.
std::int64_t trim(const Runs&, bool left, bool right, place* starts, place* ends);

// Which cells are empty or blank; returns how many.
std::int64_t blank(const Runs&, byte* into);

// How many bytes the runs have together; those with a reason have none.
std::int64_t total_length(const Runs&, const byte* reasons);

// The runs side by side, and the offset of each and of the end. `data` has 32 bytes to spare.
void gather(const Runs&, const byte* reasons, place* offsets, byte* data);

// For each run its place among the different ones (those with a reason: 0), and for each different
// one the first cell that holds it. Returns how many there are, or -1 if more than `most`.
std::int64_t encode(const Runs&, const byte* reasons, place* codes, place* firsts,
                    std::int64_t most);

// For each run the place of the word that it is, or -1; returns how many are words.
std::int64_t match(const Runs&, const byte* words, const place* offsets, std::int64_t count,
                   std::int64_t* into);

// Where the first byte stands that is not of valid UTF-8; -1 if all is valid.
std::int64_t invalid_utf8(const byte* buffer, std::int64_t low, std::int64_t high);

}  // namespace olive
