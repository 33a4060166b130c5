"""The views of all values: what `str` and notebooks show of each.

A table of names, so that only what is shown is imported: a frequency table needs no codebook.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from importlib import import_module
from typing import Any

View = Callable[..., Any]

TEXT = {
    "Change": "notes.change_words",
    "Codebook": "codebook.codebook_text",
    "Comparison": "comparison.comparison_text",
    "CountTables": "counts.tables_text",
    "CrateStatus": "crates.status_text",
    "CrateVerification": "crates.crate_verification_text",
    "Counts": "counts.counts_text",
    "Crossed": "counts.crossed_text",
    "Evidence": "evidence.evidence_line",
    "Files": "set_words.files_text",
    "Finding": "findings.finding_line",
    "Findings": "findings.findings_text",
    "Keys": "crates.keys_text",
    "Look": "look.look_text",
    "Mend": "mends.mend_text",
    "Note": "notes.note_words",
    "OpenPoint": "settling.point_text",
    "Pairs": "pairs.pairs_text",
    "Patterns": "patterns.patterns_text",
    "Problem": "notes.problem_words",
    "Promise": "notes.promise_line",
    "Receipt": "receipt.receipt_text",
    "Refresh": "crates.refresh_text",
    "RelationState": "crates.relation_words",
    "Sealed": "crates.sealed_text",
    "SetLook": "set_look.set_look_text",
    "Summary": "summary.summary_text",
    "Update": "set_words.update_text",
    "Trace": "trace.trace_text",
    "Verification": "verification.verification_text",
}
"""By the name of a value's class, or of one that it derives from: a function of this room."""
HTML = {
    "Codebook": "notebook.codebook_html",
    "CountTables": "notebook.tables_html",
    "Counts": "notebook.counts_html",
    "Decisions": "notebook.plan_html",
    "Findings": "notebook.findings_html",
    "Look": "notebook.look_html",
    "Pairs": "notebook.pairs_html",
    "Patterns": "notebook.patterns_html",
    "PlainDataset": "notebook.dataset_html",
    "Receipt": "notebook.receipt_html",
    "Summary": "notebook.summary_html",
}
LINES = {
    "Look": "look.look_lines",
    "SetLook": "set_look.set_look_lines",
}
"""Functions that give lines, each with what it is."""
FORMS = {
    ("Codebook", "csv"): "codebook_forms.codebook_csv",
    ("Codebook", "markdown"): "codebook_forms.codebook_markdown",
    ("Codebook", "table"): "codebook_forms.codebook_table",
}


def _of(views: dict[str, str], value: Any) -> View:
    """The view of the value's class, or of the nearest class that it derives from."""
    names = (kind.__name__ for kind in type(value).__mro__)
    return next((_named(views[name]) for name in names if name in views), repr)


def _named(place: str) -> View:
    module, _, function = place.partition(".")
    view: View = getattr(import_module(f".{module}", __package__), function)
    return view


def text(value: Any) -> str:
    """The value as plain text."""
    from .text import cleaned

    return cleaned(str(_of(TEXT, value)(value)))


def lines(value: Any, width: int) -> Iterable[tuple[str, str]]:
    """The value as lines of text within a width, each with what it is."""
    made: Iterable[tuple[str, str]] = _named(LINES[type(value).__name__])(value, width)
    return made


def html(value: Any) -> str:
    """The value as HTML: a view of its own, or its text as it is."""
    view = _of(HTML, value)
    if view is repr:
        from html import escape

        return f'<pre style="color:inherit">{escape(text(value))}</pre>'
    return str(view(value))


def form(value: Any, form: str) -> Any:
    """The value in another form."""
    return _named(FORMS[type(value).__name__, form])(value)
