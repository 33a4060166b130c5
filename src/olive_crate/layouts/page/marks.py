"""Decimal and grouping marks of a page, which is made to be read by people."""

from __future__ import annotations

from collections import Counter

import msgspec

from ...evidence import DecimalMark, Evidence, GroupingMark
from ...plan.model import DelimitedSection
from ..text.completing import with_marks

EITHER = {"either comma": ",", "either point": "."}


def with_page_marks(
    section: DelimitedSection, shapes: Counter[str], evidence: list[Evidence]
) -> DelimitedSection:
    """The section with its marks; where every number may be read either way, the mark groups.

    A page shows numbers with one or two decimals, and hardly ever all of them with just three; but
    it groups the digits of whole numbers as a rule.
    """
    met = {EITHER[shape]: count for shape, count in shapes.items() if count and shape in EITHER}
    if len(met) != 1 or any(n for s, n in shapes.items() if s not in EITHER) or section.grouping:
        return with_marks(section, shapes, evidence)
    ((mark, count),) = met.items()
    decimal = "." if mark == "," else ","
    evidence.append(
        GroupingMark(value=mark, supporting=count, certain=False, alternatives=("decimals",))
    )
    evidence.append(DecimalMark(value=decimal, certain=False, alternatives=(mark,)))
    return msgspec.structs.replace(section, decimal=decimal, grouping=mark)
