"""Datasets as workbooks: the data on one sheet, the codebook on a second."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ..columns.cell_texts import missing_texts
from ..columns.column import Column
from ..columns.dates import ANY_ZONED
from ..dataset.model import PlainDataset
from ..declaration.codes import FIRST_CODE
from ..declaration.notation import codes_text, meanings_text
from ..declaration.variable import Variable
from ..describe.codebook import codebook
from ..errors import PlanError, several

MOST_ROWS, MOST_COLUMNS, LONGEST = 1_048_575, 16_384, 32_767
FORMATS = {
    "date": "yyyy-mm-dd",
    "time": "hh:mm:ss",
    "datetime": "yyyy-mm-dd hh:mm:ss",
    "duration": "[h]:mm:ss",
}
HEADINGS = (
    "name",
    "label",
    "type",
    "level",
    "unit",
    "format",
    "true",
    "false",
    "missing",
    "meanings",
)
COUNTS = ("valid cells", "missing cells")
OPTIONS = dict.fromkeys(("strings_to_numbers", "strings_to_formulas", "strings_to_urls"), False)
"""Texts stay texts."""
FIRST_DAY = dt.date(1900, 3, 1)
EXACT = 2**53


def workbook_writer(dataset: PlainDataset, path: Path, missing: str) -> Callable[[Path], None]:
    """What writes an `.xlsx` file. Needs the extra `xlsx`.

    Raises `PlanError` for what a sheet cannot hold, naming it.
    """
    try:
        import xlsxwriter
        from xlsxwriter.exceptions import FileCreateError
    except ImportError:
        raise PlanError('XlsxWriter is not installed; install "olive-crate[xlsx]"') from None
    if dataset.rows > MOST_ROWS or len(dataset.variables) > MOST_COLUMNS:
        raise PlanError(
            f"{path}: a sheet holds at most {MOST_ROWS:,} rows of data and {MOST_COLUMNS:,} columns"
        )

    def write(temporary: Path) -> None:
        held = io.BytesIO()  # a full disk is told by us, not by what writes the archive
        book = xlsxwriter.Workbook(held, OPTIONS)
        _data(book, dataset, missing)
        _codebook(book, dataset)
        try:
            book.close()
        except FileCreateError as error:  # of the files that it keeps for a while
            raise OSError(*error.args[0].args) from None
        temporary.write_bytes(held.getbuffer())

    return write


def digits_lost(dataset: PlainDataset) -> list[str]:
    """Numbers with more digits than a sheet keeps (16, of the 17 that binary64 may need)."""
    notes = []
    for variable in dataset.variables:
        if variable.type == "number":
            numbers = dataset[variable.name].values.drop_null().unique().to_pylist()
            lost = sum(float(f"{number:.16g}") != number for number in numbers)
            if lost:
                values = several(lost, "different value")
                notes.append(f"{variable.name}: {values} with 17 digits, of which a sheet keeps 16")
    return notes


def _data(book: Any, dataset: PlainDataset, missing: str) -> None:
    sheet = book.add_worksheet("data")
    bold = book.add_format({"bold": True})
    for place, variable in enumerate(dataset.variables):
        column = dataset[variable.name]
        form = book.add_format({"num_format": _format(variable)})
        sheet.write_string(0, place, variable.name, bold)
        sheet.set_column(place, place, min(40, max(9, len(variable.name) + 1)), form)
        for row, value in enumerate(_cells(column, missing), 1):
            if value is not None:
                _write(sheet, row, place, value, form, variable)
    sheet.freeze_panes(1, 0)


def _format(variable: Variable) -> str:
    if variable.type in FORMATS:
        return FORMATS[variable.type]
    if variable.type == "number" and variable.decimals is not None:
        return "0." + "0" * variable.decimals if variable.decimals else "0"
    return "@" if variable.type in ("text", "category") else "General"


def _cells(column: Column, missing: str) -> list[Any]:
    """Values, with what stood in cells that a code made missing, if asked for."""
    values = list(column.values.to_pylist())
    if missing == "codes":
        cells, texts = missing_texts(column)
        numeric = column.variable.type in ("integer", "number")
        for cell, text in zip(cells.tolist(), texts.to_pylist(), strict=True):
            values[cell] = _number(text) if numeric and column.reasons[cell] >= FIRST_CODE else text
    return values


def _number(text: str) -> int | float | str:
    try:
        number = float(text)
    except ValueError:
        return text
    return int(number) if number.is_integer() and abs(number) < EXACT else number


def _write(sheet: Any, row: int, place: int, value: Any, form: Any, variable: Variable) -> None:
    if isinstance(value, bool):
        sheet.write_boolean(row, place, value)
    elif isinstance(value, int) and abs(value) > EXACT:
        raise PlanError(
            f'"{variable.name}": {value} (case {row}) has more digits than a sheet keeps; '
            f"declare it text first"
        )
    elif isinstance(value, (int, float)):
        sheet.write_number(row, place, value, form)
    elif isinstance(value, (dt.datetime, dt.date, dt.time, dt.timedelta)):
        sheet.write_datetime(row, place, _moment(value, row, variable), form)
    elif len(value) > LONGEST:
        raise PlanError(f'"{variable.name}": the text of case {row} is longer than a cell can hold')
    else:
        sheet.write_string(row, place, value, form)


def _moment(value: Any, row: int, variable: Variable) -> Any:
    day = value.date() if isinstance(value, dt.datetime) else value
    if isinstance(day, dt.date) and day < FIRST_DAY:
        raise PlanError(
            f'"{variable.name}": {day} (case {row}) is before March 1900, which sheets count '
            "differently; export it as text"
        )
    if isinstance(value, dt.datetime) and value.tzinfo is not None:
        return value.astimezone(dt.UTC).replace(tzinfo=None)
    return value


def _codebook(book: Any, dataset: PlainDataset) -> None:
    sheet = book.add_worksheet("codebook")
    bold, wrap = book.add_format({"bold": True}), book.add_format({"text_wrap": True})
    for place, heading in enumerate((*HEADINGS, *COUNTS)):
        sheet.write_string(0, place, heading, bold)
        sheet.set_column(place, place, 40 if heading in ("label", "missing", "meanings") else 14)
    for row, entry in enumerate(codebook(dataset).entries, 1):
        each = entry.variable
        texts = (
            each.name,
            each.label or "",
            each.type or "",
            each.level or "",
            each.unit or "",
            "ISO 8601, kept in UTC" if each.format == ANY_ZONED else each.format or "",
            "; ".join(each.true),
            "; ".join(each.false),
            codes_text(each),
            meanings_text(each),
        )
        for place, text in enumerate(texts):
            sheet.write_string(row, place, text, wrap)
        for place, count in enumerate((entry.valid, dataset.rows - entry.valid), len(texts)):
            sheet.write_number(row, place, count)
    sheet.freeze_panes(1, 0)
