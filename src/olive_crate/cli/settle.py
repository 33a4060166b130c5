"""olive-crate settle: the open points of a draft, one by one."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NamedTuple

import typer

from .flags import code_of
from .options import reading, source_of
from .screen import progress, show, width

if TYPE_CHECKING:
    from ..api.plan import Plan
    from ..reading.settling import OpenPoint

PARTS = ("type", "format", "label", "unit", "level", "missing", "name")
HELP = """  ENTER leaves a point open; b goes back, q writes the plan and ends
  PART=VALUE … declares something else: type=text label="Free acidity"
  missing=777=lost,888 name=acid unit=% level=ratio"""


@reading
def settle(
    source: Annotated[str, typer.Argument(help="A file or a plan.")],
    output: Annotated[
        Path | None,
        typer.Option("--output", "-o", help="Plan file to write.", metavar="PLAN"),
    ] = None,
    answers: Annotated[
        Path | None,
        typer.Option(
            "--answers", help="Take the answers from the lines of a file.", metavar="FILE"
        ),
    ] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Overwrite an existing plan.")] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Answer the open points of a file or a plan one by one.

    The plan is written with the answers, on Ctrl-C too.
    """
    from ..api.plan import Plan
    from ..api.reading import draft
    from ..errors import PlanError

    plan = source_of(source, options or {})
    is_plan = isinstance(plan, Plan)
    if not is_plan:
        with progress("looking through") as bar:
            plan = draft(plan, progress=bar, **(options or {}))
    target = output or (Path(source) if is_plan else Path(source).with_suffix(".plan.toml"))
    own = is_plan and target == Path(source)
    if target.exists() and not replace and not own:
        raise PlanError(f"{target}: already exists; use --replace to overwrite it")
    points = plan.open_points()
    if not points:
        show("nothing is open")
    held = [Held(plan, {})]
    try:
        _ask(points, held, _lines(answers))
    except KeyboardInterrupt:
        show("")
    made = held[-1].plan.rename(held[-1].names) if held[-1].names else held[-1].plan
    made.write(target, replace=replace or own)
    answered = sum(one is not other for one, other in pairwise(held))
    show(f"wrote {target}: {answered} answered, {len(points) - answered} left open")


class Held(NamedTuple):
    """What there is after some answers."""

    plan: Plan
    names: dict[str, str]
    """New names, given once all questions are asked: these are about the old ones."""


def _ask(points: list[OpenPoint], held: list[Held], typed: Iterator[str]) -> None:
    """Ask all questions; `held` grows by one for each, so that an end in the midst loses none."""
    from ..show.settling import point_text

    while len(held) <= len(points):
        point = points[len(held) - 1]
        number = f"{len(held)} of {len(points)}: "
        show(f"\n{number}{point_text(point, width() - len(number))}")
        if len(held) == 1:
            show(HELP)
        sys.stdout.write("> ")
        sys.stdout.flush()
        line = next(typed, None)
        if line is None or line == "q":
            show("")
            return
        if line == "b":
            del held[max(1, len(held) - 1) :]
            continue
        answered = _answered(held[-1], point, line, typed)
        if answered is not None:
            held.append(answered)


def _answered(held: Held, point: OpenPoint, line: str, typed: Iterator[str]) -> Held | None:
    """The plan with an answer; `None` where it was none, which is said."""
    from ..errors import PlanError

    if not line:
        return held
    try:
        if "=" in line:
            return _declared(held, point, _parts(line))
        answer = _with_reasons(point, int(line), typed) if line.isdigit() else line
        return held._replace(plan=held.plan.settle(point, answer))
    except PlanError as error:
        show(f"  {error}")
        return None


def _with_reasons(point: OpenPoint, number: int, typed: Iterator[str]) -> Any:
    """A proposal by its number; of one that declares codes, their reasons are asked."""
    chosen = point.proposals[number - 1 : number]
    mend = chosen[0].mend if chosen else None
    codes = mend.parts.get("missing") if mend is not None else None
    if mend is None or not isinstance(codes, list):
        return number
    reasons = {}
    for code in codes:
        sys.stdout.write(f"  what does {code} mean? (ENTER: not known) ")
        sys.stdout.flush()
        reasons[code] = next(typed, "") or None
    if not any(reasons.values()):
        return number
    return mend.parts | {"missing": {code: why or str(code) for code, why in reasons.items()}}


def _declared(held: Held, point: OpenPoint, parts: dict[str, Any]) -> Held:
    """The plan with parts of a person's own."""
    from ..errors import PlanError

    name = parts.pop("name", "")
    if name and not point.variable:
        raise PlanError("a name is given to a variable; this point is about the whole source")
    names = held.names | ({point.variable: name} if name else {})
    return Held(held.plan.settle(point, parts) if parts else held.plan, names)


def _parts(line: str) -> dict[str, Any]:
    """`type=number missing=777=lost,888` as parts of a declaration."""
    import shlex

    from ..errors import PlanError, nearest

    parts: dict[str, Any] = {}
    try:
        words = shlex.split(line)
    except ValueError as error:
        raise PlanError(f"{line}: {error}") from None
    for word in words:
        key, _, value = word.partition("=")
        if key not in PARTS:
            raise PlanError(f'there is no part "{key}"{nearest(key, PARTS)}')
        parts[key] = [*map(code_of, value.split(","))] if key == "missing" else value
    return parts


def _lines(answers: Path | None) -> Iterator[str]:
    """What is typed, or the lines of a file."""
    from ..errors import PlanError

    if answers is None:
        return (line.strip() for line in iter(sys.stdin.readline, ""))
    try:
        lines = [line.strip() for line in answers.read_text("utf-8").splitlines()]
    except (OSError, UnicodeDecodeError) as error:
        raise PlanError(f"{answers}: cannot be read: {error}") from None
    return _echoed(lines)


def _echoed(lines: list[str]) -> Iterator[str]:
    """Answers from a file, each shown where it would have been typed."""
    for line in lines:
        show(line)
        yield line
