"""Spans of one variable and its declaration to values, reasons and what could not be taken."""

from __future__ import annotations

from ..kernels.reference import AnyWanted
from ..records.spans import Cells
from .rule import Converted, Rule


def convert(cells: Cells, rule: Rule) -> Converted:
    """Convert the cells of one variable in a block of rows."""
    if rule.kind in ("integer", "number"):
        from .numbers import convert_numbers

        return convert_numbers(cells, rule)
    if rule.kind in ("date", "time", "datetime", "zoned"):
        from .dates import convert_times

        return convert_times(cells, rule)
    from . import dates, text

    if rule.kind == "duration":
        return dates.convert_durations(cells, rule)
    if rule.kind == "boolean":
        return text.convert_booleans(cells, rule)
    return text.convert_text(cells, rule)


def foreseen(rule: Rule) -> AnyWanted | None:
    """What a kernel will be asked for by this rule, where it can be read ahead."""
    if rule.kind in ("integer", "number"):
        from .numbers import wanted

        return None if rule.sign else wanted(rule)
    if rule.kind in ("date", "time", "datetime", "zoned"):
        from .dates import wanted_times

        return wanted_times(rule)
    if rule.kind in ("text", "category"):
        from .text import wanted_texts

        return wanted_texts(rule)
    return None


__all__ = ["Converted", "Rule", "convert", "foreseen"]
