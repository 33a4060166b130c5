"""Rows that PostgreSQL copies, taken from the connection in the driver's own low-level interface.

The driver's usual way to read a copy waits anew for each row. Here, what has arrived is taken at
once, and there is waiting only where nothing has, which takes less than half of the processor's
time. An interrupt ends the waiting; a reader that stops early has the server end the copy too.
"""

from __future__ import annotations

import selectors
from collections.abc import Iterator
from contextlib import suppress
from typing import Any

COPYING, FAILED = 3, 7
"""libpq's `PGRES_COPY_OUT` and `PGRES_FATAL_ERROR`."""


def copied(link: Any, text: str, count: int) -> Iterator[tuple[bytearray, list[int]]]:
    """The messages of this COPY, so many at a time, as one piece and the length of each.

    They are put together as they come: kept apart, they would lie all over the memory. Raises what
    the driver raises.
    """
    wire = link.pgconn
    wire.send_query(text.encode("utf-8"))
    while wire.flush():
        _wait(wire, selectors.EVENT_WRITE)
    while wire.is_busy():
        _wait(wire, selectors.EVENT_READ)
        wire.consume_input()
    if (first := wire.get_result()).status != COPYING:
        _finish(wire, first)
    is_over, take = False, wire.get_copy_data
    try:
        while not is_over:
            piece, lengths = bytearray(), list[int]()
            note = lengths.append
            for _ in range(count):
                size, message = take(1)
                if size > 0:
                    piece += message
                    note(size)
                elif size == 0:
                    _wait(wire, selectors.EVENT_READ)
                    wire.consume_input()
                else:
                    is_over = True
                    break
            if is_over:
                _finish(wire)
            if lengths:
                yield piece, lengths
    finally:
        if not is_over:
            with suppress(Exception):  # what has stopped the read counts, not what follows
                link.cancel()
                while wire.get_copy_data(0)[0] > 0:
                    pass
                _finish(wire)


def _wait(wire: Any, what: int) -> None:
    """Until there is something to read, or room to write."""
    with selectors.DefaultSelector() as waiting:
        waiting.register(wire.socket, what)
        waiting.select()


def _finish(wire: Any, failed: Any = None) -> None:
    """Take what results are left, so that the connection is free. Raises the server's error."""
    from psycopg import errors

    while (result := wire.get_result()) is not None:
        failed = result if result.status == FAILED else failed
    if failed is not None:
        raise errors.error_from_result(failed)
