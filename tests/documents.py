"""Runs a page of the documentation: each block, in order, in a folder with the demo data.

- `console`: each line after `$ ` is run. What the page prints below it has to come; a line `...` or
  `⋮` stands for any lines, `…` within a line for any characters. A command whose output the page
  leaves out only has to succeed.
- `python`: is run, all blocks of a page in one namespace. What is printed has to be what the `text`
  block behind it shows, if there is one; so has the value of `# ...` behind an expression, where it
  begins with a quote, a digit, `True` or `False`.
- `toml`: has to be TOML.
- `<!-- before ... -->`: further Python that makes what the page takes for granted.
- `<!-- not run: why -->` before a block leaves it out.
"""

from __future__ import annotations

import contextlib
import io
import re
import shlex
import tomllib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

PARTS = re.compile(
    r"^```(?P<kind>\w+)[^\n]*\n(?P<body>.*?)^```\s*?$"
    r"|^<!-- (?P<note>before|not run)(?P<text>.*?)-->",
    re.MULTILINE | re.DOTALL,
)
COMMAND = "olive-crate "
BEFORE = """
import olive_crate as oc
oc.load(oc.Plan.read("survey.plan.toml")).pack("survey_2025.parquet")
plan = oc.Plan.read("deliveries.plan.toml")
ds = oc.load(plan)
"""
"""What every page takes for granted: a packed survey, the deliveries and their plan."""
ELLIPSES = ("...", "⋮", "…")


class Part(NamedTuple):
    """A block, or a note that only this runner reads."""

    kind: str
    text: str
    line: int


def parts_of(page: str) -> Iterator[Part]:
    """The blocks and notes of a page, in order."""
    for match in PARTS.finditer(page):
        line = page.count("\n", 0, match.start()) + 1
        yield Part(match["kind"] or match["note"], match["body"] or match["text"] or "", line)


def run_page(page: Path, command: Callable[..., Any]) -> int:
    """Run all blocks of a page in the current folder; how many there were."""
    namespace: dict[str, Any] = {}
    exec(BEFORE, namespace)
    parts = list(parts_of(page.read_text("utf-8")))
    ran = 0
    for place, part in enumerate(parts):
        following = parts[place + 1] if place + 1 < len(parts) else None
        if place and parts[place - 1].kind == "not run":
            continue
        try:
            ran += _run(part, following, namespace, command)
        except AssertionError as error:
            raise AssertionError(f"{page.name}:{part.line}: {error}") from None
        except Exception as error:
            raise AssertionError(
                f"{page.name}:{part.line}: {type(error).__name__}: {error}"
            ) from error
    return ran


def _run(part: Part, following: Part | None, namespace: dict[str, Any], command: Any) -> int:
    if part.kind == "console":
        _console(part.text, command)
    elif part.kind == "python":
        _python(part.text, following, namespace)
    elif part.kind == "toml":
        tomllib.loads(part.text)
    elif part.kind == "before":
        exec(compile(part.text, "before", "exec"), namespace)
    return part.kind in ("console", "python", "toml")


def _console(text: str, command: Callable[..., Any]) -> None:
    for each in re.split(r"^\$ ", text, flags=re.MULTILINE)[1:]:
        line, _, expected = each.partition("\n")
        assert line.startswith(COMMAND), f"no command of ours: {line}"
        done = command(*shlex.split(line.removeprefix(COMMAND), comments=True))
        assert done.returncode in (0, 3), f"{line}\n{done.stdout}{done.stderr}"
        if expected.strip():
            printed = done.stdout.rstrip() or done.stderr.rstrip()
            assert matches(printed, expected.rstrip()), f"{line} printed\n{printed}"


def matches(printed: str, expected: str) -> bool:
    """Is it what is shown, where some lines may be left out of that?"""
    pieces: list[list[str]] = [[]]
    for line in expected.splitlines():
        if line.strip() in ELLIPSES:
            pieces.append([])
        else:
            pieces[-1].append(line.rstrip())
    pattern = r"(?:.*\n)*?".join(
        "".join(re.escape(line).replace("…", ".*?") + r"\s*?\n" for line in piece)
        for piece in pieces
    )
    return re.fullmatch(pattern, printed + "\n") is not None


VALUE = re.compile(
    r"^(?P<code>[^#\n]+?)  # (?P<value>(?:[\"'\d(\[]|True|False|None).*)$", re.MULTILINE
)


def _python(text: str, following: Part | None, namespace: dict[str, Any]) -> None:
    held = io.StringIO()
    with contextlib.redirect_stdout(held):
        exec(compile(text, "page", "exec"), namespace)
    for match in VALUE.finditer(text):
        with contextlib.suppress(SyntaxError):
            value = eval(match["code"].strip(), namespace)
            said = match["value"].partition("  ")[0].partition(": ")[0].partition("; ")[0]
            assert repr(value).replace("'", '"') == said.replace("'", '"'), (
                f"{match['code'].strip()} is {value!r}"
            )
    if held.getvalue() and following is not None and following.kind == "text":
        assert matches(held.getvalue().rstrip(), following.text.rstrip()), held.getvalue()
