"""Zip archives as sources: a workbook as it is, or the one file that an archive holds."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path
from typing import IO, Any, cast

import msgspec

from ..errors import SourceError
from .inflating import ARCHIVE_FAULTS, member_stream
from .limits import Limits, beyond
from .sets import HoldsSeveral
from .source import Inflater, Source


def zipped(raw: Source, limits: Limits = Limits()) -> Source:
    """A workbook as it is, or the one file in an archive."""
    from .container import workbook_kind

    held = raw if raw.path is not None and raw.compression is None else _held(raw)
    kind = workbook_kind(b"PK", held.open())
    return msgspec.structs.replace(held, workbook=kind) if kind else _unzipped(held, limits)


def _held(raw: Source) -> Source:
    """An archive that is no local file, kept whole: its directory stands at its end."""
    data = raw.head(1 << 62)
    return msgspec.structs.replace(raw, path=None, size=len(data), open=lambda: io.BytesIO(data))


def _unzipped(raw: Source, limits: Limits) -> Source:
    from .opening import recognised

    members = _members(raw, limits)
    if len(members) != 1:
        raise HoldsSeveral(raw.name, members)
    return recognised(next(iter(members.values())), limits)


def _members(raw: Source, limits: Limits) -> dict[str, Source]:
    """The files in an archive, each as a source, by their names."""
    try:
        with zipfile.ZipFile(cast(Any, _whole(raw))) as archive:
            members = [each for each in archive.infolist() if not each.is_dir()]
    except ARCHIVE_FAULTS as error:
        raise SourceError(
            f"{raw.name}: the archive is damaged or cut off ({error}); request the file again"
        ) from None
    _not_too_many(raw, len(members), limits)
    names = [each.filename for each in members]
    if "[Content_Types].xml" in names or "mimetype" in names:
        raise SourceError(
            f"{raw.name}: this is a document of an office program, but no workbook; "
            "save its table as .xlsx, .ods or CSV"
        )
    return {each.filename: _member(raw, each, limits) for each in members}


def _not_too_many(raw: Source, count: int, limits: Limits) -> None:
    if count > limits.entries:
        raise beyond(raw.name, "entries", f"{count:,} files")


def _member(raw: Source, member: zipfile.ZipInfo, limits: Limits) -> Source:
    name = f"{raw.name} ({member.filename})"

    def opened() -> Any:
        try:
            archive = zipfile.ZipFile(cast(Any, _whole(raw)))
            return member_stream(archive, _opened(raw), member)
        except ARCHIVE_FAULTS as error:
            raise SourceError(f"{raw.name}: the archive is damaged ({error})") from None

    inflater = Inflater(opened, name, "zip", member.compress_size, limits)
    return Source(name, raw.path, None, inflater, compression="zip", stamp=raw.stamp)


def tarred(raw: Source, limits: Limits = Limits()) -> Source:
    """The one file in a tar archive (POSIX.1-2017, pax), which may be compressed."""
    from .opening import recognised

    members = _tar_members(raw, limits)
    if len(members) != 1:
        raise HoldsSeveral(raw.name, members)
    return recognised(next(iter(members.values())), limits)


def _tar_members(raw: Source, limits: Limits) -> dict[str, Source]:
    import tarfile  # not needed for zip archives, as workbooks are

    try:
        with tarfile.open(fileobj=cast(Any, _seekable(raw))) as archive:
            names = [each.name for each in archive.getmembers() if each.isfile()]
    except (tarfile.TarError, EOFError, OSError) as error:
        raise SourceError(f"{raw.name}: the archive is damaged ({error})") from None
    _not_too_many(raw, len(names), limits)
    return {name: _of_tar(raw, name, limits) for name in names}


def members_of(raw: Source, limits: Limits = Limits()) -> dict[str, Source]:
    """The files in a zip or tar archive, by their names."""
    is_zip = raw.head(4).startswith(b"PK")
    return _members(raw, limits) if is_zip else _tar_members(raw, limits)


def _of_tar(raw: Source, name: str, limits: Limits) -> Source:
    import tarfile

    def opened() -> Any:
        archive = tarfile.open(fileobj=cast(Any, _seekable(raw)))  # noqa: SIM115 - lives on
        return archive.extractfile(name)

    inflater = Inflater(opened, f"{raw.name} ({name})", "tar", None, limits)
    return Source(inflater.name, raw.path, None, inflater, "tar", stamp=raw.stamp)


def _seekable(raw: Source) -> Any:
    """The archive's own bytes; what is compressed is unpacked into a temporary file."""
    if raw.compression is None:
        return raw.open() if raw.path is None else raw.path.open("rb")
    import shutil
    import tempfile

    copy = tempfile.SpooledTemporaryFile(max_size=64 << 20)  # noqa: SIM115 - lives with the source
    with raw.open() as stream:
        shutil.copyfileobj(cast(Any, stream), copy, 1 << 20)
    copy.seek(0)
    return copy


def member_sources(path: Path) -> dict[str, Source] | None:
    """The files in an archive of several; `None` for what is no such archive."""
    from .opening import open_source

    try:
        open_source(path)
    except HoldsSeveral as held:
        return held.members
    return None


def _opened(raw: Source) -> IO[bytes]:
    return raw.path.open("rb") if raw.path is not None else io.BytesIO(raw.head(1 << 62))


def _whole(raw: Source) -> Any:
    return raw.path if raw.path is not None else io.BytesIO(raw.head(1 << 62))
