"""The compiled kernels and the reference: the same results to the last bit, on any threads."""

from __future__ import annotations

import datetime as dt
import math
import os
import random
import re
import struct
import sys
from collections.abc import Callable, Iterator

import numpy as np
import pyarrow as pa
import pytest
from conftest import BLOCKS, tries
from hypothesis import assume, given, settings
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import kernels
from olive_crate.columns.rule import code_values, reason_of
from olive_crate.declaration.codes import MissingCode
from olive_crate.kernels import reference
from olive_crate.kernels.reference.times import compiled as compiled_pattern
from olive_crate.kernels.types import (
    DAYS,
    OF_DAY,
    PAD,
    SINCE_1970,
    Dialect,
    NumberRequest,
    Structure,
    Table,
    TimeRequest,
    Writing,
)
from olive_crate.layouts.sheet.grid import Format
from olive_crate.layouts.sheet.pieces import Assembly
from olive_crate.layouts.sheet.strings import Strings

compiled = pytest.importorskip(
    "olive_crate.kernels.compiled", reason="the compiled kernels were not built"
)


@pytest.fixture
def both(request) -> Iterator[Callable]:
    """Calls something with each kind of kernels."""
    usual = "compiled" if kernels.are_compiled() else "reference"

    def call(work: Callable[[], object]) -> list[object]:
        results = []
        for name in kernels.NAMES:
            kernels.use(name)
            results.append(work())
        return results

    yield call
    kernels.use(usual)


def test_the_kernels_under_test_are_those_asked_for():
    wanted = os.environ.get("OLIVE_CRATE_KERNELS", "compiled")
    assert kernels.in_use().startswith(wanted)


def cells_of(texts: list[bytes], gap: bytes = b",") -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    lengths = np.array([len(text) for text in texts], np.int64)
    ends = PAD + np.cumsum(lengths + len(gap)) - len(gap)
    return kernels.padded(gap.join(texts)), ends - lengths, ends


def fields(found: Structure) -> list[bytes]:
    pairs = zip(found.starts.tolist(), found.ends.tolist(), strict=True)
    return [found.buffer[start:end].tobytes() for start, end in pairs]


TEXT = st.one_of(
    st.text(st.sampled_from('ab,"\n\r;'), max_size=300),
    st.text(st.sampled_from('abcdefgh,,\n"'), max_size=300),
    st.lists(
        st.lists(
            st.sampled_from(['"a, b"', "12.5", "", '"x""y"', '"\n"', "plain"]),
            min_size=3,
            max_size=3,
        ).map(",".join),
        max_size=30,
    ).map("\n".join),
)
SIGNS = st.tuples(st.sampled_from([b",", b";", b""]), st.sampled_from([0, 34]))


@settings(max_examples=tries(200))
@given(TEXT, SIGNS, st.booleans(), st.integers(0, 4))
def test_text_is_split_alike(level, text, signs, final, width):
    marks = Dialect(delimiter=signs[0], quote=signs[1], returns="\r" in text)
    buffer = kernels.padded(text.encode())
    given_ = (buffer, PAD, PAD + len(text), marks)
    one, two = (each.structure(*given_, final) for each in (reference, compiled))
    if final and one.open_quote >= 0:  # an error, which names the place
        assert two.open_quote == one.open_quote
        return
    assert fields(one) == fields(two)
    for part in ("record", "heads", "lines", "comments"):
        assert np.array_equal(getattr(one, part), getattr(two, part)), part
    assert one.consumed == two.consumed
    one, two = (each.split(*given_, final, width) for each in (reference, compiled))
    assert type(one) is type(two)
    if isinstance(one, Table):
        for index in range(width):
            pairs = [np.stack(table.columns(index)).T.tolist() for table in (one, two)]
            texts = [
                [table.buffer[start:end].tobytes() for start, end in pair]
                for table, pair in zip((one, two), pairs, strict=True)
            ]
            assert texts[0] == texts[1]
    low, high = PAD, PAD + len(text)
    assert reference.cut(buffer, low, high, marks.quote) == compiled.cut(
        buffer, low, high, marks.quote
    )
    assert reference.line_marks(buffer, low, high) == compiled.line_marks(buffer, low, high)


HARD = [
    *("0.1", "1e23", "8.5", "9007199254740993", "9007199254740992.5", "9007199254740993.0"),
    *("2.2250738585072011e-308", "2.2250738585072014e-308", "4.9e-324", "2.4703282292062327e-324"),
    *("1.7976931348623157e308", "1.7976931348623159e308", "1e400", "-1e-400", "0.000000e999"),
    *("123456789012345678", "12345678901234567890", "0.30000000000000004", "5e-20", "1e-64"),
    *("6.02214076e23", "1.00000000000000011102230246251565", "1.448997445238699", "-0.0", "-0"),
    *("9223372036854775807", "9223372036854775808", "-9223372036854775808", "00012", "+7", "1_0"),
    *(
        "900719925474099267",
        "1125899906842624.125",
        "1125899906842624.375",
        "9.5e15",
        "72057594037927945",
    ),
    *(".5", "5.", "-.5e-3", "1e", "e5", "1e+", "--1", "1.2.3", " 12 ", "\t7", "", "   ", "1 2"),
]
NUMERALS = st.one_of(
    st.sampled_from(HARD),
    st.floats(allow_nan=False, allow_infinity=False).map(repr),
    st.floats(-1e6, 1e6).map(lambda value: f"{value:.3f}"),
    st.decimals(allow_nan=False, allow_infinity=False).map(str),
    st.integers(-(2**70), 2**70).map(str),
    st.text(st.sampled_from("0123456789.eE+- "), max_size=26),
    st.text(st.sampled_from("0123456789.- %"), max_size=9),
    st.integers(-100, 100).map(lambda value: f"{value}%"),
)
WANTED = st.builds(
    NumberRequest,
    whole=st.booleans(),
    decimal=st.sampled_from([ord("."), ord(",")]),
    strict=st.booleans(),
    implied=st.sampled_from([0, 0, 2]),
    writing=st.sampled_from([Writing(), Writing(), Writing(unit=b"%")]),
)


