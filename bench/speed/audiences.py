"""Audiences of a large site while they are written; beside it the same questions as SQL over rows and by DuckDB."""

from __future__ import annotations

import os
import random
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
from django.db import connection
from numpy.typing import NDArray
from pyroaring import BitMap

from bench.common import fresh_site, machine, memory_of, table
from clabo.collect.events.models import Device, Kind, Origin, Page
from clabo.collect.presence.models import Atom, DayPresence, Trail
from clabo.core.audiences.windows import sliding_unions
from clabo.platform.accounts.models import Role
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.use.audiences.services import AudienceContent, make_audience

VISITORS, VISITS, EVENTS, DAYS = 1_000_000, 2_100_000, 10_000_000, 180
PAGES, ORIGINS = 60, 12
KEPT, ASKED = 20, 30
_COLUMNS = pa.schema([("person", pa.uint32()), ("time", pa.int64()), ("atom", pa.uint32())])
_TRAIL = pa.schema([*_COLUMNS, ("visit", pa.int64())])

Day = tuple[NDArray[np.uint32], NDArray[np.int64], NDArray[np.int64]]


def made_day(chance: np.random.Generator, age: int, today: datetime) -> Day:
    """Who, when (microseconds) and which page, in order. Visitors come for some weeks and then no more."""
    count, visits = EVENTS // DAYS, VISITS // DAYS
    centre = VISITORS * (1 - age / DAYS)
    visitors = chance.normal(centre, VISITORS / 8, visits).astype(np.int64) % VISITORS + 1
    people = chance.choice(visitors, count).astype(np.uint32)
    start = int((today - timedelta(days=age)).timestamp() * 1_000_000)
    # Hits come with milliseconds.
    times = np.sort(chance.integers(0, 86_400_000, count)) * 1000 + start
    pages = (PAGES * chance.random(count) ** 2).astype(np.int64)
    return people, times, pages


def as_trail(
    people: NDArray[np.uint32],
    times: NDArray[np.int64],
    atoms: NDArray[np.uint32],
    arrivals: NDArray[np.uint32],
    age: int,
) -> pa.RecordBatch:
    """A packed day: one visit for each person, which begins with their first view."""
    first, place = np.unique(people, return_index=True)
    who = np.concatenate([first, people])
    at = np.concatenate([times[place], times])
    order = np.argsort(at, kind="stable")
    what = np.concatenate([arrivals[first % ORIGINS], atoms])
    columns = [who[order], at[order], what[order], (who.astype(np.int64) + (DAYS - age) * VISITORS)[order]]
    return pa.record_batch([pa.array(c, f.type) for c, f in zip(columns, _TRAIL, strict=True)], schema=_TRAIL)


def known(site: Site, now: datetime) -> tuple[list[int], list[int]]:
    """Pages and origins: the atoms of a view of each page, and of a visit from each origin."""
    pages = [
        Page.objects.create(site=site, host="shop.example", path=f"/page-{i}", first_at=now, last_at=now)
        for i in range(PAGES)
    ]
    origins = [
        Origin.objects.create(
            site=site, channel="paid" if i % 2 else "search", source=f"source-{i}", fingerprint=str(i)
        )
        for i in range(ORIGINS)
    ]
    views = [Atom.objects.create(site=site, sort=Atom.Sort.EVENT, kind=Kind.VIEW, page=p).pk for p in pages]
    visits = [
        Atom.objects.create(site=site, sort=Atom.Sort.VISIT, page=pages[0], origin=o, device=Device.PHONE).pk
        for o in origins
    ]
    return views, visits


