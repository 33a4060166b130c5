"""Whole columns in every usual way of writing: the type that is found, and every value."""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Callable
from typing import Any

import pytest

import olive_crate as oc

ROWS = 700
"""More than the kernels take in one go, so that what they learn on the way is used."""
Writing = Callable[[Any], str]


def day(rng: random.Random) -> dt.date:
    return dt.date(1931, 2, 5) + dt.timedelta(days=rng.randrange(60_000))


def recent_day(rng: random.Random) -> dt.date:
    """One of which the year can be told by two digits."""
    return dt.date(1970, 1, 1) + dt.timedelta(days=rng.randrange(30_000))


def moment(rng: random.Random) -> dt.datetime:
    return dt.datetime(1990, 1, 1) + dt.timedelta(seconds=rng.randrange(2 * 10**9))


def part_of_second(rng: random.Random) -> dt.datetime:
    return moment(rng) + dt.timedelta(milliseconds=rng.randrange(1000))


def clock(rng: random.Random) -> dt.time:
    return dt.time(rng.randrange(24), rng.randrange(60))


def cents(rng: random.Random) -> float:
    return rng.randrange(-(10**7), 10**8) / 100


def form(pattern: str) -> Writing:
    return lambda value: value.strftime(pattern)


def bare(pattern: str) -> Writing:
    """Day, month and hour without a zero before them."""

    def write(value: Any) -> str:
        parts = {"%d": "day", "%m": "month", "%H": "hour"}
        text = pattern
        for directive, name in parts.items():
            if directive in text:
                text = text.replace(directive, str(getattr(value, name)))
        return str(value.strftime(text))

    return write


def german(value: float) -> str:
    return f"{value:,.2f}".replace(",", " ").replace(".", ",").replace(" ", ".")


WAYS: dict[str, tuple[str, Callable[[random.Random], Any], Writing]] = {
    "integers": ("integer", lambda rng: rng.randrange(-9999, 10**5), str),
    "eleven digits": ("integer", lambda rng: rng.randrange(10**10, 10**11), str),
    "nineteen digits": ("integer", lambda rng: rng.randrange(10**18, 9 * 10**18), str),
    "cents": ("number", cents, "{:.2f}".format),
    "six decimals": ("number", lambda rng: round(rng.gauss(0, 99), 6), "{:.6f}".format),
    "as many as needed": ("number", lambda rng: rng.random(), repr),
    "around a thousand": ("number", lambda rng: rng.uniform(-2000, 2000), repr),
    "exponents": ("number", lambda rng: float(f"{rng.lognormvariate(0, 20):.6e}"), "{:.6e}".format),
    "large exponents": (
        "number",
        lambda rng: float(f"{rng.gauss(0, 1) * 1e150:.2E}"),
        "{:.2E}".format,
    ),
    "groups": ("number", lambda rng: round(rng.uniform(1000, 10**8), 1), "{:,.1f}".format),
    "groups, whole": ("integer", lambda rng: rng.randrange(1000, 10**9), "{:,}".format),
    "decimal comma": ("number", cents, german),
    "percent": ("number", lambda rng: rng.randrange(1000) / 10, "{:.1f}%".format),
    "percent, apart": ("number", lambda rng: rng.randrange(1000) / 10, "{:.1f} %".format),
    "currency": ("number", lambda rng: rng.randrange(10**6) / 100, "€{:.2f}".format),
    "currency behind": ("number", cents, lambda value: f"{german(value)} €"),
    "true or false": ("boolean", lambda rng: rng.random() < 0.3, lambda value: str(value).lower()),
    "yes or no": (
        "boolean",
        lambda rng: rng.random() < 0.3,
        lambda value: "yes" if value else "no",
    ),
    "ISO": ("date", day, form("%Y-%m-%d")),
    "day.month.year": ("date", day, form("%d.%m.%Y")),
    "day.month.year, bare": ("date", day, bare("%d.%m.%Y")),
    "month/day/year": ("date", day, form("%m/%d/%Y")),
    "month/day/year, bare": ("date", day, bare("%m/%d/%Y")),
    "two digits": ("date", recent_day, form("%d.%m.%y")),
    "short names": ("date", day, form("%d %b %Y")),
    "short names, bare": ("date", day, bare("%d %b %Y")),
    "short names, dashes": ("date", day, form("%d-%b-%Y")),
    "whole names": ("date", day, form("%d %B %Y")),
    "name first": ("date", day, bare("%b %d, %Y")),
    "moments": ("datetime", moment, form("%Y-%m-%d %H:%M:%S")),
    "day first, with seconds": ("datetime", moment, form("%d.%m.%Y %H:%M:%S")),
    "moments with T": ("datetime", moment, form("%Y-%m-%dT%H:%M:%S")),
    "parts of a second": ("datetime", part_of_second, lambda at: at.isoformat(" ", "milliseconds")),
    "UTC": ("datetime", moment, form("%Y-%m-%dT%H:%M:%SZ")),
    "a zone": ("datetime", moment, form("%Y-%m-%dT%H:%M:%S+00:00")),
    "times": ("time", clock, form("%H:%M")),
    "twelve hours": ("time", clock, form("%I:%M %p")),
    "few words": ("text", lambda rng: rng.choice(["Picual", "Leccino", "Frantoio"]), str),
    "all different": ("text", lambda rng: f"lot {rng.randrange(10**9):09}", str),
}


