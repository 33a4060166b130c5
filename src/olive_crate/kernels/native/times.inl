// Dates and times by pattern: POSIX `strptime` directives (IEEE Std 1003.1) and literal text.
//
// Cells in which everything stands at its place are read in one go; all others are read with a
// cursor, step by step. Days are counted by the proleptic Gregorian calendar with the years-from-March arithmetic
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

// The number of the month that begins with the three letters at a place; 0 if none does.
static inline int month_at(const byte* at) {
    const std::uint64_t first = (fetch(at) | 0x202020) & 0xFFFFFF;
    const int found = MONTH_SLOTS[(first * MONTH_FACTOR >> 16) % 64];
    return MONTH_NAMES[found].head == first ? found + 1 : 0;
}

// The number of the month whose whole name or first three letters stand at a place, so many letters
// more than three; 0 if none is written so.
static OLIVE_INLINE int month_at(const byte* at, int longer) {
    const std::uint64_t first = (fetch(at) | 0x202020) & 0xFFFFFF;
    const int found = MONTH_SLOTS[(first * MONTH_FACTOR >> 16) % 64];
    const MonthName& name = MONTH_NAMES[found];
    const std::uint64_t letters = (1ull << (8 * longer)) - 1;
    const std::uint64_t other = ((fetch(at + 3) | 0x2020202020202020ull) ^ name.tail) & letters;
    const bool good = (name.head == first) & !other & ((longer == 0) | (longer == name.longer));
    return good ? found + 1 : 0;
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
        const int found = end - at < 3 ? 0 : month_at(at);
        if (!found) return 0;
        const char* const name = MONTHS[found - 1];
        const bool longer = end - at > 3 && static_cast<byte>((at[3] | 0x20) - 'a') < 26;
        if (!longer || !word(name, static_cast<int>(std::strlen(name)))) at += 3;
        return found;
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

// The steps of a pattern from one on.
static bool by_cursor(const byte* at, const byte* end, const Pattern& pattern, std::int64_t from,
                      Parts& parts) {
    Cursor cursor{at, end};
    for (std::int64_t step = from; step < pattern.count; ++step) {
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

// Days of a date within its month and the table; false where it is none.
static OLIVE_INLINE bool days_of(int months, int day, place& days) {
    constexpr unsigned FIRST = 12 * FIRST_YEAR + 1, COUNT = 12 * (LAST_YEAR - FIRST_YEAR);
    const unsigned since = static_cast<unsigned>(months) - FIRST;
    const bool within = since < COUNT;
    const place* const start = MONTH_STARTS + (within ? since : 0);
    days = start[0] + day - 1;
    return within & (days < start[1]);
}

// Months since the year 0, without those of a name.
static OLIVE_INLINE int months_of(const Shape& shape, const Sums& sums) {
    return sums.months + (shape.short_year ? 12 * (sums.of_century < 69 ? 2000 : 1900) : 0);
}

// Days of a date by its digits and the name of its month. PLAIN: its year has four digits and its
// month is a number.
template <bool PLAIN>
static OLIVE_INLINE bool days_of(const Shape& shape, const byte* at, const Sums& sums, place& days) {
    if (PLAIN) return days_of(sums.months, sums.day, days);
    const int month = shape.name < 0 ? 0 : month_at(at + shape.name);
    return days_of(months_of(shape, sums) + month, sums.day, days) & (shape.name < 0 || month > 0);
}

// Microseconds of the day; false where the hour is none of twelve. PLAIN: it is one of 24.
template <bool PLAIN>
static OLIVE_INLINE bool micros_of(const Shape& shape, const byte* at, const Sums& sums,
                                   std::int64_t& micros) {
    constexpr int NOON = 12 * 3600;
    int seconds = sums.seconds;
    bool good = true;
    if (!PLAIN && shape.twelve) {
        good = sums.hour >= 1 && sums.hour <= 12;
        seconds -= sums.hour == 12 ? NOON : 0;
        if (shape.half >= 0) {
            const byte first = at[shape.half] | 0x20;
            seconds += first == 'p' ? NOON : 0;
            good = good && (first == 'a' || first == 'p') && (at[shape.half + 1] | 0x20) == 'm';
        }
    }
    micros = seconds * 1000000ll;
    return good;
}

// What has no place of its own: a fraction of a second, a zone.
static inline bool followed(const byte* at, const byte* end, const Pattern& pattern,
                            const Shape& shape, std::int64_t& micros) {
    const std::int64_t count = end - at;
    const bool is_fraction = shape.tail + 1 == pattern.count && pattern.steps[2 * shape.tail] == 'f';
    if (is_fraction && static_cast<std::uint64_t>(count - 1) < 6) {
        const std::uint64_t plain = (fetch(at) ^ ZEROS) << (64 - 8 * count);
        micros += shape.has_hour ? static_cast<std::int64_t>(digits_value(plain) * SHIFTS[6 - count]) : 0;
        return are_digits(plain);
    }
    Parts parts;
    if (!by_cursor(at, end, pattern, shape.tail, parts)) return false;
    micros += (shape.has_hour ? parts.fraction : 0) - parts.east * 60000000ll;
    return true;
}

// Days and microseconds of a cell by one shape, and what may follow behind that.
static inline bool read_shaped(const byte* at, const byte* end, const Pattern& pattern,
                               const Shape& shape, std::int64_t& days, std::int64_t& micros) {
    const bool whole = shape.tail == pattern.count;
    const std::int64_t behind = end - at - shape.width;
    if (whole ? behind != 0 : behind < 0) return false;
    Sums sums;
    if (!Lanes::Placed{shape}.read(at, sums)) return false;
    place day = 0;
    days = micros = 0;
    if (shape.has_date && !days_of<false>(shape, at, sums, day)) return false;
    if (shape.has_hour && !micros_of<false>(shape, at, sums, micros)) return false;
    days = day;
    if (whole) return true;
    return followed(at + shape.width, end, pattern, shape, micros);
}

// Cells that may follow one of several patterns: the one that the last cell followed is tried first.
class Moments {
  public:
    explicit Moments(Patterns& patterns) : patterns(patterns) {
        set_usual(*patterns.usual);
        words_first = patterns.writing && patterns.writing->has_codes();
    }

    // The shape of the last cell; none where words have to be looked for first, or few had it.
    const Shape* usual_shape() {
        rest -= rest > 0;
        return words_first || rest ? nullptr : usual;
    }
    const Pattern& usual_pattern() const { return *pattern; }
    void leave_usual_shape() { rest = SPELL; }

    // The shapes of the usual pattern, where they take turns.
    const Variants* variants() const { return patterns.vary && !words_first && !rest ? varying : nullptr; }
    // So many of a chunk had another shape than the usual one: do they take turns?
    void note_others(int count, int size) {
        if (4 * count > 3 * size) leave_usual_shape();
        if (8 * count <= size || !Lanes::THERE) return;
        varying = &patterns.variants(*patterns.usual);
        patterns.vary = varying->are_there();
        if (patterns.vary) rest = 0;
    }
    void leave_variants() {
        patterns.vary = false;
        rest = SPELL;
    }

    // The reason of a cell, 0 if it could be read.
    byte take(const byte* at, const byte* end, std::int64_t& days, std::int64_t& micros,
              NumbersTold& told) {
        // what begins with no digit is mostly blank or a word, and neither is a date
        if (!words_first && is_digit(*at) && read_usual(at, end, days, micros)) return 0;
        trim(at, end);
        if (at == end) {
            ++told.blanks;
            return 1;
        }
        if (const byte why = patterns.writing ? patterns.writing->reason_of(at, end) : 0) {
            ++told.worded;
            return why;
        }
        const int before = *patterns.usual;
        if (read_usual(at, end, days, micros)) return 0;
        for (int each = 0; each < patterns.count; ++each) {
            set_usual(each);
            if (read_usual(at, end, days, micros)) return 0;
        }
        set_usual(before);
        ++told.left;
        return 2;
    }

  private:
    void set_usual(int each) {
        patterns.vary = patterns.vary && each == *patterns.usual;
        *patterns.usual = each;
        pattern = &patterns.all[each];
        shapes = &patterns.shapes(each);
        usual = shapes->empty() ? nullptr : &shapes->front();
        if (!patterns.vary) return;
        varying = &patterns.variants(each);
        patterns.vary = varying->are_there();
    }

    bool read_usual(const byte* at, const byte* end, std::int64_t& days, std::int64_t& micros) {
        for (const Shape& shape : *shapes) {
            if (!read_shaped(at, end, *pattern, shape, days, micros)) continue;
            usual = &shape;
            return true;
        }
        for (const Shape& shape : *shapes)
            if (shape.name >= 0 && read_named(at, end, shape, days, micros)) return true;
        Parts parts;
        return by_cursor(at, end, *pattern, 0, parts) && meaning(parts, days, micros);
    }

    // With the whole name of the month: a copy in which only its first three letters stand.
    bool read_named(const byte* at, const byte* end, const Shape& shape, std::int64_t& days,
                    std::int64_t& micros) const {
        const std::int64_t longer = end - at - shape.width;
        const int month = longer > 0 && longer < 7 ? month_at(at + shape.name) : 0;
        if (!month) return false;
        const char* const name = MONTHS[month - 1];
        Cursor cursor{at + shape.name, end};
        if (static_cast<std::int64_t>(std::strlen(name)) != longer + 3 ||
            !cursor.word(name, static_cast<int>(longer) + 3))
            return false;
        byte held[2 * Shape::MOST];
        const byte* const behind = at + shape.name + 3 + longer;
        std::memcpy(held, at, Shape::MOST);
        std::memcpy(held + shape.name + 3, behind, static_cast<std::size_t>(Shape::MOST - shape.name - 3));
        return read_shaped(held, held + shape.width, *pattern, shape, days, micros);
    }

    Patterns& patterns;
    const Pattern* pattern;
    const std::vector<Shape>* shapes;
    const Shape* usual;
    const Variants* varying = nullptr;
    bool words_first;  // a word may look like a date, and is none
    static constexpr int SPELL = 32;
    int rest = 0;  // for so many chunks of cells the usual shape is left alone
};

template <Unit UNIT>
using Value = std::conditional_t<UNIT == Unit::days, place, std::int64_t>;

template <Unit UNIT>
static Value<UNIT> value_of(std::int64_t days, std::int64_t micros) {
    if (UNIT == Unit::days) return static_cast<Value<UNIT>>(days);
    return static_cast<Value<UNIT>>(UNIT == Unit::of_day ? micros : days * DAY_US + micros);
}

// Reasons of cells of which these lanes could not be read, and which ones they are.
template <class Several>
static OLIVE_INLINE void note_left(unsigned left, int each, byte* reasons, int* rest, int& count) {
    const std::uint32_t why = Several::each_of(left, 1);
    std::memcpy(reasons, &why, Several::COUNT);
    for (; left; left &= left - 1) rest[count++] = each + trailing_zeros(left);
}

// The cells of one shape, without a branch; lists the others of so many.
template <Unit UNIT, bool PLAIN, class Cells, class Several = Lanes>
static int read_usual_cells(const Cells cells, std::int64_t begin, int size, const Shape& shape,
                            const Pattern& pattern, Value<UNIT>* values, byte* reasons, int* rest) {
    const bool whole = shape.tail == pattern.count;
    int count = 0, each = 0;
    if constexpr (PLAIN && Several::THERE) {
        const typename Several::FourPlaced placed{shape};
        for (; whole && each + Several::COUNT <= size; each += Several::COUNT) {
            const std::int64_t cell = begin + each;
            const unsigned left = placed.template read<UNIT>(cells, cell, values);
            note_left<Several>(left, each, reasons + cell, rest, count);
        }
    }
    const Lanes::Placed placed{shape};
    const int width = shape.width;
    for (; each < size; ++each) {
        const std::int64_t cell = begin + each;
        const byte* const at = cells.begin(cell);
        Sums sums;
        place days = 0;
        std::int64_t micros = 0;
        const byte* const end = cells.end(cell);
        const std::int64_t behind = end - at - width;
        bool good = (whole ? behind == 0 : behind >= 0) & placed.read(at, sums);
        if (UNIT != Unit::of_day) good &= days_of<PLAIN>(shape, at, sums, days);
        if (UNIT != Unit::days) good &= micros_of<PLAIN>(shape, at, sums, micros);
        if (!whole && good) good = followed(at + width, end, pattern, shape, micros);
        values[cell] = good ? value_of<UNIT>(days, micros) : 0;
        reasons[cell] = !good;
        rest[count] = each;
        count += !good;
    }
    return count;
}

// The cells of shapes that take turns, each found by its outline; lists the others of so many.
template <Unit UNIT, bool NAMED, class Cells>
static int read_varied_cells(const Cells cells, std::int64_t begin, int size, const Variants& variants,
                             Value<UNIT>* values, byte* reasons, int* rest) {
    const Variant* found[CHUNK];
    std::uint32_t outlines[CHUNK];
    for (int each = 0; each < size; ++each) {
        const byte* const at = cells.begin(begin + each);
        const std::uint64_t width = static_cast<std::uint64_t>(cells.end(begin + each) - at);
        const std::uint32_t end = width <= Variants::LONGEST ? 1u << width : 0;
        const std::uint32_t outline = end ? (Lanes::others(at) & (end - 1)) | end : 0;
        outlines[each] = outline;
        found[each] = &variants.of(outline);
    }
    int months[CHUNK];
    for (int each = 0; NAMED && each < size; ++each)
        months[each] = month_at(cells.begin(begin + each) + found[each]->shape->name, found[each]->longer);
    int count = 0;
    for (int each = 0; each < size; ++each) {
        const std::int64_t cell = begin + each;
        const byte* const at = cells.begin(cell);
        const Variant& variant = *found[each];
        const Shape& shape = *variant.shape;
        const Lanes::Placed placed{shape};
        Sums sums;
        place days = 0;
        std::int64_t micros = 0;
        bool good = variant.outline == outlines[each];
        good &= NAMED ? placed.read_named(at, variant.longer, sums) : placed.read_outlined(at, sums);
        const int month = NAMED ? months[each] : 0;
        if (NAMED) good &= month > 0;
        if (UNIT != Unit::of_day) good &= days_of(months_of(shape, sums) + month, sums.day, days);
        if (UNIT != Unit::days) good &= micros_of<false>(shape, at, sums, micros);
        values[cell] = good ? value_of<UNIT>(days, micros) : 0;
        reasons[cell] = !good;
        rest[count] = each;
        count += !good;
    }
    return count;
}

// Days of a date with the name of its month.
template <Worded::Order ORDER>
static OLIVE_INLINE bool read_worded(const byte* at, const byte* end, const Worded& worded, place& days) {
    const Divider &first = worded.between[0], &second = worded.between[1];
    const bool fits = end - at >= worded.least;
    const byte* const stop = fits ? end : at + worded.least;
    const byte *year, *last, *name, *behind;  // the last digit of the day; what is behind the name
    bool two, parted;
    if constexpr (ORDER == Worded::day_first) {
        two = is_digit(at[1]);
        last = at + two;
        name = last + 1 + first.length;
        year = stop - 4;
        behind = year - second.length;
        parted = first.stands(last + 1) & second.stands(behind);
    } else if constexpr (ORDER == Worded::name_first) {
        name = at;
        year = stop - 4;
        last = year - second.length - 1;
        two = is_digit(last[-1]);
        behind = last - two - first.length;
        parted = first.stands(behind) & second.stands(last + 1);
    } else {
        year = at;
        name = at + 4 + first.length;
        last = stop - 1;
        two = is_digit(last[-1]);
        behind = last - two - second.length;
        parted = first.stands(at + 4) & second.stands(behind);
    }
    const std::int64_t longer = behind - name - 3;
    const bool named = static_cast<std::uint64_t>(longer) <= Variants::MOST_LETTERS - 3;
    const int month = month_at(name, named ? static_cast<int>(longer) : 0);
    const std::uint32_t digits = static_cast<std::uint32_t>(fetch(year) ^ ZEROS);
    const int day = (two ? 10 * (last[-1] - '0') : 0) + *last - '0';
    const std::uint32_t pairs = 10 * digits + (digits >> 8);  // in its first byte and the third
    const int months =
        static_cast<int>(1200 * (pairs & 0xFF) + 12 * (pairs >> 16 & 0xFF)) + month;
    return fits & parted & named & (month > 0) & are_digits(digits) & is_digit(*last) & (day > 0) &
           days_of(months, day, days);
}

// The cells of one such pattern; lists the others of so many.
template <Worded::Order ORDER, class Cells, class Several = Lanes>
OLIVE_APART static int read_worded_cells(const Cells cells, std::int64_t begin, int size,
                                         const Worded worded, place* values, byte* reasons, int* rest) {
    int count = 0, each = 0;
    if constexpr (Several::THERE) {
        constexpr int STEP = Several::COUNT;
        for (; Several::template can<ORDER>(worded) && each + STEP <= size; each += STEP) {
            const std::int64_t cell = begin + each;
            const unsigned left = Several::template read_worded<ORDER>(cells, cell, worded, values);
            note_left<Several>(left, each, reasons + cell, rest, count);
        }
    }
    for (; each < size; ++each) {
        const std::int64_t cell = begin + each;
        place days = 0;
        const bool good = read_worded<ORDER>(cells.begin(cell), cells.end(cell), worded, days);
        values[cell] = good ? days : 0;
        reasons[cell] = !good;
        rest[count] = each;
        count += !good;
    }
    return count;
}

// The cells of shapes that take turns, by what is known of them.
template <Unit UNIT, class Cells>
static int read_turns(const Cells cells, std::int64_t begin, int size, const Variants& variants,
                      Value<UNIT>* values, byte* reasons, int* rest) {
    if constexpr (UNIT == Unit::days) {
        const Worded& words = variants.worded();
        switch (words.order) {
            case Worded::day_first:
                return read_worded_cells<Worded::day_first>(cells, begin, size, words, values, reasons, rest);
            case Worded::name_first:
                return read_worded_cells<Worded::name_first>(cells, begin, size, words, values, reasons, rest);
            case Worded::year_first:
                return read_worded_cells<Worded::year_first>(cells, begin, size, words, values, reasons, rest);
            default: break;
        }
    }
    return (variants.are_named() ? read_varied_cells<UNIT, true, Cells>
                                 : read_varied_cells<UNIT, false, Cells>)(
        cells, begin, size, variants, values, reasons, rest);
}

template <Unit UNIT, class Cells>
static NumbersTold read_all_times(const Cells cells, std::int64_t total, Patterns& patterns,
                                  Value<UNIT>* values, byte* reasons) {
    int rest[CHUNK];
    NumbersTold told;
    Moments moments(patterns);
    for (std::int64_t begin = 0; begin < total; begin += CHUNK) {
        const int size = static_cast<int>(total - begin < CHUNK ? total - begin : CHUNK);
        int count = size;
        const Variants* const variants = moments.variants();
        const Shape* const usual = variants ? nullptr : moments.usual_shape();
        if (variants) {
            count = read_turns<UNIT>(cells, begin, size, *variants, values, reasons, rest);
            if (4 * count > 3 * size) moments.leave_variants();
        } else if (usual && usual->has_date == (UNIT != Unit::of_day) &&
            usual->has_hour == (UNIT != Unit::days)) {
            count = (usual->is_plain() ? read_usual_cells<UNIT, true, Cells>
                                       : read_usual_cells<UNIT, false, Cells>)(
                cells, begin, size, *usual, moments.usual_pattern(), values, reasons, rest);
            moments.note_others(count, size);
        } else {
            for (int each = 0; each < size; ++each) rest[each] = each;
        }
        for (int each = 0; each < count; ++each) {
            const std::int64_t cell = begin + rest[each];
            std::int64_t days = 0, micros = 0;
            const byte why = moments.take(cells.begin(cell), cells.end(cell), days, micros, told);
            reasons[cell] = why;
            values[cell] = why ? 0 : value_of<UNIT>(days, micros);
        }
    }
    return told;
}

static NumbersTold read_times(const CellsAt& cells, Patterns& patterns, Unit unit, void* values,
                              byte* reasons) {
    return cells.visit([&](const auto& each) {
        auto* const wide = static_cast<std::int64_t*>(values);
        if (unit == Unit::days)
            return read_all_times<Unit::days>(each, cells.count, patterns,
                                              static_cast<place*>(values), reasons);
        if (unit == Unit::of_day)
            return read_all_times<Unit::of_day>(each, cells.count, patterns, wide, reasons);
        return read_all_times<Unit::since_1970>(each, cells.count, patterns, wide, reasons);
    });
}
