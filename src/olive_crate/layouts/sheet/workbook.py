"""A workbook of either format, opened safely."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Protocol

from ...errors import LayoutError, nearest
from ...sources.container import Container, workbook_kind
from ...sources.limits import Limits
from ...sources.ranges import Area
from ...sources.source import Source
from ...workers import usual_workers
from .grid import Sheet, SheetEntry

FLAT = ("fods", "xml")
"""Forms of workbooks that are one XML file."""


class Workbook(Protocol):
    """What is asked of a workbook, whatever its format."""

    name: str
    kind: str

    @property
    def sheets(self) -> tuple[SheetEntry, ...]: ...
    @property
    def names(self) -> dict[str, tuple[str, Area]]:
        """Named ranges and tables; those that only a sheet has as `Sheet!Name`."""

    @property
    def other_names(self) -> dict[str, str]:
        """Names of something else than a rectangle of cells, with what that is."""

    def read(self, entry: SheetEntry, whole: bool = True, fast: bool = True) -> Sheet: ...


@contextmanager
def opened(
    source: Source, limits: Limits = Limits(), workers: int | None = None
) -> Iterator[Workbook]:
    """The workbook in a source. Raises `SourceError` for what cannot be read or is refused."""
    if source.workbook in FLAT:
        from .flat import FlatParts, XmlWorkbook
        from .ods import Ods

        parts = FlatParts(source, limits)
        yield Ods(parts) if source.workbook == "fods" else XmlWorkbook(parts)
        return
    if source.workbook == "xls":
        from .biff import Biff

        yield Biff(source, limits)
        return
    container = Container(source, limits)
    try:
        if workbook_kind(source.head(4), source.open()) == "ods":
            from .ods import Ods

            yield Ods(container)
        else:
            from .ooxml import Xlsx

            yield Xlsx(container, workers or usual_workers())
    finally:
        container.close()


def sheet_named(workbook: Workbook, wanted: str | int) -> SheetEntry:
    """A sheet by its name, or by its number from 1. Raises `LayoutError` with all names."""
    entries = workbook.sheets
    if isinstance(wanted, int):
        if not 1 <= wanted <= len(entries):
            raise LayoutError(
                f"{workbook.name}: sheet = {wanted}, but there are {len(entries)} sheets: "
                + ", ".join(f'"{each.name}"' for each in entries[:12])
            )
        return entries[wanted - 1]
    exact = [each for each in entries if each.name == wanted]
    if not exact and wanted.isdecimal():
        return sheet_named(workbook, int(wanted))
    folded = [each for each in entries if each.name.casefold() == wanted.casefold().strip()]
    if exact or len(folded) == 1:
        return (exact or folded)[0]
    raise LayoutError(
        f'{workbook.name}: there is no sheet "{wanted}"'
        f"{nearest(wanted, [each.name for each in entries])}"
    )
