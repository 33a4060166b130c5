"""Declarations after the read.

A declaration that only says what a variable means leaves its column as it is. One that says how
cells are taken (type, format, codes) takes them again, from what stood in them: values, the codes
that made cells missing, and the texts that could not be read are all still there. Text goes through
the very conversion that a load uses, so that declaring before and after the read is the same.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..columns.cell_texts import missing_texts, source_texts
from ..columns.column import Column, Withheld, merged
from ..columns.convert import TypedBlock
from ..columns.flags import flag_variable
from ..columns.outcome import Outcome, flag_search, joined, search_for
from ..columns.rule import (
    IS_BLANK,
    IS_NOT_IN_FILE,
    IS_UNREADABLE,
    Converted,
    SourceColumn,
    by_value,
    plain_text,
    ranged,
)
from ..columns.search import TypeSearch
from ..dataset.model import PlainDataset
from ..dataset.receipt import Change, Problems
from ..dataset.taking import changed, with_columns_beside
from ..declaration.codes import FIRST_CODE
from ..declaration.variable import NUMERIC, TAKING, Variable, declared
from ..evidence import with_answers
from ..kernels.buffers import arrow_flags, numpy_of
from ..kernels.spans import Cells, RowNumbers
from ..kernels.types import PAD, Flags, Ints
from ..plan import declaring
from ..plan.declaring import called
from ..plan.model import Decisions
from ..plan.naming import Renaming, plain_names, renamed
from ..plan.selecting import Names, chosen

D = TypeVar("D", bound=PlainDataset)
TEXTUAL = ("text", "category")
LARGEST = 2.0**63


def declare(dataset: D, names: Names, parts: Mapping[str, Any]) -> D:
    """See `Dataset.declare`."""
    wanted = chosen(names, dataset.variables)
    given = dict(parts)
    new = given.pop("name", None)
    made = _declared(dataset, wanted, given) if given else dataset
    return made if new is None else rename(made, dict.fromkeys(wanted, new))


def _declared(dataset: D, wanted: list[str], parts: Mapping[str, Any]) -> D:
    plan = declaring.declare(known_plan(dataset), wanted, parts)
    by_name = {each.name: each for each in dataset.variables}
    planned_as = {each.name: each for each in plan.variables}
    columns: dict[str, Column | Variable] = {}
    changes: list[Change] = []
    for name in wanted:
        old, planned = by_name[name], planned_as[name]
        if not set(parts) & set(TAKING):
            columns[name] = declared(old, parts, sets=plan.meaning_sets)
            continue
        described = {part: value for part, value in parts.items() if part not in TAKING}
        asked = _asked(declared(old, described, sets=plan.meaning_sets), planned, plan)
        column = _taken_again(dataset[name], asked, plan)
        columns[name] = column
        changes += _changes(dataset[name], column, dataset.source_rows)
    receipt = dataset.receipt
    headings = {by_name[name].heading for name in wanted}
    receipt = msgspec.structs.replace(
        receipt,
        changes=(*receipt.changes, *changes),
        decided=with_answers(receipt.decided, headings | set(wanted), parts),
    )
    made = changed(dataset, columns, plan, receipt)
    beside = {name: _flag_column(dataset, planned_as[name], plan) for name in wanted}
    return with_columns_beside(made, {name: each for name, each in beside.items() if each})


def _flag_column(dataset: PlainDataset, planned: Variable, plan: Decisions) -> Column | None:
    """The flags of a variable that has some declared, unless they are a variable already."""
    variable = flag_variable(planned)
    if not planned.flags or variable.name in dataset:
        return None
    search = flag_search(_search(planned, planned, plan))
    cells = cells_of(source_texts(dataset[planned.name]))
    block = search.take(cells, np.arange(len(cells)))
    return joined(Outcome(variable, search, search.final_kind()), [block])


def known_plan(dataset: PlainDataset) -> Decisions:
    """The dataset's plan, with a declaration for each of its variables."""
    plan = dataset.plan
    known = {each.name for each in plan.variables}
    more = tuple(
        Variable(each.name, each.from_) for each in dataset.variables if each.name not in known
    )
    return msgspec.structs.replace(plan, variables=plan.variables + more)


def _asked(old: Variable, planned: Variable, plan: Decisions) -> Variable:
    """How the cells are to be taken: as the plan says; a found type stays, unless it was text."""
    kind = planned.type or plan.type
    stays = kind is None and old.type not in TEXTUAL
    alike = stays or kind == old.type
    return msgspec.structs.replace(
        old,
        type=old.type if stays else kind,
        format=planned.format or (old.format if alike else None),
        flags=planned.flags,
        true=planned.true or (old.true if alike else ()),
        false=planned.false or (old.false if alike else ()),
        decimals=planned.decimals if (kind or old.type) != "number" else old.decimals,
        missing=planned.missing,
        codes_for_all=planned.codes_for_all,
    )


