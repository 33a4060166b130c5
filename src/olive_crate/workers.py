"""Threads that work on the columns of a block, and on the blocks ahead.

Kernels let go of the interpreter while they run, so that threads work side by side. What comes out
is the same for any number of them: work is handed out and taken back in order.

Whoever asks for the work takes part in it, instead of being one thread more: a thread that is put
on a processor where another is at work may wait there for the time of a whole block before the
system moves it to an idle one.
"""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from threading import Lock
from types import TracebackType
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from . import kernels

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor

T = TypeVar("T")
R = TypeVar("R")
Progress = Callable[[int, int | None, str], None]
"""Called with how much is done, how much there is (`None` if unknown), and what is being done."""
MOST = 8
"""More threads than these have little left to do beside the one that keeps the order."""
MANY = 100_000
"""Cases from which on columns are looked at side by side."""


def usual_workers() -> int:
    """As many as there are processors to run on; one for the reference kernels."""
    if not kernels.are_compiled():
        return 1
    try:
        usable = len(os.sched_getaffinity(0))
    except AttributeError:  # not every system tells
        usable = os.cpu_count() or 1
    return max(1, min(usable, MOST))


def for_columns(cases: int) -> Workers:
    """Threads for columns of so many cases, which are looked at side by side only if that pays."""
    return Workers(usual_workers() if cases >= MANY else 1)


def counted(
    work: Callable[[T], R], total: int, what: str, progress: Progress | None, done: int = 0
) -> Callable[[T], R]:
    """The work, telling after each item that one more is done, of so many."""
    if progress is None:
        return work
    alone = Lock()

    def told(item: T) -> R:
        nonlocal done
        made = work(item)
        with alone:
            done += 1
            progress(done, total, what)
        return made

    return told


class Workers:
    """So many threads, of which the one that asks is the first."""

    def __init__(self, count: int) -> None:
        self.count = max(1, count)
        self._others: ThreadPoolExecutor | None = None
        self._begun: list[_Ahead[Any, Any]] = []
        """What has been handed out and not been ended."""
        if self.count > 1:
            from concurrent.futures import ThreadPoolExecutor  # not needed for a first look

            # twice as many: who takes a block may hand out its columns
            self._others = ThreadPoolExecutor(2 * (self.count - 1))

    def __enter__(self) -> Workers:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        for each in list(self._begun):  # an interrupt may have left some of them before their end
            each.stop()
        if self._others is not None:
            self._others.shutdown(wait=True, cancel_futures=True)

    def each(self, work: Callable[[T], R], items: Iterable[T]) -> list[R]:
        """The results for all items, in order."""
        if self._others is None:
            return [work(item) for item in items]
        every = list(items)
        most = len(every) + self.count
        with self._helped(work, iter(every), most, False) as helped:
            return [result for _, result in helped.results()]

    def ahead(self, work: Callable[[T], R], items: Iterator[T]) -> Iterator[tuple[T, R]]:
        """Each item with its result, in order; some more items are worked on meanwhile.

        The first one is handed back before work on the next is begun: what is learned of it helps
        the rest, of which some are asked for meanwhile. An item is asked for by whoever is free to
        work on it, one at a time.
        """
        if self._others is None:
            for item in items:
                yield item, work(item)
        else:
            with self._helped(work, items, self.count + 1, True) as helped:
                yield from helped.results()

    @contextmanager
    def _helped(
        self, work: Callable[[T], R], items: Iterator[T], most: int, learning: bool
    ) -> Iterator[_Ahead[T, R]]:
        """Items that are worked on by the others too, until this ends."""
        assert self._others is not None
        helped = _Ahead(self._others, self.count, work, items, most, learning)
        self._begun.append(helped)
        try:
            yield helped
        finally:
            self._begun.remove(helped)


class _Asked(Generic[T, R]):
    """An item, and what comes of it."""

    def __init__(self, item: T) -> None:
        from concurrent.futures import Future

        self.item = item
        self.result: Future[R] = Future()

    def do(self, work: Callable[[T], R]) -> None:
        """Work on it; what goes wrong is told where the result is taken."""
        try:
            self.result.set_result(work(self.item))
        except BaseException as error:
            self.result.set_exception(error)


class _Ahead(Generic[T, R]):
    """Items that are worked on by several threads, `most` of them at a time."""

    def __init__(
        self,
        others: ThreadPoolExecutor,
        count: int,
        work: Callable[[T], R],
        items: Iterator[T],
        most: int,
        learning: bool,
    ) -> None:
        from threading import Event, Lock, Semaphore

        self._others, self._count, self._work, self._items = others, count, work, items
        self._learning = learning
        """Work on the others begins when the first one has been handed back."""
        self._known = Event()
        if not learning:
            self._known.set()
        self._room = Semaphore(most)
        self._asking = Lock()
        self._ended = False
        self._failed: BaseException | None = None
        self._waiting: deque[_Asked[T, R]] = deque()
        """Asked for, and nobody works on them yet."""
        self._due: deque[_Asked[T, R]] = deque()
        """Asked for, and not yet handed back."""

    def results(self) -> Iterator[tuple[T, R]]:
        """Each item with its result, in order."""
        if self._learning:
            self._ask()
        helpers: list[Future[None]] = []
        try:  # an interrupt may come as soon as the first thread is there
            helpers.extend(self._others.submit(self._help) for _ in range(self._count - 1))
            if self._learning:
                self._work_on_one()
            while self._is_due():
                yield self._handed_back()
                self._known.set()
        finally:
            self.stop()
            for each in helpers:
                if not each.cancel():
                    each.result()

    def stop(self) -> None:
        """Begin no more work, and let those go who wait for some."""
        self._ended = True
        self._waiting.clear()
        self._known.set()
        self._room.release(self._count - 1)

    def _help(self) -> None:
        while not self._known.is_set() and self._ask(patient=False):
            pass
        self._known.wait()
        while self._work_on_one(patient=True):
            pass

    def _work_on_one(self, patient: bool = False) -> bool:
        """Do what is to be done next; false if there is nothing, or (if not patient) no room."""
        while True:
            try:
                self._waiting.popleft().do(self._work)
                return True
            except IndexError:
                if not self._ask(patient):
                    return False

    def _ask(self, patient: bool = True) -> bool:
        """Ask for another item; false if there is none."""
        if not self._room.acquire(blocking=patient):
            return False
        with self._asking:
            if self._ended:
                self._room.release()
                return False
            try:
                asked: _Asked[T, R] = _Asked(next(self._items))
            except BaseException as error:  # raised when those before are handed back
                self._failed = None if isinstance(error, StopIteration) else error
                self._ended = True
                self._room.release()
                return False
            self._due.append(asked)
            self._waiting.append(asked)
            return True

    def _is_due(self) -> bool:
        """Wait until the next one is done, and work on others meanwhile; false at the end."""
        while not self._due:
            if self._ask(patient=False) or self._due:  # there is room, or some are due
                continue
            if self._failed is not None:
                raise self._failed
            return False
        result = self._due[0].result
        while not result.done() and self._work_on_one():
            pass
        result.exception()  # waits
        return True

    def _handed_back(self) -> tuple[T, R]:
        asked = self._due.popleft()
        self._room.release()
        return asked.item, asked.result.result()


ALONE = Workers(1)
