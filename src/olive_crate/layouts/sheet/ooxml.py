"""OOXML spreadsheets (ECMA-376, transitional and strict): the workbook's parts, and its sheets.

A sheet's rows are read at known places where they stand in the form of the common writers, and by a
parser where they do not; both ways give the same cells.
"""

from __future__ import annotations

import posixpath
import re
from collections.abc import Iterator, Sequence
from functools import cached_property

from ... import kernels
from ...declaration.patterns import late
from ...errors import SourceError
from ...kernels.types import PAD, SheetRead
from ...sources.container import Container
from ...sources.limits import Limits, beyond
from ...sources.markup import tree_of
from ...sources.ranges import Area, area_of
from ...workers import Workers
from .comments import Comments, comments_of
from .formulas import add_not_calculated, not_calculated
from .frame import Frame, frame_of
from .grid import Format, HeadMark, Sheet, SheetEntry
from .ooxml_styles import formats_of
from .parser import SheetParser
from .pieces import Assembly
from .strings import Strings, is_utf8, shared_strings

PIECE = 1 << 20
HEAD = 4 << 20
"""A part that is no larger is read whole for a look; of others this is looked at:"""
LOOKED_AT = 1 << 20
SHEET_DATA = late(rb"<sheetData\s*/?>")
ROW_OR_END = late(rb"</(?:row|sheetData)>")
LONGEST_TAG = len("</sheetData>") - 1
"""Bytes of it that may stand at the end of a piece."""


