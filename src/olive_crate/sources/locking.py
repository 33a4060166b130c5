"""One run at a time on a folder: a lock with the process that holds it.

A lock of a process that no longer runs on this machine is taken over. On storage elsewhere there is
no way to tell, so there is no lock.
"""

from __future__ import annotations

import contextlib
import json
import os
import socket
from collections.abc import Iterator
from pathlib import Path

from ..errors import TargetError
from .folder import Folder
from .writing import LOCKS, lives


@contextlib.contextmanager
def locked(folder: Folder, name: str) -> Iterator[None]:
    """Hold the folder's lock. Raises `TargetError` while another run holds it."""
    if not folder.is_local:
        yield
        return
    path = Path(folder.address, name)
    own = json.dumps({"process": os.getpid(), "host": socket.gethostname()})
    LOCKS[path] = own
    try:
        _take(path, own, folder)
        yield
    finally:
        _let_go(path, own)
        LOCKS.pop(path, None)


def _let_go(path: Path, own: str) -> None:
    """Remove the lock if it is ours; who was interrupted while taking it may have none."""
    with contextlib.suppress(OSError):
        if path.read_text("utf-8") in (own, "") and path in LOCKS:
            path.unlink()


def _take(path: Path, own: str, folder: Folder) -> None:
    for _ in range(2):
        try:
            with path.open("x", encoding="utf-8") as stream:
                stream.write(own)
            return
        except FileExistsError:
            LOCKS.pop(path, None)  # it is not ours
            if _is_held(path):
                raise TargetError(
                    f"{folder}: another run is packing into it; wait until it has ended"
                ) from None
            path.unlink(missing_ok=True)
            LOCKS[path] = own
        except OSError as error:
            raise TargetError(f"{folder}: cannot be written to: {error.strerror}") from None


def _is_held(path: Path) -> bool:
    """Is the lock held by a process that lives, or by one of another machine?"""
    try:
        held = json.loads(path.read_text("utf-8"))
        process, host = int(held["process"]), held["host"]
    except (OSError, ValueError, KeyError, TypeError):
        return False
    if host != socket.gethostname():
        return True
    return lives(process)
