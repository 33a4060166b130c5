// The kernels as a Python module. Buffers are NumPy's own memory, read and written in place; the
// interpreter is free for other threads while a kernel runs. `kernels/compiled.py` gives each of
// these its meaning in Python.

#define Py_LIMITED_API 0x030B0000
#define PY_SSIZE_T_CLEAN
#include <Python.h>

#include <exception>
#include <memory>
#include <vector>

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

// A buffer that Python lends for the length of a call.
class Lent {
  public:
    Py_buffer view{};
    ~Lent() {
        if (view.obj) PyBuffer_Release(&view);
    }
    const byte* bytes() const { return static_cast<const byte*>(view.buf); }
    template <class T>
    T* as() const {
        return static_cast<T*>(view.buf);
    }
    template <class T>
    std::int64_t count() const {
        return view.len / static_cast<Py_ssize_t>(sizeof(T));
    }
};

// While it lives, other threads may run Python.
class Unlocked {
  public:
    Unlocked() : state(PyEval_SaveThread()) {}
    ~Unlocked() { PyEval_RestoreThread(state); }

  private:
    PyThreadState* state;
};

PyObject* refused(const char* why) {
    PyErr_SetString(PyExc_ValueError, why);
    return nullptr;
}

bool within(const Lent& buffer, long long low, long long high) {
    return 0 <= low && low <= high && high <= buffer.view.len;
}

PyObject* survey(PyObject*, PyObject* args) {
    Lent buffer;
    long long low, high;
    Marks marks{-1, 0, true};
    if (!PyArg_ParseTuple(args, "y*LLii", &buffer.view, &low, &high, &marks.delimiter, &marks.quote))
        return nullptr;
    if (!within(buffer, low, high)) return refused("survey: outside of the buffer");
    Survey found;
    {
        Unlocked unlocked;
        found = in_use().survey(buffer.bytes(), low, high, marks);
    }
    return Py_BuildValue("LLLLLO", static_cast<long long>(found.delimiters),
                         static_cast<long long>(found.feeds), static_cast<long long>(found.returns),
                         static_cast<long long>(found.pairs), static_cast<long long>(found.quotes),
                         found.ascii ? Py_True : Py_False);
}

PyObject* cut(PyObject*, PyObject* args) {
    Lent buffer;
    long long low, high;
    Marks marks{-1, 0, true};
    if (!PyArg_ParseTuple(args, "y*LLi", &buffer.view, &low, &high, &marks.quote)) return nullptr;
    if (!within(buffer, low, high)) return refused("cut: outside of the buffer");
    Seen seen;
    {
        Unlocked unlocked;
        seen = in_use().cut(buffer.bytes(), low, high, marks);
    }
    return Py_BuildValue("LLLLL", static_cast<long long>(seen.cut),
                         static_cast<long long>(seen.feeds), static_cast<long long>(seen.returns),
                         static_cast<long long>(seen.quotes), static_cast<long long>(seen.records));
}

PyObject* split(PyObject*, PyObject* args) {
    Lent buffer, starts, ends, record, heads, lines;
    long long low, high, fields, room;
    int returns, final;
    Marks marks{};
    if (!PyArg_ParseTuple(args, "y*LLiippLLw*w*w*w*w*", &buffer.view, &low, &high,
                          &marks.delimiter, &marks.quote, &returns, &final, &fields, &room,
                          &starts.view, &ends.view, &record.view, &heads.view, &lines.view))
        return nullptr;
    if (!within(buffer, low, high)) return refused("split: outside of the buffer");
    marks.returns = returns != 0;
    Borders borders{starts.as<place>(), ends.as<place>(), record.as<std::int64_t>(),
                    heads.as<std::int64_t>(), lines.as<std::int64_t>(), room, fields};
    Outcome told;
    {
        Unlocked unlocked;
        if (!in_use().split(buffer.bytes(), low, high, marks, final != 0, borders, told)) {
            told = Outcome();
            split_slowly(buffer.bytes(), low, high, marks, final != 0, borders, told);
        }
    }
    return Py_BuildValue("LLLLLO", static_cast<long long>(told.fields),
                         static_cast<long long>(told.records), static_cast<long long>(told.consumed),
                         static_cast<long long>(told.open_quote), static_cast<long long>(told.closing),
                         told.even ? Py_True : Py_False);
}

