"""The block among the clutter: a tasting panel's workbook, and the same decisions once more."""

from importlib.resources import as_file, files

import olive_crate as oc

with as_file(files("olive_crate.demo") / "data" / "panel_2025.xlsx") as path:
    print(oc.look(path))
    plan = oc.draft(path).declare("Panel Fruity..Defects Rancid", missing={99: "glass broken"})
    panel = oc.load(path, plan=plan)
    tasters = oc.load(path, sheet="Tasters")

print(panel.receipt)
assert panel.receipt.balanced and panel.names[3:6] == [
    "Panel Fruity",
    "Panel Bitter",
    "Panel Pungent",
]
assert panel["Panel Pungent"].reason_counts() == {"*": 7, "glass broken": 1, "#N/A": 1}
assert tasters["since"].values.to_pylist() == [2011, 2014, 2017, 2020]
