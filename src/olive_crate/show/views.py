"""The views of all values: what `str` and notebooks show of each."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..checks.comparison import Comparison
from ..checks.findings import Finding, Findings
from ..dataset.model import PlainDataset
from ..dataset.promises import Promise
from ..dataset.receipt import Change, Problem, Receipt
from ..describe.codebook import Codebook
from ..describe.counts import Counts, CountTables, Crossed
from ..describe.pairs import Pairs
from ..describe.patterns import Patterns
from ..describe.summary import Summary
from ..evidence import Evidence, Mend, Note
from ..plan.model import Decisions
from ..reading.looking import Look
from . import notebook
from .codebook import codebook_text
from .codebook_forms import codebook_csv, codebook_markdown, codebook_table
from .comparison import comparison_text
from .counts import counts_text, crossed_text
from .evidence import evidence_line
from .findings import finding_line, findings_text
from .look import look_text
from .mends import mend_text
from .notes import change_words, note_words, problem_words, promise_line
from .pairs import pairs_text
from .patterns import patterns_text
from .receipt import receipt_text
from .summary import summary_text

View = Callable[[Any], str]

TEXT: dict[type, View] = {
    Change: change_words,
    Codebook: codebook_text,
    Comparison: comparison_text,
    CountTables: lambda tables: "\n\n".join(map(counts_text, tables)),
    Counts: counts_text,
    Crossed: crossed_text,
    Decisions: repr,
    Evidence: evidence_line,
    Finding: finding_line,
    Findings: findings_text,
    Look: look_text,
    Mend: mend_text,
    Note: note_words,
    Pairs: pairs_text,
    Patterns: patterns_text,
    PlainDataset: repr,
    Problem: problem_words,
    Promise: promise_line,
    Receipt: receipt_text,
    Summary: summary_text,
}
HTML: dict[type, View] = {
    Codebook: notebook.codebook_html,
    CountTables: lambda tables: "".join(map(notebook.counts_html, tables)),
    Counts: notebook.counts_html,
    Decisions: notebook.plan_html,
    Findings: notebook.findings_html,
    Look: notebook.look_html,
    PlainDataset: notebook.dataset_html,
    Receipt: notebook.receipt_html,
    Summary: notebook.summary_html,
}
FORMS: dict[tuple[type, str], Callable[[Any], Any]] = {
    (Codebook, "csv"): codebook_csv,
    (Codebook, "markdown"): codebook_markdown,
    (Codebook, "table"): codebook_table,
}


def _of(views: dict[type, View], value: Any) -> View:
    """The view of the value's class, or of the nearest class that it derives from."""
    for kind in type(value).__mro__:
        if kind in views:
            return views[kind]
    return repr


def text(value: Any) -> str:
    """The value as plain text."""
    return _of(TEXT, value)(value)


def html(value: Any) -> str:
    """The value as HTML."""
    return _of(HTML, value)(value)


def form(value: Any, form: str) -> Any:
    """The value in another form."""
    return FORMS[type(value), form](value)
