"""Write docs/output.schema.json: the JSON Schema of what each command prints with --json.

python tools/make_json_schema.py

Schemas come from the types of the results. Where a result is written in another form than its type
has, the form stands here.
"""

from __future__ import annotations

import inspect
import json
from pathlib import Path
from typing import Any

import msgspec

from olive_crate.checks.comparison import Comparison
from olive_crate.dataset.crates import CrateStatus, CrateVerification, Keys, Refresh, Sealed
from olive_crate.dataset.receipt import CellCounts, Imbalance, Problem
from olive_crate.dataset.trace import Trace
from olive_crate.dataset.verification import Verification
from olive_crate.describe.codebook import Codebook
from olive_crate.describe.patterns import Patterns
from olive_crate.describe.summary import Figures
from olive_crate.formats.exporting import Exported
from olive_crate.reading.looking import Look
from olive_crate.reading.sets.looking import SetLook

PAGE = Path(__file__).parent.parent / "docs" / "output.schema.json"
REF = "#/$defs/{name}"
TEXT, COUNT, ANY, TRUTH = {"type": "string"}, {"type": "integer"}, {}, {"type": "boolean"}
NUMBER = {"type": ["number", "null"]}
OR_TEXT = {"type": ["string", "null"]}
BY_REASON = {"type": "object", "additionalProperties": COUNT}


def array(of: dict[str, Any]) -> dict[str, Any]:
    """A list of these."""
    return {"type": "array", "items": of}


def mapping(**keys: dict[str, Any]) -> dict[str, Any]:
    """An object with all of these keys."""
    return {"type": "object", "properties": keys, "required": list(keys)}


SAID = {"type": "object", "required": ["text"], "properties": {"text": TEXT}}
"""Evidence or a note: its kind, its parts, and its words."""
COUNTS = mapping(
    variable=TEXT,
    label=OR_TEXT,
    cases=COUNT,
    answered=COUNT,
    counts=array(
        mapping(
            value=ANY,
            label=OR_TEXT,
            cases=COUNT,
            share=NUMBER,
            share_answered=NUMBER,
            running=NUMBER,
        )
    ),
    missing=BY_REASON,
)
CROSSED = mapping(
    down=TEXT,
    across=TEXT,
    down_values=array(ANY),
    across_values=array(ANY),
    counts=array(array(COUNT)),
    total=COUNT,
    either_missing=COUNT,
    down_missing=BY_REASON,
    across_missing=BY_REASON,
    both_missing=COUNT,
)
PAIRS = mapping(kind=TEXT, names=array(TEXT), values=array(array(NUMBER)), n=array(array(COUNT)))
FINDING = mapping(kind=TEXT, severity={"enum": ["serious", "note", "doubtful"]}, text=TEXT)
FINDING["properties"] |= {
    "sure": {"type": "number", "minimum": 0, "maximum": 1},
    "cost": {"enum": ["cases", "values", "groups", "reading"]},
    "variables": array(TEXT),
    "count": COUNT,
    "rows": array(COUNT),
}


def receipt() -> dict[str, Any]:
    """The receipt; its lists of evidence and notes have their words beside their parts."""
    return mapping(
        source=TEXT,
        bytes={"type": ["integer", "null"]},
        layout=TEXT,
        encoding=TEXT,
        settings={"type": "object"},
        lines=COUNT,
        parts=BY_REASON,
        rows=COUNT,
        cells=array({"$ref": "#/$defs/CellCounts"}),
        problems=array({"$ref": "#/$defs/Problem"}),
        decided=array(SAID),
        notes=array(SAID),
        promises=array({"type": "object"}),
        changes=array({"type": "object"}),
        files=array({"type": "object"}),
        balanced=TRUTH,
    )


TYPED: dict[str, tuple[type, ...]] = {
    "look": (Look, SetLook),
    "codebook": (Codebook,),
    "patterns": (Patterns,),
    "compare": (Comparison,),
    "trace": (Trace,),
    "verify": (Verification, CrateVerification),
    "export": (Exported,),
    "crate status": (CrateStatus,),
    "crate refresh": (Refresh,),
    "crate keys": (Keys,),
    "crate seal": (Sealed,),
}
"""Results that are written as their types have them."""
WRITTEN: dict[str, tuple[dict[str, Any], ...]] = {
    "counts": (COUNTS, mapping(tables=array(COUNTS)), CROSSED),
    "correlations": (PAIRS,),
    "patterns": (PAIRS,),
    "check": (mapping(findings=array(FINDING), ignored=COUNT),),
    "summary": (mapping(rows=COUNT, complete=TRUTH, figures=array({"$ref": "#/$defs/Figures"})),),
    "pack": (receipt(),),
}
"""Results that are written in a form of their own."""


def schema() -> dict[str, Any]:
    """The whole document: a definition for each command, and those of the types they name."""
    types = [kind for kinds in TYPED.values() for kind in kinds]
    types += [Figures, CellCounts, Problem, Imbalance]
    _, found = msgspec.json.schema_components(types, ref_template=REF)
    known = {name: _open(part) for name, part in found.items()}
    commands = {}
    for name in sorted({*TYPED, *WRITTEN}):
        forms = [{"$ref": REF.format(name=each.__name__)} for each in TYPED.get(name, ())]
        forms += WRITTEN.get(name, ())
        commands[name] = forms[0] if len(forms) == 1 else {"anyOf": forms}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "What olive-crate prints with --json",
        "description": "#/$defs/commands has a definition for each command",
        "$defs": {"commands": commands, **known},
    }


def _open(part: dict[str, Any]) -> dict[str, Any]:
    """A definition that allows for more keys than it names, and for other kinds of one thing."""
    if "description" in part:  # a docstring, of which not every msgspec takes off the indentation
        part["description"] = inspect.cleandoc(part["description"])
    part.pop("additionalProperties", None)
    if "kind" in part.get("properties", {}):  # of a class that others derive from
        part["properties"]["kind"] = TEXT
    return part


def text() -> str:
    """The file."""
    return json.dumps(schema(), indent=1, ensure_ascii=False, sort_keys=True) + "\n"


if __name__ == "__main__":
    PAGE.write_text(text(), "utf-8")
