"""Read delimited and fixed-width files and workbooks into datasets: look, decide once, check.

Everything public is importable from here. Heavy packages are imported only when they are used.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .checks.codebook import Codebook
    from .checks.differences import Comparison, compare
    from .checks.findings import Finding, Findings
    from .codes import MissingCode, ValueLabel
    from .columns import Column
    from .dataset import Dataset
    from .dictionaries import dictionary
    from .errors import LayoutError, OliveCrateError, PlanError, SourceError, UnreadableError
    from .evidence import Evidence
    from .expectpart import Expect
    from .fields import Field
    from .formats.exporting import Exported
    from .formats.packed import unpack
    from .formats.packing import pack
    from .loading import draft, load
    from .looking import Look, look
    from .plan import Plan
    from .receipt import Change, Problem, Receipt
    from .report.distributions import draw_counts
    from .report.matrices import draw_pairs, draw_patterns
    from .report.positions import draw_positions
    from .rowspart import Rows
    from .variables import Variable

__version__ = "0.1.0"

_HOMES = {
    "checks.codebook": ("Codebook",),
    "checks.differences": ("Comparison", "compare"),
    "checks.findings": ("Finding", "Findings"),
    "codes": ("MissingCode", "ValueLabel"),
    "columns": ("Column",),
    "dataset": ("Dataset",),
    "dictionaries": ("dictionary",),
    "expectpart": ("Expect",),
    "formats.exporting": ("Exported",),
    "errors": (
        "LayoutError",
        "OliveCrateError",
        "PlanError",
        "SourceError",
        "UnreadableError",
    ),
    "evidence": ("Evidence",),
    "fields": ("Field",),
    "formats.packed": ("unpack",),
    "formats.packing": ("pack",),
    "loading": ("draft", "load"),
    "looking": ("Look", "look"),
    "plan": ("Plan",),
    "receipt": ("Change", "Problem", "Receipt"),
    "report.distributions": ("draw_counts",),
    "report.matrices": ("draw_pairs", "draw_patterns"),
    "report.positions": ("draw_positions",),
    "rowspart": ("Rows",),
    "variables": ("Variable",),
}
_HOME = {name: home for home, names in _HOMES.items() for name in names}

__all__ = [
    "Change",
    "Codebook",
    "Column",
    "Comparison",
    "Dataset",
    "Evidence",
    "Expect",
    "Exported",
    "Field",
    "Finding",
    "Findings",
    "LayoutError",
    "Look",
    "MissingCode",
    "OliveCrateError",
    "Plan",
    "PlanError",
    "Problem",
    "Receipt",
    "Rows",
    "SourceError",
    "UnreadableError",
    "ValueLabel",
    "Variable",
    "compare",
    "dictionary",
    "draft",
    "draw_counts",
    "draw_pairs",
    "draw_patterns",
    "draw_positions",
    "load",
    "look",
    "pack",
    "unpack",
]


def __getattr__(name: str) -> Any:
    if name not in _HOME:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    value = getattr(import_module(f".{_HOME[name]}", __name__), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted([*globals(), *__all__])