@settings(max_examples=tries(250))
@given(st.lists(NUMERALS, max_size=12), WANTED)
def test_numbers_are_read_alike_and_rightly(level, texts, wanted):
    """What either reads is the nearest number, and the same; the compiled one may read more."""
    given_ = cells_of([text.encode() for text in texts])
    one, two = (each.read_numbers(*given_, wanted) for each in (reference, compiled))
    for place, text in enumerate(texts):
        own = [(int(each.reasons[place]), each.values[place]) for each in (one, two)]
        assert (own[0][0] == 1) == (own[1][0] == 1) == (not text.strip(" \t"))
        if own[0][0] == 0:
            assert not wanted.writing.unit
            assert own[1][0] == 0
            assert own[0][1].tobytes() == own[1][1].tobytes()
        if own[1][0] == 0:
            assert ("%" in text) == bool(wanted.writing.unit)
            plain = text.replace("%", "").strip().replace(chr(wanted.decimal), ".")
            scale = wanted.implied if not set("e.E") & set(plain) else 0
            meant = int(plain) if wanted.whole else float(f"{plain}e-{scale}" if scale else plain)
            assert own[1][1] == meant
            assert math.copysign(1, own[1][1]) == math.copysign(1, meant)
    assert two.left == np.count_nonzero(two.reasons == 2)


STYLES: dict[str, Callable[[random.Random], str]] = {
    "groups and one decimal": lambda rng: f"{rng.uniform(-99999, 99999):,.1f}",
    "groups of any size": lambda rng: f"{int(rng.lognormvariate(9, 6)):,}",
    "exponents": lambda rng: f"{rng.lognormvariate(0, 30):.6e}",
    "long exponents": lambda rng: f"{rng.uniform(-9, 9):.3E}".replace("E", "E0"),
    "shares": lambda rng: repr(rng.random()),
    "many digits": lambda rng: repr(rng.uniform(-1000, 1000)),
    "identifiers": lambda rng: str(rng.randrange(10**18, 10**19)),
    "decimals that are many": lambda rng: f"{rng.uniform(0, 99):.14f}",
    "more and more decimals": lambda rng: f"{rng.uniform(0, 9):.{rng.randrange(8, 22)}f}",
    "tiny shares": lambda rng: f"{rng.random() ** 9:.{rng.randrange(15, 20)}f}",
    "degrees": lambda rng: f"{rng.uniform(-40, -36):.{rng.randrange(12, 17)}f}",
    "long before and behind": lambda rng: f"{rng.randrange(10**8, 10**9)}.{rng.randrange(10**10)}",
}
DEVIANTS = ["1,2345.5", ",123.0", "12,34.5", "0,123", "0.5", "007.25", "1e5", "1e-40", "-", "+7"]
DEVIANTS += [
    "1.5e+0x",
    "1.2.3",
    "1234.5",
    "1,234",
    "12.5e",
    "0.1234567890123456789",
    "",
    "-1,000.0",
]
NUMERAL = re.compile(r"[+-]?(\d+|\d{1,3}(?:,\d{3})+)?(\.\d*)?(?:[eE][+-]?\d{1,4})?")


@settings(max_examples=tries(60))
@given(
    st.sampled_from(sorted(STYLES)),
    st.integers(0, 10**6),
    st.dictionaries(st.integers(0, 699), st.sampled_from(DEVIANTS), max_size=12),
    st.booleans(),
    st.booleans(),
)
def test_numerals_of_one_style_are_read_as_each_alone(level, style, seed, deviants, strict, whole):
    """However many before them were written alike: what is read is what stands there."""
    rng = random.Random(seed)
    texts = [deviants.get(place, STYLES[style](rng)) for place in range(700)]
    wanted = NumberRequest(whole, ord("."), strict, 0, Writing(grouping=(b",",)))
    found = compiled.read_numbers(*cells_of([text.encode() for text in texts], b";"), wanted)
    for text, reason, value in zip(texts, found.reasons.tolist(), found.values, strict=True):
        parts = NUMERAL.fullmatch(text)
        before, behind = (parts[1] or "", parts[2] or "") if parts else ("", "")
        is_one = any(each.isdigit() for each in before + behind)
        if strict and re.match("0[0-9]", before.replace(",", "")):
            is_one = False
        plain = text.replace(",", "")
        if whole:
            is_one = is_one and not set(".eE") & set(text) and abs(int(plain)) < 2**63
        elif is_one and math.isinf(float(plain)):
            is_one = False
        assert (reason == 0) == is_one, text
        if is_one:
            meant = int(plain) if whole else float(plain)
            assert value == meant, text
            assert math.copysign(1, value) == math.copysign(1, meant), text
    assert found.left == np.count_nonzero(found.reasons == 2)


