"""Claims: what the file shows, in words, for each kind of evidence."""

from __future__ import annotations

from collections.abc import Callable

from .. import evidence as ev
from ..errors import several
from ..evidence import Evidence
from . import variable_claims
from .claim import claim_of
from .text import row_list, visible

Words = Callable[[Evidence], str]
suspects_words = variable_claims.suspects_words

__all__ = ["Words", "claim_of", "quoted", "suspects_words"]
MARK_VERBS = {
    "table": "has it",
    "filter": "shows",
    "print titles": "show",
    "frozen panes": "show",
    "bold or coloured cells": "show",
}
WORDS_SHOWN = 4
"""Words of a list that are named."""


@claim_of.register(ev.EmptySource)
def _(evidence: ev.EmptySource) -> str:
    return "the file is empty"


@claim_of.register(ev.EncodingFound)
def _(evidence: ev.EncodingFound) -> str:
    count = several(evidence.characters, "non-ASCII character")
    return {
        "mark": "byte-order mark",
        "zeros": "zero bytes between characters",
        "ascii": "the file is pure ASCII",
        "utf-8": f"{count} in the head are valid UTF-8",
        "characters": f"not valid UTF-8; inferred from {count}",
    }[evidence.basis]


@claim_of.register(ev.AlignedColumns)
def _(evidence: ev.AlignedColumns) -> str:
    rows = several(evidence.rows, "row")
    return f"the same positions are blank in {rows}, and no delimiter fits as well"


@claim_of.register(ev.DelimiterFound)
def _(evidence: ev.DelimiterFound) -> str:
    if not evidence.value:
        return "each row is one field"
    rows = f"{evidence.supporting or 0:,} of {several(evidence.rows, 'sampled row')}"
    return f"{rows} have {several(evidence.fields, 'field')}"


@claim_of.register(ev.QuoteFound)
def _(evidence: ev.QuoteFound) -> str:
    return f"around {several(evidence.supporting or 0, 'sampled field')}"


@claim_of.register(ev.EscapeFound)
def _(evidence: ev.EscapeFound) -> str:
    return f"before {several(evidence.supporting or 0, 'sampled quote')}"


@claim_of.register(ev.CommentFound)
def _(evidence: ev.CommentFound) -> str:
    lines = several(evidence.supporting or 0, "sampled line")
    return f"begins {lines} that have other fields than the rest"


@claim_of.register(ev.DecimalMark)
def _(evidence: ev.DecimalMark) -> str:
    if evidence.proven:
        return _proven(evidence)
    if evidence.declared_grouping:
        claim = f'"{evidence.declared_grouping}" is declared as the grouping mark'
        if evidence.against:
            numbers = several(evidence.against, "sampled number")
            claim += f", although {numbers} seem to have decimals after it"
        return claim
    seen = evidence.supporting or evidence.unclear
    claim = f"in {several(seen, 'sampled number')}" if seen else "no sampled number has decimals"
    if evidence.against:
        other = "point" if evidence.value == "," else "comma"
        claim += f", but {other} in {evidence.against:,}"
    elif evidence.unclear and not evidence.certain:
        claim += ", in which it may also be a grouping mark"
    return claim


@claim_of.register(ev.GroupingMark)
def _(evidence: ev.GroupingMark) -> str:
    if evidence.proven:
        return _proven(evidence)
    claim = f"in {several(evidence.supporting or 0, 'sampled number')}"
    return claim if evidence.certain else f"{claim}, in which it may also be a decimal mark"


def _proven(evidence: Evidence) -> str:
    proof = evidence.examples[0]
    return f'shown by "{proof.text}" in row {proof.row:,}'


@claim_of.register(ev.BlanksFollow)
def _(evidence: ev.BlanksFollow) -> str:
    return "a blank stands behind nearly all delimiters"


@claim_of.register(ev.HeadingFound)
def _(evidence: ev.HeadingFound) -> str:
    claim = several(evidence.names, "name")
    if evidence.levels > 1:
        claim += ", joined column by column"
    if evidence.in_comment:
        claim += " in a comment just above the data"
    if evidence.by_markup:
        claim += ", as the page marks them"
    if evidence.by_merges:
        claim += ", as merged cells show"
    if evidence.by_mark:
        claim += f", as the sheet's {evidence.by_mark} {MARK_VERBS[evidence.by_mark]}"
    if not evidence.certain and evidence.levels == 1:
        claim += f", which may be a row of data: {quoted(evidence)}"
    return claim


@claim_of.register(ev.HeadingMoved)
def _(evidence: ev.HeadingMoved) -> str:
    return f"the declared names stand here, not in row {evidence.declared}"


