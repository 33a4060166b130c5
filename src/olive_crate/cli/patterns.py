"""olive-crate patterns: what is missing together."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of, picture_option, variables_option, where_option
from .options import reading
from .screen import progress, show, show_json, width


@reading
def patterns(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    variables: variables_option = None,
    overlap: Annotated[
        bool, typer.Option("--overlap", help="Show how many cases each pair of variables shares.")
    ] = False,
    picture: picture_option = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    where: where_option = None,
    options: dict[str, Any] | None = None,
) -> None:
    """Show which variables are missing together."""
    from ..show.pairs import pairs_text
    from ..show.patterns import patterns_text

    dataset, names = dataset_of(source, options or {}, where), variables or "*"
    with progress("comparing variables"):
        made = dataset.overlap(names) if overlap else dataset.missing_patterns(names)
    if picture is not None:
        from ..show.pictures.matrices import draw_pairs, draw_patterns

        (draw_pairs if overlap else draw_patterns)(made, picture)
        show(f"wrote {picture}")
    elif as_json:
        show_json(made.to_dict())
    else:
        show(pairs_text(made, width()) if overlap else patterns_text(made, width()))
