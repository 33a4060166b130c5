"""Rows of PostgreSQL as Arrow arrays, over several connections in one snapshot.

The driver (ADBC) makes arrays of what the server sends in its binary form, so that rows cost no
Python values. Much of the time of a read is the server's, which works on one process for each
connection. So a table whose key is one whole number is cut at values of the key, and several
connections fetch the pieces, each in the snapshot that the first one has exported (manual, 9.28.5).
What they fetch waits in short queues and is handed on in the order of the key: memory is bounded,
and the rows are the same for any number of connections.
"""

from __future__ import annotations

import importlib.util
import itertools
import queue
import threading
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

import pyarrow as pa

from ...errors import SourceError
from ...sources.connecting import guarded
from ...sources.database import POSTGRESQL_SETTINGS, Session
from .tables import Relation
from .texts import plain

ROWS_A_PIECE = 100_000
"""Rows that a piece of the key aims at."""
MOST_PIECES = 400
BATCH_BYTES = 2 << 20
"""Bytes of a batch, as the driver is asked for them."""
WAITING = 2
"""Batches of a piece that wait at most."""
MOST_CONNECTIONS = 4
SECONDS_A_LOOK = 0.2
"""How often a thread that cannot go on looks whether it is still wanted."""


def has_arrow() -> bool:
    """Is the driver installed that gives Arrow arrays?"""
    return importlib.util.find_spec("adbc_driver_postgresql") is not None


def arrow_batches(session: Session, texts: Sequence[str], workers: int) -> Iterator[list[pa.Array]]:
    """The rows of these SELECTs, one after another."""
    crew = _Crew(session, texts, max(1, min(workers, MOST_CONNECTIONS, len(texts))))
    try:
        yield from crew.batches()
    finally:
        crew.stop()


def pieces_of(session: Session, relation: Relation, key: str, rows: int, workers: int) -> list[str]:
    """Conditions that cut a table of so many rows at values of its key; an empty one for none."""
    whole = len(relation.key) == 1 and any(
        each.name == relation.key[0] and each.cells.type == "integer" for each in relation.columns
    )
    if workers == 1 or not whole:
        return [""]
    found = session.first_row(f"SELECT min({key}), max({key}) FROM {relation.sql}")
    if found is None or found[0] is None:
        return [""]
    low, high = map(int, found)
    count = min(MOST_PIECES, max(1, rows // ROWS_A_PIECE), high - low + 1)
    edges = [low + (high + 1 - low) * place // count for place in range(1, count)]
    return [_between(key, *pair) for pair in itertools.pairwise([None, *edges, None])]


def _between(key: str, low: int | None, high: int | None) -> str:
    parts = [f"{key} >= {low}"] if low is not None else []
    parts += [f"{key} < {high}"] if high is not None else []
    return f" WHERE {' AND '.join(parts)}" if parts else ""


class _End(NamedTuple):
    """The end of a piece, with what went wrong if anything did."""

    fault: BaseException | None = None


class _Crew:
    """Threads with a connection each that fetch pieces ahead."""

    def __init__(self, session: Session, texts: Sequence[str], count: int) -> None:
        self.session, self.texts = session, texts
        self.snapshot = str(session.first("SELECT pg_export_snapshot()"))
        self.queues: list[queue.Queue[Any]] = [queue.Queue(WAITING) for _ in texts]
        self.next = iter(range(len(texts)))
        self.lock = threading.Lock()
        self.ahead = threading.Semaphore(count + 1)
        """As many pieces as may be fetched before the first of them is handed on."""
        self.stopped = threading.Event()
        self.threads = [threading.Thread(target=self._work, daemon=True) for _ in range(count)]
        for each in self.threads:
            each.start()

    def batches(self) -> Iterator[list[pa.Array]]:
        """What was fetched, piece after piece."""
        for waiting in self.queues:
            while True:
                held = waiting.get()
                if isinstance(held, _End):
                    if held.fault is not None:
                        raise held.fault
                    self.ahead.release()
                    break
                yield held

    def stop(self) -> None:
        """Let all threads come to an end."""
        self.stopped.set()
        for each in self.threads:
            each.join()

    def _work(self) -> None:
        place: int | None = None
        link: Any = None
        try:
            while not self.stopped.is_set():
                if not self.ahead.acquire(timeout=SECONDS_A_LOOK):
                    continue
                with self.lock:
                    place = next(self.next, None)
                if place is None:
                    return
                with self.session.faults():
                    link = link or self._connected()
                    self._fetch(link, place)
                self._put(place, _End())
        except BaseException as error:  # raised again where the bytes are asked for
            if place is not None:
                self._put(place, _End(error))
        finally:
            if link is not None:
                link.close()

    def _connected(self) -> Any:
        from adbc_driver_postgresql import dbapi

        url = self.session.connection.engine.url.set(drivername="postgresql")
        with guarded(self.session.where):
            link = dbapi.connect(url.render_as_string(hide_password=False))
        with link.cursor() as cursor:
            cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
            cursor.execute(f"SET TRANSACTION SNAPSHOT '{self.snapshot}'")
            for setting in POSTGRESQL_SETTINGS:
                cursor.execute(setting)
        return link

    def _fetch(self, link: Any, place: int) -> None:
        with link.cursor() as cursor:
            hint = {"adbc.postgresql.batch_size_hint_bytes": str(BATCH_BYTES)}
            cursor.adbc_statement.set_options(**hint)
            cursor.execute(self.texts[place])
            reader = cursor.fetch_record_batch()
            while True:
                try:
                    batch = reader.read_next_batch()
                except StopIteration:
                    return
                except (OSError, pa.ArrowException) as error:  # what the server says on the way
                    said = str(error).rpartition("ERROR:")[2].strip()
                    name = self.session.name
                    raise SourceError(f"{name}: the database says: {said}") from None
                columns = [plain(each) for each in batch.columns]
                if batch.num_rows and not self._put(place, columns):
                    return

    def _put(self, place: int, held: Any) -> bool:
        """Hand something on; false where nobody wants it any more."""
        while not self.stopped.is_set():
            try:
                self.queues[place].put(held, timeout=SECONDS_A_LOOK)
                return True
            except queue.Full:
                continue
        return False
