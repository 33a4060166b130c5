"""Frequency tables: of one variable, of several, and of two crossed."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import TYPE_CHECKING, Any, overload

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..columns.column import Column, reason_totals
from ..columns.dictionary_encoding import decoded, encoded
from ..columns.meanings import meaning_of
from ..dataset.model import PlainDataset
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC, Variable
from ..errors import PlanError, several
from ..kernels.buffers import numpy_of
from ..plan.selecting import Names, chosen
from ..views import Worded
from .prefetch import ahead
from .spread import over

if TYPE_CHECKING:
    import pandas

NARROW = 1 << 16
"""Whole numbers within so small a range are counted without hashing."""


class Count(msgspec.Struct, frozen=True):
    """One value, or one bin, with how many cases have it."""

    value: Any
    label: str
    cases: int
    share: float
    """Of all cases, from 0 to 1."""
    share_answered: float
    """Of the cases that have a value."""
    running: float
    """The share of the answered cases that have this value or one before it."""


class Counts(Worded, msgspec.Struct, frozen=True):
    """The frequency table of one variable."""

    variable: Variable
    cases: int
    rows: tuple[Count, ...]
    """In the order of the values."""
    missing: dict[str, int]
    """Cells without a value, by reason."""

    @property
    def answered(self) -> int:
        """How many cases have a value."""
        return self.cases - sum(self.missing.values())

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        rows = [msgspec.structs.asdict(each) for each in self.rows]
        return {
            "variable": self.variable.name,
            "label": self.variable.label,
            "cases": self.cases,
            "answered": self.answered,
            "counts": [row | {"value": _plain(row["value"])} for row in rows],
            "missing": self.missing,
        }

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each value. Needs the extra `pandas`."""
        from .frames import frame

        return frame([msgspec.structs.asdict(each) for each in self.rows], Count.__struct_fields__)


class CountTables(Worded, Sequence[Counts]):
    """The frequency tables of several variables."""

    def __init__(self, tables: Sequence[Counts]) -> None:
        self._tables = tuple(tables)

    def __len__(self) -> int:
        return len(self._tables)

    @overload
    def __getitem__(self, index: int) -> Counts: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Counts]: ...
    def __getitem__(self, index: int | slice) -> Counts | Sequence[Counts]:
        return self._tables[index]

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        return {"tables": [each.to_dict() for each in self]}


class Crossed(Worded, msgspec.Struct, frozen=True):
    """Two variables crossed: cells that have both values, counted."""

    down: Variable
    across: Variable
    down_values: tuple[Any, ...]
    across_values: tuple[Any, ...]
    counts: tuple[tuple[int, ...], ...]
    """Shaped (values down, values across)."""
    total: int
    either_missing: int
    down_missing: dict[str, int] = {}
    """Cases without a value of the first, by reason."""
    across_missing: dict[str, int] = {}
    both_missing: int = 0

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        return {
            "down": self.down.name,
            "across": self.across.name,
            "down_values": [_plain(each) for each in self.down_values],
            "across_values": [_plain(each) for each in self.across_values],
            "counts": [list(row) for row in self.counts],
            "total": self.total,
            "either_missing": self.either_missing,
            "down_missing": self.down_missing,
            "across_missing": self.across_missing,
            "both_missing": self.both_missing,
        }

    def to_pandas(self) -> pandas.DataFrame:
        """The counts, values down as rows and values across as columns."""
        from .frames import frame

        heads = [value_words(each, self.across) for each in self.across_values]
        made = frame([dict(zip(heads, row, strict=True)) for row in self.counts], heads)
        made.index = [value_words(each, self.down) for each in self.down_values]
        return made


def counts(
    dataset: PlainDataset,
    names: Names,
    by: str | None = None,
    bins: int | Sequence[float] | None = None,
    by_label: bool = False,
) -> Counts | CountTables | Crossed:
    """See `Dataset.counts`."""
    wanted = chosen(names, dataset.variables)
    by_name = {each.name: each for each in dataset.variables}
    if by is not None:
        other = chosen(by, dataset.variables)
        if len(wanted) != 1 or len(other) != 1:
            raise PlanError("by: expected one variable to cross with one other")
        if bins is not None:
            raise PlanError("bins: two crossed variables are not put into bins; leave it out")
        if by_label:
            raise PlanError("by_label: two crossed variables are counted by value; leave it out")
        return _crossed(dataset, by_name[wanted[0]], by_name[other[0]])
    tables = [_counts(by_name[name], dataset, bins, by_label) for name in wanted]
    return tables[0] if isinstance(names, str) and len(tables) == 1 else CountTables(tables)


