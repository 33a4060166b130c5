"""olive-crate demo: the whole path on the cooperative's data."""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

from ..demo.walk import STEPS, write_demo
from .screen import show


def demo(
    folder: Annotated[Path, typer.Argument(help="Folder to write the files to.")] = Path(
        "olive-demo"
    ),
) -> None:
    """Write the demo data to a folder and walk through the whole path."""
    write_demo(folder)
    for number, (words, command) in enumerate(STEPS, 1):
        show(f"\n{number}. {words}\n\n$ olive-crate {command}")
        sys.stdout.flush()
        status = _run(folder, command)
        if status:
            raise typer.Exit(status)
    show(f"\nThe files are in {folder}; look at the plans, change them, and pack again.")


def _run(folder: Path, command: str) -> int:
    environment = {**os.environ, "PYTHONIOENCODING": "utf-8"}
    arguments = [sys.executable, "-m", "olive_crate", *shlex.split(command)]
    return subprocess.run(arguments, cwd=folder, env=environment, check=False).returncode
