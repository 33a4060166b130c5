"""The receipt of a read, put together from what was counted; and the evidence for its decisions."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import Any

import pyarrow as pa
from msgspec.structs import replace

from .. import kernels
from ..columns.outcome import Outcome
from ..columns.rule import base, form
from ..columns.statistics import MANY_ODD, Obstacles
from ..dataset.receipt import NO_PROBLEMS, CellCounts, Problems, Receipt
from ..errors import Advice, SourceError
from ..evidence import (
    CutCharacters,
    Evidence,
    Example,
    FormatFound,
    IncompleteRecord,
    InexactNumbers,
    LeadingZeros,
    MarksKept,
    MarksTaken,
    Mend,
    MostlyUnreadable,
    Note,
    OnlyMarks,
    RepeatedHeading,
    SourceChanged,
    SuspectedCodes,
    TextBecause,
    TextCount,
    TypeFits,
    UncoveredPositions,
)
from ..plan.model import Decisions
from .preparing import ColumnReader, Reading
from .single_pass import proven

MOSTLY = 0.2
"""If more than this share of its cells is unreadable, a declared type is in doubt."""
TEXTS_NAMED, CODES_OFFERED = 3, 8
"""Texts in the way of a type that are named, and that are offered as missing codes."""
MOST_ROWS = 20
"""Row numbers that are kept as examples."""


def receipt_of(reading: Reading, cells: Sequence[CellCounts], rows: int, began: float) -> Receipt:
    """What was read, how, and what became of it. `began` is when, by the performance counter."""
    found, tally = reading.found, reading.tally
    refuse_changed(reading)
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
        problem_count=len(problems) if problems is not NO_PROBLEMS else 0,
        seconds=time.perf_counter() - began,
        problems=problems,
    )


def refuse_changed(reading: Reading) -> None:
    """Raise `SourceError` for a file that was changed while it was read, or note it if told so."""
    found = reading.found
    if not found.source.has_changed():
        return
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
    return Problems(parts) if parts else NO_PROBLEMS


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


def decided(reading: Reading) -> list[Evidence]:
    """What was decided without being asked, about the source and its variables."""
    evidence = [*proven(reading), *_uncovered(reading), *_repeated(reading)]
    about = [each for column in reading.columns for each in _about(column)]
    return evidence + _with_others(about)


def _repeated(reading: Reading) -> list[Evidence]:
    """The heading, where it occurs again within the data."""
    repeated = reading.tally.repeated
    if not repeated.count:
        return []
    skipped = reading.found.layout.skip_repeated
    return [
        RepeatedHeading(
            value="skip" if skipped else "keep",
            rows=tuple(repeated.first[:MOST_ROWS]),
            supporting=repeated.count,
            certain=skipped,
            mend=None if skipped else Mend({"rows": {"repeated": "skip"}}),
        )
    ]


def _uncovered(reading: Reading) -> list[Evidence]:
    """Positions that no field covers and that hold something all the same."""
    several = (reading.found.plan.fixed.lines_per_record or 1) > 1
    return [
        UncoveredPositions(
            value=f"{first}-{end or ''}",
            first=first,
            end=end,
            line=line if several else 0,
            rows=tuple(rows.first[:MOST_ROWS]),
            against=rows.count,
            certain=False,
        )
        for (line, first, end), rows in reading.tally.outside.items()
    ]


def _with_others(evidence: list[Evidence]) -> list[Evidence]:
    """Suspected codes that several variables have in common say so."""
    codes = {
        each.variable: {suspect.value for suspect in each.suspects}
        for each in evidence
        if isinstance(each, SuspectedCodes)
    }
    made = []
    for each in evidence:
        if isinstance(each, SuspectedCodes):
            also = tuple(
                name
                for name, values in codes.items()
                if name != each.variable and values & codes[each.variable]
            )
            each = replace(each, also=also)
        made.append(each)
    return made


def _about(column: ColumnReader) -> list[Evidence]:
    """What was decided about one variable without being asked."""
    outcome, search = column.outcome(), column.search
    name, counts = column.variable.name, search.statistics
    evidence: list[Evidence] = []
    if not search.is_declared:
        evidence += _type_evidence(outcome, name)
    elif column.variable.format is None and form(outcome.kind):
        evidence.append(_format_evidence(outcome, name))
    evidence += _marks(outcome, name)
    if not search.is_declared and not column.variable.level and not counts.obstacles:
        level = counts.scale.suggested(name, base(outcome.kind), counts.watch)
        evidence += [] if level is None else [level]
    unread = sum(len(rows) for rows, _ in column.problems)
    if search.is_declared and unread > MOSTLY * max(1, counts.taken):
        kind = base(outcome.kind)
        evidence.append(
            MostlyUnreadable(
                value=kind, variable=name, cells=counts.taken, against=unread, certain=False
            )
        )
    evidence += _suspects(outcome, name)
    if counts.inexact:
        evidence.append(
            InexactNumbers(value="number", variable=name, supporting=counts.inexact, certain=False)
        )
    return evidence


def _marks(outcome: Outcome, name: str) -> list[Evidence]:
    """Well-known marks that were taken as missing, or kept as the text that they are."""
    if not outcome.marks:
        return _marks_kept(outcome, name)
    met = outcome.search.statistics.marks_met()
    marks = tuple(TextCount(mark, count) for mark, count in met.items())
    return [MarksTaken(value="missing", variable=name, marks=marks, supporting=sum(met.values()))]


def _marks_kept(outcome: Outcome, name: str) -> list[Evidence]:
    """Well-known marks in a column of words, or alone in theirs."""
    counts = outcome.search.statistics
    kept = counts.marks_kept()
    if not kept or outcome.search.is_declared or counts.obstacles:
        return []
    marks = tuple(TextCount(mark, count) for mark, count in kept.items())
    total = sum(kept.values())
    only = counts.holds_only_marks
    mend = Mend({"missing": list(kept)}, name)
    kind = OnlyMarks if only else MarksKept
    return [
        kind(
            value="text",
            variable=name,
            marks=marks,
            supporting=total,
            certain=False,
            alternatives=("missing",),
            mend=mend,
        )
    ]


def _suspects(outcome: Outcome, name: str) -> list[Evidence]:
    """Numbers that stand apart and have the look of a missing code."""
    watch = outcome.search.statistics.watch
    suspects = watch.suspects()
    if not suspects:
        return []
    codes = [_plain(each.value) for each in suspects]
    return [
        SuspectedCodes(
            value=", ".join(f"{each:g}" for each in codes),
            variable=name,
            suspects=tuple(suspects),
            low=watch.low,
            high=watch.high,
            supporting=sum(each.count for each in suspects),
            alternatives=("missing",),
            certain=False,
            mend=Mend({"missing": codes}, name),
        )
    ]


def _plain(number: float) -> int | float:
    return int(number) if number.is_integer() else number


def _type_evidence(outcome: Outcome, name: str) -> list[Evidence]:
    """Why the type is what it is; of plain text there is nothing to say."""
    search, kind = outcome.search, outcome.kind
    if base(kind) == "text":
        return _text_evidence(outcome, name)
    counts, written = search.statistics, form(kind) or ""
    fits = TypeFits(value=base(kind), variable=name, supporting=counts.fitting)
    if base(kind) == "boolean":
        if search.by_source or not written:
            return [fits]
        words = tuple(written.split("|"))
        return [replace(fits, words=words)]
    if base(kind) == "number" and written:
        return [replace(fits, unit=written)]
    others = search.final_candidates()[1:]
    mend = Mend({"format": form(others[0])}, name) if others else None
    short_years = "%y" in written
    return [
        replace(
            fits,
            format=written,
            zoned=kind == "zoned",
            wide=counts.wide,
            short_years=short_years,
            alternatives=(*(_named(each) for each in others), *["text"] * short_years),
            certain=not (others or short_years),
            mend=mend,
        )
    ]


def _named(kind: str) -> str:
    """A kind as a type and how it is written: `date %m/%d/%Y`."""
    return f"{base(kind)} {form(kind)}" if form(kind) else base(kind)


def _format_evidence(outcome: Outcome, name: str) -> Evidence:
    """How the cells of a declared date or time are written."""
    kind, search = outcome.kind, outcome.search
    misses = search.misses.get(kind, 0)
    others = tuple(each for each in search.candidates if each != kind)
    return FormatFound(
        value=base(kind),
        variable=name,
        format=form(kind) or "",
        cells=search.statistics.taken - misses,
        supporting=search.statistics.taken,
        alternatives=tuple(map(_named, others)),
        certain=not others,
        mend=Mend({"format": form(others[0])}, name) if others else None,
    )


def _text_evidence(outcome: Outcome, name: str) -> list[Evidence]:
    """Why a column that is mostly something else is text."""
    counts = outcome.search.statistics
    if counts.leading_zeros:
        return [LeadingZeros(value="text", variable=name, alternatives=("integer",))]
    obstacles = counts.obstacles
    if obstacles is None or not 0 < obstacles.count <= obstacles.fitting + MANY_ODD:
        return []
    ranked = _ranked(obstacles)
    kind = "number" if obstacles.kind == "integer" else obstacles.kind
    parts: dict[str, Any] = {"type": base(kind)} | ({"format": form(kind)} if form(kind) else {})
    parts["missing"] = [each.text for each in ranked[:CODES_OFFERED]]
    named = ranked[:TEXTS_NAMED]
    return [
        TextBecause(
            value="text",
            variable=name,
            texts=tuple(named),
            others=len(ranked) - len(named),
            supporting=obstacles.fitting,
            against=obstacles.count,
            examples=tuple(Example(each.rows[0], each.text) for each in named),
            alternatives=(base(kind),),
            certain=False,
            mend=Mend(parts, name),
        )
    ]


def _ranked(obstacles: Obstacles) -> list[TextCount]:
    """The texts in the way, the commonest first."""
    ranked = sorted(obstacles.texts.items(), key=lambda item: -item[1][0])
    return [TextCount(text, count, tuple(rows)) for text, (count, rows) in ranked]
