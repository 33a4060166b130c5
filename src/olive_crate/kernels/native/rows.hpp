// A block of rows read in one go: split and converted piece by piece, while the text is near.
#pragma once

#include "structure.hpp"
#include "texts.hpp"
#include "times.hpp"

namespace olive {

enum class Kind { positions = 0, integers = 1, numbers = 2, times = 3, texts = 4 };

// What is wanted of one column, and where it goes. `starts` and `ends` may be null.
struct Task {
    Kind kind = Kind::positions;
    std::int64_t field = 0;  // delimited: which; fixed: where it begins in a record
    std::int64_t width = 0;  // fixed only
    NumberRule rule{};
    Habit habit;
    Patterns patterns{};
    int usual_pattern = 0;
    Unit unit = Unit::days;
    byte* values = nullptr;  // of texts: numbers of the different ones, or offsets
    Room texts;              // where they are put side by side; without data once that is too small
    Words* words = nullptr;  // where texts are told apart; null once there are too many
    byte* reasons = nullptr;
    place* starts = nullptr;
    place* ends = nullptr;
    bool quoted = false;  // cells begin with a quote
    NumbersTold told;

    static constexpr std::int64_t GIVEN_UP = -1;  // in place of how many cells were left
    bool given_up() const { return told.left == GIVEN_UP; }
};

enum class Status { done = 0, uneven = 1, needs_copy = 2, full = 3 };

struct RowsTold {
    Status status = Status::done;
    std::int64_t count = 0, consumed = 0, open_quote = -1;
    std::int64_t line_ends = 0;  // counted in the bytes, apart from the records
    bool ascii = true;
    bool has_name = false;
    bool plain = true;  // no line end within a record: `lines` has not been written
};

// Delimited records, each of which must have just `fields` fields. `changeable` says that the buffer
// may be written to, to close up fields with doubled quotes; `lines`, the line ends before each
// record, has room for one more than the records.
RowsTold read_rows(byte* buffer, bool changeable, std::int64_t low, std::int64_t high, Marks marks,
                   bool final, std::int64_t fields, std::int64_t room, std::int64_t* lines,
                   Text name, Task* tasks, std::int64_t count);

// Records of one length at equal distances.
void read_records(const byte* buffer, std::int64_t first, std::int64_t stride, std::int64_t rows,
                  Task* tasks, std::int64_t count);

}  // namespace olive
