// The kernels as a Python module. Buffers are NumPy's own memory, read and written in place; the
// interpreter is free for other threads while a kernel runs. The files in `kernels/compiled` give
// each of these its meaning in Python. A new kernel is a function here and a line in METHODS.

#include "binding.hpp"

#include <memory>

#include "figures.hpp"
#include "instructions.hpp"
#include "opendocument.hpp"
#include "records.hpp"
#include "rows.hpp"
#include "sheet.hpp"
#include "structure.hpp"
#include "texts.hpp"
#include "times.hpp"

namespace {

using namespace olive;

template <class T>
void require_within(const Lent<T>& buffer, Int low, Int high) {
    require(0 <= low && low <= high && high <= buffer.bytes(), "outside of the buffer");
}

// Cells by starts and ends, or (both empty) by first, stride and width.
CellsAt cells_of(const In<byte>& buffer, const In<place>& starts, const In<place>& ends, Int first,
                 Int stride, Int width, Int& count) {
    require(starts.bytes() == ends.bytes(), "as many starts as ends are needed");
    if (starts.empty() && count) {
        const Int last = first + (count - 1) * stride;
        require(count > 0 && first >= 0 && stride >= 0 && width >= 0 && last + width <= buffer.bytes(),
                "cells lie outside of the buffer");
    } else {
        count = starts.count();
    }
    return {buffer.data(), starts.or_none(), ends.or_none(), first, stride, width, count};
}

Runs runs_of(const In<byte>& buffer, const In<place>& starts, const In<place>& ends) {
    require(starts.bytes() == ends.bytes(), "as many starts as ends are needed");
    return {buffer.data(), starts.data(), ends.data(), starts.count()};
}

// Structure

auto survey(const In<byte>& buffer, Int low, Int high, int delimiter, int quote) {
    require_within(buffer, low, high);
    const Marks marks{delimiter, quote, true};
    const Survey found =
        unlocked([&] { return in_use().survey(buffer.data(), low, high, marks); });
    return std::tuple(found.delimiters, found.feeds, found.returns, found.pairs, found.quotes,
                      found.ascii);
}

auto cut(const In<byte>& buffer, Int low, Int high, int quote) {
    require_within(buffer, low, high);
    const Marks marks{-1, quote, true};
    const Seen seen = unlocked([&] { return in_use().cut(buffer.data(), low, high, marks); });
    return std::tuple(seen.cut, seen.feeds, seen.returns, seen.quotes, seen.records);
}

auto split(const In<byte>& buffer, Int low, Int high, int delimiter, int quote, bool returns,
           bool final, Int fields, Int room, const Out<place>& starts, const Out<place>& ends,
           const Out<Int>& record, const Out<Int>& heads, const Out<Int>& lines) {
    require_within(buffer, low, high);
    const Marks marks{delimiter, quote, returns};
    Borders borders{starts.data(), ends.data(), record.data(), heads.data(), lines.data(), room,
                    fields};
    Outcome told;
    unlocked([&] {
        if (in_use().split(buffer.data(), low, high, marks, final, borders, told)) return;
        told = Outcome();
        split_slowly(buffer.data(), low, high, marks, final, borders, told);
    });
    return std::tuple(told.fields, told.records, told.consumed, told.open_quote, told.closing,
                      told.even);
}

void closed_up(const Out<byte>& buffer, int quote, const Out<place>& starts, const Out<place>& ends) {
    require(starts.bytes() == ends.bytes(), "as many starts as ends are needed");
    unlocked([&] { close_up(buffer.data(), quote, starts.data(), ends.data(), starts.count()); });
}

Int invalid(const In<byte>& buffer, Int low, Int high) {
    require_within(buffer, low, high);
    return unlocked([&] { return in_use().invalid_utf8(buffer.data(), low, high); });
}

// Numbers and times

// The smallest and the largest number that was read; None if there is none.
PyObject* span_of(const NumbersTold& told) {
    if (told.low_whole <= told.high_whole) return given(std::tuple(told.low_whole, told.high_whole));
    if (told.low <= told.high) return given(std::tuple(told.low, told.high));
    Py_RETURN_NONE;
}

auto numbers(const In<byte>& buffer, const In<place>& starts, const In<place>& ends, Int first,
             Int stride, Int width, Int count, bool whole, int decimal, bool strict, int implied,
             const In<byte>& parts, const Out<byte>& values, const Out<byte>& reasons) {
    NumberRule rule{};
    rule.decimal = decimal;
    rule.strict = strict;
    rule.implied = implied;
    Writing writing;
    if (!parts.empty()) {
        require(writing.set(parts.data(), parts.bytes()), "read_numbers: writing");
        rule.writing = &writing;
    }
    const CellsAt cells = cells_of(buffer, starts, ends, first, stride, width, count);
    require(reasons.bytes() == count && values.bytes() == 8 * count, "read_numbers: sizes differ");
    const NumbersTold told = unlocked([&] {
        void* const into = values.data();
        return whole ? in_use().read_integers(cells, rule, static_cast<Int*>(into), reasons.data())
                     : in_use().read_floats(cells, rule, static_cast<double*>(into), reasons.data());
    });
    return std::tuple(told.left, told.blanks, told.worded, told.inexact, told.most_decimals,
                      span_of(told));
}

void powers(const In<std::uint64_t>& words) {
    require(words.bytes() == 16 * (HIGHEST_POWER - LOWEST_POWER + 1),
            "powers: another number of powers is needed");
    set_powers(words.data());
}

auto times(const In<byte>& buffer, const In<place>& starts, const In<place>& ends, Int first,
           Int stride, Int width, Int count, const In<byte>& steps, const In<byte>& parts, int unit,
           const Out<byte>& values, const Out<byte>& reasons) {
    const Int size = unit == static_cast<int>(Unit::days) ? 4 : 8;
    const CellsAt cells = cells_of(buffer, starts, ends, first, stride, width, count);
    require(reasons.bytes() == count && values.bytes() == size * count, "read_times: sizes differ");
    Writing writing;
    Patterns patterns;
    int usual = 0;
    require(patterns.set(steps.data(), steps.bytes()) && writing.set(parts.data(), parts.bytes()),
            "read_times: patterns");
    patterns.writing = &writing;
    patterns.usual = &usual;
    const NumbersTold told = unlocked([&] {
        return in_use().read_times(cells, patterns, static_cast<Unit>(unit), values.data(),
                                   reasons.data());
    });
    return std::tuple(told.left, told.blanks, told.worded);
}

bool big_endian_numbers(const In<byte>& data, const In<Int>& at, int width, const Out<Int>& numbers) {
    require((width == 2 || width == 4 || width == 8) && numbers.count() >= at.count(),
            "big_endian: no room, or no such width");
    return unlocked([&] {
        return big_endian(data.data(), data.bytes(), at.data(), at.count(), width, numbers.data());
    });
}

// Texts

Int trimmed(const In<byte>& buffer, const In<place>& starts, const In<place>& ends, bool left,
            bool right, const Out<place>& low, const Out<place>& high) {
    const Runs runs = runs_of(buffer, starts, ends);
    require(low.count() >= runs.count && high.count() >= runs.count, "trim: no room");
    return unlocked([&] { return trim(runs, left, right, low.data(), high.data()); });
}

Int blanks(const In<byte>& buffer, const In<place>& starts, const In<place>& ends,
           const Out<byte>& into) {
    const Runs runs = runs_of(buffer, starts, ends);
    require(into.bytes() == runs.count, "blank: sizes differ");
    return unlocked([&] { return blank(runs, into.data()); });
}

Int length_of(const In<byte>& buffer, const In<place>& starts, const In<place>& ends,
              const In<byte>& reasons) {
    const Runs runs = runs_of(buffer, starts, ends);
    return unlocked([&] { return total_length(runs, reasons.or_none()); });
}

void gathered(const In<byte>& buffer, const In<place>& starts, const In<place>& ends,
              const In<byte>& reasons, const Out<place>& offsets, const Out<byte>& data) {
    const Runs runs = runs_of(buffer, starts, ends);
    require(offsets.count() == runs.count + 1, "gather: sizes differ");
    unlocked([&] { gather(runs, reasons.or_none(), offsets.data(), data.data()); });
}

PyObject* listed(const In<byte>& buffer, const In<place>& starts, const In<place>& ends) {
    const Runs runs = runs_of(buffer, starts, ends);
    PyObject* const texts = owned(PyList_New(static_cast<Py_ssize_t>(runs.count)));
    for (Int at = 0; at < runs.count; ++at) {
        const auto* const text = reinterpret_cast<const char*>(runs.buffer + runs.starts[at]);
        PyObject* const made =
            PyUnicode_DecodeUTF8(text, runs.ends[at] - runs.starts[at], nullptr);
        if (!made || PyList_SetItem(texts, static_cast<Py_ssize_t>(at), made) < 0) {
            Py_DECREF(texts);
            throw Failed{};
        }
    }
    return texts;
}

using ToldWords = std::optional<std::tuple<Bytes, Bytes>>;

// The texts and their offsets; none if there are too many.
ToldWords told_of(const Words* words) {
    if (!words) return std::nullopt;
    return std::tuple(Bytes{words->bytes.data(), words->bytes.size()},
                      Bytes{words->offsets.data(), words->offsets.size() * sizeof(place)});
}

PyObject* encoded(const In<byte>& buffer, const In<place>& starts, const In<place>& ends,
                  const In<byte>& reasons, const Out<place>& codes, Int most) {
    const Runs runs = runs_of(buffer, starts, ends);
    require(codes.count() == runs.count, "encode: sizes differ");
    Words words(most, 0);
    const bool done =
        unlocked([&] { return encode(runs, reasons.or_none(), words, codes.data()); });
    return given(told_of(done ? &words : nullptr));
}

void hashed(const In<byte>& buffer, const In<place>& starts, const In<place>& ends,
            const Out<std::uint64_t>& into) {
    const Runs runs = runs_of(buffer, starts, ends);
    require(into.count() == runs.count, "hashes: sizes differ");
    unlocked([&] { hashes(runs, into.data()); });
}

Int spread_length_of(const In<place>& codes, const In<byte>& reasons, const In<place>& offsets) {
    require(offsets.count() >= 1, "spread_length: there are no offsets");
    return unlocked([&] {
        return spread_length(codes.data(), reasons.or_none(), codes.count(), offsets.data(),
                             offsets.count() - 1);
    });
}

Int spread_out(const In<place>& codes, const In<byte>& reasons, const In<place>& offsets,
               const In<byte>& words, Int base, const Out<place>& into_offsets,
               const Out<byte>& into) {
    require(into_offsets.count() == codes.count() + 1 && offsets.count() >= 1,
            "spread: sizes differ");
    unlocked([&] {
        spread(codes.data(), reasons.or_none(), codes.count(), offsets.data(), words.data(),
               offsets.count() - 1, base, into_offsets.data(), into.data());
    });
    return into_offsets.data()[codes.count()];
}

Int matched(const In<byte>& buffer, const In<place>& starts, const In<place>& ends,
            const In<byte>& words, const In<place>& offsets, const Out<Int>& into) {
    const Runs runs = runs_of(buffer, starts, ends);
    require(into.count() == runs.count, "match: sizes differ");
    return unlocked([&] {
        return match(runs, words.data(), offsets.data(), offsets.count() - 1, into.data());
    });
}

// Columns that are read while a block is split

constexpr Int SPARE = 32;  // bytes that are written beyond texts put side by side

// A task as Python gives it, with the buffers it lends.
struct LentTask {
    std::tuple<int, Int, Int, int, bool, int, In<byte>, int, Int, In<byte>, Out<byte>, Out<byte>,
               Out<place>, Out<place>, Out<byte>>
        parts;
    std::unique_ptr<Words> words;
    Writing writing;

