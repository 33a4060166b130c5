"""Workbooks of the older binary form (MS-XLS in a compound file, MS-CFB), written for tests."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Sequence
from datetime import date

SECTOR, END, FREE, FAT, DIFAT = 512, 0xFFFFFFFE, 0xFFFFFFFF, 0xFFFFFFFD, 0xFFFFFFFC
PER_SECTOR, IN_HEADER = 128, 109
"""Entries of a table of sectors in one sector, and places of such tables in the header."""
MOST = 8224
"""Bytes of a record; what is longer goes on in others."""
BOUNDED = 4096
"""Bytes from which on a stream lies in sectors of its own."""
NAMES = {"filter": b"\x0d", "print titles": b"\x07"}


def record(kind: int, body: bytes = b"") -> bytes:
    return struct.pack("<HH", kind, len(body)) + body


def text(value: str) -> bytes:
    """A text with its length in two bytes, in two bytes a character."""
    return struct.pack("<HB", len(value), 1) + value.encode("utf-16-le")


def compound(stream: bytes) -> bytes:
    """A compound file with this stream as its workbook (MS-CFB 2.2)."""
    stream += bytes(max(BOUNDED, -(-len(stream) // SECTOR) * SECTOR) - len(stream))
    count = len(stream) // SECTOR
    tables = further = 0
    while tables * PER_SECTOR < count + 1 + tables + further:
        tables += 1
        further = max(0, -(-(tables - IN_HEADER) // (PER_SECTOR - 1)))
    chain = [*range(1, count), END, END, *[FAT] * tables, *[DIFAT] * further]
    chain += [FREE] * (tables * PER_SECTOR - len(chain))
    first_further = count + 1 + tables
    head = bytes.fromhex("d0cf11e0a1b11ae1") + bytes(16)
    head += struct.pack("<HHHHH6xIIII", 62, 3, 0xFFFE, 9, 6, 0, tables, count, 0)
    head += struct.pack("<III", BOUNDED, END, 0)
    head += struct.pack("<II", first_further if further else END, further)
    places = [*range(count + 1, count + 1 + tables)]
    head += struct.pack("<109I", *(places + [FREE] * IN_HEADER)[:IN_HEADER])
    rest, more = places[IN_HEADER:], b""
    for number in range(further):
        some = rest[number * (PER_SECTOR - 1) : (number + 1) * (PER_SECTOR - 1)]
        some += [FREE] * (PER_SECTOR - 1 - len(some))
        more += struct.pack(
            "<128I", *some, first_further + number + 1 if number + 1 < further else END
        )
    root = _entry("Root Entry", 5, FREE, 1, END, 0)
    book = _entry("Workbook", 2, FREE, FREE, 0, len(stream))
    folder = root + book + bytes(2 * 128)
    return head + stream + folder + struct.pack(f"<{len(chain)}I", *chain) + more


def _entry(name: str, kind: int, side: int, child: int, start: int, size: int) -> bytes:
    held = name.encode("utf-16-le") + b"\0\0"
    made = held.ljust(64, b"\0") + struct.pack("<HBB", len(held), kind, 1)
    made += struct.pack("<III", side, side, child) + bytes(36) + struct.pack("<IQ", start, size)
    return made


def area3(sheet: int, top: int, bottom: int, left: int, right: int) -> bytes:
    """A rectangle of a sheet as a formula, all counted from 0."""
    return struct.pack("<BHHHHH", 0x3B, sheet, top, bottom, left, right)


def workbook(
    sheets: Sequence[tuple[str, bytes]],
    names: Iterable[tuple[str | bytes, int, bytes]] = (),
    shared: Sequence[str] = (),
) -> bytes:
    """A workbook of sheets that are records already; a name in bytes is one of the program's."""
    bounds = [text(name)[:1] + text(name)[2:] for name, _ in sheets]
    fixed = record(0x809, struct.pack("<HHHHII", 0x600, 5, 0, 0, 0, 6))
    for weight in (400, 400, 400, 400, 700):  # there is no font of the number 4
        fixed += record(0x31, struct.pack("<HHHH", 200, 0, 0x7FFF, weight) + bytes(8))
    for font, form, fill in ((0, 0, 0), (0, 14, 0), (0, 49, 0), (5, 0, 0), (0, 0, 1)):
        fixed += record(0xE0, struct.pack("<HH10xIH", font, form, fill << 26, 0))
    fixed += record(0x1AE, struct.pack("<HH", len(sheets), 0x401))
    fixed += record(0x17, struct.pack("<H", len(sheets)) + _externs(len(sheets)))
    for name, sheet, formula in names:
        own = isinstance(name, bytes)
        letters = name if isinstance(name, bytes) else name.encode("utf-16-le")
        head = struct.pack("<HBBHHH4x", 0x20 if own else 0, 0, len(name), len(formula), 0, sheet)
        fixed += record(0x18, head + (b"\0" if own else b"\1") + letters + formula)
    fixed += _shared(shared)
    at = len(fixed) + sum(10 + len(each) for each in bounds) + 4
    globals_ = fixed
    for bound, (_, body) in zip(bounds, sheets, strict=True):
        globals_ += record(0x85, struct.pack("<IBB", at, 0, 0) + bound)
        at += len(body)
    return compound(globals_ + record(0x0A) + b"".join(body for _, body in sheets))


