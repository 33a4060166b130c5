"""The dataset that a command works on: packed, or read now."""

from __future__ import annotations

from typing import Any

from .options import source_of
from .screen import progress


def dataset_of(source: str, options: dict[str, Any]) -> Any:
    """A packed dataset, or the source of a file or plan, loaded."""
    if source.endswith(".parquet"):
        from ..errors import PlanError
        from ..formats.packed import unpack

        if options:
            raise PlanError(f"{source}: a packed dataset is read already; it takes no options")
        return unpack(source)
    from ..loading import load

    with progress("reading") as bar:
        return load(source_of(source, options), progress=bar, **options)
