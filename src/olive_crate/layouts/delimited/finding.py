"""Delimited text found: its encoding, what cuts lines into fields, and which row plays which part.

What the plan says holds; what it leaves open is found from the head, the middle and the tail of the
source, each with its evidence. The result is a complete plan, so that a second read needs no
finding at all.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

import msgspec

from ...errors import PlanError
from ...evidence import BlanksFollow, DelimiterFound, EndNotSeen, Evidence
from ...kernels.types import Dialect
from ...plan.model import Decisions, DelimitedSection, Rows
from ...sources.source import LINE_ENDS, Sample, Source, decoded, sample_of
from ..base import Before, Row, SourceLayout
from ..text.aligned import LooksAligned
from ..text.cells import headings_of
from ..text.closing import Tail
from ..text.completing import (
    block_size,
    cells_of_row,
    check_heading,
    heading_rows,
    row_parts,
    shapes_at_head,
    with_closing,
    with_marks,
    without_mark,
)
from ..text.decoding import find_encoding
from ..text.foreign import BEFORE_TEXT, FOREIGN_BEGINNINGS, refuse_foreign
from .cutting import too_wide
from .dialect import (
    CANDIDATES,
    blanks_follow,
    explains_rows,
    find_comment,
    find_delimiter,
    find_escape,
    find_quote,
    with_delimiter,
)
from .preview import preview
from .reading import DelimitedLayout
from .sample_rows import LOOKED_AT, CutText, head_rows, tail_rows, usual_fields

Otherwise = Callable[[LooksAligned], SourceLayout | None]
"""Gives the layout of text that only looks delimited."""


def find_delimited(
    source: Source, plan: Decisions, before: Before, otherwise: Otherwise | None = None
) -> SourceLayout:
    """Complete the plan for this source. Raises `LayoutError` where the plan cannot hold."""
    sample = sample_of(source, before.thorough)
    evidence: list[Evidence] = []
    known = None if plan.source.encoding else find_encoding(sample, before.around)
    if known is not None:
        evidence.append(known)
    encoding = plan.source.encoding or (known.value if known else "")
    text = sample.utf8(encoding)
    if not sample.is_whole and b"\n" not in text and b"\r" not in text:
        _refuse_endless(text, sample, plan)
    is_open = plan.layout is None and plan.delimited.delimiter is None
    if is_open and text.lstrip(BEFORE_TEXT)[:1] in FOREIGN_BEGINNINGS:
        refuse_foreign(text, sample.is_whole, source.name)
    cutting = _cutting(plan.delimited, text, sample, encoding, evidence)
    mark = cutting.found if plan.layout is None else None
    if mark is not None and otherwise is not None and not explains_rows(text, mark):
        aligned = otherwise(LooksAligned(source, plan, before, sample, text, known, mark))
        if aligned is not None:
            return aligned
    rows = _head(plan, sample, text, cutting, before, evidence)
    return _complete(plan, sample, cutting, rows, evidence)


def _refuse_endless(text: bytes, sample: Sample, plan: Decisions) -> None:
    """Raise `SourceError` for a first line that does not end and has too many fields already."""
    given = plan.delimited.delimiter
    marks = CANDIDATES if given is None else (given,)
    fields = max(text.count(each.encode()) for each in marks if each) + 1 if any(marks) else 1
    if fields > plan.limits.fields:
        raise too_wide(sample.source.name, fields, plan.limits, "the first line")


class _Cutting(msgspec.Struct, frozen=True):
    """How lines are cut into fields."""

    section: DelimitedSection
    dialect: Dialect
    found: DelimiterFound | None
    """Evidence for the delimiter; `None` where the plan says it."""
    encoding: str


class _Head(msgspec.Struct, frozen=True):
    """The rows at the head, and what they tell."""

    rows: list[Row]
    parts: Rows
    last: int | None
    """The last row of data; negative from the end."""
    heading: list[Row]
    fields: int
    section: DelimitedSection
    shapes: Counter[str] | None
    """How numbers are written, where that was looked at here."""
    of_row: int
    """About how many bytes a row takes."""


def _cutting(
    section: DelimitedSection,
    text: bytes,
    sample: Sample,
    encoding: str,
    evidence: list[Evidence],
) -> _Cutting:
    """The delimited section completed, and the dialect it makes."""
    pieces = [text] if sample.is_whole else [text, *_further_lines(sample, encoding)]
    quote = _decided(section.quote, find_quote(pieces), evidence, '"')
    escape = section.escape or ""
    if section.escape is None and quote and any(b"\\" in piece for piece in pieces):
        escape = _decided(None, find_escape(pieces, quote), evidence, "")
    dialect = Dialect(
        b",",
        quote=ord(quote) if quote else 0,
        escape=ord(escape) if escape else 0,
        comment=(section.comment or "").encode("utf-8"),
        skip_blanks=section.trim in (True, "left"),
    )
    comment = section.comment
    if comment is None:
        comment = _decided(None, find_comment(pieces, sample.is_whole, dialect), evidence, "")
        dialect = msgspec.structs.replace(dialect, comment=comment.encode("utf-8"))
    found = None
    if section.delimiter is None:
        found = find_delimiter(text, sample.is_whole, dialect, pieces[1:])
        evidence.append(found)
    delimiter = section.delimiter if found is None else found.value
    dialect = with_delimiter(dialect, delimiter or "")
    for name, mark in (("quote", quote), ("escape", escape)):
        if mark and mark in (delimiter or "") and delimiter != "blanks":
            raise PlanError(f"delimiter and {name} cannot both hold {mark!r}")
    trim = section.trim
    if trim is None and found is not None and blanks_follow(text, found.value, dialect):
        trim = True
        evidence.append(BlanksFollow(value="true", delimiter=found.value))
        dialect = msgspec.structs.replace(dialect, skip_blanks=True)
    complete = msgspec.structs.replace(
        section,
        trim=trim,
        delimiter=delimiter,
        quote=quote,
        escape=escape or section.escape,
        comment=comment or section.comment,
    )
    return _Cutting(complete, dialect, found, encoding)


def _further_lines(sample: Sample, encoding: str) -> list[bytes]:
    """Whole lines from the middle and the end of a file that was not read whole."""
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


def _head(
    plan: Decisions,
    sample: Sample,
    text: bytes,
    cutting: _Cutting,
    before: Before,
    evidence: list[Evidence],
) -> _Head:
    """The parts of rows, the columns, and the marks of numbers, as the head shows them."""
    rows, cut = head_rows(text, cutting.dialect, plan.rows)
    widest = max((len(row.cells) for row in rows), default=0)
    if widest > plan.limits.fields:
        raise too_wide(sample.source.name, widest, plan.limits)
    usual = usual_fields(rows)
    given = plan.rows
    if given.names and plan.variables:
        rows, given = _where_they_stand(plan, sample, text, cutting.dialect, rows, evidence)
    parts = row_parts(given, rows, usual, evidence)
    heading = [row for row in rows if row.number in (parts.names or ())]
    if given.names or given.labels or given.units:
        check_heading(sample.source, parts, rows, sample)
    fields = _columns(rows, heading, usual)
    tail = _tail(sample, cutting, cut, parts.first or 1)
    if tail is None:
        evidence += [EndNotSeen()] if given.last is None else []
        last = given.last
    else:
        parts, last = with_closing(given, parts, tail, fields, evidence)
    section, shapes = cutting.section, None
    if section.decimal is None:
        met = shapes_at_head(rows, parts, fields) if before.shapes is None else before.shapes
        shapes = met if before.shapes is None else None
        section = with_marks(section, met, evidence)
    ends = len(cut.found.heads) if cut.is_whole else max(map(text.count, LINE_ENDS))
    of_row = len(text) // max(1, ends)
    return _Head(rows, parts, last, heading, fields, section, shapes, of_row)


def _where_they_stand(
    plan: Decisions,
    sample: Sample,
    text: bytes,
    marks: Dialect,
    rows: list[Row],
    evidence: list[Evidence],
) -> tuple[list[Row], Rows]:
    """The rows, and the plan's rows moved to where the names of its variables stand."""
    from ..text.moved import moved

    given, found = moved(plan, rows, usual_fields(rows), sample.source)
    if found is None:  # they may stand above the row that is declared
        every, _ = head_rows(text, marks, Rows())
        given, found = moved(plan, every, usual_fields(every), sample.source)
        rows = rows if found is None else every
    evidence += [] if found is None else [found]
    return rows, given


