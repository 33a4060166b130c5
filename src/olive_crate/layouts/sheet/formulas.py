"""Formulas without a stored value: whoever wrote the workbook did not calculate them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ... import kernels
from ...declaration.patterns import late
from ...kernels.reference.sheet_xml import FAILED
from ...kernels.types import PAD
from ...sources.ranges import cell_of
from .pieces import Assembly

NOT_CALCULATED = "not calculated"
"""What stands in the place of a value, like the name of an error."""
WITHOUT = late(rb"<c ([^>]*)>\s*<f(?:\s[^>]*)?(?:/>|>[^<]*</f>)\s*(?:<v\s*/>|<v>\s*</v>)?\s*</c>")
PLACE, AS_TEXT = late(rb'\br="([A-Z]+\d+)"'), late(rb'\bt="str"')


def not_calculated(rows: memoryview) -> list[tuple[int, int]]:
    """The places of formulas without a value in the XML of some rows.

    A formula whose value is an empty text says so by its type, and has a value.
    """
    if not _has_formulas(rows):
        return []
    found = []
    for match in WITHOUT.finditer(rows):
        place = PLACE.search(match[1])
        at = cell_of(place[1].decode("ascii")) if place else None
        if at is not None and not AS_TEXT.search(match[1]):
            found.append(at)
    return found


def _has_formulas(rows: memoryview) -> bool:
    """Does an element begin with an f? There are few f's in numbers and names of elements."""
    text = np.frombuffer(rows, np.uint8)
    at = np.flatnonzero(text == ord("f"))
    return bool((text[at - 1] == ord("<")).any())


def add_not_calculated(assembly: Assembly, places: Sequence[tuple[int, int]]) -> None:
    """Put cells without a value at these places."""
    if not places:
        return
    count, word = len(places), NOT_CALCULATED.encode("ascii")
    rows, columns = np.array(places, np.int64).T
    starts = PAD + len(word) * np.arange(count)
    none = np.zeros(count, np.int64)
    types = np.full(count, FAILED, np.int64)
    buffer = kernels.padded(word * count)
    assembly.add(buffer, rows, columns, none, types, starts, starts + len(word))
