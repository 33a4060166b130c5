"""A fixed layout, settled: its fields, how its lines make cases, and which row plays which part."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec

from ..errors import LayoutError, PlanError
from ..evidence import Evidence
from ..fields import Field
from ..plan import Plan
from ..records.encoding import decoded, is_ebcdic, is_multibyte
from ..records.fixedspans import FixedLayout
from ..rowspart import Rows
from ..sources import Source
from .borders import borders
from .breaks import (
    Found,
    find_fields,
)
from .encoding import find_encoding
from .heading import Row
from .names import headings_of
from .roles import (
    block_size,
    cells_of_row,
    check_heading,
    heading_rows,
    row_parts,
    shapes_at_head,
    with_last,
    with_marks,
    without_mark,
)
from .sample import Sample

if TYPE_CHECKING:
    from .settle import Settled

LOOKED_AT = 200
WORD = re.compile(r"\w")


def settle_fixed(
    source: Source,
    plan: Plan,
    sample: Sample,
    around: bytes = b"",
    shapes: Counter[str] | None = None,
    evidence: list[Evidence] | None = None,
    found: Found | None = None,
) -> Settled:
    """Complete a plan for a fixed layout. Raises `LayoutError` where the plan cannot hold."""
    from .settle import Settled, no_delimiter

    if plan.layout == "fixed":
        no_delimiter(plan, f"{source.name}: is read by fixed fields")
    evidence = [] if evidence is None else evidence
    encoding = plan.source.encoding
    if encoding is None:
        known = next((each for each in evidence if each.subject == "source.encoding"), None)
        if known is None:
            known = find_encoding(sample, around)
            evidence.append(known)
        encoding = known.value
    in_bytes = plan.fixed.positions == "bytes"
    if in_bytes and encoding.lower().startswith(("utf-16", "utf-32", "utf_16", "utf_32")):
        raise PlanError(f'positions = "bytes" cannot be counted in {encoding}; use "characters"')
    text = head_text(sample, encoding)
    length = _record_length(source, plan, sample, text, encoding, evidence)
    lines = _lines_of(text, length, sample.is_whole)
    further = _further_lines(sample, encoding, length)
    fields, found = _fields(plan, lines, further, evidence, found)
    per_case = _lines_per_case(plan, fields)
    positions = _Cutter(fields, encoding if in_bytes and is_multibyte(encoding) else None, in_bytes)
    rows = [
        Row(number, positions.cells(line))
        for number, line in enumerate(lines[: LOOKED_AT * per_case], 1)
    ]
    parts = _row_parts(plan, rows, fields, found, per_case, evidence)
    check_heading(source, parts, rows, sample)
    heading = [row for row in rows if row.number in (parts.names or ())]
    tail = _tail_rows(sample, encoding, length, positions, lines)
    if plan.rows.data is None and tail and per_case == 1 and found is not None:
        parts = with_last(parts, tail, len(fields), evidence)
    section = plan.delimited
    met = shapes
    if section.decimal is None:
        if shapes is None:
            met = shapes_at_head([row for row in rows if any(row.cells)], parts, len(fields))
        section = with_marks(section, met or Counter(), evidence)
    shown = _of_type(plan, body_lines(lines, parts, further))
    evidence += borders(fields, shown, per_case)
    names = tuple(field.name for field in fields)
    if plan.names is not None or not all(names):
        found_names = headings_of(plan, heading, len(fields), source)
        names = tuple(
            given if plan.names is not None else own or given
            for own, given in zip(names, found_names, strict=True)
        )
    fixed = msgspec.structs.replace(
        plan.fixed,
        fields=None,
        lines_per_case=per_case if per_case > 1 else None,
        record_length=length,
    )
    complete = msgspec.structs.replace(
        plan,
        source=msgspec.structs.replace(plan.source, encoding=encoding),
        delimited=section,
        fixed=fixed,
        fields=tuple(
            msgspec.structs.replace(field, name=name)
            for field, name in zip(fields, names, strict=True)
        ),
        names=None,
        rows=parts,
        layout="fixed",
    )
    layout = FixedLayout(
        encoding=encoding,
        fields=fields,
        lines=per_case,
        length=length,
        in_bytes=in_bytes,
        tabs=plan.fixed.tabs,
        record=plan.fixed.record_type,
        comment=(section.comment or "").encode("utf-8"),
        heading=heading_rows(parts),
        first=parts.first or 1,
        last=parts.last,
        limit=plan.limit,
        block=block_size(max((len(line) for line in lines), default=0) + 1),
    )
    return Settled(
        source,
        complete,
        layout,
        names,
        cells_of_row(rows, parts.units, len(fields)),
        cells_of_row(rows, parts.labels, len(fields)),
        tuple(evidence),
        tuple(rows),
        met if shapes is None else None,
        found,
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


def head_text(sample: Sample, encoding: str) -> str:
    """The head of the source as text, with line ends of EBCDIC as others have them."""
    text = decoded(sample.head, encoding, sample.is_whole)
    return text.replace("\u0085", "\n") if is_ebcdic(encoding) else text


def _split(text: str) -> list[str]:
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    return lines[:-1] if lines and lines[-1] == "" else lines


def _lines_of(text: str, length: int | None, whole: bool) -> list[str]:
    """The lines, or records, at the head; a last one that is cut is left out."""
    if length:
        records = [text[at : at + length] for at in range(0, len(text), length)]
        return records if whole or len(records) < 2 else records[:-1]
    lines = _split(text)
    return lines if whole or len(lines) < 2 else lines[:-1]


def head_lines(sample: Sample, layout: FixedLayout) -> list[str]:
    """The lines, or records, at the head."""
    return _lines_of(head_text(sample, layout.encoding), layout.length, sample.is_whole)


def whole_lines(sample: Sample, layout: FixedLayout) -> bytes:
    """The head's bytes up to the end of its last whole line or record."""
    head = sample.head
    if sample.is_whole:
        return head
    if layout.length:
        return head[: len(head) - len(head) % layout.length] or head
    end = "\u0085" if is_ebcdic(layout.encoding) else "\n"
    cut = head.rfind(end.encode(layout.encoding, "replace"))
    return head[: cut + 1] if cut > 0 else head


