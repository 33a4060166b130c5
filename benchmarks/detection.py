"""Is every decision right, or said to be uncertain with the right one among the alternatives?

    python benchmarks/detection.py [-v]

Drafts a plan for each of the files of `tests/file_cases.py` and prints the score.
"""

from __future__ import annotations

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from file_cases import cases, judged


def main(verbose: bool) -> int:
    """Print the score, and what went wrong."""
    everything = cases()
    decisions = wrong = spoilt = 0
    for case in everything:
        results = judged(case)
        decisions += len(results)
        bad = [(subject, said) for subject, right, said in results if not right]
        wrong += len(bad)
        spoilt += bool(bad)
        for subject, said in bad:
            print(f"WRONG {case.name}: {subject} = {said}, not {case.truth[subject]!r}")
        if verbose and not bad:
            print(f"right {case.name}")
    print(
        f"{len(everything)} files, {decisions} decisions: {decisions - wrong} right or said to be "
        f"uncertain with the right one named, {wrong} wrong in {spoilt} files"
    )
    return wrong


if __name__ == "__main__":
    sys.exit(1 if main("-v" in sys.argv) else 0)
