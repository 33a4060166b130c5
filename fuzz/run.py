"""Damaged inputs of each kind, as many as fit into the time.

What comes of each has to be a dataset whose receipt balances, or an error of ours.

    python fuzz/run.py [--seconds 60 | --inputs 20000] [--kind workbook] [--seed 1]

An input is a good file with some bytes changed, moved, repeated or cut; of archives it is a member.
What ends otherwise is kept in the corpus and told: a foreign error, an account that does not
balance, more than five seconds a megabyte, or more than 500 MB more of memory.
"""

from __future__ import annotations

import argparse
import bz2
import gzip
import hashlib
import io
import lzma
import random
import resource
import sys
import tarfile
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import olive_crate as oc

ROOT = Path(__file__).parent.parent
DEMO = ROOT / "src" / "olive_crate" / "demo" / "data"
SAMPLES = ROOT / "tests" / "samples"
SECONDS_A_MB, MB_MORE = 5.0, 500
LARGEST = 60_000
"""Bytes that are taken of a text."""
Loader = Callable[[bytes, Path], oc.Dataset]


def load(data: bytes, folder: Path) -> oc.Dataset:
    return oc.load(data)


def fixed(data: bytes, folder: Path) -> oc.Dataset:
    return oc.load(data, layout="fixed")


def packed(data: bytes, folder: Path) -> oc.Dataset:
    path = folder / "a.parquet"
    path.write_bytes(data)
    dataset = oc.unpack(path)
    dataset.to_arrow()
    return dataset


def planned(data: bytes, folder: Path) -> oc.Dataset:
    """A plan for a good file."""
    (folder / "a.plan.toml").write_bytes(data)
    source = (DEMO / "deliveries_2025.csv").read_bytes()[:LARGEST]
    return oc.load(source, plan=oc.Plan.read(folder / "a.plan.toml"))


def dictionary(data: bytes, folder: Path) -> oc.Dataset:
    """A dictionary of a file of fixed columns, of whatever form."""
    (folder / "a.csv").write_bytes(data)
    plan = oc.dictionary(folder / "a.csv")
    lines = (DEMO / "laboratory_2025.txt").read_bytes()[:5000]
    return oc.load(lines, plan=plan, rows={"names": []})


def sealed(data: bytes, folder: Path) -> oc.Dataset:
    """A sealed crate, all tables of it."""
    (folder / "a.zip").write_bytes(data)
    crate = oc.Crate.open(folder / "a.zip")
    crate.status()
    for name in crate:
        crate[name].to_arrow()
    return next(iter(crate[name] for name in crate), oc.load(b"id\n1\n"))


def archives(text: bytes) -> list[bytes]:
    """A text in compressed streams and archives."""
    member = io.BytesIO()
    with tarfile.open(fileobj=member, mode="w") as archive:
        entry = tarfile.TarInfo("a.csv")
        entry.size = len(text)
        archive.addfile(entry, io.BytesIO(text))
    return [gzip.compress(text), bz2.compress(text), lzma.compress(text), member.getvalue()]


def seeds() -> dict[str, tuple[Loader, list[bytes]]]:
    """Good inputs of each kind."""
    texts = [each.read_bytes()[:LARGEST] for each in sorted(DEMO.glob("*.csv"))]
    lines = [each.read_bytes()[:LARGEST] for each in sorted(DEMO.glob("*.txt"))]
    books = [each.read_bytes() for each in sorted(SAMPLES.glob("mill*.[xo]*"))]
    pages = [each.read_bytes() for each in sorted(DEMO.glob("*.html"))]
    plans = [each.read_bytes() for each in sorted(DEMO.glob("deliveries*.toml"))]
    with tempfile.TemporaryDirectory() as folder:
        target = Path(folder) / "a.parquet"
        oc.pack(DEMO / "deliveries_2025.csv", target)
        held = target.read_bytes()
        crate = oc.Crate.new(Path(folder) / "crate")
        crate.add(DEMO / "panel_2025.xlsx")
        crate.seal(Path(folder) / "a.zip")
        zipped = (Path(folder) / "a.zip").read_bytes()
    return {
        "text": (load, texts),
        "fixed": (fixed, lines or texts),
        "workbook": (load, [each for each in books if each[:2] == b"PK"]),
        "xls": (load, [each for each in books if each[:2] != b"PK"]),
        "page": (load, pages),
        "packed": (packed, [held]),
        "plan": (planned, plans),
        "archive": (load, archives(texts[0][:5000])),
        "dictionary": (
            dictionary,
            [
                (DEMO / name).read_bytes()
                for name in ("laboratory.fields.csv", "laboratory.ddi.xml")
            ],
        ),
        "sealed": (sealed, [zipped]),
    }


