// A block of rows read in one go: split and converted piece by piece, while the text is near.

#include "rows.hpp"

#include "instructions.hpp"

#include <algorithm>
#include <memory>
#include <vector>

namespace olive {

namespace {

constexpr std::int64_t PIECE = 32 << 10;  // bytes, so that text and positions stay in the cache
constexpr std::int64_t MANY = 64;         // fields, of which a piece would hold few rows
constexpr std::int64_t WIDEST = 1 << 20;  // bytes of a piece, however many fields there are
constexpr std::int64_t RECORDS = 32 << 10;
constexpr std::int64_t SPARE = 64;
constexpr std::int64_t ENOUGH = 64;  // cells by which a column is given up

std::int64_t size_of(const Task& task) {
    return task.kind == Kind::texts || (task.kind == Kind::times && task.unit == Unit::days) ? 4 : 8;
}

// Texts of a piece behind those of the pieces before; false if they cannot be told.
template <class Cells>
bool put_side_by_side(Task& task, const Cells& cells, std::int64_t row) {
    place* const offsets = reinterpret_cast<place*>(task.values) + row;
    const Gathered done =
        gather_filled(cells, task.reasons + row, offsets, task.texts, task.told.blanks);
    if (done == Gathered::no_room) task.texts.data = nullptr;
    return done != Gathered::not_told;
}

// The cells of one column of a piece, which go to the rows from `row` on.
void take(Task& task, const CellsAt& cells, std::int64_t row) {
    if (task.kind == Kind::texts && task.texts.data) {
        put_side_by_side(task, Runs{cells.buffer, cells.starts, cells.ends, cells.count}, row);
        return;
    }
    if (task.starts && !(task.kind == Kind::texts && task.words)) {
        const std::size_t size = static_cast<std::size_t>(cells.count) * sizeof(place);
        std::memcpy(task.starts + row, cells.starts, size);
        std::memcpy(task.ends + row, cells.ends, size);
    }
    if (task.kind == Kind::positions) return;
    if (task.kind == Kind::texts) {
        const Runs runs{cells.buffer, cells.starts, cells.ends, cells.count};
        byte* const reasons = task.reasons + row;
        place* const codes = reinterpret_cast<place*>(task.values) + row;
        std::int64_t blanks = 0;
        if (task.words && encode_filled(runs, reasons, *task.words, codes, blanks)) {
            task.told.blanks += blanks;
            return;
        }
        task.told.blanks += blank(runs, reasons);
        if (task.words) {
            task.words = nullptr;
            task.told.left = 1;  // where the texts of earlier pieces stood has not been kept
        }
        return;
    }
    byte* const values = task.values + row * size_of(task);
    byte* const reasons = task.reasons + row;
    if (task.kind == Kind::times) {
        task.patterns.usual = &task.usual_pattern;
        task.told.add(in_use().read_times(cells, task.patterns, task.unit, values, reasons));
        return;
    }
    task.rule.habit = &task.habit;
    task.told.add(task.kind == Kind::integers
                      ? in_use().read_integers(cells, task.rule,
                                               reinterpret_cast<std::int64_t*>(values), reasons)
                      : in_use().read_floats(cells, task.rule, reinterpret_cast<double*>(values),
                                             reasons));
}

// Gives up the columns of which no cell of the first piece could be read: they are hardly of this type.
void give_up(Task* tasks, std::int64_t count, std::int64_t cells) {
    for (Task* task = tasks; task != tasks + count; ++task)
        if (task->kind != Kind::texts && cells >= ENOUGH && task->told.left == cells)
            task->told.left = Task::GIVEN_UP;
}

bool holds_name(const CellsAt& cells, Text name) {
    for (std::int64_t cell = 0; cell < cells.count; ++cell)
        if (cells.ends[cell] - cells.starts[cell] == name.size &&
            std::memcmp(cells.buffer + cells.starts[cell], name.data,
                        static_cast<std::size_t>(name.size)) == 0)
            return true;
    return false;
}

// A piece of text with whole records, and where their fields end.
class Records {
  public:
    Records(byte* buffer, Marks marks, std::int64_t fields)
        : buffer(buffer), marks(marks), fields(fields) {}