def _further_lines(sample: Sample, encoding: str, length: int | None) -> list[str]:
    """Lines from the middle and the tail of a larger file."""
    if sample.is_whole or length or encoding.lower().startswith(("utf-16", "utf-32")):
        return []
    found: list[str] = []
    for piece in (sample.middle, sample.beyond_head):
        text = decoded(piece, without_mark(encoding, sample.head), True)
        found += _split(text)[1:-1]
    return found


def _record_length(
    source: Source,
    plan: Plan,
    sample: Sample,
    text: str,
    encoding: str,
    evidence: list[Evidence],
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
            f"{source.name}: no line ends, and {size:,} characters are not a multiple of the "
            f"{reach} positions of the fields; give record_length, the length of a record"
        )
    claim = "no line ends; as many positions as the fields take"
    evidence.append(Evidence("fixed.record_length", str(reach), claim, certain=sample.is_whole))
    return reach


def _fields(
    plan: Plan,
    lines: Sequence[str],
    further: Sequence[str],
    evidence: list[Evidence],
    found: Found | None,
) -> tuple[tuple[Field, ...], Found | None]:
    """The declared fields of the record type that is read, or those that are found."""
    if plan.fields is not None:
        record = plan.fixed.record_type
        chosen = tuple(
            field
            for field in plan.fields
            if field.record is None or (record is not None and field.record == record.take)
        )
        if not chosen:
            kinds = sorted({field.record for field in plan.fields if field.record})
            raise PlanError(
                f"fields: none is of the record type that is read; there are {', '.join(kinds)}; "
                "give record_type with start, end and take"
            )
        return chosen, None
    if found is None:
        found = find_fields([*lines[:1000], *further[:1000]])
    if not found.fields:
        raise LayoutError("no fields can be found in blank lines; give fields")
    evidence.append(fields_evidence(found))
    return found.fields, found


