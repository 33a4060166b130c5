"""Opening what was packed: a file, or the folder of a set."""

from __future__ import annotations

import os
from typing import Any

from ..dataset.model import PlainDataset
from ..dataset.packed_set import METADATA
from ..sources.folder import Folder


def is_packed(source: Any) -> bool:
    """Does this name a packed file, or a folder with a packed set?"""
    if not isinstance(source, (str, os.PathLike)):
        return False
    text = os.fspath(source)
    if not isinstance(text, str) or text.endswith(".parquet"):
        return isinstance(text, str)
    return "://" not in text and os.path.isfile(os.path.join(text, METADATA))


def unpack(path: Any, cluster: Any = None, trust: tuple[str, ...] = ()) -> PlainDataset:
    """Open a packed dataset; a set's figures are worked out on a cluster if one is given.

    Raises `SourceError` for what is not there or was not packed by Olive Crate.
    """
    text = os.fspath(path)
    if not os.path.isdir(text) and "://" not in text:
        from .packed import unpack_file

        return unpack_file(path, trust)
    from .packed_set import unpack_set

    if cluster is None:
        return unpack_set(Folder(text), None, trust)
    from .cluster import client_of, spread_over

    return unpack_set(Folder(text), spread_over(client_of(cluster)), trust)