def fill(site: Site, folder: Path) -> dict[str, float]:
    """The index as the pipeline and its jobs would leave it; the events as Parquet and as rows."""
    chance = np.random.default_rng(7)
    now = datetime.now(UTC)
    today = site.midnight(now.astimezone(site.zone).date())
    views, visits = known(site, now)
    rule = site.conversionrule_set.get(name="order").pk
    order = Atom.objects.create(site=site, sort=Atom.Sort.CONVERSION, conversion=rule).pk
    by_page = np.array(views, dtype=np.uint32)
    writer = pq.ParquetWriter(folder / "events.parquet", pa.schema([*_COLUMNS, ("day", pa.date32())]))
    with connection.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS bench_event")
        cursor.execute("CREATE UNLOGGED TABLE bench_event (person int, time bigint, atom int, day date)")
    took = 0.0
    for age in range(DAYS - 1, -1, -1):
        people, times, which = made_day(chance, age, today)
        day = today.date() - timedelta(days=age)
        began = time.perf_counter()
        sets = {views[p]: BitMap(people[which == p]) for p in range(PAGES)}
        first = np.unique(people)
        sets |= {visits[o]: BitMap(first[first % ORIGINS == o]) for o in range(ORIGINS)}
        sets[order] = BitMap(first[first % 50 == age % 50])
        rows = []
        for atom, them in sets.items():
            them.run_optimize()
            rows.append(DayPresence(site=site, atom_id=atom, day=day, people=them.serialize(), generation=1))
        DayPresence.objects.bulk_create(rows)
        batch = pa.record_batch(
            [pa.array(people), pa.array(times), pa.array(by_page[which])], schema=_COLUMNS
        )
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, _TRAIL) as stream:
            stream.write_batch(
                as_trail(people, times, by_page[which], np.array(visits, dtype=np.uint32), age)
            )
        Trail.objects.create(site=site, day=day, data=sink.getvalue().to_pybytes() if age else None)
        took += time.perf_counter() - began
        dated = pa.table([*batch.columns, pa.array([day] * len(people), pa.date32())], schema=writer.schema)
        writer.write_table(dated)
        with connection.cursor() as cursor, cursor.copy("COPY bench_event FROM STDIN") as copy:
            copy.write(
                "".join(
                    f"{p}\t{t}\t{a}\t{day}\n" for p, t, a in zip(people, times, by_page[which], strict=True)
                )
            )
    writer.close()
    with connection.cursor() as cursor:
        cursor.execute("CREATE INDEX ON bench_event (atom, day, person)")
        cursor.execute("VACUUM ANALYZE")
        cursor.execute(
            "SELECT sum(pg_column_size(people))::float / %s FROM presence_daypresence WHERE site_id = %s",
            [EVENTS, site.pk],
        )
        bytes_an_event = float(cursor.fetchone()[0])
    return {"seconds": took, "bytes": bytes_an_event}


def page(number: int) -> dict[str, Any]:
    return {"page": {"match": "equals", "value": f"/page-{number}"}}


def definition(chance: random.Random, rule: int) -> dict[str, Any]:
    """Pages with alternatives, from somewhere, without those who ordered."""
    end = chance.choice([7, 14, 21, 30, 45, 60, 90, 120, 180])
    seen = [page(chance.randrange(PAGES)) for _ in range(chance.randint(1, 3))]
    what = {"any": seen} if len(seen) > 1 else seen[0]
    nodes: list[dict[str, Any]] = [{"what": what, "from": 0, "to": end}]
    if chance.random() < 0.5:
        nodes.append({"what": {"came": {"channel": "paid"}}, "from": 0, "to": end})
    out = [{"what": {"conversion": rule}, "from": 0, "to": 180}]
    if chance.random() < 0.5:
        out.append({"what": page(chance.randrange(PAGES)), "from": 0, "to": 90})
    return {"include": {"all": nodes}, "exclude": {"any": out}}


def timed(ask: Any) -> tuple[float, Any]:
    began = time.perf_counter()
    answer = ask()
    return (time.perf_counter() - began) * 1000, answer


def row(says: str, times: list[float]) -> list[object]:
    return [says, f"{statistics.median(times):.0f}", f"{max(times):.0f}", len(times)]


def main() -> None:
    print(machine())
    site = fresh_site()
    rule = site.conversionrule_set.get(name="order").pk
    with tempfile.TemporaryDirectory() as name:
        made = fill(site, Path(name))
        print(
            f"{VISITORS:,} visitors, {EVENTS:,} events over {DAYS} days; {made['bytes']:.2f} bytes an event"
        )
        asked(site, rule, Path(name))
    exported(site)
    index_level()


