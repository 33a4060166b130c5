"""How many of our own functions, in how many files, one warm load of a small file passes.

    python tools/functions_of_a_load.py [--list]

The file has 5,000 rows, two variables and a missing code; it is loaded once to warm up, then
counted on one worker. Class bodies and comprehensions are not functions.
"""

from __future__ import annotations

import sys
from pathlib import Path
from tempfile import TemporaryDirectory
from types import CodeType, FrameType
from typing import Any

import olive_crate as oc

PACKAGE = str(Path(oc.__file__).parent)
NOT_FUNCTIONS = ("<module>", "<genexpr>", "<listcomp>", "<dictcomp>", "<setcomp>", "<lambda>")
OPTIMIZED = 1
"""`CO_OPTIMIZED`, which the code of a function has and that of a class body has not."""


def delivery(row: int) -> str:
    acidity = 777 if row % 50 == 0 else 0.2 + row % 90 / 100
    return f"{row},{acidity}"


def passed(path: Path) -> set[CodeType]:
    """The functions of the package that a second load passes."""

    def load() -> None:
        oc.load(path, workers=1, missing={777: "sample lost"})

    met: set[CodeType] = set()

    def note(frame: FrameType, event: str, _: Any) -> None:
        if event == "call":
            met.add(frame.f_code)

    load()
    sys.setprofile(note)
    load()
    sys.setprofile(None)
    return {
        code
        for code in met
        if code.co_filename.startswith(PACKAGE)
        and code.co_flags & OPTIMIZED
        and code.co_name not in NOT_FUNCTIONS
    }


def main() -> None:
    with TemporaryDirectory() as folder:
        path = Path(folder) / "deliveries.csv"
        rows = "\n".join(map(delivery, range(1, 5001)))
        path.write_text(f"delivery,acidity\n{rows}\n", "utf-8")
        codes = passed(path)
    by_file: dict[str, list[str]] = {}
    for code in codes:
        name = code.co_filename.removeprefix(PACKAGE).lstrip("/")
        by_file.setdefault(name, []).append(code.co_qualname)
    if "--list" in sys.argv:
        for name in sorted(by_file):
            print(f"{len(by_file[name]):4}  {name}: {', '.join(sorted(by_file[name]))}")
    print(f"{len(codes)} functions in {len(by_file)} files")


if __name__ == "__main__":
    main()