PyObject* closed_up(PyObject*, PyObject* args) {
    Lent buffer, starts, ends;
    int quote;
    if (!PyArg_ParseTuple(args, "w*iw*w*", &buffer.view, &quote, &starts.view, &ends.view))
        return nullptr;
    {
        Unlocked unlocked;
        close_up(buffer.as<byte>(), quote, starts.as<place>(), ends.as<place>(),
                 starts.count<place>());
    }
    Py_RETURN_NONE;
}

// Cells by starts and ends, or (both empty) by first, stride and width.
struct Column {
    Lent buffer, starts, ends;
    long long first = 0, stride = 0, width = 0, count = 0;

    bool set() {
        if (starts.view.len != ends.view.len) return false;
        if (!starts.view.len && count) {
            const long long last = first + (count - 1) * stride;
            return first >= 0 && stride >= 0 && width >= 0 && last + width <= buffer.view.len;
        }
        count = starts.count<place>();
        return true;
    }
    CellsAt cells() const {
        const bool listed = starts.view.len > 0;
        return {buffer.bytes(), listed ? starts.as<const place>() : nullptr,
                listed ? ends.as<const place>() : nullptr, first, stride, width, count};
    }
    Runs runs() const {
        return {buffer.bytes(), starts.as<const place>(), ends.as<const place>(), count};
    }
};

// The smallest and the largest number that was read; None if there is none.
PyObject* span_of(const NumbersTold& told) {
    if (told.low_whole <= told.high_whole)
        return Py_BuildValue("LL", static_cast<long long>(told.low_whole),
                             static_cast<long long>(told.high_whole));
    if (told.low <= told.high) return Py_BuildValue("dd", told.low, told.high);
    Py_RETURN_NONE;
}

PyObject* read_numbers(PyObject*, PyObject* args) {
    Column column;
    Lent values, reasons, parts;
    NumberRule rule{};
    Writing writing;
    int whole, strict;
    if (!PyArg_ParseTuple(args, "y*y*y*LLLLpipiy*w*w*", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &column.first, &column.stride, &column.width,
                          &column.count, &whole, &rule.decimal, &strict, &rule.implied, &parts.view,
                          &values.view, &reasons.view))
        return nullptr;
    rule.strict = strict != 0;
    if (parts.view.len) {
        if (!writing.set(parts.bytes(), parts.view.len)) return refused("read_numbers: writing");
        rule.writing = &writing;
    }
    if (!column.set() || reasons.view.len != column.count || values.view.len != 8 * column.count)
        return refused("read_numbers: sizes differ");
    NumbersTold told;
    {
        Unlocked unlocked;
        told = whole ? in_use().read_integers(column.cells(), rule, values.as<std::int64_t>(),
                                     reasons.as<byte>())
                     : in_use().read_floats(column.cells(), rule, values.as<double>(), reasons.as<byte>());
    }
    return Py_BuildValue("LLLLiN", static_cast<long long>(told.left),
                         static_cast<long long>(told.blanks), static_cast<long long>(told.worded),
                         static_cast<long long>(told.inexact), told.most_decimals, span_of(told));
}

PyObject* powers(PyObject*, PyObject* args) {
    Lent words;
    if (!PyArg_ParseTuple(args, "y*", &words.view)) return nullptr;
    if (words.view.len != 16 * (HIGHEST_POWER - LOWEST_POWER + 1))
        return refused("powers: another number of powers is needed");
    set_powers(words.as<const std::uint64_t>());
    Py_RETURN_NONE;
}

