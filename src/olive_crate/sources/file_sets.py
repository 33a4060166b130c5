"""What lists, patterns, folders and archives name: the members of a set, before anything is read.

A pattern has `*` and `?` (within one folder), `[...]`, `**` (any folders), and `{year}`: a part of
the name that is kept under a word of the user's. A folder stands for the files in it of the
commonest kind; an archive for those within.
"""

from __future__ import annotations

import os
import re
from collections import Counter
from collections.abc import Iterable, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

import msgspec

from ..declaration.patterns import late
from ..errors import PlanError, SourceError
from .addresses import database_kind, is_web, kept_address, remembered, safe_address
from .sets import PATTERN, PLAN_FILE, Files, Member, in_order
from .source import Source

PART = late(r"\{([A-Za-z_]\w*)\}")


COMPRESSIONS = (".gz", ".bz2", ".xz", ".zst", ".zip")


NO_DATA = (PLAN_FILE, "-metadata.json", ".toml", ".md", ".pdf", ".html", ".py", ".r", ".log")
"""Names in a folder that are never taken for data, unless a pattern or list says so."""


def files(source: Any) -> Files:
    """The set that a list, a pattern, a folder or an archive names.

    Raises `SourceError` where there is no such file, naming what is there instead.
    """
    if isinstance(source, Files):
        return source
    if isinstance(source, (list, tuple)):
        return _of_list(source)
    if isinstance(source, (str, os.PathLike)):
        text = os.fspath(source)
        if isinstance(text, str) and (is_web(text) or database_kind(text) is not None):
            name = remembered(text)
            return Files([Member(name, name)], [name])
        if isinstance(text, str):
            found = _of_url(text) if "://" in text else _of_path(Path(text))
            return Files(found.members, [kept_address(text)], found.left_out)
    return Files([_single(source, 1)])


def _of_list(sources: Iterable[Any]) -> Files:
    members: list[Member] = []
    given: list[str] = []
    left: list[str] = []
    everything = list(sources)
    for number, each in enumerate(everything, 1):
        if isinstance(each, Member):
            members.append(each)
            continue
        if isinstance(each, (str, os.PathLike)):
            found = files(each)
            members += found.members
            given += found.given
            left += found.left_out
        else:
            members.append(_single(each, number))
    if not members:
        raise SourceError("an empty list of files: name at least one")
    named = given if len(given) == len(everything) else []
    return Files(_called(members), named, left)


def _single(source: Any, number: int) -> Member:
    if isinstance(source, Member):
        return source
    if isinstance(source, Source):
        return Member(source.name, source, source.size)
    if isinstance(source, (bytes, bytearray, memoryview)):
        return Member(f"bytes {number}", source, len(source))
    return Member(str(getattr(source, "name", f"open file {number}")), source)


def _of_path(path: Path) -> Files:
    if path.is_dir():
        return _of_folder(path)
    if path.exists():
        members = _within(path)
        return members if members is not None else Files([_member(path, path.name)])
    if not PATTERN.search(str(path)):
        from .opening import open_source

        open_source(path)  # which says what is wrong
    text = path.as_posix()
    found = [Path(each) for each in _globbed(_starred(text)) if os.path.isfile(each)]
    parts = _part_pattern(text)
    members_found = [
        _member(each, each.as_posix(), hit.groupdict() if parts else {})
        for each in sorted(found, key=in_order)
        if (hit := parts.fullmatch(each.as_posix()) if parts else re.match("", ""))
    ]
    if not members_found:
        raise SourceError(f"{text}: no file matches{_instead(path)}")
    return Files(_called(members_found))


def _globbed(pattern: str) -> list[str]:
    import glob

    return glob.glob(pattern, recursive=True)


def _instead(path: Path) -> str:
    """What the folder that a pattern looks in holds."""
    folder = path.parent
    while PATTERN.search(str(folder)):
        folder = folder.parent
    if not folder.is_dir():
        return f"; no such folder: {folder}"
    names = sorted(each.name for each in folder.iterdir())[:5]
    return f"; {folder} holds {', '.join(names)}" if names else f"; {folder} is empty"


def _of_folder(folder: Path) -> Files:
    try:
        inside = [each for each in folder.iterdir() if each.is_file()]
    except OSError as error:
        raise SourceError(f"{folder}: cannot be opened: {error.strerror}") from None
    kept, left = _of_one_kind([each.name for each in inside])
    if not kept:
        raise SourceError(f"{folder}: there is no data file in this folder")
    return Files(_called([_member(folder / name, str(folder / name)) for name in kept]), (), left)


def _of_one_kind(names: Iterable[str]) -> tuple[list[str], list[str]]:
    """The names of the commonest kind, in order, and those that are left out."""
    given = sorted(names, key=in_order)
    hidden = [each for each in given if each.rsplit("/", 1)[-1].startswith((".", "_", "~"))]
    data = [each for each in given if each not in hidden and not each.lower().endswith(NO_DATA)]
    kinds = Counter(map(_kind_of, data))
    if not kinds:
        return [], [each for each in given if each not in hidden]
    common = min(kinds, key=lambda kind: (-kinds[kind], kind))
    kept = [each for each in data if _kind_of(each) == common]
    taken = {*kept, *hidden}
    return kept, [each for each in given if each not in taken]


