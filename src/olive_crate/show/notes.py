"""Notes, problems, changes, promises and imbalances in words."""

from __future__ import annotations

from functools import singledispatch
from typing import Any

from .. import evidence as ev
from ..dataset import promises as kept
from ..dataset.promises import Promise
from ..dataset.receipt import Change, Imbalance, Problem
from ..declaration.values import value_text
from ..errors import several, with_article
from ..evidence import Note
from . import set_words
from .text import file_list

BEYOND = "is beyond the last column"


@singledispatch
def note_words(note: Note) -> str:
    """What differs from what was asked for."""
    raise NotImplementedError(f"no words for {type(note).__name__}")


@note_words.register(ev.RenamedColumn)
def _(note: ev.RenamedColumn) -> str:
    return f'column {note.column}: a second "{note.heading}", renamed to "{note.name}"'


@note_words.register(ev.UnnamedColumns)
def _(note: ev.UnnamedColumns) -> str:
    listed = ", ".join(map(str, note.columns[:5])) + (" …" if len(note.columns) > 5 else "")
    return f"no heading for column {listed}: named by position"


@note_words.register(ev.FellBack)
def _(note: ev.FellBack) -> str:
    return f"read as delimited, since aligned columns do not hold throughout ({note.why})"


@note_words.register(ev.SourceChanged)
def _(note: ev.SourceChanged) -> str:
    return f"{note.name} was changed while it was read; what was there is what was taken"


@note_words.register(ev.NoKeyInTable)
def _(note: ev.NoKeyInTable) -> str:
    which = f'the table "{note.name}"' if note.name else "the query"
    return (
        f"{which} has no key: rows are known by the order in which they came, "
        "which may differ next time"
    )


@note_words.register(ev.ProvisionalTypes)
def _(note: ev.ProvisionalTypes) -> str:
    return (
        f"types are provisional: settled by the first {several(note.rows, 'row')}; "
        "cells that do not fit are missing as unreadable"
    )


@note_words.register(ev.UndeclaredColumns)
def _(note: ev.UndeclaredColumns) -> str:
    return f"columns that the plan does not mention: {_quoted(note.names)}"


@note_words.register(ev.MovedColumns)
def _(note: ev.MovedColumns) -> str:
    return f"columns in another order than in the plan: {_quoted(note.names)}"


def _quoted(names: tuple[str, ...]) -> str:
    return ", ".join(f'"{name}"' for name in names[:8]) + (" …" if len(names) > 8 else "")


@note_words.register(ev.PlainNameTaken)
def _(note: ev.PlainNameTaken) -> str:
    cut = "" if note.cut_to is None else f", cut to {note.cut_to} characters,"
    return (
        f'"{note.heading}"{cut} would be named "{note.plain}", like "{note.other}"; '
        f'it is named "{note.name}" instead'
    )


@note_words.register(ev.PromiseNotChecked)
def _(note: ev.PromiseNotChecked) -> str:
    if not note.lacking:
        return "not checked: promised rows and totals, because only the first rows are read"
    names = ", ".join(note.names)
    what = {"key": f"key {names}", "total": f"total of {names}"}.get(note.promise, names)
    return f"not checked: the promise {what}, because {note.lacking} is not kept"


@note_words.register(ev.IncompleteRecord)
def _(note: ev.IncompleteRecord) -> str:
    lines = several(note.lacking, "line")
    return f"the last record, from row {note.row:,}, lacks {lines}, which are read as blank"


@note_words.register(ev.CutCharacters)
def _(note: ev.CutCharacters) -> str:
    cells = several(note.cells, "cell")
    return f"positions in bytes cut a character in {cells}; it belongs to neither field"


@note_words.register(ev.DictionaryGap)
def _(note: ev.DictionaryGap) -> str:
    where = f'{note.source}: column "{note.variable}"' if note.variable else note.source
    if note.gap == "several":
        return f"{where}: the columns have different grouping marks; the first is used"
    if note.gap == "not followed":
        return f"{where}: {note.key} is ignored; cells are read as written"
    if note.gap == "not checked":
        return f"{where}: {note.key} {note.value} is not checked"
    return f"{where}: {note.key} are ignored"


@note_words.register(ev.FilesDiffer)
def _(note: ev.FilesDiffer) -> str:
    return set_words.differing_words(note)


@note_words.register(ev.NotInFiles)
def _(note: ev.NotInFiles) -> str:
    return set_words.absent_words(note)


@note_words.register(ev.FileSetAside)
def _(note: ev.FileSetAside) -> str:
    return f"set aside, not part of the data: {note.file} ({note.why})"


@note_words.register(ev.FilesLeftOut)
def _(note: ev.FilesLeftOut) -> str:
    return f"not taken for data: {file_list(note.names, len(note.names))}"


