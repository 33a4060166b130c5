"""Fixed-width numbers, 20 fields of 5 to 8 characters, packed, and the ways of reading them."""

from __future__ import annotations

import random
from pathlib import Path

WIDTHS = [5 + place % 4 for place in range(20)]
FIELDS = [(f"v{place}", width) for place, width in enumerate(WIDTHS)]
SPANS = [(sum(WIDTHS[:place]), sum(WIDTHS[: place + 1])) for place in range(20)]


def made(path: Path, megabytes: float) -> int:
    """Write the file; returns its rows."""
    rng = random.Random(7)
    lines = [
        "".join(f"{rng.uniform(0, 10 ** (width - 3)):{width}.2f}"[:width] for width in WIDTHS)
        + "\n"
        for _ in range(20_000)
    ]
    piece = "".join(lines)
    count = max(1, round(megabytes * 1e6 / len(piece)))
    with path.open("w", encoding="ascii", newline="") as stream:
        for _ in range(count):
            stream.write(piece)
    return count * len(lines)


def by_olive_crate(path: Path, workers: str = "1") -> None:
    """The declared fields as numbers."""
    import olive_crate as oc

    dataset = oc.load(path, fields=FIELDS, types="number", workers=int(workers))
    assert len(dataset.names) == 20


def by_row_loop(path: Path) -> None:
    """Each line sliced, each slice made a float."""
    columns: list[list[float]] = [[] for _ in WIDTHS]
    with path.open(encoding="ascii") as stream:
        for line in stream:
            for column, (start, end) in zip(columns, SPANS, strict=True):
                column.append(float(line[start:end]))
