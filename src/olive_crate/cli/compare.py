"""olive-crate compare: two datasets, a dataset with its source, or with another's figures."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from .datasets import dataset_of
from .options import trust_option
from .screen import progress, show, show_json, width

figures_option = Annotated[
    Path | None,
    typer.Option(
        "--figures", help="Compare with a table of figures (name, n, mean, …).", metavar="FILE"
    ),
]

headings_option = Annotated[
    list[str] | None,
    typer.Option(
        "--heading",
        help="Meaning of a column of the table: sd=Spread.",
        metavar="FIGURE=HEADING",
    ),
]

without_option = Annotated[
    str | None,
    typer.Option(help="Leave out: reasons, labels, declarations.", metavar="PARTS"),
]

key_option = Annotated[
    str | None,
    typer.Option("--key", help="Match rows by these variables: id,day.", metavar="NAMES"),
]


def compare(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    other: Annotated[
        str | None,
        typer.Argument(help="Another one (default: the source, read again)."),
    ] = None,
    key: key_option = None,
    figures: figures_option = None,
    headings: headings_option = None,
    tolerance: Annotated[float, typer.Option(help="Absolute tolerance for numbers.")] = 0.0,
    relative: Annotated[
        float, typer.Option(help="Relative tolerance, as a share of the larger number.")
    ] = 0.0,
    without: without_option = None,
    trust: trust_option = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Show what agrees and what differs between two datasets.

    Exits with 3 if anything differs.
    """
    from ..api.comparing import compare as compare_datasets
    from ..show.comparison import comparison_text

    given = {} if trust is None else {"trust": trust}
    pairs = [each.partition("=")[::2] for each in headings or []]
    one = dataset_of(source, given)
    two = None if other is None else dataset_of(other, given)
    with progress("comparing"):
        made = compare_datasets(
            one,
            two,
            key=None if key is None else [part.strip() for part in key.split(",")],
            tolerance=tolerance,
            relative=relative,
            figures=None if figures is None else str(figures),
            headings=dict(pairs),
            without=[part.strip() for part in (without or "").split(",") if part.strip()],
        )
    if as_json:
        show_json(made.to_dict())
    else:
        show(comparison_text(made, width()))
    if not made.equal:
        raise typer.Exit(3)
