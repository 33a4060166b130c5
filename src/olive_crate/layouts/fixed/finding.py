"""Fixed columns found: their fields, how lines make records, and which row plays which part."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import msgspec

from ...declaration.patterns import late
from ...errors import Advice, LayoutError, PlanError
from ...evidence import Evidence, FieldNamesFound, FieldsFound, RecordLength
from ...plan.fields import Field, FixedSection
from ...plan.model import Decisions, DelimitedSection, Rows
from ...sources.source import Sample, Source, is_multibyte, sample_of
from ..base import Before, Row, SourceLayout
from ..text.aligned import LooksAligned
from ..text.cells import headings_of
from ..text.closing import Tail
from ..text.completing import (
    block_size,
    cells_of_row,
    check_heading,
    heading_rows,
    no_delimiter,
    row_parts,
    shapes_at_head,
    with_closing,
    with_marks,
)
from ..text.decoding import find_encoding
from .aligned_text import aligned_evidence, aligned_fields
from .borders import borders
from .breaks import FoundFields, find_fields, words_over
from .layout import FixedLayout
from .preview import preview
from .sample_lines import SampleLines

LOOKED_AT = 200
"""Records at the head that are cut into fields."""
LOOKED_FOR_HEADING = 10
"""Rows at the top in which the names of declared fields are looked for."""
WORD = late(r"\w")


class _Head(msgspec.Struct, frozen=True):
    """The rows at the head, and what they tell."""

    rows: list[Row]
    parts: Rows
    last: int | None
    """The last row of data; negative from the end."""
    heading: list[Row]
    section: DelimitedSection
    shapes: Counter[str] | None


def find_fixed(source: Source, plan: Decisions, before: Before) -> SourceLayout:
    """Complete a plan for a fixed layout. Raises `LayoutError` where the plan cannot hold."""
    no_delimiter(plan, f"{source.name}: is read by fixed fields")
    sample, evidence = sample_of(source, before.thorough), list[Evidence]()
    encoding = plan.source.encoding
    if encoding is None:
        known = find_encoding(sample, before.around)
        evidence.append(known)
        encoding = known.value
    return _found(plan, before, sample, encoding, evidence, None)


def find_aligned(given: LooksAligned) -> SourceLayout | None:
    """The layout of text aligned by blanks; `None` where a delimiter explains it as well."""
    found = aligned_fields(given.text, given.delimiter)
    if found is None:
        return None
    plan = given.plan
    evidence: list[Evidence] = [] if given.encoding is None else [given.encoding]
    encoding = plan.source.encoding or (given.encoding.value if given.encoding else "")
    evidence.append(aligned_evidence(found, given.delimiter))
    return _found(plan, given.before, given.sample, encoding, evidence, found)


def _found(
    plan: Decisions,
    before: Before,
    sample: Sample,
    encoding: str,
    evidence: list[Evidence],
    found: FoundFields | None,
) -> SourceLayout:
    in_bytes = plan.fixed.positions == "bytes"
    if in_bytes and encoding.lower().startswith(("utf-16", "utf-32", "utf_16", "utf_32")):
        raise PlanError(f'positions = "bytes" does not work with {encoding}; use "characters"')
    text = SampleLines.text_of(sample, encoding)
    length = _record_length(sample, plan, text, evidence)
    lines = SampleLines(sample, encoding, length, text)
    fields, found = _fields(plan, lines, evidence, found)
    per_record = _lines_per_record(plan.fixed, fields)
    cutter = _Cutter(fields, encoding if in_bytes and is_multibyte(encoding) else None, in_bytes)
    head = _head(plan, before, lines, cutter, found, per_record, evidence)
    shown = lines.of_type(lines.body(head.parts), plan.fixed.record_type)
    evidence += borders(fields, shown, per_record)
    names = _names(plan, head, fields, sample.source)
    layout = FixedLayout(
        encoding=encoding,
        fields=fields,
        lines=per_record,
        length=length,
        in_bytes=in_bytes,
        tabs=plan.fixed.tabs,
        record=plan.fixed.record_type,
        comment=(head.section.comment or "").encode("utf-8"),
        heading=heading_rows(head.parts),
        first=head.parts.first or 1,
        last=head.last,
        left_out=head.parts.left_out or (),
        limit=plan.limit,
        block=block_size(max((len(line) for line in lines.head), default=0) + 1),
        longest=plan.limits.record,
    )
    complete = _complete(plan, layout, head, names)
    return SourceLayout(
        sample.source,
        complete,
        layout,
        names,
        cells_of_row(head.rows, head.parts.units, len(fields)),
        cells_of_row(head.rows, head.parts.labels, len(fields)),
        tuple(evidence),
        lambda cases: preview(lines, complete, layout, found, cases),
        head.shapes,
    )


def _head(
    plan: Decisions,
    before: Before,
    lines: SampleLines,
    cutter: _Cutter,
    found: FoundFields | None,
    per_record: int,
    evidence: list[Evidence],
) -> _Head:
    """The parts of rows and the marks of numbers, as the head shows them."""
    fields = cutter.fields
    shown = enumerate(lines.head[: LOOKED_AT * per_record], 1)
    rows = [_row(number, line, cutter, found) for number, line in shown]
    parts = _row_parts(plan, rows, fields, found, per_record, evidence)
    check_heading(lines.sample.source, parts, rows, lines.sample)
    heading = [row for row in rows if row.number in (parts.names or ())]
    last = plan.rows.last
    if per_record == 1 and (found is not None or plan.rows.closing == "skip"):
        tail = _tail(lines, cutter, found, parts.first or 1)
        parts, last = with_closing(plan.rows, parts, tail, len(fields), evidence)
    section, shapes = plan.delimited, None
    if section.decimal is None:
        filled = [row for row in rows if any(row.cells)]
        met = before.shapes
        if met is None:
            met = shapes = shapes_at_head(filled, parts, len(fields))
        section = with_marks(section, met, evidence)
    return _Head(rows, parts, last, heading, section, shapes)


def _row(number: int, line: str, cutter: _Cutter, found: FoundFields | None) -> Row:
    """A line cut into the fields; prose stays in one piece."""
    heads = found is not None and number in (found.heading, (found.heading or 0) - 1)
    if found is None or not found.by_blanks:
        return Row(number, cutter.cells(line))
    if heads:
        return Row(number, tuple(words_over(line, [(f.start - 1, f.end) for f in cutter.fields])))
    above = 0 < number < found.top and bool(line.strip())  # negative: counted from the end
    if above or found.runs_through(line):
        return Row(number, (line.strip(),), runs_on=True)
    return Row(number, cutter.cells(line))


def _tail(lines: SampleLines, cutter: _Cutter, found: FoundFields | None, first: int) -> Tail:
    """The end of the source, cut into the fields; all of its rows, where it was read whole."""
    held = lines.tail(LOOKED_AT)
    rows = [_row(number, line, cutter, found) for number, line in held]
    last = held[-1][0] if held else -1
    if not lines.sample.is_whole:
        return Tail(rows, last)

    def whole() -> list[Row]:
        every = lines.head[first - 1 :]
        return [_row(number, line, cutter, found) for number, line in enumerate(every, first)]

    return Tail([row for row in rows if row.number >= first], last, whole)


def _names(
    plan: Decisions, head: _Head, fields: Sequence[Field], source: Source
) -> tuple[str, ...]:
    """The names of the fields: those given, else their own, else those of the heading."""
    names = tuple(field.name for field in fields)
    if plan.names is None and all(names):
        return names
    found = headings_of(plan, head.heading, len(fields), source)
    return tuple(
        given if plan.names is not None else own or given
        for own, given in zip(names, found, strict=True)
    )


def _complete(plan: Decisions, layout: FixedLayout, head: _Head, names: Sequence[str]) -> Decisions:
    """The plan with all that was found."""
    replace = msgspec.structs.replace
    fixed = replace(
        plan.fixed,
        fields=None,
        lines_per_record=layout.lines if layout.lines > 1 else None,
        record_length=layout.length,
    )
    return replace(
        plan,
        source=replace(plan.source, encoding=layout.encoding),
        delimited=head.section,
        fixed=fixed,
        fields=tuple(
            replace(field, name=name) for field, name in zip(layout.fields, names, strict=True)
        ),
        names=None,
        rows=head.parts,
        layout="fixed",
    )


class _Cutter:
    """Cuts a line of the sample into the texts of the fields."""

    def __init__(self, fields: Sequence[Field], codec: str | None, in_bytes: bool) -> None:
        self.fields, self.codec = fields, codec or ("utf-8" if in_bytes else None)

    def cells(self, line: str) -> tuple[str, ...]:
        """The text of each field; all fields are cut from this one line."""
        if self.codec is None or line.isascii():
            return tuple(line[each.start - 1 : each.end].strip() for each in self.fields)
        data = line.encode(self.codec, "replace")
        return tuple(
            data[each.start - 1 : each.end].decode(self.codec, "replace").strip()
            for each in self.fields
        )


def _record_length(
    sample: Sample, plan: Decisions, text: str, evidence: list[Evidence]
) -> int | None:
    """Characters of a record, where no line ends stand between records."""
    given = plan.fixed.record_length
    records = text.rstrip("\r\n\x1a")
    if "\n" in records or "\r" in records or not records:
        return None
    if given is not None:
        return given
    if plan.fields is None or text.endswith(("\n", "\r")):
        return None
    reach = max(field.end for field in plan.fields)
    size = len(records)
    if size <= reach:
        return None
    if sample.is_whole and size % reach:
        raise LayoutError(
            f"{sample.source.name}: no line ends, and {size:,} characters are not a multiple of "
            f"the {reach} positions of the fields",
            Advice("set the length of a record with {}", "record_length", "--record-length"),
        )
    evidence.append(RecordLength(value=str(reach), certain=sample.is_whole))
    return reach


def _fields(
    plan: Decisions, lines: SampleLines, evidence: list[Evidence], found: FoundFields | None
) -> tuple[tuple[Field, ...], FoundFields | None]:
    """The declared fields of the record type that is read, or those that are found."""
    if plan.fields is not None:
        return _declared_fields(plan.fields, plan.fixed), None
    if found is None:
        found = find_fields([*lines.head[:1000], *lines.further[:1000]])
    if not found.fields:
        raise LayoutError("no fields in blank lines", Advice("set {}", "fields", "--fields"))
    evidence.append(_fields_evidence(found))
    return found.fields, found


def _declared_fields(fields: Sequence[Field], section: FixedSection) -> tuple[Field, ...]:
    """The declared fields of the record type that is read."""
    record = section.record_type
    chosen = tuple(
        field
        for field in fields
        if field.record is None or (record is not None and field.record == record.take)
    )
    if not chosen:
        kinds = sorted({field.record for field in fields if field.record})
        raise PlanError(
            f"fields: no field belongs to the record type read; there are {', '.join(kinds)}",
            Advice("set {}", "record_type (start, end, take)", "--record-type 1-2=TYPE"),
        )
    return chosen


def _fields_evidence(found: FoundFields) -> FieldsFound:
    """What speaks for the fields that were found."""
    counts = Counter(each.why for each in found.breaks)
    weakest = min((each.score for each in found.breaks), default=1.0)
    certain = weakest >= 0.9 and found.by_blanks and bool(found.breaks)
    return FieldsFound(
        value=str(len(found.fields)),
        rows=found.rows,
        by_blanks=counts["blank"],
        by_heading=counts["heading"],
        by_change=counts["change"],
        supporting=found.rows,
        alternatives=() if certain else tuple(str(e.after) for e in found.alternatives[:5]),
        certain=certain,
    )


def _lines_per_record(section: FixedSection, fields: Sequence[Field]) -> int:
    needed = max(field.line for field in fields)
    given = section.lines_per_record
    if given is not None and given < needed:
        raise PlanError(f"lines_per_record = {given}, but a field is in line {needed}")
    return given or needed


def _row_parts(
    plan: Decisions,
    rows: Sequence[Row],
    fields: Sequence[Field],
    found: FoundFields | None,
    per_record: int,
    evidence: list[Evidence],
) -> Rows:
    """Which row plays which part; declared fields have a heading only if a row repeats them."""
    parts = plan.rows
    if found is not None and per_record == 1:
        worded = [row for row in rows if WORD.search("".join(row.cells))]
        return row_parts(parts, worded, len(fields), evidence)
    if parts.names is None:
        upto = max(1, parts.first - 1) if parts.first else LOOKED_FOR_HEADING
        heading = _names_again(rows[:upto], fields)
        evidence += [] if heading is None else [heading]
        names = () if heading is None else (int(heading.value),)
        parts = msgspec.structs.replace(parts, names=names)
    if parts.data is None:
        parts = msgspec.structs.replace(parts, data=f"{max((0, *heading_rows(parts))) + 1}..")
    return parts


def _names_again(rows: Sequence[Row], fields: Sequence[Field]) -> FieldNamesFound | None:
    """The row that holds most of the names of the fields, as far as they fit."""
    names = [field.name.casefold() for field in fields]
    for row in rows:
        alike = sum(
            bool(cell) and cell.casefold() == name[: len(cell)]
            for cell, name in zip(row.cells, names, strict=True)
        )
        if alike > 0.5 * len(names) and len(names) > 1:
            return FieldNamesFound(value=str(row.number), names=len(names), supporting=alike)
    return None
