"""A dataset as users see it: columns, declarations, the receipt, and what can be done with them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
import pyarrow as pa

from ..dataset import taking
from ..dataset.model import PlainDataset
from ..plan.naming import Renaming
from ..plan.selecting import Names
from ..views import html_of
from .plan import Plan

if TYPE_CHECKING:
    import pandas

    from ..checks.findings import Findings
    from ..describe.codebook import Codebook
    from ..describe.counts import Counts, CountTables, Crossed
    from ..describe.pairs import Pairs, Use
    from ..describe.patterns import Patterns
    from ..describe.summary import Summary
    from ..formats.exporting import Exported

MissingAs = Literal["null", "codes", "reasons"]


class Dataset(PlainDataset, frozen=True, eq=False):
    """Variables in order, their columns, the receipt of the read, and the plan it followed.

    A dataset is a frozen value; operations on it give a new one that shares the columns. Whatever
    is declared of a variable, and why each of its cells is missing, goes along with each of them.
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
        """Only these variables: a name, a list, a run of neighbours (`"a..c"`), a pattern."""
        return taking.keep(self, names)

    def head(self, count: int = 10) -> Dataset:
        """The first rows."""
        return taking.rows_of(self, np.arange(min(count, self.rows)))

    def tail(self, count: int = 10) -> Dataset:
        """The last rows."""
        return taking.rows_of(self, np.arange(max(0, self.rows - count), self.rows))

    def filter(self, expression: Any) -> Dataset:
        """The rows for which an Arrow expression on the variables, or a mask, is true.

        A comparison with a missing value is not true.
        """
        return taking.rows_where(self, expression)

    def declare(self, names: Names, **parts: Any) -> Dataset:
        """Declare parts of variables anew: the same as `Plan.declare`, after the read.

        Where type, format or missing codes change, cells are taken again from what they held:
        a code's value returns when the code is taken back, and texts that could not be read are
        tried again. `receipt.changes` says how many cells changed and how, and names those that
        could not be converted; their texts stay in the column's `withheld`. The dataset's `plan`
        follows, so that the next file can be read with the same declarations.
        """
        from ..reading.redeclaring import declare

        return declare(self, names, parts)

    def declare_set(self, name: str, meanings: Any) -> Dataset:
        """Declare meanings under a name, for many variables to use: `meanings="intensity"`."""
        from ..reading.redeclaring import declare_set

        return declare_set(self, name, meanings)

    def declare_like(self, names: Names, like: str, parts: Iterable[str] | None = None) -> Dataset:
        """Declare variables like another one: only these parts, or all but heading and label."""
        from ..plan.declaring import parts_like

        return self.declare(names, **parts_like(self.variables, like, parts))

    def undeclare(self, names: Names, parts: Iterable[str] | None = None) -> Dataset:
        """Take back these parts of declarations, or all of them; cells keep their type."""
        from ..plan.declaring import parts_taken_back

        return self.declare(names, **parts_taken_back(parts))

    def rename(self, names: str | Renaming, new: str | None = None) -> Dataset:
        """Rename one variable, those of a mapping from old to new, or all by a function.

        Raises `PlanError` where two would have the same name.
        """
        from ..reading.redeclaring import rename

        return rename(self, names, new)

    def reorder(self, names: Names, after: str | None = None) -> Dataset:
        """Put these variables first, or behind another one; the rest keeps its order."""
        return taking.reorder(self, names, after)

    def make_names_plain(self, longest: int | None = None) -> Dataset:
        """Make names lower case, with `_` for other marks, of at most so many characters.

        Headings are kept as labels where there is none. Names that would be the same are told
        apart by a number, and the receipt's `notes` name them.
        """
        from ..reading.redeclaring import make_names_plain

        return make_names_plain(self, longest)

    def equals(self, other: PlainDataset) -> bool:
        """The same variables with the same declarations, values and reasons."""
        return self.variables == other.variables and all(
            self[name].equals(other[name]) for name in self.names
        )

    def to_arrow(self) -> pa.Table:
        """An Arrow table; what is declared of each variable is in its field's metadata."""
        return taking.arrow_table(self)

    def __arrow_c_stream__(self, requested_schema: object = None) -> object:
        return self.to_arrow().__arrow_c_stream__(requested_schema)

    def to_pandas(self, missing: MissingAs = "null", labels: bool = False) -> pandas.DataFrame:
        """A pandas data frame with nullable types. Needs the extra `pandas`.

        `missing="reasons"` adds a column of reasons behind each variable that has missing cells;
        `missing="codes"` puts the codes back in place of the nulls, as they were written.
        With `labels`, values that have a meaning are shown by it.
        """
        from ..formats.frames import to_pandas

        return to_pandas(self, missing, labels)

    def to_numpy(self, structured: bool = False) -> np.ndarray:
        """A plain array shaped (rows, variables), or a structured one shaped (rows,).

        Missing numbers are NaN, missing dates NaT, other missing values `None`; a plain array of
        other than numbers holds objects.
        """
        from ..formats.arrays import matrix, record_array

        return record_array(self) if structured else matrix(self)

    def codebook(self, names: Names = "*") -> Codebook:
        """The table of variables, with counts; of all, or of some of them."""
        from ..describe.codebook import codebook

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
        from ..describe.counts import counts

        return counts(self, names, by, bins)

    def summary(self, names: Names = "*", *, complete: bool = False) -> Summary:
        """n, missing, distinct, mean, sd, min, quartiles, max and more of each variable.

        With `complete`, of the cases that have a value of each of these variables. The methods and
        their sources are in `describe/summary.py`; one variable is held in memory at a time.
        """
        from ..describe.summary import summary

        return summary(self, names, complete)

    def missing_patterns(self, names: Names = "*") -> Patterns:
        """Which of these variables are missing together, with counts, the largest first."""
        from ..describe.patterns import missing_patterns

        return missing_patterns(self, names)

    def overlap(self, names: Names = "*") -> Pairs:
        """For each pair of variables, the share of cases that have both, from 0 to 1."""
        from ..describe.pairs import overlap

        return overlap(self, names)

    def covariances(self, names: Names | None = None, *, use: Use = "pairs") -> Pairs:
        """Sample covariances of numbers (divisor n − 1), over pairwise or complete cases."""
        from ..describe.pairs import covariances

        return covariances(self, names, use)

    def correlations(self, names: Names | None = None, *, use: Use = "pairs") -> Pairs:
        """Product-moment correlations of numbers, over pairwise or complete cases."""
        from ..describe.pairs import correlations

        return correlations(self, names, use)

    def check(self) -> Findings:
        """What looks wrong, with the evidence and the declaration that would mend it."""
        from ..checks.checking import check

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
        (`.txt`, `.dat`, with a layout table; `fields` places the variables, as for `load`, without
        it each gets the width of its longest cell), a workbook (`.xlsx`, with the codebook on a
        second sheet), an Arrow file (`.arrow`), or Parquet without anything of our own
        (`.parquet`). Text gets a plan beside it that reads an equal dataset. `metadata` names the
        standards to write beside it: "csvw", "ddi" or both.

        `missing`: "codes" puts codes back in the cells that they made missing (the default for text
        and workbooks), "null" leaves missing cells empty, "reasons" adds a column of reasons.

        Returns the files written and what they cannot carry. Raises `PlanError` for what does not
        fit, and for files that exist unless `replace` is set; then nothing is written.
        """
        from ..formats.exporting import export

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

    def pack(self, path: str | Path, replace: bool = False) -> None:
        """Write the dataset with all its metadata to one Parquet file, whole or not at all.

        Raises `PlanError` if the file exists and `replace` is not set.
        """
        from ..formats.packed import pack_dataset

        pack_dataset(self, path, replace)
