"""All checks of a dataset."""

from __future__ import annotations

from ..dataset import Dataset
from .findings import Finding, Findings
from .labels import label_findings


def check(dataset: Dataset) -> Findings:
    """What looks wrong in a dataset."""
    found: list[Finding] = []
    for name in dataset.names:
        found += label_findings(dataset[name])
    return Findings(found)
