"""Crates in words: how tables stand, what a refresh found, by what they can be put together."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..dataset.crates import (
    CrateStatus,
    CrateVerification,
    Difference,
    Keys,
    Refresh,
    RelationState,
    Sealed,
    SharedKey,
    TableRefresh,
    TableState,
)
from ..errors import several
from .text import WIDTH, table, visible, wrapped
from .verification import verification_text

SOURCES = {
    "unchanged": "unchanged",
    "changed": "changed",
    "moved": "moved",
    "gone": "not there",
    "not asked": "not asked",
    "reachable": "reachable",
    "unreachable": "unreachable",
}
SHOWN = 10


def status_text(made: CrateStatus, width: int = WIDTH) -> str:
    """A line a table, and below what needs attention."""
    title = f"{visible(made.title)} \u2014 " if made.title else ""
    lines = [f"{title}{visible(made.folder)}: {several(len(made.tables), 'table')}"]
    if not made.tables:
        return "\n".join([*lines, "add one with: olive-crate crate add FILE"])
    rows = [
        (
            visible(each.name),
            f"{each.rows:,}" if each.packed != "not packed" else "",
            str(each.variables or ""),
            SOURCES[each.source_state],
            each.packed,
            _promises(each),
            str(each.problems or ""),
            str(each.open_points or ""),
        )
        for each in made.tables
    ]
    heads = ("table", "cases", "variables", "source", "dataset", "promises", "problems", "open")
    lines += ["", *table(heads, rows, "lrrlllrr", width=width), ""]
    for each in made.tables:
        lines += [piece for text in _notes(each) for piece in wrapped(text, width)]
    lines += [piece for each in made.relations for piece in wrapped(relation_words(each), width)]
    if made.is_current:
        lines.append("nothing to refresh")
    elif any(not each.is_current for each in made.tables):
        lines.append("refresh with: olive-crate crate refresh")
    return "\n".join(lines).rstrip("\n")


def _promises(state: TableState) -> str:
    if not state.promises:
        return ""
    return f"{state.broken} of {state.promises} broken" if state.broken else "kept"


def _notes(state: TableState) -> Iterator[str]:
    """What needs attention in a table."""
    name = visible(state.name)
    if state.error:
        yield f"{name}: could not be read: {visible(state.error)}"
    if state.moved_to:
        yield (
            f"{name}: its source lies in {visible(state.moved_to)} now; to read it there: "
            f"olive-crate crate refresh {name} --take-moved"
        )
    elif state.source_state == "gone" and not state.error:
        named = state.source.split(", ")
        more = f" and {len(named) - 1} more" if len(named) > 1 else ""
        yield f"{name}: {visible(named[0]) or 'its source'}{more}: not there"
    if state.plan_changed and state.packed == "stale":
        yield f"{name}: its plan, or a code that tables share, has changed"
    if state.drift:
        yield f"{name}: when it was read last, {several(state.drift, 'thing')} was not as planned"


def relation_words(state: RelationState) -> str:
    """A relation, and whether it holds."""
    name = visible(state.relation.name)
    if state.why:
        return f"{name}: {'' if state.kept else 'not kept: '}{visible(state.why)}"
    if state.kept:
        return f"{name}: kept by all {several(state.cases, 'case')}"
    parts = []
    if state.unmatched:
        shown = ", ".join(map(visible, state.examples))
        parts.append(f"{state.unmatched:,} of {several(state.cases, 'case')} without one ({shown})")
    if state.doubled:
        table_ = visible(state.relation.to_table)
        parts.append(f"{several(state.doubled, 'value')} in several cases of {table_}")
    return f"{name}: not kept: {'; '.join(parts)}"


def refresh_text(made: Refresh, width: int = WIDTH) -> str:
    """What came of each table, and the relations."""
    lines: list[str] = []
    for each in made.tables:
        lines += wrapped(_refreshed(each), width)
        for text in _told(each):
            lines += [f"  {piece}" for piece in wrapped(text, width - 2)]
    lines += [piece for each in made.relations for piece in wrapped(relation_words(each), width)]
    return "\n".join(lines) if lines else "no tables"


def _refreshed(each: TableRefresh) -> str:
    name = visible(each.name)
    if each.done == "unchanged":
        return f"{name}: unchanged"
    if each.done == "failed":
        return f"{name}: could not be read; its last dataset is kept"
    news = "" if each.first or each.differences else ", nothing new in it"
    return f"{name}: {several(each.rows, 'case')}{' read' if each.first else ' read again'}{news}"


def _told(each: TableRefresh) -> Iterator[str]:
    if each.error:
        yield visible(each.error)
    yield from map(difference_words, each.differences)
    yield from (f"not as planned: {visible(str(one))}" for one in each.drift)
    yield from (f"promise broken: {visible(str(one))}" for one in each.broken)


def difference_words(made: Difference) -> str:
    """One thing that is new."""
    name, before, after = visible(made.variable), _figure(made.before), _figure(made.after)
    more = made.count - len(made.values)
    values = ", ".join(map(visible, made.values)) + (f" and {more:,} more" if more else "")
    return {
        "rows": f"{after} cases, {before} before",
        "new": f"{name}: new, {after}",
        "gone": f"{name}: not there any more",
        "type": f"{name}: {after}, {before} before",
        "missing": f"{name}: {after} % {visible(made.reason)}, {before} % before",
        "values": f"{name}: new values: {values}",
        "mean": f"{name}: mean {after}, {before} before",
        "range": f"{name}: {after}, {before} before",
    }[made.what]


def _figure(value: Any) -> str:
    """A figure as a person reads it; of two, the range."""
    if isinstance(value, tuple):
        return " to ".join(f"{each:g}" if isinstance(each, float) else str(each) for each in value)
    if isinstance(value, float):
        return f"{value:.4g}"
    return f"{value:,}" if isinstance(value, int) else visible(str(value or ""))


def keys_text(made: Keys, width: int = WIDTH) -> str:
    """Candidate keys of each table, then what tables have in common."""
    lines = ["candidate keys"]
    for name in made.tables:
        found = [
            visible(", ".join(each.variables)) for each in made.candidates if each.table == name
        ]
        text = "; ".join(found) or "none: no variable differs in every case"
        lines += [f"  {piece}" for piece in wrapped(f"{visible(name)}: {text}", width - 2)]
    lines += ["", "values in common"]
    if not made.shared:
        lines.append("  none: no variables of two tables have values in common")
    for each in made.shared:
        head, *others = _shared(each)
        lines += [f"  {piece}" for piece in wrapped(head, width - 2)]
        for text in others:
            lines += [f"    {piece}" for piece in wrapped(text, width - 4, "  ")]
    return "\n".join(lines)


def _shared(each: SharedKey) -> Iterator[str]:
    relation = each.relation
    here, there = visible(relation.table), visible(relation.to_table)
    ends = relation.name.replace(" -> ", " and ")
    yield f"{visible(ends)}: {each.kind}"
    for name, matched, cases, lacking in (
        (here, each.matched, each.cases, each.unmatched),
        (there, each.to_matched, each.to_cases, each.to_unmatched),
    ):
        text = f"{matched:,} of {several(cases, 'case')} of {name} meet one"
        if lacking:
            text += f"; without: {', '.join(map(visible, lacking))}"
        yield text
    if each.notes:
        words = {"types differ": f"types differ ({each.types[0]} and {each.types[1]})"}
        yield f"look at: {', '.join(words.get(note, note) for note in each.notes)}"


def sealed_text(made: Sealed, width: int = WIDTH) -> str:
    """The files of an archive, with their sizes."""
    total = sum(each.bytes for each in made.files)
    head = f"{'wrote' if made.written else 'would hold'}"
    name = f" {visible(made.path)}:" if made.written else ""
    lines = [f"{head}{name} {several(len(made.files), 'file')}, {total:,} bytes"]
    rows = [(visible(each.name), f"{each.bytes:,}") for each in made.files]
    if not made.written:
        lines += table(("file", "bytes"), rows, "lr", width=width)
    return "\n".join([*lines, *made.notes])


def crate_verification_text(made: CrateVerification, width: int = WIDTH) -> str:
    """What was compared, and what is wrong."""
    lines = [f"{visible(made.source)}: {several(len(made.tables), 'packed dataset')}"]
    if made.files:
        lines[0] += f", {several(made.files, 'checksum')} compared"
    for each in made.problems[:SHOWN]:
        lines += wrapped(visible(each), width)
    if len(made.problems) > SHOWN:
        lines.append(f"and {len(made.problems) - SHOWN} more")
    for verification in made.tables:
        if not verification.is_whole:
            lines.append(verification_text(verification, width))
    if made.is_whole:
        lines.append("whole: every byte is as it was written, and the receipts add up")
    return "\n".join(lines)
