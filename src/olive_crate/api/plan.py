"""A plan as users see it: the decisions about a file, with what can be done with them."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..plan import declaring
from ..plan.model import Decisions
from ..plan.naming import Renaming
from ..plan.selecting import Names
from ..views import Worded

if TYPE_CHECKING:
    from ..reading.settling import OpenPoint


class Plan(Worded, Decisions, frozen=True, omit_defaults=True):
    """All decisions about reading one source, or many of the same kind.

    A plan is a frozen value. Decisions that it leaves out are inferred from the file during the
    read and listed in the receipt.

    >>> plan = Plan().declare("acid", type="number", missing={777: "sample lost"})
    >>> plan.variable("acid").missing[0].why
    'sample lost'
    """

    @staticmethod
    def read(path: str | os.PathLike[str], trust: str | Iterable[str] = ()) -> Plan:
        """Read a plan file (TOML).

        A plan that no run of yours wrote may open what lies under its own folder. `trust` names
        what else it may: "files", "web", "databases", one or several.

        Raises `PlanError` naming the key for anything that is not a plan, and `SourceError` for a
        dictionary that the plan may not open.

        >>> plan.write(folder / "lab.plan.toml", replace=True)
        >>> oc.Plan.read(folder / "lab.plan.toml").variable("acid").type
        'number'
        """
        from ..plan.toml_read import read_decisions
        from ..sources.reach import trusted

        return Plan.of(read_decisions(Path(path), trusted(trust)))

    def write(self, path: str | os.PathLike[str], replace: bool = False) -> None:
        """Write the plan as TOML.

        The plan file that this plan was read from, unchanged since, is brought up to date, and its
        comments are kept. Any other file is overwritten only with `replace=True`; without it,
        `PlanError` is raised.

        >>> plan.write(folder / "lab.plan.toml", replace=True)
        """
        from ..plan.toml_write import write_plan
        from ..show.claims import claim_of

        write_plan(self, Path(path), claim_of, replace)

    def text(self, folder: Path | None = None) -> str:
        """Return the plan as TOML with its evidence as comments; paths relative to `folder`.

        >>> "[missing]" in plan.text()
        True
        """
        from ..plan.toml_write import plan_text
        from ..show.claims import claim_of

        return plan_text(self, claim_of, folder)

    def code(self) -> str:
        """Return Python code that makes the same plan and loads its file.

        >>> plan.code().splitlines()[0]
        'import olive_crate as oc'
        """
        from ..plan.python_text import python_text

        return python_text(self)

    def declare(self, names: Names, **parts: Any) -> Plan:
        """Declare parts of one or more variables; see `Variable` for the parts.

        `names` is a name, a list, a run of neighbours (`"panel_1..panel_8"`), a pattern
        (`"panel_*"`, `"*"` for all), or a declaration that the variables share
        (`{"type": "integer"}`). Omitted parts stay unchanged; `None` removes a part, and
        `missing=[]` excludes a variable from the codes for all variables. `meanings` can be the
        name of a set from `declare_set`. Raises `PlanError` for unknown names and parts.

        >>> plan.declare("acid", unit="%", label="Free acidity").variable("acid").unit
        '%'
        """
        return declaring.declare(self, names, parts)

    def declare_set(self, name: str, meanings: Any) -> Plan:
        """Define a named set of meanings that variables can share: `meanings="intensity"`.

        >>> named = plan.declare_set("grades", {"A": "first", "B": "second"})
        >>> named.declare("grade", meanings="grades").variable("grade").meanings[0].label
        'first'
        """
        return declaring.declare_set(self, name, meanings)

    def declare_like(self, names: Names, like: str, parts: Iterable[str] | None = None) -> Plan:
        """Copy the declaration of `like`: the given parts, or all but heading and label.

        >>> plan = plan.declare("acid", unit="%").declare_like("grade", "acid", ["unit"])
        >>> plan.variable("grade").unit
        '%'
        """
        return declaring.declare(self, names, declaring.parts_like(self.variables, like, parts))

    def declare_labels(self, labels: Mapping[str, str] | str | os.PathLike[str]) -> Plan:
        """Label many variables at once: see `Dataset.declare_labels`.

        >>> plan.declare_labels({"acid": "Free acidity"}).variable("acid").label
        'Free acidity'
        """
        from ..reading.labels import labels_of

        return declaring.declare_labels(self, labels_of(labels, self.variables))

    def undeclare(self, names: Names, parts: Iterable[str] | None = None) -> Plan:
        """Remove the given parts of declarations, or all parts.

        >>> plan.declare("acid", unit="%").undeclare("acid", ["unit"]).variable("acid").unit
        """
        return declaring.declare(self, names, declaring.parts_taken_back(parts))

    def rename(self, names: str | Renaming, new: str | None = None) -> Plan:
        """Rename one variable, several by a mapping from old to new names, or all by a function.

        Raises `PlanError` if two variables would share a name.

        >>> plan.rename("acid", "acidity").variable("acidity").from_
        'acid'
        """
        return declaring.rename(self, names, new)

    def reorder(self, names: Names, after: str | None = None) -> Plan:
        """Move these variables to the front, or after another one.

        >>> oc.load(text, plan=plan.reorder("grade")).names
        ['grade', 'id', 'acid']
        """
        return declaring.reorder(self, names, after)

    def make_names_plain(self, longest: int | None = None) -> Plan:
        """Make names lower case with `_`, optionally of limited length.

        Headings become labels of variables that have none. Colliding names get a numeric suffix,
        which the plan's `notes` (after the read, the receipt's) list.

        >>> oc.draft(b"Free acidity (%)\\n0.3\\n").make_names_plain().variables[0].label
        'Free acidity (%)'
        """
        return declaring.made_plain(self, longest)

    def with_options(self, **options: Any) -> Plan:
        """Return the plan with reading options applied.

        >>> oc.load(text, plan=plan.with_options(limit=2)).rows
        2
        """
        from ..plan.model import with_options
        from ..plan.options import OPTIONS

        return Plan.of(with_options(self, options, OPTIONS))

    def open_points(self) -> list[OpenPoint]:
        """Examine the plan's source, and return what it leaves open, as questions with proposals.

        Raises `PlanError` for a plan without a source, and `SourceError` and `LayoutError`.

        >>> points = oc.draft(folder / "marks.csv").open_points()
        >>> points[0].variable
        'acid'
        """
        from ..reading.questions import open_points

        return open_points(self, Plan.of)

    def settle(self, point: OpenPoint, answer: int | str | Mapping[str, Any]) -> Plan:
        """Return the plan with an open point answered; it is not asked again.

        `answer` is the number of one of `point.proposals` from 1, `"keep"`, the value of an
        alternative, or a mapping of what is declared instead. Raises `PlanError` for anything else.

        >>> draft = oc.draft(folder / "marks.csv")
        >>> len(draft.settle(draft.open_points()[0], "keep").settled)
        1
        """
        from ..reading.settling import settle

        return Plan.of(settle(self, point, answer))


NO_PLAN = Plan()
"""No decision yet."""
__all__ = ["NO_PLAN", "Plan"]
