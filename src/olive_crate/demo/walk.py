"""The files of the demo, and the steps of the walk through them."""

from __future__ import annotations

import shutil
import sqlite3
from importlib.resources import files
from importlib.util import find_spec
from pathlib import Path

from ..errors import PlanError, TargetError
from ..sources.writing import write_whole
from .database import write_database

STEPS = (
    ("First look at the file as it is.", "look deliveries_2025.csv"),
    ("Write down how it would be read.", "draft deliveries_2025.csv -o deliveries_2025.plan.toml"),
    (
        "The draft says what is in the way: acidity is text because of 'n.d.'. The laboratory's\n"
        "list of codes is declared in a plan of our own, deliveries.plan.toml; read by it.",
        "pack deliveries.plan.toml",
    ),
    ("What came in?", "codebook deliveries_2025.parquet"),
    ("One variable in full.", "codebook deliveries_2025.parquet --variable acidity"),
    ("What looks wrong in the file, had nothing been declared?", "check deliveries_2025.csv"),
    ("Figures, to be held against the laboratory's own.", "summary deliveries_2025.parquet"),
    (
        "The laboratory's old instrument writes fixed columns; its dictionary is a table.",
        "look laboratory_2025.txt --fields laboratory.fields.csv --heading type=Kind",
    ),
    ("The tasting panel keeps a workbook.", "look panel_2025.xlsx"),
    (
        "The census has two lines for each grower.",
        "pack census_2024.txt --fields census.fields.csv -o census_2024.parquet",
    ),
    (
        "The grower survey explains its codes on a sheet of its own; survey.plan.toml names it.",
        "codebook survey.plan.toml",
    ),
    ("One question in full.", "codebook survey.plan.toml --variable replant"),
    ("Frequencies, missing cells apart by reason.", "counts survey.plan.toml replant"),
    ("Which questions are missing together?", 'patterns survey.plan.toml "irrigated..replant"'),
    (
        "Two years of deliveries, a file a month: which of them differ, and in what?",
        "look months",
    ),
    (
        "All months as one dataset, by a plan that names them by a pattern: a Parquet file each.",
        "pack months.plan.toml -o season",
    ),
    ("Next month, only what is new is read.", "pack months.plan.toml -o season --update"),
    ("The packed set is a dataset like any other.", "summary season acidity oil_yield net"),
    ("The mill keeps its register in a database: which tables are there?", "look mill.db"),
    (
        "One of them. Its key names the cases, its checks are promises.",
        "check mill.db --table deliveries",
    ),
    (
        "A query is read like a table.",
        'codebook mill.db --query "SELECT village, count(*) AS n FROM growers GROUP BY village"',
    ),
    (
        "A page of the web (from a small server on this machine) and the tables in it.",
        "look {server}/harvest.html",
    ),
    ("The second of them.", "codebook {server}/harvest.html --table tanks"),
    ("A link to a published workbook leads to the workbook.", "look {server}/documents/panel/view"),
    ("A feed: each entry is a case.", "codebook {server}/news.atom"),
    (
        "For others: delimited text, with its codebook in two open standards.",
        "export survey.plan.toml answers.csv --metadata csvw,ddi --replace",
    ),
)


NEEDED = (("mill.db", "sqlalchemy", "sql"), ("harvest.html", "selectolax", "web"))
"""What the commands about a file need: a module, and the extra that installs it."""


def lacking(command: str) -> str:
    """The extra that a step needs and that is not installed; empty for none."""
    return next(
        (extra for name, module, extra in NEEDED if name in command and find_spec(module) is None),
        "",
    )


def write_demo(folder: Path) -> None:
    """Write the demo's files. Raises `PlanError` rather than write over other files."""
    data = files("olive_crate.demo") / "data"
    sources = [each for each in data.iterdir() if each.is_file()]
    months = list((data / "months").iterdir())
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise PlanError(f"{folder}: cannot be made: {error.strerror}") from None
    made = {
        *(each.name for each in sources),
        "months",
        "season",
        "deliveries_2025.plan.toml",
        "mill.db",
        "deliveries_2025.parquet",
        "census_2024.parquet",
        *(
            "answers.csv",
            "answers.csv-metadata.json",
            "answers.csv.ddi.xml",
            "answers.csv.plan.toml",
        ),
    }
    strangers = sorted(each.name for each in folder.iterdir() if each.name not in made)
    if strangers:
        raise PlanError(f"{folder}: holds other files ({strangers[0]} …); name a new folder")
    for old in folder.iterdir():
        if old.is_dir():
            shutil.rmtree(old)
        else:
            old.unlink()
    try:
        write_database(folder / "mill.db")
    except sqlite3.Error as error:
        raise TargetError(f"{folder / 'mill.db'}: cannot be written: {error}") from None
    for each in sources:
        write_whole(folder / each.name, each.read_bytes())
    (folder / "months").mkdir()
    for each in months:
        write_whole(folder / "months" / each.name, each.read_bytes())
