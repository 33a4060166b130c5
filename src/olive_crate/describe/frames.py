"""Plain rows as data frames."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from ..errors import PlanError

if TYPE_CHECKING:
    import pandas


def frame(rows: Sequence[Mapping[str, Any]], headings: Sequence[str]) -> pandas.DataFrame:
    """Plain rows as a data frame. Raises `PlanError` where pandas is not installed."""
    return imported_pandas().DataFrame([dict(each) for each in rows], columns=list(headings))


def imported_pandas() -> Any:
    try:
        import pandas
    except ImportError:
        raise PlanError('pandas is not installed; install "olive-crate[pandas]"') from None
    return pandas
