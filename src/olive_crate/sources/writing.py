"""Files that appear under their name as a whole or not at all."""

from __future__ import annotations

import contextlib
import glob
import os
import re
import shutil
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
            give_up(name)
            raise


def temporary_beside(path: Path) -> Path:
    """An empty file in the same folder, to be written and then put in the place of `path`.

    Its name tells the process that writes it, which holds a lock on it. Files of processes that
    have ended without removing them are removed.
    """
    _remove_left_over(path)
    made = _new_beside(path.parent, f".{path.name}.{os.getpid()}-")
    _HELD[str(made)] = NOT_LOCKED  # before it is there, so that an interrupt finds it
    handle = os.open(made, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
    if _locked(handle):
        _HELD[str(made)] = handle
    else:
        os.close(handle)
    return made


def folder_beside(path: Path) -> Path:
    """An empty folder beside a file that is written, for what it is made of.

    Folders of processes that have ended without removing them are removed.
    """
    pattern = re.compile(re.escape(f".{path.name}.parts-") + r"(\d+)-\w+")
    with writing(path):
        for each in path.parent.glob(f".{glob.escape(path.name)}.parts-*"):
            match = pattern.fullmatch(each.name)
            if match is not None and not lives(int(match[1])):
                shutil.rmtree(each, ignore_errors=True)
        made = _new_beside(path.parent, f".{path.name}.parts-{os.getpid()}-")
        _FOLDERS.add(made)  # before it is there, so that an interrupt finds it
        made.mkdir(0o700)
    return made


def _new_beside(folder: Path, prefix: str) -> Path:
    """A name that nothing in a folder has."""
    made = folder / (prefix + os.urandom(4).hex())
    return _new_beside(folder, prefix) if os.path.lexists(made) else made


def give_up_folder(folder: Path) -> None:
    """Remove such a folder, and all that is in it."""
    shutil.rmtree(folder, ignore_errors=True)
    _FOLDERS.discard(folder)


def give_up(temporary: Path) -> None:
    """Remove a temporary file, if it is still there."""
    temporary.unlink(missing_ok=True)
    _let_go(temporary)


_FOLDERS: set[Path] = set()
"""Folders of temporary files that this process holds."""
_HELD: dict[str, int] = {}
"""Temporary files that this process holds, with the handles of their locks."""
NOT_LOCKED = -1
"""In place of a handle: the file is about to be made, or the system has no locks."""
LOCKS: dict[Path, str] = {}
"""Locks of folders that this process holds or is taking, with what it writes into them."""


def clean_up() -> None:
    """Remove what this process has begun, for an end that comes before anybody else does it."""
    for folder in list(_FOLDERS):
        shutil.rmtree(folder, ignore_errors=True)
    for name in list(_HELD):
        with contextlib.suppress(OSError):
            os.unlink(name)
    for path, own in list(LOCKS.items()):
        with contextlib.suppress(OSError):
            if path.read_text("utf-8") in (own, ""):
                path.unlink()
            path.parent.rmdir()  # if nothing is in it


def _let_go(temporary: Path) -> None:
    handle = _HELD.pop(str(temporary), NOT_LOCKED)
    if handle != NOT_LOCKED:
        os.close(handle)


def _locked(handle: int) -> bool:
    """Lock a file, unless another process has; false too where the system has no such locks."""
    try:
        import fcntl

        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except (ImportError, OSError):
        return False
    return True


def _remove_left_over(path: Path) -> None:
    """Remove the temporary files of this target whose processes are gone."""
    pattern = re.compile(re.escape(f".{path.name}.") + r"(\d+)-\w+")
    for each in path.parent.glob(f".{glob.escape(path.name)}.*"):
        match = pattern.fullmatch(each.name)
        if match is None or lives(int(match[1])):
            continue
        with contextlib.suppress(OSError):
            handle = os.open(each, os.O_RDWR)
            try:
                if _locked(handle):
                    each.unlink()
            finally:
                os.close(handle)


def lives(process: int) -> bool:
    """Is there such a process on this machine? Where that cannot be asked, there may be."""
    if os.name != "posix":
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def put_in_place(temporary: Path, path: Path) -> None:
    """Give a finished file its name, and the access rights that any new file would have."""
    mask = os.umask(0)
    os.umask(mask)
    os.chmod(temporary, 0o666 & ~mask)
    os.replace(temporary, path)
    _let_go(temporary)


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
