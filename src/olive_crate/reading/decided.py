"""What was decided without being asked: about the source, and about each of its variables."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Sequence

from msgspec.structs import replace

from ..columns.outcome import Outcome, writing_of
from ..columns.rule import base, form
from ..columns.statistics import MANY_ODD, Obstacles
from ..declaration.patterns import late
from ..declaration.settled import KEEP, Settled
from ..evidence import (
    CodesAsWritten,
    DecimalMark,
    Evidence,
    Example,
    FormatFound,
    GroupingMark,
    InexactNumbers,
    LeadingBlanks,
    LeadingZeros,
    MarksKept,
    MarksTaken,
    Mend,
    MostlyUnreadable,
    OnlyMarks,
    RepeatedHeading,
    SuspectedCodes,
    TextBecause,
    TextCount,
    TypeFits,
    UncoveredPositions,
)
from .preparing import ColumnReader, Reading

FLAGGED = late(r"[+-]?[\d.,]*\d[.,]?\s*([^\d\s.,+-]{1,3})")
"""A number with a sign of up to three characters behind it."""


MOSTLY = 0.2
"""If more than this share of its cells is unreadable, a declared type is in doubt."""


TEXTS_NAMED, CODES_OFFERED = 3, 8
"""Texts in the way of a type that are named, and that are offered as missing codes."""
MOST_ROWS = 20
"""Row numbers that are kept as examples."""
OTHERS_NAMED = 12
"""Other variables with the same suspected codes that are named."""


def decided(reading: Reading, with_variables: bool = True) -> list[Evidence]:
    """What was decided without being asked, about the source and its variables."""
    found, tally, with_rows = reading.found, reading.tally, reading.with_rows
    evidence = [
        each if tally.stopped or all(shown.row >= 0 for shown in each.examples) else with_rows(each)
        for each in (_proven(reading) if reading.proof is not None else found.evidence)
    ]
    evidence += _uncovered(reading) if tally.outside else []
    evidence += [_repeated(reading)] if tally.repeated.count else []
    if with_variables:
        about = [each for column in reading.columns for each in about_variable(column)]
        evidence += with_others(about) if SuspectedCodes in map(type, about) else about
    settled = found.plan.settled
    return without_settled(evidence, settled) if settled else evidence


def with_others(evidence: list[Evidence]) -> list[Evidence]:
    """Suspected codes that several variables have in common name the first ones."""
    suspected = [each for each in evidence if isinstance(each, SuspectedCodes)]
    having: dict[float, list[int]] = {}
    for place, each in enumerate(suspected):
        for suspect in each.suspects:
            having.setdefault(suspect.value, []).append(place)
    made, at = [], 0
    for one in evidence:
        if isinstance(one, SuspectedCodes):
            first = [having[suspect.value][: OTHERS_NAMED + 1] for suspect in one.suspects]
            places = sorted({*itertools.chain(*first)} - {at})[:OTHERS_NAMED]
            one = replace(one, also=tuple(suspected[place].variable for place in places))
            at += 1
        made.append(one)
    return made


def about_variable(column: ColumnReader) -> list[Evidence]:
    """What was decided about one variable without being asked."""
    outcome, search = column.outcome(), column.search
    name, counts = column.variable.name, search.statistics
    evidence: list[Evidence] = []
    if not search.is_declared:
        evidence += _type_evidence(outcome, name)
    elif column.variable.format is None and form(outcome.kind):
        evidence.append(_format_evidence(outcome, name))
    if counts.kept_counts or counts.mark_counts is not None:
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
    evidence += _written_codes(outcome, name) if counts.as_written else []
    evidence += _suspects(outcome, name) if counts.watch.counts else []
    if 0 < counts.led < counts.taken and base(outcome.kind) in ("text", "category"):
        evidence.append(
            LeadingBlanks(
                value="removed",
                variable=name,
                supporting=counts.led,
                cells=counts.taken,
                at_least=counts.led_unseen,
            )
        )
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


def _written_codes(outcome: Outcome, name: str) -> list[Evidence]:
    """Cells that are written as a code, but whose value has implied decimals."""
    implied = outcome.search.rule.implied
    return [
        CodesAsWritten(
            value=str(number / 10**implied),
            variable=name,
            code=f"{number:g}",
            number=number / 10**implied,
            supporting=count,
            examples=tuple(Example(row, f"{number:g}") for row in rows),
            alternatives=("missing",),
            certain=False,
            mend=Mend({"missing": [number / 10**implied]}, name),
        )
        for number, (count, rows) in outcome.search.statistics.as_written.items()
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
    value, fitting = base(kind), counts.fitting
    if value == "boolean" or (value == "number" and written):
        words = tuple(written.split("|")) if written and value == "boolean" else ()
        words = () if search.by_source else words
        unit = written if value == "number" else ""
        return [TypeFits(value=value, variable=name, supporting=fitting, words=words, unit=unit)]
    others = search.final_candidates()[1:]
    mend = Mend({"format": form(others[0])}, name) if others else None
    short_years = "%y" in written
    return [
        TypeFits(
            value=value,
            variable=name,
            supporting=fitting,
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
    others = tuple(each for each in search.final_candidates() if each != kind)
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
    parts = {"type": base(kind), **writing_of(outcome.declared, kind)}
    flags, codes = flagged(ranked) if base(kind) == "number" else ((), ranked)
    parts |= {"flags": list(flags)} if flags else {}
    parts |= {"missing": [each.text for each in codes[:CODES_OFFERED]]} if codes else {}
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


def flagged(texts: Sequence[TextCount]) -> tuple[tuple[str, ...], list[TextCount]]:
    """The signs behind numbers among these texts, the commonest first, and the other texts."""
    signs: Counter[str] = Counter()
    others = []
    for each in texts:
        match = FLAGGED.fullmatch(each.text)
        if match is None:
            others.append(each)
        else:
            signs[match[1]] += each.count
    return tuple(sign for sign, _ in signs.most_common()), others


def _ranked(obstacles: Obstacles) -> list[TextCount]:
    """The texts in the way, the commonest first."""
    ranked = sorted(obstacles.texts.items(), key=lambda item: -item[1][0])
    return [TextCount(text, count, tuple(rows)) for text, (count, rows) in ranked]


def _repeated(reading: Reading) -> Evidence:
    """The heading occurs again within the data."""
    repeated = reading.tally.repeated
    skipped = reading.found.layout.skip_repeated
    return RepeatedHeading(
        value="skip" if skipped else "keep",
        rows=tuple(repeated.first[:MOST_ROWS]),
        supporting=repeated.count,
        certain=skipped,
        mend=None if skipped else Mend({"rows": {"repeated": "skip"}}),
    )


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


def _proven(reading: Reading) -> list[Evidence]:
    """The evidence about the source, with the number that shows which mark is which."""
    settled = {
        "proven": True,
        "supporting": 1,
        "examples": (reading.proof,),
        "certain": True,
        "alternatives": (),
    }
    return [
        replace(each, **settled) if isinstance(each, (DecimalMark, GroupingMark)) else each
        for each in reading.found.evidence
    ]


def without_settled(evidence: list[Evidence], settled: tuple[Settled, ...]) -> list[Evidence]:
    """The evidence, with what a plan has settled marked as answered."""
    if not settled:
        return evidence
    known = set(settled)
    return [
        replace(each, answered=True)
        if not each.certain
        and not known.isdisjoint(
            Settled(each.about, each.variable, answer) for answer in (each.value, KEEP)
        )
        else each
        for each in evidence
    ]
