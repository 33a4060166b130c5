"""Figures of each variable, to be held against another program's output.

Sums are NumPy's pairwise sums (N. J. Higham, "The Accuracy of Floating Point Summation", SIAM J.
Sci. Comput. 14, 1993), the variance is the corrected two-pass one (T. F. Chan, G. H. Golub and
R. J. LeVeque, "Algorithms for Computing the Sample Variance", The American Statistician 37, 1983),
with n - 1 below. Quartiles interpolate linearly between order statistics (definition 7 of
R. J. Hyndman and Y. Fan, "Sample Quantiles in Statistical Packages", The American Statistician 50,
1996).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any, overload

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from .. import kernels
from ..columns.column import Column
from ..columns.dates import TYPES
from ..dataset.model import PlainDataset
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC, Variable
from ..errors import several
from ..kernels.buffers import arrow_flags, numpy_of
from ..kernels.types import Flags
from ..plan.selecting import Names, chosen
from ..views import Worded
from ..workers import Progress, counted
from .large import TINY, Figured, is_large
from .prefetch import ahead
from .spread import over

if TYPE_CHECKING:
    import pandas

BLOCK = 1 << 16
TIMED = {"date": pa.int32(), "time": pa.int64(), "datetime": pa.int64(), "duration": pa.int64()}


class Figures(msgspec.Struct, frozen=True):
    """The figures of one variable; `None` where one has no meaning for its type.

    `min`, quartiles and `max` of dates and times are texts (ISO 8601); the mean of truth values is
    the share that is true; `shortest` and `longest` count the characters of texts.
    """

    name: str
    type: str
    n: int
    missing: int
    distinct: int | None = None
    mean: float | None = None
    sd: float | None = None
    min: float | int | str | None = None
    q1: float | str | None = None
    median: float | str | None = None
    q3: float | str | None = None
    max: float | int | str | None = None
    zeros: int | None = None
    negatives: int | None = None
    shortest: int | None = None
    longest: int | None = None
    overflow: bool = False
    """A figure is not there because it exceeds the range of its type."""


class Summary(Worded, Sequence[Figures]):
    """The figures of several variables."""

    def __init__(self, figures: Sequence[Figures], rows: int, complete: bool = False) -> None:
        self._figures, self.rows, self.complete = tuple(figures), rows, complete

    def __len__(self) -> int:
        return len(self._figures)

    @overload
    def __getitem__(self, index: int) -> Figures: ...
    @overload
    def __getitem__(self, index: str) -> Figures: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Figures]: ...
    def __getitem__(self, index: int | str | slice) -> Figures | Sequence[Figures]:
        if not isinstance(index, str):
            return self._figures[index]
        for each in self._figures:
            if each.name == index:
                return each
        raise KeyError(index)

    def __iter__(self) -> Iterator[Figures]:
        return iter(self._figures)

    def __repr__(self) -> str:
        return f"<Summary of {several(len(self), 'variable')}>"

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        figures = [msgspec.structs.asdict(each) for each in self]
        return {"rows": self.rows, "complete": self.complete, "figures": figures}

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each variable. Needs the extra `pandas`."""
        from .frames import frame

        return frame([msgspec.structs.asdict(each) for each in self], Figures.__struct_fields__)


def summary(
    dataset: PlainDataset,
    names: Names = "*",
    complete: bool = False,
    progress: Progress | None = None,
) -> Summary:
    """The figures of variables; with `complete`, of the cases that have all of them.

    One variable is held at a time.
    """
    wanted = chosen(names, dataset.variables)
    by_name = {each.name: each for each in dataset.variables}
    kept = complete_cases(dataset, wanted) if complete else None
    rows = dataset.rows if kept is None else int(np.count_nonzero(kept))
    steps = len(wanted), "describing variables", progress
    if kept is None and is_large(dataset):

        def large(name: str) -> Figures:
            return _large(dataset, by_name[name])

        return Summary(list(map(counted(large, *steps), wanted)), rows, complete)
    gathered = (_gathered(by_name[name], dataset.column_pieces(name), kept) for name in wanted)
    made = counted(_made, *steps)
    return Summary(list(map(made, ahead(gathered))), rows, complete)


def _made(make: Callable[[], Figures]) -> Figures:
    return make()


