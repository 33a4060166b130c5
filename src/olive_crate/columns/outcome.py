"""What a search has settled about a variable: its declaration, its type, its reasons."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import MissingCode
from ..declaration.variable import Variable
from ..kernels.spans import Cells
from .candidates import base, form, rule_for
from .convert import convert
from .dates import ANY_ZONED
from .rule import FIRST_MARK, MISSING_MARKS, reason_of
from .search import TypeSearch

MOST_DECIMALS = 12
"""Numbers written with more are as a machine has them, and no number of decimals is meant."""


class Outcome:
    """A variable as its search leaves it. Made once the blocks it is used for were taken."""

    def __init__(
        self, declared: Variable, search: TypeSearch, shown_decimals: int | None = None
    ) -> None:
        self.declared, self.search = declared, search
        self.shown_decimals = shown_decimals
        """As many decimals as the number format of a sheet's column shows."""
        self.kind = search.final_kind()

    @cached_property
    def marks(self) -> list[str]:
        """Well-known marks that were taken as missing, in alphabetical order."""
        if self.kind in ("text", "category"):
            return []
        return sorted(self.search.statistics.marks_met())

    @cached_property
    def variable(self) -> Variable:
        """The declaration as the whole source settles it."""
        declared, own = self.declared, len(self.declared.missing)
        marks = tuple(MissingCode(value=mark) for mark in self.marks)
        return msgspec.structs.replace(
            declared,
            type=base(self.kind),
            decimals=self._decimals(),
            **_writing(declared, self.kind),
            missing=declared.missing + marks + self.search.rule.codes[own:],
        )

    def _decimals(self) -> int | None:
        if self.declared.decimals is not None or self.kind != "number":
            return self.declared.decimals
        if self.shown_decimals is not None:
            return self.shown_decimals
        written = self.search.statistics.decimals
        return written if 0 < written <= MOST_DECIMALS else None

    @cached_property
    def arrow_type(self) -> pa.DataType:
        """The Arrow type that the variable ends up with."""
        if self.kind == "category":
            return pa.dictionary(pa.int32(), pa.string())
        empty = Cells(kernels.padded(b""), np.zeros(0, np.int64), np.zeros(0, np.int64))
        return convert(empty, rule_for(self.search.rule, self.kind, strict=False)).values.type

    def reasons(self, numbers: np.ndarray) -> np.ndarray:
        """Reasons numbered by the variable's final list of missing codes."""
        if not self.marks:
            return numbers
        own = len(self.declared.missing)
        table = np.arange(256, dtype=np.uint8)
        shared = len(self.search.rule.codes) - own
        for place in range(own, own + shared):
            table[reason_of(place)] = reason_of(place + len(self.marks))
        for place, mark in enumerate(self.marks):
            table[FIRST_MARK + MISSING_MARKS.index(mark)] = reason_of(own + place)
        return np.asarray(table[numbers])


def _writing(variable: Variable, kind: str) -> dict[str, Any]:
    """The parts of the declaration that say how a kind is written."""
    if kind == "zoned":
        return {"format": ANY_ZONED}
    written = form(kind)
    if written is None:
        return {}
    if base(kind) == "boolean":
        true, _, false = written.partition("|")
        return {"true": (true,), "false": (false,)}
    return {"format": written}
