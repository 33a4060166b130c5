"""Looking at a source, drafting a plan for it, loading it, packing it, opening what was packed."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, Unpack, cast

from ..errors import Advice, PlanError, SourceError
from ..plan.model import NOTHING_DECIDED, Decisions
from ..sources.addresses import safe_address
from ..sources.sets import PLAN_FILE
from .documented import F, takes_reading_options

if TYPE_CHECKING:
    from ..dataset.crates import CrateVerification
    from ..dataset.model import PlainDataset
    from ..dataset.receipt import Receipt
    from ..dataset.update import Update
    from ..dataset.verification import Verification
    from ..formats.set_packing import RunnerOf
    from ..plan.options import ReadingOptions
    from ..reading.looking import Look
    from ..reading.sets.looking import SetLook
    from ..sources.sets import Files
    from ..workers import Progress
    from .dataset import Dataset
    from .plan import Plan


def within_memory(function: F) -> F:
    """The function, which says of what source there was too much for the memory."""

    @wraps(function)
    def wrapper(source: Any, *rest: Any, **options: Any) -> Any:
        try:
            return function(source, *rest, **options)
        except MemoryError:
            raise _too_much(source) from None

    return cast(F, wrapper)


@takes_reading_options
@within_memory
def look(
    source: Any,
    *,
    plan: Plan | None = None,
    trust: str | Iterable[str] = (),
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
    from ..reading.preparing import source_named

    named = source_named(*_asked(source, trust, plan), options)
    if named.files is None:
        return looking.look(named.source, named.plan)
    from ..reading.sets.looking import look_at_set

    return look_at_set(named.files, named.plan, progress)


@takes_reading_options
@within_memory
def draft(
    source: Any,
    *,
    plan: Plan | None = None,
    trust: str | Iterable[str] = (),
    progress: Progress | None = None,
    **options: Unpack[ReadingOptions],
) -> Plan:
    """Examine the whole source and return a plan of how `load` would read it, with evidence.

    Loading the plan gives the same dataset as loading the source with the same options.

    >>> draft(b"id;acid\\n1;0,3\\n2;0,4\\n").delimited.decimal
    ','
    """
    from ..reading import loading
    from .plan import Plan

    return Plan.of(loading.draft(*_asked(source, trust, plan), options, progress))


@takes_reading_options
@within_memory
def load(
    source: Any,
    *,
    plan: Plan | None = None,
    trust: str | Iterable[str] = (),
    progress: Progress | None = None,
    **options: Unpack[ReadingOptions],
) -> Dataset:
    """Read a source, a set of files, or the source of a plan into a dataset.

    `source` is as for `look`. `plan` is a plan made for another source. `progress` is called with
    the bytes read, the bytes in total (`None` if unknown) and the current step.

    A plan that no run of yours wrote may open what lies under its own folder. `trust` names what
    else it may open: "files", "web", "databases", one or several.

    Raises `SourceError`, `LayoutError`, `PlanError`, and `UnreadableError` if `unreadable="stop"`.

    >>> ds = load(b"id,acid\\n1,0.3\\n2,777\\n", missing={777: "sample lost"})
    >>> ds["acid"].why(1)
    'sample lost'
    """
    from ..reading import loading
    from .dataset import Dataset

    return Dataset.of(loading.load(*_asked(source, trust, plan), options, progress))


@takes_reading_options
@within_memory
def pieces(
    source: Any,
    *,
    rows: int = 50_000,
    settle: bool = False,
    plan: Plan | None = None,
    trust: str | Iterable[str] = (),
    progress: Progress | None = None,
    **options: Any,
) -> Iterator[Dataset]:
    """Iterate over a source as datasets of `rows` rows with equal declarations.

    Takes the options of `load`; rows of names and data are given in a plan, as `rows` is the size.

    Memory is bounded by a piece. Types are those of the plan, if it declares them all; else the
    first rows settle them and a note says so: cells further on that do not fit are missing as
    `unreadable` and listed in the piece's problems. `settle=True` settles them by a first pass over
    the whole source.

    >>> [len(piece) for piece in pieces(b"id\\n1\\n2\\n3\\n", rows=2)]
    [2, 1]
    """
    from ..reading import pieces as reading

    asked = _asked(source, trust, plan)
    made = reading.pieces(*asked, options, rows, settle, progress)
    return _as_datasets(made, source)


def _as_datasets(made: Iterator[PlainDataset], source: Any) -> Iterator[Dataset]:
    """The pieces as datasets, made as they are asked for."""
    from .dataset import Dataset

    try:
        for piece in made:
            yield Dataset.of(piece)
    except MemoryError:
        raise _too_much(source) from None


@takes_reading_options
@within_memory
def pack(
    source: Any,
    path: str | os.PathLike[str],
    *,
    replace: bool = False,
    by: str | int | Sequence[str] | None = None,
    update: bool = False,
    forget_gone: bool = False,
    dry_run: bool = False,
    cluster: Any = None,
    range_bytes: int | None = None,
    plan: Plan | None = None,
    trust: str | Iterable[str] = (),
    progress: Progress | None = None,
    **options: Unpack[ReadingOptions],
) -> Receipt | Update:
    """Read a source, or the source of a plan, into a packed file, and return the receipt.

    Equivalent to `load(...).pack(path)`, in bounded memory. Raises `PlanError` if the file exists
    and `replace` is not set; a failure leaves no file behind.

    A set of files is packed into one file if `path` ends in `.parquet`, else into a folder of
    Parquet files: one for each source file, `by` so many rows, or `by` the values of variables in
    folders `name=value`. `update=True` reads only new and changed files into such a folder, by the
    plan that it was packed by, and returns an `Update`; parts of files that are gone are kept
    unless `forget_gone`; `dry_run` only tells. `cluster` is the address or the client of a Dask
    cluster whose machines do the work, or "local" for processes on this machine. Files of more
    than `range_bytes` are cut into ranges that are read side by side (by default, on a cluster, of
    64 MB).

    >>> oc.pack(text, folder / "packed.parquet", missing={777: "lost"}).rows
    4
    """
    from ..formats.packed import Packing
    from ..reading import packing
    from ..reading.preparing import source_named

    if update or dry_run:
        given = {"forget_gone": forget_gone, "dry_run": dry_run, "cluster": cluster, "trust": trust}
        source, base = _asked(source, trust, plan)
        return _update(source, path, base, options, progress, given)
    named = source_named(*_asked(source, trust, plan), options)
    whole = os.fspath(path).endswith(".parquet") and by is None and cluster is None
    if named.files is None and whole:
        return packing.pack_source(named.source, named.plan, Packing(path, replace), progress)
    from ..formats import set_packing
    from ..sources.folder import Folder
    from ..sources.sets import Files, member_of

    files = named.files or Files([member_of(named.source)])
    if whole:
        return set_packing.pack_to_file(files, named.plan, path, replace, progress)
    parts, folder = set_packing.parts_by(by), Folder(path)
    with _runner(cluster, named.plan, range_bytes) as runner_of:
        return set_packing.pack_set(files, named.plan, folder, parts, replace, runner_of, progress)


def _update(
    source: Any,
    path: str | os.PathLike[str],
    plan: Decisions,
    options: Mapping[str, Any],
    progress: Progress | None,
    given: Mapping[str, Any],
) -> Update:
    """New and changed files read into a packed set."""
    from ..formats import set_packing
    from ..reading.preparing import source_named
    from ..sources.folder import Folder
    from ..sources.reach import trusted
    from ..sources.sets import Files, member_of

    files = None
    if options or plan is not NOTHING_DECIDED:
        raise PlanError("update: a packed set is brought up to date by its own plan")
    if source is not None:
        named = source_named(source, plan, {})
        files = named.files or Files([member_of(named.source)])
    with _runner(given["cluster"], plan) as runner_of:
        return set_packing.update_set(
            files,
            None,
            Folder(path),
            given["forget_gone"],
            given["dry_run"],
            runner_of,
            progress,
            trusted(given["trust"]),
        )


@contextmanager
def _runner(cluster: Any, plan: Decisions, range_bytes: int | None = None) -> Iterator[RunnerOf]:
    """Whoever does the work: threads of this process, or a cluster."""
    if cluster is None:
        from ..formats.set_packing import threads

        yield threads(plan, range_bytes)
        return
    from ..formats.cluster import on_cluster

    with on_cluster(cluster, plan, range_bytes) as runner_of:
        yield runner_of


def files(source: Any) -> Files:
    """Return a set of files as a value: names, sizes, times. Nothing of them is read.

    `source` is a list, a folder, an archive, or a pattern: `*` and `?` within a folder, `[...]`,
    `**` for any folders, and `{year}` for a part of the name that becomes a variable. Any address
    that `fsspec` knows can be a pattern. Raises `SourceError` where there is no such file.

    >>> oc.files(folder / "*a*s.csv").names
    ['grades.csv', 'marks.csv']
    """
    from ..sources.file_sets import files as named

    return named(source)


def unpack(
    path: str | os.PathLike[str], *, cluster: Any = None, trust: str | Iterable[str] = ()
) -> Dataset:
    """Open a packed dataset, or the folder of a packed set. Columns are read on first use.

    What goes back to the source (`trace`, reading again) may open what lies under the packed file's
    folder, unless a run of yours wrote the file. `trust` is as for `load`.

    With `cluster`, the address or the client of a Dask cluster that reaches the folder, its
    machines work out counts, figures, patterns and pairs of a packed set.

    Raises `SourceError` for a file that does not exist or was not packed by Olive Crate.

    >>> oc.unpack(folder / "lab.parquet")["acid"].why(1)
    'lost'
    """
    from ..formats.unpacking import unpack as opened
    from ..sources.reach import trusted
    from .dataset import Dataset

    return Dataset.of(opened(path, cluster, trusted(trust)))


def verify(path: str | os.PathLike[str]) -> Verification | CrateVerification:
    """Read all of a packed dataset, a packed set or a crate, and say whether it is whole.

    Every byte is compared with the checksums that were written with it, every cell is read, and the
    receipt is held against the cells. `is_whole` says whether nothing is wrong; `parts` has a file
    each, with its `problem`, and `imbalances` what of the receipt does not add up.

    Of a sealed crate, the checksums of all files are compared too. Raises `SourceError` for what
    does not exist or was not packed by Olive Crate.

    >>> oc.verify(folder / "lab.parquet").is_whole
    True
    """
    from ..crate.place import is_crate
    from ..formats.verifying import verify as verified

    if is_crate(path):
        from .crate import Crate

        return Crate.open(path).verify()
    return verified(path)


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

    >>> oc.dictionary(folder / "fields.csv").fields[1].name
    'acid'
    """
    from ..reading.dictionaries.applying import plan_of_dictionary
    from .plan import Plan

    return Plan.of(plan_of_dictionary(path, headings, by, sheet))


def _too_much(source: Any) -> SourceError:
    is_path = isinstance(source, (str, os.PathLike))
    name = safe_address(str(source)) if is_path else type(source).__name__
    return SourceError(
        f"{name}: there is not enough memory for it",
        Advice(
            "read it piece by piece or pack it, and leave variables out with {}",
            "keep=[…]",
            "--keep",
        ),
    )


def _asked(source: Any, trust: str | Iterable[str], plan: Plan | None) -> tuple[Any, Decisions]:
    """The source, which may be a plan, with what it is trusted with; and the plan to read it by."""
    if trust:
        from ..plan.toml_read import read_decisions
        from ..sources.reach import trusted

        words = trusted(trust)
        if words and isinstance(source, (str, os.PathLike)) and str(source).endswith(PLAN_FILE):
            source = read_decisions(Path(source), words)
        if words and isinstance(source, Decisions):
            source = source.trusting(words)
    if plan is None:
        return source, NOTHING_DECIDED
    from .plan import Plan

    if not isinstance(plan, Plan):
        raise PlanError(f"plan: expected a Plan, got {plan!r}")
    return source, plan


__all__ = ["dictionary", "draft", "files", "load", "look", "pack", "pieces", "unpack", "verify"]
