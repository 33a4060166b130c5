"""Whether what was packed is whole: every byte, every cell, and the account of it."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..dataset.packed_set import Part
from ..dataset.receipt import Imbalance
from ..dataset.verification import PartState, Verification
from ..declaration.variable import Variable
from ..errors import SourceError
from ..sources.folder import Folder
from .packed_set import PackedParts, metadata_of, unpack_set
from .parquet import body_sum, check_seal, damaged, footer_of
from .unpacking import unpack

MAGIC = b"PAR1"
"""What every Parquet file begins with, and ends with."""


def verify(path: Any) -> Verification:
    """Read all of a packed file, or of the folder of a set. See `api.reading.verify`."""
    text = os.fspath(path)
    folder = Folder(text) if os.path.isdir(text) or "://" in text else None
    if folder is None:
        return _of_file(Path(text))
    metadata = metadata_of(folder)
    if metadata is None:
        raise SourceError(f"{folder}: not a packed set")
    parts = [part for source in metadata.sources for part in source.parts]
    valid: Counter[str] = Counter()
    states = []
    for part in parts:
        problem = _of_part(folder, part, metadata.variables, valid)
        states.append(PartState(part.path, part.rows, problem))
    whole = not any(each.problem for each in states)
    imbalances = tuple(_imbalances(unpack_set(folder), valid)) if whole else ()
    return Verification(str(folder), metadata.rows, tuple(states), imbalances)


def _of_file(path: Path) -> Verification:
    """A packed file. Raises `SourceError` for one that was never packed, or is not there."""
    if not path.is_file():
        unpack(path)
    with path.open("rb") as file:
        head = file.read(len(MAGIC))
        file.seek(-min(len(MAGIC), path.stat().st_size), 2)
        if MAGIC not in (head, file.read()):
            raise SourceError(f"{path}: not a packed dataset; name what pack has written")
    try:
        sealed = check_seal(path)
        dataset = unpack(path)
        _check_body(Folder(path.parent), path.name, sealed)
        names, rows = dataset.names, dataset.rows
        valid = Counter({n: _values(n, dataset.column_pieces(n), rows) for n in names})
    except SourceError as error:
        problem = str(error).removeprefix(f"{path}: ")
        return Verification(str(path), 0, (PartState(path.name, 0, problem),))
    state = PartState(path.name, dataset.rows)
    return Verification(str(path), dataset.rows, (state,), tuple(_imbalances(dataset, valid)))


def _of_part(folder: Folder, part: Part, variables: Sequence[Variable], valid: Counter[str]) -> str:
    """What is wrong with a file of a set; empty for nothing. Counts its values by variable."""
    try:
        if folder.exists(part.path):
            _check_body(folder, part.path, part.body)
        held = PackedParts(folder, [part], variables)
        for variable in variables:
            pieces = held.column(variable).pieces()
            valid[variable.name] += _values(variable.name, pieces, part.rows)
    except SourceError as error:
        return str(error).removeprefix(f"{folder.path(part.path)}: ")
    return ""


def _check_body(folder: Folder, name: str, wanted: str | None) -> None:
    if not wanted:
        return
    with folder.open(name) as file:
        footer = footer_of(file, folder.path(name))
        if body_sum(file, len(footer)) != wanted:
            raise damaged(folder.path(name), "its data have changed")


def _values(name: str, pieces: Iterable[Column], rows: int) -> int:
    """How many values a variable has. Raises `SourceError` for what is damaged."""
    cells = valid = 0
    for piece in pieces:
        cells += len(piece)
        valid += len(piece) - int(np.count_nonzero(piece.reasons))
    if cells != rows:
        raise SourceError(f'"{name}": {cells:,} cells, not the {rows:,} that were written')
    return valid


def _imbalances(dataset: PlainDataset, valid: Counter[str]) -> Iterator[Imbalance]:
    """Where the receipt does not add up, or counts what is not there.

    Of some rows alone, and of what was declared anew, the receipt is that of the whole read.
    """
    receipt = dataset.receipt
    yield from receipt.imbalances()
    if dataset.rows > receipt.rows:
        yield Imbalance("rows", receipt.rows, dataset.rows)
    if dataset.rows != receipt.rows or receipt.changes:
        return
    for cells in receipt.cells:
        if cells.name in valid and cells.valid != valid[cells.name]:
            yield Imbalance("values", valid[cells.name], cells.valid, cells.name)
