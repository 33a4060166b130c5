"""A folder to write to and to read from: on this machine, or on any file system that fsspec knows.

What is written appears under its name as a whole or not at all. On this machine it is written
beside its place and renamed; an object store makes a file visible when it is complete.
"""

from __future__ import annotations

import contextlib
import os
import shutil
from pathlib import Path
from typing import IO, Any, cast

from ..errors import SourceError, TargetError
from .addresses import safe_address
from .writing import write_whole


class Folder:
    """A folder by its path or address. It can be sent to another process."""

    def __init__(self, address: str | os.PathLike[str]) -> None:
        self.address = os.fspath(address).rstrip("/") or "/"
        self.is_local = "://" not in self.address
        self._system: Any = None

    def __reduce__(self) -> tuple[Any, ...]:
        return Folder, (self.address,)

    def __str__(self) -> str:
        return safe_address(self.address)

    def _fs(self) -> tuple[Any, str]:
        if self._system is None:
            import fsspec

            try:
                self._system = fsspec.core.url_to_fs(self.address)
            except (ImportError, ValueError) as error:
                raise TargetError(f"{self}: {error}") from None
        return cast(tuple[Any, str], self._system)

    def path(self, name: str) -> str:
        """The path or address of a file in the folder."""
        return f"{self.address}/{name}"

    def make(self) -> None:
        """Make the folder where there is none. Raises `TargetError` where that cannot be."""
        try:
            if self.is_local:
                os.makedirs(self.address, exist_ok=True)
            else:
                system, root = self._fs()
                system.makedirs(root, exist_ok=True)
        except FileExistsError:
            raise TargetError(f"{self}: is a file; name a folder") from None
        except OSError as error:
            raise TargetError(f"{self}: cannot be made: {error.strerror}") from None

    def read(self, name: str) -> bytes | None:
        """The bytes of a file; `None` if there is none."""
        try:
            if self.is_local:
                return Path(self.address, name).read_bytes()
            system, root = self._fs()
            return bytes(system.cat_file(f"{root}/{name}"))
        except (FileNotFoundError, NotADirectoryError):
            return None
        except OSError as error:
            raise SourceError(f"{self}/{name}: cannot be read: {error}") from None

    def exists(self, name: str) -> bool:
        """Is there such a file?"""
        if self.is_local:
            return Path(self.address, name).is_file()
        system, root = self._fs()
        return bool(system.exists(f"{root}/{name}"))

    def write(self, name: str, data: bytes) -> None:
        """Write a file as a whole. Raises `TargetError` where that cannot be."""
        try:
            if self.is_local:
                path = Path(self.address, name)
                path.parent.mkdir(parents=True, exist_ok=True)
                write_whole(path, data)
            else:
                system, root = self._fs()
                system.makedirs(f"{root}/{name}".rsplit("/", 1)[0], exist_ok=True)
                system.pipe_file(f"{root}/{name}", data)
        except OSError as error:
            raise TargetError(f"{self}/{name}: cannot be written: {error}") from None

    def new(self, name: str) -> IO[bytes]:
        """A file to be written to; whoever asks for it closes or removes it."""
        try:
            if self.is_local:
                path = Path(self.address, name)
                path.parent.mkdir(parents=True, exist_ok=True)
                return path.open("wb")
            system, root = self._fs()
            system.makedirs(f"{root}/{name}".rsplit("/", 1)[0], exist_ok=True)
            return cast(IO[bytes], system.open(f"{root}/{name}", "wb"))
        except OSError as error:
            raise TargetError(f"{self}/{name}: cannot be written: {error}") from None

    def open(self, name: str) -> IO[bytes]:
        """A file to be read at any place."""
        if self.is_local:
            return Path(self.address, name).open("rb")
        system, root = self._fs()
        return cast(IO[bytes], system.open(f"{root}/{name}", "rb"))

    def move(self, old: str, new: str) -> None:
        """Give a file another name in the folder."""
        try:
            if self.is_local:
                target = Path(self.address, new)
                target.parent.mkdir(parents=True, exist_ok=True)
                os.replace(Path(self.address, old), target)
            else:
                system, root = self._fs()
                system.makedirs(f"{root}/{new}".rsplit("/", 1)[0], exist_ok=True)
                system.mv(f"{root}/{old}", f"{root}/{new}")
        except OSError as error:
            raise TargetError(f"{self}/{new}: cannot be written: {error}") from None

    def remove(self, name: str) -> None:
        """Remove a file, if it is there."""
        if self.is_local:
            Path(self.address, name).unlink(missing_ok=True)
            return
        system, root = self._fs()
        if system.exists(f"{root}/{name}"):
            system.rm_file(f"{root}/{name}")

    def clear(self, name: str) -> None:
        """Remove a folder within and all that is in it, if it is there."""
        if self.is_local:
            shutil.rmtree(Path(self.address, name), ignore_errors=True)
            return
        system, root = self._fs()
        with contextlib.suppress(OSError):
            system.rm(f"{root}/{name}", recursive=True)

    def remove_empty(self, name: str) -> None:
        """Remove a folder within, if it is there and empty."""
        if self.is_local:
            try:
                os.rmdir(Path(self.address, name))
            except OSError:
                return

    def names(self, within: str = "") -> list[str]:
        """The names of the files in a folder within, without those in folders below it."""
        if self.is_local:
            folder = Path(self.address, within)
            return (
                sorted(e.name for e in folder.iterdir() if e.is_file()) if folder.is_dir() else []
            )
        system, root = self._fs()
        where = f"{root}/{within}".rstrip("/")
        if not system.exists(where):
            return []
        listed = system.ls(where, detail=True)
        return sorted(e["name"].rsplit("/", 1)[-1] for e in listed if e["type"] == "file")
