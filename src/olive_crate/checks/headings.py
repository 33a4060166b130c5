"""Checks of the heading: data read as it, names that were cut, letters decoded wrongly."""

from __future__ import annotations

import re

from ..dataset.model import PlainDataset
from ..declaration.patterns import late
from ..evidence import Mend
from .findings import Finding
from .kinds import CutNames, DataReadAsHeading
from .spelling import garbled_headings

VALUE = late(r"[+-]?\d[\d.,]*( ?%)?|\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{2,4}")
LEAST = 10
"""Names shorter than these were given so."""


def heading_findings(dataset: PlainDataset) -> list[Finding]:
    """What looks wrong about the heading."""
    headings = [(each.name, each.heading) for each in dataset.variables]
    return [*_read_as_heading(dataset), *_cut_names(dataset), *garbled_headings(headings)]


def _read_as_heading(dataset: PlainDataset) -> list[Finding]:
    headings = [each.heading for each in dataset.variables]
    odd = [heading for heading in headings if VALUE.fullmatch(heading.strip())]
    years = [heading for heading in odd if re.fullmatch(r"(19|20)\d\d", heading)]
    if len(odd) < 2 or len(odd) < 0.4 * len(headings) or len(years) > 0.5 * len(odd):
        return []
    names = tuple(each.name for each in dataset.variables if each.heading in odd)
    return [
        DataReadAsHeading(
            severity="serious",
            variables=names,
            count=len(odd),
            headings=tuple(odd[:4]),
            mend=Mend({"rows": {"names": []}}),
        )
    ]


def _cut_names(dataset: PlainDataset) -> list[Finding]:
    """Several names of exactly the greatest length, which others come nowhere near to pass."""
    headings = [each.heading for each in dataset.variables]
    lengths = [len(heading) for heading in headings]
    longest = max(lengths, default=0)
    at_end = [heading for heading in headings if len(heading) == longest]
    stems = {re.sub(r"[\d_]+$", "", heading) for heading in at_end}
    if longest < LEAST or len(stems) < 4 or len(at_end) < 0.25 * len(headings):
        return []
    if len(at_end) < 3 * max(1, sum(length == longest - 1 for length in lengths)):
        return []
    names = tuple(each.name for each in dataset.variables if each.heading in at_end)
    return [
        CutNames(
            severity="note",
            variables=names,
            count=len(at_end),
            length=longest,
            examples=tuple(at_end[:3]),
        )
    ]
