// Four short numerals, or one date, at a time, with AVX2.
//
// Eight bytes that end where a numeral ends are a lane. Comparison marks the bytes that are not
// digits: what belongs to the cell before, blanks in front, a sign, the decimal mark, which is taken
// out by closing the gap. Three multiplications turn eight digits into a number. A lane in which
// anything else stands is left to the caller. Of a date the digits are put in order by a shuffle.

struct Lanes {
    static constexpr bool THERE = true;
    static constexpr int COUNT = 4;
    static constexpr int PATIENCE = 8;  // so often numerals are taken for plain ones in vain
    using Four = __m256i;

    struct Rule {
        Four mark, implied;
        bool strict;
    };

    // Two words, and four, that lie `back` bytes before these ends.
    static __m128i two_words(const byte* one, const byte* two) {
        double first;  // `_mm_load_sd` is for aligned ones
        std::memcpy(&first, one, 8);
        const __m128d low = _mm_set_sd(first);
        return _mm_castpd_si128(_mm_loadh_pd(low, reinterpret_cast<const double*>(two)));
    }

    static Four words(const byte* const* ends, int back) {
        return _mm256_inserti128_si256(
            _mm256_castsi128_si256(two_words(ends[0] - back, ends[1] - back)),
            two_words(ends[2] - back, ends[3] - back), 1);
    }

    static unsigned lanes_of(Four mask) {
        return static_cast<unsigned>(_mm256_movemask_pd(_mm256_castsi256_pd(mask)));
    }

    // The bytes below the lowest that is marked; all of them if none is.
    static Four below(Four marked) {
        const Four one = _mm256_set1_epi64x(1), none = _mm256_setzero_si256();
        return _mm256_sub_epi64(_mm256_and_si256(marked, _mm256_sub_epi64(none, marked)), one);
    }

    // Mantissas of four numerals, 0 for one that is blank or left, and with DECIMALS how many digits
    // stand behind the mark of each.
    struct Read {
        Four mantissas, behind, is_blank, left;
    };

    // Cells that are just the word for "no value" that was met last.
    static OLIVE_INLINE Four are_word(const byte* const* ends, Four lengths, const Habit& habit) {
        const Four known = _mm256_set1_epi64x(static_cast<long long>(habit.word));
        const Four before = _mm256_srlv_epi64(bytes(-1), _mm256_slli_epi64(lengths, 3));
        const Four same_length = same(lengths, _mm256_set1_epi64x(habit.length));
        return both(same_length, same(without(words(ends, 8), before), known));
    }

    // A byte for each of four lanes, of those whose bit is set.
    static std::uint32_t each_of(unsigned lanes, byte value) {
        static const std::uint32_t ONES_OF[16] = {
            0x00000000, 0x00000001, 0x00000100, 0x00000101, 0x00010000, 0x00010001,
            0x00010100, 0x00010101, 0x01000000, 0x01000001, 0x01000100, 0x01000101,
            0x01010000, 0x01010001, 0x01010100, 0x01010101};
        return ONES_OF[lanes] * value;
    }

    static Four either(Four one, Four two) { return _mm256_or_si256(one, two); }
    static Four both(Four one, Four two) { return _mm256_and_si256(one, two); }
    static Four without(Four one, Four two) { return _mm256_andnot_si256(two, one); }
    static Four bytes(char each) { return _mm256_set1_epi8(each); }
    static Four is(Four word, char each) { return _mm256_cmpeq_epi8(word, bytes(each)); }
    static Four same(Four one, Four two) { return _mm256_cmpeq_epi64(one, two); }

    // What a mark leaves of digits: those below it, moved up by one, and those above.
    struct Gap {
        Four under, above, none;
        explicit Gap(Four marked) {
            none = same(marked, _mm256_setzero_si256());
            under = without(below(marked), none);
            const Four up_to = either(under, _mm256_slli_epi64(under, 8));
            above = without(bytes(-1), either(up_to, without(_mm256_set1_epi64x(0xFF), none)));
        }
        Four closed(Four plain) const {
            return either(_mm256_slli_epi64(both(plain, under), 8), both(plain, above));
        }
        Four count_above() const {
            return _mm256_sad_epu8(both(above, bytes(1)), _mm256_setzero_si256());
        }
    };

    // Eight digits of each lane as a number.
    static Four value_of(Four plain) {
        const Four pairs = _mm256_maddubs_epi16(plain, _mm256_set1_epi16(0x010A));
        const Four fours = _mm256_madd_epi16(pairs, _mm256_set1_epi32(0x00010064));
        return _mm256_add_epi64(_mm256_mul_epu32(fours, _mm256_set1_epi64x(10000)),
                                _mm256_srli_epi64(fours, 32));
    }

    // The byte of which the lowest bit is given.
    static Four byte_of(Four bit) { return _mm256_sub_epi64(_mm256_slli_epi64(bit, 8), bit); }

    // How much a numeral may have around its digits: nothing, blanks in front, anything.
    enum class Form { bare, padded, any };

    // What stands before a numeral: the cell before it, and blanks.
    template <Form FORM>
    static OLIVE_INLINE Four front_of(const byte* const* ends, Four word, Four lengths, Four& wrong,
                                      Four& is_blank) {
        const Four all = bytes(-1), bits = _mm256_slli_epi64(lengths, 3);
        const Four before = _mm256_srlv_epi64(all, bits);
        const Four longer = _mm256_cmpgt_epi64(lengths, _mm256_set1_epi64x(8));
        if (FORM != Form::any) wrong = either(longer, same(before, all));
        if (FORM == Form::bare) return before;
        const Four front = either(before, is(word, ' '));
        if (FORM == Form::padded) return below(without(all, front));
        if (!_mm256_testz_si256(longer, longer)) {
            const Four more = _mm256_sub_epi64(bits, _mm256_set1_epi64x(64));
            const Four outside = either(_mm256_srlv_epi64(all, more), without(all, longer));
            const Four clear = same(either(outside, is(words(ends, 16), ' ')), all);
            wrong = either(without(all, clear),
                           _mm256_cmpgt_epi64(lengths, _mm256_set1_epi64x(16)));
        }
        is_blank = without(same(front, all), wrong);
        return below(without(all, front));
    }

