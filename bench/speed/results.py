"""A split test's result at the API: a million visitors, its conversion, two guards and four further measures."""

from __future__ import annotations

import math
import os
import time
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import duckdb
import pyarrow as pa
from django.core.management import call_command
from django.db import connection
from django.test import Client

from bench.common import fresh_site, table
from clabo.collect.events import daysums
from clabo.collect.events.models import Origin, Page, fingerprint
from clabo.judge.splits.models import SplitTest, Variant
from clabo.platform.accounts.models import Role
from clabo.testing.traffic import make_rule, make_user

VISITORS, DAYS = int(os.environ.get("VISITORS", "1000000")), 28
# The part of the visitors that each conversion comes of.
RATES = [0.05, 0.04, 0.03, 0.06, 0.02, 0.05]

# Rows as the pipeline would leave them: what is measured is the reading.
FILL = """
SELECT setseed(0.17);
INSERT INTO events_visitor (site_id, number, key, first_at, last_at, visits)
SELECT %(site)s, i, md5(i::text)::uuid, now(), now(), 1 FROM generate_series(1, %(visitors)s) i;
INSERT INTO events_visit (site_id, visitor_id, number, started_at, ended_at, day, entry_page_id, exit_page_id,
    views, interacted, conversions, origin_id, channel, campaign_fingerprint, referrer, device, traffic_class)
SELECT %(site)s, v.id, 1 + (random() < 0.3)::int, v.at, v.at, v.at::date, %(page)s, %(page)s,
    1 + floor(-ln(random()) / 0.9)::int, false, 0, %(origin)s, 'paid', '', '',
    (ARRAY[1, 2, 2, 3])[1 + floor(random() * 4)::int], 0
FROM (SELECT id, now() - random() * %(days)s * interval '1 day' AS at FROM events_visitor) v;
INSERT INTO splits_exposure (test_id, site_id, visitor_id, letter, first_at, day, visit_id)
SELECT %(test)s, %(site)s, visitor_id, CASE WHEN random() < 0.5 THEN 'A' ELSE 'B' END, started_at, day, id FROM events_visit;
"""
CONVERT = """
INSERT INTO conversions_conversion (site_id, rule_id, event_id, time, day, visitor_id, visit_id, value, currency, "order")
SELECT site_id, %(rule)s, md5(id::text || %(rule)s)::uuid, at, at::date, visitor_id, id, 20 + floor(random() * 80), '', ''
FROM (SELECT *, least(started_at + random() * interval '20 hours', now()) AS at FROM events_visit WHERE random() < %(rate)s) v;
"""


def running_test() -> SplitTest:
    """With its visitors, conversions and measures."""
    site = fresh_site()
    now = datetime.now(UTC)
    begun = now - timedelta(days=DAYS)
    page = Page.objects.create(site=site, host="shop.example", path="/kit", first_at=begun, last_at=now)
    origin = Origin.objects.create(
        site=site, channel="paid", source="s", campaign="c", fingerprint=fingerprint("")
    )
    rules = [make_rule(site, f"/done-{n}", name=f"rule_{n}", value=Decimal(1)) for n in range(len(RATES))]
    test = SplitTest.objects.create(
        site=site,
        name="A million",
        rule=rules[0],
        baseline=0.05,
        smallest_lift=0.01,
        planned_visitors=VISITORS,
        state=SplitTest.State.RUNNING,
        started_at=begun - timedelta(minutes=1),
        measures=[
            {"what": "bounce", "guard": True, "margin": 0.02},
            {"what": "rate", "conversion": rules[1].pk, "guard": True, "margin": 0.02},
            {"what": "value", "conversion": rules[0].pk},
            *({"what": "rate", "conversion": r.pk} for r in rules[2:5]),
        ],
    )
    for letter, path in (("A", "/kit"), ("B", "/kit-b")):
        Variant.objects.create(test=test, letter=letter, host="shop.example", path=path, share=50)
    values = {
        "site": site.pk,
        "test": test.pk,
        "visitors": VISITORS,
        "days": DAYS,
        "page": page.pk,
        "origin": origin.pk,
    }
    with connection.cursor() as cursor:
        for statement in FILL.split(";\n"):
            if statement.strip():
                cursor.execute(statement, values)
        for rule, rate in zip(rules, RATES, strict=True):
            cursor.execute(CONVERT, {"rule": rule.pk, "rate": rate})
        cursor.execute("VACUUM ANALYZE")
    return test


