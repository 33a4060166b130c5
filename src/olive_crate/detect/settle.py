"""Everything that has to be known before the records can be read, settled.

What the plan says holds; what it leaves open is found from the head, the middle and the tail of the
source, each with its evidence. The result is a complete plan, so that a second read needs no
finding at all.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import msgspec

from ..errors import PlanError
from ..evidence import Evidence
from ..kernels.reference import Marks
from ..plan import DelimitedSection, Plan
from ..records.cutting import Layout
from ..records.encoding import decoded
from ..records.fixedspans import FixedLayout
from ..rowspart import Rows
from ..sources import Source
from .breaks import Found
from .delimiter import find_delimiter, with_delimiter
from .encoding import find_encoding
from .ends import head_rows, tail_rows
from .heading import Row
from .names import headings_of
from .quotes import find_comment, find_escape, find_quote
from .roles import (
    as_utf8,
    block_size,
    cells_of_row,
    check_declared_marks,
    check_heading,
    heading_rows,
    last_heading,
    row_parts,
    shapes_at_head,
    with_last,
    with_marks,
    without_mark,
)
from .sample import Sample

if TYPE_CHECKING:
    from ..records.sheet import SheetLayout

ALIGNED_ROWS = 1000
GROUPING = 0.95
"""A delimiter of which more than this share stand between groups of digits only groups them."""
WEAK = 0.9
"""A delimiter that cuts a smaller share of the rows alike may be none."""


class Settled(msgspec.Struct, frozen=True, eq=False):
    """A source, how to read it, and what its columns are called."""

    source: Source
    plan: Plan
    layout: Layout | FixedLayout | SheetLayout
    headings: tuple[str, ...]
    units: tuple[str, ...]
    labels: tuple[str, ...]
    evidence: tuple[Evidence, ...]
    rows: tuple[Row, ...] = ()
    """The rows at the head, as they are cut."""
    shapes: Counter[str] | None = None
    """How the numbers at the head are written, where the decimal mark is not declared."""
    found: Found | None = None
    """The fields of a fixed layout, where they were found and not declared."""
    workbook: Any = None
    """What a workbook holds beside the sheet that is read."""


def settle(
    source: Source,
    plan: Plan,
    thorough: bool = True,
    around: bytes = b"",
    shapes: Counter[str] | None = None,
) -> Settled:
    """Complete the plan for this source. Raises `LayoutError` where the plan cannot hold.

    `around` are bytes that an encoding found by the head could not read, and `shapes` how numbers
    are written that the marks found by the head do not fit: what an earlier pass has met.
    """
    check_declared_marks(plan.delimited)
    if source.workbook is not None:
        from .sheet import settle_sheet

        _only_sheet(source, plan)
        return settle_sheet(source, plan, thorough)
    _no_sheet(source, plan)
    sample = Sample(source, thorough)
    if plan.layout == "fixed" or plan.fields is not None:
        from .fixed import settle_fixed

        return settle_fixed(source, plan, sample, around, shapes)
    evidence: list[Evidence] = []
    encoding = plan.source.encoding
    if encoding is None:
        found = find_encoding(sample, around)
        evidence.append(found)
        encoding = found.value
    text = as_utf8(sample.head, encoding, sample.is_whole)
    delimited, marks = _cutting(plan.delimited, text, sample, encoding, evidence)
    if plan.layout is None and plan.delimited.delimiter is None:
        aligned = _aligned(text, delimited, evidence)
        if aligned is not None:
            from .fixed import settle_fixed

            known = [each for each in evidence if each.subject == "source.encoding"]
            known.append(_aligned_evidence(aligned))
            return settle_fixed(source, plan, sample, around, shapes, known, aligned)
    rows = head_rows(text, sample.is_whole, marks, plan.rows)
    usual = _usual_fields(rows)
    parts = row_parts(plan.rows, rows, usual, evidence)
    heading = [row for row in rows if row.number in (parts.names or ())]
    check_heading(source, parts, rows, sample)
    fields = _columns(rows, heading, usual)
    if plan.rows.data is None:
        parts = _with_last(parts, sample, encoding, marks, fields, evidence)
    met = shapes
    if delimited.decimal is None and shapes is None:
        met = shapes_at_head(rows, parts, fields)
    if delimited.decimal is None:
        delimited = with_marks(delimited, met or Counter(), evidence)
    filled = any(row.filled or len(row.cells) > 1 for row in rows)
    headings = headings_of(plan, heading, fields, source) if filled or plan.names else ()
    complete = msgspec.structs.replace(
        plan,
        source=msgspec.structs.replace(plan.source, encoding=encoding),
        delimited=delimited,
        rows=parts,
        layout="delimited",
    )
    layout = Layout(
        encoding=encoding,
        marks=marks,
        fields=fields,
        heading=heading_rows(parts),
        names=last_heading(parts, rows),
        skip_repeated=parts.repeated == "skip",
        skip=min([*heading_rows(parts), parts.first or 1]) - 1,
        first=parts.first or 1,
        last=parts.last,
        limit=plan.limit,
        block=block_size(len(text) // max(1, text.count(b"\n"), text.count(b"\r"))),
    )
    return Settled(
        source,
        complete,
        layout,
        headings,
        cells_of_row(rows, parts.units, fields),
        cells_of_row(rows, parts.labels, fields),
        tuple(evidence),
        tuple(rows),
        met if shapes is None else None,
    )


def _only_sheet(source: Source, plan: Plan) -> None:
    """Raise `PlanError` where a plan for text meets a workbook."""
    if plan.layout not in (None, "sheet") or plan.fields is not None:
        raise PlanError(f'{source.name}: is a workbook; its layout is "sheet"')
    no_delimiter(plan, f"{source.name}: is a workbook")


def no_delimiter(plan: Plan, why: str) -> None:
    """Raise `PlanError` for parts of the delimited section that nothing else has."""
    for part in ("delimiter", "quote", "escape"):
        if getattr(plan.delimited, part):
            raise PlanError(f"{why}, so it has no {part}; leave it out")


def _no_sheet(source: Source, plan: Plan) -> None:
    """Raise `PlanError` where a plan for a workbook meets text."""
    if plan.layout == "sheet" or plan.sheet.sheet is not None or plan.sheet.range is not None:
        raise PlanError(f"{source.name}: is no workbook, so it has no sheet or range")


def _aligned(
    text: bytes, delimited: DelimitedSection, evidence: Sequence[Evidence]
) -> Found | None:
    """Fields aligned by blanks, where no delimiter cuts all rows alike."""
    by = next((each for each in evidence if each.subject == "delimited.delimiter"), None)
    cut, missed = (by.supporting or 0, by.against) if by is not None else (0, 1)
    by_mark = delimited.delimiter not in ("", "blanks")
    clear = cut >= (WEAK if by_mark else 1.0) * (cut + missed)
    if delimited.delimiter and clear and not (by_mark and _groups_digits(text, delimited)):
        return None
    lines = text.decode("utf-8", "replace").splitlines()[:ALIGNED_ROWS]
    if not any(b"  " in line.strip() for line in text.splitlines()[:ALIGNED_ROWS]):
        return None
    from .breaks import find_fields

    found = find_fields(lines)
    filled = sum(bool(line.strip()) for line in lines)
    enough = found.rows >= 4 and found.rows > 0.6 * filled
    return found if enough and found.by_blanks and len(found.fields) > 1 + by_mark else None


def _groups_digits(text: bytes, delimited: DelimitedSection) -> bool:
    """Does this delimiter stand between digits only, with three behind it, as a grouping mark?"""
    mark = (delimited.delimiter or "").encode()
    known = re.escape(mark)
    grouping = re.compile(known + rb"(?<=\d" + known + rb")(?=\d{3}(?!\d))")
    few = GROUPING * text.count(mark)
    start = text[: text.rfind(b"\n", 0, len(text) // 16) + 1]
    if start.count(mark) - len(grouping.findall(start)) >= text.count(mark) - few:
        return False  # the rest cannot make up for it
    return len(grouping.findall(text)) > few


def _aligned_evidence(found: Found) -> Evidence:
    return Evidence(
        "layout",
        "fixed",
        f"the same positions are blank in {found.rows:,} rows looked at, and no delimiter cuts "
        "them alike",
        found.rows,
        alternatives=("delimited",),
        certain=False,
    )


def _cutting(
    section: DelimitedSection,
    text: bytes,
    sample: Sample,
    encoding: str,
    evidence: list[Evidence],
) -> tuple[DelimitedSection, Marks]:
    """The delimited section completed, and the marks it makes."""
    whole = sample.is_whole
    pieces = [text, *_further_lines(sample, encoding)]
    quote = _decided(section.quote, find_quote(pieces), evidence, '"')
    escape = _decided(section.escape, find_escape(pieces, quote), evidence, "")
    marks = Marks(
        b",",
        quote=ord(quote) if quote else 0,
        escape=ord(escape) if escape else 0,
        comment=(section.comment or "").encode("utf-8"),
        skip_blanks=section.trim in (True, "left"),
    )
    delimiter = section.delimiter
    if delimiter is None:
        found = find_delimiter(text, whole, marks, pieces[1:])
        evidence.append(found)
        delimiter = found.value
    marks = with_delimiter(marks, delimiter)
    comment = section.comment
    if comment is None:
        comment = _decided(None, find_comment(pieces, marks), evidence, "")
        marks = msgspec.structs.replace(marks, comment=comment.encode("utf-8"))
    _distinct(delimiter, quote, escape)
    complete = msgspec.structs.replace(
        section,
        delimiter=delimiter,
        quote=quote,
        escape=escape or section.escape,
        comment=comment or section.comment,
    )
    return complete, marks


def _further_lines(sample: Sample, encoding: str) -> list[bytes]:
    """Whole lines from the middle and the end of a file that was not read whole."""
    if sample.is_whole:
        return []
    size = sample.source.size or 0
    starts = (size // 2, size - len(sample.beyond_head))
    encoding = without_mark(encoding, sample.head)
    pieces = []
    for piece, start in zip((sample.middle, sample.beyond_head), starts, strict=True):
        text = decoded(piece[-start % 4 :], encoding).encode("utf-8", "replace")
        whole = _whole_lines(text)
        pieces += [whole] if whole else []
    return pieces


def _whole_lines(text: bytes) -> bytes:
    """The text without its first and its last line, which may not be all there."""
    if b"\r" in text:
        return b"".join(text.splitlines(keepends=True)[1:-1])
    return text[text.find(b"\n") + 1 : text.rfind(b"\n", 0, -1) + 1]


def _decided(
    given: str | None, found: Evidence | None, evidence: list[Evidence], usual: str
) -> str:
    """What the plan says, else what was found, else what is usual."""
    if given is not None or found is None:
        return usual if given is None else given
    evidence.append(found)
    return found.value


def _distinct(delimiter: str, quote: str, escape: str) -> None:
    for name, mark in (("quote", quote), ("escape", escape)):
        if mark and mark in delimiter and delimiter != "blanks":
            raise PlanError(f"delimiter and {name} cannot both hold {mark!r}")


def _usual_fields(rows: Sequence[Row]) -> int:
    counts = [len(row.cells) for row in rows if len(row.cells) > 1]
    if not counts:
        return 1
    return max(set(counts), key=lambda count: (counts.count(count), count))


def _columns(rows: Sequence[Row], heading: Sequence[Row], usual: int) -> int:
    """As many columns as the heading has words, or more if most rows have more fields."""
    if not heading:
        return usual
    named = max(len(row.cells) for row in heading)
    data = [row for row in rows if row.number > heading[-1].number and len(row.cells) > 1]
    wider = sum(len(row.cells) == usual for row in data)
    return max(named, usual) if 2 * wider > len(data) else named


def _with_last(
    parts: Rows,
    sample: Sample,
    encoding: str,
    marks: Marks,
    fields: int,
    evidence: list[Evidence],
) -> Rows:
    tail = sample.tail
    if tail is None:
        return parts
    first = parts.first or 1
    rows = tail_rows(sample, tail, encoding, marks)
    if sample.is_whole:
        rows = [row for row in rows if row.number >= first]
    return with_last(parts, rows, fields, evidence)