    // Short of `any`, `left` only tells whether one of the lanes could not be taken.
    template <bool DECIMALS, Form FORM>
    static OLIVE_INLINE Read read(const byte* const* ends, Four lengths, const Rule& rule) {
        const Four all = bytes(-1), none = _mm256_setzero_si256();
        const Four word = words(ends, 8);
        Four wrong = none, is_blank = none, odd = none, sign = none, marked = none, behind = none;
        constexpr bool PLAIN = FORM != Form::any;
        const Four front = front_of<FORM>(ends, word, lengths, wrong, is_blank);
        if (!PLAIN) {
            const Four first = _mm256_sub_epi64(front, all);  // bit 0 of the first byte
            sign = both(is(word, '-'), byte_of(first));
        }
        if (DECIMALS) marked = without(_mm256_cmpeq_epi8(word, rule.mark), front);
        const Four used = either(either(front, sign), marked);
        if (DECIMALS || FORM != Form::bare) wrong = either(wrong, same(used, all));  // no digit at all
        Four plain = without(_mm256_xor_si256(word, bytes('0')), used);
        if (rule.strict) {  // a zero in front of another digit
            const Four head = _mm256_sub_epi64(either(front, sign), all);
            odd = without(_mm256_slli_epi64(both(is(word, '0'), head), 8), marked);
        }
        if (DECIMALS) {
            const Gap gap(marked);
            plain = gap.closed(plain);
            behind = _mm256_blendv_epi8(gap.count_above(), rule.implied, gap.none);
            odd = either(odd, both(marked, gap.above));  // a second mark
        }
        odd = either(odd, _mm256_subs_epu8(plain, bytes(9)));
        const Four value = value_of(plain);
        if (PLAIN) return {value, behind, none, either(odd, wrong)};
        const Four minus = without(all, same(sign, none));
        wrong = either(wrong, without(all, same(odd, none)));
        if (DECIMALS) wrong = either(wrong, both(minus, same(value, none)));  // the zero below zero
        const Four signed_value = _mm256_sub_epi64(_mm256_xor_si256(value, minus), minus);
        return {without(signed_value, either(wrong, is_blank)), behind, is_blank,
                without(wrong, is_blank)};
    }

    // Numerals of up to sixteen characters, in two words, without blanks around them.
    template <bool DECIMALS>
    static OLIVE_INLINE Read read_wide(const byte* const* ends, Four lengths, const Rule& rule) {
        const Four all = bytes(-1), none = _mm256_setzero_si256();
        const Four low = words(ends, 8), high = words(ends, 16);
        const Four bits = _mm256_slli_epi64(lengths, 3);
        const Four longer = _mm256_cmpgt_epi64(lengths, _mm256_set1_epi64x(8));
        const Four before_low = _mm256_srlv_epi64(all, bits);
        const Four more = _mm256_sub_epi64(bits, _mm256_set1_epi64x(64));
        const Four before_high = either(_mm256_srlv_epi64(all, more), without(all, longer));
        Four wrong = _mm256_cmpgt_epi64(lengths, _mm256_set1_epi64x(16));
        const Four is_blank = same(lengths, none);
        const Four first_high = _mm256_sub_epi64(before_high, all);
        const Four first_low = without(_mm256_sub_epi64(before_low, all), longer);
        const Four sign_high = both(is(high, '-'), byte_of(first_high));
        const Four sign_low = both(is(low, '-'), byte_of(first_low));
        const Four minus = without(all, same(either(sign_high, sign_low), none));
        Four mark_high = none, mark_low = none, behind = none;
        if (DECIMALS) {
            mark_high = without(_mm256_cmpeq_epi8(high, rule.mark), before_high);
            mark_low = without(_mm256_cmpeq_epi8(low, rule.mark), before_low);
        }
        const Four front_high = either(before_high, sign_high);
        const Four front_low = either(before_low, sign_low);
        Four plain_high = without(_mm256_xor_si256(high, bytes('0')), either(front_high, mark_high));
        Four plain_low = without(_mm256_xor_si256(low, bytes('0')), either(front_low, mark_low));
        if (rule.strict) {  // a zero in front of another digit
            const Four head_high = both(is(high, '0'), _mm256_sub_epi64(front_high, all));
            const Four head_low = both(both(is(low, '0'), _mm256_sub_epi64(front_low, all)),
                                       same(front_high, all));
            const Four next_low = either(_mm256_slli_epi64(head_low, 8), _mm256_srli_epi64(head_high, 56));
            wrong = either(wrong, without(all, same(without(_mm256_slli_epi64(head_high, 8), mark_high), none)));
            wrong = either(wrong, without(all, same(without(next_low, mark_low), none)));
        }
        Four digits = _mm256_add_epi64(lengths, minus);  // which is -1 where there is a sign
        if (DECIMALS) {
            const Gap gap_high(mark_high), gap_low(mark_low);
            const Four carried = without(_mm256_srli_epi64(plain_high, 56), gap_low.none);
            wrong = either(wrong, without(without(all, gap_high.none), gap_low.none));
            wrong = either(wrong, without(all, same(either(both(mark_high, gap_high.above),
                                                           both(mark_low, gap_low.above)), none)));
            const Four either_none = both(gap_high.none, gap_low.none);
            behind = _mm256_blendv_epi8(_mm256_add_epi64(gap_high.count_above(), _mm256_set1_epi64x(8)),
                                        gap_low.count_above(), without(all, gap_low.none));
            behind = _mm256_blendv_epi8(behind, rule.implied, either_none);
            digits = _mm256_sub_epi64(_mm256_sub_epi64(digits, either_none), _mm256_set1_epi64x(1));
            plain_low = either(gap_low.closed(plain_low), carried);
            plain_high = _mm256_blendv_epi8(_mm256_slli_epi64(plain_high, 8), gap_high.closed(plain_high),
                                            gap_low.none);
        }
        const Four odd = either(_mm256_subs_epu8(plain_high, bytes(9)), _mm256_subs_epu8(plain_low, bytes(9)));
        const Four value = _mm256_add_epi64(
            _mm256_mul_epu32(value_of(plain_high), _mm256_set1_epi64x(100000000)), value_of(plain_low));
        wrong = either(wrong, without(all, same(odd, none)));
        wrong = either(wrong, without(all, _mm256_cmpgt_epi64(digits, none)));
        if (DECIMALS) {
            wrong = either(wrong, both(minus, same(value, none)));  // the zero below zero
            wrong = either(wrong, _mm256_cmpgt_epi64(value, _mm256_set1_epi64x((1ll << 51) - 1)));
        }
        const Four signed_value = _mm256_sub_epi64(_mm256_xor_si256(value, minus), minus);
        const Four left = without(wrong, is_blank);
        return {without(signed_value, either(left, is_blank)), behind, is_blank, left};
    }

    // 10 to these powers of at most 7.
    static __m256d tens(Four powers) {
        const __m256 table = _mm256_setr_ps(1e0f, 1e1f, 1e2f, 1e3f, 1e4f, 1e5f, 1e6f, 1e7f);
        const __m256 found = _mm256_permutevar8x32_ps(table, powers);
        return _mm256_cvtps_pd(_mm256_castps256_ps128(
            _mm256_permutevar8x32_ps(found, _mm256_setr_epi32(0, 2, 4, 6, 0, 2, 4, 6))));
    }

    // Whole numbers of less than 2^51 as doubles.
    static __m256d doubles(Four whole) {
        const Four magic = _mm256_set1_epi64x(0x4338000000000000);
        return _mm256_sub_pd(_mm256_castsi256_pd(_mm256_add_epi64(whole, magic)),
                             _mm256_castsi256_pd(magic));
    }

    alignas(64) static constexpr byte MASKS[64] = {
        0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,
        0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,    0,
        0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF,
        0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF};

    // Keeps the last so many of 32 bytes, and of sixteen.
    static Four last_of(std::int64_t count) { return load(MASKS + count); }
    static const byte* last_sixteen(std::int64_t count) { return MASKS + 16 + count; }

