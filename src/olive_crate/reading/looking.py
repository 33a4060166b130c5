"""The first look: the raw file as it is, the part each row plays, and how it would be read.

Only the head, a piece of the middle and the tail are read, so that a file of any size answers at
once. Types shown here are those of the rows looked at; the whole file decides when it is loaded.
"""

from __future__ import annotations

from typing import Any, ClassVar

import msgspec

from ..columns.cell_texts import shown_cells
from ..columns.outcome import joined
from ..errors import LayoutError
from ..evidence import EmptySource, Evidence, UncoveredPositions
from ..layouts.base import (
    Before,
    Block,
    Break,
    CellRow,
    Hands,
    Preview,
    RawRow,
    SheetView,
    SourceLayout,
    TableView,
)
from ..layouts.registry import find_layout, tables_to_choose
from ..plan.fields import Field
from ..plan.model import Decisions
from ..sources.source import Source
from ..views import Worded
from .decided import decided
from .preparing import Reading, prepare

CASES, CASES_LOOKED_AT = 3, 500
"""Cases that are shown, and by which types are judged."""


class LookedAt(msgspec.Struct, frozen=True):
    """A variable as far as the rows looked at tell."""

    name: str
    type: str
    label: str = ""
    unit: str = ""


class Look(Worded, msgspec.Struct, frozen=True):
    """What a first look finds."""

    is_set: ClassVar[bool] = False

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
    sheets: tuple[SheetView, ...] = ()
    """Workbook: all sheets."""
    named: dict[str, str] = {}
    """Workbook: named ranges and tables, and where they lie."""
    letters: tuple[str, ...] = ()
    cells: tuple[CellRow, ...] = ()
    tables: tuple[TableView, ...] = ()
    """Database or page: all tables."""
    links: tuple[str, ...] = ()
    """Page: data files that it links to."""
    """Workbook: the columns and first rows of the sheet that is read."""
    breaks: tuple[Break, ...] = ()
    """Fixed layout: each break between fields, with the share of rows that it cuts."""

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        plain["evidence"] = [
            msgspec.to_builtins(each) | {"text": str(each)} for each in self.evidence
        ]
        return plain


def look(opened: Source, plan: Decisions) -> Look:
    """Show how a source begins and ends and how it would be read."""
    if not (opened.workbook or opened.form) and (opened.size == 0 or not opened.head(1)):
        return _empty(opened)
    tables = tables_to_choose(opened, plan)
    if tables:
        from ..evidence import TableToName

        to_name = TableToName(alternatives=tuple(each.name for each in tables), certain=False)
        return _without_cases(opened, to_name, tables)
    found = find_layout(opened, plan, Before(thorough=False))
    preview = found.preview(CASES_LOOKED_AT)
    reading, blocks = _first_block(found, preview)
    columns = [
        joined(each.outcome(), [each.search.again(block.field(each.index)) for block in blocks])
        for each in reading.columns
    ]
    texts = [shown_cells(column, CASES) for column in columns]
    return Look(
        source=opened.name,
        bytes=opened.size,
        encoding="" if preview.sheet else found.layout.encoding,
        delimiter=found.plan.delimited.delimiter or "",
        lines=preview.lines,
        lines_estimated=preview.lines_estimated,
        rows=preview.rows,
        tail=preview.tail,
        variables=tuple(
            LookedAt(each.name, each.type or "text", each.label or "", each.unit or "")
            for each in (column.variable for column in columns)
        ),
        cases=tuple(zip(*texts, strict=True)),
        cases_looked_at=len(blocks[0].rows) if blocks else 0,
        evidence=(*found.evidence, *_open_points(found, reading)),
        layout=found.plan.layout or "delimited",
        fields=preview.fields,
        sheet=preview.sheet,
        sheets=preview.sheets,
        named=preview.named,
        letters=preview.letters,
        cells=preview.cells,
        breaks=preview.breaks,
        tables=preview.tables,
        links=preview.links,
    )


def _first_block(found: SourceLayout, preview: Preview) -> tuple[Reading, list[Block]]:
    """The first block of the head, read as if it were the file; it may end within quotes."""
    replace = msgspec.structs.replace
    reading = prepare(replace(found, source=preview.source, layout=preview.layout))
    blocks: list[Block] = []
    try:
        layout = reading.found.layout
        blocks += layout.read(preview.source, reading.tally, Hands())
    except LayoutError:
        pass
    for each in reading.columns:
        for block in blocks[:1]:
            each.search.take(block.field(each.index), block.rows)
        each.search.settle()
    return reading, blocks[:1]


def _open_points(found: SourceLayout, reading: Reading) -> list[Evidence]:
    """What the first cases leave open. A part of the source shows no positions without a field."""
    return [
        each
        for each in decided(reading)
        if not each.certain
        and each not in found.evidence
        and not isinstance(each, UncoveredPositions)
    ]


def _empty(source: Source) -> Look:
    nothing = EmptySource(value="empty", supporting=0)
    return Look(source.name, 0, "utf-8", "", 0, 0, (), (), (), (), 0, (nothing,))


def _without_cases(source: Source, open_point: Evidence, tables: tuple[TableView, ...]) -> Look:
    """A database of several tables, none of which was named."""
    return Look(
        source=source.name,
        bytes=source.size,
        encoding="",
        delimiter="",
        lines=None,
        lines_estimated=None,
        rows=(),
        tail=(),
        variables=(),
        cases=(),
        cases_looked_at=0,
        evidence=(open_point,),
        layout="query",
        tables=tables,
    )
