"""Claims and notes about tables of databases and pages, in words."""

from __future__ import annotations

from .. import evidence as ev
from ..errors import several
from .claim import claim_of
from .text import row_list, visible


@claim_of.register(ev.TableChosen)
def _(evidence: ev.TableChosen) -> str:
    if evidence.tables == 1:
        return "the only table"
    cells = several(evidence.supporting or 0, "filled cell")
    called = f' ("{visible(evidence.caption)}")' if evidence.caption else ""
    return f"the largest of {evidence.tables} tables{called}, with {cells}"


@claim_of.register(ev.TableToName)
def _(evidence: ev.TableToName) -> str:
    return f"one of {len(evidence.alternatives)} has to be named to be read"


@claim_of.register(ev.NamedOtherwise)
def _(evidence: ev.NamedOtherwise) -> str:
    return f"named {evidence.extension}, but its content is {evidence.value}; read as what it is"


@claim_of.register(ev.FootnoteMarks)
def _(evidence: ev.FootnoteMarks) -> str:
    marks = several(evidence.supporting or 0, "mark")
    shown = ", ".join(f"{visible(each.text)} (row {each.row})" for each in evidence.examples)
    return f"{marks} of footnotes left out of the cells: {shown}"


@claim_of.register(ev.GroupTitles)
def _(evidence: ev.GroupTitles) -> str:
    shown = ", ".join(f'"{visible(each.text)}" (row {each.row})' for each in evidence.examples)
    rows = several(evidence.supporting or 0, "row")
    if evidence.value not in ("", "skip"):
        return f"{rows} of one text among the data are in the variable {evidence.value}: {shown}"
    return f"{rows} of one text among the data left out: {shown}"


@claim_of.register(ev.SourceDiffers)
def _(evidence: ev.SourceDiffers) -> str:
    return f"the file has changed since {evidence.before}; that copy is kept as {evidence.copy}"


@claim_of.register(ev.BlankColumns)
def _(evidence: ev.BlankColumns) -> str:
    return f"{several(evidence.supporting or 0, 'blank column')} left out"


@claim_of.register(ev.HiddenRows)
def _(evidence: ev.HiddenRows) -> str:
    count = evidence.supporting or 0
    return f"{several(count, 'hidden row')} left out ({row_list(evidence.rows, count)})"


@claim_of.register(ev.SpansFilled)
def _(evidence: ev.SpansFilled) -> str:
    cells = several(evidence.supporting or 0, "cell")
    return f"{cells} of the data span several rows or columns; the value counts in each"
