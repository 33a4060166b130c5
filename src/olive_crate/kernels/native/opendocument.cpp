// Rows of an OpenDocument sheet in the form that common writers produce, without a parser.
//
// `<table:table-row …><table:table-cell office:value-type="float" office:value="0.36" …>
// <text:p>0.36</text:p></table:table-cell>…</table:table-row>` (ODF 1.3, part 3, 9.1): a row is read
// only as a whole, and only if every element and attribute of it is known here; so what is meant by a
// merged, hidden or covered cell, a comment or a formatted text is left to the parser.

#include "opendocument.hpp"

namespace olive {

namespace {

struct Span {
    const byte* at = nullptr;
    std::size_t size = 0;
    bool is(const char* text, std::size_t length) const {
        return size == length && std::memcmp(at, text, length) == 0;
    }
    bool ends_with(const char* text, std::size_t length) const {
        return size >= length && std::memcmp(at + size - length, text, length) == 0;
    }
};

template <std::size_t SIZE>
bool is(const Span& span, const char (&text)[SIZE]) {
    return span.is(text, SIZE - 1);
}

class Rows {
  public:
    Rows(const byte* at_, const byte* end_, DocumentRows& into_) : at(at_), end(end_), into(into_) {}

    const byte* all() {
        const byte* done = at;
        while (row()) {
            into.rows += 1;
            done = at;
        }
        return done;
    }

  private:
    static constexpr int MOST_COPIES = 64;

    template <std::size_t SIZE>
    bool take(const char (&text)[SIZE]) {
        if (end - at < static_cast<std::ptrdiff_t>(SIZE - 1) || std::memcmp(at, text, SIZE - 1) != 0)
            return false;
        at += SIZE - 1;
        return true;
    }

    void skip_blanks() {
        while (at < end && (*at == ' ' || *at == '\n' || *at == '\r' || *at == '\t')) ++at;
    }

    // One attribute; false where none follows.
    bool attribute(Span& name, Span& value) {
        if (at >= end || *at != ' ') return false;
        ++at;
        name.at = at;
        while (at < end && *at != '=' && *at != '>' && *at != ' ') ++at;
        name.size = static_cast<std::size_t>(at - name.at);
        if (!take("=\"")) return false;
        value.at = at;
        while (at < end && *at != '"' && *at != '<' && *at >= 0x20) ++at;
        value.size = static_cast<std::size_t>(at - value.at);
        return take("\"");
    }

    bool row() {
        const std::size_t cells = into.types.size(), bytes = into.texts.size();
        const std::size_t odd = into.special.size();
        column = 0;
        if (whole_row()) return true;
        into.types.resize(cells);
        into.row.resize(cells);
        into.column.resize(cells);
        into.style.resize(cells);
        into.ends.resize(cells);
        into.texts.resize(bytes);
        into.special.resize(odd);
        return false;
    }

    bool whole_row() {
        skip_blanks();
        if (!take("<table:table-row")) return false;
        Span name, value;
        if (attribute(name, value) && !::olive::is(name, "table:style-name")) return false;
        if (!take(">")) return false;
        skip_blanks();
        while (take("<table:table-cell")) {
            if (!cell()) return false;
            skip_blanks();
        }
        return take("</table:table-row>");
    }

    bool cell() {
        Span name, value, style, kind, held, currency, other, repeated, formula;
        int repeat = 1;
        bool has_text = false;
        while (attribute(name, value)) {
            Span* const place =
                ::olive::is(name, "office:value-type")               ? &kind
                : ::olive::is(name, "calcext:value-type")            ? &other
                : ::olive::is(name, "office:value")                  ? &held
                : ::olive::is(name, "office:date-value")             ? &held
                : ::olive::is(name, "office:time-value")             ? &held
                : ::olive::is(name, "office:boolean-value")          ? &held
                : ::olive::is(name, "table:style-name")              ? &style
                : ::olive::is(name, "office:currency")               ? &currency
                : ::olive::is(name, "table:number-columns-repeated") ? &repeated
                : ::olive::is(name, "table:formula")                 ? &formula
                                                                     : nullptr;
            if (!place || place->at) return false;  // unknown, or given twice
            *place = value;
        }
        if (repeated.at && !whole_number(repeated, repeat)) return false;
        if (formula.ends_with("=TRUE()", 7) || formula.ends_with("=FALSE()", 8)) return false;
        if (::olive::is(other, "error") || repeat > (1 << 14)) return false;
        Span text;
        if (!take("/>")) {
            if (!take(">")) return false;
            skip_blanks();
            if (take("<text:p>")) {
                text.at = at;
                while (at < end && *at >= 0x20 && *at != '<' && *at != '>') ++at;
                text.size = static_cast<std::size_t>(at - text.at);
                has_text = true;
                if (!take("</text:p>")) return false;
                skip_blanks();
            }
            if (!take("</table:table-cell>")) return false;
        }
        const int first = column + 1;
        column += repeat;
        ValueType type = type_of(kind);
        if (type == ValueType::none) return !kind.size && !has_text;
        Span shown = type == ValueType::text ? text : held;
        if (has_entity(style) || has_entity(currency) || has_entity(held) || has_entity(formula))
            return false;
        if (has_entity(text) && !are_known(text)) return false;
        if (type == ValueType::date) {
            while (shown.size && shown.at[shown.size - 1] == 'Z') --shown.size;
            if (shown.size && std::memchr(shown.at, 'T', shown.size)) type = ValueType::moment;
        }
        if (!shown.size) return type == ValueType::text;
        if (repeat > MOST_COPIES) return false;
        const std::int32_t place = style_place(style, currency);
        for (int copy = 0; copy < repeat; ++copy) keep(first + copy, type, place, shown);
        return true;
    }

