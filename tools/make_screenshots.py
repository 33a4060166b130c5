"""Takes a picture of what each main command prints, from the demo data.

    python tools/make_screenshots.py [NAME...]

Needs Xvfb, xterm, the import of ImageMagick and Chromium (Debian: xvfb, xterm, imagemagick,
chromium), nbconvert, and the command beside this interpreter. Pictures go to docs/screenshots.
"""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from olive_crate import (
    Plan,
    draw_counts,
    draw_files,
    draw_pairs,
    draw_patterns,
    draw_positions,
    load,
)

PICTURES = Path(__file__).parent.parent / "docs" / "screenshots"
DISPLAY = ":97"
SHOTS = {
    "look": "olive-crate look deliveries_2025.csv",
    "pack": "olive-crate pack deliveries.plan.toml --replace; "
    "olive-crate verify deliveries_2025.parquet",
    "codebook": "olive-crate codebook deliveries_2025.parquet",
    "look-workbook": "olive-crate look panel_2025.xlsx",
    "look-database": "olive-crate look mill.db; olive-crate look mill.db --table deliveries",
    "look-page": "olive-crate look harvest.html",
    "look-fixed": "olive-crate look laboratory_2025.txt --layout fixed",
    "check": "olive-crate check deliveries_2025.csv",
    "counts": "olive-crate counts survey.plan.toml replant village",
    "settle": "olive-crate settle deliveries_2025.csv -o settled.plan.toml --answers answers",
    "look-set": "olive-crate look months | head -64",
    "crate": "olive-crate crate status mill; "
    "olive-crate crate keys growers register --crate mill; "
    "olive-crate crate seal mill -o mill.zip --replace; olive-crate verify mill.zip",
}


def at(name: str) -> Path:
    """Where a picture goes."""
    return PICTURES / f"{name}.png"


def take(name: str, command: str, folder: Path, environment: dict[str, str]) -> None:
    """One picture of a terminal in which the command has run."""
    wait = 3 + command.count("olive-crate ")
    shown = f"clear; printf '$ %s\\n' '{command}'; {command}; sleep {wait}"
    terminal = subprocess.Popen(
        [
            *("xterm", "-geometry", "104x70+0+0", "-fa", "DejaVu Sans Mono", "-fs", "8"),
            *("-bg", "#fbfaf5", "-fg", "#22251f", "-b", "8", "-e", "sh", "-c", shown),
        ],
        cwd=folder,
        env=environment,
    )
    time.sleep(wait)
    target = PICTURES / f"{name}.png"
    subprocess.run(["import", "-window", "root", str(target)], env=environment, check=True)
    terminal.wait()
    paper = ("-bordercolor", "#fbfaf5")
    subprocess.run(
        [
            *("convert", target, "-shave", "2x2", *paper, "-border", "1", "-trim", "+repage"),
            *(*paper, "-border", "10", target),
        ],
        check=True,
    )


def take_page(name: str, page: Path) -> None:
    """One picture of a page in a browser."""
    with tempfile.TemporaryDirectory() as profile:
        subprocess.run(
            [
                *("chromium", "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic"),
                *("--no-first-run", "--disable-background-networking", "--disable-sync"),
                *("--disable-component-update", "--hide-scrollbars", "--window-size=1280,800"),
                *(f"--user-data-dir={profile}", f"--screenshot={at(name)}", page.as_uri()),
            ],
            check=True,
            capture_output=True,
        )


NOTEBOOK = (
    "import olive_crate as oc\nds = oc.load('deliveries.plan.toml')\nds.keep('delivery..net').head(3)",  # noqa: E501
    "ds.keep('gross..moisture').codebook()",
    "ds.counts('grade')",
)


def take_notebook(name: str, folder: Path) -> None:
    """One picture of a notebook, as nbconvert makes a page of it."""
    import nbformat
    from nbconvert import HTMLExporter
    from nbconvert.preprocessors import ExecutePreprocessor

    book = nbformat.v4.new_notebook(cells=[nbformat.v4.new_code_cell(each) for each in NOTEBOOK])
    ExecutePreprocessor().preprocess(book, {"metadata": {"path": str(folder)}})
    page, _ = HTMLExporter(theme="dark").from_notebook_node(book)
    (folder / "notebook.html").write_text(page, "utf-8")
    take_page(name, folder / "notebook.html")


def main() -> None:
    """All pictures."""
    PICTURES.mkdir(parents=True, exist_ok=True)
    binaries = str(Path(sys.executable).parent)
    environment = {
        **os.environ,
        "DISPLAY": DISPLAY,
        "LANG": "C.UTF-8",
        "PATH": f"{binaries}:{os.environ['PATH']}",
    }
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "746x926x24"])
    try:
        time.sleep(1)
        with tempfile.TemporaryDirectory() as folder:
            demo = Path(folder) / "demo"
            subprocess.run(
                ["olive-crate", "demo", str(demo)], env=environment, check=True, capture_output=True
            )
            with contextlib.chdir(demo):  # a title names the file as it was given
                draw_positions(
                    "laboratory_2025.txt",
                    PICTURES / "positions.png",
                    fields=[
                        ("sample", 6),
                        ("day", 8),
                        ("acidity", 4),
                        ("peroxide", 4),
                        ("k232", 5),
                        ("drift", 4),
                        ("lamp", 1),
                        ("grade", 1),
                    ],
                )
            survey = load(Plan.read(demo / "survey.plan.toml"))
            draw_counts(survey, ["replant", "hectares", "item_1", "village"], at("distributions"))
            draw_patterns(survey.missing_patterns("birth..replant"), at("patterns"))
            draw_pairs(survey.correlations("hectares..replant"), at("correlations"))
            with contextlib.chdir(demo):
                draw_files("months", at("files"))
            if not sys.argv[1:] or "report" in sys.argv[1:]:
                with contextlib.chdir(demo):
                    load("deliveries_2025.csv").report("report.html")
                take_page("report", demo / "report.html")
            if not sys.argv[1:] or "notebook" in sys.argv[1:]:
                take_notebook("notebook", demo)
            (demo / "answers").write_text("\n2\nbelow detection\n2\nsample lost\nq\n")
            for name, command in SHOTS.items():
                if not sys.argv[1:] or name in sys.argv[1:]:
                    take(name, command, demo, environment)
    finally:
        screen.terminate()


if __name__ == "__main__":
    main()
