"""Promises held against the data, block by block, as they come out of a read.

Each promise of a plan becomes a check that sees every block once. The values of a promised key are
held in memory; everything else is counted on the way.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..columns.column import Column
from ..columns.dictionary_encoding import decoded
from ..columns.suggestions import plain_numbers
from ..dataset.promises import (
    AllowedValues,
    KeptRelation,
    Pattern,
    Promise,
    Required,
    RowCount,
    Total,
    UniqueKey,
    Within,
)
from ..declaration.patterns import late
from ..declaration.promises import ROW_RANGE, Promised, PromisedValues, sides_of
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC, Variable
from ..errors import PlanError, nearest
from ..kernels.buffers import numpy_of
from ..kernels.types import Flags, Ints

SHOWN = 10
"""Rows and examples that are kept of each broken promise."""
TOLERANCE = 1e-9
"""How far a sum of binary64 numbers may be from a promised total, as a share of it; never more
than half a unit of the last decimal that the total shows."""
WHOLE = late(r"[+-]?\d{1,18}")
COMPARED = {
    "<": np.less,
    "<=": np.less_equal,
    ">": np.greater,
    ">=": np.greater_equal,
    "==": np.equal,
    "!=": np.not_equal,
}


class _Broken(msgspec.Struct):
    """The cases that break one promise."""

    count: int = 0
    rows: list[int] = msgspec.field(default_factory=list)
    examples: list[str] = msgspec.field(default_factory=list)

    def add(self, hit: Flags, rows: Ints, values: Any = None) -> None:
        cells = np.flatnonzero(hit)
        self.count += len(cells)
        for cell in cells[: SHOWN - len(self.rows)]:
            self.rows.append(int(rows[cell]))
            if values is not None:
                self.examples.append(value_text(values[int(cell)].as_py()))

    def as_parts(self) -> dict[str, Any]:
        """The fields that every promise has."""
        return {
            "kept": not self.count,
            "count": self.count,
            "rows": tuple(self.rows),
            "examples": tuple(dict.fromkeys(self.examples)),
        }


class PromiseCheck:
    """Takes blocks of columns and says in the end which promises were kept."""

    def __init__(
        self,
        promised: Promised,
        variables: Sequence[Variable],
        totals: dict[str, float | int] | None = None,
    ) -> None:
        self.promised, self.variables = promised, {each.name: each for each in variables}
        self.named = {} if isinstance(promised.totals, str) else promised.totals
        for name in (*promised.key, *self.named):
            self._known(name, "promised")
        self.rows = 0
        self.keys: list[list[pa.Array]] = [[] for _ in promised.key]
        self.key_rows: list[Ints] = []
        self.broken: dict[tuple[str, type[Promise]], _Broken] = {}
        self.relations = {each: _Broken() for each in promised.relations}
        self.sums: dict[str, list[float | int]] = {name: [] for name in self.named}
        self.totals = totals or {}

    def _known(self, name: str, where: str) -> None:
        if name not in self.variables:
            raise PlanError(
                f'{where}: there is no variable "{name}"{nearest(name, self.variables)}'
            )

    def add(self, columns: Sequence[Column], rows: Ints) -> None:
        """A block of all columns, with the rows of the source that it came from."""
        by_name = {each.variable.name: each for each in columns}
        self.rows += len(rows)
        for name, variable in self.variables.items():
            if variable.required:
                self._note(name, Required, by_name[name].reasons != 0, rows)
            if variable.promised is not None:
                self._values(by_name[name], variable.promised, rows)
        for place, name in enumerate(self.promised.key):
            self.keys[place].append(by_name[name].values)
        if self.promised.key:
            self.key_rows.append(rows)
        for relation in self.relations:
            self._relate(relation, by_name, rows)
        for name in self.sums:
            self._sum(name, by_name[name])

    def _sum(self, name: str, column: Column) -> None:
        if column.variable.type not in NUMERIC:
            raise PlanError(f'promised.totals: "{name}" is not a number')
        self.sums[name].append(_exact_sum(column.values))

    def _note(
        self, name: str, kind: type[Promise], hit: Flags, rows: Ints, values: Any = None
    ) -> None:
        self.broken.setdefault((name, kind), _Broken()).add(hit, rows, values)

    def _values(self, column: Column, promised: PromisedValues, rows: Ints) -> None:
        name, present = column.variable.name, column.reasons == 0
        if promised.from_ is not None or promised.to is not None:
            outside = np.zeros(len(column), bool)
            if promised.from_ is not None:
                outside |= present & ~(column >= promised.from_)
            if promised.to is not None:
                outside |= present & ~(column <= promised.to)
            self._note(name, Within, outside, rows, column.values)
        if promised.allowed:
            other = present & ~column.is_in(promised.allowed)
            self._note(name, AllowedValues, other, rows, column.values)
        if promised.pattern is not None:
            texts = decoded(column.values)
            hit = pc.match_substring_regex(texts.cast(pa.string()), f"^(?:{promised.pattern})$")
            good = numpy_of(hit, True)
            self._note(name, Pattern, present & ~good, rows, texts)

    def _relate(self, relation: str, by_name: dict[str, Column], rows: Ints) -> None:
        sides = sides_of(relation)
        assert sides is not None
        left, right = (self._side(sides[place], by_name, relation) for place in (0, 2))
        with np.errstate(invalid="ignore"):
            good = COMPARED[sides[1]](left[0], right[0])
        self.relations[relation].add(left[1] & right[1] & ~good, rows)

    def _side(self, text: str, by_name: dict[str, Column], at: str) -> tuple[Any, Flags]:
        column = by_name.get(text)
        if column is not None:
            if pa.types.is_integer(column.values.type):  # exact beyond 2^53 too
                whole = numpy_of(column.values)
                return whole, column.reasons == 0
            values = column.to_numpy()
            return (values if values.dtype != object else values.astype("U")), column.reasons == 0
        try:
            return (int(text) if WHOLE.fullmatch(text) else float(text)), np.ones(1, bool)
        except ValueError:
            self._known(text, f'promised.relations: "{at}"')
            raise

    def results(self) -> tuple[Promise, ...]:
        """Each promise, and whether it was kept."""
        return (
            *self._row_count(),
            *self._key(),
            *(self._of_values(name, kind, each) for (name, kind), each in self.broken.items()),
            *(
                KeptRelation(relation=each, **held.as_parts())
                for each, held in self.relations.items()
            ),
            *self._totals(),
        )

    def _of_values(self, name: str, kind: type[Promise], broken: _Broken) -> Promise:
        promised, as_parts = self.variables[name].promised, broken.as_parts() | {"variable": name}
        if kind is Within and promised is not None:
            return Within(low=promised.from_, high=promised.to, **as_parts)
        if kind is AllowedValues and promised is not None:
            return AllowedValues(values=promised.allowed, **as_parts)
        if kind is Pattern and promised is not None:
            return Pattern(pattern=promised.pattern or "", **as_parts)
        return Required(**as_parts)

    def _row_count(self) -> list[Promise]:
        wanted = self.promised.rows
        if wanted is None:
            return []
        low = high = str(wanted)
        if isinstance(wanted, str) and (span := ROW_RANGE.fullmatch(wanted)):
            low, high = span[1], span[2]
        kept = (not low or self.rows >= int(low)) and (not high or self.rows <= int(high))
        return [RowCount(promised=wanted, read=self.rows, kept=kept)]

    def _key(self) -> list[Promise]:
        if not self.promised.key:
            return []
        if len(self.keys) == 1 and _all_rise(self.keys[0]):
            return [UniqueKey(names=self.promised.key, **_Broken().as_parts())]
        rows = np.concatenate(self.key_rows) if self.key_rows else np.zeros(0, np.int64)
        joined = np.zeros(len(rows), np.int64)
        for parts in self.keys:
            _, joined = np.unique(joined, return_inverse=True)
            joined = joined * (len(joined) + 1) + _places(parts) + 1
        _, first = np.unique(joined, return_index=True)
        again = np.ones(len(rows), bool)
        again[first] = False
        broken = _Broken()
        broken.add(again, rows)
        return [UniqueKey(names=self.promised.key, **broken.as_parts())]

    def _totals(self) -> list[Promise]:
        made: list[Promise] = []
        for name, parts in self.sums.items():
            wanted = self.named[name]
            total = self.totals.get(name) if isinstance(wanted, str) else wanted
            own = _added(parts)
            kept = total is not None and abs(own - total) <= _tolerance(own, total)
            where = wanted if isinstance(wanted, str) else ""
            made.append(Total(variable=name, promised=total, where=where, found=own, kept=kept))
        return made


def _exact_sum(values: pa.Array) -> float | int:
    """The sum of a block: of whole numbers exactly, else rounded once."""
    if pa.types.is_integer(values.type):
        whole = numpy_of(values.cast(pa.int64()).drop_null())
        high, low = whole >> 32, whole & 0xFFFFFFFF
        return (int(high.sum()) << 32) + int(low.sum())
    return math.fsum(numpy_of(values.cast(pa.float64()).drop_null()))


def _added(parts: Sequence[float | int]) -> float | int:
    return sum(parts) if all(isinstance(part, int) for part in parts) else math.fsum(parts)


def _tolerance(own: float | int, total: float | int) -> float:
    """How far a sum may be from a total: whole numbers not at all."""
    if isinstance(own, int) and isinstance(total, int):
        return 0
    exponent = Decimal(repr(total)).as_tuple().exponent
    half = 0.5 * 10.0 ** (int(exponent) if isinstance(exponent, int) else 0)
    return min(half, TOLERANCE * max(1.0, abs(total)))


def _all_rise(parts: Sequence[pa.Array]) -> bool:
    """Is each value greater than the one before, so that no two are equal? Cheap to be asked."""
    last: int | None = None
    for part in parts:
        if not pa.types.is_int64(part.type) or part.null_count:
            return False
        values = plain_numbers(part, None)
        if len(values) == 0:
            continue
        if (last is not None and values[0] <= last) or not bool((values[1:] > values[:-1]).all()):
            return False
        last = int(values[-1])
    return True


def _places(parts: Sequence[pa.Array]) -> Ints:
    """A whole number for each value, equal where values are; -1 for a missing one."""
    whole = pa.chunked_array([_flat(each) for each in parts] or [pa.array([])])
    encoded = whole.combine_chunks().dictionary_encode()
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.combine_chunks()
    return numpy_of(encoded.indices, -1).astype(np.int64)


def _flat(values: pa.Array) -> pa.Array:
    return values.cast(pa.int64()) if pa.types.is_duration(values.type) else decoded(values)
