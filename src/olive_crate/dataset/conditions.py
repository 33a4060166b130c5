"""Conditions in words: which cases are meant by `acid > 0.8 and grove in ("Las Mañas")`.

A small language of its own, read by the parser below and never run as Python:

    condition   either { "or" either }          (`and` binds more tightly than `or`)
    either      unless { "and" unless }
    unless      "not" unless | "(" condition ")" | test
    test        NAME ( "=" | "!=" | "<" | "<=" | ">" | ">=" ) ( VALUE | NAME )
              | NAME [ "not" ] "in" ( VALUE ".." VALUE | "(" VALUE { "," VALUE } ")" )
              | NAME [ "not" ] ( "contains" | "starts" | "ends" ) VALUE
              | NAME "is" [ "not" ] ( "missing" | REASON )

A name with blanks or signs is put in brackets, `[Free acidity]`; a text in quotes. A text that is
no value of the variable may be one of its labels. A test of a missing value is neither true nor
false, and so is its negation (Kleene's logic of three values): `not acid > 1` leaves out the cases
without an acidity, as `acid <= 1` does.
"""

from __future__ import annotations

import re
from typing import NamedTuple, Protocol

import numpy as np

from ..columns.column import Column
from ..columns.comparing import compared
from ..columns.dictionary_encoding import decoded
from ..declaration.patterns import late
from ..errors import PlanError, nearest
from ..kernels.buffers import numpy_of
from ..kernels.types import Flags


class Truth(NamedTuple):
    """Which cases a condition is true and false for; neither where a value is missing."""

    true: Flags
    false: Flags


class Cases(Protocol):
    """What conditions need of a dataset."""

    @property
    def names(self) -> list[str]:
        """The names of the variables."""

    def __getitem__(self, name: str) -> Column: ...


class Token(NamedTuple):
    """A piece of a condition: its kind, its text, and where it begins."""

    kind: str
    text: str
    at: int


PIECES = late(
    r"""
    (?P<blank>\s+)
  | (?P<moment>\d{4}-\d\d-\d\d(?:[T ]\d\d:\d\d(?::\d\d(?:\.\d+)?)?)?
      | \d\d:\d\d(?::\d\d(?:\.\d+)?)?)
  | (?P<number>-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)? (?![\w]))
  | (?P<text>"(?:[^"]|"")*" | '(?:[^']|'')*')
  | (?P<bracketed>\[[^\]]+\])
  | (?P<sign><= | >= | != | == | = | < | > | \(|\) | , | \.\.)
  | (?P<word>\w+(?:\.\w+)*)
    """,
    re.VERBOSE,
)
HOW = {
    "=": "equal",
    "==": "equal",
    "!=": "not_equal",
    "<": "less",
    "<=": "less_equal",
    ">": "greater",
    ">=": "greater_equal",
}
WITHIN = {"contains": "match_substring", "starts": "starts_with", "ends": "ends_with"}
"""Tests of texts, by the Arrow function that does each."""
DEEPEST = 200
"""Brackets within brackets that a condition may have."""


def cases_where(dataset: Cases, condition: str) -> Flags:
    """A mask of the cases for which a condition holds. Raises `PlanError` if it cannot be read."""
    parser = _Parser(dataset, condition)
    made = parser.condition(0)
    if parser.token is not None:
        raise parser.error('expected "and", "or" or the end')
    return made.true


