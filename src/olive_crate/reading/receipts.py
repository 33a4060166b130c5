"""The receipt of a read, put together from what was counted on the way."""

from __future__ import annotations

import time
from collections.abc import Sequence

import pyarrow as pa

from .. import kernels
from ..columns.candidates import base
from ..dataset.receipt import CellCounts, Problems, Receipt
from ..evidence import CutCharacters, IncompleteRecord, Note
from ..kernels.types import Ints
from ..plan.model import Decisions
from .evidence import decided
from .state import ColumnReader, Reading


def receipt_of(reading: Reading, cells: Sequence[CellCounts], rows: int, began: float) -> Receipt:
    """What was read, how, and what became of it. `began` is when, by the performance counter."""
    found, tally = reading.found, reading.tally
    problems = _problems(reading)
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
        decided=tuple(decided(reading)),
        notes=(*reading.notes, *_notes(reading)),
        record_types=dict(tally.record_types.most_common()),
        characters=tally.characters,
        covered=tally.covered,
        uncovered=tally.uncovered,
        problem_count=len(problems),
        seconds=time.perf_counter() - began,
        problems=problems,
    )


def _problems(reading: Reading) -> Problems:
    """Text beyond the last column, then the cells that could not be read."""
    surplus = reading.tally.surplus
    rows, texts = [row for row, _ in surplus], kernels.strings([text for _, text in surplus])
    parts = [part for column in reading.columns for part in _problems_of(column)]
    return Problems([("", "", rows, texts), *parts])


def _problems_of(column: ColumnReader) -> list[tuple[str, str, Ints, pa.Array]]:
    kind = base(column.search.rule.kind)
    return [(column.variable.name, kind, rows, texts) for rows, texts in column.problems]


def _notes(reading: Reading) -> list[Note]:
    """What else there is to say of fixed columns."""
    tally, notes = reading.tally, list[Note]()
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
