"""How long views of pages waited for their largest part, as the tag measures it in some of them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from datetime import timedelta

from django.db.models import Count, IntegerField
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast

from clabo.collect.events.models import Event, Kind
from clabo.core.pages.worst import Wait, wait_of
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens


def waits(lens: Lens, pages: Collection[int]) -> dict[int, Wait]:
    """By page, what its views on the lens's days waited, of visits with the lens's origin, device and people.

    Pages of which nothing was measured are missing.
    """
    site = lens.site
    measured = (
        Event.objects.in_counted_visits()
        .filter(
            in_array("page_id", pages),
            lens.of_visits("visit__"),
            lens.of_people(),
            site=site,
            kind=Kind.LOADED,
            properties__has_key="largest",
            time__gte=site.midnight(lens.first),
            time__lt=site.midnight(lens.last + timedelta(days=1)),
        )
        # Whole numbers by events.parsing.
        .annotate(largest=Cast(KeyTextTransform("largest", "properties"), IntegerField()))
        .values_list("page_id", "largest")
        .annotate(n=Count("id"))
        .order_by()
    )
    found: defaultdict[int, tuple[list[int], list[int]]] = defaultdict(lambda: ([], []))
    for page, largest, n in measured:
        milliseconds, times = found[page]
        milliseconds.append(largest)
        times.append(n)
    return {page: wait_of(*both) for page, both in found.items()}
