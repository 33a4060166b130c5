"""`compare`: what two datasets have alike, and where they differ."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
import pyarrow as pa

from ..columns.cell_texts import value_texts
from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC, Variable, parts_of
from ..errors import PlanError
from ..kernels.types import Flags, Ints
from ..plan.selecting import resolve
from ..views import Worded
from .figures import FigureDifference, figure_differences

if TYPE_CHECKING:
    import pandas

EXAMPLES = 10


class CellDifference(msgspec.Struct, frozen=True):
    """One cell that differs: its row in either source, and what stands there."""

    row: int
    other_row: int
    value: str
    other: str


class VariableDifference(msgspec.Struct, frozen=True):
    """The cells of one variable that differ."""

    name: str
    count: int
    largest: float | None
    """The largest difference of numbers; `None` where none was of numbers."""
    examples: tuple[CellDifference, ...]


class PartDifference(msgspec.Struct, frozen=True):
    """A part of a declaration that differs."""

    name: str
    part: str
    value: str
    other: str


class Comparison(Worded, msgspec.Struct, frozen=True):
    """What agrees and what differs between two datasets, or with figures from elsewhere."""

    rows: int
    other_rows: int
    matched: int
    """Rows that were compared."""
    agreeing: tuple[str, ...]
    """Variables that are equal in all these rows."""
    differing: tuple[VariableDifference, ...] = ()
    only_here: tuple[str, ...] = ()
    only_there: tuple[str, ...] = ()
    unmatched_here: tuple[str, ...] = ()
    """The first keys (or rows) without a counterpart; how many is `rows - matched`."""
    unmatched_there: tuple[str, ...] = ()
    declarations: tuple[PartDifference, ...] = ()
    figures: tuple[FigureDifference, ...] = ()
    """Figures from elsewhere, those that agree too."""

    @property
    def equal(self) -> bool:
        """Does everything agree?"""
        return not (
            self.differing
            or self.only_here
            or self.only_there
            or self.declarations
            or self.rows != self.matched
            or self.other_rows != self.matched
            or any(not each.agrees for each in self.figures)
        )

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain | {"equal": self.equal}

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each cell that is named as differing. Needs the extra `pandas`."""
        from ..describe.frames import frame

        rows = [
            {"variable": each.name} | msgspec.structs.asdict(cell)
            for each in self.differing
            for cell in each.examples
        ]
        return frame(rows, ["variable", *CellDifference.__struct_fields__])


def compare_figures(
    dataset: PlainDataset,
    figures: Any,
    headings: Mapping[str, str],
    tolerance: float,
    relative: float,
) -> Comparison:
    """The dataset's figures against those of a table from elsewhere."""
    given = figure_differences(dataset, figures, headings, tolerance, relative)
    return Comparison(dataset.rows, dataset.rows, dataset.rows, (), figures=given)


def compare_datasets(
    here: PlainDataset,
    there: PlainDataset,
    key: str | Sequence[str] | None,
    tolerance: float,
    relative: float,
) -> Comparison:
    """What agrees and what differs between two datasets. Raises `PlanError` for an unusable key."""
    names = [name for name in here.names if name in there]
    here_rows, there_rows, lost = _matched(here, there, key)
    agreeing, differing = [], []
    for name in names:
        found = _cells(here, there, name, here_rows, there_rows, (tolerance, relative))
        if found is None:
            agreeing.append(name)
        else:
            differing.append(found)
    return Comparison(
        rows=here.rows,
        other_rows=there.rows,
        matched=len(here_rows),
        agreeing=tuple(agreeing),
        differing=tuple(differing),
        only_here=tuple(name for name in here.names if name not in there),
        only_there=tuple(name for name in there.names if name not in here),
        unmatched_here=lost[0],
        unmatched_there=lost[1],
        declarations=tuple(_declarations(here, there, names)),
    )


def _matched(
    here: PlainDataset, there: PlainDataset, key: str | Sequence[str] | None
) -> tuple[Ints, Ints, tuple[tuple[str, ...], tuple[str, ...]]]:
    """The rows that belong together on either side, and the first without a counterpart."""
    if key is None:
        both = np.arange(min(here.rows, there.rows))
        ends = [
            tuple(f"row {_row(each, case)}" for case in range(len(both), each.rows)[:EXAMPLES])
            for each in (here, there)
        ]
        return both, both, (ends[0], ends[1])
    names = resolve(key, [name for name in here.names if name in there])
    codes = _joint_codes(here, there, names)
    own, other = codes[: here.rows], codes[here.rows :]
    for each, numbers in ((here, own), (there, other)):
        _, first, counts = np.unique(numbers, return_index=True, return_counts=True)
        if (counts > 1).any():
            text = _key_text(each, names, int(first[counts > 1][0]))
            raise PlanError(
                f"key: {text} appears in {int(counts.max())} rows; a key must be unique"
            )
    order = np.argsort(other, kind="stable")
    place = np.minimum(np.searchsorted(other[order], own), max(0, len(other) - 1))
    found = other[order][place] == own if len(other) else np.zeros(len(own), bool)
    here_rows, there_rows = np.flatnonzero(found), order[place[found]] if len(other) else order
    left = np.flatnonzero(~found)[:EXAMPLES]
    right = np.setdiff1d(np.arange(there.rows), there_rows)[:EXAMPLES]
    return (
        here_rows,
        there_rows,
        (
            tuple(_key_text(here, names, int(case)) for case in left),
            tuple(_key_text(there, names, int(case)) for case in right),
        ),
    )


