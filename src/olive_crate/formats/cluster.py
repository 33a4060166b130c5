"""The work of packing on a running Dask cluster, or on processes of this machine.

Tasks are files, and ranges of large files. Each machine writes its parts to the shared folder
itself; what comes back is their description and the account. A worker that is lost loses only the
tasks it was at: they are done again elsewhere, and parts that nothing names are no part of the set.

Whoever can reach a cluster's scheduler can run code on it. See `docs/scale.md` on how to secure it.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import msgspec

from ..errors import PlanError, SourceError
from ..plan.model import Decisions
from ..reading.sets.part_task import Task, address_of
from ..reading.sets.ranges import USUAL, Scan, scan
from ..reading.sets.survey import Survey
from ..reading.sets.threads import done_or_noted
from ..reading.sets.units import Done, Runner, ScanJob
from ..sources.opening import open_source
from ..sources.sets import Member
from ..workers import ALONE, usual_workers
from .packed_set import PartWork, Spread
from .part_files import PartFiles

MISSING = 'Dask is not installed; install "olive-crate[cluster]"'
RETRIES = 3
"""How often a task is done again whose worker was lost."""


@contextmanager
def on_cluster(
    cluster: Any, plan: Decisions, range_bytes: int | None = None
) -> Iterator[Callable[[Survey], Runner]]:
    """Whoever does the work on a cluster: a client, an address, or "local".

    Raises `PlanError` where the extra `cluster` is missing or no cluster answers.
    """
    distributed = _distributed()
    if distributed is not None and cluster == "local":
        with _local(distributed, plan.workers or usual_workers()) as client:
            yield lambda found: ClusterRunner(client, range_bytes)
        return
    client = client_of(cluster)
    try:
        yield lambda found: ClusterRunner(client, range_bytes)
    finally:
        if client is not cluster:
            client.close()


def _distributed() -> Any:
    """The package of the extra `cluster`; `None` where it is missing."""
    try:
        import distributed
    except ImportError:
        return None
    return distributed


@contextmanager
def _local(distributed: Any, count: int) -> Iterator[Any]:
    """A cluster of processes on this machine, which nobody else can reach."""
    with (
        distributed.LocalCluster(
            n_workers=count,
            threads_per_worker=1,
            host="127.0.0.1",
            dashboard_address=None,
            memory_limit=0,
            silence_logs=logging.CRITICAL,
        ) as cluster,
        distributed.Client(cluster) as client,
    ):
        yield client


class ClusterRunner:
    """Tasks sent to a cluster."""

    range_size: int | None

    def __init__(self, client: Any, range_size: int | None = None) -> None:
        self.client, self.range_size = client, range_size or USUAL

    def each(self, tasks: Sequence[Task], told: Callable[[int], None]) -> list[Done]:
        """What comes of each task, in order."""
        sent = [_portable_task(each) for each in tasks]
        futures = self.client.map(do, sent, pure=False, retries=RETRIES)
        for count, _ in enumerate(_distributed().as_completed(futures), 1):
            told(count)
        made: list[Done] = self.client.gather(futures)
        return made

    def scans(self, jobs: Sequence[ScanJob]) -> list[Scan]:
        """What each range holds, in order."""
        sent = [
            (portable(each.file.member), each.start, each.end, each.quote, each.behind)
            for each in jobs
        ]
        futures = self.client.map(scan_range, sent, pure=False, retries=RETRIES)
        made: list[Scan] = self.client.gather(futures)
        return made


def do(task: Task) -> Done:
    """A task, done by a worker."""
    return done_or_noted(task, PartFiles, None, ALONE)


def scan_range(job: tuple[Member, int, int, bytes, int]) -> Scan:
    """A range, scanned by a worker."""
    member, start, end, quote, behind = job
    return scan(open_source(member.source), start, end, quote, behind)


def _portable_task(task: Task) -> Task:
    return msgspec.structs.replace(task, member=portable(task.member))


def portable(member: Member) -> Member:
    """The member by an address that other processes understand.

    Raises `SourceError` for what is only in the memory of this one.
    """
    address, _, inner = address_of(member).partition("\0")
    if not address:
        raise SourceError(f"{member.name}: is in memory only; a cluster reads files and addresses")
    if "://" not in address:
        address = str(Path(address).absolute())
    if inner and not member.sheet:
        kind = "tar" if ".tar" in address or address.endswith(".tgz") else "zip"
        address = f"{kind}://{inner}::{address}"
    return msgspec.structs.replace(member, source=address)


def spread_over(client: Any) -> Spread:
    """Work on the parts of a packed set by the workers of a cluster."""

    def done(tasks: Sequence[PartWork]) -> list[Any]:
        futures = client.map(work_on_part, list(tasks), pure=False, retries=RETRIES)
        made: list[Any] = client.gather(futures)
        return made

    return done


def work_on_part(task: PartWork) -> Any:
    """Work on one part, done by a worker."""
    return task.done()


def client_of(cluster: Any) -> Any:
    """A client of a running cluster. Raises `PlanError` where none answers."""
    distributed = _distributed()
    if distributed is None:
        raise PlanError(MISSING)
    if isinstance(cluster, distributed.Client):
        return cluster
    try:
        return distributed.Client(cluster, timeout="10s")
    except (OSError, TimeoutError, ValueError, TypeError) as error:
        raise PlanError(f"cluster: {cluster}: no cluster answers ({error})") from None