@settings(max_examples=tries(200))
@given(st.lists(NUMERALS, min_size=1, max_size=12), st.integers(1, 20), st.booleans(), WANTED)
def test_a_column_of_fixed_width_is_read_as_its_cells_are(level, texts, width, left, wanted):
    cut = [(text[:width].ljust if left else text[:width].rjust)(width) for text in texts]
    buffer, starts, ends = cells_of([f"7{text}8".encode() for text in cut], b"9")
    column = compiled.read_column(buffer, PAD + 1, width + 3, width, len(cut), wanted)
    cells = compiled.read_numbers(buffer, starts + 1, ends - 1, wanted)
    assert column.reasons.tolist() == cells.reasons.tolist()
    assert column.values.tobytes() == cells.values.tobytes()
    assert (column.most_decimals, column.left) == (cells.most_decimals, cells.left)
    assert column.span == cells.span


@given(st.lists(NUMERALS, min_size=1, max_size=40), st.sampled_from(["number", "integer", None]))
def test_a_column_of_numbers_comes_out_alike(both, texts, kind):
    data = "\n".join(["n", *(f'"{text}"' for text in texts)]).encode()
    options = {"types": {"n": kind}} if kind else {}
    options |= {"delimiter": ",", "decimal": ".", "quote": '"', "rows": {"names": 1}}
    one, two = both(lambda: oc.load(data, **options))
    assert one.variables == two.variables
    assert all(one[name].equals(two[name]) for name in one.names)
    assert one.receipt.problems == two.receipt.problems


@pytest.mark.parametrize("name", kernels.NAMES)
def test_hard_numbers_are_nearest_to_what_is_written(both, name):
    data = "\n".join(["n", *HARD]).encode()
    for dataset in both(lambda: oc.load(data, delimiter=",", decimal=".", types={"n": "number"})):
        column, plain = dataset["n"], [text.strip() for text in HARD]
        plain = [text for text in plain if text]
        for text, value in zip(plain, column.values.to_pylist(), strict=False):
            try:
                meant = float(text.replace("_", "x"))
            except ValueError:
                meant = math.inf
            assert value == (meant if math.isfinite(meant) else None), text


PATTERNS = ["%Y-%m-%d", "%d.%m.%y", "%H:%M:%S", "%Y-%m-%dT%H:%M:%S.%f%z", "%d %b %Y", "%I:%M %p"]
PATTERNS += ["%j/%Y", "%Y%m%d%H%M%S", "%m/%d/%Y %H:%M", "%d/%m/%Y %I:%M:%S %p", "%H:%M:%S.%f"]
PATTERNS += ["%d de %b de %Y", "day %d/%m/%Y at %H:%M", "the %d. of %m., %Y", "%Y-%m-%d   %H:%M:%S"]
PATTERNS += ["%d%m%Y", "%b %d, %Y", "%Y-%m-%dT%H:%M:%S.%f%z and what follows, if anything"]
RECENT = st.datetimes(dt.datetime(1890, 1, 1), dt.datetime(2210, 1, 1))
ANY_TIME = st.one_of(RECENT, RECENT, st.datetimes())
"""Mostly of the years for which kernels have a table, and just beyond."""
MOMENTS = st.one_of(
    ANY_TIME.flatmap(lambda moment: st.sampled_from(PATTERNS).map(moment.strftime)),
    st.text(st.sampled_from("0123456789-:.TZ+/ aApPmMjJnN"), max_size=26),
    st.sampled_from(
        ["2024-02-30", "1900-02-29", "0000-01-01", "2025-13-01", "29.02.1900", "24:00"]
    ),
    st.sampled_from(["2025-01-01T00:00:00.5Z:", "2025-01-01T00:00:00.5+01:", "7 sept 2025"]),
)


@st.composite
def moments(draw: st.DrawFn) -> tuple[str, list[str]]:
    """Cells that mostly follow one pattern: with all digits, with fewer, with one letter wrong."""
    pattern = draw(st.sampled_from(PATTERNS))
    texts = draw(st.lists(MOMENTS, max_size=4))
    for moment in draw(st.lists(ANY_TIME, max_size=12)):
        text = moment.strftime(pattern)
        kinds = ["", "", "short", "full", "wrong", "full, wrong", "short, full", "cut", "more"]
        change = draw(st.sampled_from(kinds))
        if "short" in change:
            text = re.sub(r"\b0([0-9])", r"\1", text)
        if "full" in change:
            text = text.replace(moment.strftime("%b"), moment.strftime("%B"))
        if "wrong" in change:
            at = draw(st.integers(0, len(text) - 1))
            text = text[:at] + draw(st.sampled_from("09/:-. aZ")) + text[at + 1 :]
        elif change in ("cut", "more"):
            text = text[:-1] if change == "cut" else f"{text}0"
        texts.append(text)
    return pattern, texts


