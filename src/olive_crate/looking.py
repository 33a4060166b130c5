"""The first look: the raw file as it stands, the part each row plays, and how it would be read.

Only the head, a piece of the middle and the tail are read, so that a file of any size answers at
once. Types shown here are those of the rows looked at; the whole file decides when it is loaded.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import msgspec

from .detect.breaks import Break, classes_of, codes_of, cut_shares
from .detect.fixed import body_lines, head_lines, whole_lines
from .detect.roles import as_utf8, without_mark
from .detect.sample import Sample
from .detect.settle import Settled, settle
from .evidence import Evidence
from .fields import Field
from .finishing import final_kind, is_stale
from .loading import plan_for
from .looksheet import CellRow, LookedSheet, cell_rows, looked_names, looked_sheets
from .plan import Plan
from .reading import Reading, blocks_of, prepare
from .records.cutting import Layout
from .records.encoding import decoded, is_ebcdic, is_multibyte
from .records.fixedspans import Block, FixedLayout
from .records.sheet import SheetLayout
from .sources import Source
from .variables import Variable

MOST_READ = 4 << 20
RAW_ROWS, TAIL_ROWS, CASES, CASES_LOOKED_AT = 10, 3, 3, 500
LINE_KEPT = 2000


class RawRow(msgspec.Struct, frozen=True):
    """A line of the source as it stands."""

    row: int
    """Counted from 1; from the end, so negative, in the tail of a file that was not read whole."""
    part: str
    text: str


class LookedAt(msgspec.Struct, frozen=True):
    """A variable as far as the rows looked at tell."""

    name: str
    type: str
    label: str = ""
    unit: str = ""


class Look(msgspec.Struct, frozen=True):
    """What a first look finds."""

    source: str
    bytes: int | None
    encoding: str
    delimiter: str
    lines: int | None
    """Exact where the whole source was read, else `None`."""
    lines_estimated: int | None
    rows: tuple[RawRow, ...]
    tail: tuple[RawRow, ...]
    variables: tuple[LookedAt, ...]
    cases: tuple[tuple[str, ...], ...]
    """The first cases as they would be read, as text; missing cells show their reason."""
    cases_looked_at: int
    evidence: tuple[Evidence, ...]
    layout: str = "delimited"
    fields: tuple[Field, ...] = ()
    """Fixed layout: the fields, declared or found."""
    sheet: str = ""
    """Workbook: the sheet that is read."""
    sheets: tuple[LookedSheet, ...] = ()
    """Workbook: all sheets."""
    named: dict[str, str] = {}
    """Workbook: named ranges and tables, and where they lie."""
    letters: tuple[str, ...] = ()
    cells: tuple[CellRow, ...] = ()
    """Workbook: the columns and first rows of the sheet that is read."""
    breaks: tuple[Break, ...] = ()
    """Fixed layout: each break between fields, with the share of rows that it cuts."""

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain

    def _repr_html_(self) -> str:
        from .notebook import look_html

        return look_html(self)

    def __str__(self) -> str:
        from .looktext import look_text

        return look_text(self)


def look(source: Any, **options: Any) -> Look:
    """Show how a source begins and ends and how it would be read.

    Takes the options of `load`. Reads at most 4 MB: a file that is
    no larger is read whole to count its lines. Raises `SourceError`, `LayoutError` and
    `PlanError`.
    """
    opened, plan = plan_for(source, dict(options))
    if opened.workbook is not None:
        return _workbook_look(opened, plan)
    sample = Sample(opened, thorough=False)
    if opened.size == 0 or not sample.head:
        return _empty(opened)
    settled = settle(opened, plan, thorough=False)
    text = decoded(sample.head, settled.layout.encoding, sample.is_whole)
    if isinstance(settled.layout, FixedLayout):
        lines = head_lines(sample, settled.layout)
    else:
        lines = lines_of(text) if sample.is_whole else lines_of(text)[:-1] or [text]
    variables, cases, evidence, looked_at = _first_cases(settled, sample)
    layout = settled.layout
    assert not isinstance(layout, SheetLayout)
    total = _line_count(opened, sample, layout, len(lines))
    return Look(
        source=opened.name,
        bytes=opened.size,
        encoding=settled.layout.encoding,
        delimiter=settled.plan.delimited.delimiter or "",
        lines=total,
        lines_estimated=total if total is not None else _estimated(opened, sample, lines),
        rows=_raw_rows(settled, lines),
        tail=_tail(settled, sample, lines, total),
        variables=tuple(variables),
        cases=tuple(cases),
        cases_looked_at=looked_at,
        evidence=(*settled.evidence, *evidence),
        layout=settled.plan.layout or "delimited",
        fields=settled.layout.fields if isinstance(settled.layout, FixedLayout) else (),
        breaks=_breaks(settled, sample),
    )


def _workbook_look(source: Source, plan: Plan) -> Look:
    """A look at a workbook: about 4 MB of each sheet."""
    settled = settle(source, plan, thorough=False)
    layout = settled.layout
    assert isinstance(layout, SheetLayout)
    limited = msgspec.structs.replace(layout, limit=CASES_LOOKED_AT)
    reading = prepare(msgspec.structs.replace(settled, layout=limited))
    variables, cases, evidence, looked_at = _read_cases(reading)
    columns, rows = cell_rows(settled)
    return Look(
        source=source.name,
        bytes=source.size,
        encoding="",
        delimiter="",
        lines=layout.sheet.used.last_row if layout.sheet.whole and layout.sheet.used else None,
        lines_estimated=None,
        rows=(),
        tail=(),
        variables=tuple(variables),
        cases=tuple(cases),
        cases_looked_at=looked_at,
        evidence=(*settled.evidence, *(e for e in evidence if e not in settled.evidence)),
        layout="sheet",
        sheet=str(settled.plan.sheet.sheet),
        sheets=looked_sheets(settled),
        named=looked_names(settled),
        letters=columns,
        cells=rows,
    )


def lines_of(text: str) -> list[str]:
    """Lines as they are counted when reading: ended by LF, CR LF or CR, and by nothing else."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    return lines[:-1] if lines[-1] == "" else lines


