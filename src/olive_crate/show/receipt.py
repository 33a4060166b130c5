"""Receipts as plain text."""

from __future__ import annotations

from ..dataset.receipt import Receipt
from ..errors import several
from ..evidence import Evidence, LeadingBlanks, LevelSuggested, MarksTaken, TypeFits
from .alike import lines_of
from .notes import change_words, imbalance_words, note_words, problem_reason, promise_line
from .set_words import file_table
from .text import (
    WIDTH,
    cut,
    file_list,
    mark_words,
    place_list,
    row_list,
    size_words,
    table,
    visible,
    wrapped,
)

PART_WORDS = {
    "heading": "heading",
    "data": "data",
    "continued": "further lines of quoted text",
    "blank": "blank",
    "comment": "comment",
    "skipped": "skipped",
    "other": "of other record types",
}
MARKS = ("delimiter", "quote", "escape", "comment", "grouping", "decimal")
PROBLEMS_SHOWN, DECIDED_SHOWN, NOTES_SHOWN = 10, 12, 5


TEXTS = ("delimited", "fixed")
"""Layouts of text."""


NEWS = (MarksTaken, LeadingBlanks)
"""Evidence on variables that is worth a line, although it is certain."""


def receipt_text(receipt: Receipt, width: int = WIDTH, everything: bool = False) -> str:
    """The receipt on about a screen; with `everything`, all variables and all problems kept."""
    variables, problems = (
        (len(receipt.cells), len(receipt.problems)) if everything else (24, PROBLEMS_SHOWN)
    )
    lines = [*_how(receipt, width), "", *_lines(receipt, width), ""]
    lines += [*file_table(receipt, width), ""] if receipt.files else []
    lines += _cells(receipt, width, variables)
    lines += _problems(receipt, width, problems)
    lines += _decided(receipt, width)
    lines += _promises(receipt, width)
    lines += _changes(receipt, width)
    lines += _balance(receipt)
    return "\n".join(lines)


def _how(receipt: Receipt, width: int) -> list[str]:
    packed = f", {receipt.compression}" if receipt.compression else ""
    size = f"  {size_words(receipt.bytes)}" if receipt.bytes or receipt.settings else ""
    mostly = "mostly " if receipt.files else ""
    settings = ", ".join(setting_words(key, value) for key, value in receipt.settings.items())
    if receipt.layout in TEXTS:
        settings = f"{mostly}{receipt.layout} text, {receipt.encoding}, {settings}"
    counts = f"{several(receipt.rows, 'row')} of data, {several(len(receipt.cells), 'variable')}"
    if receipt.not_kept:
        counts += f" ({len(receipt.not_kept)} not kept)"
    if receipt.stopped:
        counts += " – stopped at the limit, the rest was not read"
    return [
        cut(f"{receipt.source}{size}{packed}", width),
        *(wrapped(settings, width, "  ") if receipt.settings else []),
        counts,
    ]


def counted(receipt: Receipt) -> str:
    """How long the source is, in what it is counted in."""
    if receipt.layout == "feed":
        return several(receipt.lines, "entry", "entries")
    return several(receipt.lines, "line" if receipt.layout in TEXTS else "row")


def counted_in(receipt: Receipt) -> str:
    """What a source's length is counted in: lines, rows or entries."""
    if receipt.layout == "feed":
        return "entries"
    return "lines" if receipt.layout in TEXTS else "rows"


def setting_words(key: str, value: str) -> str:
    """An option that was in force, in words."""
    words = mark_words(value) if key in MARKS else value
    if key == "fields":
        return f"{words} fields"
    return f"{key.replace('_', ' ')} {words or 'none'}"


def _lines(receipt: Receipt, width: int) -> list[str]:
    words = dict(PART_WORDS)
    if receipt.layout == "fixed":
        words["continued"] = "further lines of records"
    parts = [f"{count:,} {words[part]}" for part, count in receipt.parts.items() if count]
    lines = wrapped(f"{counted(receipt)}: {', '.join(parts) or 'none'}", width, "  ")
    for rows, part in ((receipt.skipped_rows, "skipped"), (receipt.blank_rows, "blank")):
        if rows:
            lines.append(f"  {part}: {row_list(rows, receipt.parts[part])}")
    if receipt.record_types:
        kinds = [f'"{kind}" {count:,}' for kind, count in receipt.record_types.items()]
        more = f" and {len(kinds) - 8} more" if len(kinds) > 8 else ""
        lines += wrapped(f"  other record types: {', '.join(kinds[:8])}{more}", width, "    ")
    return [*lines, *_coverage(receipt), *_lengths(receipt, width)]


def _coverage(receipt: Receipt) -> list[str]:
    """How much of the source lies in fields, or in the range."""
    if not receipt.characters:
        return []
    if receipt.layout == "sheet":
        what, within, without = "filled cell", "in the range", "outside of it"
    else:
        what, within, without = "character", "in fields", "in none"
    return [
        f"  {several(receipt.characters, what)}: {receipt.covered:,} {within}, "
        f"{receipt.uncovered:,} {without}"
    ]