def _taken_again(column: Column, asked: Variable, plan: Decisions) -> Column:
    search = _search(column.variable, asked, plan)
    if column.variable.type in NUMERIC and asked.type in NUMERIC:
        block = _as_numbers(column, search)
    else:
        cells = cells_of(source_texts(column))
        block = search.take(cells, np.arange(len(column)))
        if search.is_stale(block):
            search.settle()
            block = search.again(cells)
    made = joined(Outcome(asked, search, search.final_kind()), [block])
    absent = column.reasons == IS_NOT_IN_FILE
    if not absent.any():
        return made
    reasons = np.where(absent, np.uint8(IS_NOT_IN_FILE), made.reasons)
    return msgspec.structs.replace(made, reasons=reasons)


def _search(old: Variable, asked: Variable, plan: Decisions) -> TypeSearch:
    """The search of a load; errors of a sheet stay codes, which no declaration gave."""
    field = next((each for each in plan.fields or () if each.name == asked.heading), None)
    errors: tuple[str, ...] = ()
    if plan.layout == "sheet":
        undeclared = (each for each in old.missing if not each.reason)
        errors = tuple(str(each) for each in undeclared if str(each).startswith("#"))
    known = SourceColumn(errors=errors)
    if field is not None:
        known = msgspec.structs.replace(
            known, implied_decimals=field.decimals, sign=field.sign, padded=True
        )
    return search_for(plan, asked, known)


def cells_of(texts: pa.Array) -> Cells:
    """Texts, none of them null, as cells in one buffer."""
    wide = texts.cast(pa.large_string())
    _, offsets, data = wide.buffers()
    ends = np.frombuffer(offsets, np.int64)[wide.offset : wide.offset + len(wide) + 1]
    buffer = kernels.padded(b"" if data is None else memoryview(data))
    return Cells(buffer, ends[:-1] + PAD, ends[1:] + PAD)


def _as_numbers(column: Column, search: TypeSearch) -> TypedBlock:
    """Numbers as numbers of another kind, or under other codes, without going through text."""
    values, known, written = _numbers(column)
    reasons = np.where(known, 0, IS_BLANK).astype(np.uint8)
    rule, unread = search.rule, np.zeros(0, np.int64)
    by_value(values, reasons, rule.codes, rule.decimal, rule.implied)
    known = reasons == 0
    parts = [ranged(values, reasons, rule.codes)]
    if rule.kind == "integer":
        values, whole, texts = _whole(values, known, rule.decimal)
        unread = np.flatnonzero(known & ~whole)
        parts.append(Withheld(unread, texts))
        known &= whole
        reasons[unread] = IS_UNREADABLE
    else:
        values = values.astype(np.float64)
    kind = pa.int64() if rule.kind == "integer" else pa.float64()
    marks = False
    if len(written):
        rest = search.take(cells_of(written.texts), written.cells)
        marks, where, taken = rest.marks, written.cells, rest.converted
        reasons[where] = taken.reasons
        values[where] = numpy_of(taken.values)
        known[where] = taken.reasons == 0
        unread = np.sort(np.concatenate([unread, where[taken.unread]]))
        parts.append(Withheld(where[rest.withheld.cells], rest.withheld.texts))
    done = Converted(kernels.arrow(values, known, kind), reasons, unread)
    return TypedBlock(rule.kind, done, marks, merged(parts))


def _numbers(column: Column) -> tuple[np.ndarray, Flags, Withheld]:
    """Values and the numbers of codes; which cells have one; and what stood in the others."""
    values = numpy_of(column.values).copy()
    reasons, known = column.reasons, column.reasons == 0
    for place, code in enumerate(column.variable.missing):
        hit = reasons == FIRST_CODE + place
        if not hit.any() or not isinstance(code.value, (int, float)):
            continue
        if isinstance(code.value, float) and not code.value.is_integer():
            values = values.astype(np.float64)
        values[hit] = code.value
        known |= hit
    cells, texts = missing_texts(column)
    from_range = np.isin(reasons[cells], _ranges(column.variable))
    numbers = [float(text) for text in texts.filter(arrow_flags(from_range)).to_pylist()]
    if any(not number.is_integer() for number in numbers):
        values = values.astype(np.float64)
    values[cells[from_range]] = numbers
    known[cells[from_range]] = True
    other = ~known[cells]
    return values, known, Withheld(cells[other], texts.filter(arrow_flags(other)))


