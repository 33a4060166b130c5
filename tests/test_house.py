"""The structure holds: one table of options, evidence as data, words in one place."""

from __future__ import annotations

import ast
import inspect
import runpy
import subprocess
import sys
from importlib import import_module
from pathlib import Path

import msgspec
import pytest
from conftest import topic
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc
from olive_crate import evidence
from olive_crate.plan.option import COMMAND_ONLY_IN_PLANS
from olive_crate.plan.options import OPTIONS

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "olive_crate"
READERS = (oc.look, oc.draft, oc.load, oc.pack)


@pytest.mark.parametrize("reader", READERS, ids=lambda each: each.__name__)
def test_every_option_is_in_the_signature_and_the_help(reader):
    parameters = inspect.signature(reader).parameters
    for name, option in OPTIONS.items():
        assert parameters[name].kind is inspect.Parameter.KEYWORD_ONLY
        assert f"    {name}: {option.help} Default: {option.default}." in reader.__doc__
    assert not any(each.kind is each.VAR_KEYWORD for each in parameters.values())


@pytest.mark.parametrize("name", ["look", "draft", "pack", "check"])
def test_the_command_has_a_flag_for_every_option_in_groups(command, name):
    text, short = command(name, "--help-all").stdout, command(name, "--help").stdout
    assert "--delimiter" in short and "--lines-per-record" not in short
    assert "more options of reading: --help-all" in short
    for option in OPTIONS:
        if option in COMMAND_ONLY_IN_PLANS:
            continue
        flags = [each.name for each in OPTIONS[option].flags] or [f"--{option.replace('_', '-')}"]
        assert all(flag in text for flag in flags), option
        assert f"\n{OPTIONS[option].group}:\n" in text


def test_the_page_of_options_is_made_from_the_table():
    made = runpy.run_path(str(ROOT / "tools" / "make_options_page.py"))
    assert (ROOT / "docs" / "options.md").read_text("utf-8") == made["page"]()


WRONG = {
    "layout": "sheets",
    "levels": {"acid": "high"},
    "turned": "left",
    "encoding": "utf-9",
    "delimiter": 5,
    "quote": "ab",
    "escape": "ab",
    "comment": 5,
    "trim": "both",
    "decimal": "dot",
    "grouping": "dot",
    "fields": [("a", 0)],
    "lines_per_record": 0,
    "record_length": 0,
    "record_type": {"start": 1},
    "positions": "words",
    "tabs": 0,
    "sheet": [],
    "table": 1.5,
    "query": 5,
    "keep_copy": "maybe",
    "range": "1:B",
    "block": 0,
    "hidden": "drop",
    "merged": "drop",
    "limits": {"rows": 1},
    "rows": {"heading": 1},
    "names": ["a", "a"],
    "plain_names": "yes",
    "types": {"a": "float"},
    "missing": {(3, 1): "x"},
    "meaning_sets": ["a"],
    "variables": {"a": 5},
    "keep": 5,
    "order": 5,
    "promised": {"rows": "many"},
    "limit": -1,
    "changing": "maybe",
    "on_error": "skip",
    "file_as": "",
    "row_as": 5,
    "unreadable": "ignore",
    "workers": 0,
    "ignore": [{"variable": "a"}],
}


@pytest.mark.parametrize("name", list(OPTIONS))
def test_every_option_refuses_what_it_cannot_be_and_names_itself(name):
    with pytest.raises(oc.PlanError) as caught:
        oc.load(b"a;b\n1;2\n", **{name: WRONG[name]})
    named = {
        "types": 'variable "a": type: there is no type',
        "levels": 'variable "acid": level: there is no level',
        "variables": '"a": expected the parts',
    }
    assert named.get(name, name) in str(caught.value)


def classes(base: type) -> list[type]:
    return [each for one in base.__subclasses__() for each in (one, *classes(one))]


