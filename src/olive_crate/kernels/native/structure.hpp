// Where records and fields begin and end in a block of delimited text.
#pragma once

#include "common.hpp"

namespace olive {

struct Marks {
    int delimiter;  // -1: none, one field a line
    int quote;      // 0: none
    bool returns;   // there may be carriage returns
};

struct Survey {
    std::int64_t delimiters = 0, feeds = 0, returns = 0, pairs = 0, quotes = 0;
    bool ascii = true;
};

// A guess where the last record ends, and what was met up to the end of the piece.
struct Seen {
    std::int64_t cut = 0, feeds = 0, returns = 0, quotes = 0, records = 0;
};

// What was met between two places: fields end at so many stops, of which the line ends make records.
struct Stopped {
    std::int64_t count = 0, records = 0;
    std::int64_t quoted = 0;  // line ends within quotes
    Survey survey;            // of the bytes: line ends, ASCII
    bool in_turn = true;      // quotes open and close in turn
    bool quotes = false;
    bool doubled = false;     // a quote opens right behind one that closes
    bool open = false;        // at the end
};

// Where the fields go. `fields` above 0: field by field, `room` rows each, and every record must
// have just so many; once there is no more room, the rest is left. Else one behind the other, with
// the index of each record's first field.
struct Borders {
    place* starts;
    place* ends;
    std::int64_t* record;  // flat only: one more than records
    std::int64_t* heads;   // flat only
    std::int64_t* lines;   // line ends before each record, one more than records
    std::int64_t room;
    std::int64_t fields;
};

struct Outcome {
    std::int64_t fields = 0, records = 0, consumed = 0, open_quote = -1;
    std::int64_t closing = 0;  // fields whose text has to be closed up; their ends are stored as ~end
    bool even = true;  // every record has as many fields as it should
};

// A field that begins with a quote: its borders move in, or it is marked to be closed up.
template <class At>
inline bool unwrapped(const byte* buffer, byte quote, At& first, At& end) {
    At next = first + 1;
    const std::uint64_t wanted = ONES * quote;
    for (; next < end; next += 8) {
        const std::uint64_t other = fetch(buffer + next) ^ wanted;
        const std::uint64_t hits = (other - ONES) & ~other & HIGH;
        if (hits) {
            next += trailing_zeros(hits) >> 3;
            break;
        }
    }
    if (next == end - 1) {
        first += 1;
        end -= 1;
        return true;
    }
    end = ~end;
    return false;
}

// The same by one byte after the other, where quotes do not simply open and close in turn.
void split_slowly(const byte*, std::int64_t, std::int64_t, Marks, bool, Borders&, Outcome&);

// Moves the text of marked fields together over the quotes that are not part of it.
void close_up(byte* buffer, int quote, place* starts, place* ends, std::int64_t count);

}  // namespace olive
