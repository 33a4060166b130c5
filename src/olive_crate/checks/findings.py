"""Findings: what looks wrong in a dataset, as typed values with evidence and a mend.

Each kind of finding has a class. To add a check: write a class in `kinds`, a function that gives
it, a line in `checking` that calls the function, and words in `show/findings.py`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal, overload

import msgspec

from ..evidence import Kinded, Mend
from ..kernels.types import Ints
from ..views import Worded, text_of

if TYPE_CHECKING:
    import pandas

Severity = Literal["serious", "note", "doubtful"]
SEVERITIES: tuple[Severity, ...] = ("serious", "note", "doubtful")
"""Wrong for nearly sure; true, and less pressing; perhaps only unusual."""
Cost = Literal["cases", "values", "groups", "reading"]
COSTS: tuple[Cost, ...] = ("cases", "values", "groups", "reading")
"""What it costs if it is true: cases too many or too few, wrong figures, words that are counted
apart, or nothing but a reader's time."""
SHOWN = 10
"""Rows that a finding names."""
RowsOf = Callable[[Ints], tuple[int, ...]]
"""The rows in the source of the first of some cases."""


def _kind(name: str) -> str:
    """`DuplicateRows` as `duplicate rows`."""
    return re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).lower()


class Finding(Kinded, frozen=True, kw_only=True, tag=_kind):
    """One thing that looks wrong."""

    cost: ClassVar[Cost] = "values"
    severity: Severity
    sure: float = 0.9
    """How likely it is that something is wrong, from 0 to 1."""
    variables: tuple[str, ...] = ()
    """Empty where it is about rows as a whole."""
    count: int = 0
    """How many cells or rows are concerned."""
    rows: tuple[int, ...] = ()
    """The first of them, by their rows in the source."""
    last_row: int = 0
    """Of a run of cases: the row of the last one."""
    files: tuple[str, ...] = ()
    """In a set: the file of each of these rows."""
    key: tuple[str, ...] = ()
    """Of a database's table: the variables that name a case."""
    cases: tuple[str, ...] = ()
    """What the cases of these rows are called by them."""
    mend: Mend | None = None

    @property
    def kind(self) -> str:
        """What it is, in a few words: `duplicate rows`."""
        return str(self.__struct_config__.tag)


def _rank(finding: Finding) -> tuple[int, int, float, int]:
    """What comes first in a list."""
    severity, cost = SEVERITIES.index(finding.severity), COSTS.index(finding.cost)
    return severity, cost, -finding.sure, -finding.count


def kinds_of_finding() -> list[str]:
    """The names of all kinds."""
    return sorted(str(each.__struct_config__.tag) for each in Finding.__subclasses__())


class Findings(Worded, Sequence[Finding]):
    """Findings: the most severe first, and of these what costs most and is surest."""

    def __init__(self, findings: Sequence[Finding], ignored: int = 0) -> None:
        self._findings = sorted(findings, key=_rank)
        self.ignored = ignored
        """How many more there are that are not to be shown."""

    def __len__(self) -> int:
        return len(self._findings)

    @overload
    def __getitem__(self, index: int) -> Finding: ...
    @overload
    def __getitem__(self, index: slice) -> list[Finding]: ...
    def __getitem__(self, index: int | slice) -> Finding | list[Finding]:
        return self._findings[index]

    def __iter__(self) -> Iterator[Finding]:
        return iter(self._findings)

    def __repr__(self) -> str:
        return f"<{len(self)} findings>"

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        found = [
            msgspec.to_builtins(each) | {"cost": each.cost, "text": str(each)} for each in self
        ]
        return {"findings": found, "ignored": self.ignored}

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each finding. Needs the extra `pandas`."""
        from ..describe.frames import frame

        headings = ["kind", "severity", "sure", "cost", "variables", "count", "rows", "text"]
        rows = [
            {
                "kind": each.kind,
                "severity": each.severity,
                "sure": each.sure,
                "cost": each.cost,
                "variables": each.variables,
                "count": each.count,
                "rows": each.rows,
                "text": text_of(each),
            }
            for each in self
        ]
        return frame(rows, headings)
