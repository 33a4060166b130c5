"""Write docs/options.md from the table of reading options.

python tools/make_options_page.py
"""

from __future__ import annotations

from pathlib import Path

from olive_crate.plan.option import COMMAND_ONLY_IN_PLANS, GROUPS, Option
from olive_crate.plan.options import OPTIONS

PAGE = Path(__file__).parent.parent / "docs" / "options.md"
HEAD = """# All reading options

`look`, `draft`, `load` and `pack` accept these options. Each is also a key of a
[plan](plans.md), in the section named here, and most are flags of the command.
`tools/make_options_page.py` writes this page from the table of options in `plan/options.py`.
"""
SECTIONS = {"table": "`[database]`, `[page]`", "query": "`[database]`", "block": "none"}
"""Where options stand in a plan, if not in the section of their own name."""


def row(name: str, option: Option) -> str:
    """One option as a row of a Markdown table."""
    flags = ", ".join(f"`{each.name}`" for each in option.flags) or flag_of(name)
    section = SECTIONS.get(name) or (f"`[{option.section}]`" if option.section else "top level")
    return f"| `{name}` | {option.help} | {option.default} | {section} | {flags} |"


def flag_of(name: str) -> str:
    """The command's flag of an option that does not name any."""
    return "" if name in COMMAND_ONLY_IN_PLANS else f"`--{name.replace('_', '-')}`"


def page() -> str:
    """The whole page."""
    lines = [HEAD]
    for group in GROUPS:
        lines += [f"## {group}", "", "| option | meaning | default | section of a plan | flag |"]
        lines += ["|---|---|---|---|---|"]
        lines += [row(name, each) for name, each in OPTIONS.items() if each.group == group]
        lines.append("")
    return "\n".join(lines)


if __name__ == "__main__":
    PAGE.write_text(page(), "utf-8")