def _lengths(receipt: Receipt, width: int) -> list[str]:
    """Rows with too few or too many fields."""
    lines = []
    if receipt.short:
        rows = several(receipt.short, "row")
        if receipt.short_rows:
            rows = row_list(receipt.short_rows, receipt.short)
        have = "has" if receipt.short == 1 else "have"
        text = f"  {rows} {have} fewer fields; the missing ones are read as blank"
        short = [each.source for each in receipt.files if each.short]
        text += f" ({file_list(short, len(short))})" if short else ""
        lines += wrapped(text, width, "    ")
    if receipt.surplus:
        rows = several(receipt.surplus, "row")
        have = "has" if receipt.surplus == 1 else "have"
        lines.append(f"  {rows} {have} text beyond the last column")
    if receipt.trailing:
        lines.append(f"  {several(receipt.trailing, 'row')} with surplus empty fields at the end")
    return lines


def _cells(receipt: Receipt, width: int, most: int) -> list[str]:
    rows = [
        [
            each.name,
            each.type,
            f"{each.valid:,}",
            ", ".join(f"{reason} {count:,}" for reason, count in each.missing.items()),
        ]
        for each in receipt.cells[:most]
    ]
    if not rows:
        return []
    lines = table(["variable", "type", "valid", "missing"], rows, "llrl", width, wrap=True)
    left = receipt.cells[most:]
    if left:
        empty = sum(sum(each.missing.values()) for each in left)
        lines.append(f"{several(len(left), 'more variable')}, {empty:,} of their cells missing")
    return lines


def _problems(receipt: Receipt, width: int, most: int) -> list[str]:
    if not receipt.problem_count:
        return []
    lines = ["", f"{several(receipt.problem_count, 'problem')}:"]
    known = dict(receipt.case_names)
    for problem in receipt.problems[:most]:
        name = f" {visible(problem.variable)}:" if problem.variable else ""
        text = cut(visible(problem.text), 40)
        file = f"{visible(problem.file)} " if problem.file else ""
        case = known.get(problem.row)
        where = (
            f"row {problem.row}" if case is None else f"{', '.join(receipt.key)} {visible(case)}"
        )
        line = f"  {file}{where}{name} “{text}” {problem_reason(problem)}"
        lines.append(cut(line, width))
    if receipt.problem_count > most:
        left = receipt.problem_count - most
        lines.append(f"  and {left:,} more; receipt.problems lists all of them")
    return lines


def _decided(receipt: Receipt, width: int) -> list[str]:
    news = lines_of(sorted(filter(_is_news, receipt.decided), key=lambda each: each.certain))
    lines = ["", "inferred from the file:"] if news else []
    for words, each, mend in news[:DECIDED_SHOWN]:
        mark = "  " if each.certain else "? "
        lines += wrapped(visible(mark + words), width, "      ")
        if mend:
            lines.append(cut(f"      fix: {mend}", width))
    if len(news) > DECIDED_SHOWN:
        lines.append(f"  and {len(news) - DECIDED_SHOWN} more; receipt.decided lists all of them")
    lines += ["", "notes:"] if receipt.notes else []
    for note in receipt.notes[:NOTES_SHOWN]:
        lines += wrapped(f"  {visible(note_words(note))}", width, "      ")
    if len(receipt.notes) > NOTES_SHOWN:
        lines.append(f"  and {len(receipt.notes) - NOTES_SHOWN} more notes in receipt.notes")
    return lines


def _is_news(evidence: Evidence) -> bool:
    """Types that simply fit are in the table above; levels are only suggestions."""
    if isinstance(evidence, LevelSuggested) or evidence.answered:
        return False
    if isinstance(evidence, TypeFits) and evidence.certain:
        return evidence.wide
    return not evidence.variable or not evidence.certain or isinstance(evidence, NEWS)


def _promises(receipt: Receipt, width: int) -> list[str]:
    """Broken promises; kept ones only as a number."""
    if not receipt.promises:
        return []
    broken = [each for each in receipt.promises if not each.kept]
    total = several(len(receipt.promises), "promise")
    lines = ["", f"{total}, {f'{len(broken)} BROKEN:' if broken else 'all kept'}"]
    for each in broken:
        where = f" ({place_list(each.rows, each.files, each.count)})" if each.rows else ""
        lines += wrapped(f"  {visible(promise_line(each))}{where}", width, "      ")
    return lines


def _changes(receipt: Receipt, width: int) -> list[str]:
    """What was declared after the read; the account below is that of the read."""
    if not receipt.changes:
        return []
    lines = [line for each in receipt.changes for line in change_words(each).splitlines()]
    return ["", "declared after the read:", *(cut(f"  {visible(line)}", width) for line in lines)]


def _balance(receipt: Receipt) -> list[str]:
    wrong = receipt.imbalances()
    if wrong:
        return ["", "THE ACCOUNT DOES NOT BALANCE: " + "; ".join(map(imbalance_words, wrong))]
    cells = receipt.rows * len(receipt.cells)
    return ["", f"balanced: {counted(receipt)} and {cells:,} cells accounted for"]
