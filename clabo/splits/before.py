"""What was known of a test's visitors before they were exposed: it tells them apart, and the lot has no part in it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db.models import BooleanField, Case, Exists, OuterRef, QuerySet, Subquery, Value, When

from clabo.conversions.models import Conversion, ConversionRule
from clabo.events.models import Visit
from clabo.splits.models import Exposure

KNOWN = ("known_device", "known_returning", "known_converted")


def stratum_of(known: Sequence[Any]) -> int:
    """One number for what is known of a visitor, the values of KNOWN in their order."""
    device, returning, converted = known
    return int(device or 0) * 4 + bool(returning) * 2 + bool(converted)


def with_what_was_known(exposures: QuerySet[Exposure], rule: ConversionRule) -> QuerySet[Any]:
    """The exposures with KNOWN: the device, whether they had been there before, and whether they had converted before."""
    of_visit = Visit.objects.filter(id=OuterRef("visit_id"), site=rule.site_id)
    before = Conversion.objects.reported().filter(
        site=rule.site_id, rule=rule, visitor_id=OuterRef("visitor_id"), time__lt=OuterRef("first_at")
    )
    return exposures.annotate(
        known_device=Subquery(of_visit.values("device")[:1]),
        known_number=Subquery(of_visit.values("number")[:1]),
        known_returning=Case(
            When(known_number__gt=1, then=Value(True)), default=Value(False), output_field=BooleanField()
        ),
        known_converted=Exists(before),
    )