def _ranges(variable: Variable) -> list[int]:
    return [FIRST_CODE + place for place, code in enumerate(variable.missing) if code.value is None]


def _whole(
    values: np.ndarray, known: Flags, decimal: str
) -> tuple[np.ndarray, Flags, pa.StringArray]:
    """As integers, which of them are exactly that, and the others as the source writes numbers."""
    if values.dtype == np.int64:
        return values, np.ones(len(values), bool), kernels.strings([])
    fits = (values == np.floor(values)) & (np.abs(values) < LARGEST)
    others = [plain_text(each).replace(".", decimal) for each in values[known & ~fits].tolist()]
    return np.where(fits, values, 0).astype(np.int64), fits, kernels.strings(others)


def _changes(old: Column, new: Column, rows: RowNumbers | None) -> list[Change]:
    """What taking a column again has changed; nothing to tell gives no entry."""
    had, has = old.reasons == 0, new.reasons == 0
    kinds = (old.variable.type or "", new.variable.type or "")
    lost = had & ~has
    moved = ~had & ~has & (old.reason_names() != new.reason_names())
    if kinds[0] == kinds[1] and not (lost | moved | (~had & has)).any():
        return []
    cells = new.withheld.cells[new.reasons[new.withheld.cells] == IS_UNREADABLE]
    fresh = cells[(old.reasons[cells] != IS_UNREADABLE) | (kinds[0] != kinds[1])]
    at = rows.at(fresh) if rows is not None else fresh + 1
    files = [] if rows is None or not rows.files else rows.files_at(fresh)
    return [
        Change(
            variable=new.variable.name,
            before=kinds[0],
            after=kinds[1],
            converted=int(np.count_nonzero(had & has)) if kinds[0] != kinds[1] else 0,
            missing=_counted(new, lost | moved),
            returned=_counted(old, ~had & has),
            problems=_problems(new, kinds[1] or "text", fresh, at, files),
        )
    ]


def _counted(column: Column, cells: Flags) -> dict[str, int]:
    return column.named(np.bincount(column.reasons[cells], minlength=256))


def rename(dataset: D, names: str | Renaming, new: str | None = None) -> D:
    """See `Dataset.rename`."""
    changes = renamed(names, new, dataset.names)
    return _called(dataset, changes, declaring.rename(known_plan(dataset), changes))


def make_names_plain(dataset: D, longest: int | None) -> D:
    """See `Dataset.make_names_plain`."""
    made, notes = plain_names(dataset.names, longest)
    changes = {old: name for old, name in zip(dataset.names, made, strict=True) if old != name}
    plain = _called(dataset, changes, declaring.with_plain_names(known_plan(dataset), changes))
    receipt = msgspec.structs.replace(plain.receipt, notes=(*plain.receipt.notes, *notes))
    return msgspec.structs.replace(plain, receipt=receipt)


def declare_labels(dataset: D, labels: Mapping[str, str]) -> D:
    """The dataset with a label for each of these variables."""
    plan = declaring.declare_labels(known_plan(dataset), labels)
    named = {each.name: each for each in dataset.variables if each.name in labels}
    columns = {
        name: declared(old, {"label": labels[name]}, sets=plan.meaning_sets)
        for name, old in named.items()
    }
    return changed(dataset, columns, plan)


def declare_set(dataset: D, name: str, meanings: Any) -> D:
    """See `Dataset.declare_set`."""
    plan = declaring.declare_set(dataset.plan, name, meanings)
    using = [each.name for each in dataset.variables if each.meaning_set == name]
    made = msgspec.structs.replace(dataset, plan=plan)
    return declare(made, using, {"meanings": name}) if using else made


def _called(dataset: D, changes: Mapping[str, str], plan: Decisions) -> D:
    """The dataset with variables under other names."""
    columns: dict[str, Column | Variable] = {}
    planned = {each.name: each for each in plan.variables}
    for old, new in changes.items():
        label = dataset[old].variable.label or planned[new].label
        named = called(dataset[old].variable, new)
        columns[old] = msgspec.structs.replace(named, label=label)
    return changed(dataset, columns, plan)


def _problems(column: Column, kind: str, cells: Ints, rows: Ints, files: Sequence[str]) -> Problems:
    """Cells that could not be converted, with their rows, and their files in a set."""
    texts, name = column.withheld.only(cells).texts, column.variable.name
    if not files:
        return Problems([(name, kind, rows, texts)] if len(cells) else [])
    parts = [
        (name, kind, rows[place : place + 1], texts[place : place + 1])
        for place in range(len(cells))
    ]
    return Problems(parts, files)
