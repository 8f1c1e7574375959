"""What a rule would catch among a million events, while it is written."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta
from typing import Any

from django.db import connection

from bench.common import fresh_site, table
from clabo.collect.events.models import Element, Event, Kind, Page
from clabo.core import rules
from clabo.core.rules import Counting
from clabo.platform.db import partitions
from clabo.setup.conversions.matching.preview import back_count
from clabo.setup.sites.models import Site
from clabo.testing.traffic import receive, walk

EVENTS, VISITS, DAYS, PAGES = 1_000_000, 220_000, 28, 300
MANY_PAGES = 200_000

# Rows as the pipeline would leave them: what is measured is the reading. One visit in 20 ends on a thank-you page;
# every twelfth event is a form, a click, or an event from code. Which ones does not go by the visitors' ids, of
# which one in so many is looked at.
FILL = """
SELECT setseed(0.23);
INSERT INTO events_visitor (site_id, number, key, first_at, last_at, visits)
SELECT %(site)s, i, md5(i::text)::uuid, now(), now(), 1 FROM generate_series(1, %(visits)s) i;
INSERT INTO events_origin (site_id, channel, source, medium, campaign, ad_group, ad, fingerprint)
VALUES (%(site)s, 'direct', 'direct', '', '', '', '', 'x');
INSERT INTO events_visit (site_id, visitor_id, number, started_at, ended_at, day, views, interacted, conversions,
    origin_id, channel, campaign_fingerprint, referrer, device, traffic_class)
SELECT %(site)s, id, 1, at, at, at::date, 4, false, 0, (SELECT max(id) FROM events_origin), 'direct', '', '', 1, 0
FROM (SELECT id, now() - random() * %(days)s * interval '1 day' AS at FROM events_visitor) v;
INSERT INTO events_event (site_id, time, id, kind, visitor_id, visit_id, page_id, query, referrer, name, properties,
    element_id, views, "order")
SELECT %(site)s, v.started_at + n * interval '20 seconds', md5(v.id || '.' || n)::uuid, k.kind, v.visitor_id, v.id,
    CASE WHEN n = 4 AND hashint8(v.id) %% 20 = 0 THEN (%(thanks)s::bigint[])[1 + v.id %% 3]
        ELSE (%(pages)s::bigint[])[1 + floor(random() ^ 2 * %(page_count)s)::int] END,
    '', '', CASE k.kind WHEN 2 THEN 'order' ELSE '' END,
    CASE k.kind WHEN 2 THEN jsonb_build_object('value', round((random() * 100)::numeric, 2)) END,
    CASE k.kind WHEN 4 THEN (%(forms)s::bigint[])[1 + floor(random() * 3)::int]
        WHEN 6 THEN (%(clicks)s::bigint[])[1 + floor(random() * 20)::int] END,
    n, ''
FROM events_visit v, generate_series(1, 5) n,
    LATERAL (SELECT CASE WHEN abs(hashint8(v.id * 5 + n)::bigint) %% 100 < 92 THEN 1
        ELSE (ARRAY[2, 4, 6])[1 + abs(hashint8(v.id * 7 + n)::bigint) %% 3] END AS kind) k
LIMIT %(events)s;
INSERT INTO events_trafficday (site_id, day, page_id, origin_id, device, entries, views, begun_views, bounces, exits)
SELECT site_id, time::date, page_id, (SELECT max(id) FROM events_origin), 1, 0, count(*), 0, 0, 0
FROM events_event WHERE kind = 1 GROUP BY 1, 2, 3;
"""
RULES: list[tuple[str, dict[str, Any]]] = [
    ("a thank-you page", {"page": {"match": "equals", "value": "/order/thank-you"}}),
    ("contains, with an article", {"page": {"match": "contains", "value": "thank-you"}}),
    (
        "a form on certain pages",
        {"all": [{"form": {"id": "form-1"}}, {"on": {"match": "begins", "value": "/page-1"}}]},
    ),
    (
        "an event with a value",
        {"event": {"name": "order", "where": [{"property": "value", "comparison": "at_least", "value": 50}]}},
    ),
    (
        "any of five, and not on some",
        {
            "all": [
                {
                    "any": [
                        {"form": {}},
                        {"click": {"text": "button 3"}},
                        {"event": {"name": "order"}},
                        {"page": {"match": "equals", "value": "/order/thank-you"}},
                        {"page": {"match": "equals", "value": "/guide/thank-you"}},
                    ]
                },
                {"not": {"on": {"match": "begins", "value": "/page-2"}}},
            ]
        },
    ),
    ("every page of the site", {"page": {"match": "begins", "value": "/"}}),
]


def main() -> None:
    site = fresh_site()
    now = datetime.now(UTC)
    partitions.ensure(Event._meta.db_table, {now - timedelta(days=d) for d in range(DAYS + 2)})

    def page(path: str) -> int:
        return Page.objects.create(site=site, host="shop.example", path=path, first_at=now, last_at=now).pk

    def element(kind: Kind, **traits: Any) -> int:
        fields = {"site": site, "kind": kind, "first_at": now - timedelta(days=DAYS), "last_at": now}
        # As many as FILL makes of each.
        times = EVENTS * 8 // 300 // (3 if kind == Kind.FORM else 20)
        named = str(sorted(traits.values()))[-32:]
        return Element.objects.create(**fields, times=times, traits=traits, fingerprint=named).pk

    values = {
        "site": site.pk,
        "events": EVENTS,
        "visits": VISITS,
        "days": DAYS,
        "pages": [page(f"/page-{i}") for i in range(PAGES)] + [page("/journal/thank-you-to-all")],
        "page_count": PAGES + 1,
        "thanks": [page(p) for p in ("/order/thank-you", "/guide/thank-you", "/booked")],
        "forms": [element(Kind.FORM, id=f"form-{i}") for i in range(3)],
        "clicks": [element(Kind.CLICK, what="button", text=f"button {i}") for i in range(20)],
    }
    with connection.cursor() as cursor:
        for statement in FILL.split(";"):
            if statement.strip():
                cursor.execute(statement, values)
        cursor.execute("VACUUM ANALYZE")
    columns = ["rule", "counted", "events caught", "one visitor in", "first ms", "median ms", "worst ms"]
    rows = [measured(site, says, language, mode) for says, language in RULES for mode in ("visit", "visitor")]
    print(f"{Event.objects.count():,} events")
    table(columns, rows)
    # A page that writes where it stands into its address makes pages without end.
    for start in range(0, MANY_PAGES, 5000):
        Page.objects.bulk_create(
            Page(site=site, host="shop.example", path=f"/map/{i}", first_at=now, last_at=now)
            for i in range(start, start + 5000)
        )
    print(f"{Page.objects.count():,} pages")
    table(columns, [measured(site, says, language, "visit") for says, language in RULES])
    took = []
    for visitor in range(1, 7):
        hits = walk(site, visitor, datetime.now(UTC), "/order/thank-you")
        begun = time.perf_counter()
        receive(hits)
        took.append((time.perf_counter() - begun) * 1000)
    print(f"a batch of the pipeline with one conversion: {sorted(took)[3]:.0f} ms")


def measured(site: Site, says: str, language: dict[str, Any], mode: Counting) -> list[object]:
    """A row of the table: six answers, the first of which finds nothing warm."""
    took = []
    for _ in range(6):
        begun = time.perf_counter()
        found = back_count(site, rules.parse(language), mode, DAYS)
        took.append((time.perf_counter() - begun) * 1000)
    median = sorted(took[1:])[2]
    return [says, f"once a {mode}", f"{found.events:,}", found.one_in, took[0], median, max(took)]


main()
