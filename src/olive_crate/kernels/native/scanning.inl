// The scan of 64 bytes at a time, for one instruction set; `Wide` gives the masks.
//
// A mask has a bit for each of the 64 bytes. What lies within quotes is the running parity of the
// quotes (prefix XOR), which holds as long as each quote that opens stands at the start of a field
// or right behind one that closes; the scan checks that and gives up where it fails.
// The mask technique is that of G. Langdale and D. Lemire, "Parsing gigabytes of JSON per second",
// The VLDB Journal 28 (2019), sections 3.1.1 and 3.1.2.

static inline std::uint64_t below(int bit) { return (1ull << bit) - 1; }

// 64 bytes from `at` on; those at and beyond `high` are zero.
struct Piece {
    byte held[64];
    const byte* from(const byte* buffer, std::int64_t at, std::int64_t high) {
        if (at + 64 <= high) return buffer + at;
        std::memset(held, 0, 64);
        std::memcpy(held, buffer + at, static_cast<std::size_t>(high - at));
        return held;
    }
};

static Survey survey(const byte* buffer, std::int64_t low, std::int64_t high, Marks marks) {
    Survey found;
    Piece piece;
    std::uint64_t before = 0;
    for (std::int64_t at = low; at < high; at += 64) {
        ahead(buffer + at);
        const Wide wide(piece.from(buffer, at, high));
        const std::uint64_t feeds = wide.equal('\n'), returns = wide.equal('\r');
        found.feeds += count_bits(feeds);
        if (returns | before) {
            found.returns += count_bits(returns);
            found.pairs += count_bits(((returns << 1) | before) & feeds);
        }
        before = returns >> 63;
        if (marks.delimiter >= 0)
            found.delimiters += count_bits(wide.equal(static_cast<byte>(marks.delimiter)));
        if (marks.quote) found.quotes += count_bits(wide.equal(static_cast<byte>(marks.quote)));
        found.ascii = found.ascii && !wide.high();
    }
    return found;
}

// Behind the last line end outside of quotes, if quotes open and close in turn; `low` if none.
static Seen cut(const byte* buffer, std::int64_t low, std::int64_t high, Marks marks) {
    Seen seen;
    seen.cut = low;
    const bool half = high > low && buffer[high - 1] == '\r';  // a line feed may follow
    const std::int64_t until = half ? high - 1 : high;
    seen.returns = half;
    Piece piece;
    std::uint64_t carry = 0;
    for (std::int64_t at = low; at < until; at += 64) {
        ahead(buffer + at);
        const Wide wide(piece.from(buffer, at, until));
        std::uint64_t ends = wide.equal('\n');
        const std::uint64_t returns = wide.equal('\r');
        seen.feeds += count_bits(ends);
        if (returns) {
            const std::uint64_t next = at + 64 < until && buffer[at + 64] == '\n' ? 1ull << 63 : 0;
            seen.returns += count_bits(returns);
            ends |= returns & ~((ends >> 1) | next);
        }
        if (marks.quote) {
            const std::uint64_t quotes = wide.equal(static_cast<byte>(marks.quote));
            const std::uint64_t within = Wide::prefix_parity(quotes) ^ carry;
            seen.quotes += count_bits(quotes);
            carry = 0 - (within >> 63);
            ends &= ~within;
        }
        seen.records += count_bits(ends);
        if (ends) seen.cut = at + 64 - leading_zeros(ends);
    }
    return seen;
}

