"""One cell traced: found again in its source, and every step to its value told.

Nothing is taken from memory but the value itself: the row is read from the source as it is now,
which must be the source that was read.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np

from ..columns.column import Column
from ..columns.rule import reason_of
from ..dataset.case_names import case_key, case_named, names_of_rows
from ..dataset.model import PlainDataset
from ..dataset.trace import (
    Blank,
    CodeMatched,
    FlagTakenApart,
    ReadAs,
    Step,
    Trace,
    Trimmed,
    Unreadable,
)
from ..declaration.promises import Promised
from ..declaration.variable import NUMERIC, Variable
from ..errors import PlanError, SourceError, nearest
from ..evidence import Evidence
from ..kernels.spans import FILE_BITS
from ..kernels.types import Ints
from ..layouts.base import SourceLayout
from ..layouts.registry import find_layout
from ..plan.model import Decisions
from ..sources.opening import open_source
from ..sources.source import Source
from .preparing import ColumnReader, opened_or_set, prepare
from .sets.survey import find_file

NEAR = 5
"""Rows that are named where the one asked for holds no case."""
TEXTUAL = ("text", "category")
MARKS = ("delimited.decimal", "delimited.grouping", "delimited.trim")


def trace(
    dataset: PlainDataset, name: str, row: Any, source: Any = None, file: str | None = None
) -> Trace:
    """See `Dataset.trace`."""
    column, key = dataset[name], case_key(dataset)
    case = _case_by_key(dataset, key, row) if key else _case(dataset, row, file)
    if key:
        assert dataset.source_rows is not None
        row = int(dataset.source_rows.keys(np.array([case]))[0])
    here = _one_source(dataset, source) if not _is_set(dataset) else _of_set(dataset, source, case)
    opened, found, offsets = here.source, here.found, here.offsets
    reader = next((each for each in here.columns if each.variable.name == name), None)
    if reader is None:
        raise PlanError(f'"{name}" does not come from a column of {opened.name}')
    raw = found.layout.raw_cell(opened, row, reader.index, offsets)
    named = names_of_rows(dataset, [row])
    if key:
        _refuse_other_case(found, opened, row, named[0])
    value = column.values[case].as_py()
    variable = column.variable
    return Trace(
        variable=name,
        row=row,
        case=case,
        source=opened.name,
        place=raw.place,
        named=f"{', '.join(key)} {named[0]}" if key else "",
        raw=raw.text,
        start=raw.start,
        end=raw.end,
        text=raw.taken,
        steps=tuple(_steps(raw.taken, column, case, found, reader)),
        value=value,
        reason="" if value is not None else str(column.why(case)),
        evidence=tuple(_evidence(here.decided, variable, raw.taken)),
    )


class _Place(NamedTuple):
    """A source as it is now, with its columns."""

    source: Source
    found: SourceLayout
    columns: Sequence[ColumnReader]
    offsets: Sequence[tuple[int, int]]
    decided: Sequence[Evidence]


def _is_set(dataset: PlainDataset) -> bool:
    return dataset.source_rows is not None and bool(dataset.source_rows.files)


def _one_source(dataset: PlainDataset, given: Any) -> _Place:
    opened = _source(dataset, given)
    found = find_layout(opened, dataset.plan)
    receipt = dataset.receipt
    return _Place(opened, found, prepare(found).columns, receipt.row_offsets, receipt.decided)


def _of_set(dataset: PlainDataset, given: Any, case: int) -> _Place:
    """The file of a set that a case came from. Raises `SourceError` if it is gone or changed."""
    assert dataset.source_rows is not None
    name = dataset.source_rows.files_at(np.array([case]))[0]
    plan = dataset.plan
    by_user = given is not None or plan.reach is None
    _, files = opened_or_set(plan.source_path() if given is None else given, plan, by_user)
    member = next((each for each in files or () if each.name == name), None)
    if member is None:
        raise SourceError(f"{name}: is not among the files of the set any more")
    receipt = next(each for each in dataset.receipt.files if each.source == name)
    file = find_file(member, 0, msgspec.structs.replace(dataset.plan, limit=None))
    if receipt.fingerprint and file.source.fingerprint() not in ("", receipt.fingerprint):
        raise SourceError(
            f"{name}: was changed since it was read; read it again to trace its cells"
        )
    alone = msgspec.structs.replace(
        file.found.plan, keep=None, order=None, plain_names=None, promised=Promised()
    )
    found = msgspec.structs.replace(file.found, plan=alone)
    columns = prepare(found, file.columns).columns
    about = [each for each in dataset.receipt.decided if each.variable]
    return _Place(file.source, found, columns, receipt.row_offsets, [*about, *receipt.decided])


def _case_by_key(dataset: PlainDataset, key: Sequence[str], wanted: Any) -> int:
    """The case that a key names: one value, or one for each of its variables."""
    if dataset.source_rows is None:
        raise PlanError("the dataset does not know the rows of its source; read it again")
    values = wanted if isinstance(wanted, (tuple, list)) else [wanted]
    return case_named(dataset, key, list(map(str, values)))


def _refuse_other_case(found: SourceLayout, source: Source, row: int, name: str) -> None:
    """Raise `SourceError` where another case stands in this place by now."""
    layout = found.layout
    texts = [layout.raw_cell(source, row, index, ()).taken for index in layout.key]
    if ", ".join(texts) != name:
        raise SourceError(
            f"{source.name}: was changed since it was read; read it again to trace its cells"
        )


def _case(dataset: PlainDataset, row: int, file: str | None = None) -> int:
    """The case that came from this row. Raises `PlanError` where there is none."""
    if dataset.source_rows is None:
        raise PlanError("the dataset does not know the rows of its source; read it again")
    cases = np.arange(dataset.rows)
    rows = dataset.source_rows.at(cases)
    files = dataset.source_rows.files
    if files:
        rows = _rows_of_file(rows, dataset.source_rows.keys(cases) >> FILE_BITS, files, row, file)
    elif file is not None:
        raise PlanError("file: the dataset comes from one source; leave it out")
    hit = np.flatnonzero(rows == row)
    if len(hit):
        return int(hit[0])
    near = rows[np.argsort(np.abs(rows - row), kind="stable")[:NEAR]]
    listed = ", ".join(str(each) for each in sorted(near.tolist()))
    raise PlanError(f"row {row} holds no case; the nearest rows that do are {listed}")


def _rows_of_file(
    rows: Ints, places: Ints, files: Sequence[str], row: int, file: str | None
) -> Ints:
    """The rows of one file of a set; those of all others are 0."""
    if file is None:
        held = sorted({int(each) for each in places[rows == row].tolist()})
        if len(held) > 1:
            named = ", ".join(files[each] for each in held[:3])
            raise PlanError(
                f"row {row} is in {len(held)} files ({named} \u2026); say which by file"
            )
        place = held[0] if held else int(places[0]) if len(places) else 0
    elif file in files:
        place = files.index(file)
    else:
        raise PlanError(f'there is no file "{file}" in the set{nearest(file, files)}')
    return np.where(places == place, rows, 0)


def _source(dataset: PlainDataset, given: Any) -> Source:
    """The source as it is now. Raises `SourceError` if it is not what was read."""
    by_user = given is not None or dataset.plan.reach is None
    named = dataset.plan.source_path() if given is None else given
    opened = open_source(named, by_user, dataset.plan.limits)
    known = dataset.receipt.fingerprint
    if known and opened.fingerprint() not in ("", known):
        raise SourceError(
            f"{opened.name}: was changed since it was read; read it again to trace its cells"
        )
    return opened


def _steps(
    text: str, column: Column, case: int, found: SourceLayout, reader: ColumnReader
) -> Iterator[Step]:
    """What was done to the text, in order."""
    variable, plan, reason = column.variable, found.plan, int(column.reasons[case])
    bare, flags = text.strip(), reader.search.rule.flags
    if bare != text and (plan.delimited.trim or flags or variable.type not in TEXTUAL):
        yield Trimmed(text=bare)
        text = bare
    flag = _flag(text, flags)
    if flag:
        text = text[: -len(flag)].rstrip()
        yield FlagTakenApart(flag=flag, text=text)
    if reason == 0:
        yield _read_as(text, variable, plan, found.layout.column(reader.index).implied_decimals)
    elif not bare:
        yield Blank()
    elif reason >= reason_of(0):
        code = variable.missing[reason - reason_of(0)]
        yield CodeMatched(code=str(code), reason=code.why, by_value=text != str(code))
    else:
        yield Unreadable(type=variable.type or "text")


def _flag(text: str, flags: Sequence[str]) -> str:
    known = sorted(flags, key=len, reverse=True)
    return next((f for f in known if text.endswith(f) and len(text) > len(f)), "")


def _read_as(text: str, variable: Variable, plan: Decisions, implied: int) -> ReadAs:
    kind, section = variable.type or "text", plan.delimited
    if kind not in NUMERIC:
        return ReadAs(type=kind, format=variable.format or "")
    decimal, grouping = section.decimal or ".", section.grouping or ""
    return ReadAs(
        type=kind,
        decimal=decimal if decimal != "." and decimal in text else "",
        grouping=grouping if grouping and grouping in text else "",
        implied=implied if decimal not in text else 0,
        unit=variable.unit if variable.unit and variable.unit in text else "",
    )


def _evidence(decided: Sequence[Evidence], variable: Variable, text: str) -> Iterator[Evidence]:
    """What was decided about the variable, and about marks if it is a number with any."""
    marked = variable.type in NUMERIC and any(mark in text for mark in ",.' ")
    for each in decided:
        if each.variable == variable.name or (marked and each.about in MARKS):
            yield each