    // The number that the last 24 of 32 digits make, nineteen of them at most; false where others
    // than digits stand.
    static OLIVE_INLINE bool mantissa_of(Four plain, std::uint64_t& value) {
        const Four odd = _mm256_subs_epu8(plain, bytes(9));
        const Four pairs = _mm256_maddubs_epi16(plain, _mm256_set1_epi16(0x010A));
        const Four fours = _mm256_madd_epi16(pairs, _mm256_set1_epi32(0x00010064));
        const Four packed = _mm256_packus_epi32(fours, fours);
        const Four eights = _mm256_madd_epi16(packed, _mm256_set1_epi32(0x00012710));
        const std::uint64_t first =
            static_cast<std::uint64_t>(_mm_cvtsi128_si64(_mm256_castsi256_si128(eights)));
        const std::uint64_t second =
            static_cast<std::uint64_t>(_mm_cvtsi128_si64(_mm256_extracti128_si256(eights, 1)));
        value = ((first >> 32) * 100000000 + (second & 0xFFFFFFFF)) * 100000000 + (second >> 32);
        return _mm256_testz_si256(odd, odd);
    }

    // The digits of a whole part of up to sixteen characters, in groups of three from its end.
    static OLIVE_INLINE bool read_groups(const byte* end, int length, std::uint64_t& value) {
        const __m128i text = _mm_loadu_si128(reinterpret_cast<const __m128i*>(end - 16));
        const __m128i plain = _mm_and_si128(_mm_xor_si128(text, _mm_set1_epi8('0')),
                                            _mm256_extracti128_si256(last_of(length), 1));
        const __m128i order = _mm_setr_epi8(-1, -1, -1, -1, 1, 2, 3, 5, 6, 7, 9, 10, 11, 13, 14, 15);
        const __m128i digits = _mm_shuffle_epi8(plain, order);
        return mantissa_of(_mm256_inserti128_si256(_mm256_setzero_si256(), digits, 1), value);
    }

    // Numerals of up to 31 characters and nineteen digits, taken apart step by step: each step needs
    // few registers, and none waits for another. The decimal mark is taken out by moving what stands
    // before it by one. `group` is the mark between groups of three digits, or the decimal mark where
    // there is none. Lists the places of the others.
    static int read_longs(const Text* cells, const int* places, int total, const NumberRule& rule,
                          bool whole_only, byte group, Apart& apart, int* others) {
        const byte mark = static_cast<byte>(rule.decimal);
        std::uint64_t mantissas[CHUNK];
        int stops[CHUNK], wholes[CHUNK];
        bool goods[CHUNK], letters = false;
        const Four mark_like = bytes(rule.decimal), e = bytes('e'), lower = bytes(0x20);
        for (int each = 0; each < total; ++each) {
            const std::int64_t length = cells[places[each]].size;
            const Four text = load(cells[places[each]].data);
            const std::uint32_t limit = 1u << (length & 31);
            const std::uint32_t ends = mask_of(_mm256_cmpeq_epi8(either(text, lower), e)) | limit;
            const std::uint32_t used = ((ends & (0 - ends)) - 1) & (limit - 1);
            const std::uint32_t marks = mask_of(_mm256_cmpeq_epi8(text, mark_like)) & used;
            stops[each] = count_bits(used);
            wholes[each] = marks ? trailing_zeros(marks) : stops[each];
            goods[each] = (static_cast<std::uint64_t>(length - 1) < 31) & ((marks & (marks - 1)) == 0);
            letters |= stops[each] != length;
        }
        for (int each = 0; each < total; ++each) {
            const byte* const at = cells[places[each]].data;
            const bool sign = *at == '-' || *at == '+', marked = wholes[each] != stops[each];
            const int count = stops[each] - sign - marked;
            const byte* const end = at + std::max(stops[each], 1);
            const Four digits = _mm256_blendv_epi8(
                load(end - 33), load(end - 32), last_of(marked ? stops[each] - wholes[each] - 1 : 32));
            const Four plain = both(_mm256_xor_si256(digits, bytes('0')), last_of(count & 31));
            const bool good = mantissa_of(plain, mantissas[each]);
            const bool padded = at[sign] == '0' && wholes[each] - sign > 1;
            goods[each] &= good & (static_cast<unsigned>(count - 1) < 19) & !(rule.strict & padded);
        }
        if (mark != group) find_groups(cells, places, total, rule.strict, group, stops, wholes, mantissas, goods);
        int count = 0;
        for (int each = 0; each < total; ++each) {
            const Text& cell = cells[places[each]];
            const byte *const end = cell.data + cell.size, *const stop = cell.data + stops[each];
            const bool marked = wholes[each] != stops[each] || stop < end;
            const int decimals = marked ? std::max(stops[each] - wholes[each] - 1, 0) : rule.implied;
            int exponent = 0;
            bool good = goods[each];
            if (letters && good && stop < end) good = read_exponent(stop + 1, end, exponent);
            good &= whole_only ? (!marked & !decimals & (mantissas[each] < 1ull << 63))
                               : mantissas[each] < SEVENTEEN_DIGITS;
            apart.put(places[each], mantissas[each], exponent - decimals, *cell.data == '-', good);
            if (good && decimals > apart.most_decimals) apart.most_decimals = decimals;
            others[count] = places[each];
            count += !good;
        }
        return count;
    }

    // Where a mark stands between groups of the whole part, the mantissas of these numerals.
    static void find_groups(const Text* cells, const int* places, int total, bool strict, byte group,
                            const int* stops, const int* wholes, std::uint64_t* mantissas, bool* goods) {
        const Four like = bytes(static_cast<char>(group));
        for (int each = 0; each < total; ++each) {
            const byte* const at = cells[places[each]].data;
            const std::uint32_t used = static_cast<std::uint32_t>((1ull << stops[each]) - 1);
            const std::uint32_t groups = mask_of(_mm256_cmpeq_epi8(load(at), like)) & used;
            if (!groups) continue;
            const int sign = *at == '-' || *at == '+', whole = wholes[each];
            const int decimals = std::max(stops[each] - whole - 1, 0);
            const std::uint32_t by_threes =
                static_cast<std::uint32_t>(0x11111110ull >> (32 - whole)) & ~((2u << sign) - 1);
            goods[each] = cells[places[each]].size < 32 && groups == by_threes &&
                          (groups & (0x0Eu << sign)) && whole - sign <= 16 && decimals <= 7 &&
                          !(strict && at[sign] == '0') &&
                          read_groups(at + whole, whole - sign, mantissas[each]);
            if (!goods[each] || !decimals) continue;
            const std::uint64_t behind =
                (fetch(at + stops[each] - 8) ^ ZEROS) >> (64 - 8 * decimals) << (64 - 8 * decimals);
            mantissas[each] = mantissas[each] * SHIFTS[decimals] + digits_value(behind);
            goods[each] = are_digits(behind);
        }
    }

    static OLIVE_INLINE Four twice(const byte* at) { return _mm256_broadcastsi128_si256(half(at)); }

    static OLIVE_INLINE Four two_halves(const byte* one, const byte* two) {
        return _mm256_inserti128_si256(_mm256_castsi128_si256(half(one)), half(two), 1);
    }

    // Where the digits of such a cell end, how many characters belong to them, what stands before.
    struct Tail {
        const byte* end;
        std::int64_t size, minus;
        int left;
        OLIVE_INLINE Tail(Text text, const Learned& learned, bool strict) {
            const bool negative = *text.data == '-';
            const byte first = text.data[negative];
            end = text.data + text.size;
            size = text.size - negative;
            minus = negative;
            left = (static_cast<std::uint64_t>(size) > 16) | !(learned.lengths >> (size & 31) & 1) |
                   ((strict & (first == '0')) & (size > learned.single));
        }
    };

