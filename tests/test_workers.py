"""Threads that work ahead: whoever is slow, all items come back in order."""

from __future__ import annotations

import time
from collections import deque

import pytest

from olive_crate import workers
from olive_crate.workers import Workers


class Late(deque):
    """Tells late that it is empty, when others may have filled it long ago."""

    def __bool__(self) -> bool:
        filled = len(self) > 0
        if not filled:
            time.sleep(0.02)
        return filled


@pytest.mark.timeout(60)
@pytest.mark.parametrize("count", [2, 3, 5])
def test_all_items_come_back_though_the_others_take_all_the_room(monkeypatch, count):
    """Whoever hands results back must not wait for room that only it can make."""
    monkeypatch.setattr(workers, "deque", Late)
    with Workers(count) as several:
        found = list(several.ahead(lambda item: item * item, iter(range(40))))
    assert found == [(item, item * item) for item in range(40)]
