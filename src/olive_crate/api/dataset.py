"""A dataset as users see it: columns, declarations, the receipt, and what can be done with them."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
import pyarrow as pa

from ..dataset import taking
from ..dataset.model import PlainDataset
from ..plan.naming import Renaming
from ..plan.selecting import Names
from ..views import html_of
from .describing import DescribedDataset
from .plan import Plan

if TYPE_CHECKING:
    import pandas

    from ..formats.exporting import Exported

MissingAs = Literal["null", "codes", "reasons"]


class Dataset(DescribedDataset, frozen=True, eq=False):
    """Variables in order, their columns, the receipt of the read, and the plan it followed.

    A dataset is a frozen value; each operation returns a new one that shares the columns and keeps
    declarations and the reasons for missing cells.
    """

    plan: Plan

    @staticmethod
    def of(plain: PlainDataset) -> Dataset:
        """The same dataset, with methods."""
        if isinstance(plain, Dataset):
            return plain
        parts = {key: getattr(plain, key) for key in PlainDataset.__struct_fields__}
        if not isinstance(plain.plan, Plan):
            parts["plan"] = Plan.of(plain.plan)
        return Dataset(**parts)

    def _repr_html_(self) -> str:
        return html_of(self)

    def keep(self, names: Names) -> Dataset:
        """Select variables by name, list, run of neighbours (`"a..c"`) or pattern.

        >>> ds.keep("id..acid").names
        ['id', 'acid']
        """
        return taking.keep(self, names)

    def head(self, count: int = 10) -> Dataset:
        """Select the first rows.

        >>> ds.head(2)["id"].values.to_pylist()
        [1, 2]
        """
        return taking.rows_of(self, np.arange(min(count, self.rows)))

    def tail(self, count: int = 10) -> Dataset:
        """Select the last rows.

        >>> ds.tail(1)["id"].values.to_pylist()
        [4]
        """
        return taking.rows_of(self, np.arange(max(0, self.rows - count), self.rows))

    def filter(self, expression: Any) -> Dataset:
        """Select the rows for which a condition, a mask, or an Arrow expression is true.

        A condition is a text such as `'acid > 0.8 and grove in ("Las Mañas", "Olmeda")'`; see
        docs/export.md. A comparison with a missing value is not true. Raises `PlanError` for a
        condition that cannot be read.

        >>> import olive_crate as oc
        >>> ds = oc.load(b"id,acid\\n1,0.3\\n2,\\n3,1.2\\n")
        >>> ds.filter("acid > 0.5 or acid is missing")["id"].values.to_pylist()
        [2, 3]
        """
        return taking.rows_where(self, expression)

    def declare(self, names: Names, **parts: Any) -> Dataset:
        """Declare parts of variables after the read; `Plan.declare` does the same before it.

        If type, format or missing codes change, cells are converted again from their original
        content: removing a code restores its values, and unreadable texts are tried again.
        `receipt.changes` counts the changed cells and lists those that could not be converted;
        their texts stay in the column's `withheld`. The dataset's `plan` follows, so that the next
        file can be read with the same declarations. Raises `PlanError` for unknown names and parts.

        >>> ds.declare("grade", type="category", label="Grade")["grade"].variable.label
        'Grade'
        >>> ds.declare("acid", missing=[])["acid"].values.to_pylist()
        [0.3, 777.0, 1.2, 0.3]
        """
        from ..reading.redeclaring import declare

        return declare(self, names, parts)

    def declare_set(self, name: str, meanings: Any) -> Dataset:
        """Define a named set of meanings that variables can share: `meanings="intensity"`.

        >>> named = ds.declare_set("grades", {"A": "first", "B": "second"})
        >>> named.declare("grade", meanings="grades")["grade"].labelled().to_pylist()
        ['first', 'second', None, 'first']
        """
        from ..reading.redeclaring import declare_set

        return declare_set(self, name, meanings)

    def declare_like(self, names: Names, like: str, parts: Iterable[str] | None = None) -> Dataset:
        """Copy the declaration of `like`: the given parts, or all but heading and label.

        >>> ds = ds.declare("acid", unit="%").declare_like("id", like="acid", parts=["unit"])
        >>> ds["id"].variable.unit
        '%'
        """
        from ..plan.declaring import parts_like

        return self.declare(names, **parts_like(self.variables, like, parts))

    def declare_labels(self, labels: Mapping[str, str] | str | os.PathLike[str]) -> Dataset:
        """Label many variables at once: a mapping from names to labels, or a table of two columns.

        The table's first column has names or headings, its second the labels. Raises `PlanError`
        for a name that there is not.

        >>> ds.declare_labels({"acid": "Free acidity"})["acid"].variable.label
        'Free acidity'
        """
        from ..reading.labels import labels_of
        from ..reading.redeclaring import declare_labels

        return declare_labels(self, labels_of(labels, self.variables))

    def undeclare(self, names: Names, parts: Iterable[str] | None = None) -> Dataset:
        """Remove the given parts of declarations, or all parts; cells keep their type.

        >>> ds.declare("acid", unit="%").undeclare("acid", ["unit"])["acid"].variable.unit
        """
        from ..plan.declaring import parts_taken_back

        return self.declare(names, **parts_taken_back(parts))

    def rename(self, names: str | Renaming, new: str | None = None) -> Dataset:
        """Rename one variable, several by a mapping from old to new names, or all by a function.

        Raises `PlanError` if two variables would share a name.

        >>> ds.rename({"acid": "acidity"}).names
        ['id', 'acidity', 'grade']
        """
        from ..reading.redeclaring import rename

        return rename(self, names, new)

    def reorder(self, names: Names, after: str | None = None) -> Dataset:
        """Move these variables to the front, or after another one.

        >>> ds.reorder("grade", after="id").names
        ['id', 'grade', 'acid']
        """
        return taking.reorder(self, names, after)

    def make_names_plain(self, longest: int | None = None) -> Dataset:
        """Make names lower case with `_`, optionally of limited length.

        Headings become labels of variables that have none. Colliding names get a numeric suffix,
        which the receipt's `notes` list.

        >>> oc.load(b"Free acidity (%)\\n0.3\\n").make_names_plain().names
        ['free_acidity']
        """
        from ..reading.redeclaring import make_names_plain

        return make_names_plain(self, longest)

    def equals(self, other: PlainDataset) -> bool:
        """Test for the same variables with the same declarations, values and reasons.

        >>> ds.equals(oc.load(text, missing={777: "lost"}))
        True
        """
        return self.variables == other.variables and all(
            self[name].equals(other[name]) for name in self.names
        )

    def to_arrow(self) -> pa.Table:
        """Return an Arrow table; field metadata hold the declarations.

        >>> ds.to_arrow().column("acid").to_pylist()
        [0.3, None, 1.2, 0.3]
        """
        return taking.arrow_table(self)

    def __arrow_c_stream__(self, requested_schema: object = None) -> object:
        return self.to_arrow().__arrow_c_stream__(requested_schema)

    def to_pandas(self, missing: MissingAs = "null", labels: bool = False) -> pandas.DataFrame:
        """Return a pandas data frame with nullable types. Needs the extra `pandas`.

        `missing="reasons"` adds a column of reasons after each variable with missing cells;
        `missing="codes"` restores the codes as written. `labels=True` replaces values by their
        meanings.

        >>> ds.to_pandas(missing="reasons").columns.tolist()
        ['id', 'acid', 'acid_reason', 'grade', 'grade_reason']
        """
        from ..formats.frames import to_pandas

        return to_pandas(self, missing, labels)

    def to_numpy(self, structured: bool = False) -> np.ndarray:
        """Return an array shaped (rows, variables), or a structured one shaped (rows,).

        Missing numbers are NaN, missing dates NaT, other missing values `None`. A plain array with
        any non-numeric variable holds objects.

        >>> ds.keep(["id", "acid"]).to_numpy().shape
        (4, 2)
        """
        from ..formats.arrays import matrix, record_array

        return record_array(self) if structured else matrix(self)

    def export(
        self,
        path: Any,
        *,
        fields: Any = None,
        missing: MissingAs | None = None,
        encoding: str = "utf-8",
        delimiter: str | None = None,
        decimal: Literal[".", ","] | None = None,
        labels: bool = False,
        metadata: str | Sequence[str] | None = None,
        table: str | None = None,
        formulas: Literal["as is", "quoted"] | None = None,
        replace: bool = False,
    ) -> Exported:
        """Write the data for other programs, with the declarations in accompanying files.

        The extension selects the format: delimited text (`.csv`, `.tsv`, with CSVW metadata),
        fixed-width text (`.txt`, `.dat`, with a layout table; `fields` places the variables as in
        `load`, by default each is as wide as its longest cell), a workbook (`.xlsx`, with the
        codebook on a second sheet), Arrow (`.arrow`) or plain Parquet (`.parquet`). A database is
        named by its address or an SQLite file (`.db`, `.sqlite`), with the `table` to write; a
        second table, `<table>_codes`, has codes and meanings. Text is accompanied by a plan that
        reads an equal dataset. `metadata` selects further standards: "csvw", "ddi" or both.

        `missing`: "codes" writes the codes of missing cells (default for text and workbooks),
        "null" leaves them empty, "reasons" adds a column of reasons.

        `decimal=","` writes numbers with a decimal comma; the delimiter of a `.csv` is then `;`,
        unless another is given. `labels=True` writes labels in place of the values they stand for.

        `formulas`: "as is" (the default of delimited text) notes texts that spreadsheets take for
        formulas (`=`, `+`, `-`, `@` before more than a number); "quoted" puts an apostrophe before.
        Files beside the data are named after it in full (`answers.csv.plan.toml`); one that was
        edited since an export wrote it is never replaced.

        Returns the files written, and notes on what they cannot store. Raises `PlanError` if values
        do not fit, or if a file exists that may not be replaced; then nothing is written.

        >>> len(ds.export(folder / "out.csv", decimal=",").files)  # data, metadata, plan
        3
        >>> (folder / "out.csv").read_text().splitlines()[:3]
        ['id;acid;grade', '1;0,3;A', '2;777;B']
        """
        from ..formats.exporting import export

        return export(
            self,
            path,
            fields=fields,
            missing=missing,
            encoding=encoding,
            delimiter=delimiter,
            decimal=decimal,
            labels=labels,
            metadata=metadata,
            table=table,
            formulas=formulas,
            replace=replace,
        )

    def pieces(self, rows: int = 50_000) -> Iterator[Dataset]:
        """Iterate over the cases as datasets of `rows` rows; a packed one is read as it goes.

        Raises `PlanError` for fewer than one row.

        >>> [piece.rows for piece in ds.pieces(3)]
        [3, 1]
        """
        from ..dataset.taking import pieces_of

        return map(Dataset.of, pieces_of(self, rows))

    def pack(self, path: str | Path, replace: bool = False) -> None:
        """Write the dataset and all its metadata to one Parquet file, completely or not at all.

        Raises `PlanError` if the file exists and `replace` is not set.

        >>> ds.pack(folder / "packed.parquet")
        >>> oc.unpack(folder / "packed.parquet").equals(ds)
        True
        """
        from ..formats.packed import pack_dataset

        pack_dataset(self, path, replace)