    std::int64_t count = 0, consumed = 0, open_quote = -1;
    bool even = true;  // every record has as many fields as it should
    Stopped found;

    // The records between two places; `final` if nothing follows.
    void find(std::int64_t low, std::int64_t high, bool final) {
        const std::size_t size = static_cast<std::size_t>(high - low + SPARE);
        if (room < 2 * size + 1) {
            room = 2 * size + 1;
            held.reset(new place[room]);  // of which little is used: not to be filled with zeros
        }
        place* const stops = held.get() + 1;
        quoted = stops + size;
        stops[-1] = static_cast<place>(low - 1);
        found = in_use().find_stops(buffer, low, high, marks, stops, quoted);
        slowly = !found.in_turn || (found.open && final);
        if (slowly) return find_slowly(low, high, final);
        count = found.records;
        even = count * fields <= found.count;
        const place* last = stops - 1;
        for (std::int64_t record = 0; even && record < count; ++record) {
            last += fields;
            even = buffer[*last] == '\n' || buffer[*last] == '\r';
        }
        if (!even) return;
        consumed = *last + 1;
        if (final && consumed < high) {
            even = found.count - count * fields == fields - 1;
            if (!even) return;
            stops[++count * fields - 1] = static_cast<place>(high);
            consumed = high;
        }
    }

    // Does no record but end with a line?
    bool plain() const { return !slowly && !found.quoted; }

    // Line ends before each record, `lines[0]` before the first one.
    void count_lines(std::int64_t* lines) const {
        for (std::int64_t record = 1; slowly && record <= count; ++record)
            lines[record] = lines[0] + own_lines[static_cast<std::size_t>(record)];
        if (slowly) return;
        const place* const stops = held.get() + 1;
        std::int64_t within = 0;
        for (std::int64_t record = 1; record <= count; ++record) {
            while (within < found.quoted && quoted[within] < stops[record * fields - 1]) ++within;
            lines[record] = lines[0] + record + within;
        }
    }

    // Where one field of each record starts and ends; returns how many have to be closed up.
    std::int64_t column(std::int64_t field, place* starts, place* ends) const {
        if (slowly) return slow_column(field, starts, ends);
        const bool pairs = field == fields - 1 && found.survey.pairs;
        if (pairs) return found.quotes ? located<true, true>(field, starts, ends)
                                       : located<true, false>(field, starts, ends);
        return found.quotes ? located<false, true>(field, starts, ends)
                            : located<false, false>(field, starts, ends);
    }

    // The stop before one field of the first record, where fields can be read as they lie: numbers and
    // times, unless they are quoted.
    const place* stops_of(std::int64_t field) const {
        if (slowly || (field == fields - 1 && found.survey.pairs)) return nullptr;
        return held.get() + field;
    }

    // May one of the first fields be this name?
    bool may_hold(Text name) const {
        const place* at = held.get();
        for (std::int64_t record = 0; !slowly && record < count; ++record, at += fields) {
            const std::int64_t size = at[1] - at[0] - 1;
            const byte first = buffer[at[0] + 1];
            if ((size == name.size && first == *name.data) ||
                (size > name.size && first == static_cast<byte>(marks.quote)))
                return true;
        }
        return slowly;
    }

    bool holds_quoted(std::int64_t field) const {
        const place* at = held.get() + field;
        bool quoted = false;
        for (std::int64_t record = 0; found.quotes && record < count; ++record, at += fields)
            quoted |= buffer[at[0] + 1] == static_cast<byte>(marks.quote);
        return quoted;
    }

