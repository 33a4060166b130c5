"""Sheets of workbooks as a set: those that a list or a pattern names."""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence

import msgspec

from ...errors import LayoutError, nearest
from ...layouts.registry import tables_in
from ...sources.opening import open_source
from ...sources.sets import Files, Member


def sheets_of(files: Files, wanted: str | Sequence[str | int]) -> Files:
    """A member for each sheet that is named, of each workbook; hidden ones only by their names.

    Raises `LayoutError` for a name or a pattern that no sheet has.
    """
    members = [sheet for each in files for sheet in _sheets(each, wanted, len(files) > 1)]
    return Files(members, files.given, files.left_out)


def _sheets(member: Member, wanted: str | Sequence[str | int], several: bool) -> list[Member]:
    source = open_source(member.source)
    tables = tables_in(source)
    if not tables:
        raise LayoutError(f"{member.name}: not a workbook; leave out sheet, range and block")
    names = [name for name, _ in tables]
    made: dict[str, None] = {}
    for each in [wanted] if isinstance(wanted, str) else wanted:
        if isinstance(each, int):
            if not 1 <= each <= len(names):
                raise LayoutError(f"{member.name}: there is no sheet {each} of {len(names)}")
            hits = [names[each - 1]]
        else:
            hits = [name for name in names if name == each] or [
                name for name, hidden in tables if not hidden and fnmatch.fnmatchcase(name, each)
            ]
        if not hits:
            raise LayoutError(
                f'{member.name}: there is no sheet "{each}"{nearest(str(each), names)}'
            )
        made |= dict.fromkeys(hits)
    replace = msgspec.structs.replace
    return [
        replace(
            member,
            name=f"{member.name}: {sheet}" if several else sheet,
            source=source,
            sheet=sheet,
        )
        for sheet in made
    ]