    // Numerals with decimals and without an exponent that look like the one that was learned from, two
    // at a time; `places` then lists the others, and how many they are is returned.
    template <class Cells>
    static int read_even(const Cells& cells, const Writing* unit, const NumberRule& rule,
                         const Learned& learned, int* places, int total, std::int64_t begin,
                         double* values, byte* reasons, NumbersTold& told) {
        const Four literal = twice(learned.literal), literals = twice(learned.literals);
        const Four digits = twice(learned.digits), order = twice(learned.order);
        const Four tens = _mm256_set1_epi16(0x010A), hundreds = _mm256_set1_epi32(0x00010064);
        const __m256d weights = _mm256_setr_pd(0, 1e8, 1e4, 1);
        const int decimals = learned.marked ? learned.decimals : rule.implied;
        const __m128d scale = _mm_set1_pd(TENS[decimals]), none = _mm_setzero_pd();
        __m128d low = _mm_set1_pd(HUGE_VAL), high = _mm_set1_pd(-HUGE_VAL);
        const bool strict = rule.strict;
        int count = 0;
        for (int each = 0; each < total; each += 2) {
            const int first = places[each], second = places[each + 1 < total ? each + 1 : each];
            const Tail one(bare_text(cells, begin + first, unit), learned, strict);
            const Tail two(bare_text(cells, begin + second, unit), learned, strict);
            const Four text = two_halves(one.end - 16, two.end - 16);
            const Four own = two_halves(last_sixteen(one.size & 31), last_sixteen(two.size & 31));
            const Four plain = both(_mm256_xor_si256(text, bytes('0')), own);
            const Four differing = both(_mm256_xor_si256(both(text, literals), literal), own);
            const Four wrong = either(differing, _mm256_subs_epu8(both(plain, digits), bytes(9)));
            const Four fours = _mm256_madd_epi16(
                _mm256_maddubs_epi16(_mm256_shuffle_epi8(plain, order), tens), hundreds);
            const __m256d sums = _mm256_hadd_pd(
                _mm256_mul_pd(_mm256_cvtepi32_pd(_mm256_castsi256_si128(fours)), weights),
                _mm256_mul_pd(_mm256_cvtepi32_pd(_mm256_extracti128_si256(fours, 1)), weights));
            const __m128d mantissas =
                _mm_add_pd(_mm256_castpd256_pd128(sums), _mm256_extractf128_pd(sums, 1));
            const __m128d signs = _mm_castsi128_pd(
                _mm_slli_epi64(_mm_unpacklo_epi64(_mm_cvtsi64_si128(one.minus), _mm_cvtsi64_si128(two.minus)), 63));
            const __m128d value = _mm_xor_pd(_mm_div_pd(mantissas, scale), signs);
            const std::uint32_t right = mask_of(_mm256_cmpeq_epi8(wrong, _mm256_setzero_si256()));
            const int below_zero = _mm_movemask_pd(_mm_and_pd(_mm_cmpeq_pd(mantissas, none), signs));
            const int left = one.left | two.left << 1 | below_zero | ((right & 0xFFFF) != 0xFFFF) |
                             (((right >> 16) != 0xFFFF) << 1);
            _mm_storel_pd(values + begin + first, value);
            _mm_storeh_pd(values + begin + second, value);
            reasons[begin + first] = reasons[begin + second] = 0;
            if (!left) {
                low = _mm_min_pd(low, value);
                high = _mm_max_pd(high, value);
                continue;
            }
            if (!(left & 1)) {
                low = _mm_min_sd(low, value);
                high = _mm_max_sd(high, value);
            } else {
                places[count++] = first;
            }
            if (!(left & 2)) {
                low = _mm_min_pd(low, _mm_unpackhi_pd(value, value));
                high = _mm_max_pd(high, _mm_unpackhi_pd(value, value));
            } else if (second != first) {
                places[count++] = second;
            }
        }
        if (count == total) return count;
        if (decimals > told.most_decimals) told.most_decimals = decimals;
        told.low = std::fmin(told.low, std::fmin(_mm_cvtsd_f64(low), _mm_cvtsd_f64(_mm_unpackhi_pd(low, low))));
        told.high = std::fmax(told.high, std::fmax(_mm_cvtsd_f64(high), _mm_cvtsd_f64(_mm_unpackhi_pd(high, high))));
        return count;
    }

    // Numerals that look like the one that was learned from; lists the places of the others.
    static int read_learned(const Text* cells, int total, const Learned& learned, const NumberRule& rule,
                            Apart& apart, int* others) {
        const __m128i literal = half(learned.literal), literals = half(learned.literals);
        const __m128i digits = half(learned.digits), order = half(learned.order);
        const __m128i zero = _mm_set1_epi8('0'), nine = _mm_set1_epi8(9);
        const __m128i tens = _mm_set1_epi16(0x010A), hundreds = _mm_set1_epi32(0x00010064);
        const int sign = learned.sign, single = learned.single;
        const int decimals = learned.marked ? learned.decimals : rule.implied;
        const std::uint32_t lengths = learned.lengths;
        const bool strict = rule.strict;
        int count = 0;
        for (int each = 0; each < total; ++each) {
            const byte* at = cells[each].data;
            const byte* const end = at + cells[each].size;
            const bool negative = *at == '-';
            at += negative;
            const std::int64_t length = end - at;
            const __m128i text = half(end - 16), own = half(last_sixteen(length & 31));
            const __m128i plain = _mm_and_si128(_mm_xor_si128(text, zero), own);
            const __m128i differing = _mm_xor_si128(_mm_and_si128(text, literals), literal);
            const __m128i wrong = _mm_or_si128(_mm_and_si128(differing, own),
                                               _mm_subs_epu8(_mm_and_si128(plain, digits), nine));
            const __m128i fours = _mm_madd_epi16(
                _mm_maddubs_epi16(_mm_shuffle_epi8(plain, order), tens), hundreds);
            const std::uint64_t first = static_cast<std::uint64_t>(_mm_cvtsi128_si64(fours));
            const std::uint64_t second = static_cast<std::uint64_t>(_mm_extract_epi64(fours, 1));
            const int exponent = static_cast<int>(first & 0xFFFFFFFF);
            const byte before = end[-sign];  // what is no sign is one of the literals, or a digit
            const int minus = sign != 0 && before == '-';
            const bool good = (static_cast<std::uint64_t>(length) <= 16) &
                              ((lengths >> (length & 31) & 1) != 0) & (_mm_testz_si128(wrong, wrong) != 0) &
                              ((sign == 0) | (minus != 0) | (before == '+')) &
                              !((strict & (*at == '0')) & (length > single));
            apart.put(each,
                      (first >> 32) * 100000000 + (second & 0xFFFFFFFF) * 10000 + (second >> 32),
                      ((exponent ^ -minus) + minus) - decimals, negative, good);
            others[count] = each;
            count += !good;
        }
        if (count < total && decimals > apart.most_decimals) apart.most_decimals = decimals;
        return count;
    }

