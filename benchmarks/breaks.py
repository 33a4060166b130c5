"""How often the breaks of fixed layouts are found right, on layouts with the truth beside them.

python benchmarks/breaks.py
"""

from __future__ import annotations

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))


def main() -> None:
    """Print each layout that is not right, and the score."""
    from layout_cases import cases, judged

    right = total = 0
    for case in cases():
        good, words = judged(case)
        right, total = right + good, total + 1
        print(
            f"{'right' if good else 'WRONG':6} {case.kind:8} {case.name}"
            + ("" if good else f": {words}")
        )
    print(f"{right} of {total} layouts right")


if __name__ == "__main__":
    main()
