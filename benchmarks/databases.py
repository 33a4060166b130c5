"""What reading a table costs, against a loop over the driver's rows with the same conversions.

    python benchmarks/databases.py [ROWS]

Always of an SQLite file; of PostgreSQL and MariaDB where `OLIVE_CRATE_TEST_POSTGRESQL` and
`OLIVE_CRATE_TEST_MARIADB` hold the address of an empty database. Each way is a process of its own,
which has read one row before the clock starts, so that what is imported on the way does not count;
its memory is the peak of the process.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

COLUMNS = """id INTEGER PRIMARY KEY, grower INTEGER, day DATE, net NUMERIC(9, 2),
acidity DOUBLE PRECISION, peroxide DOUBLE PRECISION, crates INTEGER, leaves DOUBLE PRECISION,
grade VARCHAR(20), remark VARCHAR(80)"""
TIMED = """
import resource, sys, time
sys.path.insert(0, {here!r})
from databases import loop
import olive_crate as oc
loop({address!r}, " LIMIT 1")
oc.load({address!r}, table="deliveries", limit=1)
began = time.perf_counter()
{work}
seconds = time.perf_counter() - began
print(seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


def loop(address: str, only: str = "") -> dict[str, list[object]]:
    """The limit: rows from the driver's cursor into lists, converted as a careful person would."""
    from sqlalchemy import create_engine

    from olive_crate.sources.connecting import DRIVERS

    scheme, _, rest = address.partition("://")
    engine = create_engine(f"{DRIVERS[scheme]}://{rest}")
    lists: dict[str, list[object]] = {}
    with engine.connect() as link:
        cursor = link.connection.driver_connection.cursor()
        cursor.execute(f"SELECT * FROM deliveries{only}")
        names = [each[0] for each in cursor.description]
        lists = {name: [] for name in names}
        ways = [int, int, str, float, float, float, int, float, str, str]
        held = [lists[name].append for name in names]
        while rows := cursor.fetchmany(20_000):
            for row in rows:
                for add, way, value in zip(held, ways, row, strict=True):
                    add(None if value is None else way(value))
    return lists


def fill(address: str, rows: int) -> None:
    """A table of made-up deliveries."""
    import random

    from sqlalchemy import create_engine

    from olive_crate.sources.connecting import DRIVERS

    draw = random.Random(7)
    scheme, _, rest = address.partition("://")
    engine = create_engine(f"{DRIVERS[scheme]}://{rest}")
    mark = "?" if scheme == "sqlite" else "%s"
    with engine.begin() as link:
        link.exec_driver_sql("DROP TABLE IF EXISTS deliveries")
        link.exec_driver_sql(f"CREATE TABLE deliveries ({COLUMNS})")
        cursor = link.connection.driver_connection.cursor()
        text = f"INSERT INTO deliveries VALUES ({', '.join([mark] * 10)})"
        for start in range(0, rows, 20_000):
            made = [_row(draw, number) for number in range(start, min(start + 20_000, rows))]
            if scheme == "postgresql":
                with cursor.copy("COPY deliveries FROM STDIN") as copy:
                    for row in made:
                        copy.write_row(row)
            else:
                cursor.executemany(text, made)


def _row(draw, number: int) -> tuple[object, ...]:
    day = f"2025-{draw.randrange(10, 13)}-{draw.randrange(1, 29):02d}"
    return (
        *(number, draw.randrange(2000), day, round(draw.uniform(50, 4000), 2)),
        *(draw.choice((None, draw.random())), draw.random() * 20, draw.randrange(200)),
        *(draw.random() * 9, draw.choice(("extra virgin", "virgin", "lampante"))),
        draw.choice((None, f"remark {draw.randrange(5000)}")),
    )


def measured(address: str, work: str) -> tuple[float, float]:
    """Seconds and peak MB of a process that does this."""
    code = TIMED.format(here=str(Path(__file__).parent), address=address, work=work)
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
    )
    seconds, memory = done.stdout.split()
    return float(seconds), float(memory)


def report(name: str, address: str, rows: int, folder: str) -> None:
    """All ways for one database, the best of three each."""
    fill(address, rows)
    target = str(Path(folder) / "packed.parquet")
    ways = {
        "loop over the driver's rows": f"loop({address!r})",
        "load": f"oc.load({address!r}, table='deliveries')",
        "load, one worker": f"oc.load({address!r}, table='deliveries', workers=1)",
        "pack": f"oc.pack({address!r}, {target!r}, table='deliveries', replace=True)",
    }
    best = {way: min(measured(address, work) for _ in range(3)) for way, work in ways.items()}
    limit = best["loop over the driver's rows"][0]
    print(f"\n{name}, {rows:,} rows x 10 columns")
    print(f"{'':28}{'s':>8}{'rows/s':>14}{'peak MB':>10}{'times the loop':>17}")
    for way, (seconds, memory) in best.items():
        print(f"{way:28}{seconds:8.2f}{rows / seconds:14,.0f}{memory:10.0f}{limit / seconds:17.1f}")


def main() -> None:
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    with tempfile.TemporaryDirectory() as folder:
        report("SQLite", f"sqlite:///{folder}/mill.db", rows, folder)
        for name in ("PostgreSQL", "MariaDB"):
            address = os.environ.get(f"OLIVE_CRATE_TEST_{name.upper()}")
            if address:
                report(name, address, rows, folder)


if __name__ == "__main__":
    main()
