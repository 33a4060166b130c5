"""What stood in cells that have no value."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..kernels.types import Ints


class Withheld(msgspec.Struct, frozen=True, eq=False):
    """What stood in cells that have no value, where the declaration does not tell it.

    These are cells that could not be read, with the text of the source, and cells that a range of
    codes made missing, with their number. `cells` are places in the column, rising.
    """

    cells: Ints
    texts: pa.StringArray

    def __len__(self) -> int:
        return len(self.cells)

    def taken(self, cells: Ints) -> Withheld:
        """What stood in some of the column's cells, by their new places."""
        if not len(self):
            return self
        place = np.minimum(np.searchsorted(self.cells, cells), len(self) - 1)
        hit = np.flatnonzero(self.cells[place] == cells)
        return Withheld(hit, self.texts.take(kernels.whole_numbers(place[hit])))

    def only(self, cells: Ints) -> Withheld:
        """What stood in some of these very cells, by their old places."""
        if len(cells) == len(self):
            return self
        place = np.searchsorted(self.cells, cells)
        return Withheld(cells, self.texts.take(kernels.whole_numbers(place)))

    def equals(self, other: Withheld) -> bool:
        """The same texts in the same cells."""
        return np.array_equal(self.cells, other.cells) and bool(self.texts.equals(other.texts))

    def text(self, cell: int) -> str | None:
        """What stood in one cell."""
        place = int(np.searchsorted(self.cells, cell))
        known = place < len(self) and int(self.cells[place]) == cell
        return self.texts[place].as_py() if known else None


NOTHING = Withheld(np.zeros(0, np.int64), kernels.strings([]))


def merged(parts: Sequence[Withheld]) -> Withheld:
    """Several of one block as one, in the order of the cells."""
    filled = [part for part in parts if len(part)]
    if len(filled) < 2:
        return filled[0] if filled else NOTHING
    cells = np.concatenate([part.cells for part in filled])
    texts = pa.concat_arrays([part.texts for part in filled])
    order = np.argsort(cells, kind="stable")
    return Withheld(cells[order], texts.take(kernels.whole_numbers(order)))


def followed(parts: Sequence[tuple[int, Withheld]]) -> Withheld:
    """Those of blocks that follow one another; with the number of cells of each block."""
    begin, moved = 0, []
    for count, part in parts:
        if len(part):
            moved.append(Withheld(part.cells + begin, part.texts))
        begin += count
    return merged(moved)
