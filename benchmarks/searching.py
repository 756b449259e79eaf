"""Searching 100,000 units and 1,000,000 readings as one types, against LIKE over the same columns.

Generated with MariaDB's sequence tables: invented words, seeded by the row's own number. The plan of one
query is printed, so that a lost index shows.
"""

import tempfile
import time
from pathlib import Path
from statistics import median, quantiles

import pymysql

from orange_crank.store import database, schema
from orange_crank.store.database import Connection
from orange_crank.store.search import QUERIES, search
from orange_crank.store.server import MariaDbServer

UNITS, READINGS = 100_000, 1_000_000
WORDS = (
    "kelp", "ridge", "amber", "otter", "quarry", "linden", "marsh", "cobble", "heron", "saddle", "birch",
    "tinker", "gravel", "willow", "ember",
)  # fmt: skip
ASKED = ("otter", "kelp rid", "SN0420", "hums qua", "amber mar", "gravel", "noise lin", "zz nothing")


def fill(connection: Connection) -> None:
    """Fill the records, over a connection that waits as long as it takes."""
    words = ", ".join(f"'{w}'" for w in WORDS)

    def word(n: str, k: int) -> str:
        return f"ELT(1 + MOD(({n}) * 7 + {k}, 15), {words})"

    day, sites = "'2025-05-01'", UNITS // 5
    statements = (
        "INSERT INTO person (name, role, initials) VALUES ('Ada Wren', 'lead', 'AW')",
        f"""INSERT INTO site (id, name, place)
            SELECT seq, CONCAT_WS(' ', {word("seq", 0)}, {word("seq DIV 15", 3)}, seq),
            CONCAT({word("seq DIV 225", 5)}, ' road') FROM seq_1_to_{sites}""",
        f"""INSERT INTO unit (id, site_id, name, kind, note, serial, model)
            SELECT seq, 1 + MOD(seq, {sites}), CONCAT('Split ', seq), 'Split, scroll',
            CONCAT_WS(' ', {word("seq DIV 31", 1)}, {word("seq DIV 7", 2)}),
            CONCAT('SN', LPAD(seq * 37, 8, '0')), CONCAT('M', MOD(seq, 900)) FROM seq_1_to_{UNITS}""",
        f"""INSERT INTO service_call
            (id, unit_id, complaint, note, status, opened_at, opened_by_id, closed_at)
            SELECT seq, seq, CONCAT('Hums, ', {word("seq DIV 3", 4)}), CONCAT('Noise ', {word("seq", 6)}),
            'closed', {day}, 1, {day} FROM seq_1_to_{UNITS}""",
        f"""INSERT INTO reading
            (call_id, quantity, value, unit, call_state, note, taken_at, recorded_at, person_id)
            SELECT 1 + MOD(seq, {UNITS}), 'run_cap_uf', 40 + MOD(seq, 50) / 10, 'µF', 'as_found',
            IF(MOD(seq, 20) = 0, CONCAT('beside the ', {word("seq DIV 20", 7)}), NULL), {day}, {day}, 1
            FROM seq_1_to_{READINGS}""",
        *(f"ANALYZE TABLE {table}" for table in ("unit", "site", "service_call", "reading")),
    )
    patient = pymysql.connect(
        host=connection.host,
        port=connection.port,
        user=connection.user,
        password=connection.password.get_secret_value(),
        database=connection.name,
        charset="utf8mb4",
        autocommit=True,
    )
    with patient, patient.cursor() as cursor:
        for statement in statements:
            cursor.execute(statement)


def by_like(asked: str) -> None:
    """Look for the same words without an index, units and calls only."""
    where = " AND ".join(["CONCAT_WS(' ', name, kind, note, serial, model) LIKE %s"] * len(asked.split()))
    database.proxy.obj.execute_sql(
        f"SELECT id FROM unit WHERE {where} LIMIT 12", [f"%{w}%" for w in asked.split()]
    ).fetchall()


def timed(look: object, times: int = 12) -> list[float]:
    """Return how long each search took [ms]."""
    took = []
    for _ in range(times):
        for asked in ASKED:
            begun = time.perf_counter()
            look(asked)  # type: ignore[operator]
            took.append(1000 * (time.perf_counter() - begun))
    return took


def main() -> None:
    """Print how long searches take."""
    with tempfile.TemporaryDirectory(prefix="oc-search-") as folder:
        server = MariaDbServer(Path(folder))
        server.start()
        connection = server.owner()
        bound = database.connect(connection)
        schema.lay_out()
        try:
            begun = time.monotonic()
            fill(connection)
            print(f"{UNITS:,} units and {READINGS:,} readings made in {time.monotonic() - begun:.0f} s")
            with database.session():
                timed(search, 1)
                found, like = timed(search), timed(by_like, 2)
                slowest = quantiles(found, n=20)[-1]
                print(f"  search: median {median(found):.0f} ms, 95 % under {slowest:.0f} ms")
                times = median(like) / median(found)
                print(f"  units alone by LIKE: median {median(like):.0f} ms, {times:.1f} ×")
                plan = database.proxy.obj.execute_sql("EXPLAIN " + QUERIES[0][1], ("+otter*", 12)).fetchall()
                for row in plan:
                    print("  plan:", row)
        finally:
            bound.close_all()  # type: ignore[attr-defined]
            server.stop()


if __name__ == "__main__":
    main()
