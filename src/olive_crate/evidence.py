"""A claim about a file, with what speaks for it and against it."""

from __future__ import annotations

import msgspec


class Example(msgspec.Struct, frozen=True):
    """Something that stands in the file, and where."""

    row: int
    text: str


class Evidence(msgspec.Struct, frozen=True, omit_defaults=True):
    """One decision that was made by looking at the file.

    `subject` says what was decided, by the key of a plan that holds it (`source.encoding`,
    `delimited.delimiter`, `rows.names`, `variable.acid` …), `value` what was chosen, and `claim`
    what the file says of it, in words.
    """

    subject: str
    value: str
    claim: str
    supporting: int | None = None
    against: int = 0
    examples: tuple[Example, ...] = ()
    alternatives: tuple[str, ...] = ()
    certain: bool = True
    mend: str = ""
    """The declaration that would settle the matter otherwise, ready to paste."""

    def __str__(self) -> str:
        return f"{self.subject} {self.value}: {self.claim}"