def _counts(
    variable: Variable,
    dataset: PlainDataset,
    bins: int | Sequence[float] | None,
    by_label: bool,
) -> Counts:
    """Piece by piece, so that a packed column is never held as a whole."""
    numeric = variable.type in NUMERIC
    edges = _edges(variable, dataset, bins) if bins is not None and numeric else None
    met: dict[Any, int] = {}
    reasons = np.zeros(256, np.int64)
    for held, found in over(dataset, [variable.name], _counted, edges):
        reasons += held
        for value, count in found.items():
            met[value] = met.get(value, 0) + count
    total, valid = int(reasons.sum()), int(reasons[0])
    if edges is None:
        ranked = sorted(met.items(), key=lambda item: item[0])
        rows = [(value, _label(value, variable), count) for value, count in ranked]
        rows = _labelled(rows) if by_label else rows
    else:
        named = _bin_words(edges, variable)
        rows = [(named[place], "", met.get(place, 0)) for place in range(len(edges) - 1)]
    made, running = [], 0
    for value, label, count in rows:
        running += count
        made.append(
            Count(
                value,
                label,
                count,
                count / total if total else 0.0,
                count / valid if valid else 0.0,
                running / valid if valid else 0.0,
            )
        )
    column = Column(variable, pa.nulls(0), np.zeros(0, np.uint8))
    return Counts(variable, total, tuple(made), column.named(reasons))


def _labelled(rows: list[tuple[Any, str, int]]) -> list[tuple[Any, str, int]]:
    """Values of one label as one row, in the place of the first; others as they are."""
    made: dict[Any, tuple[Any, str, int]] = {}
    for value, label, count in rows:
        key = label or ("", value)
        first, _, before = made.get(key, (label or value, "", 0))
        made[key] = (first, "", before + count)
    return list(made.values())


def _counted(
    pieces: Sequence[Iterator[Column]], edges: np.ndarray | None
) -> tuple[np.ndarray, dict[Any, int]]:
    """How often each reason, and each value or bin, occurs."""
    reasons, met = np.zeros(256, np.int64), dict[Any, int]()
    for piece in pieces[0]:
        reasons += reason_totals(piece.reasons)
        found = _tally(piece) if edges is None else _binned(piece, edges)
        for value, count in found:
            met[value] = met.get(value, 0) + count
    return reasons, met


def _label(value: Any, variable: Variable) -> str:
    found = meaning_of(value, variable.meanings)
    return "" if found is None else found.label


def _tally(piece: Column) -> Iterator[tuple[Any, int]]:
    """Values with their counts; whole numbers of a small range without hashing."""
    values = piece.values
    if piece.variable.type == "integer" and len(values) > values.null_count:
        numbers = numpy_of(values.drop_null() if values.null_count else values)
        low, high = int(numbers.min()), int(numbers.max())
        if high - low < NARROW:
            counted = np.bincount(numbers - low)
            met = np.flatnonzero(counted)
            yield from zip((met + low).tolist(), counted[met].tolist(), strict=True)
            return
    if pa.types.is_duration(values.type):
        values = values.cast(pa.int64())
    found = values.value_counts()
    items = decoded(found.field("values").cast(piece.values.type, safe=False))
    for value, count in zip(items.to_pylist(), found.field("counts").to_pylist(), strict=True):
        if value is not None:
            yield value, count


