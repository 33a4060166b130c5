"""Files that appear under their name as a whole or not at all."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ..errors import Advice, PlanError, TargetError


@contextlib.contextmanager
def writing(path: object) -> Iterator[None]:
    """What the system raises while this is written, as `TargetError`: a full disk, no access."""
    try:
        yield
    except OSError as error:
        raise TargetError(f"{path}: cannot be written: {reason_of(error)}") from None


def reason_of(error: OSError) -> str:
    """What the system says, without its numbers and without what a library says around it."""
    if error.errno:
        return os.strerror(error.errno).lower()
    return " ".join(str(error).split("\n")[0].split())


def write_whole(path: Path, data: bytes) -> None:
    """Write a file so that it is either there as a whole or not at all. Raises `TargetError`."""
    with writing(path):
        name = temporary_beside(path)
        try:
            name.write_bytes(data)
            put_in_place(name, path)
        except BaseException:
            name.unlink(missing_ok=True)
            raise


def temporary_beside(path: Path) -> Path:
    """An empty file in the same folder, to be written and then put in the place of `path`."""
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    os.close(handle)
    return Path(name)


def put_in_place(temporary: Path, path: Path) -> None:
    """Give a finished file its name, and the access rights that any new file would have."""
    mask = os.umask(0)
    os.umask(mask)
    os.chmod(temporary, 0o666 & ~mask)
    os.replace(temporary, path)


def checked_target(path: Any, replace: bool) -> Path:
    """The file to write. Raises `PlanError` where it cannot or must not be written."""
    target = Path(path)
    if target.is_dir():
        raise PlanError(f"{target}: is a folder; name a file in it")
    if not target.parent.is_dir():
        raise PlanError(f"{target}: no such folder: {target.parent}")
    if target.exists() and not replace:
        advice = Advice("use {} to overwrite it", "replace=True", "--replace")
        raise PlanError(f"{target}: already exists", advice)
    if not os.access(target.parent, os.W_OK):
        raise PlanError(f"{target}: no permission to write to the folder {target.parent}")
    return target
