"""Columns: the cells of one variable, and why each that has no value has none."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

import msgspec
import numpy as np
import pyarrow as pa

from .. import kernels
from ..declaration.codes import FIRST_CODE, RESERVED
from ..declaration.variable import Variable
from ..errors import PlanError, nearest
from ..kernels.buffers import none_missing
from ..kernels.types import Flags, Ints
from .dictionary_encoding import decoded

PIECE = 1 << 20
"""Rows that are worked on at a time."""


class Withheld(msgspec.Struct, frozen=True, eq=False):
    """What stood in cells that have no value, where the declaration does not tell it.

    These are cells that could not be read, with the text of the source, and cells that a range of
    codes made missing, with their number. `cells` are places in the column, rising.
    """

    cells: Ints
    texts: pa.StringArray

    def __len__(self) -> int:
        return len(self.cells)

    def taken(self, cells: Ints) -> Withheld:
        """What stood in some of the column's cells, by their new places."""
        if not len(self):
            return self
        place = np.minimum(np.searchsorted(self.cells, cells), len(self) - 1)
        hit = np.flatnonzero(self.cells[place] == cells)
        return Withheld(hit, self.texts.take(kernels.whole_numbers(place[hit])))

    def only(self, cells: Ints) -> Withheld:
        """What stood in some of these very cells, by their old places."""
        if len(cells) == len(self):
            return self
        place = np.searchsorted(self.cells, cells)
        return Withheld(cells, self.texts.take(kernels.whole_numbers(place)))

    def equals(self, other: Withheld) -> bool:
        """The same texts in the same cells."""
        return np.array_equal(self.cells, other.cells) and bool(self.texts.equals(other.texts))

    def text(self, cell: int) -> str | None:
        """What stood in one cell."""
        place = int(np.searchsorted(self.cells, cell))
        known = place < len(self) and int(self.cells[place]) == cell
        return self.texts[place].as_py() if known else None


NOTHING = Withheld(np.zeros(0, np.int64), kernels.strings([]))