PyObject* read_times_(PyObject*, PyObject* args) {
    Column column;
    Lent steps, parts, values, reasons;
    int unit;
    if (!PyArg_ParseTuple(args, "y*y*y*LLLLy*y*iw*w*", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &column.first, &column.stride, &column.width,
                          &column.count, &steps.view, &parts.view, &unit, &values.view,
                          &reasons.view))
        return nullptr;
    const long long size = unit == static_cast<int>(Unit::days) ? 4 : 8;
    if (!column.set() || reasons.view.len != column.count || values.view.len != size * column.count)
        return refused("read_times: sizes differ");
    Writing writing;
    Patterns patterns;
    int usual = 0;
    if (!patterns.set(steps.bytes(), steps.view.len) || !writing.set(parts.bytes(), parts.view.len))
        return refused("read_times: patterns");
    patterns.writing = &writing;
    patterns.usual = &usual;
    NumbersTold told;
    {
        Unlocked unlocked;
        told = in_use().read_times(column.cells(), patterns, static_cast<Unit>(unit),
                                   values.view.buf, reasons.as<byte>());
    }
    return Py_BuildValue("LLL", static_cast<long long>(told.left),
                         static_cast<long long>(told.blanks), static_cast<long long>(told.worded));
}

PyObject* trimmed(PyObject*, PyObject* args) {
    Column column;
    Lent starts, ends;
    int left, right;
    if (!PyArg_ParseTuple(args, "y*y*y*ppw*w*", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &left, &right, &starts.view, &ends.view))
        return nullptr;
    if (!column.set() || starts.view.len != column.starts.view.len)
        return refused("trimmed: sizes differ");
    std::int64_t changed;
    {
        Unlocked unlocked;
        changed = trim(column.runs(), left != 0, right != 0, starts.as<place>(), ends.as<place>());
    }
    return PyLong_FromLongLong(changed);
}

PyObject* blanks(PyObject*, PyObject* args) {
    Column column;
    Lent into;
    if (!PyArg_ParseTuple(args, "y*y*y*w*", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &into.view))
        return nullptr;
    if (!column.set() || into.view.len != column.count) return refused("blanks: sizes differ");
    std::int64_t found;
    {
        Unlocked unlocked;
        found = blank(column.runs(), into.as<byte>());
    }
    return PyLong_FromLongLong(found);
}

PyObject* length_of(PyObject*, PyObject* args) {
    Column column;
    Lent reasons;
    if (!PyArg_ParseTuple(args, "y*y*y*y*", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &reasons.view))
        return nullptr;
    if (!column.set()) return refused("length_of: sizes differ");
    std::int64_t total;
    {
        Unlocked unlocked;
        total = total_length(column.runs(), reasons.view.len ? reasons.bytes() : nullptr);
    }
    return PyLong_FromLongLong(total);
}

PyObject* gathered(PyObject*, PyObject* args) {
    Column column;
    Lent reasons, offsets, data;
    if (!PyArg_ParseTuple(args, "y*y*y*y*w*w*", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &reasons.view, &offsets.view, &data.view))
        return nullptr;
    if (!column.set() || offsets.count<place>() != column.count + 1)
        return refused("gathered: sizes differ");
    {
        Unlocked unlocked;
        gather(column.runs(), reasons.view.len ? reasons.bytes() : nullptr, offsets.as<place>(),
               data.as<byte>());
    }
    Py_RETURN_NONE;
}

PyObject* bytes_of(const void* data, std::size_t size) {
    return PyBytes_FromStringAndSize(static_cast<const char*>(data), static_cast<Py_ssize_t>(size));
}

// The texts and their offsets, None if there are too many.
PyObject* told_of(const Words* words) {
    if (!words) Py_RETURN_NONE;
    return Py_BuildValue("NN", bytes_of(words->bytes.data(), words->bytes.size()),
                         bytes_of(words->offsets.data(), words->offsets.size() * sizeof(place)));
}

PyObject* encoded(PyObject*, PyObject* args) {
    Column column;
    Lent reasons, codes;
    long long most, expected = 0;
    if (!PyArg_ParseTuple(args, "y*y*y*y*w*L|L", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &reasons.view, &codes.view, &most, &expected))
        return nullptr;
    if (!column.set() || codes.count<place>() != column.count)
        return refused("encoded: sizes differ");
    Words words(most, expected);
    bool done;
    {
        Unlocked unlocked;
        done = encode(column.runs(), reasons.view.len ? reasons.bytes() : nullptr, words,
                      codes.as<place>());
    }
    return told_of(done ? &words : nullptr);
}

