"""Declarations after the read.

A declaration that only says what a variable means leaves its column as it is. One that says how
cells are taken (type, format, codes) takes them again, from what stood in them: values, the codes
that made cells missing, and the texts that could not be read are all still there. Text goes through
the very conversion that a load uses, so that declaring before and after the read is the same.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
import pyarrow as pa

from . import declaring, kernels
from .celltexts import missing_texts, source_texts
from .choosing import Names, chosen
from .codes import FIRST_CODE
from .columns import Column
from .convert.finding import Finder, Found
from .convert.missing import by_value, plain_text, ranged
from .convert.rule import IS_BLANK, IS_UNREADABLE, Converted
from .declaring import called
from .fields import Field
from .finders import finder_for
from .finishing import (
    final_kind,
    final_reasons,
    final_variable,
    is_stale,
    settled_values,
)
from .kernels.reference import Flags
from .kernels.reference.words import PAD
from .naming import Renaming, plain_names, renamed
from .plan import Plan
from .reading import (
    Slot,
    article,
)
from .receipt import Change, Problems
from .records.spans import Cells
from .rownumbers import RowNumbers
from .variables import NUMERIC, TAKING, Variable, declared
from .withheld import Withheld, merged

if TYPE_CHECKING:
    from .dataset import Dataset

TEXTUAL = ("text", "category")
LARGEST = 2.0**63


def declare(dataset: Dataset, names: Names, parts: Mapping[str, Any]) -> Dataset:
    """See `Dataset.declare`."""
    wanted = chosen(names, dataset.variables)
    given = dict(parts)
    new = given.pop("name", None)
    made = _declared(dataset, wanted, given) if given else dataset
    return made if new is None else made.rename(dict.fromkeys(wanted, new))


def _declared(dataset: Dataset, wanted: list[str], parts: Mapping[str, Any]) -> Dataset:
    plan = known_plan(dataset).declare(wanted, **parts)
    by_name = {each.name: each for each in dataset.variables}
    columns: dict[str, Column | Variable] = {}
    changes: list[Change] = []
    for name in wanted:
        old, planned = by_name[name], plan.variable(name)
        if not set(parts) & set(TAKING):
            columns[name] = declared(old, parts, sets=plan.label_sets)
            continue
        described = {part: value for part, value in parts.items() if part not in TAKING}
        asked = _asked(declared(old, described, sets=plan.label_sets), planned, plan)
        column = _taken_again(dataset[name], asked, plan)
        columns[name] = column
        changes += _changes(dataset[name], column, dataset.source_rows)
    receipt = msgspec.structs.replace(dataset.receipt, changes=(*dataset.receipt.changes, *changes))
    return dataset.changed(columns, plan, receipt)


def known_plan(dataset: Dataset) -> Plan:
    """The dataset's plan, with a declaration for each of its variables."""
    plan = dataset.plan
    known = {each.name for each in plan.variables}
    more = tuple(
        Variable(each.name, each.from_) for each in dataset.variables if each.name not in known
    )
    return msgspec.structs.replace(plan, variables=plan.variables + more)


def _asked(old: Variable, planned: Variable, plan: Plan) -> Variable:
    """How the cells are to be taken: as the plan says; a found type stays, unless it was text."""
    kind = planned.type or plan.type
    stays = kind is None and old.type not in TEXTUAL
    alike = stays or kind == old.type
    return msgspec.structs.replace(
        old,
        type=old.type if stays else kind,
        format=planned.format or (old.format if alike else None),
        true=planned.true or (old.true if alike else ()),
        false=planned.false or (old.false if alike else ()),
        decimals=planned.decimals if (kind or old.type) != "number" else old.decimals,
        missing=planned.missing,
        codes_for_all=planned.codes_for_all,
    )


def _taken_again(column: Column, asked: Variable, plan: Plan) -> Column:
    field = next((each for each in plan.fields or () if each.name == asked.heading), None)
    finder = _finder(column.variable, asked, plan, field)
    slot = Slot(0, asked, finder)
    if column.variable.type in NUMERIC and asked.type in NUMERIC:
        found = _as_numbers(column, finder)
    else:
        cells = cells_of(source_texts(column))
        found = finder.take(cells, np.arange(len(column)))
        if is_stale(slot, found):
            finder.kind, finder.fixed = final_kind(slot), True
            found = finder.again(cells)
    return Column(
        final_variable(slot),
        settled_values(slot, [found]),
        final_reasons(slot, found.converted.reasons),
        found.withheld,
    )


