"""The account of a read: what every line was, and what every cell became.

A receipt balances in two directions. Lines: the roles of all lines (heading, data, blank …) must
add up to the line ends counted in the bytes, which know nothing of records. Cells: for each
variable, the valid cells (counted from the values) and the missing ones (counted from the reasons)
must add up to the rows of data. Neither sum is derived from the other, so an error on the way shows
as an imbalance, and `imbalances` names it.
"""

from __future__ import annotations

import functools
import operator
from collections.abc import Iterable, Iterator, Sequence
from typing import Any, Literal, overload

import msgspec
import pyarrow as pa

from .. import kernels
from ..declaration.converting import converted
from ..evidence import Evidence, Note
from ..evidence.every import ALL_EVIDENCE, ALL_NOTES
from ..views import Worded
from .promises import ALL_PROMISES, Promise

PROBLEMS_WRITTEN = 10_000
"""Problems that are written to JSON and to packed files; all are counted."""
ANY_EVIDENCE: Any = functools.reduce(operator.or_, ALL_EVIDENCE)
ANY_NOTE: Any = functools.reduce(operator.or_, ALL_NOTES)
ANY_PROMISE: Any = functools.reduce(operator.or_, ALL_PROMISES)


class Problem(Worded, msgspec.Struct, frozen=True, omit_defaults=True):
    """A cell that could not be read as declared, or text beyond the last column."""

    row: int
    variable: str
    """Empty where the text is beyond the last column."""
    text: str
    expected: str
    """The type that the text is not of; empty beyond the last column."""
    file: str = ""
    """The file of a set."""


class Problems(Sequence[Problem]):
    """All problems of a read in the order of the variables; held as columns, made on demand."""

    def __init__(
        self, parts: Sequence[tuple[str, str, Any, pa.Array]] = (), files: Sequence[str] = ()
    ) -> None:
        self._parts = [part for part in parts if len(part[2])]
        self._files = files
        """In a set: the file of each part."""

    @staticmethod
    def of_files(several: Iterable[tuple[str, Problems]]) -> Problems:
        """The problems of the files of a set, each with the file's name."""
        held = [(file, part) for file, each in several for part in each._parts]
        return Problems([part for _, part in held], [file for file, _ in held])

    def __len__(self) -> int:
        return sum(len(rows) for _, _, rows, _ in self._parts)

    def _named(self) -> Iterator[tuple[tuple[str, str, Any, pa.Array], str]]:
        return zip(self._parts, self._files or [""] * len(self._parts), strict=True)

    @overload
    def __getitem__(self, index: int) -> Problem: ...
    @overload
    def __getitem__(self, index: slice) -> list[Problem]: ...
    def __getitem__(self, index: int | slice) -> Problem | list[Problem]:
        if isinstance(index, slice):
            return [self[each] for each in range(*index.indices(len(self)))]
        place = index + len(self) if index < 0 else index
        for (variable, kind, rows, texts), file in self._named():
            if 0 <= place < len(rows):
                return Problem(int(rows[place]), variable, texts[place].as_py(), kind, file)
            place -= len(rows)
        raise IndexError(index)

    def __iter__(self) -> Iterator[Problem]:
        for (variable, kind, rows, texts), file in self._named():
            for row, text in zip(rows, texts.to_pylist(), strict=True):
                yield Problem(int(row), variable, text, kind, file)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Problems) and list(self) == list(other)

    def __repr__(self) -> str:
        return f"<{len(self)} problems>"

    @staticmethod
    def of(problems: Sequence[Problem]) -> Problems:
        """Problems from single ones, as they come out of a packed file."""
        return Problems(
            [
                (each.variable, each.expected, [each.row], kernels.strings([each.text]))
                for each in problems
            ],
            [each.file for each in problems],
        )


NO_PROBLEMS = Problems()


