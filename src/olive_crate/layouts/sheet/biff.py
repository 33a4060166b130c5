"""Workbooks of the older binary form (BIFF8, published as MS-XLS; sections in brackets).

The stream is a sequence of records. One pass notes where the records of each kind begin; the cells
of all records of a kind are then worked out together, as arrays.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from functools import cached_property

import numpy as np

from ... import kernels
from ...errors import SourceError
from ...kernels.types import Ints
from ...sources.compound import Compound
from ...sources.limits import Limits
from ...sources.ranges import Area
from ...sources.source import Source
from .biff_cells import Records, cells_of
from .biff_frame import AREA_OF_SHEET, area_at, areas_of, comments_of, frozen_rows, lists_of
from .biff_text import Continued, shared_texts, short_text, unicode_text
from .grid import Format, HeadMark, Sheet, SheetEntry
from .number_formats import BUILT_IN, format_of
from .strings import Strings

BOF, EOF, CONTINUE, FILEPASS = 0x809, 0x0A, 0x3C, 0x2F
DATE_MODE, SST, FORMAT, XF, FONT = 0x22, 0xFC, 0x41E, 0xE0, 0x31
BOLD = 600
"""The weight of letters from which on they are bold (2.4.122)."""
BOUND_SHEET, EXTERN_SHEET, NAME = 0x85, 0x17, 0x18
ROW, COLUMNS, MERGED = 0x208, 0x7D, 0xE5
BIFF8, WORKSHEET = 0x600, 0x10
CELL = (0x3A, 0x5A, 0x7A)
"""Tokens of a formula that stand for a cell of a sheet (2.5.198)."""
ENCRYPTED = "EncryptedPackage".encode("utf-16-le")
"""The part of a newer workbook that is encrypted, which is kept in a compound file too."""
LAST_COLUMN, LAST_ROW = 0xFF, 0xFFFF
OWN_NAMES = {"\x07": "print titles", "\x0d": "filter"}
"""Names of the program's own that show a heading (2.5.114)."""


