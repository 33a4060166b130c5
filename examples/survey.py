"""A survey's answers and its codebook from one workbook; declared further, checked, handed on."""

import tempfile
from importlib.resources import as_file, files
from pathlib import Path

import olive_crate as oc

with as_file(files("olive_crate.demo") / "data" / "survey.plan.toml") as path:
    survey = oc.load(oc.Plan.read(path))

print(survey["share"].reason_counts())
survey = survey.declare_set(
    "agreement", {1: "no", 2: "rather not", 3: "so so", 4: "rather", 5: "yes"}
)
survey = survey.declare("item_*", meanings="agreement")
print(survey.codebook("item_1..item_2"))
for finding in survey.check():
    print(finding)

told = survey.filter(survey["irrigated"] == 1)
assert told["share"].reason_counts() == {"don't know": 2, "refused": 1}
again = survey.declare("share", missing=None)
assert again["share"].values.to_pylist().count(999) == 202
with tempfile.TemporaryDirectory() as folder:
    print(survey.export(Path(folder) / "answers.csv", metadata=["csvw", "ddi"]))
    assert oc.load(oc.Plan.read(Path(folder) / "answers.csv.plan.toml")).equals(survey)
