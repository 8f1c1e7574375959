"""Paths, ways and forms of a large site, from days packed in order; beside them the same path by DuckDB over Parquet."""

from __future__ import annotations

import statistics
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import duckdb
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from bench.common import fresh_site, machine, table
from bench.speed.audiences import _TRAIL, DAYS, EVENTS, as_trail, known, made_day, page
from clabo.collect.events.models import Page
from clabo.collect.presence.models import Atom, Trail
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member

AIMS = {28: 100, 90: 300, 180: 600}
STEPS = 5


def fill(site: Site, folder: Path) -> int:
    """The packed days as a job would leave them, today's too, and the same as Parquet; bytes on disk."""
    chance = np.random.default_rng(7)
    now = datetime.now(UTC)
    today = site.midnight(now.astimezone(site.zone).date())
    views, arrivals = (np.array(atoms, dtype=np.uint32) for atoms in known(site, now))
    bytes_kept = 0
    writer = pq.ParquetWriter(folder / "trails.parquet", pa.schema([*_TRAIL, ("day", pa.date32())]))
    for age in range(DAYS - 1, -1, -1):
        people, times, which = made_day(chance, age, today)
        day = today.date() - timedelta(days=age)
        batch = as_trail(people, times, views[which], arrivals, age)
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, _TRAIL) as stream:
            stream.write_batch(batch)
        data = sink.getvalue().to_pybytes()
        bytes_kept += len(data)
        Trail.objects.create(site=site, day=day, data=data)
        columns = [*batch.columns, pa.array([day] * batch.num_rows, pa.date32())]
        writer.write_table(pa.table(columns, schema=writer.schema))
    writer.close()
    return bytes_kept


def duck_path(folder: Path, views: list[int], first: str) -> list[int]:
    """How many visits reached each step: of each the first time at or after the step before."""
    duck = duckdb.connect()
    duck.execute("SET threads = 1")
    events = f"SELECT visit, time, atom FROM '{folder / 'trails.parquet'}' WHERE day >= DATE '{first}'"
    query = f"WITH e AS ({events}), s0 AS (SELECT visit, min(time) AS at FROM e WHERE atom = {views[0]} GROUP BY 1)"
    for place, atom in enumerate(views[1:], 1):
        query += (
            f", s{place} AS (SELECT e.visit, min(e.time) AS at FROM e JOIN s{place - 1} b ON b.visit = e.visit "
            f"AND e.time >= b.at WHERE e.atom = {atom} GROUP BY 1)"
        )
    query += " SELECT " + ", ".join(f"(SELECT count(*) FROM s{p})" for p in range(len(views)))
    found = duck.execute(query).fetchone()
    assert found
    return list(found)


def timed(ask: Any, times: int) -> tuple[list[float], Any]:
    spent, answer = [], None
    for _ in range(times):
        began = time.perf_counter()
        answer = ask()
        spent.append((time.perf_counter() - began) * 1000)
    return spent, answer


def main() -> None:
    print(machine())
    site = fresh_site()
    rows: list[list[object]] = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        kept = fill(site, folder)
        print(f"{EVENTS:,} events over {DAYS} days, {kept / EVENTS:.1f} bytes an event on disk")
        member = Member(site)
        atoms = [
            Atom.objects.get(site=site, sort=Atom.Sort.EVENT, page__path=f"/page-{n}").pk
            for n in range(STEPS)
        ]
        for days, aim in AIMS.items():
            period = f"{days}d"
            way = {"steps": [page(n) for n in range(STEPS)], "period": period, "by": "source"}
            other = {**way, "steps": [page(n + 2) for n in range(STEPS)]}
            [first], _ = timed(lambda w=way: member.ask("POST", "/paths/report", w), 1)  # type: ignore[misc]
            spent, told = timed(lambda w=way: member.ask("POST", "/paths/report", w), 5)  # type: ignore[misc]
            more, _ = timed(lambda w=other: member.ask("POST", "/paths/report", w), 5)  # type: ignore[misc]
            start = (datetime.now(UTC).astimezone(site.zone).date() - timedelta(days=days - 1)).isoformat()
            duck, theirs = timed(lambda s=start: duck_path(folder, atoms, s), 3)  # type: ignore[misc]
            ours = [s["reached"] for s in told["steps"]]
            # A visit that began the day before the first is not looked at by ours.
            assert all(abs(a - b) <= 0.02 * b + 5 for a, b in zip(ours, theirs, strict=True)), (ours, theirs)
            rows.append(
                [
                    f"{days} days",
                    f"{first:.0f}",
                    f"{statistics.median(spent + more):.0f}",
                    f"{max(spent + more):.0f}",
                    aim,
                    f"{statistics.median(duck):.0f}",
                ]
            )
            around = f"/ways?period={period}&page={Page.objects.get(site=site, path='/page-1').pk}"
            got = timed(lambda p=around: member.ask("GET", p), 5)[0]  # type: ignore[misc]
            said = f"{statistics.median(got):.0f}", f"{max(got):.0f}"
            rows.append([f"ways around a page, {days} days", "", *said, aim, ""])
            print(rows[-2:], flush=True)
    table(
        [
            "a path of five steps, by source",
            "first ms",
            "median ms",
            "worst ms",
            "aim",
            "DuckDB, one thread, ms",
        ],
        rows,
    )


if __name__ == "__main__":
    main()
