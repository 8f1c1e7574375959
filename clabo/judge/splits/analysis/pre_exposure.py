"""What was known of a test's visitors before they were exposed: it tells them apart, and the lot has no part in it."""

from __future__ import annotations

from typing import Any

from django.db.models import BooleanField, Case, Exists, F, OuterRef, QuerySet, Value, When

from clabo.judge.splits.models import Exposure
from clabo.setup.conversions.models import Conversion, ConversionRule


def of_their_visits(exposures: QuerySet[Exposure]) -> QuerySet[Any]:
    """The exposures with `device`, and `returning`: whether they had been there before."""
    been = Case(
        When(visit__number__gt=1, then=Value(True)), default=Value(False), output_field=BooleanField()
    )
    return exposures.annotate(device=F("visit__device"), returning=been)


def converted_before(rule: ConversionRule) -> Exists:
    """Whether the visitor of an exposure had converted before it."""
    return Exists(
        Conversion.objects.reported().filter(
            site=rule.site_id, rule=rule, visitor_id=OuterRef("visitor_id"), time__lt=OuterRef("first_at")
        )
    )


def stratum_of(device: int, returning: bool, converted: bool) -> int:
    """One number for what is known of a visitor."""
    return device * 4 + returning * 2 + converted
