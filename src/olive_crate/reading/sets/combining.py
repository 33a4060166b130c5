"""The files of a set put together: types by all of them, one receipt, evidence with its files."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import msgspec

from ...columns.outcome import Outcome, search_for
from ...columns.rule import SourceColumn, base
from ...columns.search import State
from ...columns.search_result import SearchResult, put_together, search_with
from ...dataset.receipt import CellCounts, Problems, Receipt
from ...declaration.variable import Variable
from ...errors import several
from ...evidence import (
    Evidence,
    Example,
    FilesDiffer,
    InFiles,
    Mend,
    Note,
    TextBecause,
    TypesDiffer,
)
from ...kernels.spans import FILE_BITS, LAST_ROW
from ..decided import about_variable, with_others
from ..preparing import ColumnReader
from .differences import NAMED, traits_of
from .survey import Survey


class Combined(msgspec.Struct, eq=False):
    """A variable by all files."""

    variable: Variable
    search: SearchResult
    outcome: Outcome
    own: dict[int, State]
    """By which state each file is to be taken, by the file's place."""
    evidence: list[Evidence]
    notes: list[Note]

    def kind_in(self, place: int) -> str:
        """As what the cells of a file are to be taken."""
        state = self.own[place]
        return self.search.kind if state is self.search.state else state.kind or "text"


def combine(
    survey: Survey,
    variable: Variable,
    results: Mapping[int, SearchResult],
    names: Sequence[str],
    shown_decimals: int | None = None,
) -> Combined:
    """The type of a variable by all files; `results` are by the files' places in the set."""
    errors = survey.errors.get(variable.name, ())
    rule = search_for(survey.plan, variable, SourceColumn(errors=errors)).rule
    together, states = put_together(list(results.values()))
    search = search_with(rule, together)
    reader = ColumnReader(0, variable, search, shown_decimals)
    evidence = [_with_files(each, names) for each in about_variable(reader)]
    kinds = _kinds(results, names)
    named = any(isinstance(each, TextBecause) for each in evidence)
    differing = [] if named else _differing(variable.name, together.kind, kinds)
    notes = _formats(variable.name, together.kind, results, names)
    own = dict(zip(results, states, strict=True))
    return Combined(variable, together, reader.outcome(), own, differing + evidence, notes)


def _kinds(results: Mapping[int, SearchResult], names: Sequence[str]) -> tuple[InFiles, ...]:
    """The types that the files have by themselves, commonest first."""
    files: dict[str, list[str]] = {}
    for place, each in results.items():
        if each.taken and not each.is_declared:
            files.setdefault(base(each.kind), []).append(names[place])
    ranked = sorted(files.items(), key=lambda item: -len(item[1]))
    return tuple(InFiles(kind, len(held), tuple(held[:NAMED])) for kind, held in ranked)


def _differing(name: str, kind: str, kinds: tuple[InFiles, ...]) -> list[Evidence]:
    """A variable that is text because of some of the files."""
    if base(kind) != "text" or len(kinds) < 2:
        return []
    other = next(each.value for each in kinds if each.value != "text")
    mend = Mend({"type": other}, name)
    return [TypesDiffer(variable=name, value="text", kinds=kinds, certain=False, mend=mend)]


def _formats(
    name: str, kind: str, results: Mapping[int, SearchResult], names: Sequence[str]
) -> list[Note]:
    """Dates that each file writes in its own way."""
    if kind not in ("date", "datetime"):
        return []
    files: dict[str, list[str]] = {}
    for place, each in results.items():
        if each.taken and not each.is_declared:
            files.setdefault(each.kind.partition("|")[2] or "ISO 8601", []).append(names[place])
    if len(files) < 2:
        return []
    ranked = sorted(files.items(), key=lambda item: -len(item[1]))
    ways = [InFiles(way, len(held), tuple(held[:NAMED])) for way, held in ranked]
    return [FilesDiffer(what="format", usual=ways[0].value, others=tuple(ways[1:]), variable=name)]


