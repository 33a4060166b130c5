"""olive-crate counts: frequency tables."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .datasets import dataset_of, picture_option, where_option
from .options import reading
from .screen import is_terminal, progress, show, show_json, width


@reading
def counts(
    source: Annotated[str, typer.Argument(help="A packed dataset, a file, or a plan.")],
    variables: Annotated[
        list[str], typer.Argument(help="Variables, runs (a..c) or patterns (item_*).")
    ],
    by: Annotated[
        str | None, typer.Option(help="Cross with this variable.", metavar="NAME")
    ] = None,
    bins: Annotated[
        str | None,
        typer.Option("--bins", help="Count numbers in this many bins, or between edges: 0,1,2.5."),
    ] = None,
    by_label: Annotated[
        bool, typer.Option("--by-label", help="Count values of the same label as one.")
    ] = False,
    everything: Annotated[bool, typer.Option("--all", help="Show all values.")] = False,
    picture: picture_option = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
    where: where_option = None,
    options: dict[str, Any] | None = None,
) -> None:
    """Show how often each value occurs.

    Missing cells stand apart, by reason.
    """
    from ..describe.counts import Counts, CountTables
    from ..show.counts import MOST, counts_text, crossed_text

    dataset = dataset_of(source, options or {}, where)
    names = variables[0] if len(variables) == 1 else variables
    with progress("counting"):
        made = dataset.counts(names, by=by, bins=_bins(bins), by_label=by_label)
    if picture is not None:
        from ..show.pictures.distributions import draw_counts

        draw_counts(dataset, names, picture, bins=_bins(bins))
        show(f"wrote {picture}")
    elif as_json:
        show_json(made.to_dict())
    elif isinstance(made, (Counts, CountTables)):
        tables = [made] if isinstance(made, Counts) else list(made)
        most = 10**9 if everything else MOST
        bars = is_terminal()
        show("\n\n".join(counts_text(each, width(), most, bars) for each in tables))
    else:
        show(crossed_text(made, width()))


def _bins(text: str | None) -> Any:
    if text is None:
        return None
    try:
        return int(text) if "," not in text else [float(part) for part in text.split(",")]
    except ValueError:
        raise typer.BadParameter(
            f"--bins: expected a number, or edges 0,1,2.5; got {text!r}"
        ) from (None)
