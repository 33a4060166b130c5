"""BagIt (RFC 8493): files for archives, with a checksum of each.

The payload lies under `data/`; `manifest-sha256.txt` lists its checksums, `tagmanifest-sha256.txt`
those of the tag files beside it. Names with `%`, line feeds or returns are written with these
characters as percent-encoded octets (2.1.3).
"""

from __future__ import annotations

import hashlib
import zipfile
from collections.abc import Iterable, Mapping
from pathlib import PurePosixPath
from typing import Protocol

from ..declaration.patterns import late
from ..errors import SourceError
from ..sources.inflating import ARCHIVE_FAULTS

PAYLOAD = "data"
DECLARATION = "bagit.txt"
INFO = "bag-info.txt"
MANIFEST = "manifest-sha256.txt"
TAG_MANIFEST = "tagmanifest-sha256.txt"
VERSION_TEXT = "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
ESCAPED = {"%": "%25", "\n": "%0A", "\r": "%0D"}
OCTET = late("%(25|0[AaDd])")


def check_members(archive: str, names: Iterable[str]) -> None:
    """Raise `SourceError` for members that point out of the folder that they are taken out into."""
    for name in names:
        path = PurePosixPath(name.replace("\\", "/"))
        if path.is_absolute() or ".." in path.parts or ":" in (path.parts or ("",))[0]:
            raise SourceError(f"{archive}: refused because it holds {name!r}, which leads outside")


class Readable(Protocol):
    """Something that bytes are read from."""

    def read(self, size: int = -1, /) -> bytes: ...


def sum_of(stream: Readable) -> tuple[str, int]:
    """The SHA-256 and the length of what is left of a stream."""
    made, size = hashlib.sha256(), 0
    while piece := stream.read(1 << 20):
        made.update(piece)
        size += len(piece)
    return made.hexdigest(), size


def manifest(sums: Mapping[str, str]) -> str:
    """The text of a manifest: a checksum and a name a line (2.1.3)."""
    return "".join(f"{sums[name]}  {_escaped(name)}\n" for name in sorted(sums))


def _escaped(name: str) -> str:
    return "".join(ESCAPED.get(char, char) for char in name)


def info(bytes_: int, files: int, today: str, title: str) -> str:
    """The text of `bag-info.txt` (2.2.2)."""
    lines = [f"Bagging-Date: {today}", f"Payload-Oxum: {bytes_}.{files}"]
    if title:
        lines.append(f"External-Description: {' '.join(title.split())}")
    return "\n".join(lines) + "\n"


def bag_problems(archive: zipfile.ZipFile, root: str) -> tuple[list[str], int]:
    """What is wrong with a bag in an archive, and how many checksums were compared.

    A bag is valid if every file that a manifest lists is there with its checksum, and every file
    of the payload is listed (3).
    """
    names = {each.filename for each in archive.infolist() if not each.is_dir()}
    problems: list[str] = []
    listed: dict[str, str] = {}
    for manifest_name in (MANIFEST, TAG_MANIFEST):
        if root + manifest_name not in names:
            problems.append(f"{manifest_name} is gone")
            continue
        found, others = listed_in(archive.read(root + manifest_name))
        listed |= found
        problems += [f"{manifest_name}: no line of a manifest: {each[:60]!r}" for each in others]
    if root + DECLARATION not in names:
        problems.append(f"{DECLARATION} is gone")
    for name, known in listed.items():
        if root + name not in names:
            problems.append(f"{name} is gone")
            continue
        try:
            with archive.open(root + name) as stream:
                has, _ = sum_of(stream)
        except ARCHIVE_FAULTS as error:
            problems.append(f"{name} is damaged: {error}")
            continue
        if has != known:
            problems.append(f"{name} has changed")
    payload = {each for each in names if each.startswith(f"{root}{PAYLOAD}/")}
    problems += [
        f"{each.removeprefix(root)} is in no manifest"
        for each in sorted(payload - {root + name for name in listed})
    ]
    return problems, len(listed)


def listed_in(data: bytes) -> tuple[dict[str, str], list[str]]:
    """The checksums in a manifest by the names of files, and lines that are none of a manifest."""
    found, others = {}, []
    for line in data.decode("utf-8", "replace").split("\n"):
        known, _, path = line.rstrip("\r").partition(" ")
        path = path.lstrip(" *").removeprefix("./")
        if path:
            found[OCTET.sub(lambda match: chr(int(match[1], 16)), path)] = known.lower()
        elif line.strip():
            others.append(line)
    return found, others
