"""Cells to dates, times, date-times and durations.

Without a pattern, the forms of ISO 8601-1:2019 are taken: calendar dates in extended format
(5.2.2.1), times of day (5.3.1), both together with `T` or a blank between them (5.4.2.1), seconds
and their fraction optional, with or without a zone. Date-times with a zone are kept in UTC.
"""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.patterns import late
from ..kernels.buffers import no_reasons, none_missing, numpy_of, writable
from ..kernels.reference import times
from ..kernels.spans import Cells
from ..kernels.types import (
    DAYS,
    OF_DAY,
    PAD,
    SINCE_1970,
    EarlyResult,
    Flags,
    Ints,
    TimeRequest,
    TimesRead,
    Writing,
)
from .code_texts import words_for
from .month_names import in_english
from .rule import (
    IS_BLANK,
    IS_UNREADABLE,
    PRESENT,
    Converted,
    Rule,
    by_text,
    reason_of,
)

NONE = np.zeros(0, np.int64)
DATE = ("%Y-%m-%d",)
TIME = ("%H:%M:%S", "%H:%M", "%H:%M:%S.%f")
LOCAL = tuple(f"%Y-%m-%d{mark}{time}" for mark in "T " for time in TIME)
ZONED = tuple(form + "%z" for form in LOCAL)
ANY_ZONED = "iso%z"
"""In place of a pattern: any of the forms of ISO 8601 with a zone."""
TYPES = {
    "date": pa.date32(),
    "time": pa.time64("us"),
    "datetime": pa.timestamp("us"),
    "duration": pa.duration("us"),
}
TIMES_OF = ("date", "time", "datetime", "zoned", "duration")
UNITS = {pa.date32(): DAYS, pa.time64("us"): OF_DAY}
ISO_DURATION = late(
    r"(?P<sign>[+-])?P(?:(?P<w>\d+)W)?(?:(?P<d>\d+)D)?"
    r"(?:T(?:(?P<h>\d+)H)?(?:(?P<m>\d+)M)?(?:(?P<s>\d+(?:[.,]\d{1,6})?)S)?)?"
)
CLOCK = late(r"(?P<sign>-)?(?P<h>\d+):(?P<m>[0-5]\d)(?::(?P<s>[0-5]\d(?:[.,]\d{1,6})?))?")


def forms(rule: Rule) -> tuple[str, ...]:
    """The patterns to try in turn."""
    if rule.format == ANY_ZONED:
        return ZONED
    standard = {"date": DATE, "time": TIME, "datetime": LOCAL, "zoned": ZONED}[rule.kind]
    if rule.format is not None:
        return (rule.format, *(form for form in standard if rule.typed_cells))
    return standard


def convert_times(cells: Cells, rule: Rule, early: EarlyResult | None = None) -> Converted:
    """Take cells as `date`, `time` or `datetime`."""
    patterns, exact, kind, unit = _written_as(rule.kind, forms(rule), rule.format)

    def read(some: Cells, attempt: int) -> tuple[np.ndarray, Flags]:
        one = slice(attempt, attempt + 1)
        alone = TimeRequest(patterns[one], exact[one], unit)
        taken = kernels.read_times(some.buffer, some.starts, some.ends, alone)
        return taken.values, taken.reasons == PRESENT

    done = early if isinstance(early, TimesRead) else None
    if done is None:
        asked = time_request(rule)
        done = kernels.read_times(cells.buffer, cells.starts, cells.ends, asked)
    values, reasons, left, place, worded = msgspec.structs.astuple(done)
    looked_for = worded is not None or not rule.codes
    if looked_for and none_missing(reasons):
        made = kernels.masked(values, None, kind)
        return Converted(made, no_reasons(len(cells)), NONE, place=place)
    reasons = writable(reasons)
    pending = np.flatnonzero(reasons == IS_UNREADABLE) if left else NONE
    if len(pending):
        reasons[pending] = PRESENT
        pending, rest = _set_missing_aside(cells.at(pending), rule, pending, reasons)
        for attempt in range(len(patterns)):
            if not len(pending):
                break
            more, good = read(rest, attempt)
            values[pending[good]] = more[good]
            pending, rest = pending[~good], rest.at(np.flatnonzero(~good))
        for attempt in range(len(patterns)):
            if len(pending) and any(step.kind == "b" for step in patterns[attempt].steps):
                more, good = read(_in_english(rest), attempt)
                values[pending[good]] = more[good]
                pending, rest = pending[~good], rest.at(np.flatnonzero(~good))
    reasons[pending] = IS_UNREADABLE
    if not looked_for:
        coded = by_text(cells.trimmed(), rule.codes)
        hit = (reasons == PRESENT) & (coded >= 0)
        reasons[hit] = reason_of(0) + coded[hit]
    validity = kernels.validity(reasons)
    made = kernels.masked(values, validity, kind)
    only, worded = validity.only, bool(worded)
    return Converted(made, reasons, pending, place=place, worded=worded, only=only)