    // The number that so many characters before `end` stand for, sixteen at most, if all are digits.
    static OLIVE_INLINE bool sixteen(const byte* end, int count, std::uint64_t& value) {
        const __m128i plain = _mm_and_si128(_mm_xor_si128(half(end - 16), _mm_set1_epi8('0')),
                                            half(last_sixteen(count)));
        const __m128i odd = _mm_subs_epu8(plain, _mm_set1_epi8(9));
        const __m128i fours = _mm_madd_epi16(_mm_maddubs_epi16(plain, _mm_set1_epi16(0x010A)),
                                             _mm_set1_epi32(0x00010064));
        const __m128i eights = _mm_madd_epi16(_mm_packus_epi32(fours, fours), _mm_set1_epi32(0x00012710));
        const std::uint64_t both_of = static_cast<std::uint64_t>(_mm_cvtsi128_si64(eights));
        value = (both_of & 0xFFFFFFFF) * 100000000 + (both_of >> 32);
        return _mm_testz_si128(odd, odd);
    }

    static __m128i half(const byte* at) {
        return _mm_loadu_si128(reinterpret_cast<const __m128i*>(at));
    }

    static Four load(const byte* at) {
        return _mm256_loadu_si256(reinterpret_cast<const Four*>(at));
    }

    static std::uint32_t mask_of(Four marked) {
        return static_cast<std::uint32_t>(_mm256_movemask_epi8(marked));
    }

    static bool can(bool decimals, NumberRule rule) {
        return decimals ? rule.decimal != 0 && rule.implied < 8 : rule.implied == 0;
    }

    // 10 to these powers of at most 15, which is exact.
    static __m256d more_tens(Four powers) {
        const Four seven = _mm256_set1_epi64x(7);
        const Four beyond = _mm256_cmpgt_epi64(powers, seven);
        const Four first = _mm256_blendv_epi8(powers, seven, beyond);
        const Four second = both(_mm256_sub_epi64(powers, seven), beyond);
        const Four third = both(_mm256_sub_epi64(second, seven), _mm256_cmpgt_epi64(second, seven));
        const __m256d all = _mm256_mul_pd(tens(first), tens(_mm256_sub_epi64(second, third)));
        return _mm256_mul_pd(all, tens(third));
    }

    // Reads what it can of so many cells (a multiple of four) from `begin` on, and lists the others.
    // `vain` goes on from one call to the next. WIDE: of up to sixteen characters.
    template <bool DECIMALS, bool WIDE, class Cells>
    static int read_some(const Cells& cells, std::int64_t begin, int size, NumberRule given,
                         void* into, byte* reasons, int* left, int& vain, const Habit& habit,
                         NumbersTold& told) {
        const Rule rule{_mm256_set1_epi8(static_cast<char>(given.decimal)),
                        _mm256_set1_epi64x(given.implied), given.strict};
        __m256d low = _mm256_set1_pd(HUGE_VAL), high = _mm256_set1_pd(-HUGE_VAL);
        Four least = WIDE ? _mm256_set1_epi64x(INT64_MAX) : _mm256_set1_epi32(INT32_MAX);
        Four most = WIDE ? _mm256_set1_epi64x(INT64_MIN) : _mm256_set1_epi32(INT32_MIN);
        Four decimals = _mm256_setzero_si256();
        constexpr Form USUAL = std::is_same_v<Cells, Grid> ? Form::padded : Form::bare;
        int left_count = 0;
        vain = vain < PATIENCE ? 0 : PATIENCE - 1;
        std::memset(reasons + begin, 0, static_cast<std::size_t>(size));
        for (int place = 0; place < size; place += COUNT) {
            const std::int64_t cell = begin + place;
            const byte* const ends[COUNT] = {cells.end(cell), cells.end(cell + 1),
                                             cells.end(cell + 2), cells.end(cell + 3)};
            const Four size_of = lengths(cells, cell);
            Read found;
            if (WIDE) {
                found = read_wide<DECIMALS>(ends, size_of, rule);
            } else if (vain < PATIENCE) {
                found = read<DECIMALS, USUAL>(ends, size_of, rule);
            }
            bool is_read = WIDE || (vain < PATIENCE && _mm256_testz_si256(found.left, found.left));
            Four is_word = _mm256_setzero_si256();
            const bool may_be_word = !is_read && vain < PATIENCE && USUAL == Form::bare;
            if (may_be_word) {  // nothing but blanks and words?
                const Four is_blank = same(size_of, _mm256_setzero_si256());
                is_word = are_word(ends, size_of, habit);
                const Four known = either(is_blank, is_word);
                is_read = _mm256_testc_si256(known, found.left);
                if (is_read)
                    found = {without(found.mantissas, known), found.behind, is_blank, is_word};
            }
            if (!is_read) {
                found = read<DECIMALS, Form::any>(ends, size_of, rule);
                ++vain;
            }
            if (HAS_UNIT<Cells>) {  // a sign alone is no blank cell
                found.left = either(found.left, found.is_blank);
                found.is_blank = _mm256_setzero_si256();
            }
            const Four skipped = _mm256_or_si256(found.is_blank, found.left);
            if (DECIMALS) {
                const __m256d value = _mm256_div_pd(
                    doubles(found.mantissas), WIDE ? more_tens(found.behind) : tens(found.behind));
                _mm256_storeu_pd(static_cast<double*>(into) + cell, value);
                const __m256d skip = _mm256_castsi256_pd(skipped);
                low = _mm256_min_pd(low, _mm256_blendv_pd(value, _mm256_set1_pd(HUGE_VAL), skip));
                high = _mm256_max_pd(high, _mm256_blendv_pd(value, _mm256_set1_pd(-HUGE_VAL), skip));
                decimals = _mm256_max_epi32(decimals, _mm256_andnot_si256(skipped, found.behind));
            } else {
                const Four value = found.mantissas;
                _mm256_storeu_si256(
                    reinterpret_cast<Four*>(static_cast<std::int64_t*>(into) + cell), value);
                if (WIDE) {
                    const Four below_all = without(_mm256_cmpgt_epi64(least, value), skipped);
                    const Four above_all = without(_mm256_cmpgt_epi64(value, most), skipped);
                    least = _mm256_blendv_epi8(least, value, below_all);
                    most = _mm256_blendv_epi8(most, value, above_all);
                } else {
                    least = _mm256_min_epi32(
                        least, _mm256_blendv_epi8(value, _mm256_set1_epi32(INT32_MAX), skipped));
                    most = _mm256_max_epi32(
                        most, _mm256_blendv_epi8(value, _mm256_set1_epi32(INT32_MIN), skipped));
                }
            }
            if (!_mm256_testz_si256(skipped, skipped)) {
                const unsigned blanks = lanes_of(found.is_blank);
                unsigned others = lanes_of(found.left), worded = 0;
                if (others && habit.length > 0) {
                    if (!may_be_word) is_word = are_word(ends, size_of, habit);
                    worded = others & lanes_of(is_word);
                    others &= ~worded;
                    told.worded += count_bits(worded);
                }
                const std::uint32_t why = each_of(blanks, 1) | each_of(worded, habit.reason);
                std::memcpy(reasons + cell, &why, COUNT);
                for (; others; others &= others - 1)
                    left[left_count++] = place + trailing_zeros(others);
                told.blanks += count_bits(blanks);
            }
        }
        for (int lane = 0; lane < COUNT; ++lane) {
            if (DECIMALS) {
                told.low = std::fmin(told.low, of(low, lane));
                told.high = std::fmax(told.high, of(high, lane));
                told.most_decimals = std::max(told.most_decimals, of(decimals, 2 * lane));
            } else if (WIDE) {
                told.low_whole = std::min(told.low_whole, whole_of(least, lane));
                told.high_whole = std::max(told.high_whole, whole_of(most, lane));
            } else if (of(least, 2 * lane) <= of(most, 2 * lane)) {
                told.low_whole = std::min<std::int64_t>(told.low_whole, of(least, 2 * lane));
                told.high_whole = std::max<std::int64_t>(told.high_whole, of(most, 2 * lane));
            }
        }
        return left_count;
    }