def _large(dataset: PlainDataset, variable: Variable) -> Figures:
    """The figures of a variable that is never held as a whole."""
    kind, name = variable.type or "text", variable.name
    if kind == "boolean":
        return _truths(name, over(dataset, [name], _count_truths), dataset.rows)
    if kind not in NUMERIC and kind not in TIMED:
        return _texts(name, kind, over(dataset, [name], _known_texts), dataset.rows)

    made = Figured(dataset, name, TIMED.get(kind))
    if not made.count:
        return Figures(name, kind, 0, dataset.rows, 0)
    figures = Figures(
        name,
        kind,
        made.count,
        dataset.rows - made.count,
        made.distinct,
        made.mean,
        made.sd,
        made.low,
        made.quartiles[0],
        made.quartiles[1],
        made.quartiles[2],
        made.high,
        made.zeros,
        made.negatives,
    )
    return _as_times(figures, kind) if kind in TIMED else figures


def complete_cases(dataset: PlainDataset, names: Sequence[str]) -> Flags:
    """Which cases have a value of each of these variables."""
    kept = np.ones(dataset.rows, bool)
    for name in names:
        begin = 0
        for piece in ahead(dataset.column_pieces(name)):
            kept[begin : begin + len(piece)] &= piece.reasons == 0
            begin += len(piece)
    return kept


def _gathered(
    variable: Variable, pieces: Iterator[Column], kept: Flags | None
) -> Callable[[], Figures]:
    """Read what a variable's figures need; what makes them is done while the next one is read."""
    kind, name = variable.type or "text", variable.name
    if kind == "boolean":
        made = _of_truth(name, pieces, kept)
    elif kind not in NUMERIC and kind not in TIMED:
        made = _of_texts(name, kind, pieces, kept)
    else:
        values, rows = _numbers(kind, pieces, kept)
        if kind in TIMED:
            return lambda: _as_times(number_figures(name, kind, values, rows), kind)
        return lambda: number_figures(name, kind, values, rows)
    return lambda: made


def _valid(piece: Column, kept: Flags | None, begin: int) -> pa.Array:
    """The values of a piece, of the cases that count."""
    values = piece.values
    if kept is not None:
        values = values.filter(arrow_flags(kept[begin : begin + len(piece)]))
    return values.drop_null() if values.null_count else values


def _numbers(kind: str, pieces: Iterator[Column], kept: Flags | None) -> tuple[np.ndarray, int]:
    parts, begin = [], 0
    for piece in pieces:
        values = _valid(piece, kept, begin)
        if kind in TIMED:
            values = values.cast(TIMED[kind])
        parts.append(numpy_of(values))
        begin += len(piece)
    return np.concatenate(parts), begin if kept is None else int(np.count_nonzero(kept))


def mean_and_sd(values: np.ndarray) -> tuple[float | None, float | None]:
    """Mean and standard deviation of a sample; see the module for the methods.

    What exceeds binary64 on the way, or falls below it, is worked out on another scale; `None` if
    it exceeds it itself.
    """
    mean, sd = _mean_and_sd(values)
    fits = all(each is None or math.isfinite(each) for each in (mean, sd))
    if fits and not (sd is not None and sd < TINY and float(np.ptp(values)) > 0):
        return mean, sd
    largest = float(max(abs(float(values.min())), abs(float(values.max()))))
    scaled = _mean_and_sd(values / largest)
    made = [None if each is None else each * largest for each in scaled]
    mean, sd = (each if each is None or math.isfinite(each) else None for each in made)
    return mean, sd


def _mean_and_sd(values: np.ndarray) -> tuple[float | None, float | None]:
    count = len(values)
    if not count:
        return None, None
    near = values[0]
    with np.errstate(over="ignore", invalid="ignore"):
        mean = (
            float(near)
            + math.fsum(
                float(np.sum(np.subtract(block, near, dtype=np.float64)))
                for block in _blocks(values)
            )
            / count
        )
        if count < 2:
            return mean, None
        rest, squares = [], []
        for block in _blocks(values):
            deviations = block - mean
            rest.append(float(np.sum(deviations)))
            squares.append(float(np.sum(np.square(deviations, out=deviations))))
    if not all(map(math.isfinite, (*rest, *squares))):
        return mean, math.inf
    left = math.fsum(rest)
    variance = max(0.0, (math.fsum(squares) - left * left / count) / (count - 1))
    return mean, math.sqrt(variance)


def _blocks(values: np.ndarray) -> Iterator[np.ndarray]:
    return (values[start : start + BLOCK] for start in range(0, len(values), BLOCK))


