// Dates and times by pattern: POSIX `strptime` directives (IEEE Std 1003.1) and literal text.
//
// Cells of a pattern's full width are checked eight bytes at a time; all others are read with a
// cursor. Days are counted by the proleptic Gregorian calendar with the years-from-March arithmetic
// of E. G. Richards, "Mapping Time", Oxford 1998.

static int width_of(byte kind) { return kind == 'Y' ? 4 : kind == 'j' ? 3 : kind == 'f' ? 6 : 2; }

struct Parts {
    int year = 0, month = 0, day = 0, of_year = 0, hour = 0, minute = 0, second = 0;
    int fraction = 0, east = 0, afternoon = 0;
    bool has_year = false, has_of_year = false, has_hour = false, twelve = false;

    void set(byte kind, int value) {
        switch (kind) {
            case 'Y': year = value; has_year = true; break;
            case 'y': year = value + (value < 69 ? 2000 : 1900); has_year = true; break;
            case 'm': month = value; break;
            case 'd': day = value; break;
            case 'j': of_year = value; has_of_year = true; break;
            case 'H': if (!twelve) hour = value; has_hour = true; break;
            case 'I': hour = value; has_hour = true; twelve = true; break;
            case 'M': minute = value; break;
            case 'S': second = value; break;
            default: fraction = value;
        }
    }
};

static bool is_leap(int year) { return year % 4 == 0 && (year % 100 != 0 || year % 400 == 0); }

static int days_from(int year, int month, int day) {
    if (year >= FIRST_YEAR && year < LAST_YEAR)
        return MONTH_STARTS[12 * (year - FIRST_YEAR) + month - 1] + day - 1;
    const bool early = month <= 2;
    year -= early;
    month += early ? 9 : -3;
    return 365 * year + year / 4 - year / 100 + year / 400 + (153 * month + 2) / 5 + day - 719469;
}

// Days and microseconds, if each part is in its range.
static bool meaning(const Parts& parts, std::int64_t& days, std::int64_t& micros) {
    days = micros = 0;
    if (parts.has_year) {
        if (parts.year < 1) return false;
        if (parts.has_of_year) {
            if (parts.of_year < 1 || parts.of_year > 365 + is_leap(parts.year)) return false;
            days = days_from(parts.year, 1, 1) + parts.of_year - 1;
        } else {
            if (parts.month < 1 || parts.month > 12 || parts.day < 1) return false;
            const int last =
                LENGTHS[parts.month - 1] + (parts.month == 2 && is_leap(parts.year));
            if (parts.day > last) return false;
            days = days_from(parts.year, parts.month, parts.day);
        }
    }
    int hour = parts.hour;
    if (parts.twelve) {
        if (hour < 1 || hour > 12) return false;
        hour = hour % 12 + 12 * parts.afternoon;
    }
    if (hour >= 24 || parts.minute >= 60 || parts.second >= 60) return false;
    if (parts.has_hour)
        micros = ((hour * 60ll + parts.minute) * 60 + parts.second) * 1000000 + parts.fraction;
    micros -= parts.east * 60000000ll;
    return true;
}

struct Cursor {
    const byte* at;
    const byte* end;

    byte here() const { return at < end ? *at : 0; }

    int number(int most, int& count) {
        const byte* const from = at;
        const byte* const stop = end - at > most ? at + most : end;
        int value = 0;
        while (at < stop && is_digit(*at)) value = value * 10 + (*at++ - '0');
        count = static_cast<int>(at - from);
        return value;
    }

    bool word(const char* name, int length) {
        if (end - at < length) return false;
        for (int place = 0; place < length; ++place)
            if ((at[place] | 0x20) != (name[place] | 0x20)) return false;
        at += length;
        return true;
    }

