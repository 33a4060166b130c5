"""One block of a variable, converted."""

from __future__ import annotations

import msgspec

from .. import kernels
from ..kernels.spans import Cells
from .rule import Converted
from .withheld import NOTHING, Withheld, merged


class TypedBlock(msgspec.Struct, eq=False):
    """One block of a variable, and the kind it was taken as."""

    kind: str
    converted: Converted
    marks: bool = False
    """Well-known marks were taken as missing."""
    withheld: Withheld = NOTHING


def with_withheld(block: TypedBlock, cells: Cells) -> TypedBlock:
    """The block with the text of cells of which the declaration does not tell it."""
    done = block.converted
    if not len(done.unread):
        block.withheld = done.ranged
        return block
    rest = cells.at(done.unread)
    left = Withheld(done.unread, kernels.texts(rest.buffer, rest.starts, rest.ends))
    block.withheld = merged([done.ranged, left])
    return block
