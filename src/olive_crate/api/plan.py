"""A plan as users see it: the decisions about a file, with what can be done with them."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from ..plan import declaring
from ..plan.model import Decisions
from ..plan.naming import Renaming
from ..plan.selecting import Names
from ..views import Shown


class Plan(Shown, Decisions, frozen=True, omit_defaults=True):
    """All decisions about reading one source, or many of the same kind.

    A plan is a frozen value. What it does not say is found from the file when it is read, and the
    receipt lists what was found.

    >>> plan = Plan().declare("acid", type="number", missing={777: "sample lost"})
    >>> plan.variable("acid").missing[0].why
    'sample lost'
    """

    @staticmethod
    def of(decisions: Decisions) -> Plan:
        """The same decisions as a plan."""
        if isinstance(decisions, Plan):
            return decisions
        return Plan(**{key: getattr(decisions, key) for key in Decisions.__struct_fields__})

    @staticmethod
    def read(path: str | os.PathLike[str]) -> Plan:
        """Read a plan file (TOML).

        Raises `PlanError` naming the key for anything that is not a plan.
        """
        from ..plan.toml_read import read_decisions

        return Plan.of(read_decisions(Path(path)))

    def write(self, path: str | os.PathLike[str]) -> None:
        """Write the plan as TOML; comments of a plan file that is already there are kept."""
        from ..plan.toml_write import write_plan
        from ..show.claims import claim_of

        write_plan(self, Path(path), claim_of)

    def text(self, folder: Path | None = None) -> str:
        """The plan as TOML, with its evidence as comments; its path as seen from `folder`."""
        from ..plan.toml_write import plan_text
        from ..show.claims import claim_of

        return plan_text(self, claim_of, folder)

    def code(self) -> str:
        """Python text that makes the same plan and loads its file."""
        from ..plan.python_text import python_text

        return python_text(self)

    def declare(self, names: Names, **parts: Any) -> Plan:
        """Declare parts of one or more variables: see `Variable` for the parts.

        `names` is a name, a list, a run of neighbours (`"panel_1..panel_8"`), a pattern
        (`"panel_*"`, `"*"` for all), or what the variables are declared with
        (`{"type": "integer"}`). Parts that are not given stay as they are; one given as `None` is
        taken back, and `missing=[]` says that not even the codes for all variables count.
        `meanings` may be the name of a set made by `declare_set`. Raises `PlanError` for unknown
        names and parts.
        """
        return declaring.declare(self, names, parts)

    def declare_set(self, name: str, meanings: Any) -> Plan:
        """Declare meanings under a name, for many variables to use: `meanings="intensity"`."""
        return declaring.declare_set(self, name, meanings)

    def declare_like(self, names: Names, like: str, parts: Iterable[str] | None = None) -> Plan:
        """Declare variables like another one: only these parts, or all but heading and label."""
        return declaring.declare(self, names, declaring.parts_like(self.variables, like, parts))

    def undeclare(self, names: Names, parts: Iterable[str] | None = None) -> Plan:
        """Take back these parts of declarations, or all of them."""
        return declaring.declare(self, names, declaring.parts_taken_back(parts))

    def rename(self, names: str | Renaming, new: str | None = None) -> Plan:
        """Rename one variable, those of a mapping from old to new, or all by a function.

        Raises `PlanError` where two would have the same name.
        """
        return declaring.rename(self, names, new)

    def reorder(self, names: Names, after: str | None = None) -> Plan:
        """Put these variables first, or behind another one; the rest keeps its order."""
        return declaring.reorder(self, names, after)

    def make_names_plain(self, longest: int | None = None) -> Plan:
        """Make names lower case, with `_` for other marks, of at most so many characters.

        Headings are kept as labels where there is none. Names that would be the same are told
        apart by a number, and the plan's `notes` (after the read, the receipt's) name them.
        """
        return declaring.made_plain(self, longest)

    def with_options(self, **options: Any) -> Plan:
        """The plan with options of `load` laid over it."""
        from ..plan.deciding import with_options

        return Plan.of(with_options(self, options))


NO_PLAN = Plan()
"""Everything is still to be found."""
__all__ = ["NO_PLAN", "Plan"]