COMMAS = ("decimal comma", "currency behind")


def meant(value: Any, kind: str) -> Any:
    """What is compared: floats by their bits, moments without their zone."""
    if isinstance(value, float):
        return value.hex()
    return value.replace(tzinfo=None) if kind == "datetime" and value is not None else value


def column_of(way: str, share: float) -> tuple[list[Any], list[str]]:
    """Values, a share of which is missing, and how they are written."""
    _, make, write = WAYS[way]
    rng = random.Random(f"{way} {share}")
    values = [None if rng.random() < share else make(rng) for _ in range(ROWS)]
    return values, ["NA" if value is None else write(value) for value in values]


def holds(column: oc.Column, way: str, values: list[Any]) -> None:
    """The type, each value, and the reason of those that are missing."""
    kind = WAYS[way][0]
    assert column.variable.type == kind
    found, missing = column.values.to_pylist(), values.count(None)
    if kind == "text":
        assert [text for text in found if text not in (None, "NA")] == list(filter(None, values))
        return
    assert column.reason_counts() == ({"NA": missing} if missing else {})
    wanted = [float(each) if kind == "number" and each is not None else each for each in values]
    assert [meant(each, kind) for each in found] == [meant(each, kind) for each in wanted]


@pytest.mark.parametrize("share", [0, 0.02, 0.5], ids=["none missing", "few", "half"])
@pytest.mark.parametrize("quote", ["", '"'], ids=["bare", "quoted"])
@pytest.mark.parametrize("way", WAYS)
def test_a_column_is_what_was_written(way, quote, share):
    values, texts = column_of(way, share)
    wrapped = [text if text == "NA" else f"{quote}{text}{quote}" for text in texts]
    rows = [f"{number};{text}" for number, text in enumerate(wrapped, 1)]
    found = oc.load("\n".join(["case;amount", *rows, ""]).encode())
    holds(found["amount"], way, values)
    assert found.receipt.balanced


@pytest.mark.parametrize("left", [True, False], ids=["left", "right"])
@pytest.mark.parametrize("way", WAYS)
def test_a_field_of_one_width_is_what_was_written(way, left):
    values, texts = column_of(way, 0.1)
    width = max(map(len, texts))
    padded = [text.ljust(width) if left else text.rjust(width) for text in texts]
    rows = [f"{number:5}{text}|" for number, text in enumerate(padded, 1)]
    fields = [("case", 1, 5), ("amount", 6, 5 + width)]
    options: dict[str, Any] = {"decimal": ",", "grouping": "."} if way in COMMAS else {}
    found = oc.load("\n".join([*rows, ""]).encode(), fields=fields, encoding="utf-8", **options)
    holds(found["amount"], way, values)
    assert found.receipt.balanced
