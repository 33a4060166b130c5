"""Borders of fields that seem to cut values, and fields that share positions."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from ...evidence import CutValues, Evidence, Example, SharedPositions
from ...plan.fields import Field, overlaps
from .breaks import body_of, cut_shares
from .changes import DIGIT, LETTER, change_scores, classes_of, codes_of

NEAR = 3
OFTEN = 0.2


def borders(fields: Sequence[Field], lines: Sequence[str], per_case: int) -> list[Evidence]:
    """Fields whose borders seem to cut values, and fields that share positions."""
    evidence: list[Evidence] = [
        SharedPositions(value=where, field=one, other=other, certain=False)
        for one, other, where in overlaps(fields)
    ]
    for line in range(1, per_case + 1):
        own = sorted((f for f in fields if f.line == line), key=lambda f: f.start)
        shown = [each for each in lines[line - 1 :: per_case] if each.strip()]
        if own and len(shown) > 3:
            evidence += _cut_borders(own, shown)
    return evidence


def _cut_borders(fields: Sequence[Field], lines: Sequence[str]) -> list[Evidence]:
    kept = body_of(lines)
    codes = codes_of([lines[index] for index in kept])
    classes = classes_of(codes)
    for field in fields:
        if field.sign == "overpunched" and field.end <= classes.shape[1]:
            classes[:, field.end - 1] = DIGIT  # a digit with a sign over it
    cuts, scores = cut_shares(classes), change_scores(codes, classes)
    evidence: list[Evidence] = []
    known = {end for field in fields for end in (field.start - 1, field.end)}
    for place, field in enumerate(fields):
        left = fields[place - 1].end if place else 0
        free_behind = place + 1 == len(fields) or fields[place + 1].start > field.end + 1
        ends: tuple[tuple[int, Literal["before", "behind"], bool], ...] = (
            (field.start - 1, "before", left < field.start - 1),
            (field.end, "behind", free_behind),
        )
        for border, side, alone in ends:
            if not 0 < border <= len(cuts) or cuts[border - 1] < OFTEN:
                continue
            if not alone and side == "behind":
                continue  # evidence by the field behind it
            better = _better(cuts, scores, border, known)
            if not alone and better is None:
                continue
            evidence.append(_cut_evidence(field, border, side, classes, lines, kept, better, cuts))
    return evidence


def _better(cuts: np.ndarray, scores: np.ndarray, border: int, known: set[int]) -> int | None:
    """A break close by that cuts next to nothing, and where more changes than here."""
    reach = range(max(1, border - NEAR), min(len(cuts), border + NEAR) + 1)
    near = [place for place in reach if place == border or place not in known]
    best = min(near, key=lambda p: (cuts[p - 1], abs(p - border)))
    surer = scores[best - 1] > scores[border - 1] + 0.2
    return best if cuts[best - 1] < 0.02 and surer else None


def _cut_evidence(
    field: Field,
    border: int,
    side: Literal["before", "behind"],
    classes: np.ndarray,
    lines: Sequence[str],
    kept: Sequence[int],
    better: int | None,
    cuts: np.ndarray,
) -> CutValues:
    kinds = classes[:, border - 1 : border + 1]
    digits = ((kinds == DIGIT).all(axis=1)).sum()
    letters = ((kinds == LETTER).all(axis=1)).sum()
    row = next(
        (index for index, each in zip(kept, kinds, strict=True) if each[0] == each[1] != 0), kept[0]
    )
    low = max(0, border - 8)
    return CutValues(
        value=f"{field.start}-{field.end}",
        field=field.name or str(field.start),
        side=side,
        after=border,
        share=round(float(cuts[border - 1]), 3),
        rows=len(kept),
        characters="digits" if digits >= letters else "letters",
        better=better,
        against=round(cuts[border - 1] * len(kept)),
        examples=(Example(row + 1, lines[row][low : border + 8]),),
        certain=False,
    )