def _kind_of(name: str) -> str:
    """The extension, without one of compression."""
    stem = name.lower()
    for each in COMPRESSIONS:
        stem = stem.removesuffix(each) if "." in stem.removesuffix(each) else stem
    return os.path.splitext(stem)[1]


def _member(path: Path, name: str, parts: dict[str, str] | None = None) -> Member:
    found = path.stat()
    return Member(name, str(path), found.st_size, found.st_mtime, parts or {})


def _called(members: Sequence[Member]) -> list[Member]:
    """Members under names without the folders that all of them share."""
    paths = [each.name for each in members]
    if len({*paths}) == 1 or not all("/" in each for each in paths):
        shared = "" if len(paths) > 1 or "/" not in paths[0] else paths[0].rsplit("/", 1)[0] + "/"
    else:
        shared = os.path.commonpath([each.rsplit("/", 1)[0] for each in paths])
        shared = shared + "/" if shared and all(p.startswith(shared + "/") for p in paths) else ""
    shared = "" if "://" in shared else shared
    return [msgspec.structs.replace(each, name=each.name.removeprefix(shared)) for each in members]


def _starred(pattern: str) -> str:
    """The pattern with `*` for its parts with words."""
    return PART.sub("*", pattern)


def _part_pattern(pattern: str) -> re.Pattern[str] | None:
    """What takes the parts of a name apart; `None` for a pattern without `{word}`."""
    words = PART.findall(pattern)
    if not words:
        return None
    for word in words:
        if words.count(word) > 1:
            raise PlanError(f"{pattern}: {{{word}}} occurs twice; give each part its own word")
    made = ""
    for number, piece in enumerate(PART.split(pattern)):
        made += f"(?P<{piece}>[^/]+?)" if number % 2 else _as_regex(piece)
    return re.compile(made)


def _as_regex(glob: str) -> str:
    ways = {"**/": "(?:.*/)?", "**": ".*", "*": "[^/]*", "?": "[^/]"}
    pieces = re.split(r"(\*\*/|\*\*|\*|\?|\[[^\]]+\])", glob)
    return "".join(
        ways.get(each, each.replace("[!", "[^") if each.startswith("[") else re.escape(each))
        for each in pieces
    )


def _of_url(url: str) -> Files:
    """Files on any file system that `fsspec` knows."""
    import fsspec

    if not PATTERN.search(url) and not url.endswith("/"):
        return Files([Member(safe_address(url), url)])
    try:
        system, path = fsspec.core.url_to_fs(_starred(url))
        if url.endswith("/"):
            listed = [each for each in system.ls(path, detail=True) if each["type"] == "file"]
            kept, left = _of_one_kind(each["name"].rsplit("/", 1)[-1] for each in listed)
            wanted = set(kept)
            found = {
                each["name"]: each for each in listed if each["name"].rsplit("/", 1)[-1] in wanted
            }
        else:
            held = system.glob(path, detail=True)
            found = {name: each for name, each in held.items() if each["type"] == "file"}
            left = []
    except ImportError as error:
        raise SourceError(f"{safe_address(url)}: {error}") from None
    except Exception as error:  # each kind of storage raises its own
        raise SourceError(
            f"{safe_address(url)}: cannot be listed: {error or type(error).__name__}"
        ) from None
    if not found:
        raise SourceError(f"{safe_address(url)}: no file matches")
    parts = _part_pattern(_path_of(url))
    members = []
    for name in sorted(found, key=in_order):
        hit = parts.search(name) if parts else None
        members.append(
            Member(
                name,
                _address(url, name),
                found[name].get("size"),
                _changed(found[name]),
                hit.groupdict() if hit else {},
            )
        )
    return Files(_called(members), (), left)


def _path_of(url: str) -> str:
    """The part of an address that lies behind its protocol, and in front of another's."""
    return url.split("::", 1)[0].split("://", 1)[1].lstrip("/")


def _address(url: str, name: str) -> str:
    """The address of a file that the file system names so."""
    first, chained, rest = url.partition("::")
    protocol = first.split("://", 1)[0]
    if protocol in ("http", "https"):
        return name
    return f"{protocol}://{name}{chained}{rest}"


def _changed(info: dict[str, Any]) -> float | None:
    """When a file was changed last, as far as a storage tells."""
    for key in ("mtime", "LastModified", "last_modified", "created", "date_time"):
        value = info.get(key)
        if isinstance(value, (int, float)):
            return float(value)
        if isinstance(value, datetime):
            return value.timestamp()
    return None


def _within(path: Path) -> Files | None:
    """The files in an archive of several; `None` for what is no such archive."""
    from .archives import member_sources

    found = member_sources(path)
    return None if found is None else files_in(str(path), found)


def files_in(archive: str, found: dict[str, Source]) -> Files:
    """The set of the files in an archive. Raises `SourceError` if there is no data file."""
    kept, left = _of_one_kind(found)
    if not kept:
        raise SourceError(f"{archive}: the archive holds no data file")
    return Files([Member(name, found[name], found[name].size) for name in kept], (), left)
