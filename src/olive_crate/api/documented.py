"""Signatures and docstrings of functions that take the options of reading, made from the table."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from functools import cache
from typing import Any, TypeVar


class Unset:
    """The default of an option that is not given."""

    def __repr__(self) -> str:
        return "…"


UNSET = Unset()
F = TypeVar("F", bound=Callable[..., Any])
TAKING: set[Any] = set()
"""Marked functions whose signatures do not list the reading options yet."""


def takes_reading_options(function: F) -> F:
    """Mark a function that takes the reading options; `documented` adds them to its signature."""
    TAKING.add(function)
    return function


def documented(function: Any) -> None:
    """Add every reading option to the signature and docstring of a marked function.

    Called when the function is first accessed by its public name: doing this for all functions at
    import would noticeably slow down a look at a small file.
    """
    if function not in TAKING:
        return
    TAKING.remove(function)
    made = inspect.signature(function)
    own = [each for each in made.parameters.values() if each.kind is not each.VAR_KEYWORD]
    options = [each for each in _parameters() if each.name not in made.parameters]
    signature = made.replace(parameters=[*own, *options])
    function.__signature__ = signature
    function.__doc__ = f"{inspect.cleandoc(function.__doc__ or '')}\n\n{options_text()}"


@cache
def _parameters() -> list[inspect.Parameter]:
    from ..plan.options import OPTIONS, TYPES

    return [
        inspect.Parameter(
            name, inspect.Parameter.KEYWORD_ONLY, default=UNSET, annotation=TYPES[name]
        )
        for name in OPTIONS
    ]


@cache
def options_text() -> str:
    """A line for each option, under the heading of its group."""
    from ..plan.option import GROUPS
    from ..plan.options import OPTIONS

    lines = ["Options, each also a key of a plan:"]
    for group in GROUPS:
        lines += ["", group]
        for name, option in OPTIONS.items():
            if option.group == group:
                lines.append(f"    {name}: {option.help} Default: {option.default}.")
    return "\n".join(lines)
