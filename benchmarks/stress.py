"""Many threads and processes that read, pack and unpack at once: equal results, flat memory.

    python benchmarks/stress.py [SECONDS]

Eight processes of eight threads each load, pack, unpack, verify and count the same files and files
of their own. Every result is compared with the one that a single thread made beforehand. At the
end: the number of operations, differing results, errors, the growth of memory between the first
fifth of the time and its end, and file handles left open.
"""

from __future__ import annotations

import gc
import hashlib
import multiprocessing
import os
import random
import sys
import tempfile
import threading
import time
from pathlib import Path

import olive_crate as oc

PROCESSES, THREADS = 8, 8
DEMO = Path(oc.__file__).parent / "demo" / "data"


def result(ds: oc.Dataset) -> str:
    """All values and reasons of a dataset, as a hash."""
    made = hashlib.sha256()
    for name in ds.names:
        made.update(repr(ds[name].values.to_pylist()).encode())
        made.update(ds[name].reasons.tobytes())
    return made.hexdigest()


def sources() -> list[Path]:
    """Files and plans of the demo, of every layout."""
    names = ["deliveries_2025.csv", "survey.plan.toml", "panel_2025.xlsx", "census_2024.txt"]
    return [DEMO / name for name in [*names, "harvest.html", "months.plan.toml"]]


def memory() -> int:
    """Bytes of this process that are in memory."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")


def handles() -> int:
    """Open files of this process."""
    return len(os.listdir("/proc/self/fd"))


def once(expected: dict[Path, str], folder: Path, chosen: random.Random, tag: str) -> bool:
    """One operation; is its result what it should be?"""
    path = chosen.choice(list(expected))
    way = chosen.choice(["load", "pack", "pieces", "shared"])
    if way == "load":
        return result(oc.load(path, workers=chosen.choice([1, 2]))) == expected[path]
    if way == "pieces":
        return sum(map(len, oc.pieces(path, rows=50))) == len(oc.load(path))
    target = folder / (f"{path.name}.parquet" if way == "shared" else f"{tag}.parquet")
    if way == "pack" or not target.exists():
        oc.pack(path, target, replace=True)
    back = oc.unpack(target)
    return oc.verify(target).is_whole and result(back) == expected[path]


def work(expected: dict[Path, str], folder: Path, seconds: float, seed: int, out: object) -> None:
    """The threads of one process."""
    counts = {"done": 0, "different": 0}
    errors: list[str] = []
    lock = threading.Lock()
    end = time.monotonic() + seconds

    def run(number: int) -> None:
        chosen = random.Random(seed * 100 + number)
        while time.monotonic() < end:
            try:
                same = once(expected, folder, chosen, f"{seed}-{number}")
            except Exception as error:
                with lock:
                    errors.append(f"{type(error).__name__}: {error}")
                continue
            with lock:
                counts["done"] += 1
                counts["different"] += not same

    before = handles()
    threads = [threading.Thread(target=run, args=(number,)) for number in range(THREADS)]
    for each in threads:
        each.start()
    time.sleep(seconds / 5)
    early = memory()
    for each in threads:
        each.join()
    gc.collect()
    out.put((counts["done"], counts["different"], errors, memory() - early, handles() - before))  # type: ignore[attr-defined]


def main(seconds: float) -> int:
    """Run, and print what came of it; 1 if anything was wrong."""
    expected = {path: result(oc.load(path, workers=1)) for path in sources()}
    context = multiprocessing.get_context("spawn")
    with tempfile.TemporaryDirectory() as made:
        folder, out = Path(made), context.Queue()
        running = [
            context.Process(target=work, args=(expected, folder, seconds, seed, out))
            for seed in range(PROCESSES)
        ]
        for each in running:
            each.start()
        results = [out.get(timeout=seconds + 300) for _ in running]
        for each in running:
            each.join()
        left = [each.name for each in folder.iterdir() if each.name.startswith(".")]
    done = sum(each[0] for each in results)
    different = sum(each[1] for each in results)
    errors = [text for each in results for text in each[2]]
    print(f"{done:,} operations in {seconds:.0f} s by {PROCESSES} x {THREADS} threads")
    print(f"{different} different results, {len(errors)} errors, {len(left)} temporary files left")
    for text in sorted(set(errors))[:5]:
        print(f"    {text}")
    growth = max(each[3] for each in results) / 1e6
    print(f"memory after the first fifth: at most {growth:+.0f} MB in a process")
    print(f"file handles: at most {max(each[4] for each in results):+d}")
    return int(bool(different or errors or left))


if __name__ == "__main__":
    raise SystemExit(main(float(sys.argv[1]) if len(sys.argv) > 1 else 120.0))
