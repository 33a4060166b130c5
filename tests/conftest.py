"""What several tests share: files to read, the command to run, block sizes to force."""

from __future__ import annotations

import atexit
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

import olive_crate as oc


def tries(count: int) -> int:
    """How many cases a property tries: all of them in CI, where it may take longer.

    Elsewhere half of them, and a quarter where the slow kernels read the files.
    """
    if os.environ.get("OLIVE_CRATE_KERNELS") == "reference":
        return max(1, count // 4)
    return count if {"CI", "NEW_SEEDS"} & os.environ.keys() else max(1, count // 2)


settings.register_profile(
    "project",
    deadline=None,
    derandomize=not os.environ.get("NEW_SEEDS"),  # `make fuzz` looks further
    max_examples=tries(60),
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
settings.load_profile("project")


for variable in ("COLUMNS", "NO_COLOR", "FORCE_COLOR"):  # of whoever runs the tests
    os.environ.pop(variable, None)
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp(prefix="olive-crate-tests-")
atexit.register(shutil.rmtree, os.environ["XDG_STATE_HOME"], ignore_errors=True)
"""Plans that tests write are remembered apart from those of whoever runs the tests."""

DEMO = Path(__file__).parent.parent / "src" / "olive_crate" / "demo" / "data"

BLOCKS = (1, 5, 64, 1 << 20)
"""Bytes to read at a time: what comes out must not depend on it."""


def topic(evidence: oc.Evidence) -> str:
    """What evidence is about: `delimited.quote`, `variable.acid`, `level.acid`."""
    if not evidence.variable:
        return evidence.about
    return f"{'level' if evidence.about == 'variable.level' else 'variable'}.{evidence.variable}"


def browser(page: Path, profile: Path, *options: str) -> subprocess.CompletedProcess[str]:
    """A page in a headless Chromium; what it prints. (No sanitizer is loaded into it.)"""
    usual = ("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run")
    usual += ("--disable-background-networking", "--disable-sync", "--disable-component-update")
    return subprocess.run(
        ["chromium", *usual, f"--user-data-dir={profile}", *options, "--dump-dom", page.as_uri()],
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
        env={name: value for name, value in os.environ.items() if name != "LD_PRELOAD"},
    )


@pytest.fixture
def demo() -> Path:
    """The folder of the demo data."""
    return DEMO


@pytest.fixture
def command(tmp_path: Path) -> Callable[..., subprocess.CompletedProcess[str]]:
    """The real command, run in a folder of its own."""

    def run(*arguments: object) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "olive_crate", *map(str, arguments)],
            cwd=tmp_path,
            capture_output=True,
            text=True,
            encoding="utf-8",
            check=False,
        )

    return run


@pytest.fixture(params=["portable", "sse2", "avx2", "neon"])
def level(request: pytest.FixtureRequest) -> Iterator[str]:
    """Each instruction set that this processor has."""
    compiled = pytest.importorskip(
        "olive_crate.kernels.compiled", reason="the compiled kernels were not built"
    )
    usual = compiled.instructions()
    try:
        compiled.instructions(request.param)
    except ValueError:
        pytest.skip("not on this processor")
    yield request.param
    compiled.instructions(usual)


@pytest.fixture
def here(tmp_path: Path, monkeypatch, capsys) -> Callable[..., subprocess.CompletedProcess[str]]:
    """The command in this process, for what does not depend on the process: ten times as fast."""
    from olive_crate.cli import datasets, main

    def run(*arguments: object) -> subprocess.CompletedProcess[str]:
        monkeypatch.chdir(tmp_path)
        monkeypatch.setattr(sys, "argv", ["olive-crate", *map(str, arguments)])
        datasets.broken.clear()
        status = 0
        try:
            main()
        except SystemExit as stop:
            status = int(stop.code or 0)
        return subprocess.CompletedProcess(arguments, status, *capsys.readouterr())

    return run
