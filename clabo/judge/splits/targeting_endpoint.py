"""Who is in an audience that a split test is for: asked by the tag, once a visit, where the browser cannot know it."""

from __future__ import annotations

import re
from typing import Any
from uuid import UUID

from django.db import OperationalError, connection, transaction
from django.http import HttpRequest, HttpResponse, JsonResponse

from clabo.collect.events.models import Visitor
from clabo.judge.splits.models import Exposure, SplitTest
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.alone import memberships, speaks_for_person

# The tag shows the page as it is before that.
MOST_MS = 600
_VISITOR = re.compile(r"[0-9a-f]{32}")


def entered(site: Site, visitor: UUID) -> list[str]:
    """The keys of running tests whose audience the visitor is in now."""
    tests = [
        t
        for t in SplitTest.objects.filter(site=site, state=SplitTest.State.RUNNING).order_by("pk")
        if t.who.get("audience")
    ]
    if not tests:
        return []
    told = set(memberships(site, visitor, sorted({t.who["audience"] for t in tests})))
    return [t.key for t in tests if t.who["audience"] in told]


def seen_before(site: Site, visitor: UUID) -> dict[str, str]:
    """By running test the letter that the person whose browser this is saw first, on whichever of their browsers.

    Nothing for a browser that is nobody's other: it draws by its own id. Nor where it is not proven whose it is.
    """
    known = Visitor.objects.filter(site=site, key=visitor).first()
    if known is None or not (known.joined_to_id or known.joined.exists()) or not speaks_for_person(known):
        return {}
    exposures = Exposure.objects.filter(
        visitor_id=known.joined_to_id or known.pk, test__site=site, test__state=SplitTest.State.RUNNING
    )
    return dict(exposures.order_by().values_list("test__key", "letter"))


def same(request: HttpRequest, key: str, visitor: str) -> HttpResponse:
    """Asked by the tag once a page has said who somebody is; tells letters, and of nobody whose id the browser has not."""
    site = Site.objects.filter(key=key).first()
    found = seen_before(site, UUID(visitor)) if site is not None and _VISITOR.fullmatch(visitor) else {}
    return _told({"variants": found})


def entering(request: HttpRequest, key: str, visitor: str) -> HttpResponse:
    """Read from the site's own pages, so that any origin may; an id is of 128 random bits, and tells of nobody else."""
    site = Site.objects.filter(key=key).first()
    found: list[str] = []
    if site is not None and _VISITOR.fullmatch(visitor):
        try:
            with transaction.atomic(), connection.cursor() as cursor:
                cursor.execute(f"SET LOCAL statement_timeout = {MOST_MS}")
                found = entered(site, UUID(visitor))
        except OperationalError:
            # It takes too long: nobody is in it, and the page is shown as it is.
            found = []
    return _told({"in": found})


def _told(content: dict[str, Any]) -> JsonResponse:
    answer = JsonResponse(content)
    answer["access-control-allow-origin"] = "*"
    answer["cache-control"] = "no-store"
    answer["x-robots-tag"] = "noindex"
    return answer
