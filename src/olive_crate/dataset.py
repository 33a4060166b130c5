"""Columns, what is declared of them, and the account of how they came in.

A dataset is a frozen value; operations on it give a new one that shares the columns. Whatever is
declared of a variable, and why each of its cells is missing, goes along with every operation.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import msgspec
import numpy as np
import pyarrow as pa

from .errors import PlanError, nearest
from .kernels import reference as kernels
from .plan import Plan
from .receipt import Receipt
from .variables import BLANK, FIRST_CODE, UNREADABLE, Variable, resolve

if TYPE_CHECKING:
    import pandas

    from .checks.codebook import Codebook

MissingAs = Literal["null", "codes", "reasons"]


class Column(msgspec.Struct, frozen=True, eq=False):
    """One variable's cells: `values` is null exactly where `reasons` is not 0.

    `reasons` says why: 0 present, 1 blank, 2 unreadable, 10 + k the k-th missing code.
    """

    variable: Variable
    values: pa.Array
    reasons: np.ndarray

    def __len__(self) -> int:
        return len(self.values)

    def reason_counts(self) -> dict[str, int]:
        """How many cells are missing, by reason; reasons of the same words are one."""
        return self.named(reason_totals(self.reasons))

    def named(self, counts: np.ndarray) -> dict[str, int]:
        """Counts of each number in `reasons`, by the words for it."""
        found: dict[str, int] = {}
        for number in np.flatnonzero(counts[1:]) + 1:
            words = reason_words(self.variable, int(number))
            found[words] = found.get(words, 0) + int(counts[number])
        return found

    def why(self, index: int) -> str | None:
        """Why one cell has no value; `None` if it has one."""
        number = int(self.reasons[index])
        return None if number == 0 else reason_words(self.variable, number)

    def reason_texts(self) -> pa.DictionaryArray:
        """The reasons as words, null where there is a value."""
        numbers = [int(number) for number in np.unique(self.reasons) if number]
        words = list(dict.fromkeys(reason_words(self.variable, number) for number in numbers))
        place = np.zeros(256, np.int16)
        for number in numbers:
            place[number] = words.index(reason_words(self.variable, number))
        indices = kernels.arrow(place[self.reasons], self.reasons != 0, pa.int16())
        return pa.DictionaryArray.from_arrays(indices, kernels.strings(words))

    def taken(self, rows: np.ndarray) -> Column:
        """Some of the cells."""
        chosen = self.values.take(kernels.whole_numbers(rows))
        return Column(self.variable, chosen, self.reasons[rows])

    def equals(self, other: Column) -> bool:
        """The same declaration, values and reasons."""
        return (
            self.variable == other.variable
            and bool(np.array_equal(self.reasons, other.reasons))
            and bool(_plain(self.values).equals(_plain(other.values)))
        )


def reason_totals(reasons: np.ndarray) -> np.ndarray:
    """How many cells have each reason, as 256 counts."""
    totals = np.zeros(256, np.int64)
    filled = reasons[reasons != 0]
    totals[0] = len(reasons) - len(filled)
    if len(filled):
        totals += np.bincount(filled, minlength=256)
    return totals


def _plain(values: pa.Array) -> pa.Array:
    """Values as such; the order of a dictionary does not make them differ."""
    return values.cast(values.type.value_type) if pa.types.is_dictionary(values.type) else values


def reason_words(variable: Variable, number: int) -> str:
    """What a number in `reasons` means for this variable."""
    if number < FIRST_CODE:
        return {1: BLANK, 2: UNREADABLE}[number]
    return variable.missing[number - FIRST_CODE].why


class Columns(Mapping[str, Column]):
    """Columns by name, some of which are read only when they are first asked for."""

    def __init__(self, ready: Mapping[str, Column | Callable[[], Column]]) -> None:
        self._columns = dict(ready)

    def __getitem__(self, name: str) -> Column:
        found = self._columns[name]
        if not isinstance(found, Column):
            found = self._columns[name] = found()
        return found

    def __iter__(self) -> Iterator[str]:
        return iter(self._columns)

    def __len__(self) -> int:
        return len(self._columns)

    def only(self, names: Iterable[str]) -> Columns:
        """Some of the columns, read or not."""
        return Columns({name: self._columns[name] for name in names})


class Dataset(msgspec.Struct, frozen=True, eq=False):
    """Variables in order, their columns, the receipt of the read, and the plan it followed."""

    variables: tuple[Variable, ...]
    columns: Mapping[str, Column]
    rows: int
    receipt: Receipt
    plan: Plan

    @property
    def names(self) -> list[str]:
        """The names of the variables, in order."""
        return [each.name for each in self.variables]

    def __len__(self) -> int:
        return self.rows

    def __getitem__(self, name: str) -> Column:
        """One variable's column. Raises `PlanError` with the nearest name if there is none."""
        if name not in self.columns:
            raise PlanError(f'there is no variable "{name}"{nearest(name, self.names)}')
        return self.columns[name]

    def __contains__(self, name: object) -> bool:
        return name in self.columns

    def __repr__(self) -> str:
        return f"<Dataset {self.rows} rows, {len(self.variables)} variables>"

    def _repr_html_(self) -> str:
        from .notebook import dataset_html

        return dataset_html(self)

    def keep(self, names: str | Iterable[str]) -> Dataset:
        """Only these variables: a name, a list, a run of neighbours (`"a..c"`)."""
        chosen = resolve(names, self.names)
        by_name = {each.name: each for each in self.variables}
        columns = self.columns
        kept = columns.only(chosen) if isinstance(columns, Columns) else columns
        return self._with(tuple(by_name[name] for name in chosen), kept, self.rows)

    def head(self, count: int = 10) -> Dataset:
        """The first rows."""
        return self._rows(np.arange(min(count, self.rows)))

    def tail(self, count: int = 10) -> Dataset:
        """The last rows."""
        return self._rows(np.arange(max(0, self.rows - count), self.rows))

    def filter(self, expression: Any) -> Dataset:
        """The rows for which an Arrow expression on the variables, or a mask, is true.

        A comparison with a missing value is not true.
        """
        import pyarrow.compute as pc

        if isinstance(expression, pc.Expression):
            table = self.to_arrow().append_column("", kernels.whole_numbers(np.arange(self.rows)))
            chosen = table.filter(expression).column("").to_numpy()
        else:
            mask = _mask(expression)
            if mask is None or len(mask) != self.rows:
                raise PlanError(f"filter: a mask is {self.rows} true or false values")
            chosen = np.flatnonzero(mask)
        return self._rows(chosen)

    def _rows(self, rows: np.ndarray) -> Dataset:
        def later(name: str) -> Callable[[], Column]:
            return lambda: self.columns[name].taken(rows)

        columns = Columns({name: later(name) for name in self.names})
        return self._with(self.variables, columns, len(rows))

    def _with(
        self, variables: tuple[Variable, ...], columns: Mapping[str, Column], rows: int
    ) -> Dataset:
        return Dataset(variables, columns, rows, self.receipt, self.plan)

    def equals(self, other: Dataset) -> bool:
        """The same variables with the same declarations, values and reasons."""
        return self.variables == other.variables and all(
            self[name].equals(other[name]) for name in self.names
        )

    def to_arrow(self) -> pa.Table:
        """An Arrow table; what is declared of each variable stands in its field's metadata."""
        fields = [
            pa.field(each.name, self[each.name].values.type, metadata=_metadata(each))
            for each in self.variables
        ]
        arrays = [self[each.name].values for each in self.variables]
        return pa.Table.from_arrays(arrays, schema=pa.schema(fields))

    def __arrow_c_stream__(self, requested_schema: object = None) -> object:
        return self.to_arrow().__arrow_c_stream__(requested_schema)

    def to_pandas(self, missing: MissingAs = "null", labels: bool = False) -> pandas.DataFrame:
        """A pandas data frame with nullable types. Needs the extra `pandas`.

        `missing="reasons"` adds a column of reasons behind each variable that has missing cells;
        `missing="codes"` puts the codes back in place of the nulls, as they were written.
        With `labels`, values that have a label are shown by it.
        """
        from .formats.frames import to_pandas

        return to_pandas(self, missing, labels)

    def codebook(self) -> Codebook:
        """The table of variables, with counts."""
        from .checks.codebook import codebook

        return codebook(self)

    def export(
        self,
        path: Any,
        *,
        fields: Any = None,
        missing: str = "codes",
        encoding: str = "utf-8",
        replace: bool = False,
    ) -> None:
        """Write a workbook (`.xlsx`), or fixed-width text (`.txt`, `.dat`).

        A workbook has the data on one sheet and the codebook on a second. Beside fixed-width text
        lie its layout table and a plan; `fields` says where the variables stand, as for `load`;
        without it each gets the width of its longest cell. `missing` writes codes ("codes") or
        leaves missing cells empty ("blank").
        Reading the plan gives an equal dataset. Raises `PlanError` for what does not fit.
        """
        target = Path(path)
        if target.suffix.lower() == ".xlsx":
            from .formats.bookfile import export_workbook

            export_workbook(self, target, missing, replace)
            return
        from .formats.fixedtext import export_fixed

        if target.suffix.lower() not in (".txt", ".dat", ".asc"):
            raise PlanError(
                f"{target}: export writes workbooks and fixed-width text so far: "
                'name it ".xlsx" or ".txt"'
            )
        export_fixed(self, target, fields, missing, encoding, replace)

    def pack(self, path: Any, replace: bool = False) -> None:
        """Write the dataset with all its metadata to one Parquet file, whole or not at all.

        Raises `PlanError` if the file exists and `replace` is not set.
        """
        from .formats.packed import pack_dataset

        pack_dataset(self, path, replace)


def _mask(values: Any) -> np.ndarray | None:
    """True and false values as a mask; nulls are false. `None` for anything else."""
    if isinstance(values, (pa.Array, pa.ChunkedArray)):
        values = values.fill_null(False).to_numpy(zero_copy_only=False)
    mask = np.asarray(values)
    return mask if mask.dtype == bool else None


def _metadata(variable: Variable) -> dict[str, str]:
    plain = msgspec.to_builtins(variable)
    return {
        f"olive_crate.{key}": value
        if isinstance(value, str)
        else msgspec.json.encode(value).decode()
        for key, value in plain.items()
    }
