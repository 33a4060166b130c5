"""What a plan from elsewhere may open: what lies under its own folder, and what it is trusted with.

A plan, a packed file or a crate comes from anywhere. What it names is opened in the user's name,
with the user's rights, and its content may be handed on by someone who has never read the plan. So
a path is followed to its end, links and `..` too, before it is compared with the folder.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import msgspec

from ..errors import Advice, PlanError, SourceError, nearest
from .addresses import database_kind, host_of, is_address, is_web, kept_address, safe_address

TRUSTS = ("files", "web", "databases")
"""What a caller can trust a plan with."""
LOCAL = {"file", "local", "zip", "tar"}
"""Schemes of addresses that lead to files of this machine."""
WORDS = {
    "files": "a file outside its folder",
    "web": "an address on the web",
    "databases": "a database",
}


class Reach(msgspec.Struct, frozen=True):
    """How far a plan from elsewhere reaches."""

    plan: str
    """The file that names what is to be opened."""
    trust: tuple[str, ...] = ()
    within: str = ""
    """The folder of which it may open all; its own, if nothing is said."""

    def needed_for(self, named: str) -> str:
        """What the plan must be trusted with to open this; empty for nothing."""
        folder = Path(self.plan).parent
        return needed_for(named, folder, Path(self.within) if self.within else folder)

    def allows(self, named: str) -> bool:
        """May the plan open this?"""
        return self.needed_for(named) in ("", *self.trust)

    def check(self, named: str) -> None:
        """Raise `SourceError` for what the plan may not open."""
        if not self.allows(named):
            needed = self.needed_for(named)
            raise SourceError(
                f"{self.plan}: names {WORDS[needed]} ({safe_address(named)}), and none of your "
                "runs wrote it",
                Advice("if you trust it, use {}", f'trust="{needed}"', f"--trust {needed}"),
            )


def needed_for(named: str, folder: Path, within: Path | None = None) -> str:
    """What a plan in this folder must be trusted with to open this; empty for nothing.

    It may open all that lies `within` another folder, if one is given, else within its own.
    """
    kind = database_kind(named) if is_address(named) else None
    if kind is not None and kind != "sqlite":
        from .connecting import named_hosts

        return "" if host_of(named) in named_hosts() else "databases"
    if is_web(named):
        return "web"
    path = kept_address(named)
    if is_address(path):
        chained = [each.partition("://")[0].lower() for each in path.split("::") if "://" in each]
        return "files" if set(chained) <= LOCAL else "web"
    return "" if _is_under(folder / path, within or folder) else "files"


def _is_under(path: Path, folder: Path) -> bool:
    """Does a path, or the literal beginning of a pattern, end under the folder?"""
    try:
        return path.resolve().is_relative_to(folder.resolve())
    except (OSError, RuntimeError, ValueError):  # a ring of links, a null character
        return False


def trusted(given: str | Iterable[str] | None) -> tuple[str, ...]:
    """What a caller trusts a plan with, as a tuple. Raises `PlanError` for other words."""
    if given is None:
        return ()
    words = given.split(",") if isinstance(given, str) else list(given)
    made = tuple(str(each).strip() for each in words)
    for each in made:
        if each not in TRUSTS:
            raise PlanError(
                f'trust: expected {", ".join(TRUSTS)}, got "{each}"{nearest(each, TRUSTS)}'
            )
    return made