def _edges(variable: Variable, dataset: PlainDataset, bins: int | Sequence[float]) -> np.ndarray:
    """The edges of bins: as given, or so many of a round width."""
    if not isinstance(bins, int):
        edges = np.asarray(list(bins), np.float64)
        if len(edges) < 2 or not bool(np.all(np.diff(edges) > 0)):
            raise PlanError("bins: expected at least two ascending edges")
        return edges
    if bins < 1:
        raise PlanError(f"bins: expected at least 1, got {bins}")
    ends = [
        (limits["min"], limits["max"])
        for piece in ahead(dataset.column_pieces(variable.name))
        if (limits := pc.min_max(piece.values).as_py())["min"] is not None
    ]
    low = min((low for low, _ in ends), default=0)
    high = max((high for _, high in ends), default=1)
    lowest, highest = Decimal(repr(low)), Decimal(repr(high))
    width = _round_width((highest - lowest) / bins or Decimal(1))
    first = int(lowest // width) - (lowest % width < 0)
    many = int((highest - first * width) // width) + 1
    return np.array([float((first + place) * width) for place in range(many + 1)])


def _round_width(width: Decimal) -> Decimal:
    """The next 1, 2, 2.5 or 5 times a power of ten that is no narrower."""
    scale = Decimal(1).scaleb(width.adjusted())
    steps = (Decimal(1), Decimal(2), Decimal("2.5"), Decimal(5), Decimal(10))
    return next(step * scale for step in steps if step * scale >= width)


def _binned(piece: Column, edges: np.ndarray) -> Iterator[tuple[int, int]]:
    """Bins hold their lower edge; the last one holds its upper edge too."""
    numbers = numpy_of(piece.values.drop_null())
    place = np.searchsorted(edges, numbers, "right") - 1
    place[numbers == edges[-1]] = len(edges) - 2
    inside = place[(place >= 0) & (place < len(edges) - 1)]
    if len(inside) < len(numbers):
        left = numbers[(place < 0) | (place >= len(edges) - 1)]
        raise PlanError(
            f'"{piece.variable.name}": {several(len(left), "value")} outside of the bins, '
            f"the first is {value_text(left[0].item())}"
        )
    yield from enumerate(np.bincount(inside, minlength=len(edges) - 1).tolist())


def _bin_words(edges: np.ndarray, variable: Variable) -> list[str]:
    ends = [value_text(each) for each in edges.tolist()]
    words = [f"{low} up to {high}" for low, high in itertools.pairwise(ends)]
    words[-1] = f"{ends[-2]} to {ends[-1]}"
    return words


def _crossed(dataset: PlainDataset, down: Variable, across: Variable) -> Crossed:
    met: dict[tuple[Any, Any], int] = {}
    total = both = neither = 0
    reasons = np.zeros((2, 256), np.int64)
    pairs = zip(dataset.column_pieces(down.name), dataset.column_pieces(across.name), strict=True)
    for one, other in pairs:
        left, right = encoded(one.values), encoded(other.values)
        there = (one.reasons == 0) & (other.reasons == 0)
        width = len(right.dictionary) or 1
        places = numpy_of(left.indices)[there].astype(np.int64)
        others = numpy_of(right.indices)[there]
        counted = np.bincount(places * width + others)
        firsts, seconds = left.dictionary.to_pylist(), right.dictionary.to_pylist()
        for place in np.flatnonzero(counted).tolist():
            key = (firsts[place // width], seconds[place % width])
            met[key] = met.get(key, 0) + int(counted[place])
        total += len(one)
        both += int(np.count_nonzero(there))
        neither += int(np.count_nonzero((one.reasons != 0) & (other.reasons != 0)))
        reasons += np.stack([reason_totals(one.reasons), reason_totals(other.reasons)])
    downs = sorted({key[0] for key in met})
    acrosses = sorted({key[1] for key in met})
    grid = tuple(tuple(met.get((one, other), 0) for other in acrosses) for one in downs)
    why = [
        Column(each, pa.nulls(0), np.zeros(0, np.uint8)).named(found)
        for each, found in zip((down, across), reasons, strict=True)
    ]
    return Crossed(
        down,
        across,
        tuple(downs),
        tuple(acrosses),
        grid,
        total,
        total - both,
        why[0],
        why[1],
        neither,
    )


def _plain(value: Any) -> Any:
    return value if isinstance(value, (int, float, str, bool)) else str(value)


def value_words(value: Any, variable: Variable) -> str:
    label = _label(value, variable)
    return f"{value_text(value)} {label}" if label else value_text(value)