class Xlsx:
    """One workbook."""

    kind = "xlsx"

    def __init__(self, container: Container, workers: int = 1) -> None:
        self.container, self.name, self.workers = container, container.name, workers
        self.path = self._workbook_path()
        self.tree = tree_of(container.whole(self.path), f"{self.name}: {self.path}")
        self.relations = self._relations(self.path)

    def _workbook_path(self) -> str:
        found = self._relations("").values()
        for kind, path in found:
            if kind.endswith("/officeDocument"):
                return path
        if "xl/workbook.xml" in self.container:
            return "xl/workbook.xml"
        if "xl/workbook.bin" in self.container:
            raise SourceError(
                f"{self.name}: a binary workbook (.xlsb); open it in a spreadsheet program and "
                "save it as .xlsx or .ods"
            )
        raise SourceError(f"{self.name}: a damaged workbook: its main part is lacking")

    def _relations(self, path: str) -> dict[str, tuple[str, str]]:
        """The relations of a part: type and target of each; links to the outside are left out."""
        folder, file = posixpath.split(path)
        rels = posixpath.join(folder, "_rels", f"{file}.rels")
        if rels not in self.container:
            return {}
        tree = tree_of(self.container.whole(rels), f"{self.name}: {rels}")
        found = {}
        for each in tree.iter("Relationship"):
            if each.get("TargetMode") == "External":
                continue
            target = each.get("Target", "")
            full = target.lstrip("/") if target.startswith("/") else posixpath.join(folder, target)
            found[each.get("Id", "")] = (each.get("Type", ""), posixpath.normpath(full))
        return found

    @cached_property
    def sheets(self) -> tuple[SheetEntry, ...]:
        """The sheets of cells, in order; sheets of charts are left out."""
        found = []
        for position, each in enumerate(self.tree.iter("sheet"), 1):
            kind, path = self.relations.get(each.get("id", ""), ("", ""))
            if not path or not kind.endswith("/worksheet"):
                continue
            hidden = each.get("state", "visible") != "visible"
            found.append(SheetEntry(each.get("name", f"sheet {position}"), path, hidden, position))
        return tuple(found)

    @cached_property
    def from_1904(self) -> bool:
        """Are days counted from 1904?"""
        properties = self.tree.find("workbookPr")
        return properties is not None and properties.get("date1904", "0") in ("1", "true")

    @cached_property
    def names(self) -> dict[str, tuple[str, Area]]:
        """Named ranges and tables: the sheet and the rectangle of each."""
        found = {}
        for name, text in self._defined():
            meant = named_area(text)
            if meant is not None and meant[1].last_row and meant[1].last_column:
                found[name] = meant
        return found | {name: (sheet, area) for name, (sheet, area, _) in self._tables.items()}

    @cached_property
    def _tables(self) -> dict[str, tuple[str, Area, bool]]:
        """Tables by name: the sheet, the rectangle, and whether its first row is a heading."""
        found = {}
        for sheet in self.sheets:
            for kind, path in self._relations(sheet.path).values():
                if kind.endswith("/table") and path in self.container:
                    tree = tree_of(self.container.whole(path), f"{self.name}: {path}")
                    area = area_of(tree.get("ref", ""))
                    if area:
                        totals = tree.get("totalsRowCount", "0")
                        count = int(totals) if totals.isdecimal() else 0
                        last = max(area.last_row - count, area.first_row)
                        area = area._replace(last_row=last)
                        name = tree.get("displayName") or tree.get("name") or path
                        found[name] = (sheet.name, area, tree.get("headerRowCount") != "0")
        return found

    def _defined(self) -> Iterator[tuple[str, str]]:
        """Names with what they stand for; a name of one sheet only with the sheet before it."""
        sheets = [each.get("name", "") for each in self.tree.iter("sheet")]
        for each in self.tree.iter("definedName"):
            name, local = each.get("name"), each.get("localSheetId")
            if not name or each.get("hidden") in ("1", "true") or name.startswith("_xlnm."):
                continue  # print areas and titles, filters: no names that a user has given
            own = _at(sheets, local or "")
            yield (f"{own}!{name}" if own else name), (each.text or "").strip()

    @cached_property
    def other_names(self) -> dict[str, str]:
        """Names of something else than a rectangle of cells, with what that is."""
        found = {}
        for name, text in self._defined():
            meant = named_area(text)
            if meant is None:
                found[name.rpartition("!")[2]] = kind_of_name(text)
            elif not (meant[1].last_row and meant[1].last_column):
                found[name.rpartition("!")[2]] = f"covers whole columns ({text})"
        return found

    @cached_property
    def formats(self) -> tuple[Format, ...]:
        """What each cell style's number format says."""
        path = self._part("/styles")
        if path is None:
            return (Format(),)
        return formats_of(tree_of(self.container.whole(path), f"{self.name}: {path}"))

    def _part(self, kind: str) -> str | None:
        return next(
            (
                path
                for each, path in self.relations.values()
                if each.endswith(kind) and path in self.container
            ),
            None,
        )

    @cached_property
    def strings(self) -> Strings:
        """All shared strings."""
        path = self._part("/sharedStrings")
        if path is None:
            return Strings.of([])
        found = shared_strings(self.container.whole(path), self.name)
        self.container.check("strings", len(found))
        return found

    def _first_strings(self) -> Strings:
        """The shared strings that stand at the head of a large table of them."""
        path = self._part("/sharedStrings")
        if path is None or "strings" in self.__dict__ or self.container.size(path) <= HEAD:
            return self.strings
        head = self.container.head(path, LOOKED_AT)
        cut = head.rfind(b"</si>")
        return shared_strings(head[: cut + 5] + b"</sst>", self.name) if cut > 0 else self.strings

    def read(self, entry: SheetEntry, whole: bool = True, fast: bool = True) -> Sheet:
        """One sheet; with `whole` false only about its first 4 MB."""
        whole = whole or self.container.size(entry.path) <= HEAD
        strings = self.strings if whole else self._first_strings()
        found = self._scan(entry, strings, whole) if fast else None
        if found is None:
            found = self._parse(entry, strings, whole)
        assembly, frame, hidden_rows = found
        if whole and assembly.unknown_strings:
            raise SourceError(
                f"{self.name}: a damaged workbook: {assembly.unknown_strings:,} cells of "
                f'"{entry.name}" point to texts that are not there'
            )
        return Sheet(
            entry.name,
            entry.hidden,
            assembly.cells(),
            self.formats,
            merged=frame.merged,
            hidden_rows=frozenset(hidden_rows),
            hidden_columns=frozenset(frame.hidden_columns),
            whole=whole,
            claimed=frame.claimed,
            comments=self._comments(entry),
            lists=frame.lists,
            heads=self._heads(entry, frame),
        )

    def _heads(self, entry: SheetEntry, frame: Frame) -> tuple[HeadMark, ...]:
        """The rows of headings: of tables, by a filter, repeated on each page, frozen."""
        tables = [
            HeadMark(area.first_row, "table")
            for sheet, area, is_headed in self._tables.values()
            if sheet == entry.name and is_headed
        ]
        return (*tables, *frame.heads[:1], *self._print_titles(entry), *frame.heads[1:])

    def _print_titles(self, entry: SheetEntry) -> list[HeadMark]:
        sheets = [each.get("name", "") for each in self.tree.iter("sheet")]
        found = []
        for each in self.tree.iter("definedName"):
            own = each.get("localSheetId", "")
            if each.get("name") != "_xlnm.Print_Titles" or not own.isdecimal():
                continue
            rows = re.search(r"!\$(\d+):\$(\d+)", each.text or "")
            if int(own) < len(sheets) and sheets[int(own)] == entry.name and rows:
                found.append(HeadMark(int(rows[2]), "print titles"))
        return found

    def _comments(self, entry: SheetEntry) -> Comments:
        """The comments of a sheet's cells."""
        for kind, path in self._relations(entry.path).values():
            if kind.endswith("/comments") and path in self.container:
                return comments_of(tree_of(self.container.whole(path), f"{self.name}: {path}"))
        return {}

    def _scan(
        self, entry: SheetEntry, strings: Strings, whole: bool
    ) -> tuple[Assembly, Frame, list[int]] | None:
        """The rows at known places; `None` if they stand otherwise."""
        assembly = Assembly(strings, self.formats, self.from_1904)
        pieces = self.container.pieces(entry.path, PIECE)
        cut = _RowPieces(pieces, f"{self.name}: {entry.path}", self.container.limits)
        hidden: list[int] = []
        count = 0
        several = whole and self.container.size(entry.path) > PIECE
        with Workers(self.workers if several else 1) as workers:
            for _, (found, without) in workers.ahead(
                lambda rows: _read_rows(assembly, rows), iter(cut)
            ):
                if found is None:
                    return None
                count += len(found.rows)
                self.container.check_cells(count)
                assembly.take(found)
                add_not_calculated(assembly, without)
                hidden += found.hidden
                if not whole and not cut.ended:
                    break
        if cut.unusual or not cut.inside or (whole and not cut.ended):
            return None
        return assembly, self._frame(cut.before, cut.after, entry), hidden

    def _frame(self, before: bytes, after: bytes, entry: SheetEntry) -> Frame:
        """What stands before and behind the rows; a sheet that was cut off has nothing behind."""
        name = f"{self.name}: {entry.path}"
        document = before + b"<sheetData/>" + (after or b"</worksheet>")
        return frame_of(tree_of(document, name))

    def _parse(
        self, entry: SheetEntry, strings: Strings, whole: bool
    ) -> tuple[Assembly, Frame, list[int]]:
        """The long way, for whatever XML a sheet may be."""
        reader = SheetParser(self.container, f"{self.name}: {entry.path}")
        read = 0
        for piece in self.container.pieces(entry.path):
            reader.feed(piece)
            read += len(piece)
            if not whole and read >= LOOKED_AT:
                break
        else:
            reader.feed(b"", True)
        assembly = Assembly(strings, self.formats, self.from_1904)
        reader.hand_over(assembly)
        frame = Frame(tuple(reader.merged), set(reader.hidden_columns), reader.claimed)
        return assembly, frame, reader.hidden_rows