class Change(Worded, msgspec.Struct, frozen=True):
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

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON; with the first problems."""
        plain = msgspec.structs.asdict(self)
        plain["problems"] = [msgspec.to_builtins(each) for each in self.problems[:PROBLEMS_WRITTEN]]
        return plain

    @staticmethod
    def from_dict(plain: dict[str, Any]) -> Change:
        """The change that `to_dict` made this of."""
        problems = converted(plain.get("problems", []), list[Problem])
        made = converted({**plain, "problems": None}, Change)
        return msgspec.structs.replace(made, problems=Problems.of(problems))


class Imbalance(msgspec.Struct, frozen=True):
    """Something that does not add up."""

    what: Literal["lines", "rows", "characters", "filled cells", "cells", "values", "rows of files"]
    counted: int
    accounted: int
    variable: str = ""
    """The variable whose cells do not add up."""
    file: str = ""
    """The file of a set in which they do not."""


class CellCounts(msgspec.Struct, frozen=True, gc=False):
    """What the cells of one variable became."""

    name: str
    type: str
    valid: int
    missing: dict[str, int]
    """By reason, in the order blank, unreadable, codes."""

    @property
    def total(self) -> int:
        return self.valid + sum(self.missing.values())


class Receipt(Worded, msgspec.Struct, frozen=True, omit_defaults=True):
    """What was read, how, and what became of it."""

    source: str
    bytes: int
    layout: str
    encoding: str
    settings: dict[str, str]
    """The options that were in force, as a plan has them."""
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
    notes: tuple[Note, ...] = ()
    record_types: dict[str, int] = {}
    """Fixed layout: lines of record types that were not read, by type."""
    characters: int = 0
    """Fixed layout: characters of the lines of data; in fields, and in none. Workbook: filled cells
    of the sheet; in the range, and outside of it."""
    covered: int = 0
    uncovered: int = 0
    problem_count: int = 0
    seconds: float = 0.0
    fingerprint: str = ""
    """A hash by which a local file is known again."""
    key: tuple[str, ...] = ()
    """Of a database's table: the columns that name a case."""
    case_names: tuple[tuple[int, str], ...] = ()
    """What the cases of rows with problems are called by them."""
    row_offsets: tuple[tuple[int, int], ...] = ()
    """Rows, and the bytes of the text that they begin at: by them a row is found again."""
    promises: tuple[Promise, ...] = ()
    """What the plan promises, each with whether it was kept."""
    changes: tuple[Change, ...] = ()
    """What declarations after the read changed in cells."""
    problems: Any = Problems()
    files: tuple[Receipt, ...] = ()
    """Of a set: the account of each of its files."""

    @property
    def promises_kept(self) -> bool:
        """Was every promise kept?"""
        return all(each.kept for each in self.promises)

    @property
    def balanced(self) -> bool:
        """Do lines and cells add up?"""
        return not self.imbalances()

    def imbalances(self) -> list[Imbalance]:
        """What does not add up; empty if all does."""
        covered = self.covered + self.uncovered
        sums = [
            Imbalance("lines", self.lines, sum(self.parts.values())),
            Imbalance("rows", self.parts["data"], self.rows),
            Imbalance(
                "filled cells" if self.layout == "sheet" else "characters",
                self.characters,
                covered,
            ),
            *(Imbalance("cells", self.rows, each.total, each.name) for each in self.cells),
        ]
        wrong = [each for each in sums if each.counted != each.accounted]
        if self.files:
            rows = sum(each.rows for each in self.files)
            wrong += [Imbalance("rows of files", self.rows, rows)] if rows != self.rows else []
        for file in self.files:
            wrong += [msgspec.structs.replace(each, file=file.source) for each in file.imbalances()]
        return wrong

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON; with the first problems, and how many there are."""
        plain = msgspec.structs.asdict(self)
        for part in ("cells", "promises"):
            plain[part] = [msgspec.to_builtins(each) for each in plain[part]]
        for part in ("decided", "notes"):
            plain[part] = [msgspec.to_builtins(each) | {"text": str(each)} for each in plain[part]]
        plain["changes"] = [each.to_dict() for each in self.changes]
        plain["problems"] = [msgspec.to_builtins(each) for each in self.problems[:PROBLEMS_WRITTEN]]
        plain["files"] = [each.to_dict() for each in self.files]
        plain["balanced"] = self.balanced
        return plain

    @staticmethod
    def from_dict(plain: dict[str, Any]) -> Receipt:
        """The receipt that `to_dict` made this of."""
        plain = {key: value for key, value in plain.items() if key != "balanced"}
        typed = {
            "decided": converted(plain.pop("decided", []), list[ANY_EVIDENCE]),
            "notes": converted(plain.pop("notes", []), list[ANY_NOTE]),
            "promises": converted(plain.pop("promises", []), list[ANY_PROMISE]),
            "changes": [Change.from_dict(each) for each in plain.pop("changes", [])],
            "files": [Receipt.from_dict(each) for each in plain.pop("files", [])],
        }
        problems = converted(plain.pop("problems", []), list[Problem])
        made = converted(plain, Receipt)
        parts = {key: tuple(each) for key, each in typed.items()}
        return msgspec.structs.replace(made, problems=Problems.of(problems), **parts)