template <bool QUOTES, bool RETURNS, bool EVEN>
static bool split_as(const byte* buffer, std::int64_t low, std::int64_t high, Marks marks,
                     bool final, const Borders& out, Outcome& told) {
    const byte delimiter = static_cast<byte>(marks.delimiter);
    const byte quote = static_cast<byte>(marks.quote);
    const bool delimited = marks.delimiter >= 0;
    const std::int64_t room = out.room, wanted = out.fields, step = EVEN ? room : 1;
    std::uint64_t carry = 0, may_open = 1;
    std::int64_t start = low, head = low, slot = 0, in_record = 0, record = 0, index = 0;
    std::int64_t quoted_ends = 0, closing = 0;
    bool full = false;
    place* const starts = out.starts;
    place* const ends = out.ends;
    std::int64_t* const lines = out.lines;
    Piece piece;
    lines[0] = 0;
    told.consumed = low;
    if (!EVEN) out.record[0] = 0;
    for (std::int64_t at = low; at < high && !full; at += 64) {
        const Wide wide(piece.from(buffer, at, high));
        std::uint64_t line_ends = wide.equal('\n');
        std::uint64_t separators = delimited ? wide.equal(delimiter) : 0;
        std::uint64_t within = 0, behind = 0;
        if (RETURNS) {
            const std::uint64_t returns = wide.equal('\r');
            if (returns) {
                const std::uint64_t next =
                    at + 64 < high && buffer[at + 64] == '\n' ? 1ull << 63 : 0;
                behind = returns;
                line_ends |= returns & ~((line_ends >> 1) | next);
            }
        }
        separators |= line_ends;
        if (QUOTES) {
            const std::uint64_t quotes = wide.equal(quote);
            if (quotes | carry) {
                within = Wide::prefix_parity(quotes) ^ carry;
                carry = 0 - (within >> 63);
                const std::uint64_t free = (separators | behind | quotes) & ~within;
                if (quotes & within & ~((free << 1) | may_open)) return false;
                may_open = free >> 63;
                separators &= ~within;
            } else {
                may_open = (separators | behind) >> 63;
            }
        }
        for (std::uint64_t rest = separators; rest; rest &= rest - 1) {
            const int bit = trailing_zeros(rest);
            const std::int64_t position = at + bit;
            const bool is_end = (line_ends >> bit) & 1;
            std::int64_t first = start, end = position;
            if (RETURNS && is_end && buffer[position] == '\n' && position > low &&
                buffer[position - 1] == '\r')
                end -= 1;
            if (QUOTES && buffer[first] == quote) closing += !unwrapped(buffer, quote, first, end);
            if (!EVEN || in_record < wanted) {
                starts[slot] = static_cast<place>(first);
                ends[slot] = static_cast<place>(end);
            }
            start = position + 1;
            slot += step;
            in_record += 1;
            if (is_end) {
                if (EVEN) {
                    if (in_record != wanted) {
                        told.even = false;
                        return true;
                    }
                } else {
                    index += in_record;
                    out.heads[record] = head;
                    out.record[record + 1] = index;
                    head = start;
                }
                record += 1;
                in_record = 0;
                if (EVEN) slot = record;
                lines[record] = record + quoted_ends;
                if (QUOTES) lines[record] += count_bits(line_ends & within & below(bit));
                told.consumed = start;
                if (EVEN && record == room) {
                    full = true;
                    break;
                }
            }
        }
        if (QUOTES) quoted_ends += count_bits(line_ends & within);
    }
    if (QUOTES && carry && final && !full) return false;  // where it opens is found the slow way
    if (final && high > low && told.consumed != high && !full) {
        std::int64_t first = start, end = high;
        if (QUOTES && first < end && buffer[first] == quote)
            closing += !unwrapped(buffer, quote, first, end);
        in_record += 1;
        if (EVEN && in_record != wanted) {
            told.even = false;
            return true;
        }
        starts[slot] = static_cast<place>(first);
        ends[slot] = static_cast<place>(end);
        if (!EVEN) {
            index += in_record;
            out.heads[record] = head;
            out.record[record + 1] = index;
        }
        record += 1;
        lines[record] = record + quoted_ends;
        told.consumed = high;
    }
    told.fields = EVEN ? record * wanted : index;
    told.records = record;
    told.closing = closing;
    return true;
}

static bool split(const byte* buffer, std::int64_t low, std::int64_t high, Marks marks, bool final,
                  Borders& out, Outcome& told) {
    const bool even = out.fields > 0;
    if (marks.quote && marks.returns)
        return even ? split_as<true, true, true>(buffer, low, high, marks, final, out, told)
                    : split_as<true, true, false>(buffer, low, high, marks, final, out, told);
    if (marks.quote)
        return even ? split_as<true, false, true>(buffer, low, high, marks, final, out, told)
                    : split_as<true, false, false>(buffer, low, high, marks, final, out, told);
    if (marks.returns)
        return even ? split_as<false, true, true>(buffer, low, high, marks, final, out, told)
                    : split_as<false, true, false>(buffer, low, high, marks, final, out, told);
    return even ? split_as<false, false, true>(buffer, low, high, marks, final, out, told)
                : split_as<false, false, false>(buffer, low, high, marks, final, out, told);
}

