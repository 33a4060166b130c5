"""Which variables are missing together."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np

from ..dataset.model import PlainDataset
from ..plan.selecting import Names, chosen
from ..views import Worded
from .large import is_large
from .large_pairs import patterns_of
from .prefetch import ahead

if TYPE_CHECKING:
    import pandas


class Pattern(msgspec.Struct, frozen=True):
    """Cases in which just these variables are missing."""

    count: int
    missing: tuple[str, ...]


class Patterns(Worded, msgspec.Struct, frozen=True):
    """All patterns of missing variables, the largest first."""

    names: tuple[str, ...]
    rows: int
    patterns: tuple[Pattern, ...]

    @property
    def complete(self) -> int:
        """Cases in which nothing is missing."""
        return next((each.count for each in self.patterns if not each.missing), 0)

    @property
    def empty(self) -> int:
        """Cases in which all of the variables are missing."""
        whole = len(self.names)
        return next((each.count for each in self.patterns if len(each.missing) == whole), 0)

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain | {"complete": self.complete, "empty": self.empty}

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each pattern: its count, and for each variable whether it is missing."""
        from .frames import frame

        rows = [
            {"count": each.count} | {name: name in each.missing for name in self.names}
            for each in self.patterns
        ]
        return frame(rows, ["count", *self.names])


def missing_patterns(dataset: PlainDataset, names: Names = "*") -> Patterns:
    """See `Dataset.missing_patterns`. A case takes one bit for each variable."""
    wanted = chosen(names, dataset.variables)
    if is_large(dataset) and wanted:
        return _large(dataset, wanted)
    bits = np.zeros((dataset.rows, max(1, -(-len(wanted) // 8))), np.uint8)
    for place, name in enumerate(wanted):
        begin, bit = 0, np.uint8(1 << (place % 8))
        for piece in ahead(dataset.column_pieces(name)):
            bits[begin : begin + len(piece), place // 8] |= (piece.reasons != 0) * bit
            begin += len(piece)
    whole = np.ascontiguousarray(bits).view(f"V{bits.shape[1]}").ravel()
    kinds, counts = np.unique(whole, return_counts=True)
    lacking = np.unpackbits(
        kinds.view(np.uint8).reshape(len(kinds), bits.shape[1]), axis=1, bitorder="little"
    ).astype(bool)
    found = [
        Pattern(int(count), tuple(name for name, there in zip(wanted, row, strict=False) if there))
        for row, count in zip(lacking, counts, strict=True)
    ]
    found.sort(key=lambda each: (-each.count, each.missing))
    return Patterns(tuple(wanted), dataset.rows, tuple(found))


def _large(dataset: PlainDataset, names: list[str]) -> Patterns:
    """The patterns of more cases than are held at once."""
    found = []
    for kind, count in patterns_of(dataset, names).items():
        bits = np.unpackbits(np.frombuffer(kind, np.uint8), bitorder="little")[: len(names)]
        missing = tuple(name for name, there in zip(names, bits.tolist(), strict=True) if there)
        found.append(Pattern(count, missing))
    found.sort(key=lambda each: (-each.count, each.missing))
    return Patterns(tuple(names), dataset.rows, tuple(found))
