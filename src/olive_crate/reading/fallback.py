"""A layout found and used; what the head shows wrongly is found again."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

import msgspec

from ..errors import LayoutError
from ..evidence import FellBack
from ..layouts.base import Before, SourceLayout
from ..layouts.registry import find_layout
from ..layouts.text.decoding import BadByte
from ..plan.model import Decisions
from ..sources.source import Source
from .single_pass import OtherMarksMet

T = TypeVar("T")


def with_fallback(
    opened: Source,
    plan: Decisions,
    read: Callable[[SourceLayout], T],
    find: Callable[[Source, Decisions, Before], SourceLayout] = find_layout,
    found: SourceLayout | None = None,
    before: Before = Before(),
) -> T:
    """Find the layout and read; what the head shows wrongly is found again, each thing once.

    `found` is a layout that was found already.
    """
    while True:
        try:
            found = find(opened, plan, before) if found is None else found
            return read(found)
        except LayoutError as error:
            if plan.layout is not None or plan.fields is not None or found is None:
                raise
            if found.plan.layout != "fixed":
                raise
            fallen = FellBack(name=opened.name, why=str(error))
            plan = msgspec.structs.replace(plan, layout="delimited", notes=(*plan.notes, fallen))
        except BadByte as error:
            if plan.source.encoding is not None or error.seen_beyond_ascii or before.around:
                raise
            before = before._replace(around=error.around)
        except OtherMarksMet as error:
            before = before._replace(shapes=error.shapes)
        found = None
