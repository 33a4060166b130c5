"""Columns that are read when they are first asked for, whole or piece by piece."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from .column import Column

PIECE = 1 << 20
"""Rows that are worked on at a time."""


class Unread:
    """A column that is read when it is first asked for, whole or piece by piece."""

    def __init__(
        self, read: Callable[[], Column], pieces: Callable[[], Iterator[Column]] | None = None
    ) -> None:
        self._read, self._pieces = read, pieces
        self._column: Column | None = None

    def __call__(self) -> Column:
        """The whole column, kept from then on."""
        if self._column is None:
            self._column = self._read()
        return self._column

    def pieces(self) -> Iterator[Column]:
        """The column in pieces, which are not kept."""
        if self._column is not None or self._pieces is None:
            yield from in_pieces(self())
        else:
            yield from self._pieces()


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
