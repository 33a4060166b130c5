"""Dates and times by pattern, a column of a block at a time.

A pattern is made of POSIX `strptime` directives (IEEE Std 1003.1) and literal text. Where every
directive has a fixed width, cells of just that width are read as whole words; all others are read
with one cursor for each cell, which all move together, directive by directive.
Days are counted by the proleptic Gregorian calendar with the years-from-March arithmetic of
E. G. Richards, "Mapping Time", Oxford 1998.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from ..types import DAYS, OF_DAY, Bytes, Flags, Ints, Pattern, Step, TimeRequest, TimesRead, Words
from .machine_words import are_digits, fetch, unzeroed

WIDTHS = {"Y": 4, "m": 2, "d": 2, "H": 2, "I": 2, "M": 2, "S": 2, "y": 2, "j": 3, "f": 6, "e": 2}
EXPANDED = {"F": "%Y-%m-%d", "T": "%H:%M:%S", "R": "%H:%M", "D": "%m/%d/%y", "n": " ", "t": " "}
MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"]
FULL_MONTHS = [
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
]
DAY_US = 86_400_000_000


class Parts(NamedTuple):
    """Days since 1970-01-01, microseconds within the day, and where both could be read."""

    days: Ints
    micros: Ints
    ok: Flags


@lru_cache(maxsize=256)
def compiled(text: str) -> Pattern:
    """Make a pattern ready. Raises `ValueError` for a directive that cannot be read."""
    steps: list[Step] = []
    rest = text
    for letter, meaning in EXPANDED.items():
        rest = rest.replace("%" + letter, meaning)
    position = 0
    while position < len(rest):
        if rest[position] == "%" and position + 1 < len(rest):
            letter = rest[position + 1]
            if letter == "%":
                steps.append(Step("", ord("%")))
            elif letter in WIDTHS or letter in "bBhpz":
                steps.append(Step({"e": "d", "B": "b", "h": "b"}.get(letter, letter)))
            else:
                raise ValueError(f"%{letter} is not a directive that can be read")
            position += 2
        else:
            steps += [Step("", byte) for byte in rest[position].encode("utf-8")]
            position += 1
    _complete(steps, text)
    fixed = all(step.kind in WIDTHS or not step.kind for step in steps)
    fixed = fixed and not any(step.kind == "f" for step in steps)
    width = sum(WIDTHS[step.kind] if step.kind else 1 for step in steps) if fixed else 0
    return Pattern(text, tuple(steps), width if width <= 24 else 0)


def _complete(steps: list[Step], text: str) -> None:
    kinds = {step.kind for step in steps if step.kind}
    year, month, day = bool(kinds & {"Y", "y"}), bool(kinds & {"m", "b"}), "d" in kinds
    date = year or month or day or "j" in kinds
    if date and not (year and ((month and day) or "j" in kinds)):
        raise ValueError(f'"{text}" does not name a whole day')
    if not date and not kinds & {"H", "I"}:
        raise ValueError(f'"{text}" names neither a day nor a time')


def parse(buffer: Bytes, starts: Ints, ends: Ints, pattern: Pattern, exact: bool = False) -> Parts:
    """Read cells by the pattern; with `exact`, numbers need all the digits of their width."""
    lengths = ends - starts
    if pattern.width and bool((lengths == pattern.width).all()):
        return _meaning(*_by_words(buffer, starts, pattern))
    if not pattern.width:
        return _meaning(*_by_cursor(buffer, starts, ends, pattern, exact))
    fixed = lengths == pattern.width
    days, micros, ok = (np.zeros(len(starts), kind) for kind in (np.int64, np.int64, bool))
    for chosen, reader in ((fixed, True), (~fixed, False)):
        at = np.flatnonzero(chosen)
        if len(at):
            read = (
                _by_words(buffer, starts[at], pattern)
                if reader
                else _by_cursor(buffer, starts[at], ends[at], pattern, exact)
            )
            days[at], micros[at], ok[at] = _meaning(*read)
    return Parts(days, micros, ok)


def read_times(buffer: Bytes, starts: Ints, ends: Ints, wanted: TimeRequest) -> TimesRead:
    """Read cells by the first pattern as Arrow keeps them.

    The unit is `days` since 1970 (32 bits), microseconds `of day` or `since 1970` (64 bits).
    """
    parts = parse(buffer, starts, ends, wanted.patterns[0], wanted.exact[0])
    reasons = np.where(parts.ok, 0, 2).astype(np.uint8)
    left = int(np.count_nonzero(reasons))
    if wanted.unit == DAYS:
        return TimesRead(parts.days.astype(np.int32), reasons, left)
    if wanted.unit == OF_DAY:
        return TimesRead(parts.micros, reasons, left)
    return TimesRead(parts.days * DAY_US + parts.micros, reasons, left)


def _by_words(buffer: Bytes, starts: Ints, pattern: Pattern) -> tuple[dict[str, Ints], Flags]:
    """Cells of one width: literals and digits checked eight bytes at a time."""
    count = -(-pattern.width // 8)
    words = [fetch(buffer, starts + 8 * index) for index in range(count)]
    literal, literal_mask, digit_mask = [0] * count, [0] * count, [0] * count
    places: list[tuple[str, int]] = []
    position = 0
    for step in pattern.steps:
        width = WIDTHS[step.kind] if step.kind else 1
        for offset in range(position, position + width):
            word, shift = offset // 8, 8 * (offset % 8)
            masks = digit_mask if step.kind else literal_mask
            masks[word] |= 0xFF << shift
            if not step.kind:
                literal[word] |= step.byte << shift
        if step.kind:
            places.append((step.kind, position))
        position += width
    ok = np.ones(len(starts), bool)
    digits = []
    for held, expected, mask, kept in zip(words, literal, literal_mask, digit_mask, strict=True):
        if mask:
            ok &= (held & np.uint64(mask)) == np.uint64(expected)
        plain = unzeroed(held) & np.uint64(kept)
        ok &= are_digits(plain)
        digits.append(plain)
    pairs = [plain * np.uint64(10) + (plain >> np.uint64(8)) for plain in digits]
    return {kind: _digits_at(digits, pairs, place, WIDTHS[kind]) for kind, place in places}, ok


def _digits_at(digits: list[Words], pairs: list[Words], place: int, width: int) -> Ints:
    """The number at a byte of the cells; two digits at once where they lie in one word."""
    value: Words | None = None
    while width:
        word, byte = place // 8, place % 8
        step = 2 if width > 1 and byte < 7 else 1
        held = pairs[word] if step == 2 else digits[word]
        part = (held >> np.uint64(8 * byte)) & np.uint64(255)
        value = part if value is None else value * np.uint64(10**step) + part
        place, width = place + step, width - step
    assert value is not None
    return value.view(np.int64)


class _Cursor:
    """One reading position for each cell."""

    def __init__(self, buffer: Bytes, starts: Ints, ends: Ints) -> None:
        self.buffer, self.at, self.ends = buffer, starts.copy(), ends
        self.ok = np.ones(len(starts), bool)

    def byte(self) -> Bytes:
        here = np.minimum(self.at, self.ends)  # past the end where a pattern is longer than a cell
        return np.where(self.at < self.ends, self.buffer[here], 0)

    def literal(self, byte: int) -> None:
        self.ok &= self.byte() == byte
        self.at = self.at + 1

    def number(self, most: int) -> tuple[Ints, Ints]:
        """Up to `most` digits: their value and how many there were."""
        value, count = np.zeros(len(self.at), np.int64), np.zeros(len(self.at), np.int64)
        going = self.ok.copy()
        for _ in range(most):
            digit = self.byte().astype(np.int64) - 48
            going &= (digit >= 0) & (digit <= 9)
            if not going.any():
                break
            value = np.where(going, value * 10 + digit, value)
            count += going
            self.at = self.at + going
        self.ok &= count > 0
        return value, count

    def word(self, names: list[str]) -> Ints:
        """Which of the names stands here, without regard to case; the longest first."""
        found = np.full(len(self.at), -1, np.int64)
        for index in sorted(range(len(names)), key=lambda i: -len(names[i])):
            name = names[index].encode("ascii")
            fits = (found < 0) & (self.at + len(name) <= self.ends)
            for offset, letter in enumerate(name):
                here = self.buffer[np.where(fits, self.at + offset, 0)] | 0x20
                fits &= here == (letter | 0x20)
            found = np.where(fits, index, found)
        lengths = np.array([len(name) for name in names] + [0])
        self.at = self.at + lengths[found]
        self.ok &= found >= 0
        return found

    def zone(self) -> Ints:
        """Minutes east of UTC: `Z`, `+01:00`, `+0100` or `+01`."""
        mark = self.byte()
        zulu = (mark == ord("Z")) | (mark == ord("z"))
        signed = (mark == ord("+")) | (mark == ord("-"))
        self.ok &= zulu | signed
        self.at = self.at + 1
        before, self.ok = self.ok, self.ok & signed
        hours, _ = self.number(2)
        colon = self.ok & (self.byte() == ord(":"))
        self.at = self.at + colon
        complete = self.ok.copy()
        minutes, count = self.number(2)
        whole = (count == 2) | ((count == 0) & ~colon)
        self.ok = before & (zulu | (complete & whole & (hours < 24)))
        east = np.where(count == 2, hours * 60 + minutes, hours * 60)
        return np.where(zulu, 0, np.where(mark == ord("-"), -east, east))


def _by_cursor(
    buffer: Bytes, starts: Ints, ends: Ints, pattern: Pattern, exact: bool
) -> tuple[dict[str, Ints], Flags]:
    cursor = _Cursor(buffer, starts, ends)
    found: dict[str, Ints] = {}
    for step in pattern.steps:
        kind = step.kind
        if not kind:
            cursor.literal(step.byte)
        elif kind == "b":
            found["m"] = cursor.word(MONTHS + FULL_MONTHS) % 12 + 1
        elif kind == "p":
            found["p"] = cursor.word(["am", "pm"])
        elif kind == "z":
            found["z"] = cursor.zone()
        else:
            value, count = cursor.number(WIDTHS[kind])
            if kind == "f":
                value = value * 10 ** (6 - np.minimum(count, 6))
            elif kind == "Y" or exact:
                cursor.ok &= count == WIDTHS[kind]
            found[kind] = value
    return found, cursor.ok & (cursor.at == ends)


def _meaning(found: dict[str, Ints], ok: Flags) -> Parts:
    """Days and microseconds of the parts found, each checked to be in its range."""
    none = np.zeros(len(ok), np.int64)
    days, micros = none, none
    if "Y" in found or "y" in found:
        days, ok = _days(found, ok)
    hours = found.get("H", none)
    if "I" in found:
        ok = ok & (found["I"] >= 1) & (found["I"] <= 12)
        hours = found["I"] % 12 + 12 * found.get("p", none)
    minutes, seconds = found.get("M", none), found.get("S", none)
    ok = ok & (hours < 24) & (minutes < 60) & (seconds < 60)
    if hours is not none:
        micros = ((hours * 60 + minutes) * 60 + seconds) * 1_000_000 + found.get("f", none)
    if "z" in found:
        micros = micros - found["z"] * 60_000_000
    return Parts(days, micros, ok)


def _days(found: dict[str, Ints], ok: Flags) -> tuple[Ints, Flags]:
    year = found["Y"] if "Y" in found else _whole_year(found["y"])
    ok = ok & (year >= 1)
    if "j" in found:
        length = np.where(_leap(year), 366, 365)
        ok = ok & (found["j"] >= 1) & (found["j"] <= length)
        return days_from(year, np.ones_like(year), np.ones_like(year)) + found["j"] - 1, ok
    month, day = found["m"], found["d"]
    ok = ok & (month >= 1) & (month <= 12) & (day >= 1)
    place = np.where(ok, year * 12 + month, 13)
    table = _months()
    first = table[place]
    ok &= first + day <= table[place + 1]
    return first + day - 1, ok


def _whole_year(year: Ints) -> Ints:
    """Two-digit years as POSIX has them: 69 to 99 are 1969 to 1999."""
    return year + np.where(year < 69, 2000, 1900)


@lru_cache(maxsize=1)
def _months() -> Ints:
    """The day on which each month of the years 0 to 9999 starts, at year * 12 + month."""
    place = np.arange(120_002)
    year, month = (place - 1) // 12, (place - 1) % 12 + 1
    return days_from(year, month, np.ones_like(year))


def _leap(year: Ints) -> Flags:
    leap: Flags = ((year & 3) == 0) & ((year % 100 != 0) | (year % 400 == 0))
    return leap


def days_from(year: Ints, month: Ints, day: Ints) -> Ints:
    """Days from 1970-01-01 to a day of the Gregorian calendar; years begin in March."""
    early = month <= 2
    year = (year - early).astype(np.int32)
    month = np.where(early, month + 9, month - 3).astype(np.int32)
    days = 365 * year + year // 4 - year // 100 + year // 400 + (153 * month + 2) // 5
    return days.astype(np.int64) + day - 719469


__all__ = [
    "DAY_US",
    "WIDTHS",
    "Parts",
    "Pattern",
    "compiled",
    "parse",
    "read_times",
]
