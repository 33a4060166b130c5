"""Packed columns, a dictionary beside them, and the way back to a program that wants positions."""

from importlib.resources import as_file, files

import olive_crate as oc

with as_file(files("olive_crate.demo") / "data") as data:
    table = {
        "path": data / "laboratory.fields.csv",
        "headings": {"type": "Kind", "label": "Meaning"},
    }
    print(oc.look(data / "laboratory_2025.txt", fields=table))
    laboratory = oc.load(data / "laboratory_2025.txt", fields=table)
    same = oc.load(data / "laboratory_2025.txt", fields=data / "laboratory.ddi.xml")
    census = oc.load(data / "census_2024.txt", fields=data / "census.fields.csv")

print(laboratory.receipt)
assert laboratory["drift"].values.equals(same["drift"].values)
assert laboratory["acidity"].reason_counts() == {"sample lost": 10, "not tested": 13}
assert len(census) == 180

laboratory.keep(["sample", "day", "acidity"]).export("acidity.txt")
again = oc.load(oc.Plan.read("acidity.txt.plan.toml"))
assert again["acidity"].equals(laboratory["acidity"])
