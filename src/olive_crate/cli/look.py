"""olive-crate look: see before you read."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from .options import reading, source_of
from .screen import show_json, show_lines, width


@reading
def look(
    source: Annotated[str, typer.Argument(help="A file, a URL, or - for standard input.")],
    picture: Annotated[
        Path | None,
        typer.Option(help="Draw the positions of fixed columns to this PNG, SVG or PDF file."),
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Show how a file begins and ends, and how it would be read."""
    from ..api.reading import look as look_at
    from ..show.look import look_lines

    if picture is not None:
        from ..api.pictures import draw_positions

        draw_positions(source_of(source, options or {}), picture, **(options or {}))
    found = look_at(source_of(source, options or {}), **(options or {}))
    if as_json:
        show_json(found.to_dict())
    else:
        show_lines(look_lines(found, width()))