class _Parser:
    """One way through the text, from left to right; each rule gives the truth of what it read."""

    def __init__(self, dataset: Cases, text: str) -> None:
        self.dataset, self.text = dataset, text
        self.tokens = list(_tokens(text))
        self.place = 0

    @property
    def token(self) -> Token | None:
        return self.tokens[self.place] if self.place < len(self.tokens) else None

    def error(self, expected: str) -> PlanError:
        where = f'at "{self.text[self.token.at :][:30]}"' if self.token else "at the end"
        return PlanError(f"condition {self.text!r}: {expected} {where}")

    def took(self, *words: str) -> str:
        """The next piece if it is one of these words or signs; else nothing, and it stays."""
        token = self.token
        if token is None or token.kind not in ("word", "sign") or token.text.lower() not in words:
            return ""
        self.place += 1
        return token.text.lower()

    def condition(self, depth: int) -> Truth:
        made = self.either(depth)
        while self.took("or"):
            other = self.either(depth)
            made = Truth(made.true | other.true, made.false & other.false)
        return made

    def either(self, depth: int) -> Truth:
        made = self.unless(depth)
        while self.took("and"):
            other = self.unless(depth)
            made = Truth(made.true & other.true, made.false | other.false)
        return made

    def unless(self, depth: int) -> Truth:
        if depth > DEEPEST:
            raise self.error(f"more than {DEEPEST} brackets within one another")
        if self.took("not"):
            made = self.unless(depth + 1)
            return Truth(made.false, made.true)
        if self.took("("):
            made = self.condition(depth + 1)
            if not self.took(")"):
                raise self.error('expected ")"')
            return made
        return self.test()

    def test(self) -> Truth:
        column = self.column()
        if self.took("is"):
            negated = bool(self.took("not"))
            missing = self.missing(column)
            return Truth(~missing, missing) if negated else Truth(missing, ~missing)
        negated = bool(self.took("not"))
        if self.took("in"):
            mask, known = self.within(column), column.reasons == 0
        elif how := self.took(*WITHIN):
            self.took("with")
            mask, known = self.holding(column, how), column.reasons == 0
        elif not negated and (sign := self.took(*HOW)):
            mask, known = self.compared(column, sign)
        else:
            signs = 'a comparison such as ">", "in", "contains" or "is missing"'
            raise self.error(f"expected {signs} after {column.variable.name!r}")
        made = Truth(mask & known, ~mask & known)
        return Truth(made.false, made.true) if negated else made

    def column(self) -> Column:
        token = self.token
        if token is None or token.kind not in ("word", "bracketed", "number"):
            raise self.error("expected the name of a variable")
        self.place += 1
        name = token.text[1:-1] if token.kind == "bracketed" else token.text
        if name not in self.dataset.names:
            raise PlanError(
                f'condition {self.text!r}: there is no variable "{name}"'
                f"{nearest(name, self.dataset.names)}"
            )
        return self.dataset[name]

    def missing(self, column: Column) -> Flags:
        if self.took("missing"):
            return column.is_missing()
        token = self.token
        if token is None or token.kind != "text":
            raise self.error('expected "missing", or a reason in quotes,')
        self.place += 1
        return column.is_missing(_unquoted(token.text))

    def compared(self, column: Column, sign: str) -> tuple[Flags, Flags]:
        known = np.asarray(column.reasons == 0)
        token = self.token
        if token is not None and token.kind in ("word", "bracketed") and not _is_truth(token):
            other = self.column_or_text(token)
            return _compared(column, sign, other), known & (other.reasons == 0)
        value = self.value()
        if HOW[sign] in ("equal", "not_equal"):
            equal = _equal(column, value)
            return (equal if HOW[sign] == "equal" else ~equal), known
        return _compared(column, sign, value), known

    def column_or_text(self, token: Token) -> Column:
        """The other variable of a comparison; a word that is none is a text without quotes."""
        if token.kind == "word" and token.text not in self.dataset.names:
            raise PlanError(
                f'condition {self.text!r}: there is no variable "{token.text}"'
                f"{nearest(token.text, self.dataset.names)}; put a text in quotes"
            )
        return self.column()

    def within(self, column: Column) -> Flags:
        if self.took("("):
            made = _equal(column, self.value())
            while self.took(","):
                made |= _equal(column, self.value())
            if not self.took(")"):
                raise self.error('expected "," or ")"')
            return made
        low = self.value()
        if not self.took(".."):
            raise self.error('expected ".." and the end of the range')
        return (column >= low) & (column <= self.value())

    def holding(self, column: Column, how: str) -> Flags:
        token = self.token
        if token is None or token.kind != "text":
            raise self.error("expected a text in quotes")
        if column.variable.type not in ("text", "category"):
            raise self.error(f'"{column.variable.name}" is no text; {how!r} is for texts,')
        self.place += 1
        import pyarrow.compute as pc

        found = getattr(pc, WITHIN[how])(decoded(column.values), _unquoted(token.text))
        return numpy_of(found, False)

    def value(self) -> object:
        token = self.token
        if token is None or (
            token.kind not in ("number", "text", "moment") and not _is_truth(token)
        ):
            raise self.error("expected a number, a date, or a text in quotes")
        self.place += 1
        if token.kind == "number":
            return float(token.text) if re.search("[.eE]", token.text) else int(token.text)
        if token.kind == "text":
            return _unquoted(token.text)
        return token.text if token.kind == "moment" else token.text.lower() == "true"


def _tokens(text: str) -> list[Token]:
    made: list[Token] = []
    at = 0
    while at < len(text):
        match = PIECES.match(text, at)
        if match is None:
            what = "a quote that is not closed" if text[at] in "\"'" else "an unexpected sign"
            raise PlanError(f'condition {text!r}: {what} at "{text[at:][:30]}"')
        if match.lastgroup != "blank":
            made.append(Token(str(match.lastgroup), match[0], at))
        at = match.end()
    return made


def _unquoted(text: str) -> str:
    quote = text[0]
    return text[1:-1].replace(quote * 2, quote)


def _is_truth(token: Token) -> bool:
    return token.kind == "word" and token.text.lower() in ("true", "false")


def _compared(column: Column, sign: str, other: object) -> Flags:
    return compared(column.variable, column.values, HOW[sign], other)


def _equal(column: Column, value: object) -> Flags:
    """Cells of a value, or of the values that a label stands for."""
    try:
        found = column == value
    except PlanError:
        found = None
    if found is not None and (found.any() or not isinstance(value, str)):
        return found
    labelled = [each for each in column.variable.meanings or () if each.label == value]
    if not labelled and found is None:
        return column == value  # whose error says why not
    made: Flags = np.zeros(len(column), bool)
    for each in labelled:
        if each.value is not None:
            made |= column == each.value
            continue
        above = True if each.from_ is None else column >= each.from_
        made |= above & (True if each.to is None else column <= each.to)
    made &= column.reasons == 0
    return made