class Column(msgspec.Struct, frozen=True, eq=False):
    """One variable's cells: `values` is null exactly where `reasons` is not 0.

    `reasons` says why: 0 present, 1 blank, 2 unreadable, 3 not in file, 10 + k the k-th missing
    code. Compared with a value (`column > 3`) it gives a mask, true where a cell has a value for
    which that holds.
    """

    variable: Variable
    values: pa.Array
    reasons: np.ndarray
    withheld: Withheld = NOTHING

    def __len__(self) -> int:
        return len(self.values)

    def __eq__(self, other: object) -> Flags:  # type: ignore[override]
        return self._compared("equal", other)

    def __ne__(self, other: object) -> Flags:  # type: ignore[override]
        return self._compared("not_equal", other)

    def __lt__(self, other: object) -> Flags:
        return self._compared("less", other)

    def __le__(self, other: object) -> Flags:
        return self._compared("less_equal", other)

    def __gt__(self, other: object) -> Flags:
        return self._compared("greater", other)

    def __ge__(self, other: object) -> Flags:
        return self._compared("greater_equal", other)

    __hash__ = None  # type: ignore[assignment]

    def _compared(self, how: str, other: object) -> Flags:
        from .comparing import compared

        return compared(self.variable, self.values, how, other)

    def is_in(self, values: Iterable[object]) -> Flags:
        """Which cells have one of these values.

        >>> ds["id"].is_in([1, 4]).tolist()
        [True, False, False, True]
        """
        found = np.zeros(len(self), bool)
        for value in values:
            found |= self == value
        return found

    def is_missing(self, reason: str | None = None) -> Flags:
        """Which cells have no value; with a reason, only for that one.

        >>> ds["acid"].is_missing("lost").tolist()
        [False, True, False, False]
        """
        if reason is None:
            return np.asarray(self.reasons != 0)
        numbers = [number for number in range(1, 256) if self._words(number) == reason]
        if not numbers:
            known = [*RESERVED.values(), *(code.why for code in self.variable.missing)]
            raise PlanError(
                f'"{self.variable.name}": unknown reason "{reason}"{nearest(reason, known)}'
            )
        return np.isin(self.reasons, numbers)

    def _words(self, number: int) -> str:
        codes = len(self.variable.missing)
        known = number in RESERVED or FIRST_CODE <= number < FIRST_CODE + codes
        return reason_words(self.variable, number) if known else ""

    def reason_counts(self) -> dict[str, int]:
        """How many cells are missing, by reason; reasons of the same words are one.

        >>> ds["acid"].reason_counts()
        {'lost': 1}
        """
        return {} if none_missing(self.reasons) else self.named(kernels.tally(self.reasons))

    def named(self, counts: np.ndarray) -> dict[str, int]:
        """Counts of each number in `reasons`, by the words for it."""
        found: dict[str, int] = {}
        for number in counts[1:].nonzero()[0].tolist():
            words = reason_words(self.variable, number + 1)
            found[words] = found.get(words, 0) + int(counts[number + 1])
        return found

    def why(self, index: int) -> str | None:
        """Why one cell has no value; `None` if it has one.

        >>> ds["acid"].why(1), ds["acid"].why(0)
        ('lost', None)
        """
        number = int(self.reasons[index])
        return None if number == 0 else reason_words(self.variable, number)

    def reason_names(self) -> np.ndarray:
        """The reason of each cell in words, empty where it has a value.

        >>> ds["acid"].reason_names().tolist()
        ['', 'lost', '', '']
        """
        words = np.full(256, "", object)
        for number in kernels.distinct(self.reasons[self.reasons != 0]).tolist():
            words[number] = reason_words(self.variable, number)
        names: np.ndarray = words[self.reasons]
        return names

    def reason_texts(self) -> pa.DictionaryArray:
        """The reasons as words, null where there is a value.

        Codes that share a reason are told apart by the code behind it.

        >>> ds["acid"].reason_texts().to_pylist()
        [None, 'lost', None, None]
        """
        known = told_apart(self.variable)
        numbers = kernels.distinct(self.reasons[self.reasons != 0]).tolist()
        place = np.zeros(256, np.int16)
        place[numbers] = np.arange(len(numbers))
        indices = kernels.arrow(place[self.reasons], self.reasons != 0, pa.int16())
        words = kernels.strings([known[number] for number in numbers])
        return pa.DictionaryArray.from_arrays(indices, words)

    def labelled(self) -> pa.DictionaryArray:
        """The labels of the values, ordered for an ordinal level; a value without one as it is.

        >>> ds.declare("id", meanings={(1, 2): "early"})["id"].labelled().to_pylist()
        ['early', 'early', '3', '4']
        """
        from .meanings import labelled

        return labelled(self.variable, self.values, self.reasons)

    def to_numpy(self) -> np.ndarray:
        """A plain array; missing numbers are NaN, other missing values `None` or NaT.

        >>> ds["id"].to_numpy().tolist()
        [1, 2, 3, 4]
        """
        from .arrays import plain_array

        return plain_array(self.variable.type, self.values, self.reasons)

    def taken(self, rows: np.ndarray) -> Column:
        """Some of the cells.

        >>> import numpy as np
        >>> ds["id"].taken(np.array([3, 0])).values.to_pylist()
        [4, 1]
        """
        chosen = self.values.take(kernels.whole_numbers(rows))
        return Column(self.variable, chosen, self.reasons[rows], self.withheld.taken(rows))

    def slice(self, start: int, stop: int) -> Column:
        """The cells from `start` up to, but not with, `stop`."""
        low, high = np.searchsorted(self.withheld.cells, (start, stop))
        texts = self.withheld.texts[int(low) : int(high)]
        held = Withheld(self.withheld.cells[low:high] - start, texts)
        return Column(self.variable, self.values[start:stop], self.reasons[start:stop], held)

    def equals(self, other: Column) -> bool:
        """The same declaration, values, reasons and withheld texts.

        >>> ds["id"].equals(ds.head(4)["id"])
        True
        """
        return (
            self.variable == other.variable
            and bool(np.array_equal(self.reasons, other.reasons))
            and bool(decoded(self.values).equals(decoded(other.values)))
            and self.withheld.equals(other.withheld)
        )


def reason_totals(reasons: np.ndarray) -> np.ndarray:
    """How many cells have each reason, as 256 counts."""
    if none_missing(reasons):
        totals = np.zeros(256, np.int64)
        totals[0] = len(reasons)
        return totals
    return kernels.tally(reasons)


def reason_words(variable: Variable, number: int) -> str:
    """What a number in `reasons` means for this variable."""
    if number < FIRST_CODE:
        return RESERVED[number]
    return variable.missing[number - FIRST_CODE].why


def told_apart(variable: Variable) -> dict[int, str]:
    """Words for each number in `reasons`, all different."""
    words = dict(RESERVED)
    taken = set(words.values())
    for place, code in enumerate(variable.missing):
        own = code.why if code.why not in taken else f"{code.why} ({code})"
        while own in taken:
            own += "*"
        taken.add(own)
        words[FIRST_CODE + place] = own
    return words


