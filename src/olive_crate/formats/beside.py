"""Files that an export writes beside its data: a plan, a table of fields, metadata.

They are named after the exported file in full, so that they never meet a person's own plan, and
each is sealed: its SHA-256 stands in its own last line, or in that of the plan. A later export
replaces what an export wrote and nobody has edited since, and nothing else.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from pathlib import Path

from ..declaration.patterns import late
from ..errors import PlanError

PLAN, FIELDS, DDI, CSVW = ".plan.toml", ".fields.csv", ".ddi.xml", "-metadata.json"
SEAL = late(rb"\n(?:# |<!-- )sha256 ([0-9a-f]{64}) of what stands above(?: -->)?\n\Z")
LISTED = late(rb"^# sha256 ([0-9a-f]{64}) (.+)$", re.MULTILINE)


def beside(target: Path, ending: str) -> Path:
    """The name of a file beside the exported one."""
    return target.with_name(target.name + ending)


def sealed(files: Mapping[Path, bytes]) -> dict[Path, bytes]:
    """The files beside an export with their seals."""
    plan = next((path for path in files if path.name.endswith(PLAN)), None)
    made = {
        path: _with_own(data) if path.suffix == ".xml" else data for path, data in files.items()
    }
    if plan is not None:
        others = "".join(
            f"# sha256 {_hash(data)} {path.name}\n" for path, data in made.items() if path != plan
        )
        listed = made[plan].rstrip(b"\n") + b"\n\n" + others.encode("utf-8")
        made[plan] = _with_own(listed, b"# %b\n")
    return made


def check_unedited(files: Mapping[Path, bytes]) -> None:
    """Raise `PlanError` for a file beside an export that is there and is not as one wrote it."""
    plan = next((path for path in files if path.name.endswith(PLAN)), None)
    known = _listed(plan) if plan is not None else {}
    for path in files:
        if path.exists() and not _is_unedited(path, known):
            raise PlanError(
                f"{path}: exists, and is not as an export wrote it; rename it to keep it, or "
                "delete it"
            )


def _is_unedited(path: Path, known: Mapping[str, str]) -> bool:
    data = path.read_bytes()
    own = SEAL.search(data)
    if own is not None:
        return _hash(data[: own.start()]) == own[1].decode("ascii")
    return known.get(path.name) == _hash(data)


def _listed(plan: Path) -> dict[str, str]:
    """The hashes that an unedited plan lists, by name."""
    if not plan.exists() or not _is_unedited(plan, {}):
        return {}
    found = LISTED.findall(plan.read_bytes())
    return {name.decode("utf-8"): value.decode("ascii") for value, name in found}


def _with_own(data: bytes, form: bytes = b"<!-- %b -->\n") -> bytes:
    body = data.rstrip(b"\n")
    return body + b"\n" + form % f"sha256 {_hash(body)} of what stands above".encode("ascii")


def _hash(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
