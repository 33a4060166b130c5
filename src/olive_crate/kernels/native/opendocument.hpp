// Rows of an OpenDocument sheet in the form that common writers produce, without a parser.
#pragma once

#include <vector>

#include "common.hpp"

namespace olive {

// What a cell says it is, by `office:value-type`.
enum class ValueType { none = 0, number = 1, text = 2, logical = 3, date = 4, time = 5, moment = 6 };

struct DocumentRows {
    std::int64_t consumed = 0;  // behind the last row that was read
    std::int64_t rows = 0;
    std::vector<std::int32_t> row, column, style;  // row: counted from 0; style: a place in `styles`
    std::vector<byte> types;
    std::vector<std::int64_t> ends;  // of each text in `texts`
    std::vector<byte> texts;
    std::vector<std::int32_t> special;  // cells whose text has entities, or blanks that do not count
    std::vector<byte> styles;           // name and currency of each style, a zero behind each
};

// Rows from `low` on, as long as they are usual and end before `high`. A row in any other form is left
// to a parser.
void read_document_rows(const byte* buffer, std::int64_t low, std::int64_t high, DocumentRows& into);

}  // namespace olive
