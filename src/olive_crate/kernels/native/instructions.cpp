// The kernels for each instruction set, and the choice among them.

#include "instructions.hpp"

#include "nolanes.hpp"
#include "texts.hpp"

#include <algorithm>
#include <cstddef>
#include <cstring>
#include <type_traits>

#if defined(__x86_64__) || defined(_M_X64)
#define OLIVE_X86 1
#include <immintrin.h>
#elif defined(__aarch64__) || defined(_M_ARM64)
#define OLIVE_ARM 1
#include <arm_neon.h>
#endif

namespace olive {

// What masks tell, one bit after the other.
struct Bits {
    // All bits up to each, added without carry: what lies within quotes.
    static std::uint64_t prefix_parity(std::uint64_t bits) {
        bits ^= bits << 1;
        bits ^= bits << 2;
        bits ^= bits << 4;
        bits ^= bits << 8;
        bits ^= bits << 16;
        return bits ^ (bits << 32);
    }

    // The places of the bits, counted from `at`; what is put behind them counts for nothing.
    static place* put(std::uint64_t bits, std::int64_t at, place* to) {
        for (; bits; bits &= bits - 1) *to++ = static_cast<place>(at) + trailing_zeros(bits);
        return to;
    }
};

// Any processor: eight bytes at a time, by carry-free comparison.
namespace portable {
class Wide : public Bits {
  public:
    explicit Wide(const byte* at) {
        for (int word = 0; word < 8; ++word) held[word] = fetch(at + 8 * word);
    }
    std::uint64_t equal(byte each) const {
        std::uint64_t mask = 0;
        for (int word = 0; word < 8; ++word) {
            const std::uint64_t other = held[word] ^ (ONES * each);
            const std::uint64_t low = ~HIGH;
            mask |= gathered(~(((other & low) + low) | other | low)) << (8 * word);
        }
        return mask;
    }
    bool high() const {
        std::uint64_t all = 0;
        for (const std::uint64_t word : held) all |= word;
        return (all & HIGH) != 0;
    }

  private:
    // The high bits of eight bytes as one byte.
    static std::uint64_t gathered(std::uint64_t hits) {
        return ((hits >> 7) * 0x0102040810204080ull) >> 56;
    }
    std::uint64_t held[8];
};
#include "scanning.inl"
using Lanes = NoLanes;
#include "numbers.inl"
#include "times.inl"
static const Kernels TABLE = {survey,        cut,         find_stops, split,
                              read_integers, read_floats, read_times, validity,
                              invalid_utf8};
}  // namespace portable

#if OLIVE_X86
namespace sse2 {  // every x86-64 has it
class Wide : public Bits {
  public:
    explicit Wide(const byte* at) {
        for (int part = 0; part < 4; ++part)
            held[part] = _mm_loadu_si128(reinterpret_cast<const __m128i*>(at + 16 * part));
    }
    std::uint64_t equal(byte each) const {
        const __m128i wanted = _mm_set1_epi8(static_cast<char>(each));
        std::uint64_t mask = 0;
        for (int part = 0; part < 4; ++part) {
            const int bits = _mm_movemask_epi8(_mm_cmpeq_epi8(held[part], wanted));
            mask |= static_cast<std::uint64_t>(static_cast<std::uint32_t>(bits)) << (16 * part);
        }
        return mask;
    }
    bool high() const {
        const __m128i all =
            _mm_or_si128(_mm_or_si128(held[0], held[1]), _mm_or_si128(held[2], held[3]));
        return _mm_movemask_epi8(all) != 0;
    }

  private:
    __m128i held[4];
};
#include "scanning.inl"
using Lanes = NoLanes;
#include "numbers.inl"
#include "times.inl"
static const Kernels TABLE = {survey,        cut,         find_stops, split,
                              read_integers, read_floats, read_times, validity,
                              invalid_utf8};
}  // namespace sse2
#endif

#if OLIVE_ARM
namespace neon {  // every ARM64 has it
class Wide : public Bits {
  public:
    explicit Wide(const byte* at) {
        for (int part = 0; part < 4; ++part) held[part] = vld1q_u8(at + 16 * part);
    }
    std::uint64_t equal(byte each) const {
        static const byte POWERS[16] = {1, 2, 4, 8, 16, 32, 64, 128, 1, 2, 4, 8, 16, 32, 64, 128};
        const uint8x16_t wanted = vdupq_n_u8(each), powers = vld1q_u8(POWERS);
        const uint8x16_t one = vandq_u8(vceqq_u8(held[0], wanted), powers);
        const uint8x16_t two = vandq_u8(vceqq_u8(held[1], wanted), powers);
        const uint8x16_t three = vandq_u8(vceqq_u8(held[2], wanted), powers);
        const uint8x16_t four = vandq_u8(vceqq_u8(held[3], wanted), powers);
        uint8x16_t sums = vpaddq_u8(vpaddq_u8(one, two), vpaddq_u8(three, four));
        sums = vpaddq_u8(sums, sums);
        return vgetq_lane_u64(vreinterpretq_u64_u8(sums), 0);
    }
    bool high() const {
        const uint8x16_t all =
            vorrq_u8(vorrq_u8(held[0], held[1]), vorrq_u8(held[2], held[3]));
        return vmaxvq_u8(all) >= 0x80;
    }

