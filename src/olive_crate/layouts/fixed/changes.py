"""Classes of characters, and how much one position differs from the next."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

BLANK, DIGIT, LETTER, OTHER = 0, 1, 2, 3
CLASSES = ("blank", "digit", "letter", "other")


def codes_of(lines: Sequence[str]) -> np.ndarray:
    """Lines as a table of character codes, shaped (rows, positions), blanks behind short ones."""
    width = max((len(line) for line in lines), default=0)
    text = "".join(line.ljust(width) for line in lines)
    codes = np.frombuffer(text.encode("utf-32-le", "surrogatepass"), "<u4")
    return codes.reshape(len(lines), width) if width else np.zeros((len(lines), 0), np.uint32)


def classes_of(codes: np.ndarray) -> np.ndarray:
    """The class of each character."""
    classes = np.full(codes.shape, OTHER, np.uint8)
    classes[(codes == 32) | (codes == 0xA0)] = BLANK
    classes[(codes >= 48) & (codes <= 57)] = DIGIT
    lower = codes | 0x20
    classes[((lower >= 97) & (lower <= 122)) | (codes >= 0xC0)] = LETTER
    return classes


def change_scores(codes: np.ndarray, classes: np.ndarray) -> np.ndarray:
    """How much what stands at a position differs from what stands at the next, from 0 to 1."""
    rows, width = classes.shape
    if width < 2 or not rows:
        return np.zeros(max(0, width - 1))
    kinds = np.stack([(classes == kind).mean(axis=0) for kind in range(4)])
    kinds[BLANK] *= 0.5  # blanks come and go with the width of a value
    of_class = 0.5 * np.abs(np.diff(kinds, axis=1)).sum(axis=0)
    within = _joined_by_mark(kinds)
    entropy = _entropies(codes)
    digits = kinds[DIGIT] > 0.5
    drop = np.clip(entropy[:-1] - entropy[1:], 0, None) / np.log2(10)
    drop = np.where(digits[:-1] & digits[1:], 0.7 * drop, 0)
    letters = (kinds[LETTER] > 0.5)[:-1] & (kinds[LETTER] > 0.5)[1:]
    alphabet = np.array(
        [_distance(codes[:, p], codes[:, p + 1]) if letters[p] else 0.0 for p in range(width - 1)]
    )
    padded = _ends_of_padding(kinds[BLANK])
    scores = np.maximum.reduce([of_class, drop, 0.6 * alphabet, padded])
    cased = _case_change(codes)
    scores = np.where(within, 0.3 * scores, scores) * np.where(cased, 0.5, 1)
    clipped: np.ndarray = np.clip(scores, 0, 1)
    return clipped


def _joined_by_mark(kinds: np.ndarray) -> np.ndarray:
    """Breaks beside a mark that joins digits (`0.35`, `2025-10-12`, `10:30`) are none."""
    mark = kinds[OTHER] > 0.9
    digit = kinds[DIGIT] > 0.5
    joins: np.ndarray = np.zeros(kinds.shape[1], bool)
    joins[1:-1] = mark[1:-1] & digit[:-2] & digit[2:]
    beside: np.ndarray = joins[:-1] | joins[1:]
    return beside


def _ends_of_padding(blank: np.ndarray) -> np.ndarray:
    """A value filled up with blanks ends, and the next one begins at once."""
    fall = blank[:-1] - blank[1:]
    rising = np.zeros(len(fall), bool)
    rising[1:] = blank[1:-1] >= blank[:-2]
    ends: np.ndarray = np.where(rising & (fall > 0.05), np.clip(0.5 + fall, 0, 1), 0)
    return ends


def _case_change(codes: np.ndarray) -> np.ndarray:
    """From a capital to a small letter is within a word."""
    upper = ((codes >= 65) & (codes <= 90)).mean(axis=0)
    lower = ((codes >= 97) & (codes <= 122)).mean(axis=0)
    found: np.ndarray = (upper[:-1] > 0.8) & (lower[1:] > 0.3)
    return found


def _entropies(codes: np.ndarray) -> np.ndarray:
    """How much the characters at each position vary, in bits."""
    rows, width = codes.shape
    _, dense = np.unique(codes, return_inverse=True)
    kinds = int(dense.max()) + 1
    at = dense.reshape(rows, width) + kinds * np.arange(width)
    share = np.bincount(at.ravel(), minlength=kinds * width).reshape(width, kinds) / rows
    bits: np.ndarray = -(share * np.log2(np.where(share > 0, share, 1))).sum(axis=1)
    return bits


def _distance(left: np.ndarray, right: np.ndarray) -> float:
    """Total variation between the characters at two positions."""
    different, place = np.unique(np.concatenate((left, right)), return_inverse=True)
    first, second = (
        np.bincount(part, minlength=len(different)) / len(part)
        for part in (place[: len(left)], place[len(left) :])
    )
    return float(0.5 * np.abs(first - second).sum())
