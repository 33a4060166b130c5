"""The receipt of a reading, put together from what was counted on the way."""

from __future__ import annotations

from collections.abc import Sequence

from .evidence import Evidence, Example
from .kernels import reference as kernels
from .plan import Plan
from .reading import Reading, Slot, final_kind, problems_of
from .receipt import CellCounts, Problems, Receipt


def receipt_of(reading: Reading, cells: Sequence[CellCounts], rows: int, seconds: float) -> Receipt:
    """What was read, how, and what became of it."""
    settled, tally = reading.settled, reading.tally
    parts = [part for slot in reading.slots for part in problems_of(slot)]
    surplus = [row for row, _ in tally.surplus]
    texts = kernels.strings([text for _, text in tally.surplus])
    problems = Problems([("", "stands beyond the last column", surplus, texts), *parts])
    return Receipt(
        source=settled.source.name,
        bytes=tally.bytes,
        layout="delimited",
        encoding=settled.layout.encoding,
        settings=settings_of(settled.plan),
        lines=tally.lines,
        parts=dict(tally.parts),
        rows=rows,
        cells=tuple(cells),
        compression=settled.source.compression,
        skipped_rows=tuple(tally.skipped_rows.first),
        blank_rows=tuple(tally.blank_rows.first),
        short_rows=tuple(tally.short.first),
        short=tally.short.count,
        trailing=tally.trailing,
        surplus=len(tally.surplus),
        not_kept=reading.not_kept,
        stopped=tally.stopped,
        decided=(*settled.evidence, *(each for slot in reading.slots for each in found(slot))),
        notes=tuple(reading.notes),
        problem_count=len(problems),
        seconds=seconds,
        problems=problems,
    )


def settings_of(plan: Plan) -> dict[str, str]:
    """How lines were cut and numbers read, as words."""
    from .words import mark_words

    section, rows = plan.delimited, plan.rows
    settings = {"delimiter": mark_words(section.delimiter or "none")}
    for part in ("quote", "escape", "comment", "grouping", "decimal"):
        if getattr(section, part):
            settings[part] = mark_words(getattr(section, part))
    if section.trim:
        settings["trim"] = str(section.trim)
    settings["names"] = ", ".join(map(str, rows.names or ())) or "none"
    settings["data"] = rows.data or "1.."
    return settings


def found(slot: Slot) -> list[Evidence]:
    """What was decided about one variable without being asked."""
    finder, name = slot.finder, slot.variable.name
    subject = f"variable.{name}"
    evidence = []
    marks = {mark: count for mark, count in _marks(slot).items() if count}
    if not finder.declared:
        evidence += _type_evidence(slot, subject)
    if marks:
        listed = ", ".join(f'"{mark}" ×{count:,}' for mark, count in marks.items())
        evidence.append(
            Evidence(subject, "missing", f"{listed} taken as missing", sum(marks.values()))
        )
    if finder.inexact:
        evidence.append(
            Evidence(
                subject,
                "number",
                f"{finder.inexact:,} numbers have more digits than a binary number can hold",
                finder.inexact,
                certain=False,
            )
        )
    return evidence


def _marks(slot: Slot) -> dict[str, int]:
    from .convert.rule import MARKS

    if final_kind(slot) in ("text", "category"):
        return {}
    counts = slot.finder.mark_counts
    return {mark: int(count) for mark, count in zip(MARKS, counts, strict=True)}


def _type_evidence(slot: Slot, subject: str) -> list[Evidence]:
    """Why the type is what it is; of plain text there is nothing to say."""
    finder, kind = slot.finder, final_kind(slot)
    name = {"zoned": "datetime with zone, kept in UTC"}.get(kind, kind)
    if kind != "text":
        wide = ", some integers do not fit 64 bits" if finder.wide else ""
        count = finder.fitting
        return [Evidence(subject, name, f"all {count:,} cells with a value{wide}", count)]
    obstacles = finder.obstacles
    if obstacles is None or not obstacles.count:
        return []
    total = obstacles.count + obstacles.fitting
    ranked = sorted(obstacles.texts.items(), key=lambda item: -item[1][0])
    listed = ", ".join(f'"{text}" ×{count:,}' for text, (count, _) in ranked[:3])
    more = f" and {len(ranked) - 3:,} other texts" if len(ranked) > 3 else ""
    rival = {"zoned": "datetime", "integer": "number"}.get(obstacles.kind, obstacles.kind)
    examples = [Example(rows[0], text) for text, (_, rows) in ranked[:3]]
    codes = ", ".join(f'"{text}"' for text, _ in ranked[:3])
    reason = Evidence(
        subject,
        "text",
        f"because of {obstacles.count:,} of {total:,} cells: {listed}{more}",
        obstacles.fitting,
        obstacles.count,
        tuple(examples),
        (rival,),
        certain=False,
        mend=f'declare("{slot.variable.name}", type="{rival}", missing=[{codes}])',
    )
    return [reason]
