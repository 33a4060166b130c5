"""Help pages: commands by the steps of the work, and of the options those that most files need.

`--help` lists a command's own options and the usual ones of reading; `--help-all` lists all.
"""

from __future__ import annotations

from typing import Any

from typer import echo
from typer.core import TyperCommand, TyperGroup, TyperOption

STEPS = {
    "Look and decide": {
        "look": "Show how a file begins and ends, and how it would be read.",
        "draft": "Write a plan: how to read a file, with the evidence.",
        "settle": "Answer the open points of a file or a plan one by one.",
    },
    "Read": {
        "pack": "Read a file or a set of files into a packed dataset.",
        "verify": "Read a whole packed dataset and say whether it is intact.",
    },
    "Describe": {
        "codebook": "Show what each variable is and what its cells hold.",
        "counts": "Show how often each value occurs.",
        "summary": "Show n, missing, mean, sd and quartiles of each variable.",
        "patterns": "Show which variables are missing together.",
        "correlations": "Show correlations of numbers and the cases behind each.",
    },
    "Check": {
        "check": "Show what looks wrong, the evidence and the fix.",
        "compare": "Show what agrees and what differs between two datasets.",
        "trace": "Show where one cell came from, step by step.",
    },
    "Hand on": {
        "export": "Write a dataset as text, workbook, Arrow, Parquet or table.",
        "report": "Write one HTML page: what was read, findings, variables.",
        "crate": "Look after datasets that belong together: add, refresh, seal.",
    },
    "Learn": {
        "demo": "Write the demo data to a folder and walk through it.",
    },
}
"""The commands in the order in which an analyst needs them, each with what it does.

The list stands here so that it can be printed without importing any of them.
"""
ALL = "help-all"
"""Where a context keeps that the whole page is wanted."""


class Group(TyperGroup):
    """Commands with their first sentences, none of them cut."""

    steps: dict[str, dict[str, str]] = {}  # noqa: RUF012

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Write a section for each step."""
        longest = max(map(len, self.commands), default=0)
        for step, names in (self.steps or {"Commands": dict.fromkeys(self.commands, "")}).items():
            listed = [(name, self.commands[name]) for name in names if name in self.commands]
            if listed:
                with formatter.section(step):
                    formatter.write_dl(
                        [(name.ljust(longest), first_sentence(each)) for name, each in listed]
                    )


class Steps(Group):
    """The command itself: its help page lists commands by step."""

    steps = STEPS


def first_sentence(command: Any) -> str:
    """What a command is for, without its last point."""
    return (command.help or "").split("\n\n")[0].replace("\n", " ").partition(". ")[0].rstrip(".")


class GroupedCommand(TyperCommand):
    """A command whose help page lists its own options, then those of reading by their groups."""

    def get_params(self, ctx: Any) -> list[Any]:
        """The parameters, with `--help-all` where there is more to list."""
        made = super().get_params(ctx)
        for each in made:
            if each.metavar is None and not getattr(each, "is_flag", False):
                each.metavar = _metavar(each)
        if any(_rare(each) for each in made):
            made.insert(-1, _help_all())
        return made

    def collect_usage_pieces(self, ctx: Any) -> list[str]:
        """The parts of the usage line, without braces."""
        return [piece.strip("{}") for piece in super().collect_usage_pieces(ctx)]

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """Write arguments, the command's own options, and each group."""
        everything = ctx.meta.get(ALL, False)
        groups: dict[str, list[tuple[str, str]]] = {"Arguments": [], "Options": []}
        left = 0
        for parameter in self.get_params(ctx):
            record = parameter.get_help_record(ctx)
            if record is None:
                continue
            if not everything and _rare(parameter):
                left += 1
                continue
            shown = (record[0].strip("{}"), record[1].removesuffix("[required]").rstrip())
            groups.setdefault(_heading(parameter, everything), []).append(shown)
        for heading, records in groups.items():
            if records:
                with formatter.section(heading):
                    formatter.write_dl(records)
        if left:
            formatter.write_paragraph()
            formatter.write_text(f"{left} more options of reading: --help-all")


def _metavar(parameter: Any) -> str:
    """What stands for a value: `FILE`, `COUNT`, or the name of the parameter."""
    kinds = {"path": "FILE", "integer": "COUNT"}
    longest: str = max(parameter.opts, key=len)
    return kinds.get(parameter.type.name, longest.lstrip("-").replace("-", "_").upper())


def _group(parameter: Any) -> str | None:
    """The group of a reading option; None for others."""
    return getattr(parameter, "rich_help_panel", None)


def _heading(parameter: Any, everything: bool) -> str:
    if parameter.param_type_name == "argument":
        return "Arguments"
    group = _group(parameter)
    return "Options" if group is None else group if everything else "Reading"


def _rare(parameter: Any) -> bool:
    if _group(parameter) is None:
        return False
    from .flags import SHORT_PAGE

    return parameter.name not in SHORT_PAGE


def _help_all() -> TyperOption:
    def show(ctx: Any, _parameter: Any, asked: bool) -> None:
        if asked and not ctx.resilient_parsing:
            ctx.meta[ALL] = True
            echo(ctx.get_help(), color=ctx.color)
            ctx.exit()

    return TyperOption(
        param_decls=["--help-all"],
        is_flag=True,
        is_eager=True,
        expose_value=False,
        callback=show,
        help="Show this page with all options of reading.",
    )
