"""Help pages of commands: a command's own options first, those of reading grouped below."""

from __future__ import annotations

from typing import Any

from typer.core import TyperCommand


class GroupedCommand(TyperCommand):
    """A command whose help page lists options under the headings of their groups."""

    def format_options(self, ctx: Any, formatter: Any) -> None:
        """Write arguments, the command's own options, and each group."""
        groups: dict[str, list[tuple[str, str]]] = {"Arguments": [], "Options": []}
        for parameter in self.get_params(ctx):
            record = parameter.get_help_record(ctx)
            is_argument = parameter.param_type_name == "argument"
            panel = getattr(parameter, "rich_help_panel", None) or "Options"
            if record is not None:
                groups.setdefault("Arguments" if is_argument else panel, []).append(record)
        for heading, records in groups.items():
            if records:
                with formatter.section(heading):
                    formatter.write_dl(records)