@settings(max_examples=tries(250))
@given(
    moments(), st.booleans(), st.sampled_from([DAYS, OF_DAY, SINCE_1970]), st.sampled_from([1, 60])
)
def test_dates_and_times_are_read_alike(level, given_moments, exact, unit, repeated):
    """A long column too: from its first cells the kernels learn how the rest are written."""
    pattern, texts = given_moments[0], given_moments[1] * repeated
    wanted = TimeRequest((compiled_pattern(pattern),), (exact,), unit)
    given_ = cells_of([text.encode() for text in texts])
    one, two = (each.read_times(*given_, wanted) for each in (reference, compiled))
    good = one.reasons == 0
    assert not (two.reasons[good]).any()
    assert one.values[good].tolist() == two.values[good].tolist()
    assert one.values.dtype == two.values.dtype
    trimmed = cells_of([text.strip(" \t").encode() for text in texts])
    bare = reference.read_times(*trimmed, wanted)
    empty = np.array([not text.strip(" \t") for text in texts], bool)
    assert (two.reasons == np.where(empty, 1, bare.reasons)).all()


@st.composite
def named_days(draw: st.DrawFn) -> str:
    """A day with the name of its month: in full or cut, now and then with a letter wrong."""
    day = draw(ANY_TIME)
    name = day.strftime(draw(st.sampled_from(["%b", "%B", "%B"])))
    if draw(st.booleans()):
        at = draw(st.integers(0, len(name) - 1))
        name = name[:at] + draw(st.sampled_from("aeRy/7")) + name[at + 1 :]
    number = f"{day.day:02}" if draw(st.booleans()) else str(day.day)
    return f"{number} {name} {day.year:04}"


@given(st.lists(named_days(), min_size=3, max_size=9))
def test_names_of_months_are_read_alike(level, listed):
    given_ = cells_of([text.encode() for text in listed * 120])
    wanted = TimeRequest((compiled_pattern("%d %b %Y"),), (False,), DAYS)
    one, two = (each.read_times(*given_, wanted) for each in (reference, compiled))
    assert one.reasons.tolist() == two.reasons.tolist()
    assert one.values[one.reasons == 0].tolist() == two.values[one.reasons == 0].tolist()


@given(st.lists(st.integers(-9, 9) | st.integers(-(2**40), 2**40), min_size=1, max_size=60))
def test_small_helpers_do_what_those_of_numpy_do(listed):
    values = np.array(listed)
    assert kernels.distinct(values).tolist() == np.unique(values).tolist()
    assert kernels.median(values) == np.median(values)
    assert len(kernels.distinct(values[:0])) == 0


REASONS = st.one_of(
    st.lists(st.sampled_from([0, 0, 0, 200]), max_size=200),
    st.lists(st.integers(0, 255), max_size=200),
    st.integers(0, 200).map(lambda count: [0] * count),
)


@given(REASONS, st.integers(0, 2**64 - 1), st.integers(0, 99))
def test_cells_are_mixed_alike(level, listed, salt, seed):
    """One for one: different numbers stay different, and a cell with a reason is that reason."""
    reasons = np.array(listed, np.uint8)
    raw = np.random.default_rng(seed).integers(0, 50, len(listed)).astype(np.uint64)
    for why in (None, reasons):
        one, two = (each.mixed(raw, why, np.uint64(salt)) for each in (reference, compiled))
        assert one.tolist() == two.tolist()
        told = list(zip(raw.tolist(), [0] * len(raw) if why is None else listed, strict=True))
        kinds = {(0, reason) if reason else (value, 0) for value, reason in told}
        assert len(set(one.tolist())) == len(kinds)


@given(REASONS, st.integers(0, 9))
def test_reasons_are_counted_alike(level, listed, before):
    """Wherever they begin, as a block may begin anywhere in a column."""
    reasons = np.array([7] * before + listed, np.uint8)[before:]
    assert reference.tally(reasons).tolist() == compiled.tally(reasons).tolist()
    one, two = (each.validity(reasons) for each in (reference, compiled))
    assert one.missing == two.missing == sum(map(bool, listed))
    assert one.only == two.only
    bits = [None if each.bitmap is None else each.bitmap.to_pybytes() for each in (one, two)]
    assert bits[0] == bits[1]
    if one.missing:
        made = kernels.masked(np.arange(len(reasons)), two, pa.int64()).to_pylist()
        assert made == [None if why else place for place, why in enumerate(listed)]


@given(
    st.lists(
        st.tuples(st.sampled_from([0, 1, 5, 98, 99, -9, 999, 12]), st.booleans()), max_size=200
    ),
    st.sampled_from([np.int64, np.float64]),
)
def test_the_lowest_and_the_highest_number_are_found_alike(pairs, kind):
    values = np.array([value for value, _ in pairs], kind)
    reasons = np.array([missing for _, missing in pairs], np.uint8)
    looks = np.array([-9.0, 99.0, 999.0])
    for why in (reasons, None):
        assert reference.extremes(values, why, looks) == compiled.extremes(values, why, looks)


@given(st.data())
def test_how_numbers_follow_each_other_is_told_alike(data):
    """Among several hundred that rise some are repeated, exchanged or missing."""
    count = data.draw(st.sampled_from([0, 1, 2, 200, 256, 257, 300, 600]))
    values = np.arange(count, dtype=np.int64) * data.draw(st.sampled_from([1, 512, -1, 2**40]))
    reasons = np.zeros(count, np.uint8)
    for at in data.draw(st.lists(st.integers(0, count - 1), max_size=6)) if count else ():
        values[at] = values[data.draw(st.integers(0, count - 1))]
        reasons[data.draw(st.integers(0, count - 1))] = data.draw(st.sampled_from([0, 1, 7]))
    for why in (reasons, None):
        told = reference.course(values, why)
        assert told == compiled.course(values, why)
        rest = [
            value
            for value, reason in zip(values, reasons, strict=True)
            if not reason or why is None
        ]
        assert told.rises == (sorted(set(rest)) == rest)
        assert told.repeats == (len(set(rest[:256])) < len(rest[:256]))


