"""olive-crate look: see before you read."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from .options import reading, sources_argument, sources_of
from .screen import progress, show_json, show_lines, width


@reading
def look(
    source: sources_argument,
    picture: Annotated[
        Path | None,
        typer.Option(
            help="Draw fixed columns, or the variables of a set of files, to this PNG, SVG or PDF."
        ),
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Show how a file begins and ends, and how it would be read."""
    from ..api.reading import look as look_at
    from ..show.views import lines

    given = options or {}
    with progress("looking") as bar:
        found = look_at(sources_of(source, given), progress=bar, **given)
    if picture is not None:
        from ..api import pictures

        draw = pictures.draw_files if found.is_set else pictures.draw_positions
        draw(sources_of(source, given), picture, **given)
    if as_json:
        show_json(found.to_dict())
    else:
        show_lines(lines(found, width()))
