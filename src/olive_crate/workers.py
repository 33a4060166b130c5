"""Threads that work on the columns of a block, and on the blocks ahead.

Kernels let go of the interpreter while they run, so that threads work side by side. What comes out
is the same for any number of them: work is handed out and taken back in order.
"""

from __future__ import annotations

import itertools
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from types import TracebackType
from typing import TYPE_CHECKING, Generic, TypeVar

from . import kernels

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor
    from queue import Queue

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
        self._pool: ThreadPoolExecutor | None = None
        if self.count > 1:
            from concurrent.futures import ThreadPoolExecutor  # not needed for a first look

            self._pool = ThreadPoolExecutor(self.count)

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

    def ahead(
        self, work: Callable[[T], R], items: Iterator[T], early: int = 1
    ) -> Iterator[tuple[T, R]]:
        """Each item with its result, in order; some more items are worked on meanwhile.

        The first one is handed back before work on the next is begun: what is learned of it helps
        the rest, of which so many are asked for `early`. Items are asked for on a thread of their
        own.
        """
        if self._pool is None:
            for item in items:
                yield item, work(item)
        else:
            yield from _Ahead(self._pool, self.count, work, items, early)


class _Ahead(Generic[T, R]):
    """A thread that asks for items and hands out the work on them, a few before they are needed."""

    def __init__(
        self,
        pool: ThreadPoolExecutor,
        most: int,
        work: Callable[[T], R],
        items: Iterator[T],
        early: int,
    ) -> None:
        from queue import Queue
        from threading import Event

        self._pool, self._work, self._items, self._early = pool, work, items, early
        self._waiting: Queue[tuple[T, Future[R] | None] | BaseException | None] = Queue(most)
        self._known, self._stopped = Event(), False

    def _ask(self) -> None:
        try:
            for item in itertools.islice(self._items, 1):
                self._waiting.put((item, None))
            for item in self._fetched():
                if self._stopped:
                    return
                self._waiting.put((item, self._pool.submit(self._work, item)))
            self._waiting.put(None)
        except BaseException as error:  # raised again where the results are taken
            self._waiting.put(error)

    def _fetched(self) -> Iterator[T]:
        """The items, some of them asked for while the first one is still looked at."""
        early: deque[T] = deque()
        failed: BaseException | None = None
        try:
            while len(early) < self._early and not self._known.is_set():
                early.append(next(self._items))
        except StopIteration:
            pass
        except BaseException as error:  # comes in its turn
            failed = error
        if early:
            self._known.wait()
        while early:  # nothing is held that has been handed out
            yield early.popleft()
        if failed is not None:
            raise failed
        yield from self._items

    def __iter__(self) -> Iterator[tuple[T, R]]:
        from queue import Empty
        from threading import Thread

        thread = Thread(target=self._ask, daemon=True)
        thread.start()
        try:
            while (each := self._waiting.get()) is not None:
                if isinstance(each, BaseException):
                    raise each
                item, result = each
                yield item, self._work(item) if result is None else result.result()
                self._known.set()
        finally:
            self._stopped = True
            self._known.set()
            while thread.is_alive():  # it may wait for room
                with suppress(Empty):
                    self._waiting.get(timeout=0.01)


ALONE = Workers(1)
