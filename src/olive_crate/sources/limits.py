"""How much a file that nobody has looked at may ask for, before reading it stops with a message.

Small files can ask for much: a compressed stream of zeros, a record without an end, a sheet with
references to a cell a million rows down. The limits lie far above what real files need, and each
can be raised.
"""

from __future__ import annotations

import msgspec

from ..errors import Advice, PlanError, SourceError, nearest


class Limits(msgspec.Struct, frozen=True, omit_defaults=True):
    """How much an untrusted file may ask for; each can be raised by the option `limits`."""

    inflated: int = 4 << 30
    """Bytes of all parts of a workbook that are read, inflated."""
    text: int = 1 << 40
    """Bytes of a text that was compressed. It is read in blocks, so that memory does not grow."""
    ratio: int = 1000
    """How many times larger than when compressed a part or a text may become."""
    record: int = 256 << 20
    """Bytes of one record, or of one line of a fixed layout."""
    fields: int = 100_000
    """Fields of one record."""
    entries: int = 20_000
    """Parts of a workbook, or files in an archive."""
    strings: int = 50_000_000
    """Shared strings."""
    cells: int = 40_000_000
    """Filled cells of a sheet; a quarter of it in OpenDocument, whose cells take more room."""


NO_RATIO_BELOW = 64 << 20
"""Bytes that may come out of anything: a ratio says little of a short text."""


def limits_of(given: object, at: str = "limits") -> Limits:
    """Limits from a mapping. Raises `PlanError` for unknown ones."""
    if isinstance(given, Limits):
        return given
    if not isinstance(given, dict):
        raise PlanError(f"{at}: expected a mapping of limits, got {given!r}")
    for key, value in given.items():
        if key not in Limits.__struct_fields__:
            raise PlanError(f'{at}: unknown key "{key}"{nearest(key, Limits.__struct_fields__)}')
        if isinstance(value, bool) or not isinstance(value, int) or value < 1:
            raise PlanError(f"{at}.{key}: expected a whole number from 1, got {value!r}")
    return Limits(**given)


def raising(limit: str) -> Advice:
    """How a limit is raised."""
    return Advice(
        "if you trust the file, raise {}",
        f'limits={{"{limit}": …}}',
        f'the limit "{limit}" under [source.limits] in a plan',
    )


def beyond(name: str, limit: str, what: str) -> SourceError:
    """The error for a file that asks for more than it may."""
    return SourceError(f"{name}: {what}, more than an untrusted file may", raising(limit))
