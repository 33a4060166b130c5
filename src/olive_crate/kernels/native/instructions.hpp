// The kernels that are there once for each instruction set, and the choice among them.
#pragma once

#include "structure.hpp"
#include "figures.hpp"
#include "times.hpp"

namespace olive {

struct Kernels {
    Survey (*survey)(const byte*, std::int64_t, std::int64_t, Marks);
    Seen (*cut)(const byte*, std::int64_t, std::int64_t, Marks);
    Stopped (*find_stops)(const byte*, std::int64_t, std::int64_t, Marks, place*, place*);
    bool (*split)(const byte*, std::int64_t, std::int64_t, Marks, bool, Borders&, Outcome&);
    // `reasons`: 0 read, 1 blank, 2 not a plain numeral that can be read here.
    NumbersTold (*read_integers)(const CellsAt&, NumberRule, std::int64_t* values, byte* reasons);
    NumbersTold (*read_floats)(const CellsAt&, NumberRule, double* values, byte* reasons);
    // `reasons` are the same, of what follows none of the patterns.
    NumbersTold (*read_times)(const CellsAt&, Patterns&, Unit, void* values, byte* reasons);
    Missing (*validity)(const byte* reasons, std::int64_t count, byte* bits);
    std::int64_t (*invalid_utf8)(const byte*, std::int64_t low, std::int64_t high);
};

// The fastest that this processor can run, or those of a name.
const Kernels& in_use();
const char* instruction_set();
bool choose_instructions(const char* name);

}  // namespace olive
