"""Looking at a source, drafting a plan for it, loading it, packing it, opening what was packed."""

from __future__ import annotations

import os
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Unpack

from ..dataset.receipt import Receipt
from ..errors import PlanError
from ..plan.options import ReadingOptions
from .dataset import Dataset
from .documented import takes_reading_options
from .plan import NO_PLAN, Plan

if TYPE_CHECKING:
    from ..reading.looking import Look
    from ..reading.sets.looking import SetLook
    from ..reading.single_pass import Progress
    from ..sources.sets import Files


@takes_reading_options
def look(
    source: Any,
    *,
    plan: Plan | None = None,
    progress: Progress | None = None,
    **options: Unpack[ReadingOptions],
) -> Look | SetLook:
    """Show the start and end of a source, and how it would be read.

    `source` is a path, a URL, bytes, an open file, a plan with its own source, or a set of files:
    a list, a pattern, a folder, an archive, `files(...)`. Of a set, each file is compared with the
    others. `plan` is a plan made for another source. Reads at most 4 MB of a file, so the lines of
    smaller files are counted. Raises `SourceError`, `LayoutError` and `PlanError`.

    >>> print(look(b"id;acid\\n1;0,3\\n2;0,4\\n").variables[1].type)
    number
    """
    from ..reading import looking
    from ..reading.loading import source_named

    named = source_named(source, _base(plan), options)
    if named.files is None:
        return looking.look(named.source, named.plan, {})
    from ..reading.sets.looking import look_at_set

    return look_at_set(named.files, named.plan, progress)


@takes_reading_options
def draft(
    source: Any,
    *,
    plan: Plan | None = None,
    progress: Progress | None = None,
    **options: Unpack[ReadingOptions],
) -> Plan:
    """Examine the whole source and return a plan of how `load` would read it, with evidence.

    Loading the plan gives the same dataset as loading the source with the same options.

    >>> draft(b"id;acid\\n1;0,3\\n2;0,4\\n").delimited.decimal
    ','
    """
    from ..reading import loading

    return Plan.of(loading.draft(source, _base(plan), options, progress))


@takes_reading_options
def load(
    source: Any,
    *,
    plan: Plan | None = None,
    progress: Progress | None = None,
    **options: Unpack[ReadingOptions],
) -> Dataset:
    """Read a source, a set of files, or the source of a plan into a dataset.

    `source` is as for `look`. `plan` is a plan made for another source. `progress` is called with
    the bytes read, the bytes in total (`None` if unknown) and the current step.

    Raises `SourceError`, `LayoutError`, `PlanError`, and `UnreadableError` if `unreadable="stop"`.

    >>> ds = load(b"id,acid\\n1,0.3\\n2,777\\n", missing={777: "sample lost"})
    >>> ds["acid"].why(1)
    'sample lost'
    """
    from ..reading import loading

    return Dataset.of(loading.load(source, _base(plan), options, progress))


@takes_reading_options
def pack(
    source: Any,
    path: str | os.PathLike[str],
    *,
    replace: bool = False,
    plan: Plan | None = None,
    progress: Progress | None = None,
    **options: Unpack[ReadingOptions],
) -> Receipt:
    """Read a source, or the source of a plan, into a packed file, and return the receipt.

    Equivalent to `load(...).pack(path)`, in bounded memory. Raises `PlanError` if the file exists
    and `replace` is not set; a failure leaves no file behind.
    """
    from ..formats.packed import Packing
    from ..reading import packing

    return packing.pack(source, _base(plan), options, Packing(path, replace), progress)


def files(source: Any) -> Files:
    """Return a set of files as a value: names, sizes, times. Nothing of them is read.

    `source` is a list, a folder, an archive, or a pattern: `*` and `?` within a folder, `[...]`,
    `**` for any folders, and `{year}` for a part of the name that becomes a variable. Any address
    that `fsspec` knows can be a pattern. Raises `SourceError` where there is no such file.
    """
    from ..sources.sets import files as named

    return named(source)


def unpack(path: str | os.PathLike[str]) -> Dataset:
    """Open a packed dataset. Columns are read on first use.

    Raises `SourceError` for a file that does not exist or was not packed by Olive Crate.
    """
    from ..formats.packed import unpack as opened

    return Dataset.of(opened(path))


def dictionary(
    path: str | os.PathLike[str],
    *,
    headings: Mapping[str, str] | None = None,
    by: str = "name",
    sheet: str | int | None = None,
) -> Plan:
    """Make a plan from a table of fields or variables, from DDI-Codebook 2.5 or CSVW metadata.

    `headings` maps keys to the table's headings: `{"start": "From", "end": "To"}`; keys are `name`,
    `start`, `end`, `width`, `position`, `line`, `record`, `sign` and the parts of a declaration. If
    the table has positions, the plan reads fixed-width text; otherwise it declares the variables of
    any file, matched `by` "name" or "order".

    Raises `PlanError` with the row of the table for invalid entries.
    """
    from ..reading.dictionaries.applying import plan_of_dictionary

    return Plan.of(plan_of_dictionary(path, headings, by, sheet))


def _base(plan: Plan | None) -> Plan:
    if plan is not None and not isinstance(plan, Plan):
        raise PlanError(f"plan: expected a Plan, got {plan!r}")
    return NO_PLAN if plan is None else plan


__all__ = ["dictionary", "draft", "files", "load", "look", "pack", "unpack"]
