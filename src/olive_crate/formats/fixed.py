"""Datasets as fixed-width text, with the layout table and the plan that read it back."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec

from ..columns.cell_texts import cell_texts
from ..dataset.model import PlainDataset
from ..dataset.taking import keep
from ..declaration.notation import codes_text, meanings_text
from ..declaration.variable import MeaningSets, Variable
from ..errors import PlanError, several
from ..plan.fields import Field, FixedSection, listed_fields, overlaps
from ..plan.model import Decisions, DelimitedSection, Rows, SourceSection
from ..plan.toml_write import plan_text
from ..show.claims import claim_of
from ..sources.csv_text import csv_text
from ..sources.source import codec_name
from .beside import DDI, FIELDS, PLAN, beside
from .ddi import ddi_text
from .delimited import encoded
from .exporting import Files

NUMBERS = ("integer", "number")
COLUMNS = (
    "name",
    "start",
    "end",
    "line",
    "type",
    "decimals",
    "sign",
    "label",
    "unit",
    "level",
    "format",
    "true",
    "false",
    "missing",
    "meanings",
)


def fixed_files(
    dataset: PlainDataset,
    path: Path,
    fields: Any,
    missing: str,
    encoding: str,
    standards: Sequence[str],
) -> tuple[Files, list[str]]:
    """The data, and beside it `<name>.fields.csv` and `<name>.plan.toml`; what they cannot carry.

    Without `fields`, each variable gets the width of its longest cell and a blank between.
    Raises `PlanError` for values that do not fit their field, naming them.
    """
    if missing == "reasons":
        raise PlanError('missing: fixed-width text cannot store reasons; use "codes" or "null"')
    texts = {name: cell_texts(dataset[name], missing) for name in dataset.names}
    chosen = _given(fields, dataset) if fields is not None else _fitting(texts)
    by_name = {each.name: each for each in dataset.variables}
    columns = [_placed(field, by_name[field.name], texts[field.name]) for field in chosen]
    lines = _lines(chosen, columns, dataset.rows)
    variables = [by_name[field.name] for field in chosen]
    plan = _plan(path, chosen, variables, encoding, dataset.plan.meaning_sets)
    files: Files = {
        path: encoded(lines, codec_name(encoding), path),
        beside(path, FIELDS): _table(chosen, variables).encode("utf-8"),
        beside(path, PLAN): plan_text(plan, claim_of, path.parent).encode("utf-8"),
    }
    notes: list[str] = []
    if "ddi" in standards:
        text, notes = ddi_text(keep(dataset, [each.name for each in variables]), path.name, chosen)
        files[beside(path, DDI)] = text.encode("utf-8")
    return files, notes


def _given(fields: Any, dataset: PlainDataset) -> list[Field]:
    chosen = (fields.fields or ()) if isinstance(fields, Decisions) else listed_fields(fields)
    for field in chosen:
        dataset[field.name]  # raises for a name that is not there
    shared = overlaps(chosen)
    if shared:
        one, other, where = shared[0]
        raise PlanError(
            f'fields "{one}" and "{other}" share positions {where}; written fields cannot overlap'
        )
    return list(chosen)


def _fitting(texts: dict[str, list[str]]) -> list[Field]:
    """Fields side by side, as wide as the longest cell, a blank between."""
    fields, start = [], 1
    for name, cells in texts.items():
        width = max([len(cell) for cell in cells], default=0) or 1
        fields.append(Field(name, start, start + width - 1))
        start += width + 1
    return fields


def _placed(field: Field, variable: Variable, cells: Sequence[str]) -> list[str]:
    """The cells as they stand in the field: numbers to the right, everything else to the left."""
    if field.decimals or field.sign:
        cells = [_packed(cell, field, variable, row) for row, cell in enumerate(cells, 1)]
    bad = [
        (row, cell)
        for row, cell in enumerate(cells, 1)
        if len(cell) > field.width or cell != cell.strip() or not cell.isprintable()
    ]
    if bad:
        row, cell = bad[0]
        if len(cell) > field.width:
            why = f"is {several(len(cell), 'character')} long, the field {field.width}"
        elif cell != cell.strip():
            why = "begins or ends with a blank, which a field cannot keep"
        else:
            why = "holds a line end, tab or control character"
        more = f", and {several(len(bad) - 1, 'more cell')}" if len(bad) > 1 else ""
        raise PlanError(f'"{field.name}": {cell!r} (case {row}) {why}{more}')
    if variable.type in NUMBERS:
        return [cell.rjust(field.width) for cell in cells]
    return [cell.ljust(field.width) for cell in cells]


def _packed(cell: str, field: Field, variable: Variable, row: int) -> str:
    """A number without its decimal mark, or with its sign elsewhere."""
    as_written = any(cell == code.value for code in variable.missing)
    if not cell or variable.type not in NUMBERS or as_written:
        return cell
    if field.decimals:
        try:
            value = float(cell)
        except ValueError:
            return cell
        text = f"{value:.{field.decimals}f}"
        if float(text) != value:
            raise PlanError(
                f'"{field.name}": {cell} (case {row}) has more than {field.decimals} decimals'
            )
        cell = text.replace(".", "")
    digits = cell.lstrip("-").rjust(2 if field.decimals else 1, "0")
    negative = cell.startswith("-")
    if field.sign == "trailing":
        return digits + ("-" if negative else "")
    if field.sign == "overpunched" and digits.isdigit():
        return digits[:-1] + ("}JKLMNOPQR" if negative else "{ABCDEFGHI")[int(digits[-1])]
    return cell


def _lines(fields: Sequence[Field], columns: Sequence[Sequence[str]], rows: int) -> str:
    """All cases; positions that no field takes are blank."""
    per_case = max((field.line for field in fields), default=1)
    order = sorted(range(len(fields)), key=lambda place: (fields[place].line, fields[place].start))
    out = io.StringIO()
    for row in range(rows):
        for line in range(1, per_case + 1):
            reached = 0
            for place in order:
                field = fields[place]
                if field.line == line:
                    out.write(" " * (field.start - 1 - reached) + columns[place][row])
                    reached = field.end
            out.write("\n")
    return out.getvalue()


def _plan(
    path: Path,
    fields: Sequence[Field],
    variables: Sequence[Variable],
    encoding: str,
    sets: MeaningSets,
) -> Decisions:
    named = [
        msgspec.structs.replace(field, name=variable.heading)
        for field, variable in zip(fields, variables, strict=True)
    ]
    lines = max(field.line for field in fields)
    return Decisions(
        source=SourceSection(path.name, encoding),
        layout="fixed",
        delimited=DelimitedSection(decimal="."),
        fixed=FixedSection(lines_per_record=lines if lines > 1 else None),
        fields=tuple(named),
        rows=Rows(names=(), data="1.."),
        variables=tuple(variables),
        meaning_sets=dict(sets),
        base=path.parent,
        listed=True,
    )


def _table(fields: Sequence[Field], variables: Sequence[Variable]) -> str:
    """The layout table: a row for each field."""
    rows = [_row(field, variable) for field, variable in zip(fields, variables, strict=True)]
    used = [key for key in COLUMNS if key in COLUMNS[:3] or any(row[key] for row in rows)]
    return csv_text([used, *([row[key] for key in used] for row in rows)])


def _row(field: Field, variable: Variable) -> dict[str, str]:
    return {
        "name": variable.name,
        "start": str(field.start),
        "end": str(field.end),
        "line": str(field.line) if field.line > 1 else "",
        "type": variable.type or "",
        "decimals": str(field.decimals) if field.decimals else "",
        "sign": field.sign or "",
        "label": variable.label or "",
        "unit": variable.unit or "",
        "level": variable.level or "",
        "format": variable.format or "",
        "true": "; ".join(variable.true),
        "false": "; ".join(variable.false),
        "missing": codes_text(variable),
        "meanings": meanings_text(variable),
    }
