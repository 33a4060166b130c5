"""olive-crate correlations: of each pair of numbers."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of, picture_option, variables_option, where_option
from .options import reading
from .screen import progress, show, show_json, width


@reading
def correlations(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    variables: variables_option = None,
    complete: Annotated[
        bool, typer.Option("--complete", help="Use only cases that have all of these variables.")
    ] = False,
    covariances: Annotated[bool, typer.Option("--covariances", help="Show covariances.")] = False,
    picture: picture_option = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    where: where_option = None,
    options: dict[str, Any] | None = None,
) -> None:
    """Show correlations of numbers and the cases behind each."""
    from ..show.pairs import pairs_text

    dataset = dataset_of(source, options or {}, where)
    figures = dataset.covariances if covariances else dataset.correlations
    with progress("correlating"):
        made = figures(variables or None, use="complete" if complete else "pairs")
    if picture is not None:
        from ..show.pictures.matrices import draw_pairs

        draw_pairs(made, picture)
        show(f"wrote {picture}")
    elif as_json:
        show_json(made.to_dict())
    else:
        show(pairs_text(made, width()))
