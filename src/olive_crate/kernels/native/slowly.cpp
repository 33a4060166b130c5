// Structure by one byte after the other, and texts closed up over what is no part of them.

#include "structure.hpp"

namespace olive {

void split_slowly(const byte* buffer, std::int64_t low, std::int64_t high, Marks marks, bool final,
                  Borders& out, Outcome& told) {
    const bool even = out.fields > 0;
    std::int64_t start = low, head = low, index = 0, record = 0, in_record = 0, lines = 0;
    std::int64_t opened = -1, closing = 0;
    std::int64_t dropped = 0, last_dropped = -1;
    bool within = false;
    out.lines[0] = 0;
    if (!even) out.record[0] = 0;
    told.consumed = low;
    const auto keep = [&](std::int64_t end) {
        std::int64_t first = start;
        if (dropped == 2 && buffer[first] == marks.quote && last_dropped == end - 1) {
            first += 1;
            end -= 1;
        } else if (dropped) {
            end = ~end;
            closing += 1;
        }
        const bool fits = !even || in_record < out.fields;
        const std::int64_t slot = even ? in_record * out.room + record : index;
        if (fits) {
            out.starts[slot] = static_cast<place>(first);
            out.ends[slot] = static_cast<place>(end);
        }
        index += 1;
        in_record += 1;
        dropped = 0;
    };
    const auto close = [&](std::int64_t stop) {
        if (even && in_record != out.fields) told.even = false;
        if (!even) {
            out.heads[record] = head;
            out.record[record + 1] = index;
        }
        record += 1;
        out.lines[record] = lines;
        head = stop;
        in_record = 0;
        told.fields = index;
        told.records = record;
        told.consumed = stop;
    };
    for (std::int64_t at = low; at < high; ++at) {
        const byte each = buffer[at];
        if (marks.quote && each == marks.quote) {
            if (within) {
                dropped += 1;
                last_dropped = at;
                if (at + 1 < high && buffer[at + 1] == marks.quote)
                    at += 1;
                else
                    within = false;
            } else if (at == start) {
                within = true;
                opened = at;
                dropped += 1;
                last_dropped = at;
            }
            continue;
        }
        const bool paired = each == '\r' && at + 1 < high && buffer[at + 1] == '\n';
        const bool is_end = each == '\n' || (marks.returns && each == '\r' && !paired);
        if (within) {
            lines += is_end;
            continue;
        }
        if (is_end) {
            lines += 1;
            const bool after_return =
                marks.returns && each == '\n' && at > low && buffer[at - 1] == '\r';
            keep(at - after_return);
            start = at + 1;
            close(start);
            if (!told.even) return;
            if (even && record == out.room) {
                told.closing = closing;
                return;
            }
        } else if (each == marks.delimiter) {
            keep(at);
            start = at + 1;
        }
    }
    if (within) told.open_quote = opened;
    if (final && high > low && told.consumed != high) {
        keep(high);
        lines += 1;
        close(high);
        if (!told.even) return;
    }
    told.closing = closing;
}

void close_up(byte* buffer, int quote, place* starts, place* ends, std::int64_t count) {
    for (std::int64_t each = 0; each < count; ++each) {
        if (ends[each] >= 0) continue;
        const place end = ~ends[each];
        place to = starts[each];
        bool within = false;
        for (place from = starts[each]; from < end; ++from) {
            if (buffer[from] == quote) {
                if (!within && from == starts[each]) {
                    within = true;
                    continue;
                }
                if (within) {
                    if (from + 1 < end && buffer[from + 1] == quote) {
                        from += 1;
                    } else {
                        within = false;
                        continue;
                    }
                }
            }
            buffer[to++] = buffer[from];
        }
        ends[each] = to;
    }
}

}  // namespace olive
