"""A Parquet file that is written while the next cases are being read.

Encoding a group of rows takes about as long as reading it, and Arrow does it on one thread. One
table is written at a time and none waits, so no more than two are held. What goes wrong is raised
by the call that follows.
"""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq

from ..workers import usual_workers
from .table_shape import TableShape, new_writer, written_as


class WritingBehind:
    """The writer of a file, on a thread of its own where there is a processor for it."""

    def __init__(self, where: Any, shape: TableShape) -> None:
        self._where, self._shape = where, shape
        self._writer: pq.ParquetWriter | None = None
        self._thread = ThreadPoolExecutor(1) if usual_workers() > 1 else None
        self._last: Future[None] | None = None

    def write(self, table: pa.Table) -> None:
        """Add a group of rows, once the one before is written."""
        self.wait()
        if self._thread is None:
            self._write(table)
        else:
            self._last = self._thread.submit(self._write, table)

    def _write(self, table: pa.Table) -> None:
        writer = self._begun(table)
        writer.write_table(written_as(table, writer.schema))
        pa.default_memory_pool().release_unused()  # or it grows by what each group leaves over

    def _begun(self, first: pa.Table | None = None) -> pq.ParquetWriter:
        if self._writer is None:
            self._writer = new_writer(self._where, self._shape, first)
        return self._writer

    def wait(self) -> None:
        """Until all that was added is written. Raises what went wrong with it."""
        last, self._last = self._last, None
        if last is not None:
            last.result()

    def add_metadata(self, metadata: dict[bytes, bytes]) -> None:
        """Add to the file's own metadata."""
        self.wait()
        self._begun().add_key_value_metadata(metadata)

    def close(self) -> None:
        """End the file, or what there is of it. Raises what went wrong with its last rows."""
        try:
            self.wait()
        finally:
            if self._thread is not None:
                self._thread.shutdown()
            self._begun().close()