def _joint_codes(here: PlainDataset, there: PlainDataset, names: Iterable[str]) -> Ints:
    """A whole number for each row of both, one side after the other, equal where keys are."""
    joined = np.zeros(here.rows + there.rows, np.int64)
    for name in names:
        texts = [_comparable(each[name]) for each in (here, there)]
        encoded = pa.concat_arrays([each.cast(pa.large_string()) for each in texts])
        places = encoded.dictionary_encode().indices.fill_null(-1).to_numpy(zero_copy_only=False)
        _, joined = np.unique(joined, return_inverse=True)
        joined = joined * (len(joined) + 1) + places.astype(np.int64) + 1
    return joined


def _comparable(column: Column) -> pa.Array:
    """Texts that are equal where values are, whatever the type."""
    if column.variable.type in NUMERIC:
        numbers = column.values.cast(pa.float64(), safe=False).dictionary_encode()
        words = pa.array([value_text(each) for each in numbers.dictionary.to_pylist()], pa.string())
        return pa.DictionaryArray.from_arrays(numbers.indices, words).cast(pa.string())
    plain = msgspec.structs.replace(column.variable, format=None, true=(), false=())
    return value_texts(msgspec.structs.replace(column, variable=plain))


def _key_text(dataset: PlainDataset, names: Sequence[str], case: int) -> str:
    return ", ".join(f"{name} {_shown(dataset[name], case)}" for name in names)


def _shown(column: Column, case: int) -> str:
    value = column.values[case].as_py()
    return f"[{column.why(case)}]" if value is None else value_text(value)


def _row(dataset: PlainDataset, case: int) -> int:
    rows = dataset.source_rows
    return case + 1 if rows is None else int(rows.at(np.array([case]))[0])


def _cells(
    here: PlainDataset,
    there: PlainDataset,
    name: str,
    here_rows: Ints,
    there_rows: Ints,
    allowed: tuple[float, float],
) -> VariableDifference | None:
    """How the cells of one variable differ; `None` if they do not."""
    one, other = here[name].taken(here_rows), there[name].taken(there_rows)
    differ, largest = _differ(one, other, allowed)
    cases = np.flatnonzero(differ)
    if not len(cases):
        return None
    return VariableDifference(
        name,
        len(cases),
        largest,
        tuple(
            CellDifference(
                _row(here, int(here_rows[case])),
                _row(there, int(there_rows[case])),
                _shown(one, int(case)),
                _shown(other, int(case)),
            )
            for case in cases[:EXAMPLES]
        ),
    )


def _differ(one: Column, other: Column, allowed: tuple[float, float]) -> tuple[Flags, float | None]:
    """Which cells differ: values, or the words for why there is none; the largest difference."""
    left, right = one.reason_names(), other.reason_names()
    differ = np.asarray(left != right)
    both = (one.reasons == 0) & (other.reasons == 0)
    if one.variable.type in NUMERIC and other.variable.type in NUMERIC:
        first, second = (each.to_numpy().astype(np.float64) for each in (one, other))
        with np.errstate(invalid="ignore"):
            apart = np.abs(first - second)
            far = apart > allowed[0] + allowed[1] * np.maximum(np.abs(first), np.abs(second))
        differ |= both & far
        largest = float(apart[both & far].max()) if (both & far).any() else None
        return differ, largest
    texts = [_comparable(each).fill_null("").to_pylist() for each in (one, other)]
    unequal = np.array([a != b for a, b in zip(*texts, strict=True)], bool)
    return differ | (both & unequal), None


def _declarations(
    here: PlainDataset, there: PlainDataset, names: Sequence[str]
) -> Iterable[PartDifference]:
    for name in names:
        own, other = (_parts(each[name].variable) for each in (here, there))
        for part in dict.fromkeys([*own, *other]):
            if own.get(part) != other.get(part):
                yield PartDifference(name, part, own.get(part, ""), other.get(part, ""))


def _parts(variable: Variable) -> dict[str, str]:
    """What is declared, in words; what a column is called in a file is no difference."""
    found = {}
    for part, value in parts_of(variable).items():
        if part != "from":
            listed = value if isinstance(value, tuple) else (value,)
            found[part] = ", ".join(_word(each) for each in listed)
    return found


def _word(value: Any) -> str:
    reason = getattr(value, "reason", "")
    return f"{value} {reason}".strip()