@note_words.register(ev.EmptyFiles)
def _(note: ev.EmptyFiles) -> str:
    are = "is" if len(note.names) == 1 else "are"
    return f"{file_list(note.names, len(note.names))} {are} empty"


@note_words.register(ev.FilesNotReached)
def _(note: ev.FilesNotReached) -> str:
    return f"the limit was reached before {several(note.count, 'file')}, which were not read"


def problem_reason(problem: Problem) -> str:
    """Why a text could not be read."""
    return f"is not {with_article(problem.expected)}" if problem.expected else BEYOND


def problem_words(problem: Problem) -> str:
    """A problem as a line."""
    name = f" {problem.variable}" if problem.variable else ""
    file = f"{problem.file} " if problem.file else ""
    return f"{file}row {problem.row}{name}: {problem.text!r} {problem_reason(problem)}"


def change_words(change: Change) -> str:
    """What a declaration after the read changed, with its first problems on lines of their own."""
    types = f", {change.before} to {change.after}" if change.before != change.after else ""
    parts = [f"{change.converted:,} converted"] if types else []
    for words, cells in (("now missing", change.missing), ("values again", change.returned)):
        if cells:
            listed = ", ".join(f"{why} {count:,}" for why, count in cells.items())
            parts.append(f"{words}: {listed}")
    lines = [f"{change.variable}{types}: {', '.join(parts) or 'no cell changed'}"]
    lines += [
        f"  row {each.row}: {each.text!r} {problem_reason(each)}" for each in change.problems[:3]
    ]
    if len(change.problems) > 3:
        lines.append(f"  and {len(change.problems) - 3:,} more; change.problems lists all of them")
    return "\n".join(lines)


def imbalance_words(each: Imbalance) -> str:
    """What does not add up."""
    if each.what == "cells":
        return f"{each.variable}: {each.accounted} cells for {each.counted} rows"
    if each.what == "values":
        return f"{each.variable}: {each.accounted:,} values, but {each.counted:,} in the data"
    if each.what == "rows":
        return f"{each.counted} rows of data, but {each.accounted} in the dataset"
    return f"{each.counted} {each.what}, but {each.accounted} accounted for"


def promise_line(promise: Promise) -> str:
    """What was promised, and what there is instead if it is broken."""
    name = f"{promise.variable}: " if promise.variable else ""
    return name + promise_words(promise)


def promise_words(promise: Promise) -> str:
    """A promise without the name of its variable."""
    broken = "" if promise.kept else f" – broken: {broken_words(promise)}"
    return promised_words(promise) + broken


@singledispatch
def promised_words(promise: Promise) -> str:
    """What was promised."""
    return "required"


@promised_words.register(kept.RowCount)
def _(promise: kept.RowCount) -> str:
    return f"{promise.promised} rows"


@promised_words.register(kept.UniqueKey)
def _(promise: kept.UniqueKey) -> str:
    return f"{', '.join(promise.names)} unique"


@promised_words.register(kept.KeptRelation)
def _(promise: kept.KeptRelation) -> str:
    return promise.relation


@promised_words.register(kept.Total)
def _(promise: kept.Total) -> str:
    if promise.promised is None:
        return f"total {promise.where}"
    row = "closing row" if promise.where == "closing" else promise.where
    where = f" ({row})" if row else ""
    return f"total {value_text(promise.promised)}{where}"


@promised_words.register(kept.Within)
def _(promise: kept.Within) -> str:
    low, high = ("" if each is None else str(each) for each in (promise.low, promise.high))
    return f"within {low}..{high}"


@promised_words.register(kept.AllowedValues)
def _(promise: kept.AllowedValues) -> str:
    listed = ", ".join(map(str, promise.values[:6]))
    return f"one of {listed}{' …' if len(promise.values) > 6 else ''}"


@promised_words.register(kept.Pattern)
def _(promise: kept.Pattern) -> str:
    return f'like "{promise.pattern}"'


def broken_words(promise: Promise) -> str:
    """What was found instead."""
    if isinstance(promise, kept.RowCount):
        return f"{promise.read:,} rows were read"
    if isinstance(promise, kept.Total):
        return f"the values add up to {value_text(promise.found)}"
    if isinstance(promise, kept.UniqueKey):
        return f"{several(promise.count, 'case')} {_verb(promise.count)} an earlier key"
    return several(promise.count, "case") + _examples(promise.examples)


def _verb(count: int) -> str:
    return "repeats" if count == 1 else "repeat"


def _examples(examples: tuple[Any, ...]) -> str:
    return f": {', '.join(map(str, examples[:4]))}" if examples else ""
