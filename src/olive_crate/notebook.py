"""How values show themselves in a notebook: as plain HTML tables."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape
from typing import TYPE_CHECKING

from .words import several, size_words, visible

if TYPE_CHECKING:
    from .checks.codebook import Codebook
    from .checks.findings import Findings
    from .dataset import Dataset
    from .evidence import Evidence
    from .looking import Look
    from .plan import Plan
    from .receipt import Receipt


def table(headings: Sequence[str], rows: Iterable[Sequence[str]], right: str = "") -> str:
    """An HTML table; `right` has an `r` for each column to be aligned to the right."""

    def cells(row: Sequence[str], tag: str) -> str:
        return "".join(
            f'<{tag} style="text-align:{"right" if right[i : i + 1] == "r" else "left"}">'
            f"{escape(visible(str(cell)))}</{tag}>"
            for i, cell in enumerate(row)
        )

    body = "".join(f"<tr>{cells(row, 'td')}</tr>" for row in rows)
    return f"<table><thead><tr>{cells(headings, 'th')}</tr></thead><tbody>{body}</tbody></table>"


def paragraph(text: str) -> str:
    """A line of text."""
    return f"<p>{escape(text)}</p>"


def dataset_html(dataset: Dataset, rows: int = 10) -> str:
    """The first rows, with the type of each variable; missing cells show their reason."""
    from .celltexts import hidden, shown_cells

    columns = [shown_cells(dataset[name], rows) for name in dataset.names]
    kinds = [each.type or "" for each in dataset.variables]
    right = "".join("r" if kind in ("integer", "number") else "l" for kind in kinds)
    shown = [kinds, *zip(*columns, strict=True)]
    counts = f"{several(dataset.rows, 'row')}, {several(len(kinds), 'variable')}"
    told = [words for name in dataset.names if (words := hidden(dataset[name]))]
    return table(dataset.names, shown, right) + "".join(map(paragraph, [counts, *told]))


def look_html(look: Look) -> str:
    """The raw rows, the first cases, the evidence."""
    raw = [(str(row.row), row.part, row.text[:200]) for row in (*look.rows, *look.tail)]
    names = [each.name for each in look.variables]
    kinds = [each.type for each in look.variables]
    return (
        paragraph(f"{look.source}, {size_words(look.bytes)}")
        + table(("row", "part", "text"), raw, "r")
        + table(names, [kinds, *look.cases])
        + evidence_html(look.evidence)
    )


def evidence_html(evidence: Iterable[Evidence]) -> str:
    """What was decided, uncertain things first."""
    ranked = sorted(evidence, key=lambda each: each.certain)
    rows = [
        ("" if each.certain else "?", each.subject, each.value, each.claim, each.mend)
        for each in ranked
    ]
    return table(("", "about", "decided", "because", "to mend"), rows)


def plan_html(plan: Plan) -> str:
    """The decisions, section by section, and the variables."""
    from .plantext import plan_mapping

    mapping = plan_mapping(plan)
    variables = mapping.pop("variable", [])
    rows = []
    for key, value in mapping.items():
        parts = value if isinstance(value, dict) else {"": value}
        rows += [(key, part, str(each)) for part, each in parts.items()]
    columns = list(dict.fromkeys(part for each in variables for part in each))
    declared = [[str(each.get(part, "")) for part in columns] for each in variables]
    return table(("section", "key", "value"), rows) + table(columns, declared)


def receipt_html(receipt: Receipt) -> str:
    """Lines, cells and problems."""
    parts = [(part, f"{count:,}") for part, count in receipt.parts.items() if count]
    cells = [
        (each.name, each.type, f"{each.valid:,}", _reasons(each.missing)) for each in receipt.cells
    ]
    problems = [(str(p.row), p.variable, p.text, p.why) for p in receipt.problems[:10]]
    balance = "balanced" if receipt.balanced else "; ".join(receipt.imbalances())
    return (
        paragraph(f"{receipt.source}, {size_words(receipt.bytes)}, {balance}")
        + table(("lines", "count"), [*parts, ("in all", f"{receipt.lines:,}")], "lr")
        + table(("variable", "type", "valid", "missing"), cells, "llr")
        + (table(("row", "variable", "text", "problem"), problems, "r") if problems else "")
        + evidence_html(each for each in receipt.decided if not each.certain)
    )


def codebook_html(book: Codebook) -> str:
    """A row for each variable; below it, what is doubtful or not shown."""
    from .checks.bookforms import values_words

    rows = [
        (
            str(each.position),
            each.variable.name,
            each.variable.label or "",
            each.variable.type or "",
            each.variable.level or "",
            each.variable.unit or "",
            "" if each.variable.decimals is None else str(each.variable.decimals),
            f"{each.valid:,}",
            _reasons(each.missing),
            f"{each.distinct:,}",
            values_words(each),
            ", ".join(f"{label} ×{count:,}" for label, count in each.labelled),
        )
        for each in book
    ]
    headings = ["", "variable", "label", "type", "level", "unit", "decimals", "valid", "missing"]
    headings += ["distinct", "values", "value labels"]
    told = [
        f"{each.variable.name}: {words}"
        for each in book
        for words in (each.hidden, *each.doubts)
        if words
    ]
    return table(headings, rows, "rlllllrrlrll") + "".join(map(paragraph, told))


def findings_html(findings: Findings) -> str:
    """A row for each finding."""
    rows = [
        (each.severity, ", ".join(each.variables), each.words(), f"{each.count:,}", each.mend)
        for each in findings
    ]
    return table(("severity", "variable", "finding", "count", "to mend"), rows, "lllr")


def _reasons(missing: dict[str, int]) -> str:
    return ", ".join(f"{why} {count:,}" for why, count in missing.items())