template <bool QUOTES>
static Stopped stops_as(const byte* buffer, std::int64_t low, std::int64_t high, Marks marks,
                        place* const stops, place* const quoted) {
    const byte delimiter = static_cast<byte>(marks.delimiter);
    const byte quote = static_cast<byte>(marks.quote);
    std::uint64_t carry = 0, may_open = 1, fresh = 1, astray = 0, doubled = 0, quoting = 0;
    std::int64_t feeds = 0, records = 0;
    bool beyond_ascii = false;
    place *stop = stops, *within_quotes = quoted;
    Stopped told;
    Piece piece;
    for (std::int64_t at = low; at < high; at += 64) {
        ahead(buffer + at);
        const Wide wide(piece.from(buffer, at, high));
        std::uint64_t line_ends = wide.equal('\n'), separators = wide.equal(delimiter), behind = 0;
        const std::uint64_t returns = wide.equal('\r');
        beyond_ascii |= wide.high();
        feeds += count_bits(line_ends);
        if (returns) {
            const std::uint64_t next = at + 64 < high && buffer[at + 64] == '\n' ? 1ull << 63 : 0;
            const std::uint64_t pairs = returns & ((line_ends >> 1) | next);
            told.survey.returns += count_bits(returns);
            told.survey.pairs += count_bits(pairs);
            behind = returns;
            line_ends |= returns & ~pairs;
        }
        separators |= line_ends;
        if (QUOTES) {
            const std::uint64_t quotes = wide.equal(quote);
            const std::uint64_t apart = separators | behind;
            quoting |= quotes;
            if (quotes | carry) {
                const std::uint64_t within = Wide::prefix_parity(quotes) ^ carry;
                const std::uint64_t opening = quotes & within;
                carry = 0 - (within >> 63);
                const std::uint64_t free = (apart | quotes) & ~within;
                astray |= opening & ~((free << 1) | may_open);
                doubled |= opening & ~(((apart & ~within) << 1) | fresh);
                may_open = free >> 63;
                fresh = (apart & ~within) >> 63;
                if (line_ends & within) within_quotes = Wide::put(line_ends & within, at, within_quotes);
                separators &= ~within;
                line_ends &= ~within;
            } else {
                may_open = fresh = apart >> 63;
            }
        }
        records += count_bits(line_ends);
        stop = Wide::put(separators, at, stop);
    }
    told.survey.feeds = feeds;
    told.survey.ascii = !beyond_ascii;
    told.quotes = quoting != 0;
    told.records = records;
    told.count = stop - stops;
    told.quoted = within_quotes - quoted;
    told.in_turn = !astray;
    told.doubled = doubled != 0;
    told.open = carry != 0;
    return told;
}

// Where fields end, as far as quotes open and close in turn: `stops` and `quoted` have room for 64
// more than the bytes.
static Stopped find_stops(const byte* buffer, std::int64_t low, std::int64_t high, Marks marks,
                          place* stops, place* quoted) {
    return marks.quote ? stops_as<true>(buffer, low, high, marks, stops, quoted)
                       : stops_as<false>(buffer, low, high, marks, stops, quoted);
}

// Which cells have no reason, 64 at a time; how many have one, and which.
static Missing validity(const byte* reasons, std::int64_t count, byte* bits) {
    Missing found;
    std::int64_t at = 0;
    byte first = 0;
    bool alone = true;
    for (; at + 64 <= count; at += 64) {
        const Wide all(reasons + at);
        const std::uint64_t present = all.equal(0);
        if (bits) {
            put_word(bits, present);
            bits += 8;
        }
        if (present == ~0ull) continue;
        found.count += 64 - count_bits(present);
        if (!first) first = reasons[at + trailing_zeros(~present)];
        alone &= (present | all.equal(first)) == ~0ull;
    }
    for (int bit = 0; at < count; ++at, ++bit) {
        const byte reason = reasons[at];
        if (bits && bit % 8 == 0) bits[bit / 8] = 0;
        if (bits) bits[bit / 8] |= static_cast<byte>((reason == 0) << (bit % 8));
        if (!reason) continue;
        found.count += 1;
        if (!first) first = reason;
        alone &= reason == first;
    }
    found.only = alone ? first : byte(0);
    return found;
}