    // Reads a cell by its shape; false for what is not written so, or beyond what a pair may be.
    class Placed {
      public:
        explicit Placed(const Shape& shape)
            : last(shape.last), literals(load(shape.literals)), literal(load(shape.literal)),
              digits(load(shape.digits)), order(load(shape.order)), before(shape.before),
              least(eight(shape.least)), span(eight(shape.span)) {}

        OLIVE_INLINE bool read(const byte* at, Sums& found) const {
            const Four text = held(at), plain = _mm256_xor_si256(text, bytes('0'));
            return read(text, plain, _mm256_subs_epu8(both(plain, digits), bytes(9)), found);
        }

        // Of which it is known where the digits stand, and where the name of the month is so many
        // letters longer, as if it had only three.
        OLIVE_INLINE bool read_named(const byte* at, int longer, Sums& found) const {
            return read_outlined(_mm256_blendv_epi8(held(at + longer), held(at), load(before)), found);
        }
        OLIVE_INLINE bool read_outlined(const byte* at, Sums& found) const {
            return read_outlined(held(at), found);
        }

      private:
        OLIVE_INLINE Four held(const byte* at) const {
            return _mm256_inserti128_si256(_mm256_castsi128_si256(half(at)), half(at + last), 1);
        }
        static __m128i eight(const std::int16_t* at) { return half(reinterpret_cast<const byte*>(at)); }

        OLIVE_INLINE bool read_outlined(Four text, Sums& found) const {
            return read(text, _mm256_xor_si256(text, bytes('0')), _mm256_setzero_si256(), found);
        }

        OLIVE_INLINE bool read(Four text, Four plain, Four no_digits, Sums& found) const {
            const Four wrong = either(_mm256_xor_si256(both(text, literals), literal), no_digits);
            const Four halves =
                _mm256_maddubs_epi16(_mm256_shuffle_epi8(plain, order), _mm256_set1_epi16(0x010A));
            const __m128i pairs =  // a pair may lie in both
                _mm_add_epi16(_mm256_castsi256_si128(halves), _mm256_extracti128_si256(halves, 1));
            const __m128i terms =
                _mm_madd_epi16(pairs, _mm_setr_epi16(1200, 12, 1, 0, 3600, 60, 1, 0));
            const __m128i sums = _mm_add_epi32(terms, _mm_srli_epi64(terms, 32));
            found.months = _mm_cvtsi128_si32(sums);
            found.seconds = _mm_extract_epi32(sums, 2);
            found.day = _mm_extract_epi16(pairs, Shape::day);
            found.of_century = _mm_extract_epi16(pairs, Shape::of_century);
            found.hour = _mm_extract_epi16(pairs, Shape::hour);
            const __m128i beyond = _mm_subs_epu16(_mm_sub_epi16(pairs, least), span);
            const Four none = either(wrong, _mm256_zextsi128_si256(beyond));
            return _mm256_testz_si256(none, none);
        }

        std::int64_t last;
        Four literals, literal, digits, order;
        const byte* before;
        __m128i least, span;
    };

    // Cells of one plain shape, four at a time: two share each register, one in either half.
    class FourPlaced {
      public:
        explicit FourPlaced(const Shape& shape)
            : last(shape.last), width(_mm256_set1_epi64x(shape.width)), near(shape, 0),
              far(shape, 16), least(twice(reinterpret_cast<const byte*>(shape.least))),
              span(twice(reinterpret_cast<const byte*>(shape.span))) {}

        // Days, microseconds, or both, of four cells; returns the lanes that are not of the shape.
        template <Unit UNIT, class Cells, class Value>
        OLIVE_INLINE unsigned read(const Cells& cells, std::int64_t cell, Value* values) const {
            const Told one = told(cells.begin(cell), cells.begin(cell + 1));
            const Told two = told(cells.begin(cell + 2), cells.begin(cell + 3));
            // the first halves of both, and the second ones
            const Four wrong = in_turn(either(_mm256_unpacklo_epi64(one.wrong, two.wrong),
                                              _mm256_unpackhi_epi64(one.wrong, two.wrong)));
            Four good = both(same(wrong, _mm256_setzero_si256()), same(lengths(cells, cell), width));
            const Four seconds = both(in_turn(_mm256_unpackhi_epi64(one.sums, two.sums)),
                                      _mm256_set1_epi64x(0xFFFFFFFF));
            if constexpr (UNIT == Unit::of_day) {
                put(values + cell, both(good, micros_of(seconds)));
                return lanes_of(good) ^ 0xF;
            } else {
                const Four months = in_turn(_mm256_unpacklo_epi64(one.sums, two.sums));
                const Four day = in_turn(_mm256_srli_epi64(_mm256_unpacklo_epi64(one.pairs, two.pairs), 48));
                __m128i days;
                const __m128i known =
                    _mm_and_si128(days_of(low_halves(months), low_halves(day), days), low_halves(good));
                if constexpr (UNIT == Unit::days) {
                    put(values + cell, _mm_and_si128(known, days));
                } else {
                    const Four since = _mm256_mul_epi32(_mm256_cvtepi32_epi64(days),
                                                        _mm256_set1_epi64x(86400));
                    good = _mm256_cvtepi32_epi64(known);
                    put(values + cell, both(good, micros_of(_mm256_add_epi64(since, seconds))));
                }
                return static_cast<unsigned>(_mm_movemask_ps(_mm_castsi128_ps(known))) ^ 0xF;
            }
        }

      private:
        // What stands in sixteen characters: see `Shape`.
        struct Half {
            Four literals, literal, digits, order;
            Half(const Shape& shape, int from)
                : literals(twice(shape.literals + from)), literal(twice(shape.literal + from)),
                  digits(twice(shape.digits + from)), order(twice(shape.order + from)) {}

            OLIVE_INLINE Four wrong(Four text) const {
                const Four plain = _mm256_xor_si256(text, bytes('0'));
                return either(_mm256_xor_si256(both(text, literals), literal),
                              _mm256_subs_epu8(both(plain, digits), bytes(9)));
            }
            OLIVE_INLINE Four pairs(Four text) const {
                const Four plain = _mm256_xor_si256(text, bytes('0'));
                return _mm256_maddubs_epi16(_mm256_shuffle_epi8(plain, order), _mm256_set1_epi16(0x010A));
            }
        };
        // Of two cells: pairs of digits, and in the lowest four bytes of each eight months and seconds.
        struct Told {
            Four wrong, pairs, sums;
        };