def main() -> None:
    call_command("createcachetable")
    test = running_test()
    client = Client()
    user = make_user(test.site, Role.VIEWER, "bench@shop.example")
    client.force_login(user, backend="allauth.account.auth_backends.AuthenticationBackend")
    path = f"/api/sites/{test.site_id}/tests/{test.pk}"

    def asked() -> tuple[float, dict]:
        began = time.perf_counter()
        answer = client.get(path)
        assert answer.status_code == 200, answer.content
        return (time.perf_counter() - began) * 1000, answer.json()

    def timed(before=lambda: None) -> tuple[float, float]:
        """Median and worst of seven, in ms."""
        times = []
        for _ in range(7):
            before()
            times.append(asked()[0])
        return sorted(times)[3], max(times)

    def somebody_comes() -> None:
        with connection.cursor() as cursor:
            cursor.execute(
                "UPDATE events_visit SET views = views + 1 WHERE id = (SELECT max(id) FROM events_visit WHERE day = current_date)"
            )
            cursor.execute("UPDATE splits_exposure SET first_at = first_at WHERE day = current_date")
            cursor.execute("UPDATE conversions_conversion SET beyond = false WHERE day = current_date")

    daysums.forget()
    first, told = asked()
    rows: list[list[object]] = [["the first of a process", f"{first:,.0f}", ""]]
    median, worst = timed()
    rows.append(["again", f"{median:.0f}", f"{worst:.0f}"])
    median, worst = timed(somebody_comes)
    rows.append(["again, once all of today has changed", f"{median:.0f}", f"{worst:.0f}"])
    rows += beside(test, told)
    table(
        [f"Result of a test, {told['visitors']:,} visitors, 6 measures", "median ms", "worst of 7 ms"], rows
    )


# What one would ask instead, for the deciding conversion alone and without what is said of it day by day.
PLAIN = """
SELECT e.letter, count(*) AS visitors, count(c.visitor_id) AS converted, sum(c.value) AS value FROM {exposures} e
LEFT JOIN (SELECT e.visitor_id, sum(c.value) AS value FROM {conversions} c JOIN {exposures} e USING (visitor_id)
    WHERE c.time >= e.first_at GROUP BY 1) c USING (visitor_id) GROUP BY 1 ORDER BY 1
"""


def beside(test: SplitTest, told: dict) -> list[list[object]]:
    """Visitors, converted and value of each variant by SQL, and by DuckDB over Parquet."""
    tables = {
        "exposures": f"(SELECT visitor_id, letter, first_at FROM splits_exposure WHERE test_id = {test.pk})",
        "conversions": f"(SELECT visitor_id, time, value FROM conversions_conversion WHERE rule_id = {test.rule_id})",
    }
    wanted = [(a["letter"], a["visitors"], a["converted"], float(a["value_sum"])) for a in told["arms"]]
    found: list[list[object]] = []

    def measured(name: str, ask) -> None:
        times = []
        for _ in range(7):
            began = time.perf_counter()
            rows = ask()
            times.append((time.perf_counter() - began) * 1000)
        for ours, theirs in zip(wanted, rows, strict=True):
            assert ours[:3] == tuple(theirs[:3]) and math.isclose(ours[3], float(theirs[3])), (ours, theirs)
        found.append([name, f"{sorted(times)[3]:.0f}", f"{max(times):.0f}"])

    with connection.cursor() as cursor:

        def by_sql():
            cursor.execute(PLAIN.format(**tables))
            return cursor.fetchall()

        measured("the deciding conversion alone: SQL", by_sql)
        duck = duckdb.connect()
        duck.execute("SET threads = 1")
        for name, query in tables.items():
            cursor.execute(f"SELECT * FROM {query} q")
            columns = [d[0] for d in cursor.description]
            arrays = zip(*cursor.fetchall(), strict=True)
            duck.register("rows", pa.table(dict(zip(columns, map(list, arrays), strict=True))))
            duck.execute(f"CREATE TABLE {name} AS SELECT * FROM rows")
    plain = PLAIN.format(exposures="exposures", conversions="conversions")
    measured("the deciding conversion alone: DuckDB", lambda: duck.execute(plain).fetchall())
    return found


if __name__ == "__main__":
    main()