PyObject* hashed(PyObject*, PyObject* args) {
    Column column;
    Lent into;
    if (!PyArg_ParseTuple(args, "y*y*y*w*", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &into.view))
        return nullptr;
    if (!column.set() || into.count<std::uint64_t>() != column.count)
        return refused("hashed: sizes differ");
    {
        Unlocked unlocked;
        hashes(column.runs(), into.as<std::uint64_t>());
    }
    Py_RETURN_NONE;
}

PyObject* spread_length_(PyObject*, PyObject* args) {
    Lent codes, reasons, offsets;
    if (!PyArg_ParseTuple(args, "y*y*y*", &codes.view, &reasons.view, &offsets.view)) return nullptr;
    if (offsets.count<place>() < 1) return refused("spread_length: there are no offsets");
    std::int64_t total;
    {
        Unlocked unlocked;
        total = spread_length(codes.as<const place>(),
                              reasons.view.len ? reasons.bytes() : nullptr, codes.count<place>(),
                              offsets.as<const place>(), offsets.count<place>() - 1);
    }
    return PyLong_FromLongLong(total);
}

PyObject* spread_(PyObject*, PyObject* args) {
    Lent codes, reasons, offsets, words, into_offsets, into;
    long long base;
    if (!PyArg_ParseTuple(args, "y*y*y*y*Lw*w*", &codes.view, &reasons.view, &offsets.view,
                          &words.view, &base, &into_offsets.view, &into.view))
        return nullptr;
    if (into_offsets.count<place>() != codes.count<place>() + 1 || offsets.count<place>() < 1)
        return refused("spread: sizes differ");
    {
        Unlocked unlocked;
        spread(codes.as<const place>(), reasons.view.len ? reasons.bytes() : nullptr,
               codes.count<place>(), offsets.as<const place>(), words.bytes(),
               offsets.count<place>() - 1, base, into_offsets.as<place>(), into.as<byte>());
    }
    return PyLong_FromLong(into_offsets.as<place>()[codes.count<place>()]);
}

// A task as Python gives it, with the buffers it lends.
struct LentTask {
    Task task;
    Lent steps, parts, values, reasons, starts, ends;
    std::unique_ptr<Words> words;
    Writing writing;

    bool set(PyObject* given, std::int64_t rows) {
        int kind, strict, unit;
        long long field, cell_width, most;
        if (!PyArg_ParseTuple(given, "iLLipiy*iLy*w*w*w*w*", &kind, &field, &cell_width,
                              &task.rule.decimal, &strict, &task.rule.implied, &steps.view, &unit, &most, &parts.view, &values.view, &reasons.view, &starts.view,
                              &ends.view))
            return false;
        task.kind = static_cast<Kind>(kind);
        task.field = field;
        task.width = cell_width;
        task.rule.strict = strict != 0;
        if (task.kind == Kind::times && !task.patterns.set(steps.bytes(), steps.view.len)) {
            refused("a task: patterns");
            return false;
        }
        task.unit = static_cast<Unit>(unit);
        if (parts.view.len) {
            if (!writing.set(parts.bytes(), parts.view.len)) {
                refused("a task: writing");
                return false;
            }
            task.rule.writing = task.patterns.writing = &writing;
        }
        const bool short_values = task.kind == Kind::times && task.unit == Unit::days;
        const bool is_text = task.kind == Kind::texts;
        const long long size = task.kind == Kind::positions || (is_text && !most) ? 0
                               : short_values || is_text                          ? 4
                                                                                  : 8;
        if (is_text && most) {
            words = std::make_unique<Words>(most);
            task.words = words.get();
        }
        if (values.view.len < size * rows || reasons.view.len < (task.kind == Kind::positions ? 0 : rows) ||
            (starts.view.len && starts.count<place>() < rows) ||
            (ends.view.len != starts.view.len)) {
            PyErr_SetString(PyExc_ValueError, "a task has too little room");
            return false;
        }
        task.values = values.as<byte>();
        task.reasons = reasons.as<byte>();
        task.starts = starts.view.len ? starts.as<place>() : nullptr;
        task.ends = ends.view.len ? ends.as<place>() : nullptr;
        return true;
    }
};