        OLIVE_INLINE Told told(const byte* one, const byte* two) const {
            Four text = _mm256_inserti128_si256(_mm256_castsi128_si256(half(one)), half(two), 1);
            Four wrong = near.wrong(text), pairs = near.pairs(text);
            if (last) {
                text = _mm256_inserti128_si256(_mm256_castsi128_si256(half(one + last)), half(two + last), 1);
                wrong = either(wrong, far.wrong(text));
                pairs = _mm256_add_epi16(pairs, far.pairs(text));  // a pair may lie in both
            }
            wrong = either(wrong, _mm256_subs_epu16(_mm256_sub_epi16(pairs, least), span));
            const Four terms = _mm256_madd_epi16(
                pairs, _mm256_setr_epi16(1200, 12, 1, 0, 3600, 60, 1, 0, 1200, 12, 1, 0, 3600, 60, 1, 0));
            return {wrong, pairs, _mm256_add_epi32(terms, _mm256_srli_epi64(terms, 32))};
        }

        // From the order in which halves are taken out of two registers.
        static Four in_turn(Four words) { return _mm256_permute4x64_epi64(words, 0xD8); }

        static OLIVE_INLINE Four micros_of(Four seconds) {
            const Four million = _mm256_set1_epi64x(1000000);
            const Four high = _mm256_mul_epu32(_mm256_srli_epi64(seconds, 32), million);
            return _mm256_add_epi64(_mm256_mul_epu32(seconds, million), _mm256_slli_epi64(high, 32));
        }

        static void put(std::int64_t* at, Four values) {
            _mm256_storeu_si256(reinterpret_cast<Four*>(at), values);
        }
        static void put(place* at, __m128i values) {
            _mm_storeu_si128(reinterpret_cast<__m128i*>(at), values);
        }

        std::int64_t last;
        Four width;
        Half near, far;
        Four least, span;
    };

    // Can dates with the name of a month be read so: is what stands between their parts short enough?
    template <Worded::Order ORDER>
    static bool can(const Worded& worded) {
        const int first = worded.between[0].length, second = worded.between[1].length;
        return ORDER == Worded::day_first    ? first <= 5 && second <= 3
               : ORDER == Worded::name_first ? first <= 5 && second <= 2
                                             : first <= 4 && second <= 5;
    }

    // So many bytes less at the front of each.
    static OLIVE_INLINE Four shifted(Four words, int by) { return _mm256_srli_epi64(words, 8 * by); }

    // Which lanes do not hold this text in their lowest bytes.
    static OLIVE_INLINE Four without_divider(Four words, const Divider& divider) {
        const Four text = _mm256_set1_epi64x(static_cast<long long>(divider.text));
        const Four mask = _mm256_set1_epi64x(static_cast<long long>(divider.mask));
        return without(bytes(-1), same(both(words, mask), text));
    }

    static __m128i low_halves(Four wide) {
        return _mm256_castsi256_si128(
            _mm256_permutevar8x32_epi32(wide, _mm256_setr_epi32(0, 2, 4, 6, 0, 2, 4, 6)));
    }

    // The months whose names begin these words and have so many letters, of which the last is in the
    // lowest byte of `last`; 0 where there is no such month.
    static OLIVE_INLINE Four months_named(Four names, Four letters, Four last) {
        const Four all = bytes(-1), low = _mm256_set1_epi64x(0xFF);
        const Four above = _mm256_sub_epi64(_mm256_set1_epi64x(64), _mm256_slli_epi64(letters, 3));
        const Four within = _mm256_srlv_epi64(all, _mm256_max_epi32(above, _mm256_setzero_si256()));
        const Four name = both(either(names, bytes(0x20)), within);
        const Four folded = _mm256_xor_si256(name, _mm256_srli_epi64(name, 32));
        const Four product = _mm256_mul_epu32(folded, _mm256_set1_epi64x(MONTH_WORDS.factor));
        const Four slots = both(_mm256_srli_epi64(product, 32 - MonthWords::BITS),
                                _mm256_set1_epi64x(MonthWords::SLOTS - 1));
        const auto word_in = [](__m128i two, int lane) {
            const std::int64_t slot = lane ? _mm_extract_epi64(two, 1) : _mm_cvtsi128_si64(two);
            return half(reinterpret_cast<const byte*>(MONTH_WORDS.words + slot));
        };
        const __m128i front = _mm256_castsi256_si128(slots), back = _mm256_extracti128_si256(slots, 1);
        const Four even = _mm256_inserti128_si256(_mm256_castsi128_si256(word_in(front, 0)),
                                                  word_in(back, 0), 1);
        const Four odd = _mm256_inserti128_si256(_mm256_castsi128_si256(word_in(front, 1)),
                                                 word_in(back, 1), 1);
        const Four told = _mm256_unpackhi_epi64(even, odd);
        const Four end = either(both(last, low), _mm256_set1_epi64x(0x20));
        const Four told_end = both(told, _mm256_set1_epi64x(0xFFFF));
        const Four good = both(same(name, _mm256_unpacklo_epi64(even, odd)),
                               same(told_end, either(letters, _mm256_slli_epi64(end, 8))));
        return both(good, _mm256_srli_epi64(told, 32));
    }