class Biff:
    """One workbook."""

    kind = "xls"

    def __init__(self, source: Source, limits: Limits) -> None:
        self.name, self.limits = source.name, limits
        data = source.head(limits.inflated + 1)
        if len(data) > limits.inflated:
            raise SourceError(f"{self.name}: over {limits.inflated:,} bytes; raise limits.inflated")
        if ENCRYPTED in data[: 1 << 20]:
            raise SourceError(
                f"{self.name}: an encrypted workbook; open it and save it without a password"
            )
        parts = Compound(data, self.name)
        stream = next((each for each in ("Workbook", "Book") if each in parts), None)
        if stream is None:
            raise SourceError(
                f"{self.name}: a document of an office program, but no workbook; save its table as "
                ".xlsx, .ods or CSV"
            )
        self.data = parts.stream(stream)
        try:
            self._globals()
        except (struct.error, IndexError) as error:
            raise self._damaged(error) from None

    def _damaged(self, error: Exception) -> SourceError:
        return SourceError(
            f"{self.name}: a damaged or truncated workbook ({error}); request the file again"
        )

    def _records(self, at: int) -> Iterator[tuple[int, int, int]]:
        """The records of a part of the stream: kind, where its data begin, how long they are."""
        data, end = self.data, len(self.data)
        unpack = struct.Struct("<HH").unpack_from
        depth = 0
        while at + 4 <= end:
            kind, size = unpack(data, at)
            if at + 4 + size > end:
                raise struct.error("a record is cut off")
            yield kind, at + 4, size
            depth += (kind == BOF) - (kind == EOF)
            at += 4 + size
            if depth == 0:
                return

    def _globals(self) -> None:
        """What holds for the whole workbook (2.1.7.20.3)."""
        self.from_1904 = False
        self.codes, self.bold = dict(BUILT_IN), list[bool]()
        self.styles: list[tuple[int, int, bool]] = []
        """The number format and the font of each style, and whether it colours the cell."""
        self.bounds: list[tuple[str, int, bool, int]] = []
        self.externs: list[tuple[int, int]] = []
        self.defined: list[tuple[str, int, bytes]] = []
        self.every_name: list[str] = []
        """All names in order, since formulas refer to them by their numbers."""
        self.marks: list[tuple[str, int, bytes]] = []
        """What the program's own names say of headings: what it is, the sheet, the formula."""
        self.shared: list[bytes] = []
        data, last = self.data, 0
        for kind, at, size in self._records(0):
            body = data[at : at + size]
            if kind == BOF and last == 0 and struct.unpack_from("<H", body)[0] != BIFF8:
                raise SourceError(
                    f"{self.name}: a workbook of a form before 1997; open it in a spreadsheet "
                    "program and save it as .xlsx or .ods"
                )
            if kind == FILEPASS:
                raise SourceError(
                    f"{self.name}: an encrypted workbook; open it and save it without a password"
                )
            if kind == CONTINUE and last == SST:
                self.shared.append(body)
                continue
            self._global(kind, body)
            last = kind

    def _global(self, kind: int, body: bytes) -> None:
        if kind == DATE_MODE:
            self.from_1904 = body[:1] == b"\1"
        elif kind == SST:
            self.shared = [body]
        elif kind == FORMAT:
            self.codes[struct.unpack_from("<H", body)[0]] = unicode_text(body, 2)
        elif kind == XF:
            font, number = struct.unpack_from("<HH", body)
            fill = struct.unpack_from("<I", body, 14)[0] >> 26
            self.styles.append((number, font, fill != 0))
        elif kind == FONT:
            self.bold.append(struct.unpack_from("<H", body, 6)[0] >= BOLD)
        elif kind == BOUND_SHEET:
            at, state, form = struct.unpack_from("<IBB", body)
            self.bounds.append((short_text(body, 6), at, state & 3 != 0, form))
        elif kind == EXTERN_SHEET:
            count = struct.unpack_from("<H", body)[0]
            every = struct.iter_unpack("<HHH", body[2 : 2 + 6 * count])
            self.externs = [(first, last) for _, first, last in every]
        elif kind == NAME:
            flags, _, length, size, _, sheet = struct.unpack_from("<HBBHHH", body)
            wide = body[14] & 1
            end = 15 + length * (1 + wide)
            text = body[15:end].decode("utf-16-le" if wide else "latin-1", "replace")
            self.every_name.append(text)
            if flags & 0x20 and text in OWN_NAMES:
                self.marks.append((OWN_NAMES[text], sheet, body[end : end + size]))
            elif not flags & 0x21:  # neither hidden nor of the program's own
                self.defined.append((text, sheet, body[end : end + size]))

    @cached_property
    def sheets(self) -> tuple[SheetEntry, ...]:
        """The sheets of cells, in order."""
        return tuple(
            SheetEntry(name, str(at), hidden, position)
            for position, (name, at, hidden, form) in enumerate(self.bounds, 1)
            if form == 0
        )

    @cached_property
    def names(self) -> dict[str, tuple[str, Area]]:
        """Named ranges; one of a sheet alone with the sheet's name before it."""
        found = {}
        for name, own, formula in self.defined:
            meant = self._meant(formula)
            if meant is not None and not _covers(meant[1]):
                place = f"{self.bounds[own - 1][0]}!" if 0 < own <= len(self.bounds) else ""
                found[place + name] = meant
        return found

    @cached_property
    def other_names(self) -> dict[str, str]:
        """Names of something else than a rectangle of cells, with what that is."""
        found = {}
        for name, _, formula in self.defined:
            meant = self._meant(formula)
            if meant is None:
                found[name] = "is no rectangle of cells"
            elif _covers(meant[1]):
                found[name] = f"covers whole columns ({meant[0]})"
        return found

    def _meant(self, formula: bytes) -> tuple[str, Area] | None:
        """The rectangle that a formula of one token stands for."""
        token = formula[0] if formula else 0
        if token in AREA_OF_SHEET and len(formula) == 11:
            which, area = struct.unpack_from("<H", formula, 1)[0], area_at(formula, 3)
        elif token in CELL and len(formula) == 7:
            which, top, left = struct.unpack_from("<HHH", formula, 1)
            column = (left & 0x3FFF) + 1
            area = Area(top + 1, column, top + 1, column)
        else:
            return None
        sheet = self.referred[which] if which < len(self.referred) else None
        return None if sheet is None else (sheet, area)

    @cached_property
    def formats(self) -> tuple[Format, ...]:
        """What each cell style's number format says."""
        made = tuple(
            format_of(self.codes.get(number, "General"))._replace(
                stands_out=coloured or self._is_bold(font)
            )
            for number, font, coloured in self.styles
        )
        return made or (Format(),)

    def _is_bold(self, font: int) -> bool:
        """Is a font bold? There is none of the number 4 (2.5.129)."""
        place = font - (font > 4)
        return place < len(self.bold) and self.bold[place]

    @cached_property
    def strings(self) -> Strings:
        """The shared strings (2.4.265)."""
        return Strings.of(shared_texts(Continued(self.shared))) if self.shared else Strings.of([])

    def read(self, entry: SheetEntry, whole: bool = True, fast: bool = True) -> Sheet:
        """One sheet."""
        try:
            places = _places(self.data, int(entry.path))
            records = Records(self.name, self.data, places)
            cells = cells_of(records, self.strings, self.formats, self.from_1904, self.limits)
            rows, columns = self._hidden(places)
            merged = tuple(self._merged(places.get(MERGED, ())))
            comments = comments_of(self.data, places)
            heads = (*self._marked(entry), *frozen_rows(self.data, places))
            lists = lists_of(self.data, places, self.every_name, self.referred)
        except (struct.error, IndexError, ValueError) as error:
            raise self._damaged(error) from None
        return Sheet(
            entry.name,
            entry.hidden,
            cells,
            self.formats,
            merged=merged,
            hidden_rows=rows,
            hidden_columns=columns,
            comments=comments,
            heads=heads,
            lists=lists,
        )

    @cached_property
    def referred(self) -> list[str | None]:
        """The sheet that each number in a formula refers to; `None` for several, and for others."""
        return [
            self.bounds[first][0] if first == last and 0 <= first < len(self.bounds) else None
            for first, last in self.externs
        ]

    def _marked(self, entry: SheetEntry) -> Iterator[HeadMark]:
        """The headings that a filter, and rows that are printed on each page, show."""
        for what, own, formula in self.marks:
            for area in areas_of(formula) if own == entry.position else ():
                if what == "filter":
                    yield HeadMark(area.first_row, what)
                elif area.last_column > LAST_COLUMN:
                    yield HeadMark(area.last_row, what)

    def _hidden(self, places: dict[int, Ints]) -> tuple[frozenset[int], frozenset[int]]:
        """Hidden rows (2.4.221) and columns (2.4.53)."""
        rows, columns = set(), set()
        raw, at_rows = np.frombuffer(self.data, np.uint8), np.array(places.get(ROW, ()), np.int64)
        hidden = at_rows[(raw[at_rows + 12] & 0x20) != 0]
        rows |= {struct.unpack_from("<H", self.data, at)[0] + 1 for at in hidden.tolist()}
        for at in places.get(COLUMNS, ()):
            first, last, flags = struct.unpack_from("<HH4xH", self.data, at)
            if flags & 1:
                columns |= set(range(first + 1, min(last, LAST_COLUMN) + 2))
        return frozenset(rows), frozenset(columns)

    def _merged(self, places: Ints | tuple[()]) -> Iterator[Area]:
        for at in places:
            count = struct.unpack_from("<H", self.data, at)[0]
            for number in range(count):
                top, bottom, left, right = struct.unpack_from(
                    "<HHHH", self.data, at + 2 + 8 * number
                )
                yield Area(top + 1, left + 1, bottom + 1, right + 1)


def _places(data: bytes, at: int) -> dict[int, Ints]:
    """Where the data of all records of a part begin, by kind.

    Raises `struct.error` where the part is cut off.
    """
    found = kernels.record_places(data, at, BOF, EOF)
    if found is None:
        raise struct.error("a record is cut off")
    kinds, places = found
    order = np.argsort(kinds, kind="stable")
    met, first = np.unique(kinds[order], return_index=True)
    return dict(zip(met.tolist(), np.split(places[order], first[1:]), strict=True))


def _covers(area: Area) -> bool:
    """Are these whole columns?"""
    return area.first_row == 1 and area.last_row > LAST_ROW