def test_every_kind_of_evidence_note_finding_and_promise_has_words():
    from olive_crate.checks.findings import Finding
    from olive_crate.dataset.promises import Promise, Required
    from olive_crate.show.claim import WORDS
    from olive_crate.show.claims import claim_of
    from olive_crate.show.evidence import ABOUT
    from olive_crate.show.findings import found_words
    from olive_crate.show.notes import note_words, promised_words

    for words in WORDS.values():
        import_module(f"olive_crate.show.{words}")
    assert set(classes(evidence.Evidence)) == set(evidence.ALL_EVIDENCE)
    for kind in classes(evidence.Evidence):
        assert claim_of.dispatch(kind) is not claim_of.dispatch(object), kind
        assert kind.about in ABOUT or kind.about.startswith("variable."), kind
    for base, words, plain in (
        (evidence.Note, note_words, ()),
        (Finding, found_words, ("EmptyVariable", "ConstantVariable", "DuplicateRows")),
        (Promise, promised_words, (Required.__name__,)),
    ):
        for kind in classes(base):
            own = words.dispatch(kind) is not words.dispatch(object)
            assert own or kind.__name__ in plain, kind
    assert set(evidence.ALL_EVIDENCE) == set(classes(evidence.Evidence))
    assert set(evidence.ALL_NOTES) == set(classes(evidence.Note))


# Signs that turn the direction of what follows are shown as a dot: they are no part of these names.
NAMES = st.text(
    st.characters(blacklist_categories=["Cs", "Cc", "Cf"], blacklist_characters='",\n\r'),
    min_size=1,
).filter(lambda text: text.strip() == text and not text.isdigit() and text != "other")


@given(NAMES)
def test_evidence_keeps_a_variable_apart_from_what_is_said_of_it(name):
    def drafted(heading: str) -> oc.Plan:
        rows = "".join(f"{n % 7},{'n.d.' if n == 30 else n}\n" for n in range(60))
        data = f'"{heading}","other"\n{rows}'.encode()
        return oc.draft(data, delimiter=",", quote='"', rows={"names": 1, "data": "2.."})

    plan, plain = drafted(name), drafted("plain")
    said = [str(each) for each in plan.evidence if each.variable == name]
    as_plain = [str(each) for each in plain.evidence if each.variable == "plain"]
    assert said == [f"{name}: {each.removeprefix('plain: ')}" for each in as_plain] != []
    (text,) = [e for e in plan.evidence if e.about == "variable.type" and e.value == "text"]
    mended = plan.declare(text.mend.variable, **text.mend.parts)
    assert mended.variable("other").type == "number"
    open_ = [e for e in mended.evidence if not (e.certain or e.answered)]
    assert not [e for e in open_ if e.variable == "other"]


def test_a_broken_key_is_found_whatever_the_variable_is_called():
    for name in ("Q1: acid", "key", "different in every case"):
        data = f"{name};b\n1;2\n1;3\n".encode()
        dataset = oc.load(data, promised={"key": [name]})
        assert not dataset.receipt.promises_kept
        (found,) = dataset.check()
        assert found.variables == (name,) and found.severity == "serious" and found.rows == (3,)


def test_what_is_declared_later_is_no_longer_open(demo):
    dataset = oc.load(demo / "deliveries_2025.csv")
    before = {topic(each) for each in dataset.receipt.decided if not each.certain}
    assert "variable.Free acidity" in before
    fixed = dataset.make_names_plain().declare(
        "free_acidity", type="number", missing={"n.d.": "below detection", 777: "sample lost"}
    )
    still = [e for e in fixed.receipt.decided if e.variable == "Free acidity" and not e.certain]
    assert still and all(each.answered for each in still)
    assert "Free acidity: text" not in str(fixed.receipt)
    assert "Peroxide value: text" in str(fixed.receipt)
    assert not fixed.codebook("free_acidity")[0].doubts


def test_evidence_and_promises_come_back_from_a_packed_file_as_they_were(demo, tmp_path):
    dataset = oc.load(demo / "deliveries_2025.csv", promised={"rows": 5, "key": ["Grower"]})
    dataset.pack(tmp_path / "d.parquet")
    back = oc.unpack(tmp_path / "d.parquet").receipt
    assert back.decided == dataset.receipt.decided and back.promises == dataset.receipt.promises
    assert [type(each) for each in back.decided] == [type(e) for e in dataset.receipt.decided]
    plain = msgspec.json.decode(msgspec.json.encode(back.decided))
    assert {"kind", "variable", "value"} <= set(plain[-1]) and isinstance(plain[0]["kind"], str)


