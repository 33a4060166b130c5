"""Checks of rows: duplicates, keys, totals, rows whose cells have moved."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from threading import Lock

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..columns.cell_texts import source_texts, value_texts
from ..columns.column import Column
from ..columns.dictionary_encoding import encoded
from ..dataset.model import PlainDataset
from ..declaration.codes import FIRST_CODE
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC
from ..errors import PlanError
from ..evidence import Mend
from ..kernels.types import Ints
from ..layouts.text.closing import TOTAL
from .distribution import different, repeats_often
from .findings import (
    DuplicateKeys,
    DuplicateRows,
    Finding,
    KeysWithGaps,
    RowsOf,
    Severity,
    ShiftedRows,
    TotalAmongTheData,
)
from .row_hashes import cell_hashes, repeated

ROUNDING = 1e-6
"""How far a sum may be from a total, as a share of it: totals are printed rounded."""
FEWEST_ROWS = 5
"""With fewer rows than these, equal rows and sums mean nothing."""
MANY_ROWS = 0.1
"""Where more of the rows than this share are equal to others, that is how the data are."""
FEW_ODD = 0.1
"""Cells that do not look like most, as a share: more are no accident."""
DIFFERENT = 0.95
"""The share of values that have to differ in a variable that is nearly a key."""
VERIFIED = 1_000_000
"""Cases that are compared cell by cell once their numbers are the same; more are taken as equal."""
NONE = np.zeros(0, np.int64)
NO_TEXTS = pa.array([], pa.string())


class ColumnFacts(msgspec.Struct, eq=False):
    """What the checks of rows need to know of a column, once it is no longer at hand."""

    name: str
    kind: str
    """What most of its cells look like."""
    odd: Ints
    """The filled cells that do not look so, where they are few."""
    texts: pa.Array
    """What stands in these."""
    is_sum: bool
    """Its last value is the sum of all values above it."""
    worded: list[tuple[int, str, str]]
    """Words for a total in its last rows: case, variable and text."""
    nearly_key: list[Finding] | None
    """What looks wrong about it as a key; `None` where it is none."""


class RowChecks:
    """Checks of rows as wholes, to which columns are shown one after the other, or side by side."""

    def __init__(self, dataset: PlainDataset, rows: RowsOf) -> None:
        self.dataset, self.rows = dataset, rows
        self.key = tuple(dataset.plan.promised.key or ())
        self._facts: dict[str, ColumnFacts] = {}
        self._of_rows = np.zeros(dataset.rows, np.uint64)
        self._of_keys = np.zeros(dataset.rows if self.key else 0, np.uint64)
        self._alone = Lock()

    def add(self, column: Column) -> None:
        """Look at a column."""
        name, count = column.variable.name, len(column)
        hashes = cell_hashes(column, self.dataset.names.index(name))
        with self._alone:
            self._of_rows += hashes
            if name in self.key:
                self._of_keys += hashes
        nearly = None
        if not self.key and _nearly_key(column):
            found = _not_unique((name,), repeated(hashes), self.rows, "doubtful")
            nearly = [*found, *_gaps(column)]
        kind, odd = _fits(column)
        odd = odd if len(odd) <= FEW_ODD * count else NONE
        texts = _texts(column.taken(odd)) if len(odd) else NO_TEXTS
        enough = count >= FEWEST_ROWS
        self._facts[name] = ColumnFacts(
            name,
            kind,
            odd,
            texts,
            enough and _is_sum(column, count - 1),
            _worded_totals(column) if enough else [],
            nearly,
        )

    def findings(self) -> list[Finding]:
        """What looks wrong, once all columns were shown."""
        facts = [self._facts[name] for name in self.dataset.names]
        if not facts:
            return []
        found = self._keys(facts)
        if self.dataset.rows < FEWEST_ROWS:
            return found
        found += self._duplicates()
        return [*found, *_total(facts, self.dataset.rows, self.rows), *self._shifted(facts)]

    def _keys(self, facts: list[ColumnFacts]) -> list[Finding]:
        """The declared key, or variables that are nearly one."""
        if not self.key:
            return next((f.nearly_key for f in facts if f.nearly_key is not None), [])
        if not all(name in self._facts for name in self.key):
            return []
        again = self._exactly(repeated(self._of_keys), self._of_keys, self.key)
        return list(_not_unique(self.key, again, self.rows))

    def _duplicates(self) -> list[Finding]:
        names = self.dataset.names
        again = repeated(self._of_rows) if len(names) > 1 else NONE
        if not len(again) or len(again) > MANY_ROWS * self.dataset.rows:
            return []
        again = self._exactly(again, self._of_rows, names)
        if not len(again):
            return []
        return [DuplicateRows(severity="doubtful", count=len(again), rows=self.rows(again))]

    def _exactly(self, again: Ints, hashes: np.ndarray, names: Sequence[str]) -> Ints:
        """Of these cases those whose cells are really those of one before."""
        if not len(again):
            return again
        cells = np.flatnonzero(np.isin(hashes, hashes[again]))
        if len(cells) > VERIFIED:
            return again
        held = [self.dataset.held(name) for name in names]
        joined = _combined([_codes(each.taken(cells)) for each in held])
        _, first = np.unique(joined, return_index=True)
        return np.delete(cells, first)

    def _shifted(self, facts: list[ColumnFacts]) -> list[Finding]:
        """Rows in which several cells do not fit their variable, but the one beside it."""
        moved = np.zeros(self.dataset.rows, np.int8)
        for by in (-1, 1):
            for place, own in enumerate(facts):
                if not 0 <= place + by < len(facts) or not len(own.odd):
                    continue
                beside = facts[place + by].kind
                if beside != own.kind:
                    moved[own.odd[_of_kind(own.texts, beside)]] += by
        hit = np.flatnonzero(np.abs(moved) >= 2)
        if not len(hit):
            return []
        involved = tuple(each.name for each in facts if len(np.intersect1d(each.odd, hit)))
        return [
            ShiftedRows(
                severity="serious",
                variables=involved,
                count=len(hit),
                rows=self.rows(hit),
                to="left" if int(moved[hit[0]]) < 0 else "right",
            )
        ]


def _codes(column: Column) -> Ints:
    """A whole number for each cell, equal where cells are; missing ones by their reason."""
    values = column.values
    if pa.types.is_duration(values.type):
        values = values.cast(pa.int64())
    places = encoded(values).indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int64)
    return np.where(column.reasons == 0, places, -1 - column.reasons.astype(np.int64))


def _combined(codes: list[Ints]) -> Ints:
    """One number for each row, equal where all its cells are."""
    joined = codes[0]
    for each in codes[1:]:
        _, joined = np.unique(joined, return_inverse=True)
        low = each - each.min()
        joined = joined * (int(low.max()) + 1) + low
    return joined


def _not_unique(
    names: tuple[str, ...], again: Ints, rows: RowsOf, severity: Severity = "serious"
) -> Iterator[Finding]:
    if len(again):
        yield DuplicateKeys(severity=severity, variables=names, count=len(again), rows=rows(again))


def _nearly_key(column: Column) -> bool:
    """Whole numbers or texts that hardly ever repeat, and no measurement."""
    kind, count = column.variable.type, len(column)
    if kind not in ("integer", "text") or count < 20 or column.values.null_count > 0.02 * count:
        return False
    if repeats_often(column.values):
        return False
    values = column.values.drop_null()
    if kind == "text":
        words = values.unique()
        if len(words) < DIFFERENT * count:
            return False
        longest = pc.max(pc.utf8_length(words)).as_py()
        return bool(longest <= 20 and not pc.any(pc.match_substring(words, " ")).as_py())
    numbers = values.to_numpy()
    if different(numbers) < DIFFERENT * count:
        return False
    low, high = np.quantile(numbers, (0.02, 0.98))
    return bool(high - low < 2 * count or np.all(np.diff(numbers) >= 0))


def _gaps(column: Column) -> Iterator[Finding]:
    """Numbers left out of a run of numbers that is nearly whole."""
    if column.variable.type != "integer":
        return
    numbers = np.unique(column.values.drop_null().to_numpy())
    steps = np.diff(numbers)
    if not len(steps):
        return
    step = int(np.median(steps))
    left = int((numbers[-1] - numbers[0]) // step + 1 - len(numbers)) if step else 0
    if step and np.all(steps % step == 0) and 0 < left <= max(3, 0.05 * len(numbers)):
        wide = np.flatnonzero(steps > step)
        yield KeysWithGaps(
            severity="note",
            variables=(column.variable.name,),
            count=left,
            first=int(numbers[0]),
            last=int(numbers[-1]),
            lacking=tuple(int(numbers[place]) + step for place in wide[:5]),
        )


def _total(facts: list[ColumnFacts], count: int, rows: RowsOf) -> list[Finding]:
    """The last rows: a word for a total, or sums of all the rows above."""
    last = count - 1
    summed = [each.name for each in facts if each.is_sum]
    by_case = sorted((word for each in facts for word in each.worded), key=lambda word: -word[0])
    if not summed and not by_case:
        return []
    case = last if summed else by_case[0][0]
    words = tuple((text, name) for at, name, text in by_case if at == case)
    return [
        TotalAmongTheData(
            severity="serious",
            variables=tuple(dict.fromkeys([*summed, *(name for _, name in words)])),
            count=1,
            rows=rows(np.array([case])),
            words=words,
            sums=tuple(summed),
            mend=Mend({"rows": {"data": f"..-{count - case + 1}"}}),
        )
    ]


def _is_sum(column: Column, last: int) -> bool:
    """Is the last value the sum of all values above it, which are not all the same?"""
    if column.variable.type not in NUMERIC or column.reasons[last]:
        return False
    numbers = column.values.slice(0, last).drop_null().to_numpy()
    value, total = column.values[last].as_py(), float(np.sum(numbers))
    close = bool(total) and abs(value - total) <= ROUNDING * abs(total)
    return len(numbers) >= 5 and close and bool(numbers.min() != numbers.max())


def _worded_totals(column: Column) -> list[tuple[int, str, str]]:
    """Words for a total in the last rows: case, variable and text."""
    worded, last = [], len(column) - 1
    for case in range(last, max(-1, last - 3), -1):
        text = column.values[case].as_py() if column.reasons[case] == 0 else None
        text = text if isinstance(text, str) else column.withheld.text(case)
        if text and TOTAL.match(text) and not _common(column, text):
            worded.append((case, column.variable.name, text))
    return worded


def _common(column: Column, text: str) -> bool:
    """Does this text stand in other rows as well?"""
    if column.variable.type not in ("text", "category"):
        return False
    return int(np.count_nonzero(column == text)) > 1


def _texts(column: Column) -> pa.Array:
    """What stands in each cell, as far as it is known; empty where nothing does."""
    try:
        return source_texts(column)
    except PlanError:  # of an older packed file
        return value_texts(column).fill_null("")


PATTERNS = {
    "number": r"^[+-]?\d[\d.,]*$",
    "date": r"^(\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{2,4})$",
    "text": r"^[^\d]*[^\W\d][^\d]*$",
}


def _of_kind(texts: pa.Array, kind: str) -> np.ndarray:
    hit = pc.match_substring_regex(texts, PATTERNS[kind])
    return np.asarray(hit.to_numpy(zero_copy_only=False), bool)


def _fits(column: Column) -> tuple[str, Ints]:
    """What most cells look like, and which of the filled ones do not."""
    kind = column.variable.type
    if kind in NUMERIC or kind in ("date", "datetime"):
        return "number" if kind in NUMERIC else "date", np.flatnonzero(column.reasons == 2)
    if kind not in ("text", "category"):
        column = Column(column.variable, value_texts(column), column.reasons, column.withheld)
    coded = encoded(column.values)
    words, reasons = _with_codes(column, coded.dictionary)
    index = coded.indices.fill_null(0).to_numpy(zero_copy_only=False).astype(np.int64)
    index = np.where(column.reasons == 0, index, reasons[column.reasons])
    filled = np.asarray(pc.greater(pc.utf8_length(words), 0).to_numpy(zero_copy_only=False), bool)
    counts = np.bincount(index, minlength=len(words)) * filled
    for name in PATTERNS:
        good = _of_kind(words, name)
        if counts.any() and counts[good].sum() >= 0.9 * counts.sum():
            return name, np.flatnonzero((filled & ~good)[index])
    return "text", NONE


def _with_codes(column: Column, words: pa.Array) -> tuple[pa.Array, Ints]:
    """Words with those that codes stand for behind them, and the place of each reason's word."""
    missing = column.variable.missing
    codes = ["" if code.value is None else value_text(code.value) for code in missing]
    all_words = pa.concat_arrays([words, pa.array(["", *codes], words.type)])
    places = np.full(256, len(words), np.int64)
    places[FIRST_CODE : FIRST_CODE + len(codes)] = len(words) + 1 + np.arange(len(codes))
    return all_words, places