class Unread:
    """A column that is read when it is first asked for, whole or piece by piece."""

    def __init__(
        self,
        read: Callable[[], Column],
        pieces: Callable[[], Iterator[Column]] | None = None,
        taken: Callable[[Ints], Column] | None = None,
        keeps: bool = True,
    ) -> None:
        self._keeps = keeps
        self._read, self._pieces, self._taken = read, pieces, taken
        self._column: Column | None = None

    def __call__(self) -> Column:
        """The whole column, kept from then on; of very many cases, read each time."""
        if self._column is not None:
            return self._column
        made = self._read()
        if self._keeps:
            self._column = made
        return made

    def once(self) -> Column:
        """The whole column, for one use: it is not kept."""
        return self._read() if self._column is None else self._column

    def taken(self, cells: Ints) -> Column:
        """Some of the cells; where that can be, nothing else is read.

        >>> import numpy as np
        >>> ds["id"].taken(np.array([3, 0])).values.to_pylist()
        [4, 1]
        """
        if self._column is None and self._taken is not None:
            return self._taken(cells)
        return self().taken(cells)

    def pieces(self) -> Iterator[Column]:
        """The column in pieces, which are not kept.

        They are those of the file even where the column is at hand, so that the pieces of several
        columns hold the same cases.
        """
        yield from in_pieces(self()) if self._pieces is None else self._pieces()


def in_pieces(column: Column) -> Iterator[Column]:
    """A column in memory, some rows at a time; at least one piece."""
    for start in range(0, max(len(column), 1), PIECE):
        yield column.slice(start, min(start + PIECE, len(column)))


class Columns(Mapping[str, Column]):
    """Columns by name, some of which are read only when they are first asked for."""

    def __init__(self, ready: Mapping[str, Column | Unread]) -> None:
        self._columns = dict(ready)

    def __getitem__(self, name: str) -> Column:
        found = self._columns[name]
        return found if isinstance(found, Column) else found()

    def __iter__(self) -> Iterator[str]:
        return iter(self._columns)

    def __contains__(self, name: object) -> bool:
        return name in self._columns  # without reading it

    def __len__(self) -> int:
        return len(self._columns)

    def held(self, name: str) -> Column | Unread:
        """One of the columns, read or not."""
        return self._columns[name]

    def all(self) -> list[Column]:
        """All columns; those that are not read yet are read side by side."""
        from ..workers import Workers, usual_workers

        names = list(self._columns)
        unread = sum(isinstance(each, Unread) for each in self._columns.values())
        with Workers(min(usual_workers(), max(unread, 1))) as workers:
            return workers.each(self.__getitem__, names)

    def pieces(self, name: str) -> Iterator[Column]:
        """One of the columns, some rows at a time; what is not read yet is not kept."""
        found = self._columns[name]
        return in_pieces(found) if isinstance(found, Column) else found.pieces()


def merged(parts: Sequence[Withheld]) -> Withheld:
    """Several of one block as one, in the order of the cells."""
    filled = [part for part in parts if part.cells.size]
    if len(filled) < 2:
        return filled[0] if filled else NOTHING
    cells = np.concatenate([part.cells for part in filled])
    texts = pa.concat_arrays([part.texts for part in filled])
    order = np.argsort(cells, kind="stable")
    return Withheld(cells[order], texts.take(kernels.whole_numbers(order)))


def followed(parts: Sequence[tuple[int, Withheld]]) -> Withheld:
    """Those of blocks that follow one another; with the number of cells of each block."""
    begin, moved = 0, []
    for count, part in parts:
        if part.cells.size:
            moved.append(Withheld(part.cells + begin, part.texts))
        begin += count
    return merged(moved)


def joined_columns(variable: Variable, pieces: Sequence[Column]) -> Column:
    """Pieces of a column as one."""
    if len(pieces) == 1:
        return pieces[0]
    chunks = pa.chunked_array([each.values for each in pieces])
    if pa.types.is_dictionary(chunks.type):
        chunks = chunks.unify_dictionaries()
    whole = chunks.combine_chunks()
    if isinstance(whole, pa.ChunkedArray):
        whole = whole.chunk(0) if whole.num_chunks == 1 else pa.concat_arrays(whole.chunks)
    reasons = np.concatenate([each.reasons for each in pieces])
    held = followed([(len(each), each.withheld) for each in pieces])
    return Column(variable, whole, reasons, held)
