"""Tasks done by threads of this process, and what a run before this one has done of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import msgspec

from ...dataset.packed_set import STAGING, PackedSource
from ...declaration.converting import decoded
from ...plan.model import Decisions
from ...workers import ALONE, Workers, usual_workers
from .differences import FileFound
from .part_task import NewTarget, RangeFailed, Task, do_task
from .ranges import Scan, scan
from .survey import FAULTS, set_aside
from .units import Done, FailedRange, ScanJob

NO_PLACE = -1
"""The place of a file that is none of those that were surveyed now."""


class Threads:
    """Tasks done by threads of this process, side by side."""

    def __init__(
        self,
        new_target: NewTarget,
        found: Mapping[int, FileFound],
        plan: Decisions,
        range_size: int | None = None,
    ) -> None:
        self.new_target, self.found, self.plan = new_target, found, plan
        self.range_size = range_size

    def each(self, tasks: Sequence[Task], told: Callable[[int], None]) -> list[Done]:
        """What comes of each task, in order; a single one has all threads to itself."""
        count = self.plan.workers or usual_workers()
        done = [0]

        def do(task: Task, workers: Workers | None) -> Done:
            made = done_or_noted(task, self.new_target, self.found.get(task.place), workers)
            done[0] += 1
            told(done[0])
            return made

        if len(tasks) < 2 or count == 1:
            return [do(task, None) for task in tasks]
        with Workers(count) as workers:
            return workers.each(lambda task: do(task, ALONE), tasks)

    def scans(self, jobs: Sequence[ScanJob]) -> list[Scan]:
        """What each range holds, in order."""
        return [scan(e.file.source, e.start, e.end, e.quote, e.behind) for e in jobs]


def done_or_noted(
    task: Task,
    new_target: NewTarget,
    found: FileFound | None = None,
    workers: Workers | None = None,
) -> Done:
    """What comes of a task: done before already, done now, or set aside if that is wanted."""
    record = f"{STAGING}/{task.identity}.json"
    if not task.settled:
        known = _done_before(task, record)
        if known is not None:
            return known
    try:
        made = do_task(task, new_target, found, workers=workers)
    except RangeFailed:
        return FailedRange(task.place)
    except FAULTS as error:
        return set_aside(task.plan, task.member, error)
    if not task.settled:
        task.folder.write(record, msgspec.json.encode(made))
    return made


def _done_before(task: Task, record: str) -> PackedSource | None:
    """What a run before this one, which was killed, has done of a task."""
    data = task.folder.read(record)
    if data is None:
        return None
    try:
        known = decoded(data, PackedSource)
    except msgspec.DecodeError:
        return None
    there = (
        task.folder.exists(f"{STAGING}/{part.path}") or task.folder.exists(part.path)
        for part in known.parts
    )
    return known if all(there) else None
