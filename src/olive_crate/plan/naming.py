"""Names made plain, renamed, put in order. Nothing is cut or changed without being told."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Callable, Mapping, Sequence

import msgspec

from ..errors import PlanError, nearest
from ..evidence import PlainNameTaken

Renaming = Mapping[str, str] | Callable[[str], str]
LETTERS = {"ß": "ss", "æ": "ae", "œ": "oe", "ø": "o", "đ": "d", "ð": "d", "þ": "th", "ł": "l"}


def plain_name(text: str) -> str:
    """Lower case, without accents, with `_` for everything that is neither letter nor digit."""
    folded = "".join(LETTERS.get(char, char) for char in text.casefold())
    bare = unicodedata.normalize("NFKD", folded)
    kept = "".join(char for char in bare if not unicodedata.combining(char))
    name = re.sub(r"\W+", "_", kept).strip("_")
    name = re.sub("__+", "_", name) or "v"
    return f"v{name}" if name[0].isdigit() else name


def plain_names(
    names: Sequence[str], longest: int | None = None
) -> tuple[list[str], list[PlainNameTaken]]:
    """Plain names of at most this many characters, all different; and which of them collided."""
    made: list[str] = []
    notes: list[PlainNameTaken] = []
    by_name: dict[str, str] = {}
    counts: dict[str, int] = {}
    for name in names:
        plain = plain_name(name)
        short = plain[:longest].rstrip("_") or plain[:longest]
        unique, count = short, counts.get(short, 2)
        while unique in by_name:
            tail = f"_{count}"
            unique = short[: longest - len(tail) if longest else None].rstrip("_") + tail
            count += 1
            if longest is not None and len(unique) > longest:
                raise PlanError(f"names of {longest} characters are too short to be unique")
        counts[short] = count
        if unique != short:
            taken = PlainNameTaken(heading=name, plain=short, other=by_name[short], name=unique)
            cut_to = longest if short != plain else None
            notes.append(msgspec.structs.replace(taken, cut_to=cut_to))
        by_name[unique] = name
        made.append(unique)
    return made, notes


def renamed(names: str | Renaming, new: str | None, known: Sequence[str]) -> dict[str, str]:
    """Old names with their new ones. Raises `PlanError` where two would be called alike."""
    if isinstance(names, str):
        if new is None:
            raise PlanError(f'rename: no new name for "{names}"')
        changes = {names: new}
    elif isinstance(names, Mapping):
        changes = dict(names)
    else:
        changes = {name: names(name) for name in known}
    every = set(known)
    for name, called in changes.items():
        if name not in every:
            raise PlanError(f'there is no variable "{name}"{nearest(name, known)}')
        if not isinstance(called, str) or not called:
            raise PlanError(f'rename: "{name}" cannot be named {called!r}')
    after = [changes.get(name, name) for name in known]
    twice = next((name for name, count in Counter(after).items() if count > 1), None)
    if twice is not None:
        both = [name for name in known if changes.get(name, name) == twice]
        raise PlanError(f'rename: "{both[0]}" and "{both[1]}" would both be named "{twice}"')
    return {name: called for name, called in changes.items() if name != called}


def ordered(first: Sequence[str], known: Sequence[str], after: str | None = None) -> list[str]:
    """All names, those of `first` in front, or behind the variable `after`."""
    in_front = set(first)
    rest = [name for name in known if name not in in_front]
    if after is None:
        return [*first, *rest]
    if after not in rest:
        why = "is among those to be moved" if after in known else "is no variable"
        raise PlanError(f'reorder: "{after}" {why}{nearest(after, rest)}')
    place = rest.index(after) + 1
    return [*rest[:place], *first, *rest[place:]]
