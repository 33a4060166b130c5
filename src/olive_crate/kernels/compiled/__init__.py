"""The compiled kernels, with the interface of the reference.

Positions go over as 32-bit integers, NumPy's memory is read and written in place, and the
interpreter is free for other threads meanwhile. Text whose structure is beyond the scan (escapes,
comments, runs of blanks, delimiters of several characters) is split by the reference, and so is
everything in a buffer of 2 GB and more.
"""

from __future__ import annotations

from typing import Any

from . import _native  # there is nothing here where it was not built


def instructions(name: str | None = None) -> str:
    """The instruction set in use; with a name, that one from now on.

    Raises `ValueError` for one that this processor does not have.
    """
    return str(_native.instructions(name or ""))


def __getattr__(name: str) -> Any:
    """A kernel by its name, wherever it is: see the table in the package."""
    from .. import kernel_of

    return kernel_of("compiled", name)
