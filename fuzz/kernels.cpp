// Changed inputs for the kernels, in process and guided by what they reach.
//
// Built by `kernels.py` with the kernels' own sources, which call `__sanitizer_cov_trace_pc` at each
// edge, and with address and undefined-behaviour sanitizers. An input that reaches an edge, or
// reaches it more often than any before, is kept and changed further. The first byte chooses the
// kernel. Where there are two ways to one result (the instruction sets, the quick and the slow
// splitting), both are taken and compared.

#include <fcntl.h>
#include <sys/mman.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <memory>
#include <random>
#include <string>
#include <vector>

#include "figures.hpp"
#include "instructions.hpp"
#include "opendocument.hpp"
#include "records.hpp"
#include "rows.hpp"
#include "sheet.hpp"
#include "texts.hpp"

using namespace olive;

namespace {

constexpr std::size_t PAD = 32, EDGES = 1 << 16;
unsigned char reached[EDGES];

using Input = std::vector<byte>;

// A copy between pads, in memory of its own size, so that any access beyond it is seen.
struct Padded {
    explicit Padded(const byte* at, std::size_t size)
        : size(static_cast<std::int64_t>(size)), held(new byte[size + 2 * PAD]()) {
        if (size) std::memcpy(held.get() + PAD, at, size);
    }
    std::int64_t size;
    std::unique_ptr<byte[]> held;
    byte* data() { return held.get(); }
    std::int64_t low() const { return PAD; }
    std::int64_t high() const { return PAD + size; }
};

[[noreturn]] void differs(const char* what) {
    std::fprintf(stderr, "DIFFERS: %s\n", what);
    std::abort();
}

struct Flat {
    std::vector<place> starts, ends;
    std::vector<std::int64_t> record, heads, lines;
    Outcome told;
    bool done = true;
};

Flat split_by(Padded& text, Marks marks, bool final, bool slowly, std::int64_t fields,
              std::int64_t records) {
    Flat made;
    made.starts.resize(fields);
    made.ends.resize(fields);
    made.record.resize(records + 1);
    made.heads.resize(records);
    made.lines.resize(records + 1);
    Borders borders{made.starts.data(), made.ends.data(), made.record.data(), made.heads.data(),
                    made.lines.data(), 0, 0};
    if (slowly)
        split_slowly(text.data(), text.low(), text.high(), marks, final, borders, made.told);
    else
        made.done = in_use().split(text.data(), text.low(), text.high(), marks, final, borders,
                                   made.told);
    return made;
}

void splitting(const Input& input) {
    Padded text(input.data() + 3, input.size() - 3);
    const int delimiters[] = {',', ';', '\t', -1};
    Marks marks{delimiters[input[1] & 3], input[1] & 4 ? '"' : 0, true};
    const bool final = input[1] & 8;
    const Survey seen = in_use().survey(text.data(), text.low(), text.high(), marks);
    if (!seen.quotes) marks.quote = 0;
    marks.returns = seen.returns != 0;
    if (!final && text.size && text.data()[text.high() - 1] == '\r') return;
    in_use().cut(text.data(), text.low(), text.high(), marks);
    const std::int64_t records = seen.feeds + (marks.returns ? seen.returns : 0) + 1;
    const std::int64_t fields = records + seen.delimiters;
    const Flat slow = split_by(text, marks, final, true, fields, records);
    const char* const sets[] = {"portable", "sse2", "avx2"};
    choose_instructions(sets[input[2] % 3]);
    const Flat quick = split_by(text, marks, final, false, fields, records);
    if (!quick.done) return;
    const Outcome &one = quick.told, &other = slow.told;
    if (one.fields != other.fields || one.records != other.records ||
        one.consumed != other.consumed ||
        (final && one.open_quote != other.open_quote))  // else more text may close it
        differs("what splitting tells");
    for (std::int64_t at = 0; at < one.fields; ++at)
        if (quick.starts[at] != slow.starts[at] || quick.ends[at] != slow.ends[at])
            differs("where fields stand");
    for (std::int64_t at = 0; at < one.records; ++at)
        if (quick.heads[at] != slow.heads[at] || quick.lines[at] != slow.lines[at])
            differs("where records stand");
}

struct Cells {
    explicit Cells(Padded& text) {
        place from = static_cast<place>(text.low());
        for (std::int64_t at = text.low(); at <= text.high(); ++at)
            if (at == text.high() || text.data()[at] == '\n') {
                starts.push_back(from);
                ends.push_back(static_cast<place>(at));
                from = static_cast<place>(at + 1);
            }
    }
    std::vector<place> starts, ends;
    std::int64_t count() const { return static_cast<std::int64_t>(starts.size()); }
};

void numbers(const Input& input) {
    Padded text(input.data() + 3, input.size() - 3);
    const Cells cells(text);
    const CellsAt at{text.data(), cells.starts.data(), cells.ends.data(), 0, 0, 0, cells.count()};
    const char* const sets[] = {"portable", "sse2", "avx2"};
    std::vector<std::int64_t> whole[3];
    std::vector<double> real[3];
    std::vector<byte> why[3], why_real[3];
    for (int set = 0; set < 3; ++set) {
        if (!choose_instructions(sets[set])) continue;
        const NumberRule rule{input[1] & 1 ? ',' : '.', (input[1] & 2) != 0, input[1] & 4 ? 2 : 0};
        whole[set].assign(cells.count(), 0);
        real[set].assign(cells.count(), 0);
        why[set].assign(cells.count(), 0);
        why_real[set].assign(cells.count(), 0);
        in_use().read_integers(at, rule, whole[set].data(), why[set].data());
        in_use().read_floats(at, rule, real[set].data(), why_real[set].data());
        if (why[set] != why[0] || why_real[set] != why_real[0]) differs("which cells are numbers");
        for (std::int64_t cell = 0; cell < cells.count(); ++cell) {
            if (!why[set][cell] && whole[set][cell] != whole[0][cell]) differs("whole numbers");
            if (!why_real[set][cell] && std::memcmp(&real[set][cell], &real[0][cell], 8))
                differs("numbers");
        }
    }
}

Input steps(const char* form) {
    Input made{0, 0, 0};
    int count = 0;
    for (const char* at = form; *at; ++at, ++count) {
        if (*at == '%') {
            made.push_back(static_cast<byte>(*++at));
            made.push_back(0);
        } else {
            made.push_back(0);
            made.push_back(static_cast<byte>(*at));
        }
    }
    made[1] = static_cast<byte>(count);
    return made;
}

void times(const Input& input) {
    static const char* const FORMS[] = {"%Y-%m-%d", "%d.%m.%Y", "%m/%d/%Y", "%d %b %Y", "%y%m%d",
                                        "%Y-%m-%dT%H:%M:%S", "%H:%M:%S", "%H:%M",
                                        "%d de %b de %Y", "%b %d, %Y", "%Y-%m-%d %H:%M:%S.%f",
                                        "%Y-%m-%dT%H:%M:%S%z", "%m/%d/%Y %I:%M:%S %p", "%d.%m.%y",
                                        "%I:%M %p", "%H:%M:%S.%f"};
    Padded text(input.data() + 3, input.size() - 3);
    const Cells cells(text);
    const CellsAt at{text.data(), cells.starts.data(), cells.ends.data(), 0, 0, 0, cells.count()};
    static const Unit UNITS[] = {
        Unit::days,       Unit::days,       Unit::days,       Unit::days,       Unit::days,  Unit::since_1970,
        Unit::of_day,     Unit::of_day,     Unit::days,       Unit::days,       Unit::since_1970,
        Unit::since_1970, Unit::since_1970, Unit::days,       Unit::of_day,     Unit::of_day};
    const int form = input[1] & 15;
    const Unit unit = UNITS[form];
    Input held = steps(FORMS[form]);
    held[2] = input[1] & 16 ? 1 : 0;
    const Padded pattern(held.data(), held.size());
    const char* const sets[] = {"portable", "sse2", "avx2"};
    std::vector<std::int64_t> first;
    std::vector<byte> first_why;
    for (const char* set : sets) {
        if (!choose_instructions(set)) continue;
        Patterns patterns{};
        int usual = 0;
        patterns.usual = &usual;
        patterns.vary = (input[1] & 32) != 0;  // as if cells before had had shapes that take turns
        if (!patterns.set(pattern.held.get() + PAD, pattern.size)) differs("a pattern");
        std::vector<std::int64_t> values(cells.count());
        std::vector<byte> why(cells.count());
        in_use().read_times(at, patterns, unit, values.data(), why.data());
        if (unit == Unit::days) {
            const std::vector<std::int32_t> days(
                reinterpret_cast<std::int32_t*>(values.data()),
                reinterpret_cast<std::int32_t*>(values.data()) + cells.count());
            values.assign(days.begin(), days.end());
        }
        for (std::size_t cell = 0; cell < why.size(); ++cell)
            if (why[cell]) values[cell] = 0;
        if (first_why.empty()) {
            first = values;
            first_why = why;
        } else if (first != values || first_why != why) {
            differs("times");
        }
    }
}

void rows(const Input& input) {
    Padded text(input.data() + 3, input.size() - 3);
    Marks marks{',', '"', true};
    const Survey seen = in_use().survey(text.data(), text.low(), text.high(), marks);
    if (!seen.quotes) marks.quote = 0;
    marks.returns = seen.returns != 0;
    const std::int64_t room = seen.feeds + (marks.returns ? seen.returns : 0) + 1;
    const std::int64_t fields = 2 + (input[1] & 3);
    std::vector<std::int64_t> lines(room + 1);
    std::vector<std::vector<std::int64_t>> values(4, std::vector<std::int64_t>(room + 1));
    std::vector<std::vector<byte>> why(4, std::vector<byte>(room));
    std::vector<place> starts(room), ends(room);
    Words words(200, 20);
    std::vector<Task> tasks(4);
    const Kind kinds[] = {Kind::integers, Kind::numbers, Kind::texts, Kind::texts};
    for (int at = 0; at < 4; ++at) {
        tasks[at].kind = kinds[at];
        tasks[at].field = (at + input[2]) % fields;
        tasks[at].rule = NumberRule{'.', false, 0};
        tasks[at].values = reinterpret_cast<byte*>(values[at].data());
        tasks[at].reasons = why[at].data();
    }
    tasks[2].words = &words;
    tasks[2].starts = starts.data();
    tasks[2].ends = ends.data();
    Room& texts = tasks[3].texts;
    texts.size = (input[1] >> 2) * 4;  // too little, at times
    std::vector<byte> beside(static_cast<std::size_t>(texts.size) + PAD);
    texts.data = beside.data();
    const char* const sets[] = {"portable", "sse2", "avx2"};
    choose_instructions(sets[input[2] % 3]);
    const Text name{nullptr, 0};
    read_rows(text.data(), true, text.low(), text.high(), marks, true, fields, room, lines.data(),
              name, tasks.data(), 4);
    if (texts.data && texts.filled > texts.size) differs("the room of texts");
}

void sheet(const Input& input) {
    Padded text(input.data() + 3, input.size() - 3);
    const std::int64_t starts[] = {PAD, PAD}, ends[] = {PAD, PAD};
    const byte formats[] = {NUMBER, DATE, TIME, DATETIME, DURATION};
    const SheetRule rule{starts, ends, 2, formats, 5, (input[1] & 1) != 0, (input[1] & 2) != 0};
    SheetCells cells(static_cast<std::size_t>(text.size) / SHORTEST_CELL + 1);
    read_sheet(text.data(), text.low(), text.high(), rule, cells);
    std::vector<std::int64_t> from(text.size / 4 + 1), to(text.size / 4 + 1);
    read_strings(text.data(), text.low(), text.high(), text.size / 4, from.data(), to.data());
    std::vector<std::int64_t> begins, beyond;  // numerals of all lengths
    for (std::int64_t at = text.low(), length = 1; at + length <= text.high(); at += length++) {
        begins.push_back(at);
        beyond.push_back(at + length);
    }
    std::vector<std::int8_t> lengths(begins.size());
    std::vector<byte> shorter(20 * begins.size());
    shorter_numerals(text.data(), begins.data(), beyond.data(), begins.size(), lengths.data(),
                     shorter.data());
}

void document(const Input& input) {
    Padded text(input.data() + 3, input.size() - 3);
    DocumentRows found;
    read_document_rows(text.data(), text.low(), text.high(), found);
    std::vector<std::uint16_t> kinds(text.size / 4 + 2);
    std::vector<std::int64_t> places(text.size / 4 + 2);
    record_places(text.data() + PAD, text.size, 0, 0x809, 0x0A, kinds.data(), places.data());
}

void texts(const Input& input) {
    Padded text(input.data() + 3, input.size() - 3);
    const Cells cells(text);
    const Runs runs{text.data(), cells.starts.data(), cells.ends.data(), cells.count()};
    std::vector<place> starts(cells.count()), ends(cells.count()), offsets(cells.count() + 1);
    trim(runs, input[1] & 1, input[1] & 2, starts.data(), ends.data());
    std::vector<byte> reasons(cells.count());
    blank(runs, reasons.data());
    const std::int64_t length = total_length(runs, reasons.data());
    std::vector<byte> joined(length + PAD);
    gather(runs, reasons.data(), offsets.data(), joined.data());
    if (offsets[cells.count()] != length) differs("the length of texts");
    Words words(input[1] & 4 ? 3 : 1000, 8);
    std::vector<place> codes(cells.count());
    encode(runs, reasons.data(), words, codes.data());
    std::vector<std::uint64_t> hashed(cells.count());
    hashes(runs, hashed.data());
    const std::int64_t wrong = invalid_utf8(text.data(), text.low(), text.high());
    for (const char* set : {"sse2", "avx2"})
        if (choose_instructions(set) &&
            in_use().invalid_utf8(text.data(), text.low(), text.high()) != wrong)
            differs("UTF-8");
}

void (*const KERNELS[])(const Input&) = {splitting, numbers, times, rows, sheet, document, texts};
constexpr int KINDS = sizeof KERNELS / sizeof *KERNELS;

const char* const WORDS[] = {
    "\"", "\"\"", "\r\n", "\n", ",", ";", "\t", "-", "+", ".", "e-300", "E+5", "1", "0", "999999999999",
    "9007199254740993", "18446744073709551616", "2025-12-31", "31.12.2025", "12/31/2025",
    "31 Dec 2025", "2025-02-29T23:59:60", "24:00", "NA", " ", "<row r=\"", "\">", "<c r=\"A1\"",
    " t=\"s\"", " t=\"inlineStr\"", "<is><t>", "</t></is>", "<v>", "</v></c>", "</row>", "<si><t>",
    "</t></si>", "<table:table-row>", "</table:table-row>", "<table:table-cell", "<text:p>",
    "</text:p></table:table-cell>", " office:value=\"", " table:number-columns-repeated=\"", "&amp;",
    "\xC3\xA9", "\xED\xA0\x80", "\xF4\x90\x80\x80", "\xFF"};

void change(Input& data, std::mt19937_64& draw) {
    const auto below = [&](std::size_t most) { return static_cast<std::size_t>(draw() % most); };
    for (int left = 1 + static_cast<int>(below(6)); left; --left) {
        const std::size_t at = 1 + below(data.size());
        const auto here = data.begin() + static_cast<std::ptrdiff_t>(std::min(at, data.size()));
        switch (below(6)) {
            case 0:
                data[below(data.size() - 1) + 1] = static_cast<byte>(draw());
                break;
            case 1:
                data[below(data.size() - 1) + 1] ^= static_cast<byte>(1u << below(8));
                break;
            case 2: {
                const std::string word = WORDS[below(sizeof WORDS / sizeof *WORDS)];
                data.insert(here, word.begin(), word.end());
                break;
            }
            case 3:
                if (data.size() > 8) {
                    const std::size_t from = 1 + below(data.size() - 4);
                    const std::size_t size = std::min(1 + below(16), data.size() - from);
                    data.erase(data.begin() + static_cast<std::ptrdiff_t>(from),
                               data.begin() + static_cast<std::ptrdiff_t>(from + size));
                }
                break;
            case 4: {
                const std::size_t from = below(data.size());
                const Input part(data.begin() + static_cast<std::ptrdiff_t>(from),
                                 data.begin() + static_cast<std::ptrdiff_t>(
                                                    std::min(data.size(), from + 1 + below(64))));
                data.insert(here, part.begin(), part.end());
                break;
            }
            default:
                data.push_back(static_cast<byte>(below(96) + 32));
        }
        while (data.size() < 8) data.push_back('1');
    }
    if (data.size() > 2048) data.resize(2048);
}

}  // namespace

