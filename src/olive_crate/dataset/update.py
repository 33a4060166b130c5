"""What a run on a packed set finds new, changed and gone, as a plain value."""

from __future__ import annotations

from typing import Any

import msgspec

from ..views import Worded
from .receipt import Receipt


class Update(Worded, msgspec.Struct, frozen=True):
    """What was, or would be, done to a packed set."""

    folder: str
    new: tuple[str, ...]
    changed: tuple[str, ...]
    gone: tuple[str, ...]
    """Files that are no longer there; their parts are kept, unless `forgotten`."""
    unchanged: int
    again: tuple[str, ...] = ()
    """Files that were read again because a type turned out too narrow."""
    widened: tuple[tuple[str, str, str], ...] = ()
    """Variables whose type changed: name, before, after."""
    forgotten: bool = False
    dry: bool = False
    """Nothing was done."""
    receipt: Receipt | None = None
    """The account of the whole set; `None` where nothing was done."""

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.structs.asdict(self)
        plain["receipt"] = None if self.receipt is None else self.receipt.to_dict()
        return plain
