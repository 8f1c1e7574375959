"""Counts by page of some people's visits: the daily counts know no visitors, so visits and views are read."""

from __future__ import annotations

from collections import defaultdict
from datetime import timedelta

from django.db.models import Count, Sum

from clabo.collect.events.models import Event, Kind
from clabo.collect.events.queries import BOUNCED
from clabo.setup.conversions.lens import Lens


def counts_of_people(lens: Lens) -> list[tuple[int, ...]]:
    """Page, entries, views, views in visits that began there, bounces and exits."""
    found: defaultdict[int, list[int]] = defaultdict(lambda: [0, 0, 0, 0, 0])
    visits = lens.visits().order_by()
    began = visits.values_list("entry_page_id").annotate(
        n=Count("id"), of_views=Sum("views"), bounced=Count("id", filter=BOUNCED)
    )
    for page, entries, begun_views, bounces in began:
        found[page][0], found[page][2], found[page][3] = entries, begun_views, bounces
    for page, exits in visits.values_list("exit_page_id").annotate(Count("id")):
        found[page][4] = exits
    views = (
        Event.objects.in_counted_visits()
        .filter(lens.of_visits("visit__"), lens.of_people(), site=lens.site, kind=Kind.VIEW)
        .filter(
            time__gte=lens.site.midnight(lens.first),
            time__lt=lens.site.midnight(lens.last + timedelta(days=1)),
        )
    )
    for page, count in views.order_by().values_list("page_id").annotate(Count("id")):
        found[page][1] = count
    return [(page, *counts) for page, counts in found.items()]
