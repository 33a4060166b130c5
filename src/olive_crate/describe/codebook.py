"""The codebook: what each variable is, and what its cells hold."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..columns.cell_texts import more_decimals, shown_of
from ..columns.column import Column, reason_totals
from ..columns.dictionary_encoding import decoded
from ..columns.meanings import meaning_counts
from ..dataset.model import PlainDataset
from ..declaration.codes import FIRST_CODE
from ..declaration.values import value_text
from ..declaration.variable import Variable
from ..evidence import Evidence
from ..kernels.buffers import numpy_of
from ..plan.selecting import Names, chosen
from ..views import Worded, form_of
from ..workers import Progress, counted, for_columns
from .frames import frame
from .large import is_large
from .large_codebook import WORDS, described
from .meanings import UnexplainedValues, unexplained
from .summary import TIMED

if TYPE_CHECKING:
    import pandas

NARROW = 1 << 24
"""Whole numbers within so small a range are marked off, to count the different ones."""


TEXTS = ("text", "category")


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
    """The meanings with the number of cells that have them."""
    codes: tuple[tuple[str, str, int], ...] = ()
    """The missing codes: code, reason, and the number of cells."""
    more_decimals: int = 0
    """Values with more decimals than are declared to be shown."""
    doubts: tuple[Evidence, ...] = ()
    """Evidence that the declaration is not right."""
    unexplained: UnexplainedValues | None = None
    """Values without a meaning, where others have one."""
    longest: int | None = None
    """Characters of the longest text; of texts and categories."""


class Codebook(Worded, msgspec.Struct, frozen=True):
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
        text: str = form_of(self, "csv")
        return text

    def to_markdown(self) -> str:
        """Tables in the pipe notation that many Markdown processors share."""
        text: str = form_of(self, "markdown")
        return text

    def to_pandas(self) -> pandas.DataFrame:
        """A row for each variable. Needs the extra `pandas`."""
        headings, rows = form_of(self, "table")
        made = frame([dict(zip(headings, row, strict=True)) for row in rows], headings)
        for heading in ("number", "valid cells", "missing cells", "different values"):
            made[heading] = made[heading].astype("int64")
        return made


def codebook(
    dataset: PlainDataset, names: Names = "*", progress: Progress | None = None
) -> Codebook:
    """Make the codebook of a dataset, or of some of its variables."""
    doubted = _doubted(dataset)
    positions = {name: position for position, name in enumerate(dataset.names, 1)}
    wanted = chosen(names, dataset.variables)
    if is_large(dataset):
        declared = {each.name: each for each in dataset.variables}

        def large(name: str) -> Entry:
            return _large_entry(dataset, positions[name], declared[name], doubted)

        described = counted(large, len(wanted), "describing variables", progress)
        return Codebook(tuple(map(described, wanted)), dataset.rows)

    def entry(name: str) -> Entry:
        column = dataset.column_once(name)
        return _entry(positions[name], column, doubted(column.variable))

    described = counted(entry, len(wanted), "describing variables", progress)
    with for_columns(dataset.rows) as workers:
        return Codebook(tuple(workers.each(described, wanted)), dataset.rows)


def _large_entry(
    dataset: PlainDataset,
    position: int,
    variable: Variable,
    doubted: Callable[[Variable], list[Evidence]],
) -> Entry:
    """The entry of a variable that is not held as a whole."""
    found = described(dataset, variable, TIMED.get(variable.type or "text"))
    ends = ("", "")
    if variable.type not in WORDS and found.low is not None:
        ends = (shown_of(found.low, variable), shown_of(found.high, variable))
    common: tuple[tuple[str, int], ...] = ()
    if variable.type == "boolean":
        common = tuple((value_text(word), n) for word, n in found.values.most_common())
    elif variable.type in WORDS:
        top = found.values.most_common(3)
        common = tuple((shown_of(word, variable), n) for word, n in top if n > 1)
    column = Column(variable, pa.nulls(0), np.zeros(0, np.uint8))
    return Entry(
        position,
        variable,
        found.valid,
        column.named(found.reasons),
        found.distinct,
        *ends,
        common,
        tuple((str(m), n) for m, n in zip(variable.meanings, found.meanings, strict=True)),
        tuple(
            (str(code), code.reason, int(found.reasons[FIRST_CODE + place]))
            for place, code in enumerate(variable.missing)
        ),
        found.more_decimals,
        tuple(doubted(variable)),
        found.unexplained,
        max(map(len, found.values), default=None) if variable.type in TEXTS else None,
    )


def _doubted(dataset: PlainDataset) -> Callable[[Variable], list[Evidence]]:
    """What the read found doubtful of a variable, unless it was declared anew since."""
    open_: dict[str, list[Evidence]] = {}
    for each in dataset.receipt.decided:
        if each.variable and not each.certain and not each.answered:
            open_.setdefault(each.variable, []).append(each)

    def of(variable: Variable) -> list[Evidence]:
        return open_.get(variable.name) or open_.get(variable.heading) or []

    return of


def _entry(position: int, column: Column, doubts: list[Evidence]) -> Entry:
    variable, given = column.variable, (column.variable, column.values, column.reasons)
    distinct, ends, common = _values(column)
    counts = reason_totals(column.reasons)
    return Entry(
        position,
        variable,
        len(column) - column.values.null_count,
        column.named(counts),
        distinct,
        *ends,
        common,
        tuple((str(meaning), count) for meaning, count in meaning_counts(*given)),
        tuple(
            (str(code), code.reason, int(counts[FIRST_CODE + place]))
            for place, code in enumerate(variable.missing)
        ),
        more_decimals(column),
        tuple(doubts),
        unexplained(column),
        _longest(column.values) if variable.type in TEXTS else None,
    )


def _longest(values: pa.Array) -> int | None:
    """Characters of the longest text."""
    import pyarrow.compute as pc

    longest: int | None = pc.max(pc.utf8_length(decoded(values))).as_py()
    return longest


def _values(column: Column) -> tuple[int, tuple[str, str], tuple[tuple[str, int], ...]]:
    """How many different values there are, the ends of their range, and the commonest of them."""
    plain, variable = decoded(column.values), column.variable
    if variable.type in TEXTS:
        distinct, common = _commonest(plain, variable)
        return distinct, ("", ""), common
    if variable.type == "boolean":
        common = tuple((value_text(value), count) for value, count in _ranked(plain))
        return len(common), ("", ""), common
    ends = _ends(plain)
    if ends["min"] is None:
        return 0, ("", ""), ()
    distinct = _distinct(plain, ends)
    return distinct, (shown_of(ends["min"], variable), shown_of(ends["max"], variable)), ()


def _distinct(values: pa.Array, ends: Mapping[str, Any]) -> int:
    """How many different values there are; whole numbers of a narrow range are marked off."""
    if pa.types.is_int64(values.type) and ends["max"] - ends["min"] < NARROW:
        numbers = numpy_of(values, ends["min"]) - ends["min"]
        met = np.zeros(ends["max"] - ends["min"] + 1, bool)
        met[numbers] = True
        return int(np.count_nonzero(met))
    return int(pc.count_distinct(values, mode="only_valid").as_py())


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
    counts = numpy_of(counted.field("counts"))
    order = np.argsort(-counts, kind="stable")
    words = counted.field("values")
    head = [(words[int(place)].as_py(), int(counts[place])) for place in order[:1000]]
    return head + [(None, int(counts[place])) for place in order[1000:]]