    // The number of the month whose whole name, or its first three letters, stands here; else 0.
    int month() {
        if (end - at < 3) return 0;
        const std::uint64_t first = (fetch(at) | 0x202020) & 0xFFFFFF;
        const int found = MONTH_SLOTS[(first * MONTH_FACTOR >> 16) % 64];
        if (MONTH_HEADS[found] != first) return 0;
        const bool longer = end - at > 3 && static_cast<byte>((at[3] | 0x20) - 'a') < 26;
        if (!longer || !word(MONTHS[found], static_cast<int>(std::strlen(MONTHS[found])))) at += 3;
        return found + 1;
    }

    // Minutes east of UTC: `Z`, `+01:00`, `+0100` or `+01`.
    bool zone(int& east) {
        const byte mark = here();
        if (mark == 'Z' || mark == 'z') {
            ++at;
            east = 0;
            return true;
        }
        if (mark != '+' && mark != '-') return false;
        ++at;
        int count;
        const int hours = number(2, count);
        if (!count || hours >= 24) return false;
        const bool colon = here() == ':';
        at += colon;
        const int minutes = number(2, count);
        if (count != 2 && (count || colon)) return false;
        east = hours * 60 + minutes;
        if (mark == '-') east = -east;
        return true;
    }
};

static bool by_cursor(const byte* at, const byte* end, const Pattern& pattern, Parts& parts) {
    Cursor cursor{at, end};
    for (std::int64_t step = 0; step < pattern.count; ++step) {
        const byte kind = pattern.steps[2 * step], literal = pattern.steps[2 * step + 1];
        if (!kind) {
            if (cursor.here() != literal || cursor.at >= end) return false;
            ++cursor.at;
        } else if (kind == 'b') {
            parts.month = cursor.month();
            if (!parts.month) return false;
        } else if (kind == 'p') {
            if (cursor.word("pm", 2))
                parts.afternoon = 1;
            else if (cursor.word("am", 2))
                parts.afternoon = 0;
            else
                return false;
        } else if (kind == 'z') {
            if (!cursor.zone(parts.east)) return false;
        } else {
            int count;
            int value = cursor.number(width_of(kind), count);
            if (!count) return false;
            if (kind == 'f') {
                for (; count < 6; ++count) value *= 10;
            } else if ((kind == 'Y' || pattern.exact) && count != width_of(kind)) {
                return false;
            }
            parts.set(kind, value);
        }
    }
    return cursor.at == end;
}

// Masks of the literal bytes and of the digits of a pattern of fixed width, and where each
// directive stands; -1 where it does not.
struct Fixed {
    std::uint64_t literal[3] = {}, literal_mask[3] = {}, digit_mask[3] = {};
    int words = 0;
    int year = -1, short_year = -1, month = -1, day = -1, of_year = -1;
    int hour = -1, of_twelve = -1, minute = -1, second = -1;

    explicit Fixed(const Pattern& pattern) {
        if (pattern.width == 0 || pattern.width > 24) return;
        int position = 0;
        for (std::int64_t step = 0; step < pattern.count; ++step) {
            const byte kind = pattern.steps[2 * step], each = pattern.steps[2 * step + 1];
            const int width = kind ? width_of(kind) : 1;
            std::uint64_t* const mask = kind ? digit_mask : literal_mask;
            for (int at = position; at < position + width; ++at) {
                const int shift = 8 * (at % 8);
                mask[at / 8] |= 0xFFull << shift;
                if (!kind) literal[at / 8] |= static_cast<std::uint64_t>(each) << shift;
            }
            switch (kind) {
                case 'Y': year = position; break;
                case 'y': short_year = position; break;
                case 'm': month = position; break;
                case 'd': day = position; break;
                case 'j': of_year = position; break;
                case 'H': hour = position; break;
                case 'I': of_twelve = position; break;
                case 'M': minute = position; break;
                case 'S': second = position; break;
                default: break;
            }
            position += width;
        }
        words = (position + 7) / 8;
    }

    // Nothing but year, month and day?
    bool is_date() const {
        return words && year >= 0 && month >= 0 && day >= 0 && short_year < 0 && of_year < 0 &&
               hour < 0 && of_twelve < 0 && minute < 0 && second < 0;
    }

    static int two(const byte* at) { return (at[0] - '0') * 10 + (at[1] - '0'); }