def number_figures(name: str, kind: str, values: np.ndarray, rows: int) -> Figures:
    """The figures of numbers; `values`, not missing, of `rows` cases, is sorted in its place."""
    count = len(values)
    if not count:
        return Figures(name, kind, 0, rows, 0)
    mean, sd = mean_and_sd(values)
    values.sort()  # in its place: it is a copy of the column
    ranked = values
    quarters = [_quantile(ranked, part) for part in (0.25, 0.5, 0.75)]
    below, upto = np.searchsorted(ranked, 0, "left"), np.searchsorted(ranked, 0, "right")
    return Figures(
        name,
        kind,
        count,
        rows - count,
        1 + int(np.count_nonzero(ranked[1:] != ranked[:-1])),
        mean,
        sd,
        ranked[0].item(),
        quarters[0],
        quarters[1],
        quarters[2],
        ranked[-1].item(),
        int(upto - below),
        int(below),
        overflow=mean is None or (sd is None and count > 1),
    )


def _quantile(ranked: np.ndarray, part: float) -> float:
    """Definition 7 of Hyndman and Fan."""
    place = (len(ranked) - 1) * part
    low = int(place)
    high = min(low + 1, len(ranked) - 1)
    one, other = float(ranked[low]), float(ranked[high])
    if one == other:
        return one
    step = (other - one) * (place - low)
    if math.isfinite(step):
        return one + step
    return one * (1 - (place - low)) + other * (place - low)


def _as_times(figures: Figures, kind: str) -> Figures:
    """Figures of dates and times: no mean, no zeros, and order statistics as dates and times."""
    words: dict[str, Any] = {"mean": None, "sd": None, "zeros": None, "negatives": None}
    for part in ("min", "q1", "median", "q3", "max"):
        value = getattr(figures, part)
        if value is not None:
            number = kernels.whole_numbers(np.array([int(np.floor(value))])).cast(TIMED[kind])[0]
            try:
                words[part] = value_text(number.cast(TYPES[kind]).as_py())
            except (OverflowError, ValueError):  # beyond the years 1 to 9999
                words |= {part: None, "overflow": True}
    return msgspec.structs.replace(figures, **words)


def _count_truths(pieces: Sequence[Iterator[Column]]) -> tuple[int, int]:
    count = trues = 0
    for piece in pieces[0]:
        count += len(piece) - piece.values.null_count
        trues += piece.values.true_count
    return count, trues


def _truths(name: str, parts: Sequence[tuple[int, int]], rows: int) -> Figures:
    """The figures of truth values from counts of parts."""
    count, trues = sum(each[0] for each in parts), sum(each[1] for each in parts)
    distinct, share = (trues > 0) + (trues < count), trues / count if count else None
    return Figures(name, "boolean", count, rows - count, distinct, share, zeros=count - trues)


def _known_texts(pieces: Sequence[Iterator[Column]]) -> tuple[int, set[str]]:
    count, known = 0, set[str]()
    for piece in pieces[0]:
        values = piece.values.drop_null() if piece.values.null_count else piece.values
        count += len(values)
        known.update(pc.unique(values).to_pylist())
    return count, known


def _texts(name: str, kind: str, parts: Sequence[tuple[int, set[str]]], rows: int) -> Figures:
    """The figures of texts from what is known of parts."""
    count = sum(each[0] for each in parts)
    known = set[str]().union(*(each[1] for each in parts))
    return Figures(
        name,
        kind,
        count,
        rows - count,
        len(known),
        shortest=min(map(len, known), default=None),
        longest=max(map(len, known), default=None),
    )


def _of_truth(name: str, pieces: Iterator[Column], kept: Flags | None) -> Figures:
    rows = count = trues = 0
    for piece in pieces:
        values = _valid(piece, kept, rows)
        rows += len(piece)
        count += len(values)
        trues += values.true_count
    total = rows if kept is None else int(np.count_nonzero(kept))
    distinct = (trues > 0) + (trues < count)
    share = trues / count if count else None
    return Figures(name, "boolean", count, total - count, distinct, share, zeros=count - trues)


def _of_texts(name: str, kind: str, pieces: Iterator[Column], kept: Flags | None) -> Figures:
    rows = count = 0
    known: set[str] = set()
    for piece in pieces:
        values = _valid(piece, kept, rows)
        rows += len(piece)
        count += len(values)
        known.update(pc.unique(values).to_pylist())
    total = rows if kept is None else int(np.count_nonzero(kept))
    lengths = [len(text) for text in known]
    return Figures(
        name,
        kind,
        count,
        total - count,
        len(known),
        shortest=min(lengths, default=None),
        longest=max(lengths, default=None),
    )
