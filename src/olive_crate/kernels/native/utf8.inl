// Valid UTF-8, 32 bytes at a time: of each byte and the one before it, three tables tell by four bits
// what may be wrong, and what all three tell is wrong. J. Keiser and D. Lemire, "Validating UTF-8 in
// less than one instruction per byte", Software: Practice and Experience 51 (2021).

class Utf8 {
  public:
    Utf8() : wrong(_mm256_setzero_si256()), last(_mm256_setzero_si256()) {}

    void take(const byte* at) {
        const Bytes held = _mm256_loadu_si256(reinterpret_cast<const Bytes*>(at));
        if (_mm256_movemask_epi8(held) == 0) {
            wrong = _mm256_or_si256(wrong, open());
        } else {
            const Bytes one = before<1>(held), two = before<2>(held), three = before<3>(held);
            const Bytes told = _mm256_and_si256(
                _mm256_and_si256(looked_up(LEADS, upper(one)), looked_up(LOWER_LEADS, lower(one))),
                looked_up(FOLLOWS, upper(held)));
            const Bytes third = _mm256_subs_epu8(two, all(0xE0 - 0x80));
            const Bytes fourth = _mm256_subs_epu8(three, all(0xF0 - 0x80));
            const Bytes must = _mm256_and_si256(_mm256_or_si256(third, fourth), all(0x80));
            wrong = _mm256_or_si256(wrong, _mm256_xor_si256(must, told));
        }
        last = held;
    }

    bool is_valid() const {
        const Bytes found = _mm256_or_si256(wrong, open());
        return _mm256_testz_si256(found, found);
    }

  private:
    using Bytes = __m256i;
    enum : byte {
        TOO_SHORT = 1,
        TOO_LONG = 2,
        OVERLONG_3 = 4,
        TOO_LARGE = 8,
        SURROGATE = 16,
        OVERLONG_2 = 32,
        BEYOND = 64,  // too large from 0xF5 on, or four bytes for what takes three
        TWO_FOLLOW = 128,
        ANY = TOO_SHORT | TOO_LONG | TWO_FOLLOW,
        LARGE = ANY | TOO_LARGE | BEYOND,
        LONG = TOO_LONG | OVERLONG_2 | TWO_FOLLOW,
    };
    static constexpr byte LEADS[16] = {
        TOO_LONG,   TOO_LONG,   TOO_LONG,   TOO_LONG,   TOO_LONG, TOO_LONG, TOO_LONG, TOO_LONG,
        TWO_FOLLOW, TWO_FOLLOW, TWO_FOLLOW, TWO_FOLLOW, TOO_SHORT | OVERLONG_2, TOO_SHORT,
        TOO_SHORT | OVERLONG_3 | SURROGATE, TOO_SHORT | TOO_LARGE | BEYOND};
    static constexpr byte LOWER_LEADS[16] = {
        ANY | OVERLONG_3 | OVERLONG_2 | BEYOND, ANY | OVERLONG_2, ANY, ANY, ANY | TOO_LARGE,
        LARGE, LARGE, LARGE, LARGE, LARGE, LARGE, LARGE, LARGE, LARGE | SURROGATE, LARGE, LARGE};
    static constexpr byte FOLLOWS[16] = {
        TOO_SHORT, TOO_SHORT, TOO_SHORT, TOO_SHORT, TOO_SHORT, TOO_SHORT, TOO_SHORT, TOO_SHORT,
        LONG | OVERLONG_3 | BEYOND, LONG | OVERLONG_3 | TOO_LARGE, LONG | SURROGATE | TOO_LARGE,
        LONG | SURROGATE | TOO_LARGE, TOO_SHORT, TOO_SHORT, TOO_SHORT, TOO_SHORT};

    static Bytes all(int each) { return _mm256_set1_epi8(static_cast<char>(each)); }
    static Bytes lower(Bytes held) { return _mm256_and_si256(held, all(15)); }
    static Bytes upper(Bytes held) { return lower(_mm256_srli_epi16(held, 4)); }
    static Bytes looked_up(const byte* table, Bytes at) {
        const __m128i half = _mm_loadu_si128(reinterpret_cast<const __m128i*>(table));
        return _mm256_shuffle_epi8(_mm256_broadcastsi128_si256(half), at);
    }
    // What stands so many bytes before each.
    template <int COUNT>
    Bytes before(Bytes held) const {
        return _mm256_alignr_epi8(held, _mm256_permute2x128_si256(last, held, 0x21), 16 - COUNT);
    }
    // Not zero where a character goes on behind the last bytes.
    Bytes open() const {
        const Bytes most = _mm256_set_epi64x(static_cast<long long>(0xBFDFEFFFFFFFFFFFull), -1, -1, -1);
        return _mm256_subs_epu8(last, most);
    }

    Bytes wrong, last;
};

static std::int64_t invalid_utf8(const byte* buffer, std::int64_t low, std::int64_t high) {
    Utf8 text;
    std::int64_t at = low;
    for (; at + 32 <= high; at += 32) text.take(buffer + at);
    byte rest[32] = {};
    std::memcpy(rest, buffer + at, static_cast<std::size_t>(high - at));
    text.take(rest);
    return text.is_valid() ? -1 : olive::invalid_utf8(buffer, low, high);
}