def _shared(words: Sequence[str]) -> bytes:
    """Shared strings, a record of them for as many as fit (2.4.265)."""
    if not words:
        return b""
    made, body, kind = b"", struct.pack("<II", len(words), len(words)), 0xFC
    for each in map(text, words):
        if len(body) + len(each) > MOST:
            made, body, kind = made + record(kind, body), b"", 0x3C
        body += each
    return made + record(kind, body)


def _externs(count: int) -> bytes:
    return b"".join(struct.pack("<HHH", 0, each, each) for each in range(count))


def sheet(
    rows: Iterable[Sequence[object]],
    more: bytes = b"",
    shared: dict[str, int] | None = None,
    styles: dict[int, int] | None = None,
) -> bytes:
    """The records of a sheet of texts, numbers, days and blanks; texts are shared if asked.

    `styles` are the styles of the texts of some rows: 3 is bold, 4 coloured.
    """
    made = [record(0x809, struct.pack("<HHHHII", 0x600, 0x10, 0, 0, 0, 6))]
    for row, cells in enumerate(rows):
        for column, value in enumerate(cells):
            if value is None:
                continue
            if isinstance(value, str):
                at = struct.pack("<HHH", row, column, (styles or {}).get(row, 0))
                if shared is None:
                    made.append(record(0x204, at + text(value)))
                else:
                    place = shared.setdefault(value, len(shared))
                    made.append(record(0xFD, at + struct.pack("<I", place)))
                continue
            style = 0
            if isinstance(value, date):
                value, style = (value - date(1899, 12, 30)).days, 1
            if isinstance(value, int) and abs(value) < 1 << 29:
                body = struct.pack("<HHHi", row, column, style, value << 2 | 2)
                made.append(record(0x27E, body))
                continue
            made.append(record(0x203, struct.pack("<HHHd", row, column, style, value)))
    return b"".join([*made, more, record(0x0A)])


def word_list(formula: bytes, first: int, last: int, column: int) -> bytes:
    """A list of what may be typed into cells of a column (MS-XLS 2.4.89)."""
    body = struct.pack("<I", 3 | 0x80) + 4 * (struct.pack("<HB", 1, 0) + b"\0")
    body += struct.pack("<HH", len(formula), 0) + formula + struct.pack("<HH", 0, 0)
    body += struct.pack("<HHHHH", 1, first, last, column, column)
    return record(0x1BE, body)


def comment(number: int, row: int, column: int, said: str, author: str = "Ann") -> bytes:
    """A comment of a cell (MS-XLS 2.4.179), with the shape that holds its text."""
    shape = record(0x5D, struct.pack("<HHHHH", 0x15, 0x12, 0x19, number, 0) + bytes(16))
    shape += record(0x1B6, struct.pack("<HH6xHH4x", 0x212, 0, len(said), 16))
    shape += record(0x3C, b"\1" + said.encode("utf-16-le")) + record(0x3C, bytes(16))
    return shape + record(0x1C, struct.pack("<HHHH", row, column, 0, number) + text(author) + b"\0")


def frozen(rows: int) -> bytes:
    """Panes that are frozen below so many rows."""
    return record(0x23E, struct.pack("<HHH12x", 0x6B6 | 8, 0, 0)) + record(
        0x41, struct.pack("<HHHHH", 0, rows, rows, 0, 2)
    )
