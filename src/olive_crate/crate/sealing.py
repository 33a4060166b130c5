"""A crate sealed for others: one archive that can be read without Olive Crate, and checked by it.

Plans, packed datasets, delimited text with CSVW metadata of all tables and their relations, one
DDI-Codebook, a page for people, and, if wanted, the sources; in the form of BagIt (RFC 8493).
Packed datasets are stored as they are, since they are compressed already. What tells of the machine
they were made on (folders, users, tokens) is taken out of plans and receipts.
"""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

import msgspec

from ..dataset.crates import Sealed, SealedFile
from ..dataset.model import PlainDataset
from ..dataset.receipt import Receipt
from ..errors import PlanError
from ..formats.packed import pack_dataset, unpack_file
from ..plan.model import Decisions
from ..plan.toml_write import Words, plan_text
from ..reading.dictionaries.applying import with_dictionary
from ..sources.addresses import is_address, kept_address
from ..sources.writing import checked_target, give_up, put_in_place, temporary_beside, writing
from .bags import DECLARATION, INFO, MANIFEST, PAYLOAD, TAG_MANIFEST, VERSION_TEXT, info, manifest
from .bags import sum_of as stream_sum
from .described import codebook_xml, readme_html, table_group
from .model import FILE, write_crate
from .place import Place
from .records import RELATIONS, record_at, record_path, sum_of_plan
from .refreshing import packed_at, without_shared
from .stamps import paths_of

DATE = (1980, 1, 1, 0, 0, 0)
"""The time of all members, so that the same crate makes the same archive."""


class _Part(NamedTuple):
    """A file of the payload, and where its bytes are."""

    name: str
    source: Path | bytes
    stored: bool = False
    """Not compressed."""


def sealed(
    place: Place,
    path: Any,
    words: Words,
    sources: bool = False,
    texts: bool = True,
    replace: bool = False,
    only_list: bool = False,
) -> Sealed:
    """See `api.crate.Crate.seal`."""
    target = None if only_list else checked_target(path, replace)
    with tempfile.TemporaryDirectory(prefix="olive-crate-") as made:
        parts = list(_parts(place, Path(made), words, sources, texts))
        names = [each.name for each in parts]
        doubled = sorted({each for each in names if names.count(each) > 1})
        if doubled:
            raise PlanError(f"{place.name}: two files would be called {doubled[0]}; rename one")
        if target is None:
            return Sealed(
                str(path or ""), tuple(map(_listed, parts)), False, _notes(place, sources)
            )
        temporary = temporary_beside(target)
        try:
            with writing(target):
                files = _written(temporary, parts, place.file.title)
                put_in_place(temporary, target)
        finally:
            give_up(temporary)
    return Sealed(str(target), files, True, _notes(place, sources))


def _listed(part: _Part) -> SealedFile:
    size = len(part.source) if isinstance(part.source, bytes) else part.source.stat().st_size
    return SealedFile(f"{PAYLOAD}/{part.name}", size)


def _notes(place: Place, sources: bool) -> tuple[str, ...]:
    """What is left out."""
    earlier = sum(len(each.earlier) for each in place.file.tables.values())
    notes = [f"{earlier} earlier packed datasets are left out"] if earlier else []
    if not sources:
        notes.append("sources are left out")
    return tuple(notes)


def _parts(place: Place, aside: Path, words: Words, sources: bool, texts: bool) -> Iterator[_Part]:
    """The payload, file by file; what has to be made is made in a folder aside."""
    crate, tables = place.file, {}
    for name, entry in crate.tables.items():
        plan = with_dictionary(without_shared(place.plan(name), crate))
        own = list(_sources(place, name, plan)) if sources else []
        yield from own
        clean = _portable(plan, [each.name for each in own])
        text = plan_text(clean, words).encode("utf-8")
        yield _Part(entry.plan, text)
        packed = aside / f"{name}.parquet"
        dataset = unpack_file(packed_at(place, name))
        _packed_again(dataset, packed, clean)
        tables[name] = unpack_file(packed)
        yield _Part(entry.packed, packed, stored=True)
        record = record_at(place, entry.packed)
        if record is not None:
            record = msgspec.structs.replace(record, plan_sum=sum_of_plan(text, crate))
            yield _Part(record_path(entry.packed), msgspec.json.encode(record))
    if place.path(RELATIONS).exists():
        yield _Part(RELATIONS, place.path(RELATIONS))
    file = aside / FILE
    kept = {n: msgspec.structs.replace(each, earlier=()) for n, each in crate.tables.items()}
    if place.path(FILE).exists():
        file.write_bytes(place.path(FILE).read_bytes())
    write_crate(file, msgspec.structs.replace(crate, tables=kept))
    yield _Part(FILE, file)
    if texts:
        yield from _texts(tables, aside)
    group = table_group(tables, crate.relations, crate.title, texts)
    yield _Part("csvw-metadata.json", group)
    yield _Part("codebook.ddi.xml", codebook_xml(tables, crate.title))
    yield _Part("README.html", readme_html(tables, crate, texts))


