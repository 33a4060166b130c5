"""What the commands that read sources share: their arguments, and the reading options as flags."""

from __future__ import annotations

import functools
import inspect
import sys
from collections.abc import Callable, Mapping, Sequence
from typing import Annotated, Any

import typer

trust_option = Annotated[
    str | None,
    typer.Option(
        "--trust",
        help="What a plan from elsewhere may open beside its own folder: files,web,databases.",
        metavar="WHAT",
    ),
]

READERS: set[Callable[..., None]] = set()
"""Commands that take the reading options."""


def reading(command: Callable[..., None]) -> Callable[..., None]:
    """Mark a command that takes the reading options, as one mapping, `options`."""
    READERS.add(command)
    return command


def with_flags(
    command: Callable[..., None], arguments: Sequence[str] | None = None
) -> Callable[..., None]:
    """Return a reading command with its flags, and any other command unchanged.

    Creates only the flags that the arguments use, because creating all of them takes as long as
    looking at a small file. Creates all flags if an argument may be another flag, a request for
    help or a misspelled flag, and if the arguments are not known yet.
    """
    if command not in READERS:
        return command

    @functools.wraps(command)
    def wrapper(**given: Any) -> None:
        raw = {name: given.pop(name) for name in made}
        command(**given, options=library_options(raw) if raw else {})

    made: dict[str, Any] = {}
    used = _flags_in(arguments)
    if used is None or used:
        from .flags import library_options, parameters_for

        made = parameters_for(used)
    own = inspect.signature(command, eval_str=True).parameters
    keyword = inspect.Parameter.KEYWORD_ONLY
    parameters = [each.replace(kind=keyword) for name, each in own.items() if name != "options"] + [
        inspect.Parameter(name, keyword, default=None, annotation=annotation)
        for name, annotation in made.items()
    ]
    wrapper.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
    wrapper.__annotations__ = {each.name: each.annotation for each in parameters}
    return wrapper


def _flags_in(arguments: Sequence[str] | None) -> set[str] | None:
    """The arguments that look like flags, without their values; `None` if they are not known."""
    if arguments is None:
        return None
    return {each.partition("=")[0] for each in arguments if each[:1] == "-" and each != "-"}


sources_argument = Annotated[
    list[str],
    typer.Argument(
        metavar="SOURCE...",
        help="A file, several, a pattern ('season/*.csv'), a folder, a URL, a plan, or - for "
        "standard input.",
    ),
]


def sources_of(sources: list[str], options: Mapping[str, Any]) -> Any:
    """The source that arguments mean: several are a set."""
    return source_of(sources[0], options) if len(sources) == 1 else sources


def source_of(source: str, options: Mapping[str, Any]) -> Any:
    """The source that an argument means: `-` for standard input, a plan file for its source."""
    if source == "-":
        return sys.stdin.buffer
    if source.endswith(".toml") and "plan" not in options:
        from ..api.plan import Plan

        return Plan.read(source, options.get("trust", ()))
    return source
