"""A claim about a file, with what speaks for it and against it."""

from __future__ import annotations

import msgspec


class Example(msgspec.Struct, frozen=True):
    """Something that stands in the file, and where."""

    row: int
    text: str


class Evidence(msgspec.Struct, frozen=True, omit_defaults=True):
    """One decision that was made by looking at the file.

    `subject` says what was decided (`encoding`, `delimiter`, `rows.names`, `variable.acid` …),
    `claim` what the decision is, in words.
    """

    subject: str
    claim: str
    supporting: int | None = None
    against: int = 0
    examples: tuple[Example, ...] = ()
    alternatives: tuple[str, ...] = ()
    certain: bool = True
    mend: str = ""
    """The declaration that would settle the matter otherwise, ready to paste."""

    def __str__(self) -> str:
        return f"{self.subject}: {self.claim}"
