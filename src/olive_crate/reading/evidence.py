"""What was decided without being asked, gathered in the end: about the source and its variables."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from ..columns.candidates import base, form
from ..columns.outcome import Outcome
from ..columns.statistics import MANY_ODD, Obstacles
from ..evidence import (
    Evidence,
    Example,
    FormatFound,
    InexactNumbers,
    LeadingZeros,
    MarksTaken,
    Mend,
    MostlyUnreadable,
    RepeatedHeading,
    SuspectedCodes,
    TextBecause,
    TextCount,
    TypeFits,
    UncoveredPositions,
)
from .decimal_mark import proven
from .state import ColumnReader, Reading

MOSTLY = 0.2
"""If more than this share of its cells is unreadable, a declared type is in doubt."""
TEXTS_NAMED, CODES_OFFERED = 3, 8
"""Texts in the way of a type that are named, and that are offered as missing codes."""


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


MOST_ROWS = 20
"""Row numbers that are kept as examples."""


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
    """Well-known marks that were taken as missing."""
    if not outcome.marks:
        return []
    met = outcome.search.statistics.marks_met()
    marks = tuple(TextCount(mark, count) for mark, count in met.items())
    return [MarksTaken(value="missing", variable=name, marks=marks, supporting=sum(met.values()))]


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
        return [replace(fits, words=words, alternatives=("text",), certain=False)]
    others = search.candidates[1:]
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