def test_errors_speak_of_options_and_the_command_of_its_flags(command, tmp_path):
    (tmp_path / "a.csv").write_text('a,b\n1,2\n3,"4\n')
    (tmp_path / "t.txt").write_text("12\t3\n")
    (tmp_path / "d.parquet").write_bytes(b"")
    cases = (
        (("pack", "a.csv", "-o", "new.parquet"), "quote=None", "--quote none"),
        (("pack", "t.txt", "--fields", "a:1-2"), "tabs=8", "--tabs 8"),
        (("pack", "a.csv", "-o", "d.parquet"), "replace=True", "--replace"),
    )
    for arguments, option, flag in cases:
        said = command(*arguments).stderr
        assert flag in said and option not in said
    with pytest.raises(oc.LayoutError, match="use quote=None"):
        oc.load(tmp_path / "a.csv")


MODULES = sorted(SOURCE.rglob("*.py"))


@pytest.mark.parametrize("path", MODULES, ids=lambda path: str(path.relative_to(SOURCE)))
def test_files_and_functions_are_short(path):
    text = path.read_text("utf-8")
    assert len(text.splitlines()) <= 400
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef):
            assert node.end_lineno - node.lineno < 60, node.name


def test_rooms_are_few():
    rooms = {each for each in SOURCE.iterdir() if each.is_dir() and each.name != "__pycache__"}
    files = {each for each in SOURCE.glob("*.py") if not each.stem.startswith("__")}
    assert len(rooms) + len(files) <= 20 and len(files) <= 5


@pytest.mark.parametrize(
    ("arguments", "unwanted"),
    [
        (["--help"], {"numpy", "pyarrow", "msgspec"}),
        (["look", "--help"], {"numpy", "pyarrow", "msgspec"}),
        (["--version"], {"pandas", "matplotlib", "pyarrow.compute"}),
    ],
)
def test_the_command_imports_only_what_it_needs(arguments, unwanted):
    code = (
        "import sys; sys.argv[1:] = sys.argv[1:]\n"
        "from olive_crate.cli import app\n"
        "try:\n    app(sys.argv[1:])()\nexcept SystemExit:\n    pass\n"
        "print('|'.join(sys.modules), file=sys.stderr)"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, *arguments], capture_output=True, text=True, check=True
    )
    assert not unwanted & set(done.stderr.strip().splitlines()[-1].split("|"))


SMALL = ("deliveries_2025.csv", "laboratory_2025.txt", "panel_2025.xlsx", "survey_2025.xlsx")
SMALL = (*SMALL, "census_2024.txt", "harvest.html", "months", "survey.plan.toml")


@pytest.mark.parametrize("name", SMALL)
def test_small_files_wake_no_heavy_package(demo, name):
    heavy = ("pandas", "matplotlib", "pyarrow.compute", "sqlalchemy", "jinja2", "numpy.ma")
    code = (
        "import sys, olive_crate as oc\n"
        "for work in (oc.look, oc.draft, oc.load):\n"
        f"    work({str(demo / name)!r})\n"
        f"    print(work.__name__, [each for each in {heavy} if each in sys.modules])"
    )
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert told.stdout.splitlines() == ["look []", "draft []", "load []"]


@pytest.mark.parametrize("name", SMALL[:2])
def test_a_look_imports_nothing_that_reads_to_the_end(demo, name):
    code = (
        "import sys, olive_crate as oc\n"
        f"oc.look({str(demo / name)!r})\n"
        "print(*(each for each in sys.modules if each.startswith('olive_crate.')))"
    )
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    needless = {"api.dataset", "dataset.receipt", "reading.loading", "reading.single_pass"}
    assert not {f"olive_crate.{each}" for each in needless} & set(told.stdout.split())


