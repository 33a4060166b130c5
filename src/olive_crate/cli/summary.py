"""olive-crate summary: figures of each variable."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of, variables_option, where_option
from .options import reading
from .screen import progress, show, show_json, width


@reading
def summary(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    variables: variables_option = None,
    complete: Annotated[
        bool, typer.Option("--complete", help="Use only cases that have all of these variables.")
    ] = False,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    where: where_option = None,
    options: dict[str, Any] | None = None,
) -> None:
    """Show n, missing, mean, sd and quartiles of each variable."""
    from ..show.summary import summary_text

    dataset = dataset_of(source, options or {}, where)
    with progress("describing") as bar:
        made = dataset.summary(variables or "*", complete=complete, progress=bar)
    if as_json:
        show_json(made.to_dict())
    else:
        show(summary_text(made, width()))
