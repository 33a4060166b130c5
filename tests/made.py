"""Datasets of every type, with codes, labels and kinds of missing, for properties."""

from __future__ import annotations

import csv
import io

from hypothesis import strategies as st

import olive_crate as oc

CODES = {97: "don't know", 98: "refused", (900, 999): "not asked", "n.d.": "below; detection"}
WORDS = st.text(st.sampled_from('ab ;|="#x,1\u00e9\n\u03c0'), min_size=1, max_size=6)
COLUMNS = {
    "count": ({"type": "integer", "missing": CODES, "level": "ordinal", "label": "How many?"}),
    "acid": (
        {"type": "number", "unit": "%", "decimals": 2, "missing": CODES, "label": 'Free "acid"'}
    ),
    "word": ({"type": "text", "missing": ["n.d."]}),
    "grade": ({"type": "category", "meanings": {"A": "extra", "B": "virgin, all"}}),
    "done": ({"type": "boolean", "true": "ja", "false": "nein"}),
    "day": ({"type": "date", "format": "%d.%m.%Y", "missing": {"31.12.9999": "never"}}),
    "clock": ({"type": "time"}),
    "moment": ({"type": "datetime"}),
    "span": ({"type": "duration"}),
}
LABELS = {0: "none", (1, 3): "few", (4, 50): "many"}
CELLS = {
    "count": st.one_of(st.integers(0, 60).map(str), st.sampled_from(["97", "98", "950", "n.d."])),
    "acid": st.one_of(
        st.floats(-1e6, 800, allow_nan=False).map(repr),
        st.sampled_from(["97", "900.5", "n.d.", "?"]),
    ),
    "word": st.one_of(WORDS, st.just("n.d.")),
    "grade": st.sampled_from(["A", "B", "C"]),
    "done": st.sampled_from(["ja", "nein"]),
    "day": st.sampled_from(["13.10.2025", "01.02.1999", "31.12.9999"]),
    "clock": st.sampled_from(["07:42:00", "23:59:59"]),
    "moment": st.sampled_from(["2025-10-13T07:42:00", "1999-01-01T00:00:00.250000"]),
    "span": st.sampled_from(["P1DT30S", "PT0.5S"]),
}


@st.composite
def datasets(draw: st.DrawFn, *, awkward: bool = True) -> oc.Dataset:
    """Any few columns and rows; without `awkward`, no cell that a person would not type."""
    names = draw(st.lists(st.sampled_from(list(COLUMNS)), min_size=1, unique=True))
    cells = {
        name: st.one_of(CELLS[name], st.just(""), st.just("oops" if awkward else ""))
        for name in names
    }
    rows = draw(st.lists(st.tuples(*(cells[name] for name in names)), max_size=8))
    text = io.StringIO()
    csv.writer(text, quoting=csv.QUOTE_ALL).writerows([names, *rows])
    made = oc.load(
        text.getvalue().encode(),
        delimiter=",",
        decimal=".",
        quote='"',
        rows={"names": 1, "data": "2.."},
        meaning_sets={"amounts": LABELS},
        variables={name: COLUMNS[name] for name in names},
    )
    return made.declare("count", meanings="amounts") if "count" in names else made
