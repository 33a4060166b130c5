"""A first look at a set: what each file is like, how it differs from most, and one in full.

Of each file the head, a piece of the middle and the tail are read, as for a look at one file. Types
and shares of missing cells are those of the first rows; all rows decide when the set is loaded.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any, ClassVar

import msgspec

from ...columns.outcome import joined
from ...columns.search import Narrowed, Open, State
from ...errors import LayoutError
from ...evidence import Evidence, Note, NotInFiles, PerhapsRenamed
from ...layouts.base import Before, Hands, Preview, SourceLayout
from ...plan.model import Decisions
from ...sources.opening import open_source
from ...sources.sets import Files, Member
from ...views import Worded
from ...workers import Progress
from ..looking import CASES_LOOKED_AT, Look, look
from ..preparing import source_named
from ..single_pass import with_fallback
from .differences import FileFound, traits_of
from .one_file import prepared
from .survey import FAULTS, Survey, compared, file_found, plan_for, set_aside

ADDED, ABSENT, MOVED, RENAMED = "added", "absent", "moved", "renamed"


class SeenInFile(msgspec.Struct, frozen=True):
    """A variable in one file, as far as its first rows tell."""

    type: str
    missing: float
    """Share of cells without a value, 0 to 1."""


class FileLook(msgspec.Struct, frozen=True):
    """One file of a set."""

    name: str
    lines: int | None
    """Exact where the file was read whole, else `None`."""
    lines_estimated: int | None
    traits: dict[str, str]
    """Layout, encoding, delimiter, decimal mark and row of the heading."""
    variables: dict[str, SeenInFile]
    differs: tuple[tuple[str, str], ...] = ()
    """How it differs from most files: what (`added`, `absent`, `moved`, `type`, …), and which."""


class SetLook(Worded, msgspec.Struct, frozen=True):
    """What a first look finds in a set of files."""

    is_set: ClassVar[bool] = True

    files: tuple[FileLook, ...]
    names: tuple[str, ...]
    """The variables of all files; those of most files first."""
    usual: Look
    """The first file that is like most, in full."""
    evidence: tuple[Evidence, ...]
    notes: tuple[Note, ...]
    bytes: int | None
    cases_looked_at: int = CASES_LOOKED_AT

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        plain["usual"] = self.usual.to_dict()
        for part in ("evidence", "notes"):
            plain[part] = [
                msgspec.to_builtins(each) | {"text": str(each)} for each in getattr(self, part)
            ]
        return plain


class _Seen(msgspec.Struct, eq=False):
    """A file found, with its preview."""

    file: FileFound
    lines: int | None
    lines_estimated: int | None
    variables: dict[str, SeenInFile]


def look_at_set(files: Files, plan: Decisions, progress: Progress | None = None) -> SetLook:
    """Show what the files of a set are like, and how they differ."""
    seen: list[_Seen] = []
    notes: list[Note] = []
    known: dict[str, State] = {}
    for place, member in enumerate(files):
        try:
            seen.append(_seen(member, place, plan, known))
        except FAULTS as error:
            notes.append(set_aside(plan, member, error))
        if progress:
            progress(place + 1, len(files), "looking at files")
    made = compared(files, plan, [each.file for each in seen], notes)
    usual = _usual(seen)
    types = _usual_types(seen)
    moved = _shares(seen)
    looks = [_file_look(each, usual, made, types, moved) for each in seen]
    named = source_named(usual.file.source, plan_for(plan, usual.file.member), {})
    return SetLook(
        tuple(looks),
        tuple(each.name for each in made.variables),
        look(named.source, named.plan),
        tuple(made.evidence),
        tuple(each for each in made.notes if not isinstance(each, NotInFiles)),
        files.size,
    )


def _seen(member: Member, place: int, plan: Decisions, known: dict[str, State]) -> _Seen:
    source = open_source(member.source)
    if source.path is None and "://" not in source.name:
        source = msgspec.structs.replace(source, name=member.name)

    def first(found: SourceLayout) -> _Seen:
        preview = found.preview(CASES_LOOKED_AT)
        light = msgspec.structs.replace(found, preview=_gone)
        file = file_found(member, place, source, light)
        lines, estimated = preview.lines, preview.lines_estimated
        return _Seen(file, lines, estimated, _variables(file, found, preview, known))

    own = plan_for(plan, member)
    return with_fallback(source, own, first, before=Before(thorough=False))


def _gone(count: int) -> Preview:
    raise LookupError("the head of this file was let go of")


def _variables(
    file: FileFound, found: SourceLayout, preview: Preview, known: dict[str, State]
) -> dict[str, SeenInFile]:
    """Types and shares missing by the first block of the head.

    A variable is first tried as what it was in the files before; `known` says as what.
    """
    replace = msgspec.structs.replace
    part = replace(found, source=preview.source, layout=preview.layout)
    alone = Survey(found.plan, [file], tuple(file.columns.values()), (), Files([]), [], [], {})
    reading = prepared(alone, replace(file, found=part))
    blocks = []
    try:
        for block in reading.found.layout.read(preview.source, reading.tally, Hands()):
            blocks.append(block)
            break
    except LayoutError:  # the head may end within quotes
        pass
    made = {}
    for each in reading.columns:
        if isinstance(each.search.state, Open):
            each.search.state = known.get(each.variable.name, each.search.state)
        taken = [each.search.take(block.field(each.index), block.rows) for block in blocks]
        if isinstance(each.search.state, Narrowed) and each.search.state.kind != "text":
            known.setdefault(each.variable.name, each.search.state)
        each.search.settle()
        if each.search.is_stale(taken[0]) if taken else False:
            taken = [each.search.again(block.field(each.index)) for block in blocks]
        column = joined(each.outcome(), taken)
        share = column.values.null_count / len(column) if len(column) else 0.0
        made[each.variable.name] = SeenInFile(column.variable.type or "text", round(share, 4))
    return made


def _usual(seen: Sequence[_Seen]) -> _Seen:
    """The first file with the commonest variables and traits."""
    shapes = [(tuple(each.file.names), tuple(traits_of(each.file).items())) for each in seen]
    names = Counter(shape[0] for shape in shapes).most_common(1)[0][0]
    traits = Counter(shape[1] for shape in shapes if shape[0] == names).most_common(1)[0][0]
    return seen[shapes.index((names, traits))]


def _usual_types(seen: Sequence[_Seen]) -> dict[str, str]:
    counts: dict[str, Counter[str]] = {}
    for each in seen:
        for name, held in each.variables.items():
            if held.missing < 1:
                counts.setdefault(name, Counter())[held.type] += 1
    return {name: found.most_common(1)[0][0] for name, found in counts.items()}


def _shares(seen: Sequence[_Seen]) -> dict[str, float]:
    """The middle share of missing cells of each variable over the files."""
    held: dict[str, list[float]] = {}
    for each in seen:
        for name, one in each.variables.items():
            held.setdefault(name, []).append(one.missing)
    return {name: sorted(shares)[len(shares) // 2] for name, shares in held.items()}


NOTABLE = 0.25
"""A share of missing cells so far from that of most files is told."""


def _file_look(
    each: _Seen, usual: _Seen, made: Survey, types: dict[str, str], shares: dict[str, float]
) -> FileLook:
    own, most = each.file.names, usual.file.names
    differs: list[tuple[str, str]] = []
    if not own:
        return FileLook(each.file.member.name, each.lines, None, {}, {}, (("empty", ""),))
    renamed = {
        e.other: e.variable
        for e in made.evidence
        if isinstance(e, PerhapsRenamed) and e.other in own and e.variable not in own
    }
    differs += [(RENAMED, f"{old} → {new}") for new, old in renamed.items()]
    lost = [name for name in most if name not in own and name not in renamed.values()]
    added = [name for name in own if name not in most and name not in renamed]
    differs += [(ABSENT, name) for name in lost] + [(ADDED, name) for name in added]
    shared = set(own) & set(most)
    if [n for n in own if n in shared] != [n for n in most if n in shared]:
        differs.append((MOVED, _first_moved(own, most, shared)))
    traits, usual_traits = traits_of(each.file), traits_of(usual.file)
    differs += [
        (what, value)
        for what, value in traits.items()
        if value != usual_traits.get(what) and "ascii" not in (value, usual_traits.get(what))
    ]
    for name, held in each.variables.items():
        if held.missing < 1 and held.type != types.get(name, held.type):
            differs.append(("type", f"{name} {held.type}"))
        if abs(held.missing - shares[name]) > NOTABLE:
            differs.append(("missing", f"{name} {held.missing:.0%}"))
    differs += _units(each, usual)
    return FileLook(
        each.file.member.name,
        each.lines,
        each.lines_estimated,
        traits,
        each.variables,
        tuple(differs),
    )


def _first_moved(own: Sequence[str], most: Sequence[str], shared: set[str]) -> str:
    pairs = zip([n for n in own if n in shared], [n for n in most if n in shared], strict=True)
    return next(one for one, other in pairs if one != other)


def _units(each: _Seen, usual: _Seen) -> list[tuple[str, str]]:
    """Units other than those of the usual file."""
    known = _units_of(usual)
    own = _units_of(each)
    return [("unit", f"{n} {u}") for n, u in own.items() if u and known.get(n) not in (None, "", u)]


def _units_of(each: _Seen) -> dict[str, str]:
    units = each.file.found.units
    return {v.name: units[index] for index, v in each.file.columns.items()}
