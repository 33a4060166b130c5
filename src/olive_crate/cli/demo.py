"""olive-crate demo: the whole path on the cooperative's data."""

from __future__ import annotations

import contextlib
import shlex
import sys
from pathlib import Path
from threading import Event
from typing import TYPE_CHECKING, Annotated

import typer

from .screen import show

if TYPE_CHECKING:
    from ..demo.server import DemoServer

PORT = 8734


def demo(
    folder: Annotated[Path, typer.Argument(help="Folder to write the files to.")] = Path(
        "olive-demo"
    ),
    serve: Annotated[
        bool, typer.Option("--serve", help="Only run the demo's web server, until interrupted.")
    ] = False,
    port: Annotated[int, typer.Option(help="Port of the web server.")] = PORT,
) -> None:
    """Write the demo data to a folder and walk through it."""
    from ..demo.server import serving  # which takes as long to load as all the rest

    with serving(port) as server:
        if serve:
            _serve(server)
        else:
            _walk(folder, server.address)


def _serve(server: DemoServer) -> None:
    from ..demo.server import SHOWN

    show(f"serving at {server.address} until interrupted:")
    for path in SHOWN:
        show(f"  {server.address}{path}")
    sys.stdout.flush()
    Event().wait()


def _walk(folder: Path, server: str) -> None:
    from ..demo.walk import STEPS, write_demo

    write_demo(folder)
    for number, step in enumerate(STEPS, 1):
        command = step.command.replace("{server}", server)
        show(f"\n{number}. {step.words}\n\n$ olive-crate {command}")
        if step.lacking:
            show(f'left out: it needs pip install "olive-crate[{step.lacking}]"')
            continue
        if step.before is not None:
            step.before(folder)
        sys.stdout.flush()
        status = _run(folder, command)
        if status != step.status:
            raise typer.Exit(status or 1)
    show(f"\nThe files are in {folder}; look at the plans, change them, and pack again.")


def _run(folder: Path, command: str) -> int:
    """The exit status of a command, run in the folder as if it were typed there."""
    from . import main
    from .datasets import broken

    broken.clear()
    typed = sys.argv
    sys.argv = ["olive-crate", *shlex.split(command)]
    try:
        with contextlib.chdir(folder):
            main()
    except SystemExit as stop:
        return int(stop.code or 0)
    finally:
        sys.argv = typed
    return 0
