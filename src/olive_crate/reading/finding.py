"""The source that is meant and its layout; what the head got wrong is found once more."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from ..layouts.base import Before, SourceLayout
from ..layouts.registry import find_layout
from ..layouts.text.decoding import BadByte
from ..plan.model import Decisions
from ..plan.options import with_options
from ..sources.opening import open_source
from ..sources.source import Source
from .dictionaries.applying import with_dictionary
from .single_pass import OtherMarksMet

T = TypeVar("T")


def source_and_plan(
    source: Any, plan: Decisions, options: Mapping[str, Any]
) -> tuple[Source, Decisions]:
    """The source that is meant, and the plan with the options laid over it.

    `source` may be a plan, whose own source is then read.
    """
    if isinstance(source, Decisions):
        plan = with_options(source, options)
        return open_source(plan.source_path()), with_dictionary(plan)
    plan = with_options(plan, options)
    opened = open_source(source)
    if isinstance(source, (str, Path)):
        section = msgspec.structs.replace(plan.source, path=str(source))
        plan = msgspec.structs.replace(plan, source=section, base=None)
    return opened, with_dictionary(plan)


def found_and_read(
    source: Any,
    plan: Decisions,
    options: Mapping[str, Any],
    read: Callable[[SourceLayout], T],
) -> T:
    """Find the layout and read; what the head shows wrongly is found again, each thing once."""
    opened, plan = source_and_plan(source, plan, options)
    before = Before()
    while True:
        try:
            return read(find_layout(opened, plan, before))
        except BadByte as error:
            if plan.source.encoding is not None or error.seen_beyond_ascii or before.around:
                raise
            before = before._replace(around=error.around)
        except OtherMarksMet as error:
            before = before._replace(shapes=error.shapes)