  private:
    uint8x16_t held[4];
};
#include "scanning.inl"
using Lanes = NoLanes;
#include "numbers.inl"
#include "times.inl"
static const Kernels TABLE = {survey,        cut,         find_stops, split,
                              read_integers, read_floats, read_times, validity,
                              invalid_utf8};
}  // namespace neon
#endif

#if OLIVE_X86 && defined(__GNUC__)
#define OLIVE_AVX2 1
#if defined(__clang__)
#pragma clang attribute push(__attribute__((target("avx2,bmi,bmi2,popcnt,lzcnt,pclmul"))), \
                             apply_to = function)
#else
#pragma GCC push_options
#pragma GCC target("avx2,bmi,bmi2,popcnt,lzcnt,pclmul")
#endif
namespace avx2 {  // asked of the processor when the module is loaded
static inline int trailing_zeros(std::uint64_t word) { return __builtin_ctzll(word); }
static inline int leading_zeros(std::uint64_t word) { return __builtin_clzll(word); }
static inline int count_bits(std::uint64_t word) { return __builtin_popcountll(word); }
class Wide : public Bits {
  public:
    explicit Wide(const byte* at)
        : one(_mm256_loadu_si256(reinterpret_cast<const __m256i*>(at))),
          two(_mm256_loadu_si256(reinterpret_cast<const __m256i*>(at + 32))) {}
    std::uint64_t equal(byte each) const {
        const __m256i wanted = _mm256_set1_epi8(static_cast<char>(each));
        const int low = _mm256_movemask_epi8(_mm256_cmpeq_epi8(one, wanted));
        const int high = _mm256_movemask_epi8(_mm256_cmpeq_epi8(two, wanted));
        return static_cast<std::uint32_t>(low) |
               (static_cast<std::uint64_t>(static_cast<std::uint32_t>(high)) << 32);
    }
    static std::uint64_t prefix_parity(std::uint64_t bits) {
        const __m128i product =
            _mm_clmulepi64_si128(_mm_set_epi64x(0, static_cast<long long>(bits)), _mm_set1_epi8(-1), 0);
        return static_cast<std::uint64_t>(_mm_cvtsi128_si64(product));
    }
    static place* put(std::uint64_t bits, std::int64_t at, place* to) {
        place* const end = to + count_bits(bits);
        for (; bits; to += 8)
#pragma GCC unroll 8
            for (int each = 0; each < 8; ++each, bits &= bits - 1)
                to[each] = static_cast<place>(at + static_cast<std::int64_t>(_tzcnt_u64(bits)));
        return end;
    }
    bool high() const { return _mm256_movemask_epi8(_mm256_or_si256(one, two)) != 0; }

  private:
    __m256i one, two;
};
#include "scanning.inl"
#include "utf8.inl"
#include "lanes.inl"
#include "numbers.inl"
#include "times.inl"
static const Kernels TABLE = {survey,        cut,         find_stops, split,
                              read_integers, read_floats, read_times, validity,
                              invalid_utf8};
}  // namespace avx2
#if defined(__clang__)
#pragma clang attribute pop
#else
#pragma GCC pop_options
#endif
#endif

struct Choice {
    const char* name;
    const Kernels* kernels;
};

static Choice chosen = {"portable", &portable::TABLE};

bool choose_instructions(const char* name) {
    const bool any = std::strcmp(name, "") == 0;
#if OLIVE_AVX2
    const bool has_avx2 = __builtin_cpu_supports("avx2") && __builtin_cpu_supports("bmi") &&
                          __builtin_cpu_supports("bmi2") && __builtin_cpu_supports("popcnt") &&
                          __builtin_cpu_supports("pclmul");
    if (has_avx2 && (any || std::strcmp(name, "avx2") == 0)) {
        chosen = {"avx2", &avx2::TABLE};
        return true;
    }
#endif
#if OLIVE_X86
    if (any || std::strcmp(name, "sse2") == 0) {
        chosen = {"sse2", &sse2::TABLE};
        return true;
    }
#endif
#if OLIVE_ARM
    if (any || std::strcmp(name, "neon") == 0) {
        chosen = {"neon", &neon::TABLE};
        return true;
    }
#endif
    if (any || std::strcmp(name, "portable") == 0) {
        chosen = {"portable", &portable::TABLE};
        return true;
    }
    return false;
}

const Kernels& in_use() { return *chosen.kernels; }
const char* instruction_set() { return chosen.name; }

}  // namespace olive
