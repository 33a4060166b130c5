"""The codebook: what each variable is, and what its cells hold."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..celltexts import hidden, shown, shown_of
from ..choosing import Names, chosen
from ..codes import FIRST_CODE
from ..columns import Column, decoded
from ..dataset import Dataset
from ..labelling import label_counts
from ..variables import Variable
from ..words import evidence_words
from .labels import label_findings

if TYPE_CHECKING:
    import pandas


class Entry(msgspec.Struct, frozen=True):
    """One variable of a codebook."""

    position: int
    variable: Variable
    valid: int
    missing: dict[str, int]
    """Cells without a value, by reason."""
    distinct: int
    smallest: str
    largest: str
    """Of text and categories, empty: `common` says more of them."""
    common: tuple[tuple[str, int], ...] = ()
    """The commonest texts with their counts; of text that is always different, none."""
    labelled: tuple[tuple[str, int], ...] = ()
    """The value labels with the number of cells that have them."""
    codes: tuple[tuple[str, str, int], ...] = ()
    """The missing codes: code, reason, and the number of cells."""
    hidden: str = ""
    """What the declared decimals or width do not show of the values, in words."""
    doubts: tuple[str, ...] = ()
    """Evidence that the declaration is not right, each in words."""


class Codebook(msgspec.Struct, frozen=True):
    """The variables of a dataset in order."""

    entries: tuple[Entry, ...]
    rows: int

    def __iter__(self) -> Iterator[Entry]:
        return iter(self.entries)

    def __len__(self) -> int:
        return len(self.entries)

    def __getitem__(self, name: str | int) -> Entry:
        """The entry of a variable, by name or place."""
        if isinstance(name, int):
            return self.entries[name]
        for entry in self.entries:
            if entry.variable.name == name:
                return entry
        raise KeyError(name)

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON."""
        plain: dict[str, Any] = msgspec.to_builtins(self)
        return plain

    def to_json(self) -> str:
        """As JSON."""
        return msgspec.json.format(msgspec.json.encode(self), indent=2).decode()

    def to_csv(self) -> str:
        """A row for each variable, as RFC 4180 text, from which `dictionary` takes declarations."""
        from .bookforms import codebook_csv

        return codebook_csv(self)

    def to_markdown(self) -> str:
        """Tables in the pipe notation that many Markdown processors share."""
        from .bookforms import codebook_markdown

        return codebook_markdown(self)

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each variable. Needs the extra `pandas`."""
        from .bookforms import codebook_frame

        return codebook_frame(self)

    def _repr_html_(self) -> str:
        from ..notebook import codebook_html

        return codebook_html(self)

    def __str__(self) -> str:
        from .booktext import codebook_text

        return codebook_text(self)


def codebook(dataset: Dataset, names: Names = "*") -> Codebook:
    """Make the codebook of a dataset, or of some of its variables."""
    doubted = _doubted(dataset)
    positions = {name: position for position, name in enumerate(dataset.names, 1)}
    entries = tuple(
        _entry(positions[name], dataset[name], doubted(dataset[name].variable))
        for name in chosen(names, dataset.variables)
    )
    return Codebook(entries, dataset.rows)


def _doubted(dataset: Dataset) -> Callable[[Variable], list[str]]:
    """What the read found doubtful of a variable, unless its cells were declared anew since."""
    told: dict[str, list[str]] = {}
    for each in dataset.receipt.decided:
        if each.subject.startswith("variable.") and not each.certain:
            name = each.subject.partition(".")[2]
            told.setdefault(name, []).append(evidence_words(each).partition(": ")[2])
    settled = {each.variable for each in dataset.receipt.changes}

    def of(variable: Variable) -> list[str]:
        names = {variable.name, variable.heading}
        return [] if names & settled else next((told[n] for n in names if n in told), [])

    return of


def _entry(position: int, column: Column, doubts: list[str]) -> Entry:
    values, variable = column.values, column.variable
    plain = decoded(values)
    valid = len(plain) - plain.null_count
    smallest = largest = ""
    common: tuple[tuple[str, int], ...] = ()
    if variable.type in ("text", "category"):
        distinct, common = _commonest(plain, variable)
    elif variable.type == "boolean":
        distinct = len(plain.drop_null().unique())
        common = tuple((shown(value), count) for value, count in _ranked(plain))
    else:
        distinct = int(pc.count_distinct(plain, mode="only_valid").as_py())
        if valid:
            ends = _ends(plain)
            smallest, largest = (shown_of(ends[key], variable) for key in ("min", "max"))
    counts = np.bincount(column.reasons, minlength=256)
    return Entry(
        position,
        variable,
        valid,
        column.reason_counts(),
        distinct,
        smallest,
        largest,
        common,
        tuple((str(label), count) for label, count in label_counts(column)),
        tuple(
            (str(code), code.reason, int(counts[FIRST_CODE + place]))
            for place, code in enumerate(variable.missing)
        ),
        hidden(column).partition(": ")[2],
        (*doubts, *(each.words() for each in label_findings(column) if each.severity != "note")),
    )


def _ends(values: pa.Array) -> dict[str, Any]:
    """The smallest and the largest value. (Arrow compares durations only as numbers.)"""
    if not pa.types.is_duration(values.type):
        found: dict[str, Any] = pc.min_max(values).as_py()
        return found
    ends = pc.min_max(values.cast(pa.int64()))
    return {key: ends[key].cast(values.type).as_py() for key in ("min", "max")}


def _commonest(
    values: pa.Array, variable: Variable, most: int = 3
) -> tuple[int, tuple[tuple[str, int], ...]]:
    ranked = _ranked(values)
    top = tuple((shown_of(value, variable), count) for value, count in ranked[:most] if count > 1)
    return len(ranked), top


def _ranked(values: pa.Array) -> list[tuple[Any, int]]:
    counted = values.drop_null().value_counts()
    counts = counted.field("counts").to_numpy()
    order = np.argsort(-counts, kind="stable")
    words = counted.field("values")
    head = [(words[int(place)].as_py(), int(counts[place])) for place in order[:1000]]
    return head + [(None, int(counts[place])) for place in order[1000:]]