EDGES = [0, 1, -9, 98, 99, 999, 2**53, 2**53 + 1, 2**63 - 1, -(2**63)]
CODES = st.one_of(
    st.sampled_from([-9, 98, 99, 999, 2**53, 2**63 - 1, 9.5, "99", "-9", 1e300, -1e300]).map(
        lambda value: MissingCode(value=value)
    ),
    st.tuples(st.sampled_from([-9, 97.5, 2**53, -1e300]), st.sampled_from([1, 99, 1e300])).map(
        lambda ends: MissingCode(from_=min(ends), to=max(ends))
    ),
    st.sampled_from([99, 0.5]).map(lambda low: MissingCode(from_=low)),
)


@given(
    st.lists(st.tuples(st.sampled_from(EDGES), st.sampled_from([0, 0, 0, 1, 2])), max_size=120),
    st.lists(CODES, max_size=4),
    st.booleans(),
)
def test_codes_among_numbers_are_found_alike_and_rightly(level, cells, codes, whole):
    values = np.array([value for value, _ in cells], np.int64 if whole else np.float64)
    before = np.array([why for _, why in cells], np.uint8)
    known = code_values(tuple(codes), ".", 0, whole)
    one, two = before.copy(), before.copy()
    assert reference.find_codes(values, one, known) == compiled.find_codes(values, two, known)
    assert one.tolist() == two.tolist()
    for value, was, why in zip(values.tolist(), before.tolist(), two.tolist(), strict=True):
        hit = next((place for place, code in enumerate(codes) if stands_for(code, value)), None)
        assert why == (was or (0 if hit is None else reason_of(hit)))


def stands_for(code: MissingCode, value: float) -> bool:
    """Is the value the code, or within it, as numbers of the value's own kind?"""
    low, high = (code.from_, code.to) if code.value is None else (code.value, code.value)
    low, high = (float(each) if isinstance(each, str) else each for each in (low, high))
    if isinstance(value, float):
        low, high = (None if each is None else float(each) for each in (low, high))
    return (low is None or low <= value) and (high is None or value <= high)


WORDS = st.text(st.sampled_from("ab \té–\n0123456789"), max_size=40).map(str.encode)


@given(st.lists(WORDS, max_size=40), st.data())
def test_texts_are_gathered_alike(texts, data):
    given_ = cells_of(texts, b"")
    reasons = np.array([data.draw(st.sampled_from([0, 0, 1])) for _ in texts], np.uint8)
    words = data.draw(st.lists(WORDS.map(bytes.decode), unique=True, max_size=4))
    words += [each.decode() for each in texts[:2]]
    words = list(dict.fromkeys(words))
    one, two = (
        [
            each.texts(*given_, reasons),
            each.encoded(*given_, reasons),
            each.encoded(*given_, reasons, 2),
            [each.different(*given_, most) for most in (0, 2, 40)],
            each.listed(*given_),
            each.match(*given_, words).tolist(),
            each.blank(*given_).tolist(),
            [edge.tolist() for edge in each.trimmed(*given_)],
            [edge.tolist() for edge in each.trimmed(*given_, right=False)],
            each.all_differ([pa.array([text.decode() for text in texts], pa.string())]),
            each.joined_texts(
                [each.texts(*given_, reasons), each.encoded(*given_, reasons)], [reasons, reasons]
            ),
        ]
        for each in (reference, compiled)
    )
    assert one == two


TEXT = st.none() | st.text(st.sampled_from("ab é0"), max_size=20)


@given(
    st.lists(TEXT, max_size=30), st.integers(0, 5), st.sampled_from([pa.string, pa.large_string])
)
def test_texts_have_the_same_hash_where_they_are_the_same(texts, skipped, kind):
    array = pa.array(texts, kind())[skipped:]
    for kernel in (reference, compiled):
        hashes = kernel.text_hashes(array).tolist()
        pairs = {(text or "", each) for text, each in zip(texts[skipped:], hashes, strict=True)}
        assert len(pairs) == len({text for text, _ in pairs}) == len({each for _, each in pairs})


RECORD = st.tuples(st.sampled_from([1, 2, 3, 700]), st.integers(0, 9))


@given(st.lists(RECORD, max_size=20), st.binary(max_size=6), st.integers(0, 40))
def test_records_are_found_alike(records, behind, at):
    data = b"".join(struct.pack("<HH", kind, size) + bytes(size) for kind, size in records) + behind
    one, two = (each.record_places(data, at, 1, 2) for each in (reference, compiled))
    assert (one is None) == (two is None)
    if one is not None:
        assert [each.tolist() for each in one] == [each.tolist() for each in two]
        assert one[0][-1] == 2 and all(place <= len(data) for place in one[1])


