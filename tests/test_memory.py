"""Memory and threads: what is held stays as it is, what is let go of is used again."""

from __future__ import annotations

import io
import threading

import numpy as np
import pytest

import olive_crate as oc
from olive_crate.kernels import buffers as room

ROWS = 60_000


def deliveries(seed: int) -> bytes:
    """Tickets of the mill; as many rows whatever the seed, so that room fits."""
    numbers = np.random.default_rng(seed).integers(100_000, 999_999, (ROWS, 2))
    lines = (f"{one},{two / 100:.2f},press {one % 7},remark {two}" for one, two in numbers.tolist())
    return "\n".join(["ticket,acidity,press,remark", *lines]).encode()


@pytest.mark.parametrize("workers", [1, 3])
def test_what_is_held_stays_as_it_is_whatever_is_read_after_it(workers):
    dataset = oc.load(deliveries(1), workers=workers)
    told = {name: dataset[name].values.to_pylist() for name in dataset.names}
    held = {name: dataset[name].values[7:] for name in dataset.names}
    numbers = dataset["acidity"].to_numpy()
    table = dataset.to_arrow()
    del dataset
    for seed in range(2, 6):
        other = oc.load(deliveries(seed), workers=workers)
        assert other["ticket"].values.to_pylist() != told["ticket"]
    assert {name: values.to_pylist() for name, values in held.items()} == {
        name: values[7:] for name, values in told.items()
    }
    assert numbers.tolist() == told["acidity"]
    assert table.column("remark").to_pylist() == told["remark"]


@pytest.mark.skipif(room.OFFERED is None, reason="this system takes no offers of memory")
def test_room_is_used_again_once_nobody_looks_at_it(monkeypatch):
    monkeypatch.setattr(room, "_kept", {})  # what other tests have left may be all that is kept
    count = 40_000_000  # far from what other tests need
    first = room.allocate(count, np.uint8)
    place, part = first.ctypes.data, first[5:].view()
    del first
    assert room.allocate(count, np.uint8).ctypes.data != place, "a part of it is still looked at"
    del part
    others = [room.allocate(count, np.uint8) for _ in range(2)]
    assert place in [each.ctypes.data for each in others]
    assert not np.shares_memory(*others)


class Failing(io.BytesIO):
    """A source that gives up after some reads."""

    left = 6

    def read(self, count: int | None = -1) -> bytes:
        self.left -= 1
        if self.left < 0:
            raise OSError("the disk is gone")
        return super().read(count)


@pytest.mark.parametrize("workers", [1, 2, 5])
@pytest.mark.parametrize("fault", ["source", "progress", "limit"])
def test_a_load_that_ends_early_leaves_no_thread_behind(monkeypatch, workers, fault):
    monkeypatch.setenv("OLIVE_CRATE_BLOCK", "20000")
    data = deliveries(1)

    def progress(done: int, total: int | None, what: str) -> None:
        if fault == "progress" and done > len(data) // 3:
            raise KeyError("enough")

    source = Failing(data) if fault == "source" else data
    before = threading.active_count()
    if fault == "limit":
        assert oc.load(source, workers=workers, limit=5000).rows == 5000
    else:
        with pytest.raises((OSError, KeyError), match=r"gone|enough"):
            oc.load(source, workers=workers, progress=progress)
    assert threading.active_count() == before
