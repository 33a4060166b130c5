"""olive-crate patterns: what is missing together."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of, picture_option, variables_option, where_option
from .options import reading
from .screen import show, show_json, width


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
    if picture is not None:
        from ..show.pictures.matrices import draw_pairs, draw_patterns

        if overlap:
            draw_pairs(dataset.overlap(names), picture)
        else:
            draw_patterns(dataset.missing_patterns(names), picture)
        show(f"wrote {picture}")
    elif overlap:
        pairs = dataset.overlap(names)
        show_json(pairs.to_dict()) if as_json else show(pairs_text(pairs, width()))
    else:
        made = dataset.missing_patterns(names)
        show_json(made.to_dict()) if as_json else show(patterns_text(made, width()))