// The tasks of a list, and what they tell afterwards.
class Tasks {
  public:
    bool set(PyObject* list, std::int64_t rows) {
        const Py_ssize_t count = PyList_Size(list);
        if (count < 0) return false;
        for (Py_ssize_t each = 0; each < count; ++each) {
            held.push_back(std::make_unique<LentTask>());
            PyObject* given = PyList_GetItem(list, each);
            if (!given || !held.back()->set(given, rows)) return false;
            tasks.push_back(held.back()->task);
        }
        return true;
    }
    bool all_within(std::int64_t fields) const {
        for (const Task& task : tasks)
            if (task.field < 0 || task.field >= fields) return false;
        return true;
    }
    bool all_end_by(std::int64_t length) const {
        for (const Task& task : tasks)
            if (task.field < 0 || task.width < 0 || task.field + task.width > length ||
                task.starts)
                return false;
        return true;
    }
    PyObject* told() const {
        PyObject* list = PyList_New(static_cast<Py_ssize_t>(tasks.size()));
        for (std::size_t each = 0; list && each < tasks.size(); ++each) {
            const Task& task = tasks[each];
            const NumbersTold& own = task.told;
            PyObject* one = Py_BuildValue(
                "LLLLiNN", static_cast<long long>(own.left), static_cast<long long>(own.blanks),
                static_cast<long long>(own.worded), static_cast<long long>(own.inexact),
                own.most_decimals, told_of(task.words), span_of(own));
            if (!one || PyList_SetItem(list, static_cast<Py_ssize_t>(each), one) < 0) {
                Py_DECREF(list);
                return nullptr;
            }
        }
        return list;
    }
    std::vector<Task> tasks;

  private:
    std::vector<std::unique_ptr<LentTask>> held;
};

PyObject* read_rows_(PyObject*, PyObject* args) {
    Lent buffer, lines, name;
    long long low, high, fields, room;
    int changeable, returns, final;
    Marks marks{};
    PyObject* list;
    if (!PyArg_ParseTuple(args, "y*pLLiippLLw*y*O", &buffer.view, &changeable, &low, &high,
                          &marks.delimiter, &marks.quote, &returns, &final, &fields, &room,
                          &lines.view, &name.view, &list))
        return nullptr;
    if (!within(buffer, low, high) || fields < 2 || lines.count<std::int64_t>() < room + 1)
        return refused("read_rows: sizes differ");
    if (changeable && buffer.view.readonly) return refused("read_rows: the buffer is read-only");
    marks.returns = returns != 0;
    Tasks tasks;
    if (!tasks.set(list, room)) return nullptr;
    if (!tasks.all_within(fields)) return refused("read_rows: there is no such field");
    RowsTold told;
    {
        Unlocked unlocked;
        told = read_rows(buffer.as<byte>(), changeable != 0, low, high, marks, final != 0, fields,
                         room, lines.as<std::int64_t>(), Text{name.bytes(), name.view.len},
                         tasks.tasks.data(),
                         static_cast<std::int64_t>(tasks.tasks.size()));
    }
    PyObject* each = tasks.told();
    if (!each) return nullptr;
    return Py_BuildValue("iLLLLOOON", static_cast<int>(told.status),
                         static_cast<long long>(told.count), static_cast<long long>(told.consumed),
                         static_cast<long long>(told.open_quote),
                         static_cast<long long>(told.line_ends), told.ascii ? Py_True : Py_False,
                         told.has_name ? Py_True : Py_False, told.plain ? Py_True : Py_False,
                         each);
}

