"""A file a month as one dataset: look, settle a renamed heading, pack, add a month."""

from pathlib import Path

import olive_crate as oc

MONTHS = {
    "2025-01": "delivery,grove,acidity\n1,Pago,0.31\n2,Campo,n.d.\n",
    "2025-02": "delivery;grove;acidity\n3;Pago;0,28\n4;Sierra;0,35\n",
    "2025-03": "delivery,grove_name,acidity,panel\n5,Sierra,0.40,7\n",
}
Path("months").mkdir(exist_ok=True)
for month, text in MONTHS.items():
    Path(f"months/deliveries_{month}.csv").write_text(text)

pattern = "months/deliveries_{year}-{month}.csv"
print(oc.files(pattern))
look = oc.look(pattern)
for each in look.files:
    print(each.name, dict(each.differs))
point = next(each for each in look.evidence if not each.certain)
print(point)

plan = oc.draft(pattern, missing={"n.d.": "below detection"})
plan = plan.undeclare("grove_name").declare("grove", **point.mend.parts)
plan = plan.with_options(variables=[each for each in plan.variables if each.name != "grove_name"])
plan = plan.declare("acidity", type="number")
plan.write("months.plan.toml", replace=True)

print(oc.pack(oc.Plan.read("months.plan.toml"), "season", replace=True))

Path("months/deliveries_2025-04.csv").write_text("delivery,grove,acidity\n6,Pago,0.22\n")
print(oc.pack(oc.Plan.read("months.plan.toml"), "season", update=True))
season = oc.unpack("season")
print(season["grove"].values.to_pylist(), season["panel"].reason_counts())
print(season.source_rows.files_at([4]), season.source_rows.at([4]))