def changed(draw: random.Random, data: bytes) -> bytes:
    """The bytes with a few changes; of an archive, of one of its members."""
    if data[:2] == b"PK" and draw.random() < 0.85:
        return _member_changed(draw, data)
    made = bytearray(data)
    for _ in range(draw.choice((1, 1, 2, 4, 12))):
        at = draw.randrange(len(made) + 1)
        size = draw.choice((1, 1, 2, 4, 40, 400))
        how = draw.randrange(6)
        if how == 0:
            made[at : at + size] = draw.randbytes(size)
        elif how == 1:
            del made[at : at + size]
        elif how == 2:
            made[at:at] = made[at : at + size] * draw.choice((1, 3, 50))
        elif how == 3 and at < len(made):
            made[at] ^= 1 << draw.randrange(8)
        elif how == 4:
            made[at : at + 4] = draw.choice((b"\xff\xff\xff\xff", b"\0\0\0\0", b"\xff\xff\xff\x7f"))
        else:
            start = draw.randrange(len(made) + 1)
            made[at:at] = made[start : start + size]
    return bytes(made[: draw.randrange(len(made) + 1)] if draw.random() < 0.05 else made)


def _member_changed(draw: random.Random, data: bytes) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(made, "w") as new:
        names = old.namelist()
        chosen = draw.choice(names)
        for name in names:
            text = old.read(name)
            if name == chosen and draw.random() < 0.05:
                continue
            new.writestr(name, changed(draw, text) if name == chosen and text else text)
    return made.getvalue()


def outcome(loader: Loader, data: bytes, folder: Path) -> str:
    """What came of an input: `read`, `refused`, or what is wrong."""
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    began = time.perf_counter()
    try:
        dataset = loader(data, folder)
        told = "read" if dataset.receipt.balanced else "not balanced"
    except oc.OliveCrateError:
        told = "refused"
    except Exception as error:
        told = f"foreign: {type(error).__name__}: {str(error)[:80]}"
    seconds = time.perf_counter() - began
    more = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    if seconds > SECONDS_A_MB * max(1.0, len(data) / 1e6):
        return f"slow: {seconds:.1f} s"
    return f"memory: {more:.0f} MB more" if more > MB_MORE else told


def run(kind: str, seconds: float, inputs: int, seed: int, corpus: Path) -> Counter[str]:
    """So many inputs of one kind, or as many as fit into the time; what is wrong is kept."""
    loader, good = seeds()[kind]
    draw, counts = random.Random(f"{kind} {seed}"), Counter[str]()
    until = time.perf_counter() + seconds
    with tempfile.TemporaryDirectory() as folder:
        for data in _inputs(draw, good):
            told = outcome(loader, data, Path(folder))
            counts[told] += 1
            if told not in ("read", "refused"):
                corpus.mkdir(parents=True, exist_ok=True)
                name = f"{kind}-{hashlib.sha256(data).hexdigest()[:12]}"
                (corpus / name).write_bytes(data)
                print(f"{kind}: {told}; kept as {name}", flush=True)
            if counts.total() == inputs or (not inputs and time.perf_counter() > until):
                break
    return counts


def _inputs(draw: random.Random, good: list[bytes]) -> Iterator[bytes]:
    while True:
        yield changed(draw, draw.choice(good))


def main() -> None:
    every = list(seeds())
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--seconds", type=float, default=60, help="for all kinds together")
    parser.add_argument("--inputs", type=int, default=0, help="of each kind, however long it takes")
    parser.add_argument("--kind", choices=every, action="append")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--corpus", type=Path, default=ROOT / "fuzz" / "found")
    given = parser.parse_args()
    kinds = given.kind or every
    bad = 0
    for kind in kinds:
        counts = run(kind, given.seconds / len(kinds), given.inputs, given.seed, given.corpus)
        wrong = sum(counts.values()) - counts["read"] - counts["refused"]
        bad += wrong
        print(
            f"{kind:9} {sum(counts.values()):7,} inputs  {counts['read']:7,} read"
            f"  {counts['refused']:7,} refused  {wrong} wrong",
            flush=True,
        )
    sys.exit(1 if bad else 0)


if __name__ == "__main__":
    main()
