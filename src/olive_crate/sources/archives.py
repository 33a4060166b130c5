"""Zip archives as sources: a workbook as it is, or the one file that an archive holds."""

from __future__ import annotations

import io
import zipfile
from typing import IO, Any, cast

import msgspec

from ..errors import SourceError
from .inflating import ARCHIVE_FAULTS, member_stream
from .source import Inflating, Source


def zipped(raw: Source) -> Source:
    """A workbook as it is, or the one file in an archive."""
    from .container import workbook_kind

    held = raw if raw.path is not None else _held(raw)
    kind = workbook_kind(b"PK", held.open())
    return msgspec.structs.replace(held, workbook=kind) if kind else _unzipped(held)


def _held(raw: Source) -> Source:
    """An archive that is no local file, kept whole: its directory stands at its end."""
    data = raw.head(1 << 62)
    return Source(raw.name, None, len(data), lambda: io.BytesIO(data))


def _unzipped(raw: Source) -> Source:
    try:
        with zipfile.ZipFile(cast(Any, _whole(raw))) as archive:
            members = [each for each in archive.infolist() if not each.is_dir()]
    except ARCHIVE_FAULTS as error:
        raise SourceError(f"{raw.name}: the archive is damaged ({error})") from None
    names = [each.filename for each in members]
    if "[Content_Types].xml" in names or "mimetype" in names:
        raise SourceError(
            f"{raw.name}: this is a document of an office program, but no workbook; "
            "save its table as .xlsx, .ods or CSV"
        )
    if len(names) != 1:
        listed = ", ".join(names[:8]) + (" …" if len(names) > 8 else "")
        raise SourceError(
            f"{raw.name}: the archive holds {len(names)} files ({listed}); "
            f"name one as zip://MEMBER::{raw.name}"
        )
    member = members[0]

    def opened() -> IO[bytes]:
        try:
            archive = zipfile.ZipFile(cast(Any, _whole(raw)))
            stream = member_stream(archive, _opened(raw), member)
        except ARCHIVE_FAULTS as error:
            raise SourceError(f"{raw.name}: the archive is damaged ({error})") from None
        return cast(IO[bytes], Inflating(stream, f"{raw.name} ({member.filename})", "zip"))

    return Source(
        f"{raw.name} ({member.filename})",
        raw.path,
        None,
        opened,
        compression="zip",
        stamp=raw.stamp,
    )


def _opened(raw: Source) -> IO[bytes]:
    return raw.path.open("rb") if raw.path is not None else io.BytesIO(raw.head(1 << 62))


def _whole(raw: Source) -> Any:
    return raw.path if raw.path is not None else io.BytesIO(raw.head(1 << 62))
