"""How values show themselves in a notebook: as plain HTML tables."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape

from ..checks.findings import Findings
from ..columns.cell_texts import more_decimals, shown_cells
from ..dataset.model import PlainDataset
from ..dataset.receipt import Receipt
from ..describe.codebook import Codebook
from ..describe.counts import Counts, CountTables
from ..describe.summary import Summary
from ..errors import several
from ..evidence import Evidence
from ..plan.model import Decisions
from ..plan.toml_write import tables_of
from ..reading.looking import Look
from .claims import claim_of
from .codebook_forms import OVERVIEW, declaration_cells, doubts_words, rounding_words, values_words
from .counts import table_of
from .evidence import ABOUT, decision_of
from .findings import finding_words
from .look_tables import listing, table_title
from .mends import mend_text
from .notes import imbalance_words, problem_reason
from .summary import tables_of_summary
from .text import cleaned, size_words, visible

MOST_COUNTS = 200
"""Values of a frequency table that a notebook shows."""


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
    return f"<p>{escape(cleaned(text))}</p>"


def dataset_html(dataset: PlainDataset, rows: int = 10) -> str:
    """The first rows, with the type of each variable; missing cells show their reason."""
    columns = [shown_cells(dataset[name], rows) for name in dataset.names]
    kinds = [each.type or "" for each in dataset.variables]
    right = "".join("r" if kind in ("integer", "number") else "l" for kind in kinds)
    shown = [kinds, *zip(*columns, strict=True)]
    counts = f"{several(dataset.rows, 'row')}, {several(len(kinds), 'variable')}"
    rounded = {
        name: rounding_words(dataset[name].variable, more_decimals(dataset[name]))
        for name in dataset.names
    }
    remarks = [f"{name}: {words}" for name, words in rounded.items() if words]
    return table(dataset.names, shown, right) + "".join(map(paragraph, [counts, *remarks]))


def look_html(look: Look) -> str:
    """The raw rows, the first cases, the evidence."""
    raw = [(str(row.row), row.part, row.text[:200]) for row in (*look.rows, *look.tail)]
    tables = listing(look) if look.tables else None
    names = [each.name for each in look.variables]
    kinds = [each.type for each in look.variables]
    return (
        paragraph(table_title(look) if tables else f"{look.source}, {size_words(look.bytes)}")
        + (table(*tables) if tables else "")
        + (table(("row", "part", "text"), raw, "r") if raw else "")
        + table(names, [kinds, *look.cases])
        + evidence_html(look.evidence)
    )


def evidence_html(evidence: Iterable[Evidence]) -> str:
    """What was decided, uncertain things first."""
    ranked = sorted(evidence, key=lambda each: each.certain)
    rows = [
        (
            "" if each.certain else "?",
            each.variable or ABOUT[each.about],
            decision_of(each),
            claim_of(each),
            mend_text(each.mend),
        )
        for each in ranked
    ]
    return table(("", "about", "decided", "because", "fix"), rows)


def plan_html(plan: Decisions) -> str:
    """The decisions, section by section, and the variables."""

    mapping = tables_of(plan)
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
    problems = [
        (str(each.row), each.variable, each.text, problem_reason(each))
        for each in receipt.problems[:10]
    ]
    balance = (
        "balanced" if receipt.balanced else "; ".join(map(imbalance_words, receipt.imbalances()))
    )
    return (
        paragraph(f"{receipt.source}, {size_words(receipt.bytes)}, {balance}")
        + table(("lines", "count"), [*parts, ("in all", f"{receipt.lines:,}")], "lr")
        + table(("variable", "type", "valid", "missing"), cells, "llr")
        + (table(("row", "variable", "text", "problem"), problems, "r") if problems else "")
        + evidence_html(each for each in receipt.decided if not (each.certain or each.answered))
    )


def codebook_html(book: Codebook) -> str:
    """A row for each variable; below it, what is doubtful or not shown."""
    rows = [
        (
            *declaration_cells(each),
            f"{each.valid:,}",
            _reasons(each.missing),
            f"{each.distinct:,}",
            values_words(each),
            ", ".join(f"{label} ×{count:,}" for label, count in each.labelled),
        )
        for each in book
    ]
    headings = [*OVERVIEW, "valid", "missing", "distinct", "values", "meanings"]
    remarks = [
        f"{each.variable.name}: {words}"
        for each in book
        for words in (rounding_words(each.variable, each.more_decimals), *doubts_words(each))
        if words
    ]
    return table(headings, rows, "rlllllrrlrll") + "".join(map(paragraph, remarks))


def findings_html(findings: Findings) -> str:
    """A row for each finding."""
    rows = [
        (
            each.severity,
            ", ".join(each.variables),
            finding_words(each),
            f"{each.count:,}",
            mend_text(each.mend),
        )
        for each in findings
    ]
    return table(("severity", "variable", "finding", "count", "fix"), rows, "lllr")


def _reasons(missing: dict[str, int]) -> str:
    return ", ".join(f"{why} {count:,}" for why, count in missing.items())


def tables_html(tables: CountTables) -> str:
    """The frequency tables of several variables."""
    return "".join(map(counts_html, tables))


def counts_html(made: Counts) -> str:
    """A frequency table."""
    parts = table_of(made, MOST_COUNTS)
    rows = [*parts.answered, *parts.missing, parts.total]
    return table(parts.headings, rows, parts.right)


def summary_html(made: Summary) -> str:
    """Numbers, dates and texts, each in a table of their own."""
    return "".join(table(*part) for part in tables_of_summary(made))
