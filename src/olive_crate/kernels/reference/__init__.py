"""The kernels in NumPy: clear, portable, always there."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .blanks import *  # noqa: F403
    from .columns import read_column as read_column
    from .early_columns import *  # noqa: F403
    from .figures import *  # noqa: F403
    from .gather import *  # noqa: F403
    from .numbers import read_numbers as read_numbers
    from .numerals import *  # noqa: F403
    from .records import *  # noqa: F403
    from .sheet_xml import *  # noqa: F403
    from .splitting import *  # noqa: F403
    from .times import read_times as read_times


def __getattr__(name: str) -> Any:
    """A kernel by its name, wherever it is: see the table in the package."""
    from .. import kernel_of

    return kernel_of("reference", name)
