"""The report's page, filled and written."""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import os
from collections.abc import Iterable
from importlib.resources import files
from pathlib import Path
from typing import Any

from ...dataset.model import PlainDataset
from ...errors import Advice, PlanError, TargetError, several
from ...sources.writing import write_whole
from ...workers import Progress
from ..text import visible
from .parts import part_of

Named = Iterable[tuple[str, PlainDataset]]


def write_report(
    datasets: Named,
    path: str | os.PathLike[str],
    title: str,
    no_cells: bool = False,
    replace: bool = False,
    progress: Progress | None = None,
) -> None:
    """Write a report on datasets, each under its name.

    Raises `PlanError` where the extra `report` is missing or a file would be written over, and
    `TargetError` where it cannot be written.
    """
    target = Path(path)
    if target.exists() and not replace:
        advice = Advice("use {} to overwrite it", "replace=True", "--replace")
        raise PlanError(f"{target}: already exists", advice)
    page = report_html(datasets, title, no_cells, progress)
    try:
        write_whole(target, page.encode("utf-8"))
    except OSError as error:
        raise TargetError(f"{target}: cannot be written: {error.strerror}") from None


def report_html(
    datasets: Named, title: str, no_cells: bool = False, progress: Progress | None = None
) -> str:
    """The page of a report as text."""
    try:
        from jinja2 import Environment, StrictUndefined
        from markupsafe import Markup
    except ImportError:
        raise PlanError('Jinja2 is not installed; install "olive-crate[report]"') from None
    held = files("olive_crate.show.report")
    text, style, script = (
        (held / name).read_text("utf-8") for name in ("page.html", "page.css", "page.js")
    )
    parts = [
        _drawn(part_of(dataset, name, number, no_cells, progress), Markup)
        for number, (name, dataset) in enumerate(datasets, 1)
    ]
    count = sum(len(part["variables"]) for part in parts)
    environment = Environment(
        autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    size = f"{several(len(parts), 'dataset')}, {several(count, 'variable')}"
    made: str = environment.from_string(text).render(
        title=visible(title),
        subtitle=f"{size}, {dt.date.today().isoformat()}",
        parts=parts,
        style=Markup(style),
        style_hash=_hash(style),
        script=Markup(script),
        script_hash=_hash(script),
        footer=_footer(no_cells),
    )
    return made


def _drawn(part: dict[str, Any], markup: Any) -> dict[str, Any]:
    """The part with its pictures marked as such; they are escaped where they are drawn."""
    for each in part["variables"]:
        each["picture"] = markup(each["picture"])
    for name in ("patterns", "correlations"):
        if part[name]:
            part[name]["picture"] = markup(part[name]["picture"])
    return part


def _hash(text: str) -> str:
    """What a content policy allows a style or a script by."""
    digest = hashlib.sha256(text.encode("utf-8")).digest()
    return f"sha256-{base64.b64encode(digest).decode('ascii')}"


def _footer(no_cells: bool) -> str:
    made = "Written by Olive Crate. This file holds all that it shows; nothing is fetched."
    return f"{made} It holds no text of any cell." if no_cells else made
