"""Threads that work on the columns of a block, and on the blocks ahead.

Kernels let go of the interpreter while they run, so that threads work side by side. What comes out
is the same for any number of them: work is handed out and taken back in order.
"""

from __future__ import annotations

import itertools
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from types import TracebackType
from typing import TypeVar

from . import kernels

T = TypeVar("T")
R = TypeVar("R")
MOST = 8
"""More threads than these have little left to do beside the one that keeps the order."""


def usual_workers() -> int:
    """As many as there are processors to run on; one for the reference kernels."""
    if not kernels.are_compiled():
        return 1
    try:
        usable = len(os.sched_getaffinity(0))
    except AttributeError:  # not every system tells
        usable = os.cpu_count() or 1
    return max(1, min(usable, MOST))


class Workers:
    """So many threads; with one, all work is done where it is asked for."""

    def __init__(self, count: int) -> None:
        self.count = max(1, count)
        self._pool = ThreadPoolExecutor(self.count) if self.count > 1 else None

    def __enter__(self) -> Workers:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)

    def each(self, work: Callable[[T], R], items: Iterable[T]) -> list[R]:
        """The results for all items, in order."""
        if self._pool is None:
            return [work(item) for item in items]
        return list(self._pool.map(work, items))

    def ahead(self, work: Callable[[T], R], items: Iterator[T]) -> Iterator[tuple[T, R]]:
        """Each item with its result, in order; some more items are worked on meanwhile.

        The first one is handed back before the next is begun: what is learned of it helps the rest.
        """
        for item in itertools.islice(items, None if self._pool is None else 1):
            yield item, work(item)
        if self._pool is None:
            return
        waiting: deque[tuple[T, Future[R]]] = deque()
        try:
            for item in items:
                waiting.append((item, self._pool.submit(work, item)))
                if len(waiting) > self.count:
                    first, future = waiting.popleft()
                    yield first, future.result()
            while waiting:
                first, future = waiting.popleft()
                yield first, future.result()
        finally:
            for _, future in waiting:
                future.cancel()


ALONE = Workers(1)
