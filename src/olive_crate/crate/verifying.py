"""Whether a crate is whole: its files by their checksums, its tables by reading all of them."""

from __future__ import annotations

import zipfile

from ..dataset.crates import CrateVerification
from ..dataset.verification import Verification
from ..errors import OliveCrateError
from ..formats.verifying import verify
from .bags import PAYLOAD, bag_problems
from .model import FILE
from .place import Place, SealedPlace


def verified(place: Place) -> CrateVerification:
    """Read all of a crate. Raises nothing for what is damaged: it is told."""
    problems: list[str] = []
    files = 0
    if isinstance(place, SealedPlace):
        with zipfile.ZipFile(place.archive) as archive:
            names = archive.namelist()
            root = next(each for each in names if each.endswith(f"{PAYLOAD}/{FILE}"))
            problems, files = bag_problems(archive, root.removesuffix(f"{PAYLOAD}/{FILE}"))
    tables: list[Verification] = []
    for name, entry in place.file.tables.items():
        for packed in (entry.packed, *entry.earlier):
            if not packed:
                continue
            try:
                tables.append(verify(place.path(packed)))
            except OliveCrateError as error:
                problems.append(f"{name}: {error}")
    return CrateVerification(place.name, tuple(tables), tuple(problems), files)
