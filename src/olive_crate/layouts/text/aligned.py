"""Text that may be aligned by blanks: what is handed over to the layout of fixed columns."""

from __future__ import annotations

import msgspec

from ...evidence import DelimiterFound, EncodingFound
from ...plan.model import Decisions
from ...sources.source import Sample, Source
from ..base import Before


class LooksAligned(msgspec.Struct, frozen=True):
    """A source in which a delimiter was looked for, and what came of it."""

    source: Source
    plan: Decisions
    before: Before
    sample: Sample
    text: bytes
    """The head, as UTF-8."""
    encoding: EncodingFound | None
    """What was found; `None` where the plan says it."""
    delimiter: DelimiterFound
