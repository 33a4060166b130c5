"""Cells as the text that a person reads in a table."""

from __future__ import annotations

from typing import Any

from ..dataset import Column


def shown_cells(column: Column, count: int) -> list[str]:
    """The first cells of a column; a missing one shows its reason in brackets."""
    values = column.values.slice(0, count).to_pylist()
    return [
        f"[{column.why(index)}]" if value is None else shown(value, column.variable.decimals)
        for index, value in enumerate(values)
    ]


def shown(value: Any, decimals: int | None = None) -> str:
    """One value; decimals are filled up, never cut."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        text = repr(value)
        if "e" in text or "n" in text:
            return text
        whole, _, fraction = text.partition(".")
        fraction = fraction.rstrip("0")
        if decimals and len(fraction) < decimals:
            fraction = fraction.ljust(decimals, "0")
        return f"{whole}.{fraction}" if fraction else whole
    return str(value)