  private:
    template <bool PAIRS, bool QUOTES>
    std::int64_t located(std::int64_t field, place* starts, place* ends) const {
        const byte* const text = buffer;
        const byte quote = static_cast<byte>(marks.quote);
        const bool whole = !found.doubled;
        const place* at = held.get() + field;
        std::int64_t closing = 0;
        for (std::int64_t record = 0; record < count; ++record, at += fields) {
            place start = at[0] + 1, end = at[1];
            if (PAIRS) end -= end > start && text[end] == '\n' && text[end - 1] == '\r';
            if (QUOTES && text[start] == quote) {
                if (whole && end - 1 > start && text[end - 1] == quote) {
                    start += 1;
                    end -= 1;
                } else {
                    closing += !unwrapped(buffer, quote, start, end);
                }
            }
            starts[record] = start;
            ends[record] = end;
        }
        return closing;
    }

    // Where quotes do not open and close in turn.
    void find_slowly(std::int64_t low, std::int64_t high, bool final) {
        rows = found.survey.feeds + found.survey.returns + 1;
        slow.resize(static_cast<std::size_t>(2 * rows * fields));
        own_lines.resize(static_cast<std::size_t>(rows + 1));
        place* const starts = slow.data();
        Borders borders{starts, starts + rows * fields, nullptr, nullptr, own_lines.data(), rows, fields};
        Outcome told;
        split_slowly(buffer, low, high, marks, final, borders, told);
        count = told.records;
        consumed = told.consumed;
        even = told.even;
        if (final) open_quote = told.open_quote;
    }

    std::int64_t slow_column(std::int64_t field, place* starts, place* ends) const {
        const place* const from = slow.data() + field * rows;
        const std::size_t size = static_cast<std::size_t>(count) * sizeof(place);
        std::memcpy(starts, from, size);
        std::memcpy(ends, from + rows * fields, size);
        std::int64_t closing = 0;
        for (std::int64_t record = 0; record < count; ++record) closing += ends[record] < 0;
        return closing;
    }