extern "C" void __sanitizer_cov_trace_pc() {
    const auto at = reinterpret_cast<std::uintptr_t>(__builtin_return_address(0));
    unsigned char& held = reached[(at ^ (at >> 13)) % EDGES];
    held += held != 255;
}

namespace olive {
void load_powers(const char* path) {
    std::vector<std::uint64_t> words(2 * (HIGHEST_POWER - LOWEST_POWER + 1));
    std::FILE* const file = std::fopen(path, "rb");
    if (!file || std::fread(words.data(), 8, words.size(), file) != words.size()) std::exit(2);
    std::fclose(file);
    set_powers(words.data());
}
}  // namespace olive

int main(int, char** given) {
    load_powers(given[1]);
    choose_instructions("");
    set_months();
    if (given[2][0] == '@') {  // one input again
        std::FILE* const file = std::fopen(given[2] + 1, "rb");
        Input data(1 << 20);
        data.resize(std::fread(data.data(), 1, data.size(), file));
        KERNELS[data[0] % KINDS](data);
        return 0;
    }
    const std::uint64_t wanted = std::strtoull(given[2], nullptr, 10);
    std::mt19937_64 draw(std::strtoull(given[3], nullptr, 10));
    const int held = open(given[4], O_RDWR | O_CREAT, 0600);
    if (held < 0 || ftruncate(held, 1 << 14)) return 2;
    auto* const length = static_cast<std::uint64_t*>(
        mmap(nullptr, 1 << 14, PROT_READ | PROT_WRITE, MAP_SHARED, held, 0));
    std::vector<Input> corpus[KINDS];
    std::vector<unsigned char> most(EDGES);
    std::uint64_t counts[KINDS] = {};
    for (int kind = 0; kind < KINDS; ++kind) {
        Input start{static_cast<byte>(kind), 0, 0};
        for (const char* word : WORDS) start.insert(start.end(), word, word + std::strlen(word));
        corpus[kind].push_back(start);
    }
    for (std::uint64_t done = 0; done < wanted; ++done) {
        const auto& of_kind = corpus[done % KINDS];
        Input data = of_kind[draw() % of_kind.size()];
        if (done >= KINDS) change(data, draw);
        *length = data.size();  // what a crash leaves behind
        std::memcpy(length + 1, data.data(), data.size());
        std::memset(reached, 0, sizeof reached);
        KERNELS[data[0] % KINDS](data);
        counts[data[0] % KINDS] += 1;
        bool is_new = false;
        for (std::size_t edge = 0; edge < EDGES; ++edge) {
            // how often, in steps that double
            unsigned char held = reached[edge];
            held |= held >> 1;
            held |= held >> 2;
            held |= held >> 4;
            if (held > most[edge]) {
                most[edge] = held;
                is_new = true;
            }
        }
        if (is_new) corpus[data[0] % KINDS].push_back(data);
    }
    std::size_t edges = 0;
    for (const unsigned char each : most) edges += each != 0;
    static const char* const NAMES[] = {"split", "numbers", "times", "rows", "sheet", "document",
                                        "texts"};
    for (int kind = 0; kind < KINDS; ++kind)
        std::printf("%-9s %9llu inputs\n", NAMES[kind], static_cast<unsigned long long>(counts[kind]));
    std::size_t kept = 0;
    for (const auto& each : corpus) kept += each.size();
    std::printf("%zu edges reached, %zu inputs kept\n", edges, kept);
}
