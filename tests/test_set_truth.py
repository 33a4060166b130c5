"""What a set of files holds is what was written into them, however each file was written."""

from __future__ import annotations

import datetime as dt
import gzip
import random

import pytest
from conftest import tries
from seasons import same

import olive_crate as oc

NAMES = ["id", "kg", "acid", "day", "grove", "ripe", "code"]
MISSING = ("NA", "n/a", "")


class Written:
    """A file, and for each of its cases what its cells say."""

    def __init__(self, draw: random.Random, first: int, bad: bool) -> None:
        self.decimal = draw.choice(".,")
        delimiter = draw.choice(";\t" if self.decimal == "," else ",;")
        form = draw.choice(["%Y-%m-%d", "%d.%m.%Y"])
        order = NAMES[:]
        if draw.random() < 0.3:
            draw.shuffle(order)
        if draw.random() < 0.3:
            order.remove(draw.choice(NAMES[1:]))
        self.cases = []
        lines = [delimiter.join(order)]
        for number in range(draw.randint(8, 60)):
            day = dt.date(2025, 1, 13) + dt.timedelta(days=draw.randint(0, 300))
            kg = draw.randint(1, 9999)
            acid = draw.randint(0, 999) / 100
            cells = {
                "id": str(first + number),
                "kg": str(kg),
                "acid": f"{acid:.2f}".replace(".", self.decimal),
                "day": day.strftime(form),
                "grove": draw.choice(["Pago", "Peñón", "Campo alto"]),
                "ripe": draw.choice(["yes", "no"]),
                "code": f"{draw.randint(0, 99):02}",
            }
            meant = {**cells, "kg": kg, "acid": acid, "day": day, "id": first + number}
            if draw.random() < 0.05:
                cells["acid"], meant["acid"] = draw.choice(MISSING), None
            if bad and draw.random() < 0.02:
                cells["kg"] = meant["kg"] = "lost"
            lines.append(delimiter.join(cells[name] for name in order))
            self.cases.append({name: meant[name] if name in order else None for name in NAMES})
        data = ("\n".join(lines) + "\n").encode(draw.choice(["utf-8", "cp1252", "utf-16"]))
        self.data = gzip.compress(data) if draw.random() < 0.2 else data


@pytest.mark.parametrize("seed", range(tries(24)))
def test_a_set_holds_what_was_written(tmp_path, seed):
    draw = random.Random(seed)
    written = [Written(draw, 1000 * k, seed % 3 == 0) for k in range(draw.randint(1, 6))]
    files = [each.data for each in written]
    cases = [case for each in written for case in each.cases]
    dataset = oc.load(files)
    assert dataset.receipt.balanced and dataset.rows == len(cases)
    for name in ("id", "kg", "acid", "day", "grove"):
        if name not in dataset:
            continue
        values = dataset[name].values.to_pylist()
        meant = [case[name] for case in cases]
        if "lost" in meant:
            meant = [None if each is None else str(each) for each in meant]
        assert values == meant, name
    receipt = oc.pack(files, tmp_path / "out", by=draw.choice([None, 7]), range_bytes=300)
    same(dataset, oc.unpack(tmp_path / "out"))
    by_name = {each.name: each for each in dataset.receipt.cells}
    assert all(
        (each.valid, each.missing) == (by_name[each.name].valid, by_name[each.name].missing)
        for each in receipt.cells
    )
    pieces = list(oc.pieces(files, rows=draw.choice([5, 40]), settle=True))
    again = oc.load(files, plan=oc.draft(files))
    for name in dataset.names:
        values = dataset[name].values.to_pylist()
        assert [value for each in pieces for value in each[name].values.to_pylist()] == values
        assert again[name].values.to_pylist() == values
