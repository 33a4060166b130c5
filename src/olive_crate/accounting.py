"""The receipt of a reading, put together from what was counted on the way."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from . import kernels
from .convert.finding import MANY_ODD
from .convert.kinds import base, form
from .evidence import Evidence, Example
from .finishing import (
    final_kind,
)
from .numerals import proven
from .plan import Plan
from .reading import (
    Reading,
    Slot,
    problems_of,
)
from .receipt import CellCounts, Problems, Receipt
from .words import mark_words, row_list, several


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
        layout=settled.plan.layout or "delimited",
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
        decided=tuple(decided(reading)),
        notes=(*reading.notes, *_fixed_notes(reading)),
        record_types=dict(tally.record_types.most_common()),
        characters=tally.characters,
        covered=tally.covered,
        uncovered=tally.uncovered,
        problem_count=len(problems),
        seconds=seconds,
        problems=problems,
    )


def decided(reading: Reading) -> list[Evidence]:
    """What was decided without being asked, about the source and its variables."""
    evidence = proven(reading)
    evidence += _outside(reading)
    repeated = reading.tally.repeated
    if repeated.count:
        rows = row_list(repeated.first, repeated.count)
        skipped = reading.settled.layout.skip_repeated
        if skipped:
            claim = f"the heading stands again in {rows}, left out as asked"
        else:
            claim = f"the heading stands again in {rows}, read as data"
        evidence.append(
            Evidence(
                "rows.repeated",
                "skip" if skipped else "keep",
                claim,
                repeated.count,
                certain=skipped,
                mend="" if skipped else 'rows={"repeated": "skip"}',
            )
        )
    return evidence + _shared([each for slot in reading.slots for each in found(slot)])


def _shared(evidence: list[Evidence]) -> list[Evidence]:
    """Suspected codes that several variables have in common say so."""
    codes = {
        each.subject.partition(".")[2]: set(each.value.split(", "))
        for each in evidence
        if each.alternatives == ("missing",)
    }
    told = []
    for each in evidence:
        name = each.subject.partition(".")[2]
        others = [
            other
            for other, values in codes.items()
            if each.alternatives == ("missing",) and other != name and values & codes[name]
        ]
        if others:
            shown = ", ".join(others[:2]) + (" …" if len(others) > 2 else "")
            each = msgspec.structs.replace(each, claim=f"{each.claim}; alike in {shown}")
        told.append(each)
    return told


def _outside(reading: Reading) -> list[Evidence]:
    """Positions that no field covers and that hold something all the same."""
    told = []
    for (line, first, end), rows in reading.tally.outside.items():
        where = f"{first}-{end}" if end else f"{first} and beyond"
        of_line = f" of line {line}" if (reading.settled.plan.fixed.lines_per_case or 1) > 1 else ""
        claim = f"no field covers them, but {several(rows.count, 'row')} hold something there: "
        claim += row_list(rows.first, rows.count)
        told.append(
            Evidence(
                "fixed.uncovered",
                where + of_line,
                claim,
                against=rows.count,
                certain=False,
            )
        )
    return told


def _fixed_notes(reading: Reading) -> list[str]:
    """What else is to be said of a fixed layout."""
    tally, notes = reading.tally, []
    if tally.incomplete:
        row, lack = tally.incomplete
        notes.append(
            f"the last case, from row {row:,}, lacks {several(lack, 'line')}: taken as blank"
        )
    if tally.cut_characters:
        cells = several(tally.cut_characters, "cell")
        notes.append(f"positions in bytes cut a character in {cells}: it belongs to neither side")
    return notes


def settings_of(plan: Plan) -> dict[str, str]:
    """How lines were cut and numbers read, as words."""
    section, rows = plan.delimited, plan.rows
    if plan.layout == "sheet":
        settings = {"sheet": str(plan.sheet.sheet), "range": str(plan.sheet.range)}
    elif plan.layout == "fixed":
        settings = _fixed_settings(plan)
    else:
        settings = {"delimiter": mark_words(section.delimiter or "none")}
    marks = ("quote", "escape", "comment", "grouping", "decimal")
    for part in marks if plan.layout != "sheet" else ():
        if getattr(section, part):
            settings[part] = mark_words(getattr(section, part))
    if section.trim:
        settings["trim"] = str(section.trim)
    settings["names"] = ", ".join(map(str, rows.names or ())) or "none"
    settings["data"] = rows.data or "1.."
    return settings


def _fixed_settings(plan: Plan) -> dict[str, str]:
    fixed = plan.fixed
    settings = {"fields": str(len(plan.fields or ()))}
    if fixed.lines_per_case:
        settings["lines per case"] = str(fixed.lines_per_case)
    if fixed.record_length:
        settings["record length"] = str(fixed.record_length)
    if fixed.positions == "bytes":
        settings["positions"] = "in bytes"
    if fixed.tabs:
        settings["tabs"] = f"to every {fixed.tabs} positions"
    if fixed.record_type:
        kind = fixed.record_type
        settings["record type"] = f'"{kind.take}" at {kind.start}-{kind.end}'
    return settings


def found(slot: Slot) -> list[Evidence]:
    """What was decided about one variable without being asked."""
    finder, name = slot.finder, slot.variable.name
    subject = f"variable.{name}"
    evidence = []
    marks = {mark: count for mark, count in _marks(slot).items() if count}
    if not finder.declared:
        evidence += _type_evidence(slot, subject)
    elif finder.wanted and form(final_kind(slot)):
        evidence.append(_written_evidence(slot, subject))
    if marks:
        listed = ", ".join(f'"{mark}" ×{count:,}' for mark, count in marks.items())
        evidence.append(
            Evidence(subject, "missing", f"{listed} taken as missing", sum(marks.values()))
        )
    suggested = "" if finder.declared or slot.variable.level else _level(slot)
    if suggested:
        level, _, why = suggested.partition(": ")
        evidence.append(Evidence(f"level.{name}", level, f"{level}? {why}"))
    unread = sum(len(rows) for rows, _ in slot.problems)
    if finder.declared and unread > 0.2 * max(1, finder.taken):
        claim = f"{unread:,} of {finder.taken:,} cells cannot be taken so; is the type still right?"
        evidence.append(
            Evidence(subject, base(final_kind(slot)), claim, against=unread, certain=False)
        )
    evidence += _suspect_evidence(slot, subject)
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


def _level(slot: Slot) -> str:
    """The level that all blocks together suggest; a text with obstacles is no text by intent."""
    finder = slot.finder
    return "" if finder.obstacles else finder.scale.suggested(base(final_kind(slot)), finder.watch)


def _marks(slot: Slot) -> dict[str, int]:
    from .convert.rule import MARKS

    if final_kind(slot) in ("text", "category"):
        return {}
    counts = slot.finder.mark_counts
    return {mark: int(count) for mark, count in zip(MARKS, counts, strict=True)}


def _suspect_evidence(slot: Slot, subject: str) -> list[Evidence]:
    """Numbers that stand apart and have the look of a missing code."""
    watch = slot.finder.watch
    suspects = watch.suspects()
    if not suspects:
        return []
    listed = ", ".join(f"{each.value:g} ×{each.count:,}" for each in suspects)
    values = ", ".join(f"{each.value:g}" for each in suspects)
    one, away = len(suspects) == 1, min(each.away for each in suspects)
    return [
        Evidence(
            subject,
            values,
            f"{listed} far from {watch.low:g} … {watch.high:g} "
            f"({away:,.{0 if away >= 10 else 1}f} times that range), "
            f"like {'a missing code' if one else 'missing codes'}",
            sum(each.count for each in suspects),
            alternatives=("missing",),
            certain=False,
            mend=f'declare("{slot.variable.name}", missing=[{values}])',
        )
    ]


def _type_evidence(slot: Slot, subject: str) -> list[Evidence]:
    """Why the type is what it is; of plain text there is nothing to say."""
    finder, kind = slot.finder, final_kind(slot)
    if base(kind) == "text":
        return _text_evidence(slot, subject)
    claim = f"all {finder.fitting:,} cells with a value"
    written = form(kind)
    name = f"{base(kind)}{f' {written}' if written else ''}"
    if kind == "zoned":
        claim += ", kept in UTC"
    if finder.wide:
        claim += ", some integers do not fit 64 bits"
    if base(kind) == "boolean" and finder.told:
        return [Evidence(subject, "boolean", claim, finder.fitting)]
    if base(kind) == "boolean" and written:
        name, claim = "boolean", f"{claim} are {written.replace('|', ' or ')}"
        others: tuple[str, ...] = ("text",)
        return [Evidence(subject, name, claim, finder.fitting, alternatives=others, certain=False)]
    others = tuple(f"{base(each)} {form(each)}" for each in finder.alive[1:])
    mend = ""
    if others:
        claim += "; no day above 12 tells the day from the month"
        mend = f'declare("{slot.variable.name}", format="{form(finder.alive[1])}")'
    if written and "%y" in written:
        claim += "; years of two digits, 69 to 99 taken as 19.."
        others += ("text",)
    return [
        Evidence(
            subject,
            name,
            claim,
            finder.fitting,
            alternatives=others,
            certain=not others,
            mend=mend,
        )
    ]


def _written_evidence(slot: Slot, subject: str) -> Evidence:
    """How the cells of a declared date or time are written."""
    finder, kind = slot.finder, final_kind(slot)
    claim = f"{finder.taken - finder.misses.get(kind, 0):,} cells are written so"
    others = tuple(f"{base(each)} {form(each)}" for each in finder.alive if each != kind)
    mend = ""
    if others:
        claim += "; no day above 12 tells the day from the month"
        mend = f'declare("{slot.variable.name}", format="{form(finder.alive[1])}")'
    return Evidence(
        subject,
        f"{base(kind)} {form(kind)}",
        claim,
        finder.taken,
        alternatives=others,
        certain=not others,
        mend=mend,
    )


def _text_evidence(slot: Slot, subject: str) -> list[Evidence]:
    """Why a column that is mostly something else is text."""
    obstacles = slot.finder.obstacles
    if slot.finder.zeros:
        claim = "digits with zeros in front, as in postal codes; kept as they are written"
        return [Evidence(subject, "text", claim, alternatives=("integer",))]
    if obstacles is None or not 0 < obstacles.count <= obstacles.fitting + MANY_ODD:
        return []
    total = obstacles.count + obstacles.fitting
    ranked = sorted(obstacles.texts.items(), key=lambda item: -item[1][0])
    listed = ", ".join(_obstacle(text, *met) for text, met in ranked[:3])
    more = f" and {len(ranked) - 3:,} other texts" if len(ranked) > 3 else ""
    kind = "number" if obstacles.kind == "integer" else obstacles.kind
    written = f', format="{form(kind)}"' if form(kind) else ""
    codes = ", ".join(f'"{text}"' for text, _ in ranked[:8])
    typed = f'"{slot.variable.name}", type="{base(kind)}"{written}'
    return [
        Evidence(
            subject,
            "text",
            f"because of {obstacles.count:,} of {total:,} cells: {listed}{more}",
            obstacles.fitting,
            obstacles.count,
            tuple(Example(rows[0], text) for text, (_, rows) in ranked[:3]),
            (base(kind),),
            certain=False,
            mend=f"declare({typed}, missing=[{codes}])",
        )
    ]


def _obstacle(text: str, count: int, rows: list[int]) -> str:
    """A text in the way, how often, and in which rows: `"n.d." ×5 (rows 12, 88, 104 …)`."""
    listed = ", ".join(map(str, rows))
    more = " …" if count > len(rows) else ""
    return f'"{text}" ×{count:,} (row{"s" * (count > 1)} {listed}{more})'