    // Four dates with the name of a month; returns the lanes that are none.
    template <Worded::Order ORDER, class Cells>
    static OLIVE_INLINE unsigned read_worded(const Cells& cells, std::int64_t cell, const Worded& worded,
                                             place* values) {
        const Divider &first = worded.between[0], &second = worded.between[1];
        const byte* const begins[COUNT] = {cells.begin(cell), cells.begin(cell + 1),
                                           cells.begin(cell + 2), cells.begin(cell + 3)};
        const byte* const ends[COUNT] = {cells.end(cell), cells.end(cell + 1), cells.end(cell + 2),
                                         cells.end(cell + 3)};
        const Four zero = _mm256_set1_epi64x('0'), nine = _mm256_set1_epi64x(9);
        const Four low = _mm256_set1_epi64x(0xFF);
        const Four front = words(begins, 0), back = words(ends, 8);
        // the day, of which the second digit is looked for where it may be missing
        const int behind_day = ORDER == Worded::name_first ? 4 + second.length : 0;
        const Four pair = ORDER == Worded::day_first ? front : shifted(back, 6 - behind_day);
        const Four one = _mm256_xor_si256(both(pair, low), zero);
        const Four other = _mm256_xor_si256(both(shifted(pair, 1), low), zero);
        const Four may_miss = ORDER == Worded::day_first ? other : one;
        const Four has_one = without(bytes(-1), _mm256_cmpgt_epi64(may_miss, nine));
        const Four tens = _mm256_mul_epu32(one, _mm256_set1_epi64x(10));
        const Four day = ORDER == Worded::day_first
                             ? _mm256_blendv_epi8(one, _mm256_add_epi64(tens, other), has_one)
                             : _mm256_add_epi64(both(tens, has_one), other);
        Four wrong = _mm256_cmpgt_epi64(ORDER == Worded::day_first ? one : other, nine);
        // the year
        const Four year = ORDER == Worded::year_first ? both(front, _mm256_set1_epi64x(0xFFFFFFFF))
                                                      : shifted(back, 4);
        const Four plain = _mm256_xor_si256(year, _mm256_set1_epi64x(0x30303030));
        const Four odd = _mm256_subs_epu8(plain, bytes(9));
        wrong = either(wrong, without(bytes(-1), same(odd, _mm256_setzero_si256())));
        const Four centuries = _mm256_maddubs_epi16(plain, _mm256_set1_epi16(0x010A));
        const Four months = _mm256_madd_epi16(centuries, _mm256_set1_epi32(12 << 16 | 1200));
        // what stands between, and the name with its last letter
        const Four by = both(has_one, _mm256_set1_epi64x(8));
        Four name, last;
        if (ORDER == Worded::day_first) {
            const Four behind = _mm256_srlv_epi64(front, _mm256_add_epi64(by, _mm256_set1_epi64x(8)));
            wrong = either(wrong, without_divider(behind, first));
            wrong = either(wrong, without_divider(shifted(back, 4 - second.length), second));
            const Four behind_two = words(begins, -(2 + first.length));
            const Four behind_one =
                either(_mm256_slli_epi64(behind_two, 8), both(shifted(behind, first.length), low));
            name = _mm256_blendv_epi8(behind_one, behind_two, has_one);
            last = shifted(back, 3 - second.length);
        } else if (ORDER == Worded::name_first) {
            const Four until = _mm256_sllv_epi64(words(ends, 12 + second.length),
                                                 _mm256_add_epi64(by, _mm256_set1_epi64x(8)));
            wrong = either(wrong, without_divider(shifted(until, 8 - first.length), first));
            wrong = either(wrong, without_divider(shifted(back, 4 - second.length), second));
            name = front;
            last = shifted(until, 7 - first.length);
        } else {
            const Four until =
                _mm256_srlv_epi64(back, _mm256_sub_epi64(_mm256_set1_epi64x(8 * (6 - second.length)), by));
            wrong = either(wrong, without_divider(shifted(front, 4), first));
            wrong = either(wrong, without_divider(shifted(until, 1), second));
            name = words(begins, -(4 + first.length));
            last = until;
        }
        const Four longer = _mm256_sub_epi64(lengths(cells, cell), _mm256_set1_epi64x(worded.least - 3));
        const Four letters = _mm256_sub_epi64(longer, both(has_one, _mm256_set1_epi64x(1)));
        const Four named = months_named(name, letters, last);
        wrong = either(wrong, same(named, _mm256_setzero_si256()));
        const __m128i of_month = low_halves(day);
        __m128i days;
        const __m128i within = days_of(low_halves(_mm256_add_epi32(months, named)), of_month, days);
        const __m128i is_day = _mm_cmpgt_epi32(of_month, _mm_setzero_si128());
        const __m128i good = _mm_andnot_si128(low_halves(wrong), _mm_and_si128(within, is_day));
        _mm_storeu_si128(reinterpret_cast<__m128i*>(values + cell), _mm_and_si128(good, days));
        return static_cast<unsigned>(_mm_movemask_ps(_mm_castsi128_ps(good))) ^ 0xF;
    }

    // Days of four dates by their months since the year 0; which of them are within the table, and
    // within their month if they are not before it.
    static OLIVE_INLINE __m128i days_of(__m128i months, __m128i day, __m128i& days) {
        constexpr int FIRST = 12 * FIRST_YEAR + 1, MONTHS = 12 * (LAST_YEAR - FIRST_YEAR);
        const __m128i since = _mm_sub_epi32(months, _mm_set1_epi32(FIRST));
        const __m128i within = _mm_cmpeq_epi32(_mm_min_epu32(since, _mm_set1_epi32(MONTHS - 1)), since);
        __m128i start, next;
        pairs_in(MONTH_STARTS, _mm_and_si128(since, within), start, next);
        days = _mm_add_epi32(start, _mm_sub_epi32(day, _mm_set1_epi32(1)));
        return _mm_and_si128(within, _mm_cmpgt_epi32(next, days));
    }

    // What a table holds at four places, and behind each of them. (A gather instruction takes
    // several times as long on processors that are protected against leaks by it.)
    static OLIVE_INLINE void pairs_in(const place* table, __m128i at, __m128i& here, __m128i& behind) {
        const auto two_at = [&](std::uint64_t two) {
            const auto pair = [&](std::uint64_t each) {
                return _mm_loadl_epi64(reinterpret_cast<const __m128i*>(table + each));
            };
            return _mm_castsi128_ps(_mm_unpacklo_epi64(pair(two & 0xFFFFFFFF), pair(two >> 32)));
        };
        const __m128 low = two_at(static_cast<std::uint64_t>(_mm_cvtsi128_si64(at)));
        const __m128 high = two_at(static_cast<std::uint64_t>(_mm_extract_epi64(at, 1)));
        here = _mm_castps_si128(_mm_shuffle_ps(low, high, 0x88));
        behind = _mm_castps_si128(_mm_shuffle_ps(low, high, 0xDD));
    }

    // Which of 32 characters are no digits.
    static OLIVE_INLINE std::uint32_t others(const byte* at) {
        const Four plain = _mm256_xor_si256(load(at), bytes('0'));
        const Four digits = _mm256_cmpeq_epi8(_mm256_min_epu8(plain, bytes(9)), plain);
        return ~static_cast<std::uint32_t>(_mm256_movemask_epi8(digits));
    }

    static Four lengths(const Located& cells, std::int64_t cell) {
        return _mm256_cvtepi32_epi64(
            _mm_sub_epi32(four_at(cells.ends + cell), four_at(cells.starts + cell)));
    }

    static Four lengths(const Grid& cells, std::int64_t) { return _mm256_set1_epi64x(cells.width); }

    static Four lengths(const Between& cells, std::int64_t cell) {
        const byte* at[COUNT];
        for (int lane = 0; lane < COUNT; ++lane)
            at[lane] = reinterpret_cast<const byte*>(cells.stops + (cell + lane) * cells.step);
        const Four pairs = words(at, 0);  // each with the next
        const Four begins = _mm256_and_si256(pairs, _mm256_set1_epi64x(0xFFFFFFFF));
        return _mm256_sub_epi64(_mm256_sub_epi64(_mm256_srli_epi64(pairs, 32), begins),
                                _mm256_set1_epi64x(1));
    }

    template <class Cells>
    static Four lengths(const Unsigned<Cells>& cells, std::int64_t cell) {
        return _mm256_setr_epi64x(cells.length(cell), cells.length(cell + 1),
                                  cells.length(cell + 2), cells.length(cell + 3));
    }

    static __m128i four_at(const place* at) {
        return _mm_loadu_si128(reinterpret_cast<const __m128i*>(at));
    }

    static double of(__m256d all, int lane) {
        double held[COUNT];
        _mm256_storeu_pd(held, all);
        return held[lane];
    }

    static std::int64_t whole_of(Four all, int lane) {
        std::int64_t held[COUNT];
        _mm256_storeu_si256(reinterpret_cast<Four*>(held), all);
        return held[lane];
    }

    static int of(Four all, int lane) {
        std::int32_t held[2 * COUNT];
        _mm256_storeu_si256(reinterpret_cast<Four*>(held), all);
        return held[lane];
    }
};