    Task taken(PyObject* tuple, Int rows) {
        take_tuple(tuple, parts);
        const auto& [kind, field, width, decimal, strict, implied, steps, unit, most, written, values,
                     reasons, starts, ends, data] = parts;
        Task task;
        task.kind = static_cast<Kind>(kind);
        task.field = field;
        task.width = width;
        task.rule.decimal = decimal;
        task.rule.strict = strict;
        task.rule.implied = implied;
        task.unit = static_cast<Unit>(unit);
        if (task.kind == Kind::times)
            require(task.patterns.set(steps.data(), steps.bytes()), "a task: patterns");
        if (!written.empty()) {
            require(writing.set(written.data(), written.bytes()), "a task: writing");
            task.rule.writing = task.patterns.writing = &writing;
        }
        const bool is_text = task.kind == Kind::texts, is_place = task.kind == Kind::positions;
        const bool is_short = is_text || (task.kind == Kind::times && task.unit == Unit::days);
        const Int size = is_place || (is_text && !most) ? 0 : is_short ? 4 : 8;
        require(values.bytes() >= size * rows && reasons.bytes() >= (is_place ? 0 : rows) &&
                    (starts.empty() || starts.count() >= rows) && ends.bytes() == starts.bytes(),
                "a task has too little room");
        if (is_text && most) {
            words = std::make_unique<Words>(most);
            task.words = words.get();
        }
        if (is_text && !most && data.bytes() > SPARE) {
            require(values.bytes() >= 4 * (rows + 1), "a task: offsets");
            task.texts = {data.data(), data.bytes() - SPARE, 0};
        }
        task.values = values.data();
        task.reasons = reasons.data();
        task.starts = starts.or_none();
        task.ends = ends.or_none();
        return task;
    }
};

// The tasks of a list, and what they tell afterwards.
class Tasks {
  public:
    Tasks(const Listed& list, Int rows) {
        for (Int each = 0; each < list.count(); ++each) {
            held.push_back(std::make_unique<LentTask>());
            tasks.push_back(held.back()->taken(list.at(each), rows));
        }
    }
    Task* data() { return tasks.data(); }
    Int count() const { return static_cast<Int>(tasks.size()); }
    bool all_within(Int fields) const {
        for (const Task& task : tasks)
            if (task.field < 0 || task.field >= fields) return false;
        return true;
    }
    bool all_end_by(Int length) const {
        for (const Task& task : tasks)
            if (task.field < 0 || task.width < 0 || task.field + task.width > length || task.starts)
                return false;
        return true;
    }
    PyObject* told() const {
        PyObject* list = owned(PyList_New(static_cast<Py_ssize_t>(tasks.size())));
        try {
            for (std::size_t each = 0; each < tasks.size(); ++each) {
                const Task& task = tasks[each];
                const NumbersTold& own = task.told;
                PyObject* one = given(std::tuple(own.left, own.blanks, own.worded, own.inexact,
                                                 own.most_decimals, told_of(task.words),
                                                 span_of(own), task.texts.data ? task.texts.filled : -1));
                if (PyList_SetItem(list, static_cast<Py_ssize_t>(each), one) < 0) throw Failed{};
            }
        } catch (...) {
            Py_DECREF(list);
            throw;
        }
        return list;
    }