    bool fits(const byte* at) const {
        std::uint64_t wrong = 0;
        for (int word = 0; word < words; ++word) {
            const std::uint64_t held = fetch(at + 8 * word);
            const std::uint64_t plain = (held ^ ZEROS) & digit_mask[word];
            wrong |= (held & literal_mask[word]) ^ literal[word];
            wrong |= ((plain + 0x7676767676767676ull) | plain) & HIGH;
        }
        return wrong == 0;
    }

    // A date and a time of day, or one of them, told by their usual parts alone?
    bool is_usual() const {
        const bool whole_date = year >= 0 && month >= 0 && day >= 0;
        const bool no_date = year < 0 && month < 0 && day < 0;
        const bool clock = hour >= 0 ? minute >= 0 : minute < 0 && second < 0;
        return words && (whole_date || (no_date && hour >= 0)) && clock && short_year < 0 &&
               of_year < 0 && of_twelve < 0;
    }

    // The same as `read` and `meaning`, where that is so; false for years beyond the table, too.
    bool read_usual(const byte* at, std::int64_t& days, std::int64_t& micros) const {
        if (!fits(at)) return false;
        days = micros = 0;
        if (year >= 0) {
            const unsigned since =
                static_cast<unsigned>(two(at + year) * 100 + two(at + year + 2) - FIRST_YEAR);
            const unsigned of_year = static_cast<unsigned>(two(at + month) - 1);
            const int of_month = two(at + day);
            if (since >= LAST_YEAR - FIRST_YEAR || of_year >= 12 || of_month < 1) return false;
            const place* const start = MONTH_STARTS + 12 * since + of_year;
            days = start[0] + of_month - 1;
            if (days >= start[1]) return false;
        }
        if (hour < 0) return true;
        const int hours = two(at + hour), minutes = two(at + minute);
        const int seconds = second >= 0 ? two(at + second) : 0;
        micros = ((hours * 60ll + minutes) * 60 + seconds) * 1000000;
        return hours < 24 && minutes < 60 && seconds < 60;
    }

    bool read(const byte* at, Parts& parts) const {
        if (!fits(at)) return false;
        if (short_year >= 0) parts.set('y', two(at + short_year));
        if (year >= 0) parts.set('Y', two(at + year) * 100 + two(at + year + 2));
        if (month >= 0) parts.month = two(at + month);
        if (day >= 0) parts.day = two(at + day);
        if (of_year >= 0) parts.set('j', two(at + of_year) * 10 + (at[of_year + 2] - '0'));
        if (hour >= 0) parts.set('H', two(at + hour));
        if (of_twelve >= 0) parts.set('I', two(at + of_twelve));
        if (minute >= 0) parts.minute = two(at + minute);
        if (second >= 0) parts.second = two(at + second);
        return true;
    }
};

// Days and microseconds of one cell by any pattern.
static inline bool read_one(const byte* at, const byte* end, const Pattern& pattern,
                            const Fixed& fixed, std::int64_t& days, std::int64_t& micros) {
    Parts parts;
    const bool whole = fixed.words && end - at == pattern.width;
    return (whole ? fixed.read(at, parts) : by_cursor(at, end, pattern, parts)) &&
           meaning(parts, days, micros);
}

// Cells that may follow one of several patterns: the one that the last cell followed is tried first.
class Moments {
  public:
    explicit Moments(const Patterns& patterns) : patterns(patterns) {
        fixed.reserve(static_cast<std::size_t>(patterns.count));
        for (int each = 0; each < patterns.count; ++each) fixed.emplace_back(patterns.all[each]);
        set_usual();
        words_first = patterns.writing && patterns.writing->has_codes();
    }

    int usual() const { return *patterns.usual; }
    const Pattern& pattern() const { return patterns.all[usual()]; }
    const Fixed& shape() const { return fixed[static_cast<std::size_t>(usual())]; }
    bool words_first;  // a word may look like a date, and is none

