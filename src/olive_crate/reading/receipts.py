"""The receipt of a read, put together from what was counted; and the evidence for its decisions."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

import msgspec
import pyarrow as pa

from .. import kernels
from ..columns.rule import base
from ..dataset.receipt import NO_PROBLEMS, CellCounts, Problems, Receipt
from ..errors import Advice, SourceError
from ..evidence import (
    CutCharacters,
    IncompleteRecord,
    Note,
    SourceChanged,
)
from ..layouts.base import Tally
from ..plan.model import Decisions
from .decided import decided
from .preparing import Reading

TABLES = ("query", "page", "feed", "frame")
"""Layouts that are no text."""


def receipt_of(
    reading: Reading,
    cells: Sequence[CellCounts],
    rows: int,
    began: float,
    with_variables: bool = True,
) -> Receipt:
    """What was read, how, and what became of it. `began` is when, by the performance counter.

    Without `with_variables`, nothing is said of how variables were decided.
    """
    found, tally = reading.found, reading.tally
    if found.source.has_changed():
        note_changed(reading)
    unread = tally.surplus or any(each.problems for each in reading.columns)
    problems = _problems(reading) if unread else NO_PROBLEMS
    return Receipt(
        source=found.source.name,
        bytes=tally.bytes,
        layout=found.plan.layout or "delimited",
        encoding=found.layout.encoding,
        settings=settings_of(found.plan),
        lines=tally.lines,
        parts=dict(tally.parts),
        rows=rows,
        cells=tuple(cells),
        compression=found.source.compression,
        skipped_rows=tuple(tally.skipped_rows.first),
        blank_rows=tuple(tally.blank_rows.first),
        short_rows=tuple(tally.short.first),
        short=tally.short.count,
        trailing=tally.trailing,
        surplus=len(tally.surplus),
        not_kept=reading.not_kept,
        stopped=tally.stopped,
        decided=tuple(decided(reading, with_variables)),
        notes=(
            *reading.notes,
            *(_notes(tally) if tally.incomplete or tally.cut_characters else ()),
        ),
        record_types=dict(tally.record_types.most_common()),
        characters=tally.characters,
        covered=tally.covered,
        uncovered=tally.uncovered,
        problem_count=len(problems) if unread else 0,
        seconds=time.perf_counter() - began,
        problems=problems,
        fingerprint=found.source.fingerprint(),
        row_offsets=tuple(tally.offsets),
        key=tuple(found.headings[each] for each in found.layout.key),
        case_names=tuple(reading.case_names.items()),
    )


def note_changed(reading: Reading) -> None:
    """Note that the file was changed while it was read. Raises `SourceError` unless told so."""
    found = reading.found
    if found.plan.changing == "refuse":
        raise SourceError(
            f"{found.source.name}: was changed while it was read; read it again once it is whole",
            Advice("to take what was there, use {}", 'changing="take"', "--changing take"),
        )
    reading.notes.append(SourceChanged(name=found.source.name))


def _problems(reading: Reading) -> Problems:
    """Text beyond the last column, then the cells that could not be read."""
    parts: list[tuple[str, str, Any, pa.Array]] = [
        (column.variable.name, base(column.search.rule.kind), rows, texts)
        for column in reading.columns
        for rows, texts in column.problems
    ]
    surplus = reading.tally.surplus
    if surplus:
        rows, texts = [row for row, _ in surplus], kernels.strings([text for _, text in surplus])
        parts.insert(0, ("", "", rows, texts))
    return Problems(parts)


def _notes(tally: Tally) -> list[Note]:
    """What else there is to say of fixed columns."""
    notes: list[Note] = []
    if tally.incomplete:
        row, lacking = tally.incomplete
        notes.append(IncompleteRecord(row=row, lacking=lacking))
    if tally.cut_characters:
        notes.append(CutCharacters(cells=tally.cut_characters))
    return notes


def settings_of(plan: Decisions) -> dict[str, str]:
    """How lines were cut and numbers read: the options that were in force, as the plan has them."""
    section, rows = plan.delimited, plan.rows
    if plan.layout == "sheet":
        settings = {"sheet": str(plan.sheet.sheet), "range": str(plan.sheet.range)}
    elif plan.layout == "fixed":
        settings = _fixed_settings(plan)
    elif plan.layout in TABLES:
        settings = {key: str(value) for key, value in msgspec.to_builtins(plan.table).items()}
        if plan.layout != "page":
            return settings
    else:
        settings = {"delimiter": section.delimiter or ""}
    marks = ("quote", "escape", "comment", "grouping", "decimal")
    for part in marks if plan.layout != "sheet" else ():
        if getattr(section, part):
            settings[part] = getattr(section, part)
    if section.trim:
        settings["trim"] = str(section.trim)
    settings["names"] = ", ".join(map(str, rows.names or ()))
    settings["data"] = rows.data or "1.."
    if rows.closing:
        settings["closing"] = rows.closing
    return settings


def _fixed_settings(plan: Decisions) -> dict[str, str]:
    fixed = plan.fixed
    settings = {"fields": str(len(plan.fields or ()))}
    for option in ("lines_per_record", "record_length", "tabs"):
        if getattr(fixed, option):
            settings[option] = str(getattr(fixed, option))
    if fixed.positions == "bytes":
        settings["positions"] = fixed.positions
    if fixed.record_type:
        kind = fixed.record_type
        settings["record_type"] = f"{kind.start}-{kind.end}={kind.take}"
    return settings