def asked(site: Site, rule: int, folder: Path) -> None:
    chance = random.Random(3)
    for number in range(KEPT):
        make_audience(site, AudienceContent(f"A{number}", definition(chance, rule)), None)
    member = Member(site)

    def preview(data: dict[str, Any]) -> Any:
        return member.ask("POST", "/audiences/preview", {"definition": data})

    cold, _ = timed(lambda: preview(definition(chance, rule)))
    questions = [definition(chance, rule) for _ in range(ASKED)]
    sets = [timed(lambda q=q: preview(q)) for q in questions]  # type: ignore[misc]
    rows = [
        row(f"stairs, curve, {KEPT} overlaps: at the API", [t for t, _ in sets]),
        row("the first question of a process, which reads the index", [cold]),
    ]
    for days in (90, 180):
        steps = [{"what": page(n), "from": 0, "to": days} for n in (1, 2)]
        for says, data in (
            (f"A, and later B, over {days} days", {"include": {"sequence": steps}}),
            (
                f"A, and later B within a day, over {days} days",
                {"include": {"sequence": steps, "within": 86_400}},
            ),
            (f"at least 3 times over {days} days", {"include": {**steps[0], "times": 3}}),
        ):
            times = [timed(lambda d=data: preview(d))[0] for _ in range(5)]  # type: ignore[misc]
            rows.append(row(says, times))
    for days in (28, 90, 180):
        way = {"steps": [page(n) for n in range(5)], "period": f"{days}d", "by": "source"}
        ways = [timed(lambda w=way: member.ask("POST", "/paths/report", w))[0] for _ in range(5)]  # type: ignore[misc]
        rows.append(row(f"a path of five steps within a visit, over {days} days", ways))
    atoms = {p.page.path: p.pk for p in Atom.objects.filter(sort=Atom.Sort.EVENT).select_related("page")}
    by_sql, by_duck = [], []
    duck = duckdb.connect()
    duck.execute("SET threads = 1")
    duck.execute(f"CREATE VIEW bench_event AS SELECT * FROM '{folder / 'events.parquet'}'")
    for question, (_, answer) in zip(questions[:8], sets, strict=False):
        # People alone, of the pages alone: neither stairs nor curve nor overlaps.
        query, simple = as_sql(question, atoms)
        with connection.cursor() as cursor:
            spent, found = timed(lambda c=cursor, q=query: (c.execute(q), c.fetchone()[0])[1])  # type: ignore[misc]
        by_sql.append(spent)
        spent, other = timed(lambda q=query: duck.execute(q).fetchone()[0])  # type: ignore[misc,index]
        by_duck.append(spent)
        ours = preview(simple)["people"]
        assert found == other == ours, (found, other, ours, answer["people"])
    rows.append(row("people alone, by SQL over rows with an index on page, day and person", by_sql))
    rows.append(row("people alone, by DuckDB over Parquet, one thread", by_duck))
    table(["question", "median ms", "worst ms", "asked"], rows)


def as_sql(question: dict[str, Any], atoms: dict[str, int]) -> tuple[str, dict[str, Any]]:
    """Its page parts as SQL, and as a definition of these alone."""
    include = question["include"]["all"][0]
    outs = [n for n in question["exclude"]["any"] if "page" in n["what"]]

    def chosen(part: dict[str, Any]) -> str:
        pages = part["what"].get("any", [part["what"]])
        listed = ", ".join(str(atoms[p["page"]["value"]]) for p in pages)
        first = datetime.now(UTC).astimezone().date() - timedelta(days=part["to"] - 1)
        return f"SELECT DISTINCT person FROM bench_event WHERE atom IN ({listed}) AND day >= DATE '{first}'"

    query = chosen(include) + "".join(f" EXCEPT {chosen(out)}" for out in outs)
    simple = {"include": include} | ({"exclude": outs[0]} if outs else {})
    return f"SELECT count(*) FROM ({query}) x", simple


def exported(site: Site) -> None:
    """Everybody, as a file."""
    everybody = {"include": {"what": {"page": {"match": "begins", "value": "/"}}, "from": 0, "to": 730}}
    audience = make_audience(site, AudienceContent("Everybody", everybody), None)
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO events_visitor (site_id, number, key, first_at, last_at, visits) "
            "SELECT %s, i, md5(i::text)::uuid, now(), now(), 1 FROM generate_series(1, %s) i",
            [site.pk, VISITORS],
        )
        cursor.execute("ANALYZE events_visitor")
    member = Member(site, Role.OWNER)
    before = memory_of(os.getpid())
    began = time.perf_counter()
    answer = member.client.get(f"{member.base}/audiences/{audience.pk}/members?form=csv")
    lines, most = 0, before
    for piece in answer.streaming_content:
        lines += piece.count(b"\n")
        most = max(most, memory_of(os.getpid()))
    spent = time.perf_counter() - began
    print(f"{lines - 1:,} members as CSV in {spent:.1f} s, {most - before:.0f} MB more than before")


def index_level() -> None:
    """Ten times as much, simulated: the index alone."""
    chance = np.random.default_rng(1)
    days = [
        [BitMap(chance.integers(0, 10_000_000, 9000, dtype=np.uint32)) for _ in range(3)] for _ in range(DAYS)
    ]
    size = sum(len(b.serialize()) for some in days for b in some) * PAGES / 3 / 1e6

    def ask() -> int:
        include = BitMap.union(*[b for some in days[:90] for b in some[:2]])
        return len(include - BitMap.union(*[some[2] for some in days]))

    def curve() -> int:
        union, found = BitMap(), 0
        for some in days:
            union |= some[0]
            found += len(union - some[2])
        return found

    spent = [timed(ask)[0] + timed(curve)[0] for _ in range(5)]
    windows = timed(lambda: list(sliding_unions([some[0] for some in days], 90, 90)))[0]
    print(
        f"10,000,000 visitors, 100,000,000 events at the index: people and curve {statistics.median(spent):.0f} ms, "
        f"90 windows of 90 days {windows:.0f} ms; all pages' sets {size:.0f} MB"
    )


if __name__ == "__main__":
    main()
