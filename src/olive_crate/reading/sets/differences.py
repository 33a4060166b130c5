"""How the files of a set differ: what was settled for each, and what cannot be told."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from difflib import SequenceMatcher

import msgspec

from ...declaration.variable import Variable
from ...evidence import (
    DecimalMark,
    Evidence,
    FilesDiffer,
    FilesUnlike,
    InFiles,
    Mend,
    Note,
    NotInFiles,
    PerhapsRenamed,
    UnitsDiffer,
)
from ...layouts.base import SourceLayout
from ...sources.sets import Member
from ...sources.source import Source

NAMED = 5
"""Files that evidence names; all are counted."""


ALIKE = 0.6
"""Headings at least this similar (by difflib's ratio) may be one heading, renamed."""


class FileFound(msgspec.Struct, eq=False):
    """One file of a set, found."""

    member: Member
    place: int
    """Its place in the set, from 0."""
    source: Source
    found: SourceLayout
    columns: dict[int, Variable]
    """The declaration of each column, under the names of the set."""

    @property
    def names(self) -> list[str]:
        """The names of its variables, in the order of its columns."""
        return [self.columns[index].name for index in sorted(self.columns)]


def in_files(values: Iterable[tuple[str, str]]) -> tuple[InFiles, ...]:
    """Values with the files that have them, from pairs of a value and a file; commonest first."""
    files: dict[str, list[str]] = {}
    for value, file in values:
        files.setdefault(value, []).append(file)
    ranked = sorted(files.items(), key=lambda item: -len(item[1]))
    return tuple(InFiles(value, len(named), tuple(named[:NAMED])) for value, named in ranked)


def traits_of(file: FileFound) -> dict[str, str]:
    """What files may differ in without harm."""
    plan = file.found.plan
    if not file.columns:
        return {}
    traits = {
        "layout": plan.layout or "delimited",
        "encoding": "" if plan.layout == "sheet" else file.found.layout.encoding,
        "heading": ", ".join(map(str, plan.rows.names or ())) or "none",
    }
    if plan.layout not in ("sheet", "fixed"):
        traits["delimiter"] = plan.delimited.delimiter or ""
    mark = next((each for each in file.found.evidence if isinstance(each, DecimalMark)), None)
    if mark is not None and mark.supporting:
        traits["decimal"] = mark.value
    return traits


def differing_notes(found: Sequence[FileFound]) -> list[Note]:
    """What was settled for each file by itself."""
    notes: list[Note] = []
    for what in ("layout", "encoding", "delimiter", "decimal", "heading"):
        pairs = [(traits_of(each).get(what, ""), each.member.name) for each in found]
        values = in_files((value, name) for value, name in pairs if value)
        if what == "encoding":
            values = _beyond_ascii(values)
        if len(values) > 1:
            notes.append(FilesDiffer(what=what, usual=values[0].value, others=values[1:]))
    moved = in_files((", ".join(_shared_order(each, found)), each.member.name) for each in found)
    if len(moved) > 1 and not _is_one_order(found):
        notes.append(FilesDiffer(what="order", usual=moved[0].value, others=moved[1:]))
    return notes


def _beyond_ascii(values: tuple[InFiles, ...]) -> tuple[InFiles, ...]:
    """Encodings that differ in more than that some files are pure ASCII."""
    return tuple(each for each in values if each.value != "ascii")


def _shared_order(file: FileFound, found: Sequence[FileFound]) -> list[str]:
    """The names that all files share, in the order of this one."""
    shared = set(file.names).intersection(*(each.names for each in found))
    return [name for name in file.names if name in shared]


def _is_one_order(found: Sequence[FileFound]) -> bool:
    first = _shared_order(found[0], found)
    return all(_shared_order(each, found) == first for each in found)


def absent_notes(files: Sequence[tuple[str, Collection[str]]], names: Iterable[str]) -> list[Note]:
    """Variables that some files do not have; `files` are names with those of their variables."""
    notes: list[Note] = []
    for name in names:
        having = [file for file, held in files if name in held]
        if len(having) == len(files):
            continue
        without = [file for file, held in files if name not in held]
        fewer = having if len(having) < len(without) else without
        notes.append(
            NotInFiles(name=name, count=len(without), of=len(files), files=tuple(fewer[:NAMED]))
        )
    return notes


def unlike_files(found: Sequence[FileFound]) -> list[Evidence]:
    """Files that share less than half of their variables with most others."""
    filled = [each for each in found if each.columns]
    common = Counter(tuple(each.names) for each in filled).most_common(1)
    most = set(common[0][0]) if common else set[str]()
    odd = [each for each in filled if 2 * len(most & set(each.names)) < len(each.names)]
    if not odd or 2 * len(odd) > len(filled):
        return []
    names = tuple(each.member.name for each in odd)
    return [
        FilesUnlike(
            value=names[0],
            names=names[:NAMED],
            count=len(names),
            shared=len(most & set(odd[0].names)),
            of=len(odd[0].names),
            certain=False,
        )
    ]


def renamed_variables(found: Sequence[FileFound], names: Sequence[str]) -> list[Evidence]:
    """Variables that only files without another one have, under a heading like its own."""
    having: dict[str, set[int]] = {name: set() for name in names}
    for each in found:
        for name in having.keys() & each.names:
            having[name].add(each.place)
    partial = [name for name in names if len(having[name]) < len(found)]
    evidence: list[Evidence] = []
    used: set[str] = set()
    for usual in sorted(partial, key=lambda name: -len(having[name])):
        for other in partial:
            apart = not having[usual] & having[other]
            fewer = len(having[other]) <= len(having[usual]) and other != usual
            if not apart or not fewer or {usual, other} & used or not _alike(usual, other, found):
                continue
            used |= {usual, other}
            where = [f.member.name for f in found if f.place in having[other]]
            headings = [*_headings(usual, found), *_headings(other, found)]
            evidence.append(
                PerhapsRenamed(
                    variable=usual,
                    value=usual,
                    other=other,
                    count=len(where),
                    files=tuple(where[:NAMED]),
                    certain=False,
                    mend=Mend({"from": headings}, usual),
                )
            )
            break
    return evidence


def _headings(name: str, found: Iterable[FileFound]) -> list[str]:
    held = [each for file in found for each in file.columns.values() if each.name == name]
    return list(dict.fromkeys(heading for each in held for heading in each.headings))


def _alike(one: str, other: str, found: Sequence[FileFound]) -> bool:
    """Are two names alike, or does one begin with the other?"""
    first, second = one.casefold(), other.casefold()
    if first.startswith(second) or second.startswith(first):
        return True
    return SequenceMatcher(None, first, second).ratio() >= ALIKE


def unit_evidence(found: Sequence[FileFound], names: Iterable[str]) -> list[Evidence]:
    """Variables with different units in different files."""
    evidence: list[Evidence] = []
    pairs: dict[str, list[tuple[str, str]]] = {name: [] for name in names}
    for file in found:
        for index, each in file.columns.items():
            if (unit := file.found.units[index]) and each.name in pairs:
                pairs[each.name].append((unit, file.member.name))
    for name, held in pairs.items():
        units = in_files(held)
        if len(units) > 1:
            evidence.append(
                UnitsDiffer(variable=name, value=units[0].value, units=units, certain=False)
            )
    return evidence
