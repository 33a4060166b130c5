"""Copies of files on the web, kept beside a plan: what was read last year can be read again.

A copy's name has the first digits of its SHA-256, so that no copy is ever written over another.
Beside it lies a small TOML file with the address, the time, and what the server said of the file
then. An address that is read again is asked for with these (RFC 9110, 13.1): if nothing has
changed, the answer is short and the copy is read.
"""

from __future__ import annotations

import hashlib
import tomllib
from pathlib import Path, PurePosixPath
from typing import NamedTuple

import msgspec

from ..declaration.converting import converted
from ..evidence import Evidence, SourceDiffers
from .addresses import full_address, safe_address
from .links import exported
from .requests import Moment, NotChanged
from .source import Source
from .web import WebFile, file_name, pieces_of, source_of
from .writing import give_up, put_in_place, temporary_beside, write_whole, writing

DIGITS = 12
"""Digits of the SHA-256 in a copy's name."""
RECORD = ".source.toml"


class _Kept(NamedTuple):
    """A copy at hand."""

    path: Path
    moment: Moment


def with_copy(address: str, folder: Path) -> Source:
    """The file at an address, read from a copy in `folder`, which is made or found there.

    Raises `SourceError` where the address cannot be reached or the copy cannot be written.
    """
    target, sheet = exported(full_address(address))
    kept = _newest(folder, safe_address(target))
    try:
        file = WebFile(target, kept.moment if kept else None)
    except NotChanged:
        assert kept is not None
        return _copied(kept.path, kept.moment, sheet)
    path, moment = _written(source_of(file), file, folder)
    notes: tuple[Evidence, ...] = ()
    if kept is not None and path != kept.path:
        notes = (
            SourceDiffers(
                value=moment.time, before=kept.moment.time, copy=kept.path.name, certain=False
            ),
        )
    return _copied(path, moment, sheet, notes)


def _copied(path: Path, moment: Moment, sheet: str, notes: tuple[Evidence, ...] = ()) -> Source:
    return Source(
        moment.address,
        path,
        path.stat().st_size,
        lambda: path.open("rb", buffering=0),
        address=moment.address,
        sheet=sheet,
        moment=moment,
        notes=notes,
    )


def _newest(folder: Path, address: str) -> _Kept | None:
    """The copy of an address that was made last and is still whole."""
    found = []
    for record in folder.glob(f"*{RECORD}"):
        try:
            held = tomllib.loads(record.read_text("utf-8"))
            moment = converted(held, Moment, strict=False)
        except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError, msgspec.ValidationError):
            continue
        copy = record.with_name(record.name.removesuffix(RECORD))
        if moment.address == address and copy.is_file() and _digest(copy) in copy.name:
            found.append(_Kept(copy, moment))
    return max(found, key=lambda each: each.moment.time, default=None)


def _digest(path: Path) -> str:
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()[:DIGITS]


def _written(source: Source, file: WebFile, folder: Path) -> tuple[Path, Moment]:
    """The copy and its record, each written whole; one that is there and whole is left as it is."""
    name = PurePosixPath(file_name(file.final))
    with writing(f"{folder}: the copy of {file.name}"):
        held = temporary_beside(folder / name)
        try:
            digest = _put(source, held)
            path = folder / f"{name.stem}.{digest[:DIGITS]}{name.suffix}"
            if not path.is_file() or _digest(path) != digest[:DIGITS]:
                put_in_place(held, path)
        finally:
            give_up(held)
        import tomlkit

        record = tomlkit.dumps({**msgspec.to_builtins(file.moment), "sha256": digest})
        write_whole(path.with_name(path.name + RECORD), record.encode("utf-8"))
    return path, file.moment


def _put(source: Source, path: Path) -> str:
    """Write all bytes of a source, and give their SHA-256."""
    known = hashlib.sha256()
    with path.open("wb") as copy:
        for piece in pieces_of(source):
            known.update(piece)
            copy.write(piece)
    return known.hexdigest()
