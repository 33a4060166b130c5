"""A hundred million rows in 20 files: packed, then counts and figures, in bounded memory.

Inputs (about 5 GB) are generated into a temporary folder, which needs 8 GB. `--files` and
`--megabytes` make it smaller. Each step is a process of its own; its peak memory is printed.
"""

from __future__ import annotations

import argparse
import shutil
import tempfile
from pathlib import Path

from sets import generate, reading, run


def main() -> None:
    """Generate, measure, print a table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--files", type=int, default=20)
    parser.add_argument("--megabytes", type=float, default=250)
    given = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="olive-large-"))
    try:
        rows = generate(folder, given.files, given.megabytes, whole=False)
        paths = sorted((folder / "set").iterdir())
        size = sum(each.stat().st_size for each in paths) / 1e6
        out = folder / "out"
        pack = f"oc.pack({str(folder / 'set')!r}, {str(out)!r}"
        opened = f"oc.unpack({str(out)!r})"
        steps = {
            "pack": f"{pack})",
            "pack again, nothing new": f"{pack}, update=True)",
            "open": opened,
            "counts of grove": f"{opened}.counts('grove')",
            "summary of three": f"{opened}.summary(['kg', 'acid', 'peroxide'])",
            "missing patterns": f"{opened}.missing_patterns()",
            "correlations of three": f"{opened}.correlations(['kg', 'acid', 'peroxide'])",
            "filter on Arrow, keep one": (
                "import pyarrow.compute as pc; "
                f"d = {opened}; d.filter(pc.field('delivery') < 10**7 + 1000).keep('kg')['kg']"
            ),
        }
        print(f"{given.files} files, {size:,.0f} MB, {rows:,} rows; {len(paths)} parts")
        print(f"reading the bytes: {reading(paths):.1f} s\n")
        print(f"{'':28} seconds  Mrows/s  peak MB")
        for name, work in steps.items():
            seconds, memory = run(work)
            print(f"{name:28} {seconds:7.2f} {rows / seconds / 1e6:8.1f} {memory:8.0f}", flush=True)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
