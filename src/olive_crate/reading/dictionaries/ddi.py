"""DDI-Codebook 2.5 as a dictionary: where variables stand, and what is said of them.

The elements are those of the DDI Alliance's schema `codebook.xsd`, version 2.5: `var` with
`location`, `labl`, `invalrng`, `catgry` and `varFormat` (section 4.3, "Variable Description"), and
`fileTxt/dimensns` (section 3.1).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from xml.etree.ElementTree import Element

from ...declaration.notation import codes_of, number_or_text
from ...declaration.variable import LEVELS, TYPES, Variable, declared
from ...errors import PlanError, SourceError
from ...plan.fields import SIGNS, Field, field_of
from ...sources.markup import tree_of
from ...sources.source import Source
from .model import Dictionary, Entry

LARGEST = 256 << 20


def read_ddi(source: Source) -> Dictionary:
    """The variables of a codebook. Raises `SourceError` for what is no DDI codebook."""
    data = source.head(LARGEST + 1)
    if len(data) > LARGEST:
        raise SourceError(f"{source.name}: larger than the limit of {LARGEST >> 20} MB")
    root = tree_of(data, source.name)
    if root.tag != "codeBook":
        raise SourceError(
            f'{source.name}: not DDI-Codebook: the root element is "{root.tag}", not "codeBook"'
        )
    entries = tuple(_entry(each, f"{source.name}: var") for each in root.iterfind("dataDscr/var"))
    if not entries:
        raise SourceError(f"{source.name}: the codebook describes no variable (dataDscr/var)")
    size = root.find("fileDscr/fileTxt/dimensns")
    return Dictionary(entries, _number(size, "recPrCas"), _number(size, "logRecL"))


def _number(parent: Element | None, tag: str) -> int | None:
    text = parent.findtext(tag, "").strip() if parent is not None else ""
    return int(text) if text.isdigit() and int(text) > 0 else None


def _entry(var: Element, at: str) -> Entry:
    name = var.get("name") or var.get("ID")
    if not name:
        raise PlanError(f"{at}: a variable has neither name nor ID")
    at = f'{at} "{name}"'
    field = _field(var, name, at)
    implied = field.decimals if field else 0
    categories = list(_categories(var))
    kind = _type(var, categories, implied)
    parts: dict[str, Any] = {
        "label": _label(var),
        "unit": var.get("measUnit"),
        "type": kind,
        "level": var.get("nature") if var.get("nature") in LEVELS else None,
        "missing": _missing(var, categories, kind, implied) or None,
        "meanings": [
            {"value": number_or_text(code, kind), "label": label or code}
            for code, label, missing in categories
            if not missing and not implied
        ]
        + _labelled_ranges(var, kind),
    }
    form = var.find("varFormat")
    if form is not None and "%" in form.get("formatname", ""):
        parts["format"] = form.get("formatname")
    if var.get("dcml", "").isdigit():
        parts["decimals"] = int(var.get("dcml", "0"))
    return Entry(field, declared(Variable(name), parts, at))


def _label(element: Element) -> str | None:
    labels = element.findall("labl")
    own = [each for each in labels if each.get("level", "variable") in ("variable", "category")]
    text = " ".join("".join((own or labels)[0].itertext()).split()) if labels else ""
    return text or None


def _field(var: Element, name: str, at: str) -> Field | None:
    """Where the variable stands; `None` where the codebook gives no positions."""
    location = var.find("location")
    if location is None or not (location.get("StartPos") or location.get("width")):
        return None
    table: dict[str, Any] = {"name": name}
    for key, attribute in (
        ("start", "StartPos"),
        ("end", "EndPos"),
        ("width", "width"),
        ("line", "RecSegNo"),
    ):
        text = (location.get(attribute) or "").strip()
        if text and not text.isdigit():
            raise PlanError(f"{at}: {attribute}: expected a whole number, got {text!r}")
        if text:
            table[key] = int(text)
    if "start" not in table:
        raise PlanError(f"{at}: location has a width but no StartPos")
    if var.get("dcml", "").isdigit():
        table["decimals"] = int(var.get("dcml", "0"))
    form = var.find("varFormat")
    if form is not None and form.get("formatname") in SIGNS:
        table["sign"] = form.get("formatname")
    return field_of(table, 1, at)


def _categories(var: Element) -> Iterator[tuple[str, str, bool]]:
    """The value, label and missing mark of each category."""
    for category in var.iterfind("catgry"):
        code = category.findtext("catValu", "").strip()
        if code:
            yield code, _label(category) or "", category.get("missing", "").upper() == "Y"


def _type(var: Element, categories: list[tuple[str, str, bool]], implied: int) -> str | None:
    form = var.find("varFormat")
    if form is None:
        return None
    stated = (form.text or "").strip()
    if stated in TYPES:
        return stated
    if form.get("category") in ("date", "time"):
        return form.get("category")
    if form.get("type") == "character":
        return "text"
    valid = [code for code, _, missing in categories if not missing]
    whole = bool(valid) and all(code.lstrip("+-").isdigit() for code in valid)
    if var.get("dcml") == "0" or (whole and not implied and not var.get("dcml")):
        return "integer"
    return "number"


def _missing(
    var: Element, categories: list[tuple[str, str, bool]], kind: str | None, implied: int
) -> list[dict[str, Any]]:
    """Codes of invalid ranges and of categories marked missing, with the categories' labels."""
    labels = {code: label for code, label, _ in categories}
    stated = codes_of(var.findtext("invalrng/key", ""), kind, implied)
    found: dict[str, dict[str, Any]] = {}
    for code, label, missing in categories:
        if missing:
            found[code] = {"value": _code(code, kind, implied), "reason": label}
    for item in var.iterfind("invalrng/item"):
        code = (item.get("VALUE") or "").strip()
        if code and code not in found:
            value = _code(code, kind, implied)
            found[code] = {"value": value, "reason": labels.get(code, "")}
    for number, span in enumerate(var.iterfind("invalrng/range")):
        low, high = (_end(span.get(key), implied) for key in ("min", "max"))
        if low is not None or high is not None:
            given = {"from": low, "to": high}
            ends = {key: value for key, value in given.items() if value is not None}
            why = next((word for each, word in stated if each == ends), "")
            found[f"range {number}"] = ends | {"reason": why}
    order = [str(each.get("value")) if "value" in each else each for each, _ in stated]
    return sorted(found.values(), key=lambda code: _place(code, order))


def _place(code: dict[str, Any], order: list[Any]) -> int:
    """Where the key lists a code; those that it does not list come last, in their own order."""
    own = {key: value for key, value in code.items() if key != "reason"}
    listed = str(own["value"]) if "value" in own else own
    return order.index(listed) if listed in order else len(order)


def _labelled_ranges(var: Element, kind: str | None) -> list[dict[str, Any]]:
    """Value labels of ranges: they stand in the key of the valid range."""
    key = var.findtext("valrng/key", "")
    spans = [(span, word) for span, word in codes_of(key, kind) if word and "value" not in span]
    return [span | {"label": word} for span, word in spans]


def _code(code: str, kind: str | None, implied: int) -> int | float | str:
    """With implied decimals a code stays text: as it stands in the file."""
    return code if implied else number_or_text(code, kind)


def _end(text: str | None, implied: int) -> int | float | None:
    value = number_or_text(text.strip(), "number") if text else None
    if isinstance(value, str) or value is None:
        return None
    return value / 10**implied if implied else value
