"""Room for large arrays, which is kept for the next one once nobody looks at it any more.

Memory that was touched before costs nothing; what the system gives anew has to be found, cleared
and mapped, which on a rented machine takes longer than reading the text that goes there. So a load
that follows another one begins in the memory which that one has let go of.

What is kept is offered back to the system (`MADV_FREE`), which takes it as soon as it needs memory
for anything else. Before large room is asked for anew, kept room is given back, as far as all of it
together is more than what was ever looked at at one time, and a part of that.
"""

from __future__ import annotations

import mmap
import weakref
from contextlib import suppress
from typing import Any

import numpy as np

LARGE = 2 << 20
"""Bytes of a large page of memory."""
SMALL = 256 << 10
"""Bytes below which an array is not worth it."""
MOST = 256 << 20
"""Bytes that are kept at most."""
SPARE = 4
"""This part of what was looked at at one time may be kept beyond it."""
OFFERED = getattr(mmap, "MADV_FREE", None)
"""How memory is offered back; `None` where a system knows no such thing."""

_kept: dict[int, list[mmap.mmap]] = {}
"""By their sizes. Each step on it is whole: a thread, or the end of an array, may come between any
two."""
_used: dict[int, int] = {}
"""Sizes of blocks that are looked at."""
_peak = [0]
"""Bytes that were looked at at the same time, at most."""


def allocate(count: int, kind: Any) -> Any:
    """An array that is still to be filled; a large one begins where a large page does.

    Where the system has such pages, few of them take the place of many small ones. Raises
    `MemoryError`.
    """
    size = count * np.dtype(kind).itemsize
    if size < SMALL:
        return np.empty(count, kind)
    spare = LARGE if size >= LARGE else 0
    whole = np.empty(size + spare, np.uint8) if OFFERED is None else _mapped(size + spare)
    begin = -whole.ctypes.data % LARGE if spare else 0
    return whole[begin : begin + size].view(kind)


def _mapped(size: int) -> Any:
    """Bytes that come back here when nothing refers to them any more."""
    block = _taken(size) or _new(size)
    _used[id(block)] = len(block)
    whole = np.frombuffer(block, np.uint8)
    weakref.finalize(whole, _let_go, block).atexit = False
    return whole


def _taken(size: int) -> mmap.mmap | None:
    """Of what is kept, the smallest that fits and is not much too large."""
    most = size + size // 8 + (LARGE if size >= LARGE else SMALL)
    for length in sorted(each for each in list(_kept) if size <= each <= most):
        with suppress(IndexError, KeyError):  # none is left of these
            return _kept[length].pop()
    return None


def _new(size: int) -> mmap.mmap:
    """Memory that the system gives, in whole large pages if there is one of them."""
    page = LARGE if size >= LARGE else mmap.PAGESIZE
    size = -(-size // page) * page
    if size >= LARGE:
        _make_way(size)
    try:
        block = mmap.mmap(-1, size, flags=mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS)
    except OSError:
        raise MemoryError(f"no room for {size:,} bytes") from None
    if size >= LARGE and hasattr(mmap, "MADV_HUGEPAGE"):
        with suppress(OSError):  # a system without such pages
            block.madvise(mmap.MADV_HUGEPAGE)
    return block


def _make_way(size: int) -> None:
    """Give back to the system what is kept beyond the most that was ever looked at, and a bit."""
    used = sum(list(_used.values())) + size
    _peak[0] = max(_peak[0], used)
    left = used + _held() - _peak[0] - _peak[0] // SPARE
    for length, blocks in list(_kept.items()):
        while blocks and left > 0:
            with suppress(IndexError):  # another thread was faster
                blocks.pop()
                left -= length
        if not blocks:
            _kept.pop(length, None)


def _held() -> int:
    """Bytes that are kept."""
    return sum(length * len(blocks) for length, blocks in list(_kept.items()))


def _let_go(block: mmap.mmap) -> None:
    """Keep a block for the next one who asks; beyond `MOST` it goes back at once."""
    _used.pop(id(block), None)
    if OFFERED is None or _held() + len(block) > MOST:
        return
    with suppress(OSError):  # a system that does not take offers
        block.madvise(OFFERED)
        blocks = _kept.pop(len(block), [])
        blocks.append(block)
        _kept[len(block)] = blocks  # sizes that were met last stand last
