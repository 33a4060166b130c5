"""A single value as text."""

from __future__ import annotations

import datetime as dt
from typing import Any


def value_text(value: Any, decimals: int | None = None) -> str:
    """One value; a number with this many decimals, or with as many as it has."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        if decimals is not None and abs(value) < 1e15:
            return f"{value:.{decimals}f}"
        text = repr(value)
        return text[:-2] if text.endswith(".0") else text
    if isinstance(value, dt.datetime):
        return value.isoformat()
    return duration_text(value) if isinstance(value, dt.timedelta) else str(value)


def duration_text(value: dt.timedelta) -> str:
    """`P1DT2H`, `-PT0.5S`: ISO 8601-1:2019, 5.5.2, with the sign of ISO 8601-2:2019, 4.3."""
    sign, rest = ("-", -value) if value < dt.timedelta(0) else ("", value)
    hours, minutes = rest.seconds // 3600, rest.seconds // 60 % 60
    fraction = f".{rest.microseconds:06d}".rstrip("0") if rest.microseconds else ""
    seconds = f"{rest.seconds % 60}{fraction}S" if rest.seconds % 60 or fraction else ""
    days = f"{rest.days}D" if rest.days else ""
    times = f"{f'{hours}H' if hours else ''}{f'{minutes}M' if minutes else ''}{seconds}"
    return f"{sign}P{days}{'T' if times else ''}{times}" if days or times else "PT0S"
