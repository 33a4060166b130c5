"""Read the next piece while the one before is worked on."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")


def ahead(items: Iterator[T]) -> Iterator[T]:
    """The same items; one of them is made beforehand, on a thread of its own."""
    end = object()
    with ThreadPoolExecutor(1) as pool:
        coming = pool.submit(next, items, end)
        while (item := coming.result()) is not end:
            coming = pool.submit(next, items, end)
            yield item  # type: ignore[misc]
