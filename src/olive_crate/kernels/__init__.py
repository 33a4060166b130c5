"""The hot loops: one interface, and two implementations that give the same results.

`reference` is in NumPy: clear, portable, always there. `compiled` does the same in C++, several
times as fast, where the package could be built with a compiler. The environment variable
`OLIVE_CRATE_KERNELS` chooses one of them; without it the compiled ones are used if they are there.

`KERNELS` is the one table of them. A new kernel is a line in it, a function of that name in a file
of either folder, and in C++ a function and its line in `native/module.cpp`. Who uses kernels calls
them as attributes of this package, whose names are those of the implementation in use. What is
not in use is not imported, but for what the compiled kernels leave to the reference.
"""

from __future__ import annotations

import os
from importlib import import_module
from typing import TYPE_CHECKING, Any

from ..errors import OliveCrateError
from .buffers import (
    FEW,
    arrow,
    bitmap,
    distinct,
    masked,
    median,
    numpy_of,
    padded,
    room_for,
    strings,
    whole_numbers,
)
from .types import PAD, Bytes

if TYPE_CHECKING:
    from .reference import *  # noqa: F403

CHOICE = "OLIVE_CRATE_KERNELS"
NAMES = ("compiled", "reference")
KERNELS = {
    "all_differ": ("gather", "whole_texts"),
    "big_endian": ("records", "records"),
    "blank": ("blanks", "cells"),
    "course": ("figures", "cells"),
    "cut": ("splitting", "splitting"),
    "different": ("gather", "cells"),
    "document_rows": ("sheet_xml", "sheet"),
    "encoded": ("gather", "cells"),
    "extremes": ("figures", "cells"),
    "find_codes": ("figures", "cells"),
    "is_utf8": ("gather", "splitting"),
    "joined_texts": ("gather", "whole_texts"),
    "line_marks": ("splitting", "splitting"),
    "listed": ("gather", "cells"),
    "match": ("gather", "cells"),
    "mixed": ("figures", "cells"),
    "read_column": ("columns", "cells"),
    "read_numbers": ("numbers", "cells"),
    "read_sheet": ("sheet_xml", "sheet"),
    "read_strings": ("sheet_xml", "sheet"),
    "read_times": ("times", "cells"),
    "record_places": ("records", "records"),
    "records_early": ("early_columns", "splitting"),
    "shorter_numerals": ("numerals", "sheet"),
    "split": ("splitting", "splitting"),
    "split_early": ("early_columns", "splitting"),
    "structure": ("splitting", "splitting"),
    "tally": ("figures", "cells"),
    "text_hashes": ("gather", "whole_texts"),
    "text_marks": ("splitting", "splitting"),
    "texts": ("gather", "cells"),
    "trimmed": ("blanks", "cells"),
    "validity": ("figures", "cells"),
}
"""Each kernel with the files that have it, in `reference` and in `compiled`."""
IN_NUMPY = {"ranges": "gather", "squeezed": "gather", "table": "blanks", "trimmed_table": "blanks"}
"""What has no compiled counterpart, with its file in `reference`."""
_in_use = "reference"


def kernel_of(folder: str, name: str) -> Any:
    """A kernel of `reference` or `compiled`. Raises `AttributeError` if there is none."""
    if name in KERNELS:
        home = KERNELS[name][folder == "compiled"]
    elif name in IN_NUMPY and folder == "reference":
        home = IN_NUMPY[name]
    else:
        raise AttributeError(f"there is no kernel {name!r} in {folder}")
    return getattr(import_module(f"{__name__}.{folder}.{home}"), name)


def use(name: str) -> None:
    """Read with the kernels of this name from now on.

    Raises `OliveCrateError` for a name that is not of `NAMES`, or if the compiled kernels were not
    built.
    """
    global _in_use
    if name not in NAMES:
        raise OliveCrateError(f'{CHOICE}: there are no kernels "{name}"; take {" or ".join(NAMES)}')
    try:
        if name == "compiled":
            import_module(f"{__name__}.compiled")
    except ImportError as error:
        raise OliveCrateError(
            f"{CHOICE}: the compiled kernels are not there ({error}); install the package where "
            "there is a C++ compiler, or take the reference kernels"
        ) from None
    for each in KERNELS:
        globals().pop(each, None)
    _in_use = name


def __getattr__(name: str) -> Any:
    """A kernel, fetched when it is first used."""
    found = globals()[name] = kernel_of("reference" if name in IN_NUMPY else _in_use, name)
    return found


def in_use() -> str:
    """The name of the kernels in use, and what the compiled ones run on: `compiled (avx2)`."""
    if _in_use == "reference":
        return _in_use
    from .compiled import instructions

    return f"{_in_use} ({instructions()})"


def any_order(buffer: Bytes) -> bool:
    """May runs of this buffer lie in any order to be gathered?"""
    return are_compiled() and len(buffer) < 1 << 31


def are_compiled() -> bool:
    """Are the compiled kernels in use?"""
    return _in_use == "compiled"


def _start() -> None:
    wanted = os.environ.get(CHOICE, "")
    if wanted:
        use(wanted)
        return
    try:
        use("compiled")
    except OliveCrateError:
        use("reference")


_start()

__all__ = [
    "FEW",
    "NAMES",
    "PAD",
    "any_order",
    "are_compiled",
    "arrow",
    "bitmap",
    "distinct",
    "in_use",
    "masked",
    "median",
    "numpy_of",
    "padded",
    "room_for",
    "strings",
    "use",
    "whole_numbers",
]
