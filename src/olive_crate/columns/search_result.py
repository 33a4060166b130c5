"""What the search for a type found in one part of the data, and several of these put together.

A set of files is read file by file, and a large file may be read range by range, on several threads
or machines. Each part is searched by itself; what is known of it afterwards is a plain value, small
enough to be sent and stored. The type of a variable follows from all of these values in the same
way as it follows from all blocks of one file (`search`): a kind that no part contradicts stays, and
a contradiction leads to a wider one. A part that was taken as something else is then read again.

Dates are the exception: where every part is written in one way of its own, each keeps its own. The
values are dates whatever way they were written in.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import TypeVar

import msgspec
import numpy as np

from ..kernels.spans import FILE_BITS, LAST_ROW
from .declared_times import DeclaredTime
from .rule import MISSING_MARKS, UNKNOWN, Rule, base
from .search import (
    WIDER,
    Declared,
    Narrowed,
    Open,
    Settled,
    State,
    TypeSearch,
)
from .statistics import ROWS_KEPT, TRACKED, Obstacles
from .suggestions import FEW, Watch

INFINITE = float("inf")
WRITTEN_MANY_WAYS = ("date", "datetime")
K = TypeVar("K")
"""Types whose parts may each be written in their own way."""


class SearchResult(msgspec.Struct, eq=False):
    """A search after its part of the data. Rows are those of the set (see `RowNumbers`)."""

    state: State
    kind: str
    """What the cells of this part were last taken as."""
    is_declared: bool = False
    decimals: int = 0
    inexact: int = 0
    wide: bool = False
    fitting: int = 0
    taken: int = 0
    leading_zeros: bool = False
    obstacles: Obstacles | None = None
    low: float | None = None
    high: float | None = None
    """The smallest and the largest number."""
    seen: int = 0
    suspects: dict[float, int] = {}
    """Numbers that look like codes, with their counts."""
    count: int = 0
    few: list[str] | None = None
    """The different texts, where there are few."""
    mixed: bool = False
    marks: dict[str, int] = {}
    kept: dict[str, int] = {}
    as_written: dict[float, tuple[int, list[int]]] = {}
    led: int = 0
    led_unseen: bool = False


def result_of(search: TypeSearch, file: int = 0) -> SearchResult:
    """What a search has found; rows are those of the file at this place in the set."""
    counts, first = search.statistics, file << FILE_BITS
    few = counts.scale.few
    return SearchResult(
        search.state,
        search.final_kind(),
        search.is_declared,
        counts.decimals,
        counts.inexact,
        counts.wide,
        counts.fitting,
        counts.taken,
        counts.leading_zeros,
        _obstacles_moved(counts.obstacles, lambda row: row + first),
        None if counts.watch.low == INFINITE else float(counts.watch.low),
        None if counts.watch.high == -INFINITE else float(counts.watch.high),
        counts.watch.seen,
        dict(counts.watch.counts),
        counts.scale.count,
        None if few is None else sorted(few),
        counts.scale.mixed,
        counts.marks_met(),
        dict(counts.kept_counts),
        _rows_moved(counts.as_written, lambda row: row + first),
        counts.led,
        counts.led_unseen,
    )


def of_file(result: SearchResult, file: int) -> SearchResult:
    """The same, with its rows as those of the file at this place in a set."""
    return _moved(result, lambda row: (row & LAST_ROW) + (file << FILE_BITS))


def shifted(result: SearchResult, rows: int) -> SearchResult:
    """The same, with its rows as many further on."""
    return _moved(result, lambda row: row + rows) if rows else result


def _moved(result: SearchResult, place: Callable[[int], int]) -> SearchResult:
    return msgspec.structs.replace(
        result,
        obstacles=_obstacles_moved(result.obstacles, place),
        as_written=_rows_moved(result.as_written, place),
    )


def _obstacles_moved(held: Obstacles | None, place: Callable[[int], int]) -> Obstacles | None:
    if held is None:
        return None
    return msgspec.structs.replace(held, texts=_rows_moved(held.texts, place))


def _rows_moved(
    held: Mapping[K, tuple[int, list[int]]], place: Callable[[int], int]
) -> dict[K, tuple[int, list[int]]]:
    """Counts and first rows, with each row in another place."""
    return {key: (count, [place(row) for row in rows]) for key, (count, rows) in held.items()}


def search_with(rule: Rule, result: SearchResult) -> TypeSearch:
    """The search that has found this."""
    search = TypeSearch(rule, result.state)
    search.is_declared = result.is_declared
    counts = search.statistics
    counts.decimals, counts.inexact, counts.wide = result.decimals, result.inexact, result.wide
    counts.fitting, counts.taken = result.fitting, result.taken
    counts.leading_zeros, counts.obstacles = result.leading_zeros, result.obstacles
    low = INFINITE if result.low is None else result.low
    high = -INFINITE if result.high is None else result.high
    counts.watch = Watch(dict(result.suspects), low, high, result.seen)
    counts.as_written = result.as_written
    counts.led, counts.led_unseen = result.led, result.led_unseen
    counts.kept_counts = dict(result.kept)
    marks = np.zeros(len(MISSING_MARKS), np.int64)
    for mark, count in result.marks.items():
        marks[MISSING_MARKS.index(mark)] = count
    counts.mark_counts = marks if result.marks else None
    scale = counts.scale
    scale.kind, scale.count, scale.mixed = base(search.final_kind()), result.count, result.mixed
    scale.few = None if result.few is None else set(result.few)
    scale.differ = False
    return search


def put_together(results: Sequence[SearchResult]) -> tuple[SearchResult, list[State]]:
    """What all parts have found together, and the state by which each part is to be taken."""
    state, own = _state([each.state for each in results])
    few = _few(results)
    made = SearchResult(
        state,
        "",
        any(each.is_declared for each in results),
        max(each.decimals for each in results),
        sum(each.inexact for each in results),
        any(each.wide for each in results),
        sum(each.fitting for each in results),
        sum(each.taken for each in results),
        any(each.leading_zeros for each in results),
        None,
        min((each.low for each in results if each.low is not None), default=None),
        max((each.high for each in results if each.high is not None), default=None),
        sum(each.seen for each in results),
        _suspects(results),
        sum(each.count for each in results),
        None if few is None else sorted(few),
        any(each.mixed for each in results),
        _summed([each.marks for each in results]),
        _summed([each.kept for each in results]),
        _written(results),
        sum(each.led for each in results),
        any(each.led_unseen for each in results),
    )
    made.kind = search_with(Rule(UNKNOWN), made).final_kind()
    if made.kind == "text" and not made.is_declared:
        made.obstacles = _obstacles(results)
    return made, own


def _state(states: Sequence[State]) -> tuple[State, list[State]]:
    """The state of all parts, and that of each."""
    declared = next((each for each in states if isinstance(each, Declared)), None)
    if declared is not None:
        return declared, [declared] * len(states)
    timed = [each for each in states if isinstance(each, DeclaredTime) or _misses(each)]
    if timed:
        return _declared_time(states)
    filled = [each for each in states if not isinstance(each, Open) and each.kind != UNKNOWN]
    if not filled:
        return Open(), [Open()] * len(states)
    kinds = {base(each.kind) for each in filled}
    common = [
        kind for kind in _candidates(filled[0]) if all(kind in _candidates(s) for s in filled)
    ]
    by_source = all(getattr(each, "by_source", False) for each in filled)
    if common:
        truths = frozenset[bool]().union(*(getattr(each, "truths", ()) for each in filled))
        state: State = Narrowed(common[0], tuple(common), truths, by_source, _monthly(filled))
        return state, [state] * len(states)
    if len(kinds) == 1 and kinds <= {*WRITTEN_MANY_WAYS} and "zoned" not in map(_kind, filled):
        return _each_its_own(states, next(iter(kinds)))
    wider = WIDER.get("integer", "") if {*map(_kind, filled)} == {"integer", "number"} else "text"
    state = Narrowed(wider, (wider,), by_source=by_source)
    return state, [state] * len(states)


def _kind(state: State) -> str:
    return state.kind


def _candidates(state: State) -> tuple[str, ...]:
    return getattr(state, "candidates", ()) or (state.kind,)


def _misses(state: State) -> dict[str, int]:
    return state.misses if isinstance(state, (DeclaredTime, Settled)) else {}


def _monthly(states: Sequence[State]) -> frozenset[str] | None:
    known = [each.monthly for each in states if isinstance(each, Narrowed)]
    sets = [each for each in known if each is not None]
    return frozenset.intersection(*sets) if sets else None


def _each_its_own(states: Sequence[State], kind: str) -> tuple[State, list[State]]:
    """Dates that are written in several ways: each part in the one that most others allow too."""
    votes = Counter(kind for each in states for kind in _candidates(each) if kind)
    own: list[State] = []
    for each in states:
        ways = sorted(_candidates(each), key=lambda way: -votes[way])
        filled = not isinstance(each, Open) and each.kind != UNKNOWN
        own.append(Narrowed(ways[0], (ways[0],)) if filled else Narrowed(kind, (kind,)))
    return Narrowed(kind, (kind,)), own


def _declared_time(states: Sequence[State]) -> tuple[State, list[State]]:
    """A declared date or time: one way for all parts if they share one, else each its own."""
    filled = [_misses(each) for each in states if _misses(each)]
    kind = next(each.kind for each in states if isinstance(each, (DeclaredTime, Settled)))
    if not filled:
        return DeclaredTime(base(kind)), list(states)
    shared = [way for way in filled[0] if all(way in each for each in filled)]
    if shared:
        state = DeclaredTime(base(kind), {way: sum(each[way] for each in filled) for way in shared})
        return state, [state] * len(states)
    return DeclaredTime(base(kind)), list(states)


def _few(results: Sequence[SearchResult]) -> set[str] | None:
    """The different texts of all parts, if they are still few."""
    if any(each.few is None for each in results):
        return None
    together = {text for each in results for text in each.few or ()}
    return together if len(together) <= FEW else None


def _suspects(results: Sequence[SearchResult]) -> dict[float, int]:
    counts: Counter[float] = Counter()
    for each in results:
        counts.update(each.suspects)
    return dict(counts)


def _summed(parts: Sequence[dict[str, int]]) -> dict[str, int]:
    total: Counter[str] = Counter()
    for each in parts:
        total.update(each)
    return dict(total)


def _written(results: Sequence[SearchResult]) -> dict[float, tuple[int, list[int]]]:
    found: dict[float, tuple[int, list[int]]] = {}
    for each in results:
        for code, (count, rows) in each.as_written.items():
            before, first = found.get(code, (0, []))
            found[code] = (before + count, (first + rows)[:ROWS_KEPT])
    return found


def _obstacles(results: Sequence[SearchResult]) -> Obstacles | None:
    """What keeps the variable from a narrower type, where parts of it are of that type."""
    narrow = [each for each in results if base(each.kind) not in ("text", "category", "boolean")]
    held = [each.obstacles for each in results if each.obstacles is not None]
    kinds = Counter({each.kind: 0 for each in held})
    for each in narrow:
        kinds[each.kind] += each.fitting
    for obstacle in held:
        kinds[obstacle.kind] += obstacle.fitting
    if not held or not kinds:
        return None
    kind = max(kinds, key=lambda each: kinds[each])
    made = Obstacles(kind, sum(each.fitting for each in narrow if each.kind == kind))
    for obstacle in held:
        if base(obstacle.kind) == base(kind) or {obstacle.kind, kind} == {"integer", "number"}:
            _add(made, obstacle)
    return made


def _add(made: Obstacles, other: Obstacles) -> None:
    made.fitting += other.fitting
    made.count += other.count
    made.odd += other.odd
    for text, (count, rows) in other.texts.items():
        if text in made.texts or len(made.texts) < TRACKED:
            seen, first = made.texts.get(text, (0, []))
            made.texts[text] = (seen + count, (first + rows)[:ROWS_KEPT])
