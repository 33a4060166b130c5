"""DDI-Codebook 2.5: a dataset's codebook as XML.

Elements and their order are those of the DDI Alliance's schema `codebook.xsd`, version 2.5
(namespace `ddi:codebook:2_5`): `stdyDscr`, `fileDscr`, and a `var` for each variable.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING
from xml.etree.ElementTree import Element, SubElement, indent, tostring

import numpy as np

from ..columns.column import Column
from ..columns.meanings import meaning_counts
from ..declaration.codes import FIRST_CODE, Meaning, MissingCode
from ..declaration.notation import codes_text, meanings_text
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC, Variable
from ..plan.fields import Field
from ..show.text import name_list

if TYPE_CHECKING:
    from ..dataset.model import PlainDataset

NAMESPACE = "ddi:codebook:2_5"


def ddi_text(
    dataset: PlainDataset, file: str, fields: Sequence[Field] = ()
) -> tuple[str, list[str]]:
    """A codebook of the data file of this name, and what it cannot carry.

    `fields` say where the variables stand, if the file is of fixed width.
    """
    return codebook_of([(file, dataset)], file, fields), _notes(dataset, bool(fields))


def codebook_of(
    files: Sequence[tuple[str, PlainDataset]], title: str, fields: Sequence[Field] = ()
) -> str:
    """A codebook of one or several data files, by their names; identifiers are made unique."""
    root = Element("codeBook", {"xmlns": NAMESPACE, "version": "2.5"})
    citation = SubElement(SubElement(root, "stdyDscr"), "citation")
    SubElement(SubElement(citation, "titlStmt"), "titl").text = title
    for number, (file, dataset) in enumerate(files, 1):
        _file(root, f"F{number}", file, dataset, fields)
    data = SubElement(root, "dataDscr")
    placed = {field.name: field for field in fields}
    for number, (_, dataset) in enumerate(files, 1):
        before = f"F{number}" if len(files) > 1 else ""
        for place, name in enumerate(dataset.names, 1):
            ids = {"ID": f"{before}V{place}", "files": f"F{number}"}
            _variable(data, ids, dataset[name], placed.get(name))
    indent(root)
    head = '<?xml version="1.0" encoding="UTF-8"?>\n'
    return head + tostring(root, "unicode") + "\n"


def _file(
    root: Element, own_id: str, file: str, dataset: PlainDataset, fields: Sequence[Field]
) -> None:
    text = SubElement(SubElement(root, "fileDscr", {"ID": own_id}), "fileTxt")
    SubElement(text, "fileName").text = file
    size = SubElement(text, "dimensns")
    SubElement(size, "caseQnty").text = str(dataset.rows)
    SubElement(size, "varQnty").text = str(len(dataset.variables))
    if fields:
        SubElement(size, "recPrCas").text = str(max(field.line for field in fields))


def _notes(dataset: PlainDataset, fixed: bool) -> list[str]:
    lacking = {
        "headings in the file": [each for each in dataset.variables if each.from_],
        "required values": [each for each in dataset.variables if each.required],
        "promises about values": [each for each in dataset.variables if each.promised],
        "the names of sets of meanings": [each for each in dataset.variables if each.meaning_set],
        "the words for true and false": [each for each in dataset.variables if each.true],
    }
    if fixed:
        lacking["decimals that are only shown"] = [
            each for each in dataset.variables if each.decimals is not None
        ]
    return [
        f"DDI-Codebook cannot store {what} ({name_list([each.name for each in variables])})"
        for what, variables in lacking.items()
        if variables
    ]


def _variable(parent: Element, ids: dict[str, str], column: Column, field: Field | None) -> None:
    variable = column.variable
    var = SubElement(parent, "var", _attributes(variable, ids, field))
    if field is not None:
        place = {"StartPos": field.start, "EndPos": field.end, "width": field.width}
        place["RecSegNo"] = field.line
        SubElement(var, "location", {key: str(value) for key, value in place.items()})
    if variable.label:
        SubElement(var, "labl").text = variable.label
    ranges = [each for each in variable.meanings if each.value is None]
    if ranges:
        _ranges(SubElement(var, "valrng"), ranges, meanings_text(variable))
    _invalid(var, variable)
    _sums(var, column)
    _categories(var, column)
    kind = variable.type or "text"
    form = {"type": "numeric" if kind in NUMERIC else "character"}
    if kind in ("date", "time", "datetime"):
        form["category"] = "time" if kind == "time" else "date"
    if variable.format or (field and field.sign):
        form["formatname"] = variable.format or (field.sign if field and field.sign else "")
        form["schema"] = "other"
    SubElement(var, "varFormat", form).text = kind


def _attributes(variable: Variable, ids: dict[str, str], field: Field | None) -> dict[str, str]:
    made = {"ID": ids["ID"], "name": variable.name, "files": ids["files"]}
    if variable.type in NUMERIC:
        made["intrvl"] = "contin" if variable.type == "number" else "discrete"
    implied = field.decimals if field is not None else variable.decimals
    if implied is not None and (field is None or implied):
        made["dcml"] = str(implied)
    if variable.unit:
        made["measUnit"] = variable.unit
    if variable.level:
        made["nature"] = variable.level
    return made


def _ranges(parent: Element, spans: Sequence[MissingCode | Meaning], key: str) -> None:
    for span in spans:
        ends = {"min": span.from_, "max": span.to}
        given = {name: value_text(value) for name, value in ends.items() if value is not None}
        SubElement(parent, "range", given)
    SubElement(parent, "key").text = key


def _invalid(var: Element, variable: Variable) -> None:
    """Missing codes (4.3.8): single ones as items, then ranges; the key says the reasons."""
    if not variable.missing:
        return
    invalid = SubElement(var, "invalrng")
    for code in variable.missing:
        if code.value is not None:
            SubElement(invalid, "item", {"VALUE": str(code.value)})
    _ranges(
        invalid, [code for code in variable.missing if code.value is None], codes_text(variable)
    )


def _sums(var: Element, column: Column) -> None:
    valid = len(column) - column.values.null_count
    for kind, value in (("vald", valid), ("invd", len(column) - valid)):
        SubElement(var, "sumStat", {"type": kind}).text = str(value)


def _categories(var: Element, column: Column) -> None:
    """Value labels of single values, then the missing codes with their reasons."""
    for label, count in meaning_counts(column.variable, column.values, column.reasons):
        if label.value is not None:
            _category(var, str(label.value), label.label, count, {})
    counts = np.bincount(column.reasons, minlength=256)
    for place, code in enumerate(column.variable.missing):
        if code.value is not None:
            count = int(counts[FIRST_CODE + place])
            _category(var, str(code.value), code.reason, count, {"missing": "Y"})


def _category(var: Element, value: str, label: str, count: int, marks: dict[str, str]) -> None:
    category = SubElement(var, "catgry", marks)
    SubElement(category, "catValu").text = value
    if label:
        SubElement(category, "labl").text = label
    SubElement(category, "catStat", {"type": "freq"}).text = str(count)
