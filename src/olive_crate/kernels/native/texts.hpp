// Text out of a buffer: blanks around it, runs side by side, words told apart.
#pragma once

#include <type_traits>
#include <vector>

#include "common.hpp"

namespace olive {

struct Runs {
    const byte* buffer;
    const place* starts;
    const place* ends;
    std::int64_t count;
};

// Fields of a column as they lie between stops, each so many stops behind the one before; those that
// begin and end with a quote (0: none) hold what stands between.
struct Fields {
    const byte* buffer;
    const place* stops;
    std::int64_t step, count;
    byte quote;
};

// Starts and ends without the blanks around; returns how many cells changed.
std::int64_t trim(const Runs&, bool left, bool right, place* starts, place* ends);

// Which cells are empty or blank; returns how many.
std::int64_t blank(const Runs&, byte* into);

// How many bytes the runs have together; those with a reason have none.
std::int64_t total_length(const Runs&, const byte* reasons);

// The runs side by side in `data`, which has 32 bytes to spare, and the offset of each and of the end.
void gather(const Runs&, const byte* reasons, place* offsets, byte* data);

// Where texts are put side by side, with 32 bytes to spare.
struct Room {
    byte* data = nullptr;
    std::int64_t size = 0, filled = 0;
};

enum class Gathered { all, no_room, not_told };

// Texts side by side behind those that are there, with the offset of each and of the end; which are
// empty or blank, and adds how many. Nothing is told where there is no room for all of them.
Gathered gather_filled(const Runs&, byte* reasons, place* offsets, Room& into, std::int64_t& blanks);

// The same of fields; nothing either where one begins with a quote and does not end with it.
Gathered gather_filled(const Fields&, byte* reasons, place* offsets, Room& into, std::int64_t& blanks);

// Different texts, numbered as they come.
class Words {
  public:
    // No more than `most`; there may be about as many as `expected`.
    explicit Words(std::int64_t most, std::int64_t expected = 0);
    std::int64_t count() const { return static_cast<std::int64_t>(offsets.size()) - 1; }

    std::vector<byte> bytes;
    std::vector<place> offsets;

  private:
    friend bool encode(const Runs&, const byte*, Words&, place*);
    friend bool encode_filled(const Runs&, byte*, Words&, place*, std::int64_t&);
    friend bool encode_filled(const Fields&, byte*, Words&, place*, std::int64_t&);
    template <bool WRITTEN>
    using Reasons = std::conditional_t<WRITTEN, byte*, const byte*>;
    template <bool FINDS_BLANKS, class Cells>
    bool number(const Cells, Reasons<FINDS_BLANKS>, place* codes, std::int64_t& blanks);
    // A text of up to 16 bytes as a whole, a longer one by its hash.
    struct Slot {
        std::uint64_t low = 0, high = 0;
        place length = -1, number = -1;
    };
    // The number of a text, which is added if it is new; -1 if there are too many.
    place number_of(const byte* at, std::int64_t length);
    bool is(const Slot&, const byte* at) const;
    void widen();
    std::vector<Slot> slots;
    int shift;  // what a product leaves as the index of a slot
    std::int64_t most;
};

// For each run the number of its text (0 for one with a reason); false if there are too many.
bool encode(const Runs&, const byte* reasons, Words& words, place* codes);

// The same, and which cells are empty or blank: adds how many these are.
bool encode_filled(const Runs&, byte* reasons, Words& words, place* codes, std::int64_t& blanks);

// The same of fields; false also where one begins with a quote and does not end with it.
bool encode_filled(const Fields&, byte* reasons, Words& words, place* codes, std::int64_t& blanks);

// A number for each run, the same for the same text: different numbers are different texts.
void hashes(const Runs&, std::uint64_t* into);

// Numbers of texts as the texts side by side: their length, and they themselves from `base` on.
std::int64_t spread_length(const place* codes, const byte* reasons, std::int64_t count,
                           const place* offsets, std::int64_t words);
void spread(const place* codes, const byte* reasons, std::int64_t count, const place* offsets,
            const byte* words, std::int64_t different, std::int64_t base, place* into_offsets,
            byte* into);

// For each run the place of the word that it is, or -1; returns how many are words.
std::int64_t match(const Runs&, const byte* words, const place* offsets, std::int64_t count,
                   std::int64_t* into);

// Where the first byte stands that is not of valid UTF-8; -1 if all is valid.
std::int64_t invalid_utf8(const byte* buffer, std::int64_t low, std::int64_t high);

}  // namespace olive
