"""What commands print as JSON holds to the schema that the documentation has."""

from __future__ import annotations

import json
import runpy
from pathlib import Path

import jsonschema
import pytest

import olive_crate as oc

ROOT = Path(__file__).parent.parent
SCHEMA = json.loads((ROOT / "docs" / "output.schema.json").read_text("utf-8"))
LAB = "id,acid,grade\n" + "".join(
    f"{n},{'n.d.' if n % 9 == 0 else n / 100},{'' if n % 7 == 0 else 'A' if n % 3 else 'B'}\n"
    for n in range(1, 60)
)
CALLS = {
    "look": ("look", "lab.csv"),
    "look of a set": ("look", "lab.csv", "other.csv"),
    "look of a sheet": ("look", "lab.xlsx"),
    "codebook": ("codebook", "lab.csv", "--missing", "777=lost"),
    "counts": ("counts", "lab.csv", "grade"),
    "counts of several": ("counts", "lab.csv", "grade", "id"),
    "counts of dates": ("counts", "days.csv", "day"),
    "counts crossed": ("counts", "lab.csv", "grade", "--by", "acid"),
    "summary": ("summary", "lab.csv"),
    "summary of dates": ("summary", "days.csv"),
    "patterns": ("patterns", "lab.csv"),
    "patterns of pairs": ("patterns", "lab.csv", "--overlap"),
    "correlations": ("correlations", "days.csv"),
    "check": ("check", "lab.csv"),
    "compare": ("compare", "lab.parquet", "other.csv"),
    "trace": ("trace", "lab.csv", "acid", "10"),
    "verify": ("verify", "lab.parquet"),
    "export": ("export", "lab.csv", "out.csv"),
    "pack": ("pack", "lab.csv", "-o", "new.parquet"),
    "crate status": ("crate", "status", "crate"),
    "crate refresh": ("crate", "refresh", "--crate", "crate", "--again"),
    "crate keys": ("crate", "keys", "--crate", "crate"),
    "crate seal": ("crate", "seal", "crate", "-o", "crate.zip"),
}


@pytest.fixture
def files(tmp_path):
    (tmp_path / "lab.csv").write_text(LAB)
    (tmp_path / "other.csv").write_text(LAB.replace("\n3,", "\n333,"))
    days = "".join(f"2025-10-{n % 28 + 1:02d},{n % 5},{n * n}\n" for n in range(40))
    (tmp_path / "days.csv").write_text(f"day,score,square\n{days}")
    oc.pack(tmp_path / "lab.csv", tmp_path / "lab.parquet")
    oc.load(tmp_path / "lab.csv").export(tmp_path / "lab.xlsx")
    oc.Crate.new(tmp_path / "crate").add(tmp_path / "lab.csv")


@pytest.mark.parametrize("name", CALLS)
def test_json_holds_to_its_schema(name, files, here):
    done = here(*CALLS[name], "--json")
    assert done.returncode in (0, 3), done.stderr
    command = name.partition(" of ")[0].removesuffix(" crossed")
    output_of(command).validate(json.loads(done.stdout))


def output_of(command):
    """What holds an output to its schema, which another test finds to be one: that takes long."""
    return jsonschema.Draft202012Validator({**SCHEMA, "$ref": f"#/$defs/commands/{command}"})


def test_another_value_does_not_hold_to_it():
    jsonschema.Draft202012Validator.check_schema(SCHEMA)
    with pytest.raises(jsonschema.ValidationError):
        output_of("check").validate({"findings": [{"kind": "x", "severity": "high", "text": ""}]})


def test_the_schema_is_made_from_the_types():
    made = runpy.run_path(str(ROOT / "tools" / "make_json_schema.py"))
    assert (ROOT / "docs" / "output.schema.json").read_text("utf-8") == made["text"]()