PyObject* read_records_(PyObject*, PyObject* args) {
    Lent buffer;
    long long first, stride, length, rows;
    PyObject* list;
    if (!PyArg_ParseTuple(args, "y*LLLLO", &buffer.view, &first, &stride, &length, &rows, &list))
        return nullptr;
    const bool fits = first >= 0 && stride >= 0 && length >= 0 && rows >= 0 &&
                      (!rows || first + (rows - 1) * stride + length <= buffer.view.len);
    if (!fits) return refused("read_records: outside of the buffer");
    Tasks tasks;
    if (!tasks.set(list, rows)) return nullptr;
    if (!tasks.all_end_by(length)) return refused("read_records: outside of a record");
    {
        Unlocked unlocked;
        read_records(buffer.bytes(), first, stride, rows, tasks.tasks.data(),
                     static_cast<std::int64_t>(tasks.tasks.size()));
    }
    return tasks.told();
}

PyObject* matched(PyObject*, PyObject* args) {
    Column column;
    Lent words, offsets, into;
    if (!PyArg_ParseTuple(args, "y*y*y*y*y*w*", &column.buffer.view, &column.starts.view,
                          &column.ends.view, &words.view, &offsets.view, &into.view))
        return nullptr;
    if (!column.set() || into.count<std::int64_t>() != column.count)
        return refused("matched: sizes differ");
    std::int64_t found;
    {
        Unlocked unlocked;
        found = match(column.runs(), words.bytes(), offsets.as<const place>(),
                      offsets.count<place>() - 1, into.as<std::int64_t>());
    }
    return PyLong_FromLongLong(found);
}

template <class T>
PyObject* bytes_in(const std::vector<T>& values) {
    return bytes_of(values.data(), values.size() * sizeof(T));
}

PyObject* read_sheet_(PyObject*, PyObject* args) {
    Lent buffer, starts, ends, kinds;
    long long low, high;
    int from_1904, hiding;
    if (!PyArg_ParseTuple(args, "y*LLy*y*y*pp", &buffer.view, &low, &high, &starts.view, &ends.view,
                          &kinds.view, &from_1904, &hiding))
        return nullptr;
    if (!within(buffer, low, high) || starts.view.len != ends.view.len || !kinds.view.len)
        return refused("read_sheet: sizes differ");
    const SheetRule rule{starts.as<const std::int64_t>(), ends.as<const std::int64_t>(),
                         starts.count<std::int64_t>(),    kinds.bytes(),
                         kinds.count<byte>(),             from_1904 != 0,
                         hiding != 0};
    SheetCells cells(static_cast<std::size_t>(high - low) / SHORTEST_CELL + 1);
    bool usual;
    {
        Unlocked unlocked;
        usual = read_sheet(buffer.bytes(), low, high, rule, cells);
    }
    if (!usual) Py_RETURN_NONE;
    const std::size_t count = cells.count;
    return Py_BuildValue(
        "NNNNNNNNNNLO", bytes_of(cells.rows.get(), 4 * count), bytes_of(cells.columns.get(), 2 * count),
        bytes_of(cells.kinds.get(), count), bytes_of(cells.types.get(), count),
        bytes_of(cells.styles.get(), 4 * count), bytes_of(cells.starts.get(), 8 * count),
        bytes_of(cells.ends.get(), 8 * count), bytes_in(cells.texts), bytes_in(cells.special),
        bytes_in(cells.hidden), static_cast<long long>(cells.unknown_strings),
        cells.in_order ? Py_True : Py_False);
}

PyObject* document_rows(PyObject*, PyObject* args) {
    Lent buffer;
    long long low, high;
    if (!PyArg_ParseTuple(args, "y*LL", &buffer.view, &low, &high)) return nullptr;
    if (!within(buffer, low, high)) return refused("document_rows: outside of the buffer");
    DocumentRows found;
    {
        Unlocked unlocked;
        read_document_rows(buffer.bytes(), low, high, found);
    }
    return Py_BuildValue("LLNNNNNNNN", static_cast<long long>(found.consumed),
                         static_cast<long long>(found.rows), bytes_in(found.row),
                         bytes_in(found.column), bytes_in(found.style), bytes_in(found.types),
                         bytes_in(found.ends), bytes_in(found.texts), bytes_in(found.special),
                         bytes_in(found.styles));
}

