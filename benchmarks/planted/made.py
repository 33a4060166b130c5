"""A made dataset: rows of texts, and what its generator knows of each variable."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np

Row = list[str]


@dataclass
class Made:
    """Rows of texts with what plays which part; faults know by it where they can be planted."""

    rng: np.random.Generator
    count: int
    names: list[str] = field(default_factory=list)
    columns: list[list[str]] = field(default_factory=list)
    parts: dict[str, str] = field(default_factory=dict)
    """What each variable is: run, identifier, measure, count, rating, word, place, date, …"""
    battery: list[str] = field(default_factory=list)
    ordered: list[tuple[str, str]] = field(default_factory=list)
    """Pairs of which the first is never greater."""
    sums: list[tuple[str, str, str]] = field(default_factory=list)
    """The first is the sum of the others."""
    touched: set[str] = field(default_factory=set)
    """Variables in which a fault was planted."""
    rows: list[Row] = field(default_factory=list)
    """Filled by `finish`; a row is known by its identity, wherever it moves."""

    def add(self, name: str, part: str, texts: Iterable[str]) -> list[str]:
        """A variable."""
        cells = list(texts)
        assert len(cells) == self.count, name
        self.names.append(name)
        self.columns.append(cells)
        self.parts[name] = part
        return cells

    def numbers(
        self, name: str, part: str, values: np.ndarray, decimals: int = 0, blank: float = 0.0
    ) -> np.ndarray:
        """Numbers with so many decimals; some cells blank."""
        values = np.round(values, decimals)
        texts = [f"{value:.{decimals}f}" for value in values.tolist()]
        if blank:
            gone = self.rng.random(self.count) < blank
            texts = ["" if lost else text for text, lost in zip(texts, gone, strict=True)]
        self.add(name, part, texts)
        return values

    def words(
        self, name: str, words: Sequence[str], part: str = "word", skew: float = 1.0
    ) -> list[str]:
        """Words drawn with falling weights."""
        weights = 1 / np.arange(1, len(words) + 1) ** skew
        places = self.rng.choice(len(words), self.count, p=weights / weights.sum())
        return self.add(name, part, [words[place] for place in places])

    def run(self, name: str, start: int, lost: float = 0.0) -> None:
        """A running number; a share of the numbers is left out, as cancelled ones are."""
        steps = 1 + (self.rng.random(self.count) < lost)
        self.add(name, "run", map(str, (start + np.cumsum(steps)).tolist()))

    def days(
        self, name: str, first: str, last: str, part: str = "date", form: str = "%Y-%m-%d"
    ) -> np.ndarray:
        """Dates between two, sorted where the part says so."""
        low, high = (dt.date.fromisoformat(each).toordinal() for each in (first, last))
        days = self.rng.integers(low, high + 1, self.count)
        if part == "sorted":
            days = np.sort(days)
        self.add(name, part, [dt.date.fromordinal(day).strftime(form) for day in days.tolist()])
        return days

    def dates(self, name: str, part: str, days: np.ndarray, form: str = "%Y-%m-%d") -> None:
        """Dates by their ordinals; zero for none."""
        texts = [dt.date.fromordinal(d).strftime(form) if d else "" for d in days.tolist()]
        self.add(name, part, texts)

    def finish(self) -> Made:
        """The rows as lists of their own."""
        self.rows = [list(each) for each in zip(*self.columns, strict=True)]
        return self

    def place(self, name: str) -> int:
        """The place of a variable."""
        return self.names.index(name)

    def of(self, *parts: str) -> list[str]:
        """The variables that play one of these parts."""
        return [name for name in self.names if self.parts[name] in parts]

    def rename(self, old: str, new: str) -> None:
        """Another name for a variable."""
        self.names[self.place(old)] = new
        self.parts[new] = self.parts.pop(old)
        self.touched.add(new)
        self.battery = [new if name == old else name for name in self.battery]
        self.sums = [each for each in self.sums if old not in each]
        self.ordered = [each for each in self.ordered if old not in each]

    def file(self) -> bytes:
        """The dataset as delimited text."""
        out = io.StringIO()
        writer = csv.writer(out, delimiter=";", lineterminator="\n")
        writer.writerows([self.names, *self.rows])
        return out.getvalue().encode()
