"""The account of a read: what every line was, what every cell became.

The sums are checked against counts made independently of them: lines by their ends in the bytes,
cells by the rows of data. A receipt that does not balance says so.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, overload

import msgspec
import pyarrow as pa

from . import kernels
from .evidence import Evidence

PROBLEMS_WRITTEN = 10_000


class Problem(msgspec.Struct, frozen=True):
    """A cell or row that could not be taken as declared."""

    row: int
    variable: str
    """Empty where the problem is the row's."""
    text: str
    why: str

    def __str__(self) -> str:
        name = f" {self.variable}" if self.variable else ""
        return f"row {self.row}{name}: {self.text!r} {self.why}"


class Problems(Sequence[Problem]):
    """All problems of a read in the order of the variables; held as columns, made on demand."""

    def __init__(self, parts: Sequence[tuple[str, str, Any, pa.Array]] = ()) -> None:
        self._parts = [part for part in parts if len(part[2])]

    def __len__(self) -> int:
        return sum(len(rows) for _, _, rows, _ in self._parts)

    @overload
    def __getitem__(self, index: int) -> Problem: ...
    @overload
    def __getitem__(self, index: slice) -> list[Problem]: ...
    def __getitem__(self, index: int | slice) -> Problem | list[Problem]:
        if isinstance(index, slice):
            return [self[each] for each in range(*index.indices(len(self)))]
        place = index + len(self) if index < 0 else index
        for variable, why, rows, texts in self._parts:
            if 0 <= place < len(rows):
                return Problem(int(rows[place]), variable, texts[place].as_py(), why)
            place -= len(rows)
        raise IndexError(index)

    def __iter__(self) -> Iterator[Problem]:
        for variable, why, rows, texts in self._parts:
            for row, text in zip(rows, texts.to_pylist(), strict=True):
                yield Problem(int(row), variable, text, why)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Problems) and list(self) == list(other)

    def __repr__(self) -> str:
        return f"<{len(self)} problems>"

    @staticmethod
    def of(problems: Sequence[Problem]) -> Problems:
        """Problems from single ones, as they come out of a packed file."""
        return Problems(
            [
                (each.variable, each.why, [each.row], kernels.strings([each.text]))
                for each in problems
            ]
        )


