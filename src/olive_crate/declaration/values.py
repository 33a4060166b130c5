"""A single value as text."""

from __future__ import annotations

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
    return str(value)
