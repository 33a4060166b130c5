"""A register in a database: look, read a table, check it, and write what was made of it."""

from pathlib import Path
from tempfile import TemporaryDirectory

import olive_crate as oc
from olive_crate.demo.database import write_database

with TemporaryDirectory() as folder:
    mill = Path(folder) / "mill.db"
    write_database(mill)
    print(oc.look(mill))

    missing = {"n.d.": "below detection", "lost": "sample lost"}
    plan = oc.draft(mill, table="deliveries").declare("acidity", type="number", missing=missing)
    deliveries = oc.load(plan)
    print(deliveries.receipt)
    print(deliveries["acidity"].reason_counts())

    villages = oc.load(mill, query="SELECT village, count(*) AS n FROM growers GROUP BY village")
    assert sum(villages["n"].values.to_pylist()) == 140

    print(deliveries.export(mill, table="deliveries_checked", missing="reasons"))
    assert len(oc.load(mill, table="deliveries_checked")) == len(deliveries)