PyObject* read_strings_(PyObject*, PyObject* args) {
    Lent buffer, starts, ends;
    long long low, high;
    if (!PyArg_ParseTuple(args, "y*LLw*w*", &buffer.view, &low, &high, &starts.view, &ends.view))
        return nullptr;
    if (!within(buffer, low, high) || starts.view.len != ends.view.len)
        return refused("read_strings: sizes differ");
    std::int64_t count;
    {
        Unlocked unlocked;
        count = read_strings(buffer.bytes(), low, high, starts.count<std::int64_t>(),
                             starts.as<std::int64_t>(), ends.as<std::int64_t>());
    }
    return PyLong_FromLongLong(count);
}

PyObject* shorter_numerals_(PyObject*, PyObject* args) {
    Lent buffer, starts, ends, lengths, texts;
    if (!PyArg_ParseTuple(args, "y*y*y*w*w*", &buffer.view, &starts.view, &ends.view,
                          &lengths.view, &texts.view))
        return nullptr;
    const std::int64_t count = starts.count<std::int64_t>();
    if (ends.count<std::int64_t>() != count || lengths.count<std::int8_t>() != count ||
        texts.count<byte>() < 20 * count)
        return refused("shorter_numerals: sizes differ");
    std::int64_t used;
    {
        Unlocked unlocked;
        used = shorter_numerals(buffer.bytes(), starts.as<std::int64_t>(),
                                ends.as<std::int64_t>(), static_cast<std::size_t>(count), lengths.as<std::int8_t>(),
                                texts.as<byte>());
    }
    return PyLong_FromLongLong(used);
}

PyObject* invalid(PyObject*, PyObject* args) {
    Lent buffer;
    long long low, high;
    if (!PyArg_ParseTuple(args, "y*LL", &buffer.view, &low, &high)) return nullptr;
    if (!within(buffer, low, high)) return refused("invalid: outside of the buffer");
    std::int64_t at;
    {
        Unlocked unlocked;
        at = invalid_utf8(buffer.bytes(), low, high);
    }
    return PyLong_FromLongLong(at);
}

PyObject* tallied(PyObject*, PyObject* args) {
    Lent reasons, counts;
    if (!PyArg_ParseTuple(args, "y*w*", &reasons.view, &counts.view)) return nullptr;
    if (counts.count<std::int64_t>() != 256) return refused("tally: there have to be 256 counts");
    {
        Unlocked unlocked;
        tally(reasons.bytes(), reasons.view.len, counts.as<std::int64_t>());
    }
    Py_RETURN_NONE;
}

PyObject* record_places_(PyObject*, PyObject* args) {
    Lent data, kinds, places;
    long long at;
    int begins, ends;
    if (!PyArg_ParseTuple(args, "y*Liiw*w*", &data.view, &at, &begins, &ends, &kinds.view,
                          &places.view))
        return nullptr;
    const long long most = data.view.len / 4 + 1;
    if (at < 0 || kinds.view.len < 2 * most || places.view.len < 8 * most)
        return refused("record_places: no room");
    std::int64_t count;
    {
        Unlocked unlocked;
        count = record_places(data.bytes(), data.view.len, at, static_cast<unsigned>(begins),
                              static_cast<unsigned>(ends), kinds.as<std::uint16_t>(),
                              places.as<std::int64_t>());
    }
    return PyLong_FromLongLong(count);
}

PyObject* big_endian_(PyObject*, PyObject* args) {
    Lent data, at, numbers;
    int width;
    if (!PyArg_ParseTuple(args, "y*y*iw*", &data.view, &at.view, &width, &numbers.view))
        return nullptr;
    const std::int64_t count = at.count<std::int64_t>();
    if ((width != 2 && width != 4 && width != 8) || numbers.count<std::int64_t>() < count)
        return refused("big_endian: no room, or no such width");
    bool good;
    {
        Unlocked unlocked;
        good = big_endian(data.bytes(), data.view.len, at.as<const std::int64_t>(), count, width,
                          numbers.as<std::int64_t>());
    }
    return PyBool_FromLong(good);
}

