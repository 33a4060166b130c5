"""Regular expressions that are compiled when they are first used.

Compiling those of all modules takes longer than a first look at a small file, which needs few.
"""

from __future__ import annotations

import re
from typing import Any, AnyStr, cast


class _Late:
    """Stands for a pattern; what is asked of it is kept, so that it is found at once next time."""

    def __init__(self, text: Any, flags: int) -> None:
        self._text, self._flags = text, flags

    def __getattr__(self, name: str) -> Any:
        found = getattr(re.compile(self._text, self._flags), name)
        setattr(self, name, found)
        return found


def late(text: AnyStr, flags: int = 0) -> re.Pattern[AnyStr]:
    """The pattern of this text, compiled once it is used.

    >>> bool(late("[a-z]+").fullmatch("acid"))
    True
    """
    return cast("re.Pattern[AnyStr]", _Late(text, flags))