@claim_of.register(ev.TitlesFound)
def _(evidence: ev.TitlesFound) -> str:
    return f"what stands above the table is left out: {quoted(evidence)}"


@claim_of.register(ev.NoHeading)
def _(evidence: ev.NoHeading) -> str:
    return "the first full row looks like those below it"


@claim_of.register(ev.FieldNamesFound)
def _(evidence: ev.FieldNamesFound) -> str:
    return f"it repeats {evidence.supporting} of the {evidence.names} field names"


@claim_of.register(ev.UnitsFound)
def _(evidence: ev.UnitsFound) -> str:
    return several(evidence.supporting or 0, "unit")


@claim_of.register(ev.LabelsFound)
def _(evidence: ev.LabelsFound) -> str:
    return several(evidence.supporting or 0, "label")


@claim_of.register(ev.CommentLabels)
def _(evidence: ev.CommentLabels) -> str:
    count = evidence.supporting or 0
    taken = "a label" if count == 1 else "labels"
    return f"{count:,} on the heading's cells, taken as {taken}"


@claim_of.register(ev.AllowedByList)
def _(evidence: ev.AllowedByList) -> str:
    first = ", ".join(f'"{word}"' for word in evidence.words[:WORDS_SHOWN])
    more = len(evidence.words) - WORDS_SHOWN
    return f"a list of the sheet allows {first}" + (f" and {more} more" if more > 0 else "")


@claim_of.register(ev.ClosingRows)
def _(evidence: ev.ClosingRows) -> str:
    one = evidence.rows == 1
    rows = "the last row" if one else f"the last {evidence.rows} rows"
    if evidence.by_markup:
        return f"the page marks {rows} as a foot, left out: {quoted(evidence)}"
    kind = "a total" if evidence.total else "a note"
    if not one:
        kind = "totals and notes" if evidence.total else "notes"
    if evidence.value == "keep":
        return f"{rows} may be {kind}, read as data: {quoted(evidence)}"
    asked = " as the plan says" if evidence.declared else ""
    return f"{rows} {'is' if one else 'are'} {kind}, left out{asked}: {quoted(evidence)}"


@claim_of.register(ev.EndNotSeen)
def _(evidence: ev.EndNotSeen) -> str:
    return "the end is reached only by reading it all; totals and notes there are found then"


@claim_of.register(ev.LeftOutByPosition)
def _(evidence: ev.LeftOutByPosition) -> str:
    rows = "a row that looks" if evidence.rows == 1 else f"{evidence.rows} rows that look"
    return f"{rows} like data behind the last one given, left out: {quoted(evidence)}"


def quoted(evidence: Evidence) -> str:
    """The text of rows that evidence is about."""
    names = evidence.__struct_fields__
    texts = [f"\u201c{visible(each.text)}\u201d" for each in evidence.examples]
    more = " and more" if (evidence.supporting or 0) > len(texts) and "rows" in names else ""
    return f"{', '.join(texts)}{more}"


@claim_of.register(ev.RepeatedHeading)
def _(evidence: ev.RepeatedHeading) -> str:
    rows = row_list(evidence.rows, evidence.supporting)
    return f"in {rows}, {'left out as asked' if evidence.value == 'skip' else 'read as data'}"


@claim_of.register(ev.RecordLength)
def _(evidence: ev.RecordLength) -> str:
    return "there are no line ends; this is where the fields end"


@claim_of.register(ev.FieldsFound)
def _(evidence: ev.FieldsFound) -> str:
    counts = (
        (evidence.by_blanks, "blank in all rows"),
        (evidence.by_heading, "between words of the heading"),
        (evidence.by_change, "where the characters change"),
    )
    listed = ", ".join(f"{count} {words}" for count, words in counts if count)
    breaks = several(sum(count for count, _ in counts), "break")
    return f"{breaks} in {several(evidence.rows, 'sampled row')}: {listed or 'none'}"


@claim_of.register(ev.SharedPositions)
def _(evidence: ev.SharedPositions) -> str:
    return f'fields "{evidence.field}" and "{evidence.other}" both have them'


@claim_of.register(ev.CutValues)
def _(evidence: ev.CutValues) -> str:
    better = evidence.better
    instead = "" if better is None else f"; a break after {better} would cut none"
    side = "start" if evidence.side == "before" else "end"
    return (
        f"{evidence.characters} run across its {side} (after {evidence.after}) in "
        f"{evidence.share:.0%} of {several(evidence.rows, 'sampled row')}{instead}"
    )


@claim_of.register(ev.UncoveredPositions)
def _(evidence: ev.UncoveredPositions) -> str:
    line = f" of line {evidence.line}" if evidence.line else ""
    rows = row_list(evidence.rows, evidence.against)
    return f"no field covers these positions{line}, but they hold text in {rows}"