  private:
    std::vector<Task> tasks;
    std::vector<std::unique_ptr<LentTask>> held;
};

PyObject* rows(const In<byte>& buffer, bool changeable, Int low, Int high, int delimiter, int quote,
               bool returns, bool final, Int fields, Int room, const Out<Int>& lines,
               const In<byte>& name, const Listed& list) {
    require_within(buffer, low, high);
    require(!changeable || !buffer.readonly(), "read_rows: the buffer is read-only");
    require(fields >= 2 && lines.count() > room, "read_rows: sizes differ");
    Tasks tasks(list, room);
    require(tasks.all_within(fields), "read_rows: there is no such field");
    byte* const text = const_cast<byte*>(buffer.data());  // written to only if it is changeable
    const Marks marks{delimiter, quote, returns};
    const RowsTold told = unlocked([&] {
        return read_rows(text, changeable, low, high, marks, final, fields, room, lines.data(),
                         Text{name.data(), name.bytes()}, tasks.data(), tasks.count());
    });
    return given(std::tuple(static_cast<int>(told.status), told.count, told.consumed,
                            told.open_quote, told.line_ends, told.ascii, told.has_name, told.plain,
                            tasks.told()));
}

PyObject* records(const In<byte>& buffer, Int first, Int stride, Int length, Int rows,
                  const Listed& list) {
    require(first >= 0 && stride >= 0 && length >= 0 && rows >= 0 &&
                (!rows || first + (rows - 1) * stride + length <= buffer.bytes()),
            "read_records: outside of the buffer");
    Tasks tasks(list, rows);
    require(tasks.all_end_by(length), "read_records: outside of a record");
    unlocked([&] { read_records(buffer.data(), first, stride, rows, tasks.data(), tasks.count()); });
    return tasks.told();
}

// Workbooks

PyObject* sheet(const In<byte>& buffer, Int low, Int high, const In<Int>& starts,
                const In<Int>& ends, const In<byte>& kinds, bool from_1904, bool hiding) {
    require_within(buffer, low, high);
    require(starts.bytes() == ends.bytes() && !kinds.empty(), "read_sheet: sizes differ");
    const SheetRule rule{starts.data(), ends.data(), starts.count(), kinds.data(), kinds.count(),
                         from_1904,     hiding};
    SheetCells cells(static_cast<std::size_t>(high - low) / SHORTEST_CELL + 1);
    if (!unlocked([&] { return read_sheet(buffer.data(), low, high, rule, cells); })) Py_RETURN_NONE;
    const std::size_t count = cells.count;
    return given(std::tuple(Bytes{cells.rows.get(), 4 * count}, Bytes{cells.columns.get(), 2 * count},
                            Bytes{cells.kinds.get(), count}, Bytes{cells.types.get(), count},
                            Bytes{cells.styles.get(), 4 * count}, Bytes{cells.starts.get(), 8 * count},
                            Bytes{cells.ends.get(), 8 * count}, cells.texts, cells.special,
                            cells.hidden, cells.unknown_strings, cells.in_order));
}

auto document_rows(const In<byte>& buffer, Int low, Int high) {
    require_within(buffer, low, high);
    DocumentRows found;
    unlocked([&] { read_document_rows(buffer.data(), low, high, found); });
    return std::tuple(found.consumed, found.rows, found.row, found.column, found.style, found.types,
                      found.ends, found.texts, found.special, found.styles);
}

Int strings(const In<byte>& buffer, Int low, Int high, const Out<Int>& starts, const Out<Int>& ends) {
    require_within(buffer, low, high);
    require(starts.bytes() == ends.bytes(), "read_strings: sizes differ");
    return unlocked([&] {
        return read_strings(buffer.data(), low, high, starts.count(), starts.data(), ends.data());
    });
}

Int shorter(const In<byte>& buffer, const In<Int>& starts, const In<Int>& ends,
            const Out<std::int8_t>& lengths, const Out<byte>& texts) {
    const Int count = starts.count();
    require(ends.count() == count && lengths.count() == count && texts.count() >= 20 * count,
            "shorter_numerals: sizes differ");
    return unlocked([&] {
        return shorter_numerals(buffer.data(), starts.data(), ends.data(),
                                static_cast<std::size_t>(count), lengths.data(), texts.data());
    });
}

Int places(const In<byte>& data, Int at, int begins, int ends, const Out<std::uint16_t>& kinds,
           const Out<Int>& places) {
    const Int most = data.bytes() / 4 + 1;
    require(at >= 0 && kinds.count() >= most && places.count() >= most, "record_places: no room");
    return unlocked([&] {
        return record_places(data.data(), data.bytes(), at, static_cast<unsigned>(begins),
                             static_cast<unsigned>(ends), kinds.data(), places.data());
    });
}

// Figures

void tallied(const In<byte>& reasons, const Out<Int>& counts) {
    require(counts.count() == 256, "tally: there have to be 256 counts");
    unlocked([&] { tally(reasons.data(), reasons.bytes(), counts.data()); });
}

auto validity_of(const In<byte>& reasons, const Out<byte>& bits) {
    require(bits.count() == (reasons.count() + 7) / 8, "validity: there has to be a bit for each");
    const Missing found =
        unlocked([&] { return validity(reasons.data(), reasons.count(), bits.data()); });
    return std::tuple(found.count, static_cast<int>(found.only));
}

Int codes_found(const In<byte>& values, bool whole, const Out<byte>& reasons, const In<byte>& lows,
                const In<byte>& highs, const In<byte>& numbers) {
    const Int count = reasons.bytes(), codes = numbers.bytes();
    require(values.bytes() == 8 * count && lows.bytes() == 8 * codes && highs.bytes() == 8 * codes,
            "find_codes: sizes differ");
    const void *const all = values.data(), *const low = lows.data(), *const high = highs.data();
    return unlocked([&] {
        if (whole)
            return find_codes(static_cast<const Int*>(all), reasons.data(), count,
                              {static_cast<const Int*>(low), static_cast<const Int*>(high),
                               numbers.data(), codes});
        return find_codes(static_cast<const double*>(all), reasons.data(), count,
                          {static_cast<const double*>(low), static_cast<const double*>(high),
                           numbers.data(), codes});
    });
}

auto extremes_of(const In<byte>& values, bool whole, const In<byte>& reasons, const In<double>& looks,
                 const Out<Int>& counts) {
    const Int count = values.bytes() / 8;
    require((reasons.empty() || reasons.bytes() == count) && looks.bytes() == counts.bytes(),
            "extremes: sizes differ");
    const Looks known{looks.data(), looks.count(), counts.data()};
    const Extremes found = unlocked([&] {
        const void* const numbers = values.data();
        return whole ? extremes(static_cast<const Int*>(numbers), reasons.or_none(), count, known)
                     : extremes(static_cast<const double*>(numbers), reasons.or_none(), count, known);
    });
    return std::tuple(found.low, found.high);
}

auto course_of(const In<Int>& values, const In<byte>& reasons) {
    require(reasons.empty() || reasons.count() == values.count(), "course: sizes differ");
    const Course found =
        unlocked([&] { return course(values.data(), reasons.or_none(), values.count()); });
    return std::tuple(found.repeats, found.rises);
}

void mixed(const In<std::uint64_t>& raw, const In<byte>& reasons, const In<std::uint64_t>& salt,
           const Out<std::uint64_t>& into) {
    const Int count = raw.count();
    require(into.count() == count && salt.count() == 1 && (reasons.empty() || reasons.count() == count),
            "mix: sizes differ");
    unlocked([&] { mix(raw.data(), reasons.or_none(), count, *salt.data(), into.data()); });
}

// The instruction set in use; with a name, that one from now on.
std::string instructions(const std::string& name) {
    require(name.empty() || choose_instructions(name.c_str()),
            "this processor has no such instructions");
    return instruction_set();
}

PyMethodDef METHODS[] = {
    exported<survey>("survey"),
    exported<cut>("cut"),
    exported<split>("split"),
    exported<closed_up>("close_up"),
    exported<invalid>("invalid_utf8"),
    exported<numbers>("read_numbers"),
    exported<powers>("powers"),
    exported<times>("read_times"),
    exported<big_endian_numbers>("big_endian"),
    exported<trimmed>("trim"),
    exported<blanks>("blank"),
    exported<length_of>("total_length"),
    exported<gathered>("gather"),
    exported<listed>("listed"),
    exported<encoded>("encode"),
    exported<hashed>("hashes"),
    exported<spread_length_of>("spread_length"),
    exported<spread_out>("spread"),
    exported<matched>("match"),
    exported<rows>("read_rows"),
    exported<records>("read_records"),
    exported<sheet>("read_sheet"),
    exported<document_rows>("document_rows"),
    exported<strings>("read_strings"),
    exported<shorter>("shorter_numerals"),
    exported<places>("record_places"),
    exported<tallied>("tally"),
    exported<validity_of>("validity"),
    exported<codes_found>("find_codes"),
    exported<extremes_of>("extremes"),
    exported<course_of>("course"),
    exported<mixed>("mix"),
    exported<instructions>("instructions"),
    {nullptr, nullptr, 0, nullptr},
};

PyModuleDef_Slot SLOTS[] = {{0, nullptr}};

PyModuleDef MODULE = {PyModuleDef_HEAD_INIT, "_native", nullptr, 0, METHODS, SLOTS,
                      nullptr, nullptr, nullptr};

}  // namespace

PyMODINIT_FUNC PyInit__native() {
    choose_instructions("");
    set_months();
    return PyModuleDef_Init(&MODULE);
}
