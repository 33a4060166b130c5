"""What this user's own runs have written into plans: remembered per user, never in the folder.

A plan that a run of this user wrote may name any file, address or database, because the user named
it to that run. It is known again by what it says, wherever it has been moved, or by where it lies
and what it names, whatever else has been edited in it. Only hashes are kept, no name.
"""

from __future__ import annotations

import contextlib
import functools
import hashlib
import os
from collections.abc import Iterable
from pathlib import Path

from ..errors import TargetError
from .writing import write_whole

FOLDER, FILE = "olive-crate", "own-plans"
LENGTH = 65
"""Bytes of an entry: a SHA-256 in hexadecimal digits and the end of its line."""
MOST = 20_000
"""Entries, above which the older half is forgotten: 1.3 MB, read in a millisecond."""


def remember(plan: Path, content: bytes, names: Iterable[str]) -> None:
    """Remember a plan that this run has written, and what it names; quietly, where that fails."""
    entries = [_by_content(content), *(_by_place(plan, name) for name in names)]
    with contextlib.suppress(OSError):
        path = _file()
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        known = _known(path)
        new = b"".join(each for each in dict.fromkeys(entries) if each not in known)
        if not new:
            return
        handle = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600)
        try:
            os.write(handle, new)
        finally:
            os.close(handle)
    with contextlib.suppress(OSError, TargetError):
        _shorten(path)


def is_own(plan: Path, content: bytes, names: Iterable[str]) -> bool:
    """Did a run of this user write the plan, or what it names into this file?"""
    try:
        known = _known(_file())
    except OSError:
        return False
    return _by_content(content) in known or all(_by_place(plan, name) in known for name in names)


def _by_content(content: bytes) -> bytes:
    return _entry(b"content", content)


def _by_place(plan: Path, name: str) -> bytes:
    return _entry(b"place", str(plan.resolve()).encode("utf-8", "surrogateescape"), name.encode())


def _entry(*parts: bytes) -> bytes:
    """A hash of the parts, each with its length before it, as a line."""
    made = hashlib.sha256()
    for each in parts:
        made.update(len(each).to_bytes(8, "big") + each)
    return made.hexdigest().encode() + b"\n"


def _file() -> Path:
    import platformdirs

    return platformdirs.user_state_path(FOLDER, appauthor=False) / FILE


def _known(path: Path) -> frozenset[bytes]:
    """All entries; read again only when the file has changed, as a crate asks for every plan."""
    try:
        found = path.stat()
    except FileNotFoundError:
        return frozenset()
    return _read(path, found.st_size, found.st_mtime_ns)


@functools.lru_cache(maxsize=2)
def _read(path: Path, size: int, changed: int) -> frozenset[bytes]:
    data = path.read_bytes()
    return frozenset(data[at : at + LENGTH] for at in range(0, len(data), LENGTH))


def _shorten(path: Path) -> None:
    """Forget the older half where there are too many."""
    if path.stat().st_size > MOST * LENGTH:
        write_whole(path, path.read_bytes()[-(MOST // 2) * LENGTH :])
