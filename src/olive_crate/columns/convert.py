"""Spans of one variable and its declaration to values, reasons and what could not be taken."""

from __future__ import annotations

from ..kernels.spans import Cells
from ..kernels.types import EarlyResult, Request
from .rule import Converted, Rule


def convert(cells: Cells, rule: Rule, early: EarlyResult | None = None) -> Converted:
    """Convert the cells of one variable in a block of rows.

    `early` is what a kernel has made of these very cells by this rule while it split the block.
    """
    if rule.kind in ("integer", "number"):
        from .numbers import convert_numbers

        return convert_numbers(cells, rule, early)
    if rule.kind in ("date", "time", "datetime", "zoned"):
        from .dates import convert_times

        return convert_times(cells, rule, early)
    from . import dates, text

    if rule.kind == "duration":
        return dates.convert_durations(cells, rule)
    if rule.kind == "boolean":
        return text.convert_booleans(cells, rule)
    return text.convert_text(cells, rule, early)


def request_for(rule: Rule) -> Request | None:
    """What this rule asks of a kernel, where one can convert cells while it splits a block."""
    if rule.kind in ("integer", "number"):
        from .numbers import number_request

        return None if rule.sign else number_request(rule)
    if rule.kind in ("date", "time", "datetime", "zoned"):
        from .dates import time_request

        return time_request(rule)
    if rule.kind in ("text", "category"):
        from .text import text_request

        return text_request(rule)
    return None


__all__ = ["Converted", "Rule", "convert", "request_for"]
