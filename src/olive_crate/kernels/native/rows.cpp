// A block of rows read in one go: split and converted piece by piece, while the text is near.

#include "rows.hpp"

#include "instructions.hpp"

#include <vector>

namespace olive {

namespace {

constexpr std::int64_t PIECE = 64 << 10;      // bytes, so that text and positions stay in the cache
constexpr std::int64_t POSITIONS = 16 << 10;  // of each kind, for the same reason
constexpr std::int64_t MANY = 64;  // fields, of which a piece would hold few rows
constexpr std::int64_t RECORDS = 16 << 10;

std::int64_t size_of(const Task& task) {
    return task.kind == Kind::texts || (task.kind == Kind::times && task.unit == Unit::days) ? 4 : 8;
}

// The cells of one column of a piece, which go to the rows from `row` on.
void take(Task& task, const CellsAt& cells, std::int64_t row) {
    if (task.starts && !(task.kind == Kind::texts && task.words)) {
        const std::size_t size = static_cast<std::size_t>(cells.count) * sizeof(place);
        std::memcpy(task.starts + row, cells.starts, size);
        std::memcpy(task.ends + row, cells.ends, size);
    }
    if (task.kind == Kind::positions) return;
    if (task.kind == Kind::texts) {
        const Runs runs{cells.buffer, cells.starts, cells.ends, cells.count};
        task.told.blanks += blank(runs, task.reasons + row);
        place* const codes = reinterpret_cast<place*>(task.values) + row;
        if (task.words && !encode(runs, task.reasons + row, *task.words, codes)) {
            task.words = nullptr;
            task.told.left = 1;  // where the texts of earlier pieces stood has not been kept
        }
        return;
    }
    byte* const values = task.values + row * size_of(task);
    byte* const reasons = task.reasons + row;
    if (task.kind == Kind::times) {
        task.told.left += in_use().read_times(cells, task.pattern, task.unit, values, reasons);
        return;
    }
    task.told.add(task.kind == Kind::integers
                      ? in_use().read_integers(cells, task.rule,
                                               reinterpret_cast<std::int64_t*>(values), reasons)
                      : in_use().read_floats(cells, task.rule, reinterpret_cast<double*>(values),
                                             reasons));
}

bool holds_name(const CellsAt& cells, Text name) {
    for (std::int64_t cell = 0; cell < cells.count; ++cell)
        if (cells.ends[cell] - cells.starts[cell] == name.size && *cells.begin(cell) == *name.data &&
            std::memcmp(cells.begin(cell), name.data, static_cast<std::size_t>(name.size)) == 0)
            return true;
    return false;
}

}  // namespace

RowsTold read_rows(byte* buffer, bool changeable, std::int64_t low, std::int64_t high, Marks marks,
                   bool final, std::int64_t fields, std::int64_t room, std::int64_t* lines,
                   Text name, Task* tasks, std::int64_t count) {
    RowsTold all;
    all.consumed = low;
    std::int64_t piece = fields > MANY ? 3 * PIECE : PIECE, at = low;
    // Rows of a piece; strips of the fields begin in different lines of the cache.
    const std::int64_t rows = (POSITIONS / fields + 15) / 16 * 16 + 80;
    std::vector<place> all_places(static_cast<std::size_t>(2 * rows * fields + 40));
    std::vector<std::int64_t> own_lines(static_cast<std::size_t>(rows + 1));
    place* const starts = all_places.data();
    place* const ends = starts + rows * fields + 40;
    lines[0] = 0;
    while (at < high) {
        const std::int64_t stop = at + piece < high ? at + piece : high;
        const bool last = stop == high;
        Borders borders{starts, ends, nullptr, nullptr, own_lines.data(), rows, fields};
        Outcome told;
        // a carriage return at the border of a piece may be half of a line end
        const std::int64_t until = !last && buffer[stop - 1] == '\r' ? stop - 1 : stop;
        const bool ended = last && final;
        if (!in_use().split(buffer, at, until, marks, ended, borders, told)) {
            told = Outcome();
            split_slowly(buffer, at, until, marks, ended, borders, told);
        }
        if (!told.even || all.count + told.records > room) {
            all.status = Status::uneven;
            return all;
        }
        if (told.open_quote >= 0 && ended) all.open_quote = told.open_quote;
        if (told.closing && !changeable) {
            all.status = Status::needs_copy;
            return all;
        }
        if (!told.records) {
            if (last) break;
            piece *= 2;
            continue;  // a record longer than a piece
        }
        const Survey survey = in_use().survey(buffer, at, told.consumed, Marks{-1, 0, true});
        all.line_ends += survey.feeds + survey.returns - survey.pairs;
        all.ascii &= survey.ascii;
        if (told.closing)
            for (std::int64_t field = 0; field < fields; ++field)
                close_up(buffer, marks.quote, starts + field * rows, ends + field * rows,
                         told.records);
        for (std::int64_t row = 1; row <= told.records; ++row)
            lines[all.count + row] = lines[all.count] + own_lines[static_cast<std::size_t>(row)];
        for (std::int64_t each = 0; each < count; ++each) {
            const std::int64_t first = tasks[each].field * rows;
            const CellsAt cells{buffer, starts + first, ends + first, 0, 0, 0, told.records};
            take(tasks[each], cells, all.count);
        }
        if (name.size)
            all.has_name |= holds_name(
                {buffer, starts, ends, 0, 0, 0, told.records}, name);
        all.count += told.records;
        at = all.consumed = told.consumed;
        if (last && told.records < rows) break;
    }
    return all;
}

void read_records(const byte* buffer, std::int64_t first, std::int64_t stride, std::int64_t rows,
                  Task* tasks, std::int64_t count) {
    const std::int64_t step = RECORDS / (stride > 0 ? stride : 1) + 1;
    for (std::int64_t row = 0; row < rows; row += step) {
        const std::int64_t some = rows - row < step ? rows - row : step;
        for (std::int64_t each = 0; each < count; ++each) {
            Task& task = tasks[each];
            const CellsAt cells{buffer,     nullptr, nullptr, first + row * stride + task.field, stride,
                                task.width, some};
            take(task, cells, row);
        }
    }
}

}  // namespace olive