    static bool whole_number(const Span& text, int& value) {
        value = 0;
        for (std::size_t each = 0; each < text.size; ++each) {
            if (!is_digit(text.at[each]) || each > 6) return false;
            value = value * 10 + (text.at[each] - '0');
        }
        return value > 0;
    }

    static bool has_entity(const Span& text) {
        return text.size && std::memchr(text.at, '&', text.size);
    }

    // Are all entities of a text among those that XML itself has?
    static bool are_known(const Span& text) {
        static const char* const names[5] = {"amp;", "lt;", "gt;", "quot;", "apos;"};
        for (std::size_t each = 0; each < text.size; ++each) {
            if (text.at[each] != '&') continue;
            const byte* const name = text.at + each + 1;
            const std::size_t room = text.size - each - 1;
            bool known = false;
            for (const char* const word : names) {
                const std::size_t length = std::strlen(word);
                known |= length <= room && std::memcmp(name, word, length) == 0;
            }
            if (!known) return false;
        }
        return true;
    }

    static ValueType type_of(const Span& kind) {
        if (::olive::is(kind, "float") || ::olive::is(kind, "percentage") ||
            ::olive::is(kind, "currency"))
            return ValueType::number;
        if (::olive::is(kind, "string")) return ValueType::text;
        if (::olive::is(kind, "boolean")) return ValueType::logical;
        if (::olive::is(kind, "date")) return ValueType::date;
        if (::olive::is(kind, "time")) return ValueType::time;
        return ValueType::none;
    }

    // Has a text entities, or blanks that do not count as they stand?
    static bool is_special(const Span& text) {
        bool found = text.at[0] == ' ' || text.at[text.size - 1] == ' ';
        for (std::size_t each = 0; each < text.size; ++each)
            found |= text.at[each] == '&' || (each && text.at[each] == ' ' && text.at[each - 1] == ' ');
        return found;
    }

    void keep(int at_column, ValueType type, std::int32_t style, const Span& text) {
        if (is_special(text)) into.special.push_back(static_cast<std::int32_t>(into.types.size()));
        into.row.push_back(static_cast<std::int32_t>(into.rows));
        into.column.push_back(at_column);
        into.style.push_back(style);
        into.types.push_back(static_cast<byte>(type));
        into.texts.insert(into.texts.end(), text.at, text.at + text.size);
        into.ends.push_back(static_cast<std::int64_t>(into.texts.size()));
    }

    std::int32_t style_place(const Span& name, const Span& currency) {
        const std::size_t size = name.size + currency.size + 2;
        for (std::size_t each = known.size(); each-- > 0;) {
            const std::size_t start = known[each];
            const std::size_t stop = each + 1 < known.size() ? known[each + 1] : into.styles.size();
            if (stop - start != size) continue;
            const byte* const held = into.styles.data() + start;
            if ((!name.size || std::memcmp(held, name.at, name.size) == 0) && !held[name.size] &&
                (!currency.size ||
                 std::memcmp(held + name.size + 1, currency.at, currency.size) == 0))
                return static_cast<std::int32_t>(each);
        }
        known.push_back(into.styles.size());
        if (name.size) into.styles.insert(into.styles.end(), name.at, name.at + name.size);
        into.styles.push_back(0);
        if (currency.size) into.styles.insert(into.styles.end(), currency.at, currency.at + currency.size);
        into.styles.push_back(0);
        return static_cast<std::int32_t>(known.size() - 1);
    }

    const byte* at;
    const byte* const end;
    DocumentRows& into;
    int column = 0;
    std::vector<std::size_t> known;
};

}  // namespace

void read_document_rows(const byte* buffer, std::int64_t low, std::int64_t high,
                        DocumentRows& into) {
    Rows rows(buffer + low, buffer + high, into);
    into.consumed = rows.all() - buffer;
}

}  // namespace olive