BORDERS = [0x00, 0x7F, 0x80, 0x8F, 0x90, 0x9F, 0xA0, 0xBF, 0xC0, 0xC1, 0xC2, 0xDF, 0xE0, 0xE1]
BORDERS += [0xEC, 0xED, 0xEE, 0xEF, 0xF0, 0xF1, 0xF3, 0xF4, 0xF5, 0xFF]
"""Where rows of the table of well-formed sequences begin and end (The Unicode Standard, 3.9)."""


@settings(max_examples=tries(250))
@given(
    st.text(st.sampled_from("aé\u07ff\u0800\ud7ff\ue000\uffff\U00010000\U0010ffff"), max_size=90),
    st.lists(st.tuples(st.integers(0, 400), st.sampled_from(BORDERS)), max_size=3),
    st.integers(0, 3),
)
def test_utf8_is_told_as_the_standard_library_tells_it(level, text, changes, cut):
    """Characters of each length, some bytes changed, the last ones cut off."""
    data = bytearray(text.encode())
    for at, byte in changes:
        if data:
            data[at % len(data)] = byte
    for piece in (bytes(data), bytes(data[: len(data) - cut]), b"olive " * 20 + bytes(data)):
        try:
            piece.decode()
            valid = True
        except UnicodeDecodeError:
            valid = False
        buffer = kernels.padded(piece)
        assert compiled.is_utf8(buffer, PAD, PAD + len(piece)) is valid


ROWS = st.lists(
    st.tuples(
        st.sampled_from(["1", "22", "-3", "4.5", "x", "", "NA", "1e5", "2025-01-01"]),
        st.sampled_from(["a", "b", '"a ""q"""', '"two\nlines"', "", 'in"ner', "é"]),
        st.sampled_from(["2025-10-13", "2024-02-29", "13.10.2025", ""]),
    ),
    min_size=1,
    max_size=40,
)


@settings(max_examples=tries(100))
@given(ROWS, st.sampled_from(BLOCKS[1:]), st.integers(1, 4), st.sampled_from(["\n", "\r\n", "\r"]))
def test_the_result_does_not_depend_on_kernels_threads_or_blocks(
    monkeypatch, both, rows, block, workers, end
):
    data = end.join(["n,t,d", *(",".join(row) for row in rows)]).encode()
    plan = {"delimiter": ",", "quote": '"', "decimal": ".", "rows": {"names": 1}}
    usual = oc.load(data, workers=1, **plan)

    def read() -> oc.Dataset:
        with monkeypatch.context() as patch:
            patch.setenv("OLIVE_CRATE_BLOCK", str(block))
            return oc.load(data, workers=workers, **plan)

    for found in both(read):
        assert found.variables == usual.variables
        assert all(found[name].equals(usual[name]) for name in usual.names)
        assert found.receipt.parts == usual.receipt.parts
        assert (
            found.source_rows.at(np.arange(found.rows)).tolist()
            == usual.source_rows.at(np.arange(usual.rows)).tolist()
        )


@pytest.mark.parametrize("workers", [1, 3])
@pytest.mark.parametrize("last", ["8,z\r", "8,z\r9,w", "8,z\r9,w\r"])
def test_other_line_ends_behind_the_last_usual_one_count(both, monkeypatch, last, workers):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "64")
    data = ("n,t\n" + "1,x\n" * 40 + last).encode()
    for found in both(lambda: oc.load(data, delimiter=",", workers=workers)):
        assert found["t"].values.to_pylist()[40:] == ["z", "w"][: last.count(",")]
        assert found.receipt.balanced


FAULTS = {"bytes that are no UTF-8": b"3,\xff", "a quote left open": b'3,"'}


@pytest.mark.parametrize("fault", FAULTS)
@given(st.integers(2, 40), st.integers(2, 4), st.sampled_from(BLOCKS[1:]))
def test_a_fault_is_told_alike_wherever_it_stands(monkeypatch, fault, row, workers, block):
    lines = [b"n,t", *[b"1,x"] * 40]
    lines.insert(row - 1, FAULTS[fault])
    data = b"\n".join(lines)

    def told(workers: int, block: int) -> str:
        with monkeypatch.context() as patch:
            patch.setenv("OLIVE_CRATE_BLOCK", str(block))
            with pytest.raises(oc.OliveCrateError) as caught:
                oc.load(data, delimiter=",", quote='"', encoding="utf-8", workers=workers)
        return str(caught.value)

    usual = told(1, 1 << 20)
    assert f"row {row}" in usual
    assert told(workers, block) == usual


LATER = {
    "shorter rows": ("1," + "long " * 30, "2,s", ["s"]),
    "quoted line ends": (
        "1,plain",
        '2,"in\ntwo"\n2,x\n2,"long\nand\nlonger"\n2,more',
        ["in\ntwo", "x", "long\nand\nlonger", "more"],
    ),
    "lone returns": ("1,plain", "2,back\r2,again", ["back", "again"]),
    "somewhat shorter rows, doubled quotes": ("1,longer rows", '2,"s""s"', ['s"s']),
    "doubled quotes": ('1,"plain"', '2,"dou""bled"', ['dou"bled']),
    "quotes that open nowhere": ("1,plain", '2,5" pipe', ['5" pipe']),
    "quoted numbers": ("1,plain", '"2","x"', ["x"]),
    "text beyond ASCII": ("1,plain", "2,él", ["él"]),
    "fewer fields": ("1,plain", "2", [None]),
    "a number at the end of a line": ("1,plain", "2,5", ["5"]),
}


