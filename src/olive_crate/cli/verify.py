"""olive-crate verify: whether what was packed is whole."""

from __future__ import annotations

from typing import Annotated

import typer

from .screen import progress, show, show_json, width


def verify(
    source: Annotated[str, typer.Argument(help="A packed dataset, a packed set, or a crate.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Read a whole packed dataset and say whether it is intact.

    Exits with 3 if it is not.
    """
    from ..api.reading import verify as verified
    from ..dataset.crates import CrateVerification
    from ..show.crates import crate_verification_text
    from ..show.verification import verification_text

    with progress("verifying"):
        made = verified(source)
    if as_json:
        show_json(made.to_dict())
    elif isinstance(made, CrateVerification):
        show(crate_verification_text(made, width()))
    else:
        show(verification_text(made, width()))
    if not made.is_whole:
        raise typer.Exit(3)
