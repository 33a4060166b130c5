"""Findings in words, and as plain text."""

from __future__ import annotations

import unicodedata
from functools import singledispatch

from ..checks import kinds as found
from ..checks.findings import Finding, Findings
from ..checks.spelling import look_alike
from ..describe.meanings import UnexplainedValues
from ..errors import several
from ..evidence import TextCount
from .claims import claim_of, suspects_words
from .mends import mend_text
from .notes import broken_words, promised_words
from .text import WIDTH, case_list, cut, place_list, visible, wrapped

SIGNS = {"serious": "!", "note": "-", "doubtful": "?"}
MOST = 200
"""Findings that are shown; more are only counted."""


def findings_text(
    findings: Findings, width: int = WIDTH, most: int = MOST, doubtful: bool = False
) -> str:
    """A paragraph for each finding: what, where, and what would mend it.

    Doubtful ones are one line together, unless they are asked for.
    """
    ignored = f"{several(findings.ignored, 'more')} ignored, as asked" if findings.ignored else ""
    if not len(findings):
        return "nothing found" + (f" ({ignored})" if ignored else "")
    whole = [each for each in findings if doubtful or each.severity != "doubtful"]
    folded = [each for each in findings if each not in whole]
    lines = []
    for each in whole[:most]:
        line = f"{SIGNS[each.severity]} {visible(finding_line(each))}"
        lines += wrapped(line, width, "    ")
        if each.mend:
            lines.append(cut(f"    fix: {mend_text(each.mend)}", width))
    if len(whole) > most:
        lines.append(f"and {several(len(whole) - most, 'more finding')}")
    if folded:
        lines += wrapped(f"{SIGNS['doubtful']} perhaps: {visible(_folded(folded))}", width, "    ")
    counts = [(severity, sum(each.severity == severity for each in findings)) for severity in SIGNS]
    listed = ", ".join(f"{count} {severity}" for severity, count in counts if count)
    total = f"{several(len(findings), 'finding')}: {listed}"
    return "\n".join([*lines, "", f"{total}; {ignored}" if ignored else total])


def _folded(findings: list[Finding]) -> str:
    """What is perhaps wrong, by kinds: `far from the rest (acidity, tare)`."""
    kinds: dict[str, list[str]] = {}
    for each in findings:
        kinds.setdefault(each.kind, []).extend(each.variables)
    return "; ".join(
        f"{kind} ({cut(', '.join(names), 60)})" if names else kind for kind, names in kinds.items()
    )


def finding_line(finding: Finding) -> str:
    """A finding as a line: its variables, what it is, and the rows."""
    names = f"{', '.join(finding.variables)}: " if finding.variables else ""
    count = max(finding.count, len(finding.rows))
    where = f" ({place_list(finding.rows, finding.files, count)})" if finding.rows else ""
    if finding.cases:
        where = f" ({case_list(finding.key, finding.cases, count)})"
    return f"{names}{finding_words(finding)}{where}"


def finding_words(finding: Finding) -> str:
    """What it is, and what was found, without the variables' names."""
    return f"{finding.kind}: {found_words(finding)}"


@singledispatch
def found_words(finding: Finding) -> str:
    """What was found, in words."""
    raise NotImplementedError(f"no words for {type(finding).__name__}")


def _counted(texts: tuple[TextCount, ...], width: int, quoted: bool = True) -> str:
    mark = '"' if quoted else ""
    return ", ".join(f"{mark}{cut(each.text, width)}{mark} ×{each.count:,}" for each in texts)


def _more(count: int) -> str:
    return f" and {count:,} more" if count else ""


@found_words.register(found.RowsLeftOut)
def _(finding: found.RowsLeftOut) -> str:
    return claim_of(finding.evidence)


@found_words.register(found.UnexplainedValuesFound)
def _(finding: found.UnexplainedValuesFound) -> str:
    return unexplained_words(finding.values)


def unexplained_words(values: UnexplainedValues) -> str:
    """Values without a meaning, with their counts."""
    return _counted(values.values, 24, quoted=False) + _more(values.others)


@found_words.register(found.UnusedMeaningsFound)
def _(finding: found.UnusedMeaningsFound) -> str:
    return ", ".join(finding.meanings.meanings) + _more(finding.meanings.others)


@found_words.register(found.EmptyVariable)
def _(finding: found.EmptyVariable) -> str:
    reasons = ", ".join(f"{why} {count:,}" for why, count in finding.reasons.items())
    return f"no cell has a value ({reasons})"


@found_words.register(found.ConstantVariable)
def _(finding: found.ConstantVariable) -> str:
    return f"all {several(finding.count, 'value')} are {finding.value}"