@pytest.mark.parametrize("workers", [1, 3])
@pytest.mark.parametrize("case", LATER)
def test_what_the_first_block_does_not_show_is_read_all_the_same(both, monkeypatch, case, workers):
    first, later, of_later = LATER[case]
    counts = [320_000 // len(first), 200_000 // len(later)]
    texts = [first.partition(",")[2].strip('"')] * counts[0] + of_later * counts[1]
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "100000")
    data = "\n".join(["n,t", *[first] * counts[0], *[later] * counts[1], ""]).encode()
    rows = np.cumsum([2, *(1 + (text or "").count("\n") for text in texts)])[:-1]
    for found in both(lambda: oc.load(data, delimiter=",", quote='"', workers=workers)):
        assert found.receipt.balanced
        assert found["t"].values.to_pylist() == texts
        numbers = [1] * counts[0] + [2] * (len(texts) - counts[0])
        assert found["n"].values.to_pylist() == numbers
        assert found.source_rows.at(np.arange(found.rows)).tolist() == rows.tolist()


@pytest.mark.parametrize("last", ["7", "7,8", '7,"8', ""])
def test_a_last_line_may_be_short_however_wide_the_file_is(both, last):
    row = ",".join(["1"] * 3000)
    data = "\n".join([",".join(f"q{n}" for n in range(3000)), *[row] * 60, last]).encode()
    plan = {"delimiter": ",", "quote": '"', "rows": {"names": 1, "data": "2.."}}
    if '"' in last:
        with pytest.raises(oc.LayoutError, match="never closed"):
            oc.load(data, **plan)
        return
    for found in both(lambda: oc.load(data, **plan)):
        assert found["q0"].values.to_pylist() == [1] * 60 + ([7] if last else [])
        assert found["q2999"].values.null_count == bool(last)


FIXED = st.sampled_from(["  12.5", " -3.25", "999.99", "   n.d", "      "])


@given(
    st.lists(st.tuples(*[FIXED] * 3), min_size=1, max_size=40),
    st.sampled_from(BLOCKS[1:]),
    st.integers(1, 3),
)
def test_fixed_records_come_out_alike(monkeypatch, both, rows, block, workers):
    assume(any(cell.strip() for row in rows for cell in row))
    data = "".join("".join(row) + "\n" for row in rows).encode()
    layout = {"fields": [("a", 6), ("b", 6), ("c", 6)], "decimal": ".", "rows": {"data": 1}}

    def read() -> oc.Dataset:
        monkeypatch.setenv("OLIVE_CRATE_BLOCK", str(block))
        return oc.load(data, workers=workers, **layout)

    one, two = both(read)
    assert one.variables == two.variables
    assert all(one[name].equals(two[name]) for name in one.names)
    assert one.receipt.parts == two.receipt.parts


CELLS = st.one_of(
    st.integers(-5, 60_000).map(lambda n: f"><v>{n}</v></c>"),
    st.floats(-1e5, 3e6).map(lambda f: f' s="1"><v>{f!r}</v></c>'),
    st.floats(0, 3).map(lambda f: f' s="2"><v>{f!r}</v></c>'),
    st.floats(0, 60_000).map(lambda f: f' s="3"><v>{f:.16g}</v></c>'),
    st.sampled_from(
        [
            *(' t="s"><v>0</v></c>', ' t="s"><v>1</v></c>', ' t="b"><v>1</v></c>', "/>"),
            ' t="e"><v>#N/A</v></c>',
            ' t="str"><f>A1&amp;B1</f><v>x &lt; _x0041_</v></c>',
            ' t="inlineStr"><is><t xml:space="preserve"> in </t></is></c>',
            ' t="d"><v>2025-10-13</v></c>',
            ' s="1"><v>60</v></c>',
            "><v>69.59999999999999</v></c>",
        ]
    ),
)


@given(st.lists(st.lists(CELLS, min_size=3, max_size=3), min_size=1, max_size=12), st.booleans())
def test_sheets_are_read_alike(both, rows, hidden):
    xml = "".join(
        f'<row r="{row}"{" hidden=" + chr(34) + "1" + chr(34) if hidden else ""}>'
        + "".join(f'<c r="{letter}{row}"{cell}' for letter, cell in zip("ABC", cells, strict=True))
        + "</row>"
        for row, cells in enumerate(rows, 1)
    ).encode()
    buffer = kernels.padded(xml)

    def work() -> object:
        places = np.array([[0, 3], [3, 9]]) + PAD
        strings = Strings(kernels.padded(b"PicualPicual"), *places)
        assembly = Assembly(strings, [Format(kind) for kind in (1, 5, 6, 7)], False)
        found = kernels.read_sheet(buffer, PAD, PAD + len(xml), assembly.rule(True))
        assert found is not None
        assembly.take(found)
        cells = assembly.cells()
        parts = [each.tolist() for each in (cells.rows, cells.columns, cells.kinds, cells.styles)]
        return parts, cells.texts(), found.hidden

    one, two = both(work)
    assert one == two


