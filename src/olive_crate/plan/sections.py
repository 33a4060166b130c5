"""Which options are keys of which part of a plan file."""

from __future__ import annotations

from .options import OPTIONS


def top_level() -> list[str]:
    """The options that are keys at the top of a plan file."""
    return [name for name, option in OPTIONS.items() if not option.section]


def of_section(section: str) -> list[str]:
    """The options that are keys of a section of a plan file."""
    return [name for name, option in OPTIONS.items() if option.section == section]