    // The reason of a cell, 0 if it could be read.
    byte take(const byte* at, const byte* end, std::int64_t& days, std::int64_t& micros,
              NumbersTold& told) {
        if (is_usual && !words_first && end - at == width && shape().read_usual(at, days, micros))
            return 0;
        if (!words_first && read_one(at, end, pattern(), shape(), days, micros)) return 0;
        trim(at, end);
        if (at == end) {
            ++told.blanks;
            return 1;
        }
        if (const byte why = patterns.writing ? patterns.writing->reason_of(at, end) : 0) {
            ++told.worded;
            return why;
        }
        if (read_one(at, end, pattern(), shape(), days, micros)) return 0;
        for (int each = 0; each < patterns.count; ++each) {
            if (!read_one(at, end, patterns.all[each], fixed[static_cast<std::size_t>(each)], days,
                          micros))
                continue;
            *patterns.usual = each;
            set_usual();
            return 0;
        }
        ++told.left;
        return 2;
    }

  private:
    void set_usual() {
        is_usual = shape().is_usual();
        width = pattern().width;
    }

    const Patterns& patterns;
    std::vector<Fixed> fixed;
    bool is_usual = false;
    std::int64_t width = 0;
};

// Dates of which every directive has its full width, by a table of months.
template <class Cells>
static void read_dates(const Cells cells, std::int64_t count, Moments& moments, place* const values,
                       byte* const reasons, NumbersTold& told) {
    const Fixed& fixed = moments.shape();
    const Lanes::Dates dates(fixed.literal, fixed.literal_mask, fixed.digit_mask, fixed.year,
                             fixed.month, fixed.day);
    const int width = moments.pattern().width;
    for (std::int64_t cell = 0; cell < count; ++cell) {
        const byte *const at = cells.begin(cell), *const end = cells.end(cell);
        std::uint64_t parts;
        const bool fits = dates.read(at, parts) && end - at == width;
        const unsigned since = static_cast<unsigned>((parts & 0xFFFF) * 100) +
                               static_cast<unsigned>((parts >> 16) & 0xFFFF) - FIRST_YEAR;
        const unsigned month = static_cast<unsigned>((parts >> 32) & 0xFFFF) - 1;
        const int day = static_cast<int>(parts >> 48);
        byte why;
        place found = 0;
        if (fits && since < LAST_YEAR - FIRST_YEAR && month < 12) {
            const place* const start = MONTH_STARTS + 12 * since + month;
            found = start[0] + day - 1;
            const bool read = day >= 1 && found < start[1];
            why = read ? 0 : 2;
            told.left += !read;
        } else {
            std::int64_t days = 0, micros = 0;
            why = moments.take(at, end, days, micros, told);
            found = static_cast<place>(days);
        }
        values[cell] = why ? 0 : found;
        reasons[cell] = why;
    }
}

template <class Cells>
static NumbersTold read_all_times(const Cells cells, std::int64_t count, const Patterns& patterns,
                                  Unit unit, void* values, byte* reasons) {
    NumbersTold told;
    Moments moments(patterns);
    if (unit == Unit::days && patterns.count == 1 && !moments.words_first &&
        moments.shape().is_date() && moments.shape().words <= 2) {
        read_dates(cells, count, moments, static_cast<place*>(values), reasons, told);
        return told;
    }
    for (std::int64_t cell = 0; cell < count; ++cell) {
        std::int64_t days = 0, micros = 0;
        const byte why = moments.take(cells.begin(cell), cells.end(cell), days, micros, told);
        reasons[cell] = why;
        if (why) days = micros = 0;
        if (unit == Unit::days)
            static_cast<place*>(values)[cell] = static_cast<place>(days);
        else
            static_cast<std::int64_t*>(values)[cell] =
                unit == Unit::of_day ? micros : days * DAY_US + micros;
    }
    return told;
}

static NumbersTold read_times(const CellsAt& cells, const Patterns& patterns, Unit unit,
                              void* values, byte* reasons) {
    return cells.visit([&](const auto& each) {
        return read_all_times(each, cells.count, patterns, unit, values, reasons);
    });
}
