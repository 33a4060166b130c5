"""Findings: what looks wrong in a dataset, with the evidence and what would mend it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any, Literal, overload

import msgspec

from ..words import row_list

if TYPE_CHECKING:
    import pandas

Severity = Literal["serious", "doubtful", "note"]
SEVERITIES: tuple[Severity, ...] = ("serious", "doubtful", "note")


class Finding(msgspec.Struct, frozen=True):
    """One thing that looks wrong."""

    kind: str
    """What it is, in a word or two: `unlabelled values`, `duplicate rows`."""
    severity: Severity
    variables: tuple[str, ...]
    """Empty where it is about rows as a whole."""
    claim: str
    """What was found, with counts and examples."""
    count: int = 0
    """How many cells or rows are concerned."""
    rows: tuple[int, ...] = ()
    """The first of them, by their rows in the source."""
    mend: str = ""
    """The declaration that would mend it, to be pasted; empty where there is none."""

    def words(self) -> str:
        """The finding as a line, without the variables' names."""
        return f"{self.kind}: {self.claim}"

    def __str__(self) -> str:
        names = f"{', '.join(self.variables)}: " if self.variables else ""
        where = f" ({row_list(self.rows, max(self.count, len(self.rows)))})" if self.rows else ""
        return f"{names}{self.words()}{where}"


class Findings(Sequence[Finding]):
    """Findings, the most severe first."""

    def __init__(self, findings: Sequence[Finding]) -> None:
        self._findings = sorted(findings, key=lambda each: SEVERITIES.index(each.severity))

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
        return {"findings": [msgspec.to_builtins(each) for each in self]}

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each finding. Needs the extra `pandas`."""
        from ..formats.frames import frame

        return frame([msgspec.structs.asdict(each) for each in self], Finding.__struct_fields__)

    def _repr_html_(self) -> str:
        from ..notebook import findings_html

        return findings_html(self)

    def __str__(self) -> str:
        from .findtext import findings_text

        return findings_text(self)
