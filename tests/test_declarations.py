"""Declared before the read or after it: the same names, the same result."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc

CELL = st.sampled_from(
    [
        *("1", "2", "-9", "777", "884.5", "3.25", "1e3", "007", "", " ", "NA", "*", "n.d.", "oops"),
        *("2025-10-13", "13.10.2025", "07:42", "yes", "no", "true", "1.234,5", "x;y", "-9.0"),
    ]
)
CODES = [
    {777: "lost", (880, 889): "not tested", "n.d.": "below detection"},
    {-9: "refused"},
    ["oops", "NA"],
    [],
    None,
]
PARTS = st.fixed_dictionaries(
    {},
    optional={
        "type": st.sampled_from(["integer", "number", "text", "category", "boolean", "date"]),
        "missing": st.sampled_from(CODES),
        "label": st.just("Free acidity"),
        "values": st.just({1: "one", (2, 5): "few"}),
        "decimals": st.just(1),
    },
)


@given(
    st.lists(CELL, min_size=1, max_size=12),
    PARTS,
    st.sampled_from([None, [-9], ["*", 884.5]]),
    st.sampled_from([".", ","]),
    st.sampled_from(["text", "integer", "number", None]),
)
def test_declaring_before_and_after_the_read_is_the_same(cells, parts, shared, decimal, first):
    data = "id|x\n" + "".join(f"{row}|{cell}\n" for row, cell in enumerate(cells))
    options = {"delimiter": "|", "rows": {"names": 1}, "missing": shared, "decimal": decimal}
    start = oc.load(data.encode(), types={"x": first}, **options)
    numbers = start["x"].variable.type in ("integer", "number")
    if numbers and parts.get("type", "number") not in ("integer", "number"):
        parts = parts | {"type": "number"}  # as text 1e3 would be 1000: how it was written is gone
    if first == "integer" and parts.get("type") == "number":
        parts = parts | {"decimals": 1}  # nor is known how many decimals were written
    if first is None and start["x"].variable.type != "text":
        first = start["x"].variable.type  # what was found stays
        start = start.declare("x", type=first)
    before = oc.load(data.encode(), variables={"x": {"type": first} | parts}, **options)
    after = start.declare("x", **parts)
    assert after["x"].variable == before["x"].variable
    assert after["x"].equals(before["x"])
    assert oc.load(data.encode(), plan=after.plan).equals(after)
    problems = [(each.row, each.text) for each in before.receipt.problems]
    if first == "text" and "type" in parts:
        told = after.receipt.changes[0].problems if after.receipt.changes else []
        assert [(each.row, each.text) for each in told] == problems
    back = after.declare("x", type=first, missing=None)
    assert back["x"].values.equals(start["x"].values) or not numbers
