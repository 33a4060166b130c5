"""Evidence about single variables in words."""

from __future__ import annotations

from .. import evidence as ev
from ..errors import several
from .claim import claim_of
from .text import row_list


@claim_of.register(ev.TypeFits)
def _(evidence: ev.TypeFits) -> str:
    claim = f"all {several(evidence.supporting or 0, 'cell')} with a value"
    if evidence.words:
        return f"{claim} are {' or '.join(evidence.words)}"
    if evidence.unit:
        claim += f" carry the sign {evidence.unit}, taken as their unit"
    if evidence.zoned:
        claim += ", kept in UTC"
    if evidence.wide:
        claim += ", some integers exceed 64 bits"
    if any(each != "text" for each in evidence.alternatives):
        claim += "; no day above 12 tells the day from the month"
    if evidence.short_years:
        claim += "; two-digit years, 69 to 99 read as 19.."
    return claim


@claim_of.register(ev.CodesAsWritten)
def _(evidence: ev.CodesAsWritten) -> str:
    cells = several(evidence.supporting or 0, "cell")
    rows = row_list([each.row for each in evidence.examples], evidence.supporting)
    verb = "is" if evidence.supporting == 1 else "are"
    return (
        f"{cells} {verb} written as the code {evidence.code}, but read as {evidence.number:g} by "
        f"implied decimals ({rows})"
    )


@claim_of.register(ev.OnlyMarks)
def _(evidence: ev.OnlyMarks) -> str:
    return f"holds nothing but {_marks(evidence.marks)}, kept as text"


@claim_of.register(ev.MarksKept)
def _(evidence: ev.MarksKept) -> str:
    return f"{_marks(evidence.marks)} kept as text, in a column of words"


@claim_of.register(ev.FormatFound)
def _(evidence: ev.FormatFound) -> str:
    claim = f"{several(evidence.cells, 'cell')} are written this way"
    if evidence.alternatives:
        claim += "; no day above 12 tells the day from the month"
    return claim


@claim_of.register(ev.TextBecause)
def _(evidence: ev.TextBecause) -> str:
    total = evidence.against + (evidence.supporting or 0)
    listed = ", ".join(map(_obstacle, evidence.texts))
    more = f" and {several(evidence.others, 'other text')}" if evidence.others else ""
    return f"because of {evidence.against:,} of {several(total, 'cell')}: {listed}{more}"


def _obstacle(text: ev.TextCount) -> str:
    """A text in the way, how often, and in which rows: `"n.d." ×5 (rows 12, 88, 104 …)`."""
    listed = ", ".join(map(str, text.rows))
    more = " …" if text.count > len(text.rows) else ""
    file = f"{text.file} " if text.file else ""
    return f'"{text.text}" ×{text.count:,} ({file}row{"s" * (text.count > 1)} {listed}{more})'


@claim_of.register(ev.LeadingZeros)
def _(evidence: ev.LeadingZeros) -> str:
    return "digits with leading zeros, as in postal codes; kept as written"


@claim_of.register(ev.MostlyUnreadable)
def _(evidence: ev.MostlyUnreadable) -> str:
    cells = f"{evidence.against:,} of {several(evidence.cells, 'cell')}"
    return f"{cells} do not parse as {evidence.value}; check the declared type"


@claim_of.register(ev.InexactNumbers)
def _(evidence: ev.InexactNumbers) -> str:
    numbers = several(evidence.supporting or 0, "number")
    return f"{numbers} with more digits than a 64-bit float holds"


@claim_of.register(ev.LeadingBlanks)
def _(evidence: ev.LeadingBlanks) -> str:
    least = "at least " if evidence.at_least else ""
    return (
        f"leading blanks removed from {least}{evidence.supporting:,} of {evidence.cells:,} texts; "
        'trim="right" keeps them'
    )


@claim_of.register(ev.MarksTaken)
def _(evidence: ev.MarksTaken) -> str:
    return f"{_marks(evidence.marks)} read as missing"


def _marks(marks: tuple[ev.TextCount, ...]) -> str:
    return ", ".join(f'"{each.text}" ×{each.count:,}' for each in marks)


@claim_of.register(ev.SuspectedCodes)
def _(evidence: ev.SuspectedCodes) -> str:
    claim = suspects_words(evidence.suspects, evidence.low, evidence.high)
    if evidence.also:
        shown = ", ".join(evidence.also[:2]) + (" …" if len(evidence.also) > 2 else "")
        claim += f" (also in {shown})"
    return claim


def suspects_words(suspects: tuple[ev.Suspect, ...], low: float, high: float) -> str:
    """Numbers that look like missing codes, with their counts and the range of the others."""
    listed = ", ".join(f"{each.value:g} occurs {_times(each.count)}" for each in suspects)
    codes = "a missing code" if len(suspects) == 1 else "missing codes"
    return f"{listed}, far outside {low:g}–{high:g}: possibly {codes}"


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count:,} times"


@claim_of.register(ev.LevelSuggested)
def _(evidence: ev.LevelSuggested) -> str:
    return f"{evidence.value}? {_level_words(evidence)}"


def _level_words(evidence: ev.LevelSuggested) -> str:
    if evidence.basis == "words":
        return several(evidence.count, "distinct text")
    if evidence.basis == "identifier":
        which = "all" if evidence.whole else "the first"
        return f"{which} {several(evidence.count, 'value')} differ, like an identifier"
    if evidence.basis == "few":
        return f"whole numbers from {evidence.low:g} to {evidence.high:g} only"
    return {
        "truth": "true or false",
        "moments": "points in time",
        "lengths": "lengths of time",
        "from zero": "numbers from zero up",
        "below zero": "some numbers are below zero",
    }[evidence.basis]
