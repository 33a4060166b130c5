"""Tables in memory as sources: whatever offers its columns as a stream of Arrow data.

The interface is Arrow's C stream, by the method that its PyCapsule protocol names, so that no
package of data frames needs to be known here.
"""

from __future__ import annotations

import io
from typing import IO, Any

from ..declaration.patterns import late
from ..errors import SourceError
from .source import Source

METHODS = ("__arrow_c_stream__", "__arrow_c_array__")
ROW_LABELS = late(r"__index_level_\d+__")
"""Row labels without a name, which are no variable."""


def is_frame(source: Any) -> bool:
    """Does it offer Arrow data?"""
    return any(hasattr(type(source), each) for each in METHODS)


def frame_source(given: Any) -> Source:
    """The source of a table in memory. Raises `SourceError` for what is no table."""
    import pyarrow as pa

    what = type(given).__name__
    try:
        table = pa.table(given)
    except (pa.ArrowInvalid, pa.ArrowTypeError, pa.ArrowNotImplementedError, TypeError) as error:
        first = str(error).partition("\n")[0]
        raise SourceError(f"{what}: its Arrow data are no table of columns: {first}") from None
    labels = [name for name in table.column_names if ROW_LABELS.fullmatch(name)]
    return Source(
        f"{what} in memory", None, None, _no_bytes, form="frame", frame=table.drop(labels)
    )


def _no_bytes() -> IO[bytes]:
    return io.BytesIO()
