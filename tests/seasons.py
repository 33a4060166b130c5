"""Files of a season, a month each, and what it is for two datasets to be the same."""

from __future__ import annotations

from pathlib import Path

import numpy as np

import olive_crate as oc

DELIVERIES = "delivery,date,grove,kg,acid\n"


def season(folder: Path, months: int = 4) -> Path:
    """A folder with a file a month."""
    folder.mkdir()
    for month in range(1, months + 1):
        rows = [
            f"D{month}{day},2025-{month:02}-{day:02},{'Pago' if day % 2 else 'Campo'},"
            f"{month * 100 + day},{day / 10}\n"
            for day in range(1, 8)
        ]
        (folder / f"deliveries_2025-{month:02}.csv").write_text(DELIVERIES + "".join(rows))
    return folder


def same(one: oc.Dataset, other: oc.Dataset, rows: bool = True) -> None:
    """Equal in variables, values, reasons and, if wanted, in the rows that cases came from."""
    assert one.names == other.names
    for name in one.names:
        assert one[name].variable == other[name].variable, name
        assert one[name].values.to_pylist() == other[name].values.to_pylist(), name
        assert (one[name].reasons == other[name].reasons).all(), name
    if rows:
        cases = np.arange(one.rows)
        assert one.source_rows.at(cases).tolist() == other.source_rows.at(cases).tolist()
        assert one.source_rows.files_at(cases) == other.source_rows.files_at(cases)