def _sources(place: Place, name: str, plan: Decisions) -> Iterator[_Part]:
    """The files that a table was read from; of what is no file there is none."""
    paths = paths_of(plan) or []
    for path in paths:
        folder = f"sources/{name}/" if len(paths) > 1 else "sources/"
        yield _Part(folder + path.name, path)


def _portable(plan: Decisions, sources: list[str]) -> Decisions:
    """The plan without folders of this machine: it names the sources in the crate, or their names.

    An address stays, in the form without users, tokens and query strings.
    """
    replace = msgspec.structs.replace
    named = [kept_address(each) for each in plan.source.paths or (plan.source.path or "",)]
    if all(map(is_address, named)):
        return replace(plan, base=None, reach=None, read_from=None)
    there = [f"../{each}" for each in sources] or [Path(each).name for each in named]
    source = (
        replace(plan.source, path=there[0], paths=None)
        if len(there) == 1
        else replace(plan.source, path=None, paths=tuple(there))
    )
    return replace(plan, source=source, base=None, reach=None, read_from=None)


def _packed_again(dataset: PlainDataset, target: Path, plan: Decisions) -> None:
    """The dataset packed with a plan and a receipt that tell nothing of this machine."""
    replace = msgspec.structs.replace
    own = replace(dataset.plan, source=plan.source, base=None, reach=None, read_from=None)
    pack_dataset(replace(dataset, plan=own, receipt=_discreet(dataset.receipt)), target)


def _discreet(receipt: Receipt) -> Receipt:
    """The receipt with names of files in the place of paths."""
    files = tuple(map(_discreet, receipt.files))
    source = receipt.source if is_address(receipt.source) else Path(receipt.source).name
    return msgspec.structs.replace(receipt, source=source, files=files)


def _texts(tables: dict[str, PlainDataset], aside: Path) -> Iterator[_Part]:
    """Each table as delimited text."""
    from ..formats.exporting import export

    for name, dataset in tables.items():
        path = aside / f"{name}.csv"
        export(dataset, path, missing="codes", metadata=[])
        yield _Part(f"text/{name}.csv", path)


def _written(target: Path, parts: list[_Part], title: str) -> tuple[SealedFile, ...]:
    """The archive: payload, manifests, tag files."""
    sums: dict[str, str] = {}
    files: list[SealedFile] = []
    total = 0
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for part in parts:
            name = f"{PAYLOAD}/{part.name}"
            sums[name], size = _add(archive, name, part)
            files.append(SealedFile(name, size))
            total += size
        today = datetime.now(UTC).date().isoformat()
        tags = {
            DECLARATION: VERSION_TEXT,
            INFO: info(total, len(parts), today, title),
            MANIFEST: manifest(sums),
        }
        tag_sums = {}
        for name, text in tags.items():
            tag_sums[name], size = _add(archive, name, _Part(name, text.encode("utf-8")))
            files.append(SealedFile(name, size))
        listed = _Part(TAG_MANIFEST, manifest(tag_sums).encode("utf-8"))
        files.append(SealedFile(TAG_MANIFEST, _add(archive, TAG_MANIFEST, listed)[1]))
    return tuple(files)


def _add(archive: zipfile.ZipFile, name: str, part: _Part) -> tuple[str, int]:
    """Write a member; its checksum and its length."""
    member = zipfile.ZipInfo(name, DATE)
    member.compress_type = zipfile.ZIP_STORED if part.stored else zipfile.ZIP_DEFLATED
    member.external_attr = 0o644 << 16
    source = io.BytesIO(part.source) if isinstance(part.source, bytes) else part.source.open("rb")
    with source as stream, archive.open(member, "w", force_zip64=True) as out:
        return stream_sum(_Copying(stream, out))


class _Copying:
    """A stream of which all that is read is written elsewhere too."""

    def __init__(self, stream: Any, out: Any) -> None:
        self._stream, self._out = stream, out

    def read(self, size: int = -1, /) -> bytes:
        """Up to so many bytes."""
        piece: bytes = self._stream.read(size)
        self._out.write(piece)
        return piece
