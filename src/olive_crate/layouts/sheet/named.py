"""Names of a workbook, and ranges with the sheet that they are on."""

from __future__ import annotations

from ...errors import LayoutError, nearest
from ...plan.model import Decisions
from ...sources.ranges import Area, area_of, sheet_and_range
from .workbook import Workbook, sheet_named


def named_range(plan: Decisions, workbook: Workbook) -> tuple[str, Area] | None:
    """The sheet and area of `'Table 1'!A4:I26`, a named range or a table; `None` for a plain range.

    A name is bound to its sheet: raises `LayoutError` where another sheet is asked for, and for a
    name that is no rectangle of cells.
    """
    text = plan.sheet.range
    if text is None or area_of(text) is not None:
        return None
    given = plan.sheet.sheet
    wanted = (
        None if given is None or isinstance(given, tuple) else sheet_named(workbook, given).name
    )
    own, name = sheet_and_range(text)
    if own is not None:
        own = sheet_named(workbook, own).name
        _refuse_other_sheet(workbook, text, own, wanted)
        area = area_of(name)
        if area is not None:
            return own, area
        wanted = own
    found = _meant(workbook, name, wanted)
    if found is None:
        _refuse_name(workbook, name)
        raise LayoutError(
            f'{workbook.name}: "{text}" is no range, and no named range or table'
            f"{nearest(name, workbook.names) or '; the workbook has none'}"
        )
    _refuse_other_sheet(workbook, name, found[0], wanted, found[1])
    return found


def _meant(workbook: Workbook, name: str, sheet: str | None) -> tuple[str, Area] | None:
    """What a name means: that of a sheet before that of the whole workbook."""
    folded = {each.casefold(): each for each in workbook.names}
    if sheet is not None and f"{sheet}!{name}".casefold() in folded:
        return workbook.names[folded[f"{sheet}!{name}".casefold()]]
    if name.casefold() in folded:
        return workbook.names[folded[name.casefold()]]
    local = [each for each in folded if each.endswith(f"!{name.casefold()}")]
    if len(local) > 1:
        sheets = ", ".join(f'"{workbook.names[folded[each]][0]}"' for each in local)
        raise LayoutError(
            f'{workbook.name}: several sheets have a name "{name}" ({sheets}); say which'
        )
    return workbook.names[folded[local[0]]] if local else None


def _refuse_other_sheet(
    workbook: Workbook, name: str, sheet: str, wanted: str | None, area: Area | None = None
) -> None:
    if wanted is not None and sheet != wanted:
        where = f" ({area})" if area is not None else ""
        raise LayoutError(
            f'{workbook.name}: "{name}" lies on the sheet "{sheet}"{where}, not on "{wanted}"; '
            "leave the sheet out, or name that one"
        )


def _refuse_name(workbook: Workbook, name: str) -> None:
    """Raise `LayoutError` for a name that the workbook has, but not for a rectangle of cells."""
    for other, kind in workbook.other_names.items():
        if other.casefold() == name.casefold():
            raise LayoutError(
                f'{workbook.name}: the name "{other}" {kind}; give a range such as B9:K310'
            )
