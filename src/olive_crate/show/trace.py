"""A trace as plain text: the row with the cell marked, then each step."""

from __future__ import annotations

from functools import singledispatch

from ..dataset import trace as traced
from ..dataset.trace import Trace
from ..declaration.values import value_text
from .evidence import evidence_line, variable_words
from .text import WIDTH, cut, mark_words, visible, width_of, wrapped

AROUND = 36
"""Characters shown at either side of the cell in a long row."""


@singledispatch
def step_words(step: traced.Step) -> str:
    """What was done, in words."""
    raise NotImplementedError(f"no words for {type(step).__name__}")


@step_words.register(traced.Trimmed)
def _(step: traced.Trimmed) -> str:
    return f"without the blanks around it: {_quoted(step.text)}"


@step_words.register(traced.FlagTakenApart)
def _(step: traced.FlagTakenApart) -> str:
    return f"the flag {_quoted(step.flag)} taken apart: {_quoted(step.text)}"


@step_words.register(traced.Blank)
def _(step: traced.Blank) -> str:
    return "there is nothing in the cell"


@step_words.register(traced.CodeMatched)
def _(step: traced.CodeMatched) -> str:
    how = "has the value of" if step.by_value else "is"
    return f"{how} the missing code {step.code}: {step.reason}"


@step_words.register(traced.Unreadable)
def _(step: traced.Unreadable) -> str:
    return f"is not a value of the type {step.type}"


@step_words.register(traced.ReadAs)
def _(step: traced.ReadAs) -> str:
    parts = []
    if step.decimal:
        parts.append(f"the decimal mark is the {mark_words(step.decimal)}")
    if step.grouping:
        parts.append(f"the {mark_words(step.grouping)} groups digits")
    if step.implied:
        parts.append(f"{step.implied} decimals are implied")
    if step.format:
        parts.append(f"written as {step.format}")
    if step.unit:
        parts.append(f"in {step.unit}")
    return f"read as {step.type}" + (f": {', '.join(parts)}" if parts else "")


def trace_text(trace: Trace, width: int = WIDTH) -> str:
    """The row, the steps, and what came of them."""
    lines = [f"{visible(trace.variable)}, {_case(trace)} of {trace.source}", ""]
    lines += _row(trace, width)
    lines += ["", f"taken: {_quoted(trace.text)} ({trace.place})"]
    for step in trace.steps:
        lines += wrapped(f"  {visible(step_words(step))}", width, "    ")
    if trace.reason:
        lines.append(f"missing: {trace.reason}")
    else:
        lines.append(f"value: {value_text(trace.value)}")
    if trace.evidence:
        lines += ["", "why it is read so:"]
    for each in trace.evidence:
        own = each.variable == trace.variable
        words = variable_words(each) if own else evidence_line(each)
        lines += wrapped(f"{'  ' if each.certain else '? '}{visible(words)}", width, "    ")
    return "\n".join(lines)


def _case(trace: Trace) -> str:
    return visible(trace.named) if trace.named else f"row {trace.row:,}"


def _row(trace: Trace, width: int) -> list[str]:
    """The text of the row, and a line that marks the cell; of a long row, what is around it."""
    if trace.start is None or trace.end is None:
        return [cut(visible(trace.raw), width)]
    begin = max(0, trace.start - AROUND) if len(trace.raw) > width else 0
    before = ("\u2026" if begin else "") + visible(trace.raw[begin : trace.start])
    cell = visible(trace.raw[trace.start : trace.end])
    shown = cut(before + cell + visible(trace.raw[trace.end :]), width)
    marks = " " * width_of(before) + "^" * max(1, width_of(cell))
    return [shown, marks[:width]]


def _quoted(text: str) -> str:
    return f"\u201c{visible(text)}\u201d"
