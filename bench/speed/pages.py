"""The Pages report over a million visits, at the API."""

from __future__ import annotations

import os
import tempfile
import time
import tracemalloc
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
from django.core.management import call_command
from django.db import connection, transaction
from django.test import Client

from bench.common import fresh_site, table
from clabo.collect.events.models import Origin, Page, TrafficDay, fingerprint
from clabo.core.money.attribution import MODELS
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FORMATS
from clabo.platform.outputs.tables import Column, Table
from clabo.platform.outputs.writing import write
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.testing.traffic import make_user
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

VISITS, DAYS, PAGES, ORIGINS = int(os.environ.get("VISITS", "1000000")), 90, 60, 40

# Rows as the pipeline would leave them: what is measured is the reading.
FILL = """
SELECT setseed(0.11);
INSERT INTO events_visitor (site_id, number, key, first_at, last_at, visits)
SELECT %(site)s, i, md5(i::text)::uuid, now(), now(), 1 FROM generate_series(1, %(visits)s) i;
INSERT INTO events_visit (site_id, visitor_id, number, started_at, ended_at, day, entry_page_id, exit_page_id,
    views, interacted, conversions, origin_id, channel, campaign_fingerprint, referrer, device, traffic_class)
SELECT %(site)s, v.id, 1, v.at, v.at, v.at::date, v.page, v.page, 1 + floor(-ln(random()) / 0.9)::int, false, 0,
    o.id, o.channel, '', '', v.device, 0
FROM (SELECT id, now() - random() * %(days)s * interval '1 day' AS at,
        (%(pages)s::bigint[])[1 + floor(random() ^ 2 * %(page_count)s)::int] AS page,
        (%(origins)s::bigint[])[1 + floor(random() * %(origin_count)s)::int] AS origin,
        (ARRAY[1, 2, 2, 3])[1 + floor(random() * 4)::int] AS device
    FROM events_visitor) v JOIN events_origin o ON o.id = v.origin;
INSERT INTO events_trafficday (site_id, day, page_id, origin_id, device, entries, views, begun_views, bounces, exits)
SELECT site_id, day, entry_page_id, origin_id, device, count(*), sum(views), sum(views),
    count(*) FILTER (WHERE views = 1), count(*)
FROM events_visit GROUP BY 1, 2, 3, 4, 5;
INSERT INTO conversions_conversion (site_id, rule_id, event_id, time, day, visitor_id, visit_id, value, currency, "order")
SELECT site_id, %(rule)s, md5(id::text)::uuid, started_at, day, visitor_id, id, 59, '', '' FROM events_visit WHERE random() < 0.03;
INSERT INTO conversions_credit (site_id, rule_id, conversion_id, model, visit_id, share, value, day, page_id, origin_id, device)
SELECT c.site_id, c.rule_id, c.id, m, c.visit_id, 1, 59, v.day, v.entry_page_id, v.origin_id, v.device
FROM conversions_conversion c JOIN events_visit v ON v.id = c.visit_id CROSS JOIN unnest(%(models)s::text[]) m;
"""


def fill(site: Site) -> None:
    """A million visits of 90 days on 60 pages from 40 origins; each paid origin with spend every day."""
    now = datetime.now(UTC)
    begun = now - timedelta(days=DAYS)
    pages = Page.objects.bulk_create(
        Page(site=site, host="shop.example", path=f"/page-{i}", first_at=begun, last_at=now)
        for i in range(PAGES)
    )
    origins = Origin.objects.bulk_create(
        Origin(
            site=site,
            channel="paid" if i % 2 else "search",
            source=f"source-{i % 8}",
            campaign=f"campaign-{i}",
            fingerprint=fingerprint(str(i)),
        )
        for i in range(ORIGINS)
    )
    values = {
        "site": site.pk,
        "visits": VISITS,
        "days": DAYS,
        "pages": [p.pk for p in pages],
        "page_count": PAGES,
        "origins": [o.pk for o in origins],
        "origin_count": ORIGINS,
        "rule": ConversionRule.objects.get(site=site, name="order").pk,
        "models": list(MODELS),
    }
    with connection.cursor() as cursor:
        for statement in FILL.split(";\n"):
            if statement.strip():
                cursor.execute(statement, values)
    batch = SpendImport.objects.create(site=site, file_name="f", digest="0", stored_as="0", state="done")
    days = [now.date() - timedelta(days=back) for back in range(DAYS)]
    SpendRow.objects.bulk_create(
        SpendRow(
            site=site,
            batch=batch,
            day=day,
            source=f"source-{i % 8}",
            campaign=f"campaign-{i}",
            impressions=0,
            clicks=10,
            cost=Decimal(12),
            fingerprint="0",
        )
        for day in days
        for i in range(1, ORIGINS, 2)
    )
    for day in days:
        with transaction.atomic():
            rejoin(site.pk, {day})
    with connection.cursor() as cursor:
        # So that nothing is tidied up while it is measured.
        cursor.execute("VACUUM ANALYZE")


