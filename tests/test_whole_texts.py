"""Columns of text over several blocks, whatever their texts turn into further down."""

from __future__ import annotations

import gzip
from collections.abc import Callable
from pathlib import Path

import pytest

import olive_crate as oc
from olive_crate import kernels

ROWS = 60_000
VARIETIES = ("Picual", "Arbequina", "Hojiblanca")
TEXTS: dict[str, Callable[[int], str]] = {
    "lot": lambda row: f"lot {row:07}",
    "longer": lambda row: f"{'o' * (row // 1200)} {row}",
    "shorter": lambda row: f"{'o' * (50 - row // 1200)} {row}",
    "blank": lambda row: "" if row % 7 == 0 else f"{row} crates",
    "blanks": lambda row: "   " if row % 11 == 0 else f" {row} kg",
    "nothing_first": lambda row: "" if row < ROWS // 2 else f"grove {row}",
    "quoted": lambda row: f'said "{row}", then left' if row % 3 else f"said {row}",
    "lines": lambda row: f"early\nlate {row}" if row % 5000 == 0 else f"on time {row}",
    "beyond": lambda row: f"Núñez {row} €",
    "few_first": lambda row: VARIETIES[row % 3] if row < ROWS // 2 else f"tree {row}",
    "few_later": lambda row: VARIETIES[row % 3] if row > ROWS // 2 else f"tree {row}",
    "numbers_first": lambda row: str(row) if row < ROWS - 9 else "n/d",
    "one_long": lambda row: "o" * 300_000 if row == ROWS - 5 else f"mill {row}",
    "marks": lambda row: "NA" if row % 13 == 0 else f"panel {row}",
    "codes": lambda row: "lost" if row % 17 == 0 else f"sample {row}",
}


def written(text: str) -> str:
    quoted = text.replace('"', '""')
    return f'"{quoted}"' if set(text) & set('",\n') else text


@pytest.fixture(scope="module")
def register(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("texts") / "register.csv"
    with path.open("w", encoding="utf-8", newline="") as stream:
        stream.write(",".join(TEXTS) + "\n")
        for row in range(ROWS):
            stream.write(",".join(written(make(row)) for make in TEXTS.values()) + "\n")
    return path


@pytest.mark.parametrize("workers", [1, 2])
def test_every_text_is_where_it_was(register: Path, workers: int) -> None:
    found = oc.load(register, workers=workers, variables={"codes": {"missing": ["lost"]}})
    assert found.rows == ROWS
    assert found.receipt.balanced
    for name, make in TEXTS.items():
        column = found[name]
        texts = [make(row) for row in range(ROWS)]
        gone = "lost" if name == "codes" else ""
        wanted = [None if not text.strip(" ") or text == gone else text for text in texts]
        assert column.values.to_pylist() == wanted, name
        assert column.values.type == "string", name
        assert column.values.null_count == wanted.count(None), name
        column.values.validate(full=True)


@pytest.mark.parametrize("encoding", ["utf-16", "cp1252", "utf-8-sig"])
def test_in_other_encodings_and_compressed(register: Path, tmp_path: Path, encoding: str) -> None:
    """Where the size of the file is not that of its text, or is not known."""
    text = register.read_text("utf-8")
    plain, packed = tmp_path / "register.csv", tmp_path / "register.csv.gz"
    plain.write_bytes(text.encode(encoding))
    packed.write_bytes(gzip.compress(text.encode(encoding), 1))
    whole = oc.load(register, workers=1)
    for path in (plain, packed):
        found = oc.load(path, encoding=encoding)
        for name in TEXTS:
            assert found[name].values.equals(whole[name].values), name


def test_operations_take_from_whole_texts_what_stands_there(register: Path) -> None:
    whole = oc.load(register)
    some = whole.filter("lot is not missing").tail(1000).head(10)
    for name, make in TEXTS.items():
        wanted = [make(row) for row in range(ROWS - 1000, ROWS - 990)]
        assert some[name].values.to_pylist() == [
            each if each.strip(" ") else None for each in wanted
        ]
    longest = max(len(make(row)) for row in range(ROWS) for make in [TEXTS["longer"]])
    assert f"{longest}" in str(whole.codebook("longer"))


def test_both_kernels_read_the_same(register: Path) -> None:
    usual = "compiled" if kernels.are_compiled() else "reference"
    found = []
    try:
        for name in kernels.NAMES:
            kernels.use(name)
            found.append(oc.load(register, limit=ROWS // 2))
    finally:
        kernels.use(usual)
    one, two = found
    for name in TEXTS:
        assert one[name].values.equals(two[name].values), name
        assert one[name].reasons.tolist() == two[name].reasons.tolist()


def test_packed_and_opened_again_it_is_the_same(register: Path, tmp_path: Path) -> None:
    loaded = oc.load(register, workers=1)
    oc.pack(register, tmp_path / "register.parquet")
    opened = oc.unpack(tmp_path / "register.parquet")
    for name in TEXTS:
        assert opened[name].values.to_pylist() == loaded[name].values.to_pylist(), name
