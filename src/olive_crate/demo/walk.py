"""The files of the demo, and the steps of the walk through them."""

from __future__ import annotations

import shutil
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from importlib.resources import files
from importlib.util import find_spec
from pathlib import Path

from ..errors import PlanError, TargetError
from ..sources.writing import write_whole
from .database import deliver_more, write_database


@dataclass(frozen=True)
class Step:
    """One command of the walk."""

    words: str
    """What is said of it."""
    command: str
    extra: str = ""
    """The extra of this package without which it cannot be run."""
    before: Callable[[Path], None] | None = None
    """What happens in the folder before it is run."""
    status: int = 0
    """The exit status it ends with."""

    @property
    def lacking(self) -> str:
        """The extra that it needs and that is not installed; empty for none."""
        return self.extra if self.extra and find_spec(MODULES[self.extra]) is None else ""


MODULES = {"sql": "sqlalchemy", "web": "selectolax", "report": "jinja2"}
"""The module by which an extra is known to be installed."""
STEPS: tuple[Step, ...] = (
    Step("First look at the file as it is.", "look deliveries_2025.csv"),
    Step(
        "Write down how it would be read.", "draft deliveries_2025.csv -o deliveries_2025.plan.toml"
    ),
    Step(
        "The draft says what is in the way: acidity is text because of 'n.d.'. The laboratory's\n"
        "list of codes is declared in a plan of our own, deliveries.plan.toml; read by it.",
        "pack deliveries.plan.toml",
    ),
    Step("What came in?", "codebook deliveries_2025.parquet"),
    Step("One variable in full.", "codebook deliveries_2025.parquet --variable acidity"),
    Step("What looks wrong in the file, had nothing been declared?", "check deliveries_2025.csv"),
    Step("Figures, to be held against the laboratory's own.", "summary deliveries_2025.parquet"),
    Step(
        "The laboratory's old instrument writes fixed columns; its dictionary is a table.",
        "look laboratory_2025.txt --fields laboratory.fields.csv --heading type=Kind",
    ),
    Step("The tasting panel keeps a workbook.", "look panel_2025.xlsx"),
    Step(
        "The census has two lines for each grower.",
        "pack census_2024.txt --fields census.fields.csv -o census_2024.parquet",
    ),
    Step(
        "The grower survey explains its codes on a sheet of its own; survey.plan.toml names it.",
        "codebook survey.plan.toml",
    ),
    Step("One question in full.", "codebook survey.plan.toml --variable replant"),
    Step("Frequencies, missing cells apart by reason.", "counts survey.plan.toml replant"),
    Step("Which questions are missing together?", 'patterns survey.plan.toml "irrigated..replant"'),
    Step(
        "Two years of deliveries, a file a month: which of them differ, and in what?",
        "look months",
    ),
    Step(
        "All months as one dataset, by a plan that names them by a pattern: a Parquet file each.",
        "pack months.plan.toml -o season",
    ),
    Step("Next month, only what is new is read.", "pack months.plan.toml -o season --update"),
    Step("The packed set is a dataset like any other.", "summary season acidity oil_yield net"),
    Step(
        "The mill keeps its register in a database: which tables are there?", "look mill.db", "sql"
    ),
    Step(
        "One of them. Its key names the cases, its checks are promises.",
        "check mill.db --table deliveries",
        "sql",
    ),
    Step(
        "A query is read like a table.",
        'codebook mill.db --query "SELECT village, count(*) AS n FROM growers GROUP BY village"',
        "sql",
    ),
    Step(
        "A page of the web (from a small server on this machine) and the tables in it.",
        "look {server}/harvest.html",
        "web",
    ),
    Step("The second of them.", "codebook {server}/harvest.html --table tanks", "web"),
    Step(
        "A link to a published workbook leads to the workbook.",
        "look {server}/documents/panel/view",
    ),
    Step("A feed: each entry is a case.", "codebook {server}/news.atom"),
    Step(
        "What belongs together becomes a crate.",
        'crate new mill --title "The mill, season 2025"',
    ),
    Step("The growers' survey goes in by its plan.", "crate add survey.plan.toml --crate mill"),
    Step(
        "A table of the mill's register.", "crate add mill.db --table growers --crate mill", "sql"
    ),
    Step(
        "Another one, under a name of its own.",
        "crate add mill.db --table deliveries --name register --crate mill",
        "sql",
    ),
    Step("By what can they be put together?", "crate keys growers register --crate mill", "sql"),
    Step(
        "Every delivery has a grower: promised from now on.",
        "crate relate register.grower growers.grower --crate mill",
        "sql",
    ),
    Step(
        "A week later there is more in the register. How does the crate stand?",
        "crate status mill",
        "sql",
        deliver_more,
        3,
    ),
    Step("Only what has changed is read again; what is new is told.", "crate refresh --crate mill"),
    Step(
        "All of it for the archive: data, plans, codebooks, checksums.",
        "crate seal mill -o mill.zip",
    ),
    Step("Is it whole?", "verify mill.zip"),
    Step(
        "A report for colleagues without the program: one file, opened in any browser.",
        "report survey.plan.toml -o survey.html",
        "report",
    ),
    Step(
        "For others: delimited text, with its codebook in two open standards.",
        "export survey.plan.toml answers.csv --metadata csvw,ddi --replace",
    ),
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
        "mill",
        "mill.zip",
        "survey.html",
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
