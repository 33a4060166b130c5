"""Files of a set as units of work: whole, or in ranges of bytes that are put together again."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import Protocol

import msgspec

from ...columns.search_result import put_together
from ...dataset.packed_set import STAGING, PackedSource
from ...dataset.receipt import CellCounts, Problems, Receipt
from ...evidence import Note
from ...layouts.base import ROWS_KEPT
from ...sources.folder import Folder
from .differences import FileFound
from .part_task import Task
from .ranges import Scan, cut_points, data_start, settled
from .survey import Survey


class FailedRange(msgspec.Struct, frozen=True):
    """A range could not be read by itself."""

    place: int


Done = PackedSource | Note | FailedRange


class ScanJob(msgspec.Struct, frozen=True):
    """A range of a file to be scanned."""

    file: FileFound
    start: int
    end: int
    quote: bytes
    behind: int


class Runner(Protocol):
    """Whoever does tasks: threads of this process, or the machines of a cluster."""

    range_size: int | None
    """Bytes of a range of a large file; `None` to read files as a whole."""

    def each(self, tasks: Sequence[Task], told: Callable[[int], None]) -> list[Done]:
        """What comes of each task, in order."""

    def scans(self, jobs: Sequence[ScanJob]) -> list[Scan]:
        """What each range holds, in order."""


def with_ranges(found: Survey, tasks: Sequence[Task], runner: Runner) -> list[Task]:
    """The tasks, with several for each file that is large enough to be cut."""
    if runner.range_size is None or found.plan.promised.totals == "closing":
        return list(tasks)
    files = {each.place: each for each in found.files}
    cuts: dict[int, list[tuple[int, int]]] = {}
    jobs: list[ScanJob] = []
    for task in tasks:
        made = _jobs(files[task.place], runner.range_size)
        if len(made) > 1:
            cuts[task.place] = [(each.start, each.end) for each in made]
            jobs += made
    scans = iter(runner.scans(jobs))
    every: list[Task] = []
    for task in tasks:
        points = cuts.get(task.place, [])
        own = [next(scans) for _ in points]
        size = files[task.place].source.size or 0
        ranges = settled(points, own, size) if points else None
        if ranges is None or len(ranges) < 2:
            every.append(task)
            continue
        every += [
            msgspec.structs.replace(
                task, range=each, identity=f"{task.identity}-{each.start}-{each.end}"
            )
            for each in ranges
        ]
    return every


def _jobs(file: FileFound, size: int) -> list[ScanJob]:
    """The ranges of a file to be scanned; none where it is read as a whole."""
    source, layout = file.source, file.found.layout.of_range(True, True)
    if source.size is None or source.compression is not None or layout is None:
        return []
    behind = data_start(source, layout)
    if behind < 0 or source.size < 2 * size:
        return []
    points = cut_points(source.size, size)
    return [ScanJob(file, start, end, layout.quote, behind) for start, end in points]


def failed_places(done: Sequence[Done], tasks: Sequence[Task]) -> set[int]:
    """The files of which a range failed, or whose numbers may have other marks than its head."""
    places = {each.place for each in done if isinstance(each, FailedRange)}
    results: dict[tuple[int, str], list[PackedSource]] = {}
    for task, each in zip(tasks, done, strict=True):
        if task.range is None or not isinstance(each, PackedSource):
            continue
        for name in each.results:
            results.setdefault((task.place, name), []).append(each)
    for (place, name), held in results.items():
        together, _ = put_together([each.results[name] for each in held])
        obstacles = together.obstacles
        numbers = obstacles is not None and obstacles.kind in ("integer", "number")
        if numbers and obstacles is not None and obstacles.count > obstacles.odd:
            places.add(place)
    return places


def removed(folder: Folder, source: PackedSource) -> None:
    """Remove what was written of a unit that does not stand."""
    for part in source.parts:
        folder.remove(f"{STAGING}/{part.path}")
    folder.remove(f"{STAGING}/{source.identity}.json")


def put_units_together(
    units: Sequence[PackedSource], kinds: Mapping[str, str], file: FileFound
) -> PackedSource:
    """The ranges of a file as one source."""
    if len(units) == 1:
        return units[0]
    results = {}
    for name in units[0].results:
        together, _ = put_together([each.results[name] for each in units])
        results[name] = msgspec.structs.replace(together, kind=kinds[name])
    receipt = _receipt([Receipt.from_dict(msgspec.json.decode(each.receipt)) for each in units])
    receipt = msgspec.structs.replace(receipt, fingerprint=file.source.fingerprint())
    first = units[0]
    return msgspec.structs.replace(
        first,
        fingerprint=receipt.fingerprint,
        identity=first.identity.partition("-")[0],
        rows=receipt.rows,
        parts=[part for each in units for part in each.parts],
        results=results,
        receipt=msgspec.Raw(msgspec.json.encode(receipt.to_dict())),
    )


def _receipt(parts: Sequence[Receipt]) -> Receipt:
    """The account of a file from those of its ranges."""
    first = parts[0]

    def total(name: str) -> int:
        return sum(getattr(each, name) for each in parts)

    def rows(name: str) -> tuple[int, ...]:
        return tuple(row for each in parts for row in getattr(each, name))[:ROWS_KEPT]

    lines: Counter[str] = Counter()
    for each in parts:
        lines.update(each.parts)
    summed = ("bytes", "lines", "rows", "short", "trailing", "surplus", "problem_count")
    return msgspec.structs.replace(
        first,
        **{name: total(name) for name in (*summed, "characters", "covered", "uncovered")},
        parts={part: lines[part] for part in first.parts},
        record_types=_record_types(parts),
        cells=tuple(_cells(each) for each in zip(*(each.cells for each in parts), strict=True)),
        skipped_rows=rows("skipped_rows"),
        blank_rows=rows("blank_rows"),
        short_rows=rows("short_rows"),
        row_offsets=tuple(pair for each in parts for pair in each.row_offsets),
        problems=Problems.of([problem for each in parts for problem in each.problems]),
        seconds=sum(each.seconds for each in parts),
    )


def _record_types(parts: Sequence[Receipt]) -> dict[str, int]:
    counted: Counter[str] = Counter()
    for each in parts:
        counted.update(each.record_types)
    return dict(counted.most_common())


def _cells(parts: Sequence[CellCounts]) -> CellCounts:
    missing: Counter[str] = Counter()
    for each in parts:
        missing.update(each.missing)
    first = parts[0]
    return CellCounts(first.name, first.type, sum(each.valid for each in parts), dict(missing))
