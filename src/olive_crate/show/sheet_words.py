"""Claims about sheets of workbooks, in words."""

from __future__ import annotations

from .. import evidence as ev
from ..errors import several
from .claim import claim_of
from .text import row_list


@claim_of.register(ev.SheetChosen)
def _(evidence: ev.SheetChosen) -> str:
    return f"it holds the largest block of {several(evidence.sheets, 'sheet')}"


@claim_of.register(ev.BlockChosen)
def _(evidence: ev.BlockChosen) -> str:
    cells = several(evidence.supporting or 0, "filled cell")
    if evidence.blocks < 2:
        return f"the only block that may be data, {cells}"
    return f"the largest of {several(evidence.blocks, 'block')}, {cells}"


@claim_of.register(ev.LiesOnItsSide)
def _(evidence: ev.LiesOnItsSide) -> str:
    rows = several(evidence.rows, "row")
    return (
        f"{rows} are each of one kind, while {evidence.columns} of "
        f"{several(evidence.of_columns, 'column')} mix kinds: the variables may stand in rows"
    )


@claim_of.register(ev.VariablesDescribed)
def _(evidence: ev.VariablesDescribed) -> str:
    return (
        f"{evidence.names} of {several(evidence.of, 'variable')} are described in the sheet "
        f'"{evidence.sheet}", which is not used'
    )


@claim_of.register(ev.HiddenCells)
def _(evidence: ev.HiddenCells) -> str:
    parts = [row_list(evidence.rows, evidence.row_count)] if evidence.rows else []
    parts += [f"column {each}" for each in evidence.columns]
    read = "and left out" if evidence.value == "skip" else "but read"
    return f"{', '.join(parts)} hidden in the sheet, {read}"


@claim_of.register(ev.MergedCells)
def _(evidence: ev.MergedCells) -> str:
    shown = ", ".join(evidence.areas) + (" …" if evidence.count > len(evidence.areas) else "")
    areas = several(evidence.count, "merged area")
    return f"{areas} among the data ({shown}): only the first cell of each holds the value"


@claim_of.register(ev.CellsOutside)
def _(evidence: ev.CellsOutside) -> str:
    count = evidence.supporting or 0
    shown = ", ".join(evidence.cells) + (" …" if count > len(evidence.cells) else "")
    read = "" if evidence.certain else ", more than are read"
    return f"{several(count, 'filled cell')} not read{read}: {shown}"


@claim_of.register(ev.BlanksAround)
def _(evidence: ev.BlanksAround) -> str:
    return f"{several(evidence.supporting or 0, 'text')} with blanks around them, kept as written"


@claim_of.register(ev.MixedKinds)
def _(evidence: ev.MixedKinds) -> str:
    return ", ".join(map(_kind_words, evidence.kinds))


def _kind_words(kind: ev.KindCount) -> str:
    words = several(kind.count, kind.kind)
    if not kind.texts:
        return words
    texts = [
        f'"{each.text}" ×{each.count:,} {row_list(each.rows, each.count)}' for each in kind.texts
    ]
    return f"{words} ({'; '.join(texts)}{' …' if kind.others else ''})"


@claim_of.register(ev.NumbersStoredAsText)
def _(evidence: ev.NumbersStoredAsText) -> str:
    rows = row_list(evidence.rows, evidence.count)
    numbers = several(evidence.count, "number")
    return f"{numbers} stored as text ({rows}), read as numbers where the column is numeric"


@claim_of.register(ev.StoredAsText)
def _(evidence: ev.StoredAsText) -> str:
    cells = several(evidence.supporting or 0, "cell")
    return f"all {cells} are text, but nearly all look like {evidence.type}s stored as text"


@claim_of.register(ev.SerialDays)
def _(evidence: ev.SerialDays) -> str:
    return "plain numbers that look like the serial numbers of days"


@claim_of.register(ev.SpacerColumns)
def _(evidence: ev.SpacerColumns) -> str:
    blank = several(evidence.supporting or 0, "blank column")
    return f"{blank} within it left out" + ("" if evidence.certain else "; it may be two tables")


@claim_of.register(ev.NotCalculated)
def _(evidence: ev.NotCalculated) -> str:
    count = evidence.supporting or 0
    rows = row_list(evidence.rows, count)
    return (
        f"{several(count, 'formula')} without a stored value ({rows}), missing as not calculated; "
        "open the workbook in a spreadsheet program and save it"
    )
