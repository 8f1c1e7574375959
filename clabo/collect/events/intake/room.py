"""What takes no room in a site's inventories any more: seen once long ago, or by nobody who counts.

The rows stay, for history needs them; others may be made in their place (allowance.py).
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from django.db import connection, transaction

from clabo.collect.events.intake.inventory import CROWD_SOURCE
from clabo.collect.events.models import Kind, TrafficClass
from clabo.setup.sites.models import Site

EXPIRES = timedelta(days=30)


def make_room(site: Site, now: datetime | None = None) -> None:
    """Say which pages, origins, elements and names take no room: as of now, in a transaction of its own."""
    now = now or datetime.now(UTC)
    day = (now - EXPIRES).astimezone(site.zone).date()
    said: dict[str, Any] = {
        "site": site.pk,
        "day": day,
        "since": now - EXPIRES,
        "counted": TrafficClass.COUNTED,
        "mark": Kind.MARK,
        "crowd": CROWD_SOURCE,
    }
    with transaction.atomic(), connection.cursor() as cursor:
        for statement in (_PAGES, _ORIGINS, _ELEMENTS, _NAMES):
            cursor.execute(statement, said)


# Views and entries of counted visits, as the daily counts hold them.
_PAGES = """
    UPDATE events_page p SET spare = found.spare
    FROM (
        SELECT q.id, q.crowd OR coalesce(sum(t.views), 0) <= 0 OR (sum(t.views) <= 1 AND max(t.day) < %(day)s) AS spare
        FROM events_page q LEFT JOIN events_trafficday t ON t.site_id = q.site_id AND t.page_id = q.id AND t.views > 0
        WHERE q.site_id = %(site)s GROUP BY q.id
    ) found
    WHERE found.id = p.id AND p.spare <> found.spare
"""
_ORIGINS = """
    UPDATE events_origin o SET spare = found.spare
    FROM (
        SELECT q.id, q.source = %(crowd)s OR coalesce(sum(t.entries), 0) <= 0 OR (sum(t.entries) <= 1 AND max(t.day) < %(day)s) AS spare
        FROM events_origin q LEFT JOIN events_trafficday t ON t.site_id = q.site_id AND t.origin_id = q.id AND t.entries > 0
        WHERE q.site_id = %(site)s GROUP BY q.id
    ) found
    WHERE found.id = o.id AND o.spare <> found.spare
"""
_COUNTED = """
    SELECT e.{key} AS key, count(*) AS times, max(e.time) AS last FROM events_event e
    LEFT JOIN events_visit v ON v.id = e.visit_id
    WHERE e.site_id = %(site)s AND e.{key} {holds} AND (e.visit_id IS NULL OR v.traffic_class = %(counted)s)
    GROUP BY 1
"""
_ELEMENTS = f"""
    UPDATE events_element u SET spare = found.spare
    FROM (
        SELECT q.id, q.fingerprint = '' OR t.times IS NULL OR (t.times <= 1 AND t.last < %(since)s) AS spare
        FROM events_element q LEFT JOIN ({_COUNTED.format(key="element_id", holds="IS NOT NULL")}) t ON t.key = q.id
        WHERE q.site_id = %(site)s
    ) found
    WHERE found.id = u.id AND u.spare <> found.spare
"""
_NAMES = f"""
    UPDATE events_eventname u SET spare = found.spare
    FROM (
        SELECT q.id, t.times IS NULL OR (t.times <= 1 AND t.last < %(since)s) AS spare
        FROM events_eventname q
        LEFT JOIN ({_COUNTED.format(key="name", holds="<> '' AND e.kind = %(mark)s")}) t ON t.key = q.name
        WHERE q.site_id = %(site)s
    ) found
    WHERE found.id = u.id AND u.spare <> found.spare
"""
