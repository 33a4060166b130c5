"""How values show themselves in a notebook."""

from __future__ import annotations

from collections.abc import Iterable

from ..checks.findings import Findings
from ..columns.cell_texts import more_decimals, shown_cells
from ..dataset.model import PlainDataset
from ..dataset.receipt import Receipt
from ..describe.codebook import Codebook
from ..describe.counts import Counts, CountTables
from ..describe.pairs import Pairs
from ..describe.patterns import Patterns
from ..describe.summary import Summary
from ..errors import several
from ..evidence import Evidence
from ..plan.model import Decisions
from ..plan.toml_write import tables_of
from ..reading.looking import Look
from .claims import claim_of
from .codebook_forms import OVERVIEW, declaration_cells, doubts_words, rounding_words, values_words
from .counts import table_of, titled
from .evidence import ABOUT, decision_of
from .findings import finding_words, findings_text
from .html_table import folded, framed, paragraph, table
from .look_tables import listing, table_title
from .mends import mend_text
from .notes import imbalance_words, problem_reason
from .pairs import figure
from .patterns import HEADINGS, pattern_rows
from .receipt import counted_in
from .summary import tables_of_summary
from .text import size_words

MOST_COUNTS = 200
"""Values of a frequency table that a notebook shows."""
MOST_COLUMNS = 40
"""Variables whose cells a notebook shows side by side."""
MANY = 24
"""Variables from which on their list is folded away."""


def dataset_html(dataset: PlainDataset, rows: int = 10) -> str:
    """The first rows, with the type of each variable; missing cells show their reason."""
    names = dataset.names[:MOST_COLUMNS]
    columns = [shown_cells(dataset[name], rows) for name in names]
    kinds = [each.type or "" for each in dataset.variables[:MOST_COLUMNS]]
    right = "".join("r" if kind in ("integer", "number") else "l" for kind in kinds)
    shown = [kinds, *zip(*columns, strict=True)]
    left = len(dataset.names) - len(names)
    counts = f"{several(dataset.rows, 'row')}, {several(len(dataset.names), 'variable')}"
    counts += f"; {several(left, 'more variable')} not shown" if left else ""
    rounded = {
        name: rounding_words(dataset[name].variable, more_decimals(dataset[name])) for name in names
    }
    remarks = [f"{name}: {words}" for name, words in rounded.items() if words]
    return framed(table(names, shown, right) + "".join(map(paragraph, [counts, *remarks])))


def look_html(look: Look) -> str:
    """The raw rows, the first cases, the evidence."""
    raw = [(str(row.row), row.part, row.text[:200]) for row in (*look.rows, *look.tail)]
    tables = listing(look) if look.tables else None
    names = [each.name for each in look.variables]
    kinds = [each.type for each in look.variables]
    right = "".join("r" if kind in ("integer", "number") else "l" for kind in kinds)
    return framed(
        paragraph(table_title(look) if tables else f"{look.source}, {size_words(look.bytes)}")
        + (table(*tables) if tables else "")
        + (table(("row", "part", "text"), raw, "r", raw=True) if raw else "")
        + (table(names, [kinds, *look.cases], right) if names else "")
        + evidence_html(look.evidence)
    )


def evidence_html(evidence: Iterable[Evidence]) -> str:
    """What was decided: open points in full, what is certain folded away."""
    held = list(evidence)
    rows = {
        certain: [
            (
                each.variable or ABOUT[each.about],
                decision_of(each),
                claim_of(each),
                mend_text(each.mend),
            )
            for each in held
            if each.certain is certain
        ]
        for certain in (False, True)
    }
    headings = ("about", "decided", "because", "fix")
    parts = []
    if rows[False]:
        points = several(len(rows[False]), "open point")
        parts.append(folded(points, table(headings, rows[False]), is_open=True))
    if rows[True]:
        parts.append(folded(f"{len(rows[True])} certain", table(headings[:3], rows[True])))
    return "".join(parts)


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
    return framed(
        table(("section", "key", "value"), rows)
        + (table(columns, declared, sort=True) if declared else paragraph("no variable declared"))
    )


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
    variables = table(("variable", "type", "valid", "missing"), cells, "llr", sort=True)
    return framed(
        paragraph(f"{receipt.source}, {size_words(receipt.bytes)}, {balance}")
        + table((counted_in(receipt), "count"), [*parts, ("in all", f"{receipt.lines:,}")], "lr")
        + (folded(several(len(cells), "variable"), variables) if len(cells) > MANY else variables)
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
    return framed(
        table(headings, rows, "rlllllrrlrll", sort=True) + "".join(map(paragraph, remarks))
    )


def findings_html(findings: Findings) -> str:
    """A row for each finding."""
    if not len(findings):
        return framed(paragraph(findings_text(findings)))
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
    return framed(
        table(("severity", "variable", "finding", "count", "fix"), rows, "lllr", sort=True)
    )


def _reasons(missing: dict[str, int]) -> str:
    return ", ".join(f"{why} {count:,}" for why, count in missing.items())


def tables_html(tables: CountTables) -> str:
    """The frequency tables of several variables."""
    return "".join(map(counts_html, tables)) or framed(paragraph("no variable"))


def counts_html(made: Counts) -> str:
    """A frequency table."""
    parts = table_of(made, MOST_COUNTS)
    rows = [*parts.answered, *parts.missing, parts.total]
    return framed(paragraph(titled(made.variable, ": ")) + table(parts.headings, rows, parts.right))


def summary_html(made: Summary) -> str:
    """Numbers, dates and texts, each in a table of their own."""
    return framed(
        "".join(table(*part, sort=True) for part in tables_of_summary(made))
        or paragraph("no variable")
    )


def patterns_html(made: Patterns) -> str:
    """A row for each pattern, and what of all rows is complete."""
    rows = pattern_rows(made, MOST_COUNTS)
    sums = f"{made.complete:,} of {several(made.rows, 'row')} are complete"
    return framed((table(HEADINGS, rows, "rrrl", sort=True) if rows else "") + paragraph(sums))


def pairs_html(made: Pairs) -> str:
    """The figures of all pairs, the number of cases as a hint; below them where it is one."""
    headings = [made.kind, *made.names]
    rows = [
        [name, *(figure(made, row, column) for column in range(row + 1))]
        + [""] * (len(made.names) - row - 1)
        for row, name in enumerate(made.names)
    ]
    counts = sorted({int(each) for each in made.n.flat})
    cases = f"{counts[0]:,}" if len(counts) == 1 else f"{counts[0]:,} to {counts[-1]:,}"
    return framed(
        table(headings, rows, "l" + "r" * len(made.names)) + paragraph(f"{cases} cases a pair")
        if counts
        else paragraph("no pair of variables")
    )
