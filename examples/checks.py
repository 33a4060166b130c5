"""One minute's comparison with the source: what looks wrong, what was expected, what differs."""

from importlib.resources import as_file, files

import olive_crate as oc

with as_file(files("olive_crate.demo") / "data" / "deliveries_2025.csv") as path:
    bare = oc.load(path)
    print(bare.check())

with as_file(files("olive_crate.demo") / "data" / "deliveries.plan.toml") as path:
    plan = oc.Plan.read(path).declare("acidity", promised={"from": 0, "to": 3})
    ds = oc.load(plan, promised={"key": ["delivery"], "totals": {"net": "row 1331"}})
    assert oc.compare(ds).equal

assert ds.receipt.promises_kept
for promise in ds.receipt.promises:
    print(promise)
print(ds.counts("grade", by="variety"))
print(ds.summary("acidity..moisture"))
print(ds.missing_patterns("acidity..polyphenols"))
print(ds.correlations("acidity..polyphenols"))
theirs = oc.compare(ds, figures=[{"name": "acidity", "n": 1228, "mean": "0.471", "max": "2.46"}])
print(theirs)
assert theirs.equal