@pytest.mark.parametrize(
    ("chosen", "status", "says"),
    [
        ("reference", 0, "kernels: reference"),
        ("compiled", 0, "kernels: compiled ("),
        ("x", 1, 'there are no kernels "x"'),
    ],
)
def test_the_command_says_which_kernels_it_uses(monkeypatch, command, chosen, status, says):
    monkeypatch.setenv("OLIVE_CRATE_KERNELS", chosen)
    done = command("--version")
    assert (done.returncode, says in done.stdout + done.stderr) == (status, True), done


NUMERALS = st.one_of(
    st.floats(allow_nan=False, allow_infinity=False).map(lambda x: f"{x:.16G}"),
    st.tuples(st.integers(1, 10**15 - 1), st.integers(0, 21)).map(
        lambda pair: f"{pair[0] / 10 ** pair[1]:.16G}"
    ),
    st.tuples(st.integers(1, 10**15 - 1), st.integers(0, 21), st.sampled_from("91")).map(
        lambda parts: f"{parts[0] / 10 ** parts[1]:.16G}"[:-1] + parts[2]
    ),
    st.text("0123456789.-e", min_size=6, max_size=24),
)


@settings(max_examples=tries(100))
@given(st.lists(NUMERALS, min_size=1, max_size=60))
def test_cut_numerals_are_shortened_alike_and_to_the_number_that_is_written_so(texts):
    """A shorter numeral is written as the cut one is, to sixteen digits, and is the shortest."""
    from olive_crate.layouts.sheet.cut_numerals import shorter

    buffer = kernels.padded("".join(texts).encode())
    ends = np.cumsum([len(each) for each in texts]) + PAD
    starts = ends - np.array([len(each) for each in texts])
    lengths, joined = reference.shorter_numerals(buffer, starts, ends)
    others, also = compiled.shorter_numerals(buffer, starts, ends)
    assert lengths.tolist() == others.tolist() and joined.tobytes() == also.tobytes()
    places, sizes, shown = shorter(buffer, starts, ends)
    begin = 0
    for place, size in zip(places.tolist(), sizes.tolist(), strict=True):
        short = shown[begin : begin + size].tobytes().decode()
        begin += size
        number, cut = float(short), float(texts[place])
        assert repr(number) == short and len(short) < len(texts[place])
        assert f"{number:.16g}" == f"{cut:.16g}" and f"{number:.15g}" == f"{cut:.15g}"


@given(
    st.binary(min_size=24, max_size=200),
    st.lists(st.integers(-2, 210), max_size=30),
    st.sampled_from([2, 4, 8]),
)
def test_numbers_with_the_high_byte_first_are_read_alike(data, places, width):
    """Both refuse a place from which eight bytes are not there, and agree about all others."""
    buffer, at = np.frombuffer(data, np.uint8), np.array(places, np.int64)
    found = [each.big_endian(buffer, at, width) for each in (reference, compiled)]
    if any(place < 0 or place > len(data) - 8 for place in places):
        assert found == [None, None]
        return
    told = [int.from_bytes(data[place : place + width], "big", signed=True) for place in places]
    assert [each.tolist() for each in found] == [told, told]


def test_every_kernel_has_both_kinds_and_one_signature():
    import inspect

    for name in kernels.KERNELS:
        one, two = (inspect.signature(getattr(each, name)) for each in (reference, compiled))
        assert list(one.parameters) == list(two.parameters), name
        assert getattr(kernels, name) is getattr(compiled, name)
    with pytest.raises(AttributeError, match="no kernel"):
        _ = kernels.no_such_kernel


ROOM, BORDERS = np.zeros(9, np.int64), np.zeros(2, np.int32)
MISUSED = {
    "too few": ("cut", ()),
    "beyond the buffer": ("cut", (b"ab", 0, 5, 34)),
    "before the buffer": ("invalid_utf8", (b"ab", -1, 2)),
    "no buffer": ("cut", ("ab", 0, 1, 34)),
    "a great number": ("cut", (b"ab", 0, 1, 2**40)),
    "no number": ("cut", (b"ab", "0", 1, 34)),
    "little room": ("tally", (bytes(3), np.zeros(3, np.int64))),
    "nothing to write to": ("tally", (b"abc", bytes(8 * 256))),
    "read-only": ("read_rows", (b"ab", True, 0, 2, 44, 34, False, True, 2, 5, ROOM, b"", [])),
    "half a task": (
        "read_rows",
        (b"ab", False, 0, 2, 44, 34, False, True, 2, 5, ROOM, b"", [(1,)]),
    ),
    "no list": ("read_rows", (b"ab", False, 0, 2, 44, 34, False, True, 2, 5, ROOM, b"", 5)),
    "starts without ends": ("blank", (b"ab", BORDERS, BORDERS[:1], bytearray(2))),
    "no such width": ("big_endian", (b"12345678", np.zeros(1, np.int64), 3, ROOM)),
    "no such instructions": ("instructions", ("none",)),
    "no text": ("instructions", (5,)),
}


@pytest.mark.parametrize("case", MISUSED)
def test_what_a_kernel_cannot_take_is_refused_and_its_buffers_are_free_again(case):
    name, given_ = MISUSED[case]
    arrays = [each for each in given_ if isinstance(each, np.ndarray)]
    counts = [sys.getrefcount(each) for each in arrays]
    for _ in range(3):
        with pytest.raises((ValueError, TypeError, BufferError)):
            getattr(compiled._native, name)(*given_)
    assert [sys.getrefcount(each) for each in arrays] == counts
