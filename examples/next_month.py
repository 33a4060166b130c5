"""The same decisions on the next file: a plan is drafted once, corrected, and run again."""

from pathlib import Path

import olive_crate as oc

JANUARY = "lot;tank;oil kg;acidity\n1;A;812,5;0,31\n2;B;640,0;*\n3;A;-9;0,28\nTotal;;1452,5;\n"
FEBRUARY = "lot;tank;oil kg;acidity\n4;C;701,0;0,35\n5;A;777,0;lost\nTotal;;1478,0;\n"

Path("january.csv").write_text(JANUARY)
Path("february.csv").write_text(FEBRUARY)

plan = oc.draft("january.csv")
plan = plan.declare(
    "oil kg", name="oil", label="Oil pressed", unit="kg", missing={-9: "not weighed"}
)
plan.write("lots.plan.toml")
print(Path("lots.plan.toml").read_text())

for month in ("january.csv", "february.csv"):
    lots = oc.load(month, plan=oc.Plan.read("lots.plan.toml"))
    print(lots.receipt, end="\n\n")
    lots.pack(Path(month).with_suffix(".parquet"), replace=True)

again = oc.unpack("february.parquet")
print([(problem.row, problem.text) for problem in again.receipt.problems])
print(again["oil"].values.to_pylist(), again["acidity"].why(1))
