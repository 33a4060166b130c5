"""Signatures and docstrings of functions that take the options of reading, made from the table."""

from __future__ import annotations

import functools
import inspect
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar, cast

from ..errors import Advice, SourceError
from ..plan.option import GROUPS
from ..plan.options import OPTIONS, TYPES
from ..sources.addresses import safe_address


class Unset:
    """The default of an option that is not given."""

    def __repr__(self) -> str:
        return "…"


UNSET = Unset()
F = TypeVar("F", bound=Callable[..., Any])


def takes_reading_options(function: F) -> F:
    """Show every option of reading in the function's signature and docstring."""
    function = _within_memory(function)
    made = inspect.signature(function)
    own = [each for each in made.parameters.values() if each.kind is not each.VAR_KEYWORD]
    options = [
        inspect.Parameter(
            name, inspect.Parameter.KEYWORD_ONLY, default=UNSET, annotation=TYPES[name]
        )
        for name in OPTIONS
        if name not in made.parameters
    ]
    signature = made.replace(parameters=[*own, *options])
    function.__signature__ = signature  # type: ignore[attr-defined]
    function.__doc__ = f"{inspect.cleandoc(function.__doc__ or '')}\n\n{options_text()}"
    return function


def _within_memory(function: F) -> F:
    """The function, which says of what source there was too much for the memory."""

    @functools.wraps(function)
    def wrapper(source: Any, *rest: Any, **options: Any) -> Any:
        try:
            return function(source, *rest, **options)
        except MemoryError:
            raise _too_much(source) from None

    return cast(F, wrapper)


@contextmanager
def memory_for(source: Any) -> Iterator[None]:
    """Where memory runs out, `SourceError` with the source and what to do."""
    try:
        yield
    except MemoryError:
        raise _too_much(source) from None


def _too_much(source: Any) -> SourceError:
    is_path = isinstance(source, (str, os.PathLike))
    name = safe_address(str(source)) if is_path else type(source).__name__
    return SourceError(
        f"{name}: there is not enough memory for it",
        Advice(
            "read it piece by piece or pack it, and leave variables out with {}",
            "keep=[…]",
            "--keep",
        ),
    )


def options_text() -> str:
    """A line for each option, under the heading of its group."""
    lines = ["Options, each also a key of a plan:"]
    for group in GROUPS:
        lines += ["", group]
        for name, option in OPTIONS.items():
            if option.group == group:
                lines.append(f"    {name}: {option.help} Default: {option.default}.")
    return "\n".join(lines)
