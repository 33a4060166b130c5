"""olive-crate report: one HTML file about a dataset or a crate, for those without the program."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from .datasets import dataset_of, where_option
from .options import reading
from .screen import progress, show


@reading
def report(
    source: Annotated[str, typer.Argument(help="A file, a plan, a packed dataset or a crate.")],
    output: Annotated[
        Path, typer.Option("--output", "-o", help="HTML file to write.", metavar="FILE")
    ] = Path("report.html"),
    title: Annotated[str | None, typer.Option(help="Title (default: the source's name).")] = None,
    no_cells: Annotated[
        bool, typer.Option("--no-cells", help="Leave out whatever stood in a cell.")
    ] = False,
    replace: Annotated[bool, typer.Option("--replace", help="Overwrite an existing file.")] = False,
    where: where_option = None,
    options: dict[str, Any] | None = None,
) -> None:
    """Write one HTML page: what was read, findings, variables."""
    from ..sources.addresses import safe_address

    given = options or {}
    if (Path(source) / "crate.toml").is_file():
        from ..api.crate import Crate
        from ..errors import PlanError

        if where is not None:
            raise PlanError(f"{source}: --where takes cases of one dataset, not of a crate")
        made: Any = Crate.open(source, **({"trust": given["trust"]} if "trust" in given else {}))
    else:
        made = dataset_of(source, given, where)
    name = Path(safe_address(source)).name or source
    with progress("reporting") as bar:
        made.report(
            output,
            title=title or (name if where is None else f"{name}, where {where}"),
            no_cells=no_cells,
            replace=replace,
            progress=bar,
        )
    show(f"wrote {output} ({output.stat().st_size / 1000:,.0f} kB)")
