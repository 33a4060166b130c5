"""Read delimited and fixed-width files and workbooks into datasets: look, decide once, check.

Everything public is importable from here. Heavy packages are imported only when they are used.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from . import views

if TYPE_CHECKING:
    from .api.comparing import compare
    from .api.crate import Crate
    from .api.dataset import Dataset
    from .api.pictures import (
        draw_counts,
        draw_files,
        draw_findings,
        draw_pairs,
        draw_patterns,
        draw_positions,
    )
    from .api.plan import Plan
    from .api.reading import dictionary, draft, files, load, look, pack, pieces, unpack, verify
    from .checks.comparison import Comparison
    from .checks.findings import Finding, Findings
    from .columns.column import Column
    from .dataset.promises import Promise
    from .dataset.receipt import Change, Problem, Receipt
    from .dataset.trace import Trace
    from .declaration.codes import Meaning, MissingCode
    from .declaration.promises import Promised
    from .declaration.variable import Variable
    from .describe.codebook import Codebook
    from .errors import (
        LayoutError,
        OliveCrateError,
        PlanError,
        SourceError,
        TargetError,
        UnreadableError,
    )
    from .evidence import Evidence, Mend, Note
    from .formats.exporting import Exported
    from .plan.fields import Field
    from .plan.model import Rows
    from .reading.looking import Look
    from .reading.sets.looking import SetLook
    from .show.progress import ProgressBar
    from .sources.sets import Files

__version__ = "0.1.0"

_HOMES = {
    "api.comparing": ("compare",),
    "api.crate": ("Crate",),
    "api.dataset": ("Dataset",),
    "api.pictures": (
        "draw_counts",
        "draw_files",
        "draw_findings",
        "draw_pairs",
        "draw_patterns",
        "draw_positions",
    ),
    "api.plan": ("Plan",),
    "api.reading": (
        "dictionary",
        "draft",
        "files",
        "load",
        "look",
        "pack",
        "pieces",
        "unpack",
        "verify",
    ),
    "checks.comparison": ("Comparison",),
    "checks.findings": ("Finding", "Findings"),
    "columns.column": ("Column",),
    "dataset.promises": ("Promise",),
    "dataset.receipt": ("Change", "Problem", "Receipt"),
    "dataset.trace": ("Trace",),
    "declaration.codes": ("Meaning", "MissingCode"),
    "declaration.promises": ("Promised",),
    "declaration.variable": ("Variable",),
    "describe.codebook": ("Codebook",),
    "errors": (
        *("LayoutError", "OliveCrateError", "PlanError", "SourceError", "TargetError"),
        "UnreadableError",
    ),
    "evidence": ("Evidence", "Mend", "Note"),
    "formats.exporting": ("Exported",),
    "plan.fields": ("Field",),
    "plan.model": ("Rows",),
    "reading.looking": ("Look",),
    "reading.sets.looking": ("SetLook",),
    "show.progress": ("ProgressBar",),
    "sources.sets": ("Files",),
}
_HOME = {name: home for home, names in _HOMES.items() for name in names}

__all__ = [
    "Change",
    "Codebook",
    "Column",
    "Comparison",
    "Crate",
    "Dataset",
    "Evidence",
    "Exported",
    "Field",
    "Files",
    "Finding",
    "Findings",
    "LayoutError",
    "Look",
    "Meaning",
    "Mend",
    "MissingCode",
    "Note",
    "OliveCrateError",
    "Plan",
    "PlanError",
    "Problem",
    "ProgressBar",
    "Promise",
    "Promised",
    "Receipt",
    "Rows",
    "SetLook",
    "SourceError",
    "TargetError",
    "Trace",
    "UnreadableError",
    "Variable",
    "compare",
    "dictionary",
    "draft",
    "draw_counts",
    "draw_files",
    "draw_findings",
    "draw_pairs",
    "draw_patterns",
    "draw_positions",
    "files",
    "load",
    "look",
    "pack",
    "pieces",
    "unpack",
    "verify",
]

views.fill(lambda: import_module(".show.views", __name__))


def __getattr__(name: str) -> Any:
    if name not in _HOME:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    value = getattr(import_module(f".{_HOME[name]}", __name__), name)
    if _HOME[name].startswith("api."):
        from .api.documented import documented

        documented(value)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted([*globals(), *__all__])