def _finder(old: Variable, asked: Variable, plan: Plan, field: Field | None) -> Finder:
    """The finder of a load; errors of a sheet stay codes, which no declaration gave."""
    finder = finder_for(plan, asked, field)
    known = {str(code) for code in finder.rule.codes}
    errors = tuple(
        code
        for code in old.missing
        if plan.layout == "sheet" and str(code).startswith("#") and str(code) not in known
    )
    finder.rule = msgspec.structs.replace(finder.rule, codes=finder.rule.codes + errors)
    return finder


def cells_of(texts: pa.Array) -> Cells:
    """Texts, none of them null, as cells in one buffer."""
    wide = texts.cast(pa.large_string())
    _, offsets, data = wide.buffers()
    ends = np.frombuffer(offsets, np.int64)[wide.offset : wide.offset + len(wide) + 1]
    buffer = kernels.padded(b"" if data is None else memoryview(data))
    return Cells(buffer, ends[:-1] + PAD, ends[1:] + PAD)


def _as_numbers(column: Column, finder: Finder) -> Found:
    """Numbers as numbers of another kind, or under other codes, without going through text."""
    values, known, written = _numbers(column)
    reasons = np.where(known, 0, IS_BLANK).astype(np.uint8)
    rule, unread = finder.rule, np.zeros(0, np.int64)
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
        rest = finder.take(cells_of(written.texts), written.cells)
        marks, where, taken = rest.marks, written.cells, rest.converted
        reasons[where] = taken.reasons
        values[where] = taken.values.fill_null(0).to_numpy(zero_copy_only=False)
        known[where] = taken.reasons == 0
        unread = np.sort(np.concatenate([unread, where[taken.unread]]))
        parts.append(Withheld(where[rest.withheld.cells], rest.withheld.texts))
    done = Converted(kernels.arrow(values, known, kind), reasons, unread)
    return Found(rule.kind, done, marks, merged(parts))


def _numbers(column: Column) -> tuple[np.ndarray, Flags, Withheld]:
    """Values and the numbers of codes; which cells have one; and what stood in the others."""
    values = column.values.fill_null(0).to_numpy(zero_copy_only=False).copy()
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
    numbers = [float(text) for text in texts.filter(pa.array(from_range)).to_pylist()]
    if any(not number.is_integer() for number in numbers):
        values = values.astype(np.float64)
    values[cells[from_range]] = numbers
    known[cells[from_range]] = True
    other = ~known[cells]
    return values, known, Withheld(cells[other], texts.filter(pa.array(other)))


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
    why = f"is not {article(kinds[1] or 'text')}"
    return [
        Change(
            variable=new.variable.name,
            before=kinds[0],
            after=kinds[1],
            converted=int(np.count_nonzero(had & has)) if kinds[0] != kinds[1] else 0,
            missing=_counted(new, lost | moved),
            returned=_counted(old, ~had & has),
            problems=Problems(
                [(new.variable.name, why, at, new.withheld.only(fresh).texts)] if len(fresh) else []
            ),
        )
    ]


def _counted(column: Column, cells: Flags) -> dict[str, int]:
    return column.named(np.bincount(column.reasons[cells], minlength=256))


def rename(dataset: Dataset, names: str | Renaming, new: str | None = None) -> Dataset:
    """See `Dataset.rename`."""
    changes = renamed(names, new, dataset.names)
    return _called(dataset, changes, known_plan(dataset).rename(changes))


def make_names_plain(dataset: Dataset, longest: int | None) -> Dataset:
    """See `Dataset.make_names_plain`."""
    made, notes = plain_names(dataset.names, longest)
    changes = {old: name for old, name in zip(dataset.names, made, strict=True) if old != name}
    told = _called(dataset, changes, declaring.with_plain_names(known_plan(dataset), changes))
    receipt = msgspec.structs.replace(told.receipt, notes=(*told.receipt.notes, *notes))
    return msgspec.structs.replace(told, receipt=receipt)


def _called(dataset: Dataset, changes: Mapping[str, str], plan: Plan) -> Dataset:
    """The dataset with variables under other names."""
    columns: dict[str, Column | Variable] = {}
    for old, new in changes.items():
        label = dataset[old].variable.label or plan.variable(new).label
        named = called(dataset[old].variable, new)
        columns[old] = msgspec.structs.replace(named, label=label)
    return dataset.changed(columns, plan)
