"""Contestants that take turns, each in a process of its own that is warmed up once.

Machines are noisy, and what one contestant leaves in memory would slow the next one down. So each
has its own process, and the rounds are interleaved. Who comes after one that fills the caches with
its own is slower for it, so the order is another one in each round. What counts are ratios of
medians within one run. Peak memory is that of the process, less what it had before the first round.

A machine that others share may take its processors away for a third of a turn, and says so: time
in which a processor had work and was not given is "stolen" in /proc/stat. A turn of which more than
`ALLOWED` was stolen is taken again, `TRIES` times at most, and the one that lost least counts. The
rule is the same for all contestants, and what was stolen from those that count is told.
"""

from __future__ import annotations

import hashlib
import importlib
import json
import operator
import os
import platform
import random
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

ALLOWED = 0.05
"""Share of its processors' time that a turn may lose without being taken again."""
TRIES = 5
PAUSE = 0.1
"""Seconds before a turn is taken again: for the second time twice as many, and so on."""
PATIENCE = 10.0
"""Seconds after which a turn is not taken again, whatever it lost."""


@dataclass
class Times:
    """What one contestant took, round by round."""

    name: str
    clock: list[float] = field(default_factory=list)
    work: list[float] = field(default_factory=list)
    stolen: list[float] = field(default_factory=list)
    """Shares of the processors' time."""
    again: int = 0
    """Turns that were taken again."""
    peak: float = 0.0
    told: Any = None

    @property
    def seconds(self) -> float:
        """The median on the clock."""
        return statistics.median(self.clock)

    @property
    def spent(self) -> float:
        """The median of the processor's seconds, of which none are stolen."""
        return statistics.median(self.work)

    def against(self, other: Times) -> float:
        """The median ratio of processor time, round by round.

        The speed of a shared machine changes more between rounds than within one.
        """
        return statistics.median(map(operator.truediv, self.work, other.work))


class Contestant:
    """A function of a module of this folder, in a process of its own."""

    def __init__(
        self, name: str, call: str, *given: object, rounds: int | None = None, **environment: str
    ) -> None:
        """With `rounds` it takes part in so many only, and no turn is taken again.

        This is for one that takes long, of which the processor's seconds count.
        """
        self.times = Times(name)
        self.rounds = rounds
        folder = str(Path(__file__).parent)
        code = f"import sys; sys.path.insert(0, {folder!r}); import turns; turns.serve()"
        self._process = subprocess.Popen(
            [sys.executable, "-c", code, call, json.dumps([str(each) for each in given])],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, **environment},
        )

    def turn(self, counts: bool = True) -> None:
        """One round: of several tries, the one of which least was stolen."""
        if not counts:
            self._try()
            return
        began = time.perf_counter()
        tries = [self._try()]
        while (
            self.rounds is None
            and tries[-1]["stolen"] > ALLOWED
            and len(tries) < TRIES
            and time.perf_counter() - began < PATIENCE
        ):
            time.sleep(PAUSE * len(tries))
            tries.append(self._try())
        best = min(tries, key=lambda each: each["stolen"])
        self.times.again += len(tries) - 1
        self.times.clock.append(best["clock"])
        self.times.work.append(best["work"])
        self.times.stolen.append(best["stolen"])

    def _try(self) -> dict[str, Any]:
        assert self._process.stdin and self._process.stdout
        before = stolen()
        self._process.stdin.write("go\n")
        self._process.stdin.flush()
        line = self._process.stdout.readline()
        if not line:
            raise SystemExit(f"{self.times.name}: the contestant failed")
        told: dict[str, Any] = json.loads(line)
        told["stolen"] = (stolen() - before) / told["clock"] / (os.cpu_count() or 1)
        self.times.peak, self.times.told = told["peak"], told["told"]
        return told

    def close(self) -> None:
        assert self._process.stdin
        self._process.stdin.close()
        self._process.wait()


def serve() -> None:
    """The other side: a round for each line."""
    module, _, name = sys.argv[1].partition(":")
    function = getattr(importlib.import_module(module), name)
    given = [Path(each) if "/" in each else each for each in json.loads(sys.argv[2])]
    before = memory("VmRSS")
    for _ in sys.stdin:
        began, spent = time.perf_counter(), time.process_time()
        told = function(*given)
        took = {"clock": time.perf_counter() - began, "work": time.process_time() - spent}
        told = told if isinstance(told, (int, float)) else None
        print(json.dumps({**took, "peak": memory("VmHWM") - before, "told": told}), flush=True)


def memory(what: str) -> float:
    """Megabytes of this process, as the system tells them."""
    try:
        lines = Path("/proc/self/status").read_text().splitlines()
    except OSError:
        return 0.0
    return next((int(line.split()[1]) / 1000 for line in lines if line.startswith(what)), 0.0)


def stolen() -> float:
    """Seconds, of all processors together, in which they had work and were not given."""
    try:
        total = Path("/proc/stat").read_text().split("\n", 1)[0].split()
        return int(total[8]) / os.sysconf("SC_CLK_TCK")
    except (OSError, IndexError):
        return 0.0


def take_turns(contestants: Sequence[Contestant], rounds: int) -> dict[str, Times]:
    """So many rounds, each in an order of its own, after one that does not count."""
    try:
        for place in range(rounds + 1):
            taking = [each for each in contestants if each.rounds is None or place <= each.rounds]
            for each in random.Random(place).sample(taking, len(taking)):
                each.turn(counts=place > 0)
    finally:
        for each in contestants:
            each.close()
    return {each.times.name: each.times for each in contestants}


def scaling() -> float:
    """How much more two threads do than one, in the time of one: the median of some rounds.

    They hash, which takes nothing but a processor. A machine that others share may give less than
    it shows: then this is below 2.
    """
    text = bytes(32 << 20)

    def seconds(count: int) -> float:
        threads = [threading.Thread(target=hashlib.sha256, args=(text,)) for _ in range(count)]
        began = time.perf_counter()
        for each in threads:
            each.start()
        for each in threads:
            each.join()
        return time.perf_counter() - began

    return statistics.median(2 * seconds(1) / seconds(2) for _ in range(9))


def machine() -> str:
    """The processor, how many there are, and the versions that matter."""
    import numpy
    import pyarrow

    from olive_crate import kernels

    cpu = platform.processor() or platform.machine()
    try:
        lines = Path("/proc/cpuinfo").read_text().splitlines()
        cpu = next(line.partition(": ")[2] for line in lines if line.startswith("model name"))
    except (OSError, StopIteration):
        pass
    return (
        f"{cpu}, {os.cpu_count()} processors; Python {platform.python_version()}, "
        f"NumPy {numpy.__version__}, Arrow {pyarrow.__version__}; kernels: {kernels.in_use()}"
    )