def main() -> None:
    site = fresh_site()
    call_command("createcachetable")
    fill(site)
    client = Client()
    user = make_user(site, Role.VIEWER, f"bench-{site.pk}@shop.example")
    client.force_login(user, backend="allauth.account.auth_backends.AuthenticationBackend")

    def timed(path: str) -> tuple[float, float, Any]:
        """Median and worst of seven, in ms, and the answer."""
        times = []
        for _ in range(7):
            began = time.perf_counter()
            answer = client.get(f"/api/sites/{site.pk}/{path}")
            times.append((time.perf_counter() - began) * 1000)
            assert answer.status_code == 200, answer.content
        return sorted(times)[3], max(times), answer.json()

    rows: list[list[object]] = []
    for name, query in (
        ("28 days", "period=28d"),
        ("28 days against the 28 before", "period=28d&compare=before"),
        ("90 days", "period=90d"),
        ("90 days against the 90 before", "period=90d&compare=before"),
        ("90 days, phones from paid ads, linear", "period=90d&origin=channel:paid&device=phone&model=linear"),
    ):
        median, worst, told = timed(f"pages?{query}")
        rows.append([name, f"{sum(r['entries'] for r in told['rows']):,}", f"{median:.0f}", f"{worst:.0f}"])
    for says, path in (
        ("sources, step by step: 28 days", "sources?period=28d"),
        ("sources, step by step: 90 days against the 90 before", "sources?period=90d&compare=before"),
        ("sources by landing page of one channel: 28 days", "sources?period=28d&by=page&at=channel:paid"),
        ("new and returning, out of the visits: 28 days", "sources?period=28d&by=returning"),
        ("hour and weekday, out of the visits: 28 days", "sources/hours?period=28d"),
        ("over time, day by day: 90 days", "pages/series?period=90d"),
        ("worst first: 28 days", "pages/worst?period=28d"),
        ("worst first: 90 days", "pages/worst?period=90d"),
        ("two counts: 28 days", "two-counts?period=28d"),
        ("Today", "today"),
    ):
        median, worst, _ = timed(path)
        rows.append([says, "", f"{median:.0f}", f"{worst:.0f}"])
    rows += beside(site, client)
    kept = TrafficDay.objects.count()
    table([f"Pages, {VISITS:,} visits, {kept:,} roll-up rows", "entries", "median ms", "worst of 7 ms"], rows)
    files()


# What one would ask instead: the visits and credits of the period themselves, by landing page.
BESIDE = """
SELECT page, entries, bounces, conversions
FROM (SELECT page, count(*) AS entries, sum(CASE WHEN views = 1 THEN 1 ELSE 0 END) AS bounces
    FROM {visits} v WHERE day >= DATE '{first}' GROUP BY page) a
LEFT JOIN (SELECT page, sum(share) AS conversions FROM {credits} c WHERE day >= DATE '{first}' GROUP BY page) b
USING (page)
"""
TABLES = {
    "visits": "SELECT entry_page_id AS page, day, views FROM events_visit WHERE traffic_class = 0",
    "credits": "SELECT page_id AS page, day, share::float AS share FROM conversions_credit WHERE model = 'last_paid'",
}


def beside(site: Site, client: Client) -> list[list[object]]:
    """The entries, bounces and conversions of every page alone, by SQL over visits and by DuckDB over Parquet."""
    today = datetime.now(UTC).astimezone(site.zone).date()
    found: list[list[object]] = []
    told = client.get(f"/api/sites/{site.pk}/pages?period=28d").json()["rows"]
    ours = {r["page_id"]: r["entries"] for r in told if r["entries"]}
    with tempfile.TemporaryDirectory() as name:
        duck = duckdb.connect()
        duck.execute("SET threads = 1")
        for table_name, query in TABLES.items():
            file = Path(name) / f"{table_name}.csv"
            copy = f"COPY ({query}) TO STDOUT WITH (FORMAT csv, HEADER)"
            with connection.cursor() as cursor, file.open("wb") as out, cursor.copy(copy) as rows:
                for part in rows:
                    out.write(part)
            duck.execute(
                f"COPY (SELECT * FROM '{file}') TO '{file.with_suffix('.parquet')}' (FORMAT parquet)"
            )
        for days in (28, 90):
            first = (today - timedelta(days=days - 1)).isoformat()
            sql = BESIDE.format(first=first, **{n: f"({q})" for n, q in TABLES.items()})
            files = {n: f"'{Path(name) / n}.parquet'" for n in TABLES}
            ask = BESIDE.format(first=first, **files)

            def by_sql(sql: str = sql) -> list[Any]:
                with connection.cursor() as cursor:
                    cursor.execute(sql)
                    return list(cursor.fetchall())

            for who, run in (
                ("SQL over visits", by_sql),
                ("DuckDB over Parquet, one thread", lambda ask=ask: duck.execute(ask).fetchall()),
            ):
                spent, answer = [], []
                for _ in range(3):
                    began = time.perf_counter()
                    answer = run()
                    spent.append((time.perf_counter() - began) * 1000)
                if days == 28:
                    assert {page: n for page, n, *_ in answer} == ours, who
                label = f"*entries, bounces and conversions alone*, {days} days, by {who}"
                found.append([label, "", f"{sorted(spent)[1]:.0f}", f"{max(spent):.0f}"])
    return found


def files() -> None:
    """A table of 100,000 rows as each kind of file, beside pandas-free ways of writing the same."""
    columns = [
        Column("name", "text"),
        Column("entries", "count"),
        Column("spend", "amount"),
        Column("rate", "number"),
    ]
    wide = [Column(f"{c.key}{n}", c.kind) for n in range(5) for c in columns]

    def made() -> Iterator[list[Any]]:
        for i in range(100_000):
            yield [f"page {i}", i, Decimal(i) / 7, i / 100_000] * 5

    rows: list[list[object]] = []
    for form in FORMATS:
        tracemalloc.start()
        began = time.perf_counter()
        size = sum(map(len, write(Table("Bench", wide, made()), form)))  # type: ignore[arg-type]
        spent = time.perf_counter() - began
        most = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
        rows.append([form, f"{size / 1e6:.1f}", f"{spent:.1f}", f"{most / 1e6:.1f}"])
    table(["100,000 rows of 20 columns", "MB", "seconds, with memory traced", "most memory, MB"], rows)


if __name__ == "__main__":
    main()