def _in_english(cells: Cells) -> Cells:
    """Dates with their months' names as the kernels know them, whatever their language."""
    texts = kernels.texts(cells.buffer, cells.starts, cells.ends).dictionary_encode()
    known = [in_english(text).encode("utf-8") for text in texts.dictionary.to_pylist()]
    ends = np.cumsum([0, *map(len, known)]) + PAD
    index = numpy_of(texts.indices)
    return Cells(kernels.padded(b"".join(known)), ends[:-1][index], ends[1:][index])


def time_request(rule: Rule) -> TimeRequest:
    """What the kernel is asked for."""
    patterns, exact, _, unit = _written_as(rule.kind, forms(rule), rule.format)
    return TimeRequest(patterns, exact, unit, Writing(*words_for(rule.codes)))


@lru_cache(maxsize=256)
def _written_as(
    kind: str, patterns: tuple[str, ...], form: str | None
) -> tuple[tuple[times.Pattern, ...], tuple[bool, ...], pa.DataType, str]:
    """The patterns ready to read with, which of them exactly, and what they are read as."""
    ready = tuple(map(times.compiled, patterns))
    first = form in (None, ANY_ZONED)
    exact = tuple(first or place > 0 for place in range(len(ready)))
    type_ = _arrow_type(kind, ready[0])
    return ready, exact, type_, UNITS.get(type_, SINCE_1970)


def times_type(rule: Rule) -> pa.DataType:
    """The Arrow type of dates, times and durations by this rule."""
    if rule.kind == "duration":
        return TYPES["duration"]
    return _written_as(rule.kind, forms(rule), rule.format)[2]


def _arrow_type(kind: str, pattern: times.Pattern) -> pa.DataType:
    return pa.timestamp("us", "UTC") if pattern.has_zone else TYPES[kind]


def _set_missing_aside(
    cells: Cells, rule: Rule, pending: Ints, reasons: np.ndarray
) -> tuple[Ints, Cells]:
    """Give blanks and codes their reasons; returns the other cells, without blanks around them."""
    cells = cells.trimmed()
    code = by_text(cells, rule.codes)
    empty = cells.starts == cells.ends
    reasons[pending[code >= 0]] = reason_of(0) + code[code >= 0]
    reasons[pending[empty]] = IS_BLANK
    left = np.flatnonzero(~empty & (code < 0))
    return pending[left], cells.at(left)


def convert_durations(cells: Cells, rule: Rule) -> Converted:
    """Take cells as `duration`: `PT1H30M` (ISO 8601-1:2019, 5.5.2) or hours and minutes `36:15`."""
    reasons = np.zeros(len(cells), np.uint8)
    pending, rest = _set_missing_aside(cells, rule, np.arange(len(cells)), reasons)
    texts = kernels.texts(rest.buffer, rest.starts, rest.ends).dictionary_encode()
    micros = [microseconds(text) for text in texts.dictionary.to_pylist()]
    index = numpy_of(texts.indices)
    known = np.array([each is not None for each in micros], bool)[index]
    values = np.zeros(len(cells), np.int64)
    values[pending] = np.array([each or 0 for each in micros], np.int64)[index]
    reasons[pending[~known]] = IS_UNREADABLE
    return Converted(
        kernels.arrow(values, reasons == 0, TYPES["duration"]), reasons, pending[~known]
    )


def microseconds(text: str) -> int | None:
    """Microseconds of one written duration."""
    match = ISO_DURATION.fullmatch(text) or CLOCK.fullmatch(text)
    if not match or text[-1] in "PT":
        return None
    part = {key: value or "0" for key, value in match.groupdict().items()}
    whole, _, fraction = part["s"].replace(",", ".").partition(".")
    days = int(part.get("w", 0)) * 7 + int(part.get("d", 0))
    seconds = ((days * 24 + int(part["h"])) * 60 + int(part["m"])) * 60 + int(whole)
    micros = seconds * 1_000_000 + int(fraction.ljust(6, "0"))
    return -micros if part["sign"] == "-" else micros


def are_firsts(done: Converted) -> bool:
    """Are all of these dates the first of a month?"""
    of_days = pa.types.is_date32(done.values.type)
    raw = np.frombuffer(done.values.buffers()[1], np.int32 if of_days else np.int64)
    held = raw[done.values.offset : done.values.offset + len(done.values)][done.reasons == PRESENT]
    days = (held if of_days else held // times.DAY_US).astype("datetime64[D]")
    return bool((days == days.astype("datetime64[M]")).all())
