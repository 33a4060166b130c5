"""Evidence in words.

`claim_of` says what the file shows, `decision_of` what was decided, and `evidence_line` both in one
line. A kind of evidence has its words in one place here, whoever shows them.
"""

from __future__ import annotations

from collections.abc import Callable

from .. import evidence as ev
from ..evidence import Evidence
from .claims import claim_of
from .text import file_list, mark_words, visible

ABOUT = {
    "source": "file",
    "source.paths": "files",
    "source.encoding": "encoding",
    "layout": "layout",
    "delimited.delimiter": "delimiter",
    "delimited.decimal": "decimal mark",
    "delimited.grouping": "grouping mark",
    "delimited.quote": "quote",
    "delimited.escape": "escape",
    "delimited.comment": "comment prefix",
    "delimited.trim": "trim",
    "rows.names": "names in row",
    "rows.units": "units in row",
    "sheet.comments": "comments",
    "rows.labels": "labels in row",
    "rows.repeated": "repeated heading",
    "rows.data": "rows",
    "rows.closing": "closing rows",
    "sheet.sheet": "sheet",
    "sheet.range": "range",
    "sheet.hidden": "hidden cells",
    "sheet.turned": "cases",
    "sheet.dictionary": "dictionary",
    "sheet.outside": "outside the range",
    "sheet.merged": "merged cells",
    "sheet.blanks": "blanks",
    "table.table": "table",
    "table.marks": "footnotes",
    "table.columns": "columns",
    "table.hidden": "hidden rows",
    "table.spans": "spans",
    "source.copy": "copy",
    "rows.groups": "group titles",
    "source.path": "file",
    "fixed.fields": "fields",
    "fixed.record_length": "record length",
    "fixed.overlap": "shared positions",
    "fixed.borders": "field",
    "fixed.uncovered": "positions",
}
"""What a piece of evidence is about, where that is not a variable."""
NO_VALUE = (
    "variable.suspects",
    "variable.cells",
    "variable.digits",
    "variable.missing",
    "variable.trim",
    "variable.level",
    "variable.from",
    "variable.unit",
    "variable.list",
)
"""Evidence about variables whose claim says all of it."""

NO_DECISION = ("FilesUnlike", "NamedOtherwise", "SourceDiffers")
NO_CHOICE = ("SuspectedCodes", "TableToName")
"""Kinds whose claim says it all; by their names, since few reads need their classes."""

Words = Callable[[Evidence], str]


def evidence_line(evidence: Evidence) -> str:
    """What was decided, and why, in one line."""
    if evidence.variable:
        return f"{evidence.variable}: {variable_words(evidence)}"
    about, decided = ABOUT[evidence.about], decision_of(evidence)
    if isinstance(evidence, ev.NoHeading):
        about = "names"
    elif isinstance(evidence, ev.HeadingFound) and evidence.levels > 1:
        about = "names in rows"
    elif isinstance(evidence, ev.TitlesFound):
        about = "titles in row" if evidence.rows == 1 else "titles in rows"
    words = f"{about}{' ' if decided else ''}{decided}: {claim_of(evidence)}"
    return words + _in_which_files(evidence)


def _in_which_files(evidence: Evidence) -> str:
    """The files that evidence is about, where that is not all of them."""
    if not evidence.files:
        return ""
    return f" ({file_list(evidence.files, evidence.in_files)})"


def variable_words(evidence: Evidence) -> str:
    """What was decided about a variable, and why, without its name."""
    decided = "" if evidence.about in NO_VALUE else f"{decision_of(evidence)}; "
    return f"{decided}{claim_of(evidence)}"


def decision_of(evidence: Evidence) -> str:
    """What was decided, in a word or two."""
    if isinstance(evidence, (ev.TypeFits, ev.FormatFound)) and evidence.format:
        return f"{evidence.value} {evidence.format}"
    if type(evidence).__name__ in NO_DECISION:
        return ""
    if isinstance(evidence, ev.NoHeading):
        return "none"
    if isinstance(evidence, ev.CutValues):
        return visible(f"{evidence.field} ({evidence.value})")
    if isinstance(evidence, ev.DelimiterFound) and not evidence.value:
        return "none"
    if isinstance(evidence, ev.UncoveredPositions) and not evidence.end:
        return f"{evidence.first} and beyond"
    words = mark_words if evidence.about.startswith("delimited.") else visible
    return words(evidence.value)


def alternatives_of(evidence: Evidence) -> list[str]:
    """What else it could be, as far as that is a choice to be named."""
    if evidence.certain or type(evidence).__name__ in NO_CHOICE:
        return []
    if isinstance(evidence, ev.DelimiterFound):
        return [
            f"{mark_words(each.delimiter)} ({each.fields} fields in {each.share:.0%} of rows)"
            for each in evidence.rivals
        ]
    if isinstance(evidence, ev.FieldsFound):
        return [f"a break after {each}" for each in evidence.alternatives]
    return [mark_words(each) for each in evidence.alternatives]