def fields_evidence(found: Found) -> Evidence:
    """What speaks for the fields that were found."""
    why = {
        "blank": "blank in all rows",
        "heading": "words of the heading",
        "change": "a change of characters",
    }
    counts = {key: sum(each.why == key for each in found.breaks) for key in why}
    listed = ", ".join(f"{count} by {why[key]}" for key, count in counts.items() if count)
    weakest = min((each.score for each in found.breaks), default=1.0)
    others = tuple(f"after {each.after}" for each in found.alternatives[:5])
    return Evidence(
        "fixed.fields",
        str(len(found.fields)),
        f"{len(found.breaks)} breaks in {found.rows:,} rows looked at: {listed or 'none'}",
        found.rows,
        alternatives=others,
        certain=weakest >= 0.9 and found.by_blanks,
    )


def _lines_per_case(plan: Plan, fields: Sequence[Field]) -> int:
    needed = max(field.line for field in fields)
    given = plan.fixed.lines_per_case
    if given is not None and given < needed:
        raise PlanError(f"lines_per_case = {given}, but a field stands in line {needed}")
    return given or needed


def _row_parts(
    plan: Plan,
    rows: Sequence[Row],
    fields: Sequence[Field],
    found: Found | None,
    per_case: int,
    evidence: list[Evidence],
) -> Rows:
    """Which row plays which part; declared fields have a heading only if a row repeats them."""
    parts = plan.rows
    if found is not None and per_case == 1:
        first = found.heading or 1
        worded = [row for row in rows if row.number >= first and WORD.search("".join(row.cells))]
        return row_parts(parts, worded, len(fields), evidence)
    if parts.names is None:
        names = [field.name.casefold() for field in fields]
        upto = parts.first or 10
        for row in rows[: max(1, upto - 1) if parts.first else 10]:
            alike = sum(
                bool(cell) and cell.casefold() == name[: len(cell)]
                for cell, name in zip(row.cells, names, strict=True)
            )
            if alike > 0.5 * len(names) and len(names) > 1:
                claim = f"{alike} of {len(names)} names of the fields stand in it"
                evidence.append(Evidence("rows.names", str(row.number), claim, alike))
                parts = msgspec.structs.replace(parts, names=(row.number,))
                break
        else:
            parts = msgspec.structs.replace(parts, names=())
    if parts.data is None:
        parts = msgspec.structs.replace(parts, data=f"{max((0, *heading_rows(parts))) + 1}..")
    return parts


def _tail_rows(
    sample: Sample, encoding: str, length: int | None, positions: _Cutter, lines: Sequence[str]
) -> list[Row]:
    if length or sample.tail is None or encoding.lower().startswith(("utf-16", "utf-32")):
        return []
    if sample.is_whole:
        shown = list(enumerate(lines, 1))[-LOOKED_AT:]
    else:
        text = decoded(sample.tail, without_mark(encoding, sample.head), True)
        shown = list(enumerate(_split(text)[1:], 1))[-LOOKED_AT:]
    rows = [Row(number, positions.cells(line)) for number, line in shown]
    return [row for row in rows if any(row.cells)]


def _of_type(plan: Plan, lines: list[str]) -> list[str]:
    """The lines of the record type that is read."""
    record = plan.fixed.record_type
    if record is None:
        return lines
    wanted = record.take.strip()
    return [line for line in lines if line[record.start - 1 : record.end].strip() == wanted]


def body_lines(lines: Sequence[str], parts: Rows, further: Sequence[str]) -> list[str]:
    """Lines of data, as far as they were looked at."""
    return [*lines[(parts.first or 1) - 1 : 1000], *further[:1000]]