@found_words.register(found.SuspectedCodesFound)
def _(finding: found.SuspectedCodesFound) -> str:
    return suspects_words(finding.suspects, finding.low, finding.high)


@found_words.register(found.FarFromTheRest)
def _(finding: found.FarFromTheRest) -> str:
    listed = ", ".join(finding.values) + (" …" if finding.others else "")
    return f"{listed}, while the others are within {finding.low}–{finding.high}"


@found_words.register(found.HeapedValues)
def _(finding: found.HeapedValues) -> str:
    return f"{finding.share:.0%} of the values end in {' or '.join(map(str, finding.ends))}"


@found_words.register(found.LostDigits)
def _(finding: found.LostDigits) -> str:
    if finding.by_exponent:
        values = several(finding.count, "long value")
        return f"{values} end in 0000, as if written with an exponent"
    values = several(finding.count, "value")
    return f"{values} with more digits than a 64-bit float holds; declare identifiers as text"


@found_words.register(found.LevelDoesNotFit)
def _(finding: found.LevelDoesNotFit) -> str:
    why = {
        "type": f"the type is {finding.type}",
        "below zero": f"{several(finding.count, 'value')} below zero",
        "decimals": "values have decimals",
    }
    return f"{finding.level}, but {why[finding.why]}"


@found_words.register(found.DuplicateRows)
def _(finding: found.DuplicateRows) -> str:
    rows = several(finding.count, "row")
    but = f" but {' and '.join(finding.but_for)}" if finding.but_for else ""
    return f"{rows} equal to an earlier row in all variables{but}"


@found_words.register(found.DuplicateKeys)
def _(finding: found.DuplicateKeys) -> str:
    verb = "repeats" if finding.count == 1 else "repeat"
    return f"{several(finding.count, 'case')} {verb} an earlier key"


@found_words.register(found.KeysWithGaps)
def _(finding: found.KeysWithGaps) -> str:
    listed = ", ".join(map(str, finding.lacking))
    more = " …" if finding.count > len(finding.lacking) else ""
    numbers = several(finding.count, "number")
    return f"{numbers} missing between {finding.first} and {finding.last}: {listed}{more}"


@found_words.register(found.TotalAmongTheData)
def _(finding: found.TotalAmongTheData) -> str:
    says = [f'"{text}" in {name}' for text, name in finding.words]
    if finding.sums:
        says.append(f"the sum of all rows above in {', '.join(finding.sums[:4])}")
    return "; ".join(says)


@found_words.register(found.ShiftedRows)
def _(finding: found.ShiftedRows) -> str:
    rows = several(finding.count, "row")
    return f"cells of {rows} fit the variable on their {finding.to}"


@found_words.register(found.DataReadAsHeading)
def _(finding: found.DataReadAsHeading) -> str:
    return f"headings such as {', '.join(finding.headings)} look like values"


@found_words.register(found.HeadingAmongTheData)
def _(finding: found.HeadingAmongTheData) -> str:
    if finding.again:
        return f"{several(finding.count, 'row')} with the names of the variables again"
    names = ", ".join(finding.variables[:5])
    first = "the first case has" if finding.count == 1 else f"the first {finding.count} cases have"
    return f"{first} text where the others have numbers: {names}"


@found_words.register(found.CutNames)
def _(finding: found.CutNames) -> str:
    names = f"{finding.count} names of exactly {finding.length} characters"
    return f"{names}, such as {', '.join(finding.examples)}"


@found_words.register(found.KeptAsText)
def _(finding: found.KeptAsText) -> str:
    claim = f"{finding.share:.0%} of the values are {finding.type}s"
    if finding.texts:
        claim += f", the others {_counted(finding.texts, 20)}{' …' if finding.others else ''}"
    return claim


@found_words.register(found.MixedForms)
def _(finding: found.MixedForms) -> str:
    words = "; ".join(" / ".join(map(_form, ways)) for ways in finding.words)
    more = f" and {several(finding.others, 'more word')}" if finding.others else ""
    return words + more


def _form(way: TextCount) -> str:
    """A way of writing a word, with the letter named that looks like another."""
    odd = look_alike(way.text)
    shown = f'"{cut(way.text, 24)}"'
    if odd:
        shown += f" (with {unicodedata.name(odd, 'another letter').lower()})"
    return f"{shown} ×{way.count:,}"


@found_words.register(found.CutTexts)
def _(finding: found.CutTexts) -> str:
    texts = several(finding.texts, "text")
    return f"{texts} of exactly {finding.length} characters, such as “{finding.example}”"