def _empty(source: Source) -> Look:
    nothing = Evidence("source", "empty", "there is not a byte in it", 0)
    return Look(source.name, 0, "utf-8", "", 0, 0, (), (), (), (), 0, (nothing,))


def _line_count(
    source: Source, sample: Sample, layout: Layout | FixedLayout, shown: int
) -> int | None:
    """The lines of a file small enough to be read whole for this; else `None`."""
    if sample.is_whole:
        return shown
    length = layout.length if isinstance(layout, FixedLayout) else None
    if length and source.size is not None and not is_multibyte(layout.encoding):
        return -(-source.size // length)
    if source.size is None or source.size > MOST_READ:
        return None
    text = decoded(source.head(source.size), layout.encoding, True)
    if length:
        return -(-len(text) // length)
    return len(lines_of(text.replace("\u0085", "\n") if is_ebcdic(layout.encoding) else text))


def _breaks(settled: Settled, sample: Sample) -> tuple[Break, ...]:
    """The breaks that were found, or those of declared fields, with what they cut."""
    if settled.found is not None:
        return settled.found.breaks
    layout = settled.layout
    if not isinstance(layout, FixedLayout) or layout.lines > 1:
        return ()
    lines = body_lines(head_lines(sample, layout), settled.plan.rows, ())
    kept = [line for line in lines if line.strip()]
    if not kept or layout.in_bytes:
        return ()
    cuts = cut_shares(classes_of(codes_of(kept)))
    ends = sorted({field.end for field in layout.fields if field.end <= len(cuts)})
    return tuple(Break(end, 1.0, round(float(cuts[end - 1]), 3), "declared") for end in ends)


def _estimated(source: Source, sample: Sample, lines: Sequence[str]) -> int | None:
    if source.size is None:
        return None
    return round(source.size * len(lines) / len(sample.head))


def _raw_rows(settled: Settled, lines: Sequence[str]) -> tuple[RawRow, ...]:
    first = settled.layout.first
    shown = max(RAW_ROWS, min(first + 3, 3 * RAW_ROWS))
    return tuple(
        RawRow(number, _part(settled, number, line), line[:LINE_KEPT])
        for number, line in enumerate(lines[:shown], 1)
    )


def _part(settled: Settled, number: int, line: str) -> str:
    comment = settled.plan.delimited.comment
    heading = settled.plan.rows.part_of(number)
    if heading:
        return heading
    if not line.strip():
        return "blank"
    if comment and line.startswith(comment):
        return "comment"
    return "data" if number >= settled.layout.first else "skipped"


def _has_no_ends(settled: Settled) -> bool:
    return isinstance(settled.layout, FixedLayout) and bool(settled.layout.length)


def _tail(
    settled: Settled, sample: Sample, lines: Sequence[str], total: int | None
) -> tuple[RawRow, ...]:
    last = settled.layout.last
    if sample.is_whole:
        ends = lines
        start = max(len(lines) - TAIL_ROWS, len(_raw_rows(settled, lines)))
    else:
        if sample.tail is None or _has_no_ends(settled):
            return ()
        encoding = without_mark(settled.layout.encoding, sample.head)
        ends = lines_of(decoded(sample.tail, encoding, True))
        start = max(1, len(ends) - TAIL_ROWS)
    rows = []
    for index in range(start, len(ends)):
        behind = index - len(ends)
        row = None if total is None else total + 1 + behind
        outside = last is not None and (
            behind > last if last < 0 else row is not None and row > last
        )
        part = _part(settled, max(row or 0, settled.layout.first), ends[index])
        part = "skipped" if outside else part
        number = behind if total is None else total + 1 + behind
        rows.append(RawRow(number, part, ends[index][:LINE_KEPT]))
    return tuple(rows)


def _first_cases(
    settled: Settled, sample: Sample
) -> tuple[list[LookedAt], list[tuple[str, ...]], list[Evidence], int]:
    """Read the head as if it were the file."""
    layout: Layout | FixedLayout
    assert not isinstance(settled.layout, SheetLayout)
    if isinstance(settled.layout, FixedLayout):
        head = whole_lines(sample, settled.layout)
        layout = msgspec.structs.replace(
            settled.layout, limit=CASES_LOOKED_AT, block=max(len(head), 1)
        )
    else:
        head = as_utf8(sample.head, settled.layout.encoding, sample.is_whole)
        layout = msgspec.structs.replace(
            settled.layout, encoding="utf-8", limit=CASES_LOOKED_AT, block=max(len(head), 1)
        )
    source = Source(settled.source.name, None, len(head), lambda: _stream(head))
    if not sample.is_whole and (layout.last or 1) < 0:
        layout = msgspec.structs.replace(layout, last=None)
    reading = prepare(msgspec.structs.replace(settled, source=source, layout=layout))
    variables, cases, evidence, looked_at = _read_cases(reading)
    evidence = [
        each
        for each in evidence
        if each not in settled.evidence and each.subject != "fixed.uncovered"
    ]
    return variables, cases, evidence, looked_at


def _read_cases(
    reading: Reading,
) -> tuple[list[LookedAt], list[tuple[str, ...]], list[Evidence], int]:
    """Read what there is as if it were the file."""
    from .accounting import decided
    from .celltexts import shown_cells
    from .loading import _column

    blocks = list(_quietly(reading))
    columns = []
    for slot in reading.slots:
        held = [slot.finder.take(spans.field(slot.index), spans.rows) for spans in blocks[:1]]
        if held and is_stale(slot, held[0]):
            slot.finder.kind, slot.finder.fixed = final_kind(slot), True
            held = [slot.finder.again(blocks[0].field(slot.index))]
        columns.append(_column(slot, held))
    looked_at = len(blocks[0].rows) if blocks else 0
    variables = [_looked_at(each.variable) for each in columns]
    texts = [shown_cells(column, CASES) for column in columns]
    cases = [tuple(row) for row in zip(*texts, strict=True)]
    evidence = [each for each in decided(reading) if not each.certain]
    return variables, cases, evidence, looked_at


def _looked_at(variable: Variable) -> LookedAt:
    kind = variable.type or "text"
    return LookedAt(variable.name, kind, variable.label or "", variable.unit or "")


def _quietly(reading: Reading) -> Iterator[Block]:
    """The blocks of a sample, which may end within quotes."""
    from .errors import LayoutError

    try:
        yield from blocks_of(reading.settled, reading.tally)
    except LayoutError:
        return


def _stream(head: bytes) -> Any:
    import io

    return io.BytesIO(head)