    byte* buffer;
    Marks marks;
    std::int64_t fields, rows = 0;
    bool slowly = false;
    std::size_t room = 0;
    std::unique_ptr<place[]> held;
    std::vector<place> slow;
    place* quoted = nullptr;  // in `held`, behind the stops: line ends within quotes
    std::vector<std::int64_t> own_lines;
};

// Texts as they lie between stops; false if they cannot be told so.
bool tell_between(Task& task, const Records& records, const byte* buffer, byte quote,
                  std::int64_t fields, std::int64_t row) {
    const bool apart = task.words || task.texts.data;
    const place* const stops = apart ? records.stops_of(task.field) : nullptr;
    if (!stops || records.found.doubled) return false;
    const Fields cells{buffer, stops, fields, records.count,
                       records.found.quotes ? quote : static_cast<byte>(0)};
    if (task.texts.data) return put_side_by_side(task, cells, row);
    place* const codes = reinterpret_cast<place*>(task.values) + row;
    std::int64_t blanks = 0;
    if (!encode_filled(cells, task.reasons + row, *task.words, codes, blanks)) return false;
    task.told.blanks += blanks;
    return true;
}

// Numbers and times as they lie between stops; false if some of them are quoted, or cannot be so.
bool take_between(Task& task, const Records& records, const byte* buffer, std::int64_t fields,
                  std::int64_t row) {
    if (task.kind == Kind::positions || task.kind == Kind::texts || task.quoted) return false;
    const place* const stops = records.stops_of(task.field);
    if (!stops) return false;
    const NumbersTold before = task.told;
    take(task, {buffer, nullptr, nullptr, 0, fields, 0, records.count, stops}, row);
    if (task.told.left == before.left || !records.holds_quoted(task.field)) return true;
    task.told = before;
    task.quoted = true;
    return false;
}

}  // namespace

RowsTold read_rows(byte* buffer, bool changeable, std::int64_t low, std::int64_t high, Marks marks,
                   bool final, std::int64_t fields, std::int64_t room, std::int64_t* lines,
                   Text name, Task* tasks, std::int64_t count) {
    RowsTold all;
    all.consumed = low;
    std::int64_t piece = fields > MANY ? std::clamp(512 * fields, 3 * PIECE, WIDEST) : PIECE, at = low;
    Records records(buffer, marks, fields);
    std::vector<place> starts, ends;
    while (at < high) {
        const std::int64_t stop = at + piece < high ? at + piece : high;
        const bool last = stop == high, ended = last && final;
        // a carriage return at the border of a piece may be half of a line end
        const std::int64_t until = !last && buffer[stop - 1] == '\r' ? stop - 1 : stop;
        records.find(at, until, ended);
        if (!records.even) {
            all.status = Status::uneven;
            return all;
        }
        if (records.open_quote >= 0) all.open_quote = records.open_quote;
        if (!records.count) {
            if (last) break;
            piece *= 2;
            continue;  // a record longer than a piece
        }
        if (all.count + records.count > room) {
            all.status = Status::full;
            return all;
        }
        const Survey behind =
            in_use().survey(buffer, records.consumed, until, Marks{-1, 0, true});
        const Survey& within = records.found.survey;
        all.line_ends += within.feeds + within.returns - within.pairs -
                         (behind.feeds + behind.returns - behind.pairs);
        all.ascii &= within.ascii;
        if (all.plain && !records.plain()) {
            for (std::int64_t row = 0; row <= all.count; ++row) lines[row] = row;
            all.plain = false;
        }
        if (!all.plain) records.count_lines(lines + all.count);
        starts.resize(static_cast<std::size_t>(records.count));
        ends.resize(starts.size());
        const CellsAt cells{buffer, starts.data(), ends.data(), 0, 0, 0, records.count};
        const bool may_name = name.size && records.may_hold(name);
        bool named = false;
        const auto locate = [&](std::int64_t field) {
            const std::int64_t closing = records.column(field, starts.data(), ends.data());
            if (closing && !changeable) return false;
            if (closing) close_up(buffer, marks.quote, starts.data(), ends.data(), records.count);
            if (field == 0 && may_name) {
                all.has_name |= holds_name(cells, name);
                named = true;
            }
            return true;
        };
        bool can = !records.found.doubled || changeable;
        for (std::int64_t each = 0; can && each < count; ++each) {
            Task& task = tasks[each];
            if (task.given_up()) {  // it is read later, from fields that are closed up
                if (records.found.doubled) can = locate(task.field);
                continue;
            }
            const bool done = task.kind == Kind::texts
                                  ? tell_between(task, records, buffer, static_cast<byte>(marks.quote),
                                                 fields, all.count)
                                  : take_between(task, records, buffer, fields, all.count);
            if (done) continue;
            can = locate(task.field);
            if (can) take(task, cells, all.count);
        }
        if (can && may_name && !named) can = locate(0);
        if (!can) {
            all.status = Status::needs_copy;
            return all;
        }
        if (all.count == 0) give_up(tasks, count, records.count);
        all.count += records.count;
        at = all.consumed = records.consumed;
    }
    return all;
}

void read_records(const byte* buffer, std::int64_t first, std::int64_t stride, std::int64_t rows,
                  Task* tasks, std::int64_t count) {
    const std::int64_t step = (RECORDS / (stride > 0 ? stride : 1) / 64 + 1) * 64;
    for (std::int64_t row = 0; row < rows; row += step) {
        const std::int64_t some = rows - row < step ? rows - row : step;
        for (std::int64_t each = 0; each < count; ++each) {
            Task& task = tasks[each];
            const CellsAt cells{buffer,     nullptr, nullptr, first + row * stride + task.field, stride,
                                task.width, some};
            if (!task.given_up()) take(task, cells, row);
        }
        if (row == 0) give_up(tasks, count, some);
    }
}

}  // namespace olive
