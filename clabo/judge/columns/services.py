"""Columns of one's own: made, taken away, and filled in."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from decimal import Decimal

from django.db import IntegrityError, transaction

from clabo.core.evidence import Interval
from clabo.core.money.own_column import Number, Ratio
from clabo.judge.columns.models import OwnColumn
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.models import Site

MOST_COLUMNS = 30


def columns_of(site: Site) -> list[OwnColumn]:
    """The site's own columns, by name."""
    return list(OwnColumn.objects.filter(site=site).order_by("name"))


def make_column(
    site: Site,
    name: str,
    numerator: str,
    denominator: str,
    mark: str,
    mark_at: Decimal | None,
    by: User | None,
) -> OwnColumn:
    """Make one; raises Problem naming the field."""
    name = " ".join(name.split())
    if not name:
        raise Problem("Give the column a name.", "name")
    try:
        Ratio(numerator, denominator)
    except ValueError as error:
        field, _, says = str(error).partition(": ")
        raise Problem(f"This {says}.", field) from None
    if mark and mark_at is None:
        raise Problem("Say from where on it is marked.", "mark_at")
    if len(columns_of(site)) >= MOST_COLUMNS:
        raise Problem(f"There are {MOST_COLUMNS} own columns. Delete some first.", status=409)
    try:
        with transaction.atomic():
            return OwnColumn.objects.create(
                site=site,
                name=name,
                numerator=numerator,
                denominator=denominator,
                mark=mark,
                mark_at=mark_at if mark else None,
                made_by=by,
            )
    except IntegrityError:
        raise Problem(
            "Another column has this name. Choose one that tells them apart.", "name", 409
        ) from None


def remove_column(site: Site, column_id: int) -> None:
    """Delete one, until it is restored; raises Problem where there is none."""
    if not OwnColumn.objects.filter(site=site, pk=column_id).update(deleted_at=datetime.now(UTC)):
        raise missing("column")


def filled(columns: Sequence[OwnColumn], measure: Callable[[str], Number]) -> dict[int, Interval | None]:
    """Each column's value for a row of which `measure` gives the numbers by name."""
    return {
        c.pk: Ratio(c.numerator, c.denominator).of(measure(c.numerator), measure(c.denominator))
        for c in columns
    }


def marked(column: OwnColumn, value: Interval | None) -> bool:
    """Whether the evidence puts the value beyond the mark: all of its interval, or itself where it has none."""
    if not column.mark or column.mark_at is None or value is None:
        return False
    bar = float(column.mark_at)
    if column.mark == OwnColumn.Mark.UNDER:
        return (value.estimate if math.isnan(value.high) else value.high) < bar
    return (value.estimate if math.isnan(value.low) else value.low) > bar
