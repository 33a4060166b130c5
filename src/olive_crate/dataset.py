"""Columns, what is declared of them, and the account of how they came in.

A dataset is a frozen value; operations on it give a new one that shares the columns. Whatever is
declared of a variable, and why each of its cells is missing, goes along with every operation.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, Literal

import msgspec
import numpy as np
import pyarrow as pa

from . import declaring, kernels
from .choosing import Names, chosen
from .columns import Column, Columns, Unread, in_pieces
from .errors import PlanError, nearest
from .naming import Renaming, ordered
from .plan import Plan
from .receipt import Receipt
from .rownumbers import RowNumbers
from .variables import Variable

if TYPE_CHECKING:
    import pandas

    from .checks.codebook import Codebook
    from .checks.counts import Counts, CountTables, Crossed
    from .checks.findings import Findings
    from .checks.pairs import Pairs, Use
    from .checks.patterns import Patterns
    from .checks.summary import Summary
    from .formats.exporting import Exported

MissingAs = Literal["null", "codes", "reasons"]


class Dataset(msgspec.Struct, frozen=True, eq=False):
    """Variables in order, their columns, the receipt of the read, and the plan it followed."""

    variables: tuple[Variable, ...]
    columns: Mapping[str, Column]
    rows: int
    receipt: Receipt
    plan: Plan
    source_rows: RowNumbers | None = None
    """The row of the source that each case came from; `None` where that was not kept."""

    @property
    def names(self) -> list[str]:
        """The names of the variables, in order."""
        return [each.name for each in self.variables]

    def __len__(self) -> int:
        return self.rows

    def __getitem__(self, name: str) -> Column:
        """One variable's column. Raises `PlanError` with the nearest name if there is none."""
        self._known(name)
        return self.columns[name]

    def pieces(self, name: str) -> Iterator[Column]:
        """One variable's column, some rows at a time: what is packed is not read as a whole."""
        self._known(name)
        if isinstance(self.columns, Columns):
            return self.columns.pieces(name)
        return in_pieces(self.columns[name])

    def _known(self, name: str) -> None:
        if name not in self.columns:
            raise PlanError(f'there is no variable "{name}"{nearest(name, self.names)}')

    def __contains__(self, name: object) -> bool:
        return name in self.columns

    def __repr__(self) -> str:
        return f"<Dataset {self.rows} rows, {len(self.variables)} variables>"

    def _repr_html_(self) -> str:
        from .notebook import dataset_html

        return dataset_html(self)

    def keep(self, names: Names) -> Dataset:
        """Only these variables: a name, a list, a run of neighbours (`"a..c"`), a pattern."""
        wanted = chosen(names, self.variables)
        by_name = {each.name: each for each in self.variables}
        kept = Columns({name: _held(self.columns, name) for name in wanted})
        plan = msgspec.structs.replace(self.plan, keep=tuple(wanted), order=None)
        return self._with(
            variables=tuple(by_name[name] for name in wanted), columns=kept, plan=plan
        )

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
            rows = table.filter(expression).column("").to_numpy()
        else:
            mask = _mask(expression)
            if mask is None or len(mask) != self.rows:
                raise PlanError(f"filter: a mask is {self.rows} true or false values")
            rows = np.flatnonzero(mask)
        return self._rows(rows)

    def _rows(self, rows: np.ndarray) -> Dataset:
        def later(name: str) -> Unread:
            return Unread(lambda: self.columns[name].taken(rows))

        columns = Columns({name: later(name) for name in self.names})
        came = None if self.source_rows is None else self.source_rows.taken(rows)
        return self._with(columns=columns, rows=len(rows), source_rows=came)

    def _with(self, **changes: Any) -> Dataset:
        return msgspec.structs.replace(self, **changes)

    def changed(
        self,
        columns: Mapping[str, Column | Variable],
        plan: Plan,
        receipt: Receipt | None = None,
    ) -> Dataset:
        """The dataset with some columns, or their declarations, in the place of those it has.

        `columns` is by the names so far; a new declaration may bring a new name.
        """

        def later(name: str, variable: Variable) -> Unread:
            def called(column: Column) -> Column:
                return msgspec.structs.replace(column, variable=variable)

            return Unread(
                lambda: called(self.columns[name]), lambda: map(called, self.pieces(name))
            )

        variables: list[Variable] = []
        made: dict[str, Column | Unread] = {}
        for old in self.variables:
            new = columns.get(old.name)
            variables.append(
                old if new is None else new.variable if isinstance(new, Column) else new
            )
            if isinstance(new, Variable):
                made[new.name] = later(old.name, new)
            else:
                made[old.name] = new if new is not None else _held(self.columns, old.name)
        return self._with(
            variables=tuple(variables),
            columns=Columns(made),
            plan=plan,
            receipt=receipt or self.receipt,
        )

    def declare(self, names: Names, **parts: Any) -> Dataset:
        """Declare parts of variables anew: the same as `Plan.declare`, after the read.

        Where type, format or missing codes change, cells are taken again from what stood in them:
        a code's value returns when the code is taken back, and texts that could not be read are
        tried again. `receipt.changes` says of how many cells what became, and names those that
        could not be converted; what stood there stays in the column's `withheld`. The dataset's
        `plan` follows, so that the next file can be read with the same declarations.
        """
        from .redeclare import declare

        return declare(self, names, parts)

    def declare_set(self, name: str, values: Any) -> Dataset:
        """Declare value labels under a name, for many variables to use: `values="intensity"`."""
        plan = self.plan.declare_set(name, values)
        using = [each.name for each in self.variables if each.label_set == name]
        made = self._with(plan=plan)
        return made.declare(using, values=name) if using else made

    def copy_declaration(
        self, source: str, to: Names, parts: Iterable[str] | None = None
    ) -> Dataset:
        """Declare other variables like this one; only these parts, or all but the label."""
        return declaring.copied(self, source, to, parts)

    def undeclare(self, names: Names, parts: Iterable[str] | None = None) -> Dataset:
        """Take back these parts of declarations, or all of them; cells keep their type."""
        return declaring.taken_back(self, names, parts)

    def rename(self, names: str | Renaming, new: str | None = None) -> Dataset:
        """Rename one variable, those of a mapping from old to new, or all by a function.

        Raises `PlanError` where two would be called alike.
        """
        from .redeclare import rename

        return rename(self, names, new)

    def reorder(self, names: Names, after: str | None = None) -> Dataset:
        """Put these variables first, or behind another one; the rest stays in its order."""
        order = ordered(chosen(names, self.variables), self.names, after)
        by_name = {each.name: each for each in self.variables}
        return self._with(
            variables=tuple(by_name[name] for name in order),
            plan=msgspec.structs.replace(self.plan, order=tuple(order)),
        )

    def make_names_plain(self, longest: int | None = None) -> Dataset:
        """Names in lower case, with `_` for other marks, of at most so many characters.

        Headings stay as labels where there is none. Names that would be alike are told apart by a
        number, and the receipt's `notes` name them.
        """
        from .redeclare import make_names_plain

        return make_names_plain(self, longest)

    def equals(self, other: Dataset) -> bool:
        """The same variables with the same declarations, values and reasons."""
        return self.variables == other.variables and all(
            self[name].equals(other[name]) for name in self.names
        )

    def to_arrow(self) -> pa.Table:
        """An Arrow table; what is declared of each variable stands in its field's metadata."""
        if isinstance(self.columns, Columns):
            self.columns.all()
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

    def to_numpy(self, structured: bool = False) -> np.ndarray:
        """A plain array shaped (rows, variables), or a structured one shaped (rows,).

        Missing numbers are NaN, missing dates NaT, other missing values `None`; a plain array of
        other than numbers holds objects.
        """
        from .formats.arrays import matrix, record_array

        return record_array(self) if structured else matrix(self)

    def codebook(self, names: Names = "*") -> Codebook:
        """The table of variables, with counts; of all, or of some of them."""
        from .checks.codebook import codebook

        return codebook(self, names)

    def counts(
        self,
        names: Names,
        *,
        by: str | None = None,
        bins: int | Sequence[float] | None = None,
    ) -> Counts | CountTables | Crossed:
        """Frequency tables: a name gives `Counts`, several give a sequence of them.

        `by` crosses one variable with another. `bins` counts numbers in so many bins of a round
        width, or between these edges; a bin holds its lower edge. What is packed is read piece by
        piece. Raises `PlanError` for unknown names.
        """
        from .checks.counts import counts

        return counts(self, names, by, bins)

    def summary(self, names: Names = "*", *, complete: bool = False) -> Summary:
        """n, missing, distinct, mean, sd, min, quartiles, max and more of each variable.

        With `complete`, of the cases that have a value of each of these variables. The methods and
        their sources stand in `checks/summary.py`; one variable is held in memory at a time.
        """
        from .checks.summary import summary

        return summary(self, names, complete)

    def missing_patterns(self, names: Names = "*") -> Patterns:
        """Which of these variables are missing together, with counts, the largest first."""
        from .checks.patterns import missing_patterns

        return missing_patterns(self, names)

    def coverage(self, names: Names = "*") -> Pairs:
        """For each pair of variables the share of cases that have both, from 0 to 1."""
        from .checks.pairs import coverage

        return coverage(self, names)

    def covariances(self, names: Names | None = None, *, use: Use = "pairs") -> Pairs:
        """Sample covariances (n - 1 below) of numbers, by the cases that have both, or all."""
        from .checks.pairs import covariances

        return covariances(self, names, use)

    def correlations(self, names: Names | None = None, *, use: Use = "pairs") -> Pairs:
        """Product-moment correlations of numbers, by the cases that have both, or all."""
        from .checks.pairs import correlations

        return correlations(self, names, use)

    def check(self) -> Findings:
        """What looks wrong, with the evidence and the declaration that would mend it."""
        from .checks.checking import check

        return check(self)

    def export(
        self,
        path: Any,
        *,
        fields: Any = None,
        missing: MissingAs | None = None,
        encoding: str = "utf-8",
        delimiter: str | None = None,
        metadata: str | Sequence[str] | None = None,
        replace: bool = False,
    ) -> Exported:
        """Write the data for others, and beside it what is known of the variables.

        By the name's end: delimited text (`.csv`, `.tsv`, with CSVW metadata), fixed-width text
        (`.txt`, `.dat`, with a layout table; `fields` says where the variables stand, as for
        `load`, without it each gets the width of its longest cell), a workbook (`.xlsx`, with the
        codebook on a second sheet), an Arrow file (`.arrow`), or Parquet without anything of our
        own (`.parquet`). Beside text lies a plan: loading it gives an equal dataset. `metadata`
        names the standards to write beside it: "csvw", "ddi" or both.

        `missing`: "codes" puts codes back in the cells that they made missing (the default for text
        and workbooks), "null" leaves missing cells empty, "reasons" adds a column of reasons.

        Returns the files written and what they cannot carry. Raises `PlanError` for what does not
        fit, and for files that are there unless `replace` is set; then nothing is written.
        """
        from .formats.exporting import export

        return export(
            self,
            path,
            fields=fields,
            missing=missing,
            encoding=encoding,
            delimiter=delimiter,
            metadata=metadata,
            replace=replace,
        )

    def pack(self, path: Any, replace: bool = False) -> None:
        """Write the dataset with all its metadata to one Parquet file, whole or not at all.

        Raises `PlanError` if the file exists and `replace` is not set.
        """
        from .formats.packed import pack_dataset

        pack_dataset(self, path, replace)


def _held(columns: Mapping[str, Column], name: str) -> Column | Unread:
    """A column, still unread if it is."""
    return columns.held(name) if isinstance(columns, Columns) else columns[name]


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