KINDS = {
    "texts": lambda row: f"lot {row % 2999}",
    "all differ": lambda row: f"lot {row}",
    "few words": lambda row: ("Picual", "Arbequina")[row % 2],
    "marks": lambda row: "NA" if row % 9 == 0 else str(row),
    "codes": lambda row: "777" if row % 9 == 0 else f"{row % 90}.5",
    "numbers in words": lambda row: f"{row}" if row % 300 else "none",
    "days": lambda row: f"{row % 28 + 1}/{row % 12 + 1}/2025",
    "named days": lambda row: f"{row % 28 + 1} January 2025",
    "moments": lambda row: f"2025-01-0{row % 9 + 1} 10:00:0{row % 9}",
    "zones": lambda row: f"2025-01-0{row % 9 + 1}T10:00:00+01:00",
    "times": lambda row: f"{row % 24}:00",
    "flags": lambda row: ("yes", "no", "")[row % 3],
    "percent": lambda row: f"{row % 100}%",
    "groups": lambda row: f"{row + 1000:,}".replace(",", "'"),
    "long numbers": lambda row: f"{10**18 + row}",
    "zeros": lambda row: f"{row:05}",
    "blanks": lambda row: f"  {row % 7}  ",
    "accents": lambda row: f"Núñez {row}",
}


def test_no_kind_of_column_wakes_a_heavy_package(tmp_path):
    """Three thousand rows, so that what is done to many cells only is done."""
    lines = [";".join(KINDS)]
    lines += [";".join(make(row) for make in KINDS.values()) for row in range(3000)]
    (tmp_path / "kinds.csv").write_text("\n".join(lines) + "\n", "utf-8")
    test_small_files_wake_no_heavy_package(tmp_path, "kinds.csv")


def test_a_load_of_a_small_file_passes_few_functions(tmp_path):
    """As many as `tools/functions_of_a_load.py` counts; the bounds are those of the house."""
    done = subprocess.run(
        [sys.executable, ROOT / "tools" / "functions_of_a_load.py", "--list"],
        capture_output=True,
        text=True,
        check=True,
    )
    functions, _, _, files, _ = done.stdout.splitlines()[-1].split()
    assert int(functions) <= 230 and int(files) <= 38


def test_patterns_are_compiled_when_they_are_used_and_are_patterns_then():
    import re

    from olive_crate.declaration.patterns import late

    pattern = late(r"(a)(\d+)", re.IGNORECASE)
    assert "_text" in vars(pattern) and "fullmatch" not in vars(pattern)
    assert pattern.fullmatch("A12").groups() == ("A", "12") and "fullmatch" in vars(pattern)
    assert pattern.pattern == r"(a)(\d+)" and pattern.sub("x", "a1 b2") == "x b2"
    with pytest.raises(re.error):
        late("(").search("a")


def imports_of(path: Path) -> set[str]:
    """The files of the package that a file imports, wherever in it, for types too."""
    name = (path.parent if path.name == "__init__.py" else path.with_suffix("")).relative_to(SOURCE)
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if not isinstance(node, ast.ImportFrom) or not node.level:
            continue
        up = node.level - (path.name == "__init__.py")
        base = [*name.parts[: len(name.parts) - up], *(node.module or "").split(".")]
        for each in [alias.name for alias in node.names]:
            for parts in ([*base, each], base):
                made = SOURCE.joinpath(*filter(None, parts))
                if made.with_suffix(".py").exists():
                    found.add(str(made.with_suffix(".py")))
                    break
    return found


def test_no_more_than_three_files_import_one_another():
    graph = {str(path): imports_of(path) for path in SOURCE.rglob("*.py")}
    reached: dict[str, set[str]] = {}
    for start in graph:
        met, left = set(), [start]
        while left:
            for each in graph.get(left.pop(), set()) - met:
                met.add(each)
                left.append(each)
        reached[start] = met
    for path, met in reached.items():
        circle = sorted(each for each in met if path in reached.get(each, set()))
        assert len(circle) <= 3, circle