class Change(msgspec.Struct, frozen=True):
    """What a declaration after the read changed in the cells of one variable."""

    variable: str
    before: str
    after: str
    """The types."""
    converted: int = 0
    """Values that are of the other type now."""
    missing: dict[str, int] = {}
    """Cells that became missing, or are so for another reason than before: by reason."""
    returned: dict[str, int] = {}
    """Cells that have a value again, by the reason they had before."""
    problems: Any = Problems()
    """Cells that could not be converted: their rows in the source (else their case) and texts."""

    def __str__(self) -> str:
        types = f", {self.before} to {self.after}" if self.before != self.after else ""
        parts = [f"{self.converted:,} converted"] if types else []
        if self.missing:
            listed = ", ".join(f"{why} {count:,}" for why, count in self.missing.items())
            parts.append(f"now missing: {listed}")
        if self.returned:
            listed = ", ".join(f"{why} {count:,}" for why, count in self.returned.items())
            parts.append(f"values again: {listed}")
        text = f"{self.variable}{types}: {', '.join(parts) or 'no cell changed'}"
        for problem in self.problems[:3]:
            text += f"\n  row {problem.row}: {problem.text!r} {problem.why}"
        if len(self.problems) > 3:
            text += f"\n  and {len(self.problems) - 3:,} more: the change's problems list all"
        return text

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON; with the first problems."""
        plain = msgspec.structs.asdict(self)
        plain["problems"] = [msgspec.to_builtins(each) for each in self.problems[:PROBLEMS_WRITTEN]]
        return plain

    @staticmethod
    def from_dict(plain: dict[str, Any]) -> Change:
        """The change that `to_dict` made this of."""
        problems = msgspec.convert(plain.get("problems", []), list[Problem])
        made = msgspec.convert({**plain, "problems": None}, Change)
        return msgspec.structs.replace(made, problems=Problems.of(problems))


class Expectation(msgspec.Struct, frozen=True):
    """Something expected of the data, and whether it was met."""

    variable: str
    """Empty where it is about the dataset as a whole."""
    what: str
    met: bool
    told: str = ""
    """What was found instead."""
    count: int = 0
    """How many cases do not meet it."""
    rows: tuple[int, ...] = ()
    """The first of them, by their rows in the source."""

    def __str__(self) -> str:
        name = f"{self.variable}: " if self.variable else ""
        return f"{name}{self.what}" + ("" if self.met else f" - not met, {self.told}")


class CellCounts(msgspec.Struct, frozen=True):
    """What the cells of one variable became."""

    name: str
    type: str
    valid: int
    missing: dict[str, int]
    """By reason, in the order blank, unreadable, codes."""

    @property
    def total(self) -> int:
        return self.valid + sum(self.missing.values())


class Receipt(msgspec.Struct, frozen=True, omit_defaults=True):
    """What was read, how, and what became of it."""

    source: str
    bytes: int
    layout: str
    encoding: str
    settings: dict[str, str]
    """Delimiter, quote and so on, as they were used."""
    lines: int
    """Lines of the source, counted by their ends in the bytes."""
    parts: dict[str, int]
    """Lines by the part they played."""
    rows: int
    cells: tuple[CellCounts, ...]
    compression: str | None = None
    skipped_rows: tuple[int, ...] = ()
    blank_rows: tuple[int, ...] = ()
    short_rows: tuple[int, ...] = ()
    """The first thousand rows that lacked fields; how many in all is `short`."""
    short: int = 0
    trailing: int = 0
    """Rows with empty fields beyond the last column."""
    surplus: int = 0
    not_kept: tuple[str, ...] = ()
    stopped: bool = False
    """The limit was reached, so that the rest of the source was not read."""
    decided: tuple[Evidence, ...] = ()
    """What was decided without being asked."""
    notes: tuple[str, ...] = ()
    record_types: dict[str, int] = {}
    """Fixed layout: lines of record types that were not read, by type."""
    characters: int = 0
    """Fixed layout: characters of the lines of data; in fields, and in none. Workbook: filled cells
    of the sheet; in the range, and outside of it."""
    covered: int = 0
    uncovered: int = 0
    problem_count: int = 0
    seconds: float = 0.0
    expectations: tuple[Expectation, ...] = ()
    """What the plan expects, each with whether it was met."""
    changes: tuple[Change, ...] = ()
    """What declarations after the read changed in cells."""
    problems: Any = Problems()

    @property
    def met(self) -> bool:
        """Was everything as expected?"""
        return all(each.met for each in self.expectations)

    @property
    def balanced(self) -> bool:
        """Do lines and cells add up?"""
        return not self.imbalances()

    def imbalances(self) -> list[str]:
        """What does not add up, in words; empty if all does."""
        found = []
        if sum(self.parts.values()) != self.lines:
            found.append(f"{self.lines} lines, but {sum(self.parts.values())} accounted for")
        if self.parts["data"] != self.rows:
            found.append(f"{self.parts['data']} rows of data, but {self.rows} in the dataset")
        if self.covered + self.uncovered != self.characters:
            total = self.covered + self.uncovered
            what = "filled cells" if self.layout == "sheet" else "characters"
            found.append(f"{self.characters} {what}, but {total} accounted for")
        found += [
            f"{each.name}: {each.total} cells for {self.rows} rows"
            for each in self.cells
            if each.total != self.rows
        ]
        return found

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON; with the first problems, and how many there are."""
        plain = msgspec.structs.asdict(self)
        plain["cells"] = [msgspec.structs.asdict(each) for each in self.cells]
        plain["expectations"] = [msgspec.to_builtins(each) for each in self.expectations]
        plain["changes"] = [each.to_dict() for each in self.changes]
        plain["decided"] = [msgspec.to_builtins(each) for each in self.decided]
        plain["problems"] = [msgspec.to_builtins(each) for each in self.problems[:PROBLEMS_WRITTEN]]
        plain["balanced"] = self.balanced
        return plain

    @staticmethod
    def from_dict(plain: dict[str, Any]) -> Receipt:
        """The receipt that `to_dict` made this of."""
        plain = {key: value for key, value in plain.items() if key != "balanced"}
        problems = msgspec.convert(plain.pop("problems", []), list[Problem])
        changes = tuple(Change.from_dict(each) for each in plain.pop("changes", []))
        made = msgspec.convert(plain, Receipt)
        return msgspec.structs.replace(made, problems=Problems.of(problems), changes=changes)

    def _repr_html_(self) -> str:
        from .notebook import receipt_html

        return receipt_html(self)

    def __str__(self) -> str:
        from .words import receipt_text

        return receipt_text(self)