def _complete(
    plan: Decisions,
    sample: Sample,
    cutting: _Cutting,
    head: _Head,
    evidence: list[Evidence],
) -> SourceLayout:
    """The complete plan and the layout."""
    rows, parts, fields = head.rows, head.parts, head.fields
    source, encoding = sample.source, cutting.encoding
    filled = any(row.filled or len(row.cells) > 1 for row in rows)
    headings = headings_of(plan, head.heading, fields, source) if filled or plan.names else ()
    complete = msgspec.structs.replace(
        plan,
        source=msgspec.structs.replace(plan.source, encoding=encoding),
        delimited=head.section,
        rows=parts,
        layout="delimited",
    )
    first, last = parts.first or 1, head.heading[-1].cells if head.heading else ()
    layout = DelimitedLayout(
        encoding=encoding,
        dialect=cutting.dialect,
        fields=fields,
        heading=heading_rows(parts),
        names=tuple(cell.encode("utf-8") for cell in last),
        skip_repeated=parts.repeated == "skip",
        skip=min([*heading_rows(parts), first]) - 1,
        first=first,
        last=head.last,
        left_out=parts.left_out or (),
        limit=plan.limit,
        block=block_size(head.of_row),
        limits=plan.limits,
    )
    return SourceLayout(
        source,
        complete,
        layout,
        headings,
        cells_of_row(rows, parts.units, fields) if parts.units else ("",) * fields,
        cells_of_row(rows, parts.labels, fields) if parts.labels else ("",) * fields,
        tuple(evidence),
        lambda cases: preview(sample, complete, layout, cases),
        head.shapes,
    )


def _columns(rows: Sequence[Row], heading: Sequence[Row], usual: int) -> int:
    """As many columns as the heading has words, or more if most rows have more fields."""
    if not heading:
        return usual
    named = max(len(row.cells) for row in heading)
    data = [row for row in rows if row.number > heading[-1].number and len(row.cells) > 1]
    wider = sum(len(row.cells) == usual for row in data)
    if named == usual - 1 and not any(row.cells[named:][-1:] > ("",) for row in data):
        return named  # each row ends with a delimiter
    return max(named, usual) if 2 * wider > len(data) else named


def _tail(sample: Sample, cutting: _Cutting, cut: CutText, first: int) -> Tail | None:
    """The end of the data, which begin in row `first`; `None` where the end was not seen."""
    if not sample.is_whole or not cut.is_whole:
        if sample.tail is None:
            return None
        rows, last = tail_rows(sample, sample.tail, cutting.encoding, cutting.dialect)
        if sample.is_whole:
            rows = [row for row in rows if row.number >= first]
        return Tail(rows, last)
    rows = cut.rows(len(cut.found.heads) - LOOKED_AT)
    return Tail(
        [row for row in rows if row.number >= first and not row.is_comment],
        int(cut.found.lines[-1]) + cut.first - 1,
        lambda: [row for row in cut.rows() if row.number >= first and not row.is_comment],
        lambda index, beyond: cut.about(index, first, beyond),
    )
