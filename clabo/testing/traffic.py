"""Makes sites and hits for tests, through the collector's own check and the pipeline."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import uuid4

import msgspec
from django.db import connection

from clabo.collect.ingest.beacon import Envelope, Refused, check
from clabo.collect.ingest.directory import TagSite, tag_site
from clabo.collect.ingest.inbox import store
from clabo.collect.pipeline import runner
from clabo.platform.accounts import services
from clabo.platform.accounts.models import Membership, Role, User, Workspace
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Consent, Site, SiteHost

BROWSER = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Safari/537.36"
START = datetime(2026, 10, 5, 9, 0, tzinfo=UTC)
HOST = "shop.example"
_HOSTS = frozenset({HOST})
# From so many hits on, the database looks at its tables after them.
MANY = 300


def make_site(**fields: Any) -> Site:
    """A site of its own workspace with the host shop.example."""
    workspace = Workspace.objects.create(name="Tests")
    site = Site.objects.create(
        workspace=workspace, **{"name": "Shop", "time_zone": "Europe/Vienna", **fields}
    )
    SiteHost.objects.create(site=site, host=HOST)
    return site


def make_user(site: Site, role: Role, email: str) -> User:
    """A member of the site's workspace; the password is the e-mail address backwards."""
    user = services.make_user(email, email[::-1], email.partition("@")[0])
    Membership.objects.create(workspace=site.workspace, user=user, role=role)
    return user


def make_rule(site: Site, address: str, **fields: Any) -> ConversionRule:
    """A rule "page equals `address`", not yet applied to the past."""
    page = {"page": {"match": fields.pop("match", "equals"), "value": address}}
    return ConversionRule.objects.create(
        site=site,
        **{
            "rule": page,
            "name": "order",
            "category": "purchase",
            "counting": "every",
            "value": None,
            **fields,
        },
    )


def event(path: str = "/", **fields: Any) -> dict[str, Any]:
    """A page view on the test host as the tag would state it."""
    url = path if "://" in path else f"https://{HOST}{path}"
    return {"id": uuid4().hex, "kind": "view", "age": 0, "url": url, **fields}


def beacon(visitor: int, *events: dict[str, Any], device: str = "desktop", **said: Any) -> bytes:
    """A request's body, with what else is `said` of the visitor. Visitors are numbered for readability."""
    return msgspec.json.encode(
        {"visitor": f"{visitor:032x}", "device": device, "events": list(events), **said}
    )


def hit(site: Site, at: datetime, body: bytes, agent: str = BROWSER) -> Envelope:
    """What the collector would put into the inbox at that time; raises Refused as it does."""
    try:
        # As nearly all hits are. What the site's tag is told takes a dozen queries, a third of many tests' time.
        check(body, TagSite(site.pk, site.key, _HOSTS, b"", "", site.consent == Consent.NAMELESS))
    except Refused:
        check(body, tag_site(site))
    return Envelope(site.pk, int(at.timestamp() * 1000), agent, body)


def receive(envelopes: Iterable[Envelope], process: bool = True) -> None:
    """Store the envelopes as one inbox row, and run the pipeline."""
    group = list(envelopes)
    store(group)
    if process:
        runner.drain()
    if len(group) >= MANY:
        # A test's transaction is not seen by the database's own look at its tables: it plans as if they were empty, and
        # then reads them row by row for minutes.
        with connection.cursor() as cursor:
            cursor.execute("ANALYZE")


def walk(
    site: Site, visitor: int, at: datetime, *paths: str, step: int = 60, **fields: Any
) -> list[Envelope]:
    """A visitor who views `paths` one after the other, `step` seconds apart."""
    return [
        hit(site, at + timedelta(seconds=i * step), beacon(visitor, event(path, **fields)))
        for i, path in enumerate(paths)
    ]
