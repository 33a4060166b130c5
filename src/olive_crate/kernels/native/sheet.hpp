// The rows of a sheet's XML in the form that common writers produce, without a parser.
#pragma once

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
    std::vector<std::int32_t> rows, styles;
    std::vector<std::int16_t> columns;
    std::vector<byte> kinds, types;
    std::vector<std::int64_t> starts, ends;
    std::vector<byte> texts;
    std::vector<std::int32_t> special;  // cells of which the text has to be looked at again
    std::vector<std::int32_t> hidden;   // rows
    std::int64_t unknown_strings = 0;
    bool in_order = true;
};

// Reads whole rows; false if their form is unusual.
bool read_sheet(const byte* buffer, std::int64_t low, std::int64_t high, const SheetRule& rule,
                SheetCells& into);

}  // namespace olive
