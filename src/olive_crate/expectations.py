"""Expectations held against the data, block by block, as they come out of a read."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from .celltexts import shown
from .columns import Column, decoded
from .errors import PlanError, nearest
from .expectpart import RELATION, SPAN, Expect, VariableExpect
from .kernels.reference import Flags, Ints
from .receipt import Expectation
from .variables import NUMERIC, Variable
from .words import several

SHOWN = 10
COMPARED = {
    "<": np.less,
    "<=": np.less_equal,
    ">": np.greater,
    ">=": np.greater_equal,
    "==": np.equal,
    "!=": np.not_equal,
}
KINDS = {"date": dt.date, "time": dt.time, "datetime": dt.datetime}


class _Failed(msgspec.Struct):
    """What does not meet one expectation."""

    count: int = 0
    rows: list[int] = msgspec.field(default_factory=list)
    examples: list[str] = msgspec.field(default_factory=list)

    def add(self, hit: Flags, rows: Ints, texts: Any = None) -> None:
        cells = np.flatnonzero(hit)
        self.count += len(cells)
        for cell in cells[: SHOWN - len(self.rows)]:
            self.rows.append(int(rows[cell]))
            if texts is not None:
                self.examples.append(shown(texts[int(cell)].as_py()))


class Watcher:
    """Takes blocks of columns and tells in the end which expectations were met.

    The values of a declared key are held in memory.
    """

    def __init__(
        self,
        expect: Expect,
        variables: Sequence[Variable],
        totals: dict[str, float] | None = None,
    ) -> None:
        self.expect, self.variables = expect, {each.name: each for each in variables}
        for name in (*expect.key, *expect.totals):
            self._known(name, "expect")
        self.rows = 0
        self.keys: list[list[pa.Array]] = [[] for _ in expect.key]
        self.key_rows: list[Ints] = []
        self.failed: dict[tuple[str, str], _Failed] = {}
        self.sums: dict[str, list[float]] = {name: [] for name in expect.totals}
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
                self._note(name, "required", by_name[name].reasons != 0, rows)
            if variable.expect is not None:
                self._values(by_name[name], variable.expect, rows)
        for place, name in enumerate(self.expect.key):
            self.keys[place].append(by_name[name].values)
        if self.expect.key:
            self.key_rows.append(rows)
        for relation in self.expect.relations:
            self._related(relation, by_name, rows)
        for name in self.sums:
            values = by_name[name].values
            if by_name[name].variable.type not in NUMERIC:
                raise PlanError(f'expect.totals: "{name}" is no number')
            self.sums[name].append(float(pc.sum(values.cast(pa.float64())).as_py() or 0.0))

    def _note(self, name: str, what: str, hit: Flags, rows: Ints, texts: Any = None) -> None:
        self.failed.setdefault((name, what), _Failed()).add(hit, rows, texts)

    def _values(self, column: Column, expect: VariableExpect, rows: Ints) -> None:
        name, present = column.variable.name, column.reasons == 0
        if expect.from_ is not None or expect.to is not None:
            outside = np.zeros(len(column), bool)
            if expect.from_ is not None:
                outside |= present & ~(column >= expect.from_)
            if expect.to is not None:
                outside |= present & ~(column <= expect.to)
            self._note(name, f"within {_span(expect)}", outside, rows, column.values)
        if expect.allowed:
            listed = ", ".join(map(str, expect.allowed[:6]))
            more = " …" if len(expect.allowed) > 6 else ""
            other = present & ~column.is_in(expect.allowed)
            self._note(name, f"one of {listed}{more}", other, rows, column.values)
        if expect.pattern is not None:
            texts = decoded(column.values)
            hit = pc.match_substring_regex(texts.cast(pa.string()), f"^(?:{expect.pattern})$")
            good = np.asarray(hit.fill_null(True).to_numpy(zero_copy_only=False), bool)
            self._note(name, f'like "{expect.pattern}"', present & ~good, rows, texts)

    def _related(self, relation: str, by_name: dict[str, Column], rows: Ints) -> None:
        match = RELATION.fullmatch(relation)
        assert match is not None
        left, right = (self._side(match[side], by_name, relation) for side in ("left", "right"))
        with np.errstate(invalid="ignore"):
            good = COMPARED[match["how"]](left[0], right[0])
        self._note("", relation, left[1] & right[1] & ~good, rows)

    def _side(self, text: str, by_name: dict[str, Column], at: str) -> tuple[Any, Flags]:
        column = by_name.get(text)
        if column is not None:
            values = column.to_numpy()
            return (values if values.dtype != object else values.astype("U")), column.reasons == 0
        try:
            return float(text), np.ones(1, bool)
        except ValueError:
            self._known(text, f'expect.relations: "{at}"')
            raise

    def results(self) -> tuple[Expectation, ...]:
        """Each expectation, and whether it was met."""
        made = [*self._row_count(), *self._key()]
        for (name, what), failed in self.failed.items():
            told = ""
            if failed.count:
                met = ", ".join(dict.fromkeys(failed.examples[:4]))
                told = several(failed.count, "case") + (f": {met}" if met else "")
            made.append(
                Expectation(name, what, not failed.count, told, failed.count, tuple(failed.rows))
            )
        return (*made, *self._sums())

    def _row_count(self) -> list[Expectation]:
        wanted = self.expect.rows
        if wanted is None:
            return []
        low = high = str(wanted)
        if isinstance(wanted, str) and (span := SPAN.fullmatch(wanted)):
            low, high = span[1], span[2]
        good = (not low or self.rows >= int(low)) and (not high or self.rows <= int(high))
        told = "" if good else f"{self.rows:,} rows were read"
        return [Expectation("", f"{wanted} rows", good, told)]

    def _key(self) -> list[Expectation]:
        if not self.expect.key:
            return []
        what = f"{', '.join(self.expect.key)} different in every case"
        rows = np.concatenate(self.key_rows) if self.key_rows else np.zeros(0, np.int64)
        joined = np.zeros(len(rows), np.int64)
        for parts in self.keys:
            whole = pa.chunked_array([_flat(each) for each in parts] or [pa.array([])])
            encoded = whole.combine_chunks().dictionary_encode()
            if isinstance(encoded, pa.ChunkedArray):
                encoded = encoded.combine_chunks()
            places = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False)
            _, joined = np.unique(joined, return_inverse=True)
            joined = joined * (len(joined) + 1) + places.astype(np.int64) + 1
        _, first = np.unique(joined, return_index=True)
        again = np.ones(len(rows), bool)
        again[first] = False
        failed = _Failed()
        failed.add(again, rows)
        told = f"{several(failed.count, 'case')} with a key met before" if failed.count else ""
        return [Expectation("", what, not failed.count, told, failed.count, tuple(failed.rows))]

    def _sums(self) -> list[Expectation]:
        made = []
        for name, parts in self.sums.items():
            wanted = self.expect.totals[name]
            total = self.totals.get(name) if isinstance(wanted, str) else float(wanted)
            own = float(np.sum(parts))
            good = total is not None and abs(own - total) <= 1e-9 * max(1.0, abs(total))
            what = f"adds up to {wanted if total is None else shown(total)}"
            what += f" ({wanted})" if isinstance(wanted, str) and total is not None else ""
            told = "" if good else f"it adds up to {shown(own)}"
            made.append(Expectation(name, what, good, told))
        return made


def _flat(values: pa.Array) -> pa.Array:
    return values.cast(pa.int64()) if pa.types.is_duration(values.type) else decoded(values)


def _span(expect: VariableExpect) -> str:
    low, high = ("" if each is None else str(each) for each in (expect.from_, expect.to))
    return f"{low}..{high}"