@found_words.register(found.DatesAtAnEpoch)
def _(finding: found.DatesAtAnEpoch) -> str:
    days = ", ".join(finding.days) + (" …" if finding.others else "")
    return f"{days}, where a computer's calendar begins or ends"


@found_words.register(found.DatesFarOff)
def _(finding: found.DatesFarOff) -> str:
    days = ", ".join(finding.days) + (" …" if finding.others else "")
    return f"{days}, while the others are within {finding.first}–{finding.last}"


@found_words.register(found.DatesInTheFuture)
def _(finding: found.DatesInTheFuture) -> str:
    return ", ".join(finding.days) + (" …" if finding.others else "")


@found_words.register(found.SlippedDecimals)
def _(finding: found.SlippedDecimals) -> str:
    times = _times(finding.factor)
    values = f"{', '.join(finding.values)}: "
    return f"{values}{times} what the others would let expect ({finding.low}–{finding.high})"


def _times(factor: float) -> str:
    """`1,000 times` or `a tenth of`."""
    if factor >= 1:
        return f"{factor:,.6g} times"
    parts = {0.1: "a tenth of", 0.01: "a hundredth of", 0.001: "a thousandth of"}
    return parts.get(round(factor, 6), f"{factor:.4g} times")


@found_words.register(found.ChangeOfScale)
def _(finding: found.ChangeOfScale) -> str:
    which = "all values" if finding.to_the_end else several(finding.count, "value")
    middle = f"the middle one is {finding.inside}, of the others {finding.outside}"
    return f"from here on {which} are about {_times(finding.factor)} the others: {middle}"


@found_words.register(found.LostZeros)
def _(finding: found.LostZeros) -> str:
    short = several(finding.count, "identifier")
    if finding.in_part:
        return f"{short} shorter than {finding.length} digits, where others begin with zeros"
    return f"{short} shorter than {finding.length} digits, as if zeros in front had been lost"


@found_words.register(found.EmptyCases)
def _(finding: found.EmptyCases) -> str:
    return f"{several(finding.count, 'case')} with at most {several(finding.filled, 'value')} each"


@found_words.register(found.SameAnswerThroughout)
def _(finding: found.SameAnswerThroughout) -> str:
    cases = several(finding.count, "case")
    items = len(finding.variables)
    return f"{cases} with one answer to all {items} items; {finding.expected:g} expected"


@found_words.register(found.ImpossibleTogether)
def _(finding: found.ImpossibleTogether) -> str:
    return f"{finding.relation} holds in all cases but {finding.count:,}"


@found_words.register(found.MisalignedBlock)
def _(finding: found.MisalignedBlock) -> str:
    way = "down" if finding.by > 0 else "up"
    fits = (
        f"fit {' and '.join(finding.others)} one row further {'up' if finding.by > 0 else 'down'}"
    )
    return f"{several(finding.count, 'cell')} have slipped one row {way}: they {fits}"


@found_words.register(found.ChangeOfWords)
def _(finding: found.ChangeOfWords) -> str:
    return f"{', '.join(finding.before)} until here, {', '.join(finding.after)} from here on"


@found_words.register(found.OutOfOrder)
def _(finding: found.OutOfOrder) -> str:
    odd = several(finding.count, "cell")
    stand = "stands" if finding.count == 1 else "stand"
    return f"{odd} {stand} out of place; the other {finding.ordered:,} are in order"


@found_words.register(found.MixedDateOrders)
def _(finding: found.MixedDateOrders) -> str:
    some = ", ".join(finding.examples)
    both = (
        f"; {several(finding.either, 'other date')} can be read both ways" if finding.either else ""
    )
    return f"day and month the other way round in {some}, unlike {finding.usual}{both}"


@found_words.register(found.GarbledLetters)
def _(finding: found.GarbledLetters) -> str:
    said = ", ".join(
        f'"{cut(text, 24)}"' + (f' for "{cut(meant, 24)}"' if meant != text else "")
        for text, meant in finding.texts
    )
    where = "headings" if finding.in_heading else "cells"
    return f"{where} decoded wrongly, such as {said}"


@found_words.register(found.RareSpellings)
def _(finding: found.RareSpellings) -> str:
    pairs = ", ".join(
        f'"{cut(odd.text, 24)}" ×{odd.count:,} for "{cut(usual.text, 24)}" ×{usual.count:,}'
        for odd, usual in finding.pairs
    )
    return f"perhaps {pairs}{_more(finding.others)}"


@found_words.register(found.BrokenPromise)
def _(finding: found.BrokenPromise) -> str:
    return f"{promised_words(finding.promise)}: {broken_words(finding.promise)}"
