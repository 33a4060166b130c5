"""What comes of reading all of what was packed."""

from __future__ import annotations

from typing import Any

import msgspec

from ..views import Worded
from .receipt import Imbalance


class PartState(msgspec.Struct, frozen=True):
    """One file of what was packed."""

    name: str
    rows: int
    problem: str = ""
    """What is wrong with it; empty for nothing."""


class Verification(Worded, msgspec.Struct, frozen=True):
    """What came of reading all of a packed dataset."""

    source: str
    rows: int
    parts: tuple[PartState, ...]
    imbalances: tuple[Imbalance, ...] = ()
    """Where the receipt does not add up, or is not that of these data."""

    @property
    def is_whole(self) -> bool:
        """Nothing is wrong."""
        return not self.imbalances and not any(each.problem for each in self.parts)

    def to_dict(self) -> dict[str, Any]:
        """As plain values for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain | {"whole": self.is_whole}