def _with_files(evidence: Evidence, names: Sequence[str]) -> Evidence:
    """Evidence with rows as those of their files."""
    changes: dict[str, object] = {}
    if evidence.examples:
        changes["examples"] = tuple(_named(each, names) for each in evidence.examples)
    for part in ("texts", "marks"):
        if getattr(evidence, part, None):
            changes[part] = tuple(_text_named(each, names) for each in getattr(evidence, part))
    return msgspec.structs.replace(evidence, **changes) if changes else evidence


def _named(example: Example, names: Sequence[str]) -> Example:
    return Example(example.row & LAST_ROW, example.text, names[example.row >> FILE_BITS])


def _text_named(text: Any, names: Sequence[str]) -> Any:
    if not text.rows:
        return text
    file = text.rows[0] >> FILE_BITS
    rows = tuple(row & LAST_ROW for row in text.rows if row >> FILE_BITS == file)
    return msgspec.structs.replace(text, rows=rows, file=names[file])


def set_receipt(
    survey: Survey,
    files: Sequence[Receipt],
    cells: Sequence[CellCounts],
    rows: int,
    began: float,
    combined: Iterable[Combined],
    notes: Sequence[Note] = (),
) -> Receipt:
    """The account of all files together."""
    every = list(combined)
    usual = _usual(survey, files)
    parts: Counter[str] = Counter()
    for each in files:
        for part, count in each.parts.items():
            parts[part] += count
    about = [evidence for each in every for evidence in each.evidence]
    return Receipt(
        source=called(survey, len(files)),
        bytes=sum(each.bytes for each in files),
        layout=usual.layout if usual else "delimited",
        encoding=usual.encoding if usual else "",
        settings=dict(usual.settings) if usual else {},
        lines=sum(each.lines for each in files),
        parts=dict(parts),
        rows=rows,
        cells=tuple(cells),
        short=sum(each.short for each in files),
        trailing=sum(each.trailing for each in files),
        surplus=sum(each.surplus for each in files),
        not_kept=survey.not_kept,
        stopped=any(each.stopped for each in files),
        decided=(*survey.evidence, *about_files(files), *with_others(about)),
        notes=(*survey.notes, *(note for each in every for note in each.notes), *notes),
        characters=sum(each.characters for each in files),
        covered=sum(each.covered for each in files),
        uncovered=sum(each.uncovered for each in files),
        problem_count=sum(each.problem_count for each in files),
        seconds=time.perf_counter() - began,
        problems=Problems.of_files((each.source, each.problems) for each in files),
        files=tuple(files),
    )


def called(survey: Survey, count_of_files: int) -> str:
    """What messages call the set."""
    given = survey.set.given
    count = several(count_of_files, "sheet" if survey.set[0].sheet else "file")
    return f"{count}: {given[0]}" if len(given) == 1 else count


def _usual(survey: Survey, files: Sequence[Receipt]) -> Receipt | None:
    """The account of a file that is like most others."""
    if not files:
        return None
    traits = {each.member.name: tuple(traits_of(each).items()) for each in survey.files}
    known = [each for each in files if each.source in traits]
    common = Counter(traits[each.source] for each in known).most_common(1)
    return next((each for each in known if traits[each.source] == common[0][0]), files[0])


def about_files(files: Sequence[Receipt]) -> list[Evidence]:
    """What was decided about the files themselves: alike evidence once, with its files."""
    alike: dict[tuple[object, ...], list[tuple[str, Evidence]]] = {}
    for file in files:
        for each in file.decided:
            key = (type(each), each.about, each.value, each.certain)
            alike.setdefault(key, []).append((file.source, each))
    made: list[Evidence] = []
    for (_, about, _, certain), held in alike.items():
        others = [other for other in alike if other[1] == about and len(alike[other]) > len(held)]
        if certain and others:
            continue  # the usual is said once; what differs from it is in the notes
        every = len(held) == len(files)
        named = () if every else tuple(name for name, _ in held[:NAMED])
        count = 0 if every else len(held)
        made.append(msgspec.structs.replace(held[0][1], files=named, in_files=count))
    return made
