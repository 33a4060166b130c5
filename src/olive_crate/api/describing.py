"""What can be said of a dataset: figures, tables, findings, reports, the way of one cell."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from ..dataset.model import PlainDataset
from ..plan.selecting import Names

if TYPE_CHECKING:
    from ..checks.findings import Findings
    from ..dataset.trace import Trace
    from ..describe.codebook import Codebook
    from ..describe.counts import Counts, CountTables, Crossed
    from ..describe.pairs import Pairs, Use
    from ..describe.patterns import Patterns
    from ..describe.summary import Summary
    from ..workers import Progress


class DescribedDataset(PlainDataset, frozen=True, eq=False):
    """The methods of a dataset that describe it and leave it as it is."""

    def codebook(self, names: Names = "*", *, progress: Progress | None = None) -> Codebook:
        """Describe all or some variables, with counts.

        >>> ds.codebook()["acid"].valid, ds.codebook()["acid"].missing
        (3, {'lost': 1})
        """
        from ..describe.codebook import codebook

        return codebook(self, names, progress)

    def counts(
        self,
        names: Names,
        *,
        by: str | None = None,
        bins: int | Sequence[float] | None = None,
        by_label: bool = False,
    ) -> Counts | CountTables | Crossed:
        """Return a frequency table for one name, or a sequence of tables for several.

        `by` crosses two variables. `bins` is a number of bins with round edges, or a list of
        ascending edges; each bin includes its lower edge. `by_label` counts values of the same
        label as one. Packed datasets are read piece by piece.
        Raises `PlanError` for unknown names and for values outside the edges.

        >>> [(each.value, each.cases) for each in ds.counts("grade").rows]
        [('A', 2), ('B', 1)]
        >>> ds.counts("grade").missing
        {'blank': 1}
        """
        from ..describe.counts import counts

        return counts(self, names, by, bins, by_label)

    def summary(
        self, names: Names = "*", *, complete: bool = False, progress: Progress | None = None
    ) -> Summary:
        """Return n, missing, distinct, mean, sd, min, quartiles, max and more by variable.

        `complete=True` uses only cases with a value for each of these variables. For methods and
        their sources, see `describe/summary.py`. Only one variable is in memory at a time.

        >>> ds.summary("acid")["acid"].mean
        0.6
        """
        from ..describe.summary import summary

        return summary(self, names, complete, progress)

    def missing_patterns(self, names: Names = "*") -> Patterns:
        """Count which of these variables are missing together, most common pattern first.

        >>> [(each.count, each.missing) for each in ds.missing_patterns().patterns]
        [(2, ()), (1, ('acid',)), (1, ('grade',))]
        """
        from ..describe.patterns import missing_patterns

        return missing_patterns(self, names)

    def overlap(self, names: Names = "*") -> Pairs:
        """Return for each pair of variables the share (0 to 1) of cases that have both.

        >>> ds.overlap()["acid", "grade"]
        0.5
        """
        from ..describe.pairs import overlap

        return overlap(self, names)

    def covariances(self, names: Names | None = None, *, use: Use = "pairs") -> Pairs:
        """Return sample covariances (divisor n − 1), over pairwise or complete cases.

        >>> round(ds.covariances(["id", "acid"])["id", "acid"], 3)
        0.15
        """
        from ..describe.pairs import covariances

        return covariances(self, names, use)

    def correlations(self, names: Names | None = None, *, use: Use = "pairs") -> Pairs:
        """Return product-moment correlations, over pairwise or complete cases.

        >>> round(ds.correlations(["id", "acid"])["id", "acid"], 3)
        0.189
        """
        from ..describe.pairs import correlations

        return correlations(self, names, use)

    def check(
        self,
        ignore: Sequence[str | Mapping[str, str]] | None = None,
        *,
        progress: Progress | None = None,
    ) -> Findings:
        """Look for errors in the data; each finding has its evidence and, if possible, a fix.

        `ignore` names findings that were looked at, as the plan's `[check] ignore` does:
        `"far from the rest"` everywhere, `"far from the rest: acidity"` in one variable, or a
        mapping with `kind`, `variable` and `reason`. Raises `PlanError` for an unknown kind.

        >>> len(ds.check())
        0
        """
        from ..checks.checking import check

        return check(self, ignore, progress)

    def report(
        self,
        path: str | os.PathLike[str],
        *,
        title: str | None = None,
        no_cells: bool = False,
        replace: bool = False,
        progress: Progress | None = None,
    ) -> None:
        """Write a report as one HTML file that needs nothing else. Needs the extra `report`.

        It shows what was read, open points, findings, each variable with a picture, missing
        patterns, correlations and declarations; nothing in it is fetched. `no_cells` leaves out
        whatever stood in a cell. Raises `PlanError` for a file that is there, unless `replace` is
        set, and `TargetError` where it cannot be written.

        >>> ds.report(folder / "lab.html", title="The laboratory")
        >>> (folder / "lab.html").stat().st_size < 1_000_000
        True
        """
        from ..show.report.writing import write_report

        name = title or os.path.basename(self.receipt.source)
        write_report([(name, self)], path, name, no_cells, replace, progress)

    def trace(self, name: str, row: Any, source: Any = None, *, file: str | None = None) -> Trace:
        """Tell how one cell came from its source, from the text of its row to its value.

        `row` is the row of the source, as an editor or a spreadsheet numbers it; of a set, `file`
        says in which of its files. A case of a database's table is named by its key instead, by one
        value or by several. The source is read where the plan says it is, or from `source`; where a
        packed dataset knows the bytes at which rows begin, it is not read from the start. Raises
        `PlanError` for a row that holds no case, and `SourceError` for a source that was changed
        since it was read.

        >>> ds.trace("acid", 3, text).reason
        'lost'
        """
        from ..reading.tracing import trace

        return trace(self, name, row, source, file)
