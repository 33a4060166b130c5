"""By what a source is known to be the same: size and time of files, a hash where they differ.

Size and time are asked of the file system in microseconds. A copied folder has new times, and only
reading the bytes tells that nothing has changed; then a SHA-256 of each whole file is compared.
What is on the web or in a database has no stamp: only reading it again tells.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import msgspec

from ..errors import SourceError
from ..plan.model import Decisions
from ..sources.addresses import is_address, kept_address
from ..sources.file_sets import files
from ..sources.opening import is_set


class FileStamp(msgspec.Struct, frozen=True, array_like=True):
    """A file as it was when it was read."""

    name: str
    """Its name, without its folders."""
    size: int
    changed: int
    """In nanoseconds since 1970."""
    sum: str
    """SHA-256 of its bytes."""


def paths_of(plan: Decisions) -> list[Path] | None:
    """The files that a plan reads; `None` for what is not on this machine.

    Raises `SourceError` where there is none.
    """
    given = plan.source_path()
    each = given if isinstance(given, list) else [given]
    if any(isinstance(one, str) and is_address(kept_address(one)) for one in each):
        return None
    if not is_set(given):
        return [Path(os.path.normpath(each[0]))]
    found = [_path_of(member.source) for member in files(given)]
    return [Path(os.path.normpath(each)) for each in dict.fromkeys(found) if each is not None]


def _path_of(source: Any) -> Path | None:
    """The file that a member of a set lies in: itself, or an archive."""
    return Path(source) if isinstance(source, str) else getattr(source, "path", None)


def stamped(paths: Sequence[Path]) -> tuple[FileStamp, ...]:
    """The stamps of files. Raises `SourceError` for one that cannot be read."""
    return tuple(_stamp(each) for each in paths)


def _stamp(path: Path) -> FileStamp:
    try:
        with path.open("rb") as stream:
            found = os.fstat(stream.fileno())
            made = hashlib.file_digest(stream, "sha256").hexdigest()
    except OSError as error:
        raise SourceError(f"{path}: cannot be read: {error.strerror}") from None
    return FileStamp(path.name, found.st_size, found.st_mtime_ns, made)


def are_same(paths: Sequence[Path], known: Sequence[FileStamp]) -> bool:
    """Are these the files that were read? Raises `SourceError` for one that cannot be read."""
    if len(paths) != len(known):
        return False
    return all(_is_same(path, stamp) for path, stamp in zip(paths, known, strict=True))


def _is_same(path: Path, known: FileStamp) -> bool:
    try:
        found = path.stat()
    except OSError as error:
        raise SourceError(f"{path}: cannot be read: {error.strerror}") from None
    if found.st_size != known.size:
        return False
    return found.st_mtime_ns == known.changed or _stamp(path).sum == known.sum


def found_again(folder: Path, known: FileStamp, most: int = 10_000) -> Path | None:
    """A file with these bytes anywhere in a folder, of which so many files are looked at."""
    for count, path in enumerate(_files_in(folder)):
        if count >= most:
            return None
        try:
            if path.stat().st_size == known.size and _stamp(path).sum == known.sum:
                return path
        except (OSError, SourceError):
            continue
    return None


def _files_in(folder: Path) -> Iterator[Path]:
    for at, folders, names in os.walk(folder):
        folders[:] = sorted(each for each in folders if not each.startswith("."))
        yield from (Path(at, each) for each in sorted(names))
