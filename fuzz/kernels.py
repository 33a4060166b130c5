"""Changed inputs for the compiled kernels, in process, guided by the edges that they reach.

    python fuzz/kernels.py [--inputs 1000000] [--seed 1] [--corpus FOLDER]

Builds the kernels with sanitizers and a driver (`kernels.cpp`), and runs as many inputs. One that
ends the process, or for which two ways to one result differ, is kept in the corpus.
"""

from __future__ import annotations

import argparse
import hashlib
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from olive_crate.kernels.compiled.cells import _powers_of_five

ROOT = Path(__file__).parent.parent
NATIVE = ROOT / "src" / "olive_crate" / "kernels" / "native"
SANITIZED = ["-fsanitize=address,undefined", "-fno-sanitize-recover=undefined"]
FLAGS = ["-std=c++17", "-O1", "-g", f"-I{NATIVE}", *SANITIZED]


def built(folder: Path) -> Path:
    """The driver with the kernels."""
    sources = [each for each in sorted(NATIVE.glob("*.cpp")) if each.name != "module.cpp"]
    running = [
        subprocess.Popen(
            ["g++", *FLAGS, "-fsanitize-coverage=trace-pc", "-c", each, "-o", folder / each.stem]
        )
        for each in sources
    ]
    for each in running:
        if each.wait():
            sys.exit("the kernels cannot be built")
    program = folder / "fuzz"
    objects = [folder / each.stem for each in sources]
    subprocess.run(
        ["g++", *FLAGS, Path(__file__).with_suffix(".cpp"), *objects, "-o", program], check=True
    )
    return program


def main() -> None:
    """Build, run, and keep what is wrong."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--inputs", type=int, default=1_000_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--corpus", type=Path, default=ROOT / "fuzz" / "found")
    given = parser.parse_args()
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        program, last = built(folder), folder / "last"
        (folder / "powers").write_bytes(_powers_of_five().tobytes())
        began = time.perf_counter()
        arguments = [program, folder / "powers", str(given.inputs), str(given.seed), last]
        done = subprocess.run(arguments, capture_output=True, text=True, check=False)
        print(done.stdout, end="")
        print(f"{time.perf_counter() - began:.0f} s")
        if done.returncode:
            held = last.read_bytes()
            data = held[8 : 8 + int.from_bytes(held[:8], "little")]
            given.corpus.mkdir(parents=True, exist_ok=True)
            name = f"kernels-{hashlib.sha256(data).hexdigest()[:12]}"
            (given.corpus / name).write_bytes(data)
            print("\n".join(done.stderr.splitlines()[:12]))
            print(f"kept as {name}")
            sys.exit(1)


if __name__ == "__main__":
    main()