PyObject* extremes_(PyObject*, PyObject* args) {
    Lent values, reasons, looks, counts;
    int whole;
    if (!PyArg_ParseTuple(args, "y*py*y*w*", &values.view, &whole, &reasons.view, &looks.view,
                          &counts.view))
        return nullptr;
    const std::int64_t count = values.count<std::int64_t>();
    if ((reasons.view.len && reasons.view.len != count) || looks.view.len != counts.view.len)
        return refused("extremes: sizes differ");
    const byte* const why = reasons.view.len ? reasons.bytes() : nullptr;
    const Looks given{looks.as<const double>(), looks.count<double>(), counts.as<std::int64_t>()};
    Extremes found;
    {
        Unlocked unlocked;
        found = whole ? extremes(values.as<const std::int64_t>(), why, count, given)
                      : extremes(values.as<const double>(), why, count, given);
    }
    return Py_BuildValue("ddL", found.low, found.high, static_cast<long long>(found.seen));
}

PyObject* instructions(PyObject*, PyObject* args) {
    const char* name = nullptr;
    if (!PyArg_ParseTuple(args, "|s", &name)) return nullptr;
    if (name && !choose_instructions(name)) return refused("this processor has no such instructions");
    return PyUnicode_FromString(instruction_set());
}

// A kernel for which there may be too little memory: Python is told so, and nothing ends.
template <PyObject* (*kernel)(PyObject*, PyObject*)>
PyObject* guarded(PyObject* self, PyObject* args) noexcept {
    try {
        return kernel(self, args);
    } catch (const std::exception&) {  // bad_alloc, or a vector that is asked for too much
        return PyErr_NoMemory();
    }
}

PyMethodDef METHODS[] = {
    {"survey", guarded<survey>, METH_VARARGS, nullptr},
    {"cut", guarded<cut>, METH_VARARGS, nullptr},
    {"split", guarded<split>, METH_VARARGS, nullptr},
    {"close_up", guarded<closed_up>, METH_VARARGS, nullptr},
    {"read_numbers", guarded<read_numbers>, METH_VARARGS, nullptr},
    {"powers", guarded<powers>, METH_VARARGS, nullptr},
    {"read_times", guarded<read_times_>, METH_VARARGS, nullptr},
    {"read_rows", guarded<read_rows_>, METH_VARARGS, nullptr},
    {"read_records", guarded<read_records_>, METH_VARARGS, nullptr},
    {"trim", guarded<trimmed>, METH_VARARGS, nullptr},
    {"blank", guarded<blanks>, METH_VARARGS, nullptr},
    {"total_length", guarded<length_of>, METH_VARARGS, nullptr},
    {"gather", guarded<gathered>, METH_VARARGS, nullptr},
    {"encode", guarded<encoded>, METH_VARARGS, nullptr},
    {"hashes", guarded<hashed>, METH_VARARGS, nullptr},
    {"spread_length", guarded<spread_length_>, METH_VARARGS, nullptr},
    {"spread", guarded<spread_>, METH_VARARGS, nullptr},
    {"read_sheet", guarded<read_sheet_>, METH_VARARGS, nullptr},
    {"document_rows", guarded<document_rows>, METH_VARARGS, nullptr},
    {"read_strings", guarded<read_strings_>, METH_VARARGS, nullptr},
    {"shorter_numerals", guarded<shorter_numerals_>, METH_VARARGS, nullptr},
    {"match", guarded<matched>, METH_VARARGS, nullptr},
    {"invalid_utf8", guarded<invalid>, METH_VARARGS, nullptr},
    {"tally", guarded<tallied>, METH_VARARGS, nullptr},
    {"record_places", guarded<record_places_>, METH_VARARGS, nullptr},
    {"big_endian", guarded<big_endian_>, METH_VARARGS, nullptr},
    {"extremes", guarded<extremes_>, METH_VARARGS, nullptr},
    {"instructions", guarded<instructions>, METH_VARARGS, nullptr},
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
