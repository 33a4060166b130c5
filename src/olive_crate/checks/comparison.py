"""`compare`: what two datasets have alike, and where they differ."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

import msgspec
import numpy as np
import pyarrow as pa

from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..declaration.variable import NUMERIC, Variable, parts_of
from ..errors import PlanError, nearest
from ..kernels.buffers import numpy_of, or_empty
from ..kernels.types import Flags, Ints
from ..views import Worded
from .figures import FigureDifference, figure_differences
from .matching import EXAMPLES, comparable, matched_rows, shown, source_file, source_row

if TYPE_CHECKING:
    import pandas

LEFT_OUT: dict[str, tuple[str, ...]] = {
    "reasons": ("missing",),
    "labels": ("label", "meanings", "meaning_set"),
    "declarations": (),
}
"""What a comparison can leave out, with the parts of declarations that belong to it."""


class CellDifference(msgspec.Struct, frozen=True):
    """One cell that differs: its row in either source, and what stands there."""

    row: int
    other_row: int
    value: str
    other: str
    file: str = ""
    other_file: str = ""
    """The files of sets."""


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
    unknown_headings: tuple[str, ...] = ()
    """Headings of the table of figures that name no figure known here."""
    doubled_here: tuple[str, ...] = ()
    """The first keys that occur more than once; their rows are not compared."""
    doubled_there: tuple[str, ...] = ()
    doubled_rows: tuple[int, int] = (0, 0)
    """Rows here and there with such a key."""
    blank_keys: tuple[int, int] = (0, 0)
    """Rows here and there in which a part of the key is missing; they are not compared."""
    blank_here: tuple[str, ...] = ()
    """The first of these rows."""
    blank_there: tuple[str, ...] = ()

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
    given, unknown = figure_differences(dataset, figures, headings, tolerance, relative)
    rows = dataset.rows
    return Comparison(rows, rows, rows, (), figures=given, unknown_headings=unknown)


def compare_datasets(
    here: PlainDataset,
    there: PlainDataset,
    key: str | Sequence[str] | None,
    tolerance: float,
    relative: float,
    without: Collection[str] = (),
) -> Comparison:
    """What agrees and what differs between two datasets. Raises `PlanError` for an unknown key."""
    for part in without:
        if part not in LEFT_OUT:
            raise PlanError(f'without: there is no "{part}"{nearest(part, LEFT_OUT)}')
    names = [name for name in here.names if name in there]
    matched = matched_rows(here, there, key)
    here_rows, there_rows = matched.here, matched.there
    allowed = _Allowed(tolerance, relative, "reasons" not in without)
    agreeing, differing = [], []
    for name in names:
        found = _cells(here, there, name, here_rows, there_rows, allowed)
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
        unmatched_here=matched.left_here,
        unmatched_there=matched.left_there,
        declarations=tuple(_declarations(here, there, names, without)),
        doubled_here=matched.doubled_here,
        doubled_there=matched.doubled_there,
        doubled_rows=matched.doubled_rows,
        blank_keys=matched.blank,
        blank_here=matched.blank_here,
        blank_there=matched.blank_there,
    )


class _Allowed(NamedTuple):
    """What is no difference."""

    absolute: float
    relative: float
    reasons: bool
    """Reasons are compared: cells without a value differ if their reasons do."""


def _cells(
    here: PlainDataset,
    there: PlainDataset,
    name: str,
    here_rows: Ints,
    there_rows: Ints,
    allowed: _Allowed,
) -> VariableDifference | None:
    """How the cells of one variable differ; `None` if they do not."""
    one, other = here.held(name).taken(here_rows), there.held(name).taken(there_rows)
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
                source_row(here, int(here_rows[case])),
                source_row(there, int(there_rows[case])),
                shown(one, int(case)),
                shown(other, int(case)),
                source_file(here, int(here_rows[case])),
                source_file(there, int(there_rows[case])),
            )
            for case in cases[:EXAMPLES]
        ),
    )


def _differ(one: Column, other: Column, allowed: _Allowed) -> tuple[Flags, float | None]:
    """Which cells differ: values, or the words for why there is none; the largest difference."""
    if allowed.reasons:
        differ = np.asarray(one.reason_names() != other.reason_names())
    else:
        differ = (one.reasons == 0) != (other.reasons == 0)
    both = (one.reasons == 0) & (other.reasons == 0)
    if one.variable.type in NUMERIC and other.variable.type in NUMERIC:
        first, second = _exact(one), _exact(other)
        with np.errstate(invalid="ignore"):
            apart = np.abs(first - second)
            larger = np.maximum(np.abs(first), np.abs(second))
            far = apart > allowed.absolute + allowed.relative * larger
        differ |= both & far
        largest = float(apart[both & far].max()) if (both & far).any() else None
        return differ, largest
    texts = [or_empty(comparable(each)).to_pylist() for each in (one, other)]
    unequal = np.array([a != b for a, b in zip(*texts, strict=True)], bool)
    return differ | (both & unequal), None


def _exact(column: Column) -> np.ndarray:
    """Numbers with the 64 bits of precision that whole ones need."""
    if pa.types.is_integer(column.values.type):
        return numpy_of(column.values).astype(np.longdouble)
    return np.asarray(column.to_numpy().astype(np.longdouble))


def _declarations(
    here: PlainDataset, there: PlainDataset, names: Sequence[str], without: Collection[str]
) -> Iterable[PartDifference]:
    if "declarations" in without:
        return
    hidden = {part for each in without for part in LEFT_OUT[each]}
    for name in names:
        own, other = (_parts(each[name].variable) for each in (here, there))
        for part in dict.fromkeys([*own, *other]):
            if part not in hidden and own.get(part) != other.get(part):
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
