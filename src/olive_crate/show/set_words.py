"""What is to say of the files of a set, in words: evidence, notes, and the list of files."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

from .. import evidence as ev
from ..errors import several
from .claim import claim_of
from .text import WIDTH, cut, file_list, mark_words, size_words, table, visible, wrapped

if TYPE_CHECKING:
    from ..dataset.receipt import Receipt
    from ..dataset.update import Update
    from ..sources.sets import Files

FILES_SHOWN = 40
READ_SHOWN = 10
"""Files of a receipt: those that differ first, in their order."""
WHAT = {
    "layout": "layouts",
    "encoding": "encodings",
    "delimiter": "delimiters",
    "decimal": "decimal marks",
    "heading": "rows of the heading",
    "order": "the order of columns",
    "format": "notations of dates",
}


@claim_of.register(ev.PerhapsRenamed)
def _(evidence: ev.PerhapsRenamed) -> str:
    where = file_list(evidence.files, evidence.count)
    return f'perhaps the same variable as "{evidence.other}", which is there instead in {where}'


@claim_of.register(ev.FilesUnlike)
def _(evidence: ev.FilesUnlike) -> str:
    where = file_list(evidence.names, evidence.count)
    shares = "shares" if evidence.count == 1 else "share"
    what = f"{evidence.shared} of {several(evidence.of, 'variable')}"
    asked = "does it" if evidence.count == 1 else "do they"
    return f"{where} {shares} few variables with most files ({what}); {asked} belong to the set?"


@claim_of.register(ev.TypesDiffer)
def _(evidence: ev.TypesDiffer) -> str:
    listed = (f"{each.value} in {_counted(each)}" for each in evidence.kinds)
    return "; ".join(listed)


@claim_of.register(ev.UnitsDiffer)
def _(evidence: ev.UnitsDiffer) -> str:
    listed = (f'"{each.value}" in {_counted(each)}' for each in evidence.units)
    return f"units differ: {'; '.join(listed)}"


def _counted(value: ev.InFiles) -> str:
    files = several(value.count, "file")
    return f"{files} ({file_list(value.files, value.count, 2)})"


def differing_words(note: ev.FilesDiffer) -> str:
    """Files that differ in something that is settled for each by itself."""
    mark = mark_words if note.what in ("delimiter", "decimal") else visible
    what = WHAT[note.what]
    if note.what == "order":
        moved = [name for each in note.others for name in each.files]
        count = sum(each.count for each in note.others)
        return f"columns are in another order in {file_list(moved, count)}; taken by their names"
    others = "; ".join(
        f"{mark(each.value)} in {file_list(each.files, each.count)}" for each in note.others
    )
    about = f"{note.variable}: " if note.variable else ""
    return (
        f"{about}{what} differ, each file is read by its own: mostly {mark(note.usual)}; {others}"
    )


def absent_words(note: ev.NotInFiles) -> str:
    """A variable that some of the files do not have."""
    having = note.of - note.count
    if having < note.count:
        where = f"{having:,} of {note.of:,} files ({file_list(note.files, having)})"
        return f'"{note.name}" is in {where} only; elsewhere it is missing as "not in file"'
    where = f"{note.count:,} of {note.of:,} files ({file_list(note.files, note.count)})"
    return f'"{note.name}" is missing in {where}, with the reason "not in file"'


def files_text(files: Files, width: int = WIDTH) -> str:
    """A set as a table: a row a file."""
    parts = list(dict.fromkeys(part for each in files for part in each.parts))
    sheets = any(each.sheet for each in files)
    total = "" if files.size is None else f", {size_words(files.size)}"
    lines = [f"{several(len(files), 'sheet' if sheets else 'file')}{total}", ""]
    rows = [
        [
            each.name,
            *(each.parts.get(part, "") for part in parts),
            "" if each.size is None else size_words(each.size),
            "" if each.time is None else each.time.strftime("%Y-%m-%d %H:%M"),
        ]
        for each in files.members[:FILES_SHOWN]
    ]
    right = "l" + "l" * len(parts) + "rl"
    lines += table(["name", *parts, "size", "changed (UTC)"], rows, right, width)
    if len(files) > FILES_SHOWN:
        lines.append(f"and {several(len(files) - FILES_SHOWN, 'more file')}")
    if files.left_out:
        left = file_list(files.left_out, len(files.left_out))
        lines += ["", cut(f"not taken for data: {left}", width)]
    return "\n".join(lines)


def file_table(receipt: Receipt, width: int) -> list[str]:
    """What was read of each file."""
    usual = Counter(len(each.cells) for each in receipt.files).most_common(1)[0][0]
    odd = [each for each in receipt.files if len(each.cells) != usual or each.problem_count]
    chosen = {id(each) for each in (*odd[:READ_SHOWN], *receipt.files)[:READ_SHOWN]}
    shown = [each for each in receipt.files if id(each) in chosen]
    rows = [
        [
            each.source,
            f"{each.lines:,}",
            f"{each.rows:,}",
            str(len(each.cells)),
            f"{each.problem_count:,}" if each.problem_count else "",
        ]
        for each in shown
    ]
    problems = any(each.problem_count for each in shown)
    head = ["file", "lines", "rows of data", "variables", *(["problems"] if problems else [])]
    lines = table(head, [row[: len(head)] for row in rows], "lrrrr", width)
    left = [each for each in receipt.files if id(each) not in chosen]
    if left:
        rows_left = sum(each.rows for each in left)
        lines.append(f"{several(len(left), 'more file')}, {rows_left:,} rows of data")
    return lines


def update_text(update: Update, width: int = WIDTH) -> str:
    """What was, or would be, done to a packed set."""
    would = "would be " if update.dry else ""
    lines = [f"{update.folder}: {several(update.unchanged, 'file')} unchanged"]
    for files, words in (
        (update.new, f"new, {would}read"),
        (update.changed, f"changed, {would}read again"),
        (update.gone, "gone, " + (f"{would}dropped" if update.forgotten else "their parts kept")),
        (update.again, "read again, as a type was too narrow"),
    ):
        if files:
            lines += wrapped(f"  {words}: {file_list(files, len(files), 10)}", width, "    ")
    for name, before, after in update.widened:
        lines.append(cut(f"  {visible(name)} is {after} now, and was {before}", width))
    if not (update.new or update.changed or update.receipt):
        lines.append("  nothing to read")
    return "\n".join(lines) + "\n" * (update.receipt is not None)
