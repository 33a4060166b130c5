// The rows of a sheet's XML in the form that common writers produce, without a parser.
#pragma once

#include <memory>
#include <vector>

#include "instructions.hpp"

namespace olive {

// What a cell's attribute `t` says, and what its value is, as in the NumPy kernels and `grid.py`.
enum CellType { NUMERIC, SHARED, FORMULA_TEXT, INLINE, LOGICAL, FAILED, ISO };
enum CellKind { NUMBER = 1, TEXT, BOOLEAN, ERROR, DATE, TIME, DATETIME, DURATION };

// How cells are to be understood.
struct SheetRule {
    const std::int64_t* string_starts;
    const std::int64_t* string_ends;
    std::int64_t strings;
    const byte* format_kinds;
    std::int64_t formats;
    bool from_1904;
    bool hiding;  // rows may be hidden
};

// Filled cells. Positions of shared strings are those of the strings, all others lie in `texts`.
struct SheetCells {
    explicit SheetCells(std::size_t room_);
    std::size_t room, count = 0;
    std::unique_ptr<std::int32_t[]> rows, styles;
    std::unique_ptr<std::int16_t[]> columns;
    std::unique_ptr<byte[]> kinds, types;
    std::unique_ptr<std::int64_t[]> starts, ends;
    std::vector<byte> texts;
    std::vector<std::int32_t> special;  // cells of which the text has to be looked at again
    std::vector<std::int32_t> hidden;   // rows
    std::int64_t unknown_strings = 0;
    bool in_order = true;
};

constexpr std::size_t SHORTEST_CELL = 22;  // bytes of `<c r="A1"><v>1</v></c>`

// Reads whole rows; false if their form is unusual.
bool read_sheet(const byte* buffer, std::int64_t low, std::int64_t high, const SheetRule& rule,
                SheetCells& into);

// Shared strings of the form `<si><t>…</t></si>`; how many, or -1 where any stands otherwise.
std::int64_t read_strings(const byte* buffer, std::int64_t low, std::int64_t high, std::int64_t room,
                          std::int64_t* starts, std::int64_t* ends);

// Numerals cut to 16 digits that stand for shorter ones (see `reference/numerals.py`): how long each
// is then, 0 where there is none, -1 where it has to be looked at by itself. The texts are joined;
// each takes at most 20 bytes. Returns the bytes that they take.
std::int64_t shorter_numerals(const byte* buffer, const std::int64_t* starts,
                              const std::int64_t* ends, std::size_t count, std::int8_t* lengths,
                              byte* texts);

}  // namespace olive
