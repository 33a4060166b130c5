"""Run the README's commands and Python in the order they stand in, on the demo data.

    python tools/run_readme.py README.md FOLDER

FOLDER is one that `olive-crate demo` has written. The first that fails ends the run.
"""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

PYTHON = re.compile(r"^```python\n(.*?)^```", re.MULTILINE | re.DOTALL)
COMMAND = re.compile(r"`(olive-crate (?:draft|pack|look|check) [^`]+)`")
PLACES = re.compile(f"{PYTHON.pattern}|{COMMAND.pattern}", re.MULTILINE | re.DOTALL)


def main(readme: str, folder: str) -> None:
    namespace: dict[str, object] = {}
    sys.path.insert(0, "")
    text = Path(readme).read_text("utf-8")
    import os

    os.chdir(folder)
    for match in PLACES.finditer(text):
        code, command = match.groups()
        if command:
            print(f"$ {command}", flush=True)
            arguments = [*command.split()[1:], *(["--replace"] if "-o" in command else [])]
            if " pack " in command:
                arguments.append("--replace")
            subprocess.run([sys.executable, "-m", "olive_crate", *arguments], check=True)
        else:
            print(code, flush=True)
            exec(compile(code, readme, "exec"), namespace)


if __name__ == "__main__":
    main(*sys.argv[1:])