def _read_rows(
    assembly: Assembly, rows: memoryview
) -> tuple[SheetRead | None, list[tuple[int, int]]]:
    """Rows read at known places, and where formulas without a stored value stand in them."""
    buffer = kernels.padded(rows)
    low, high = PAD, PAD + len(rows)
    if not kernels.is_utf8(buffer, low, high):
        return None, []
    found = kernels.read_sheet(buffer, low, high, assembly.rule(True))
    return found, not_calculated(rows)


class _RowPieces:
    """The rows of a sheet's XML in pieces, and what stands before and behind them."""

    def __init__(self, pieces: Iterator[bytes], name: str, limits: Limits) -> None:
        self.pieces, self.name, self.limits = pieces, name, limits
        self.before = b""
        self.inside = self.ended = self.unusual = False
        self._after: list[bytes] = []

    @property
    def after(self) -> bytes:
        """What stands behind the rows."""
        return b"".join(self._after)

    def __iter__(self) -> Iterator[memoryview]:
        held: list[bytes] = []
        for piece in self.pieces:
            if not self.inside:
                held = [b"".join([*held, piece])]
                rest = self._begun(held[0])
                if self.unusual:
                    return
                if rest is None:
                    continue
                piece, held = rest, []
            if self.ended:
                self._after.append(piece)
                continue
            seam = held[-1][-LONGEST_TAG:] if held else b""
            held.append(piece)
            if not ROW_OR_END.search(seam + piece):
                self._refuse_endless(held)
                continue
            text = b"".join(held)
            cut = text.rfind(b"</row>") + 6
            end = text.find(b"</sheetData>", max(cut - 6, 0))
            if end >= 0:
                self.ended, self._after, held = True, [text[end + 12 :]], []
                yield memoryview(text)[:end]
            else:
                held = [text[cut:]]
                yield memoryview(text)[:cut]

    def _begun(self, text: bytes) -> bytes | None:
        """What stands behind the start of the rows; `None` where that has not come yet."""
        match = SHEET_DATA.search(text)
        if match is None:
            self.unusual = b":sheetData" in text or len(text) > HEAD
            return None
        self.before, self.inside = text[: match.start()], True
        self.unusual = not is_utf8(self.before)
        self.ended = match.group().endswith(b"/>")
        return text[match.end() :]

    def _refuse_endless(self, held: list[bytes]) -> None:
        """Raise `SourceError` for a row that goes on for more bytes than a record may."""
        if sum(map(len, held)) > self.limits.record:
            raise beyond(self.name, "record", f"a row of over {self.limits.record:,} bytes")


def kind_of_name(text: str) -> str:
    """What a name stands for that is no rectangle of cells."""
    if text.startswith("#REF!") or "#REF!" in text:
        return "stands for cells that are gone (#REF!)"
    areas = text.split(",")
    if len(areas) > 1 and all(named_area(each) for each in areas):
        return f"covers several areas ({text})"
    return f"is computed or a constant ({text[:60]})"


def named_area(text: str) -> tuple[str, Area] | None:
    """The sheet and rectangle of `'Season 2'!$D$9:$I$70`; `None` for formulas and several areas."""
    match = re.fullmatch(
        r"(?:'((?:[^']|'')+)'|([^'!]+))!(\$?[A-Za-z]*\$?\d*:?\$?[A-Za-z]*\$?\d*)", text.strip()
    )
    area = area_of(match[3]) if match else None
    if match is None or area is None:
        return None
    return (match[1] or match[2]).replace("''", "'"), area


def _at(names: Sequence[str], number: str) -> str:
    """One of these names by its number from 0; empty for none."""
    return names[int(number)] if number.isdecimal() and int(number) < len(names) else ""
