"""What a report says of a dataset, as plain values for its page."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from ...checks.checking import check
from ...checks.findings import Finding, Findings
from ...dataset.model import PlainDataset
from ...declaration.codes import RESERVED
from ...declaration.variable import NUMERIC
from ...describe.codebook import Codebook, Entry, codebook
from ...describe.pairs import correlations
from ...describe.patterns import missing_patterns
from ...errors import several
from ...plan.toml_write import plan_text
from ...workers import Progress, for_columns
from ..claims import claim_of
from ..codebook_forms import rounding_words, values_words
from ..evidence import ABOUT, decision_of
from ..findings import finding_line
from ..mends import mend_text
from ..notes import imbalance_words
from ..receipt import receipt_text, setting_words
from ..text import cleaned, cut, place_list, size_words, visible
from .distributions import shape_of
from .drawing import bars, matrix, pattern_grid

IN_A_MATRIX = 24
"""Variables of numbers up to which correlations are a picture; of more, the strongest are told."""
STRONGEST = 30
MOST_CORRELATED = 300
PATTERNS, IN_A_PATTERN = 16, 40
"""Patterns, and variables with missing cells, that are drawn."""
RECEIPT = 110
"""The width of the receipt."""


def part_of(
    dataset: PlainDataset,
    name: str,
    number: int,
    no_cells: bool,
    progress: Progress | None = None,
) -> dict[str, Any]:
    """All sections about one dataset."""
    book = codebook(dataset, progress=progress)
    found = check(dataset, progress=progress)
    receipt = dataset.receipt
    whole = dataset.rows == receipt.rows
    balance = "; ".join(map(imbalance_words, receipt.imbalances())) or "every line and cell"
    part = {
        "id": f"d{number}",
        "name": visible(name),
        "facts": [
            ("source", visible(receipt.source)),
            *([("size", size_words(receipt.bytes))] if receipt.bytes else []),
            ("cases", f"{dataset.rows:,}{'' if whole else f' of {receipt.rows:,} that were read'}"),
            ("variables", f"{len(dataset.names):,}"),
            ("accounted for", balance),
            *([("settings", _settings(receipt.settings))] if receipt.settings else []),
            *_problems(dataset),
        ],
        "receipt": "" if no_cells else cleaned(receipt_text(receipt, RECEIPT, everything=True)),
        "open": _open_points(dataset, no_cells),
        "findings": [_finding(each, no_cells) for each in found],
        "ignored": _ignored(found),
        "variables": _variables(dataset, book, no_cells),
        "patterns": _patterns(dataset, book),
        "correlations": _correlations(dataset),
        "plan": "" if no_cells else cleaned(plan_text(dataset.plan, claim_of)),
    }
    return part | {"contents": list(_contents(part))}


def _contents(part: dict[str, Any]) -> Iterable[tuple[str, str]]:
    yield "read", "What was read"
    if part["open"]:
        yield "open", f"Open points ({len(part['open'])})"
    yield "findings", f"Findings ({len(part['findings'])})"
    yield "variables", f"Variables ({len(part['variables'])})"
    if part["patterns"]:
        yield "missing", "Missing together"
    if part["correlations"]:
        yield "correlations", "Correlations"
    if part["plan"]:
        yield "plan", "Declarations"


def _settings(settings: dict[str, str]) -> str:
    return ", ".join(setting_words(key, value) for key, value in settings.items())


def _problems(dataset: PlainDataset) -> list[tuple[str, str]]:
    """Cells that could not be read, and promises that do not hold."""
    receipt = dataset.receipt
    unread = sum(each.missing.get("unreadable", 0) for each in receipt.cells)
    broken = [each for each in receipt.promises if not each.kept]
    facts = [("unreadable cells", f"{unread:,}")] if unread else []
    if receipt.promises:
        kept = len(receipt.promises) - len(broken)
        facts.append(("promises kept", f"{kept} of {len(receipt.promises)}"))
    return facts


def _open_points(dataset: PlainDataset, no_cells: bool) -> list[dict[str, str]]:
    return [
        {
            "about": visible(each.variable or ABOUT[each.about]),
            "words": visible(
                each.about.rpartition(".")[2]
                if no_cells
                else f"{decision_of(each)}: {claim_of(each)}"
            ),
            "fix": "" if no_cells else mend_text(each.mend),
        }
        for each in dataset.receipt.decided
        if not each.certain and not each.answered
    ]


def _finding(finding: Finding, no_cells: bool) -> dict[str, str]:
    words = finding_line(finding)
    if no_cells:
        names = f"{', '.join(finding.variables)}: " if finding.variables else ""
        rows = place_list(finding.rows, finding.files, finding.count) if finding.rows else ""
        words = f"{names}{finding.kind}: {finding.count:,}{f' ({rows})' if rows else ''}"
    return {
        "severity": finding.severity,
        "words": visible(words),
        "fix": "" if no_cells else mend_text(finding.mend),
    }


def _ignored(found: Findings) -> str:
    return (
        f"{several(found.ignored, 'more finding')} left out, as the plan says."
        if (found.ignored)
        else ""
    )


def _variables(dataset: PlainDataset, book: Codebook, no_cells: bool) -> list[dict[str, Any]]:
    """All variables, some side by side."""
    with for_columns(dataset.rows) as workers:
        return list(workers.each(lambda each: _variable(dataset, each, no_cells), list(book)))


def _variable(dataset: PlainDataset, entry: Entry, no_cells: bool) -> dict[str, Any]:
    variable = entry.variable
    missing = sum(entry.missing.values())
    shape = shape_of(dataset, entry, no_cells)
    told = f"{variable.name}: {shape.words}, {entry.valid:,} values, {missing:,} missing"
    reasons = _declared_reasons(entry) if no_cells else entry.missing
    why = ", ".join(f"{reason} {count:,}" for reason, count in reasons.items())
    kind = [
        variable.type or "",
        variable.level or "",
        f"in {variable.unit}" if variable.unit else "",
    ]
    values = "" if no_cells else values_words(entry)
    facts = [
        f"{entry.valid:,} values, {entry.distinct:,} different" if entry.valid else "no values",
        f"missing: {why}" if why else "",
        f"values: {values}" if values else "",
        rounding_words(variable, entry.more_decimals),
    ]
    text = f"{variable.name} {variable.label or ''} {variable.heading}"
    return {
        "number": entry.position,
        "name": visible(variable.name),
        "label": visible(variable.label or ""),
        "kind": ", ".join(each for each in kind if each),
        "facts": [visible(each) for each in facts if each],
        "find": visible(text).lower(),
        "picture": bars(shape.bars, shape.ends, missing, dataset.rows, visible(told)),
        "heads": shape.heads,
        "rows": shape.rows,
        "more": shape.more,
    }


def _declared_reasons(entry: Entry) -> dict[str, int]:
    """Missing cells by reason; codes without one are not told by what stood in the cell."""
    named = {*RESERVED.values(), *(code.reason for code in entry.variable.missing if code.reason)}
    found: dict[str, int] = {}
    for reason, count in entry.missing.items():
        words = reason if reason in named else "a code"
        found[words] = found.get(words, 0) + count
    return found


def _patterns(dataset: PlainDataset, book: Iterable[Entry]) -> dict[str, str] | None:
    """The commonest patterns over the variables that lack most."""
    lacking = {each.variable.name: sum(each.missing.values()) for each in book}
    some = [name for name, count in lacking.items() if count]
    if len(some) < 2:
        return None
    kept = set(sorted(some, key=lambda name: -lacking[name])[:IN_A_PATTERN])
    names = [name for name in some if name in kept]
    found = missing_patterns(dataset, names)
    shown = [(each.count, each.missing) for each in found.patterns[:PATTERNS]]
    words = f"{several(len(found.patterns), 'pattern')} of missing cells"
    if len(some) > len(names):
        words += f" over the {len(names)} of {len(some)} variables that lack most"
    if len(found.patterns) > len(shown):
        words += f"; the {len(shown)} commonest are drawn"
    held = {name: cut(visible(name), 20) for name in names}
    drawn = [(count, [held[name] for name in missing]) for count, missing in shown]
    return {"words": f"{words}.", "picture": pattern_grid(list(held.values()), drawn, found.rows)}


def _correlations(dataset: PlainDataset) -> dict[str, Any] | None:
    """A picture of few variables, and the strongest pairs of all."""
    names = [each.name for each in dataset.variables if each.type in NUMERIC][:MOST_CORRELATED]
    if len(names) < 2:
        return None
    made = correlations(dataset, names)
    one, other = np.tril_indices(len(names), -1)
    values = made.values[one, other]
    known = np.flatnonzero(~np.isnan(values))
    if not len(known):
        return None
    order = known[np.argsort(-np.abs(values[known]), kind="stable")][:STRONGEST]
    pairs = [
        (
            visible(names[one[at]]),
            visible(names[other[at]]),
            f"{values[at]:.2f}",
            f"{int(made.n[one[at], other[at]]):,}",
        )
        for at in order.tolist()
    ]
    shown = [cut(visible(name), 20) for name in names]
    few = len(names) <= IN_A_MATRIX
    words = f"Product-moment correlations of {len(names)} variables, over the cases that have both."
    return {
        "words": words if few else f"{words} The strongest are listed.",
        "picture": matrix(shown, made.values) if few else "",
        "pairs": pairs,
    }
