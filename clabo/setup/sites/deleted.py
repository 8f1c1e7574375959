"""What was deleted from a site, and how it comes back: for 30 days, whatever kind it is of."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from django.db import IntegrityError, models, transaction
from django.db.models import QuerySet

from clabo.platform.problems import Problem, missing
from clabo.platform.registry import Registry
from clabo.setup.sites.models import Site

DAYS = 30


@dataclass(frozen=True, slots=True)
class Deleted:
    """A deleted thing: its kind's key, its id and name, and when it was deleted."""

    kind: str
    id: int
    name: str
    deleted_at: datetime


# By kind: the site's deleted rows, with `deleted_at`; and what restores one, which raises Problem.
rows_of: Registry[Callable[[Site], QuerySet[Any]]] = Registry("kind of what is deleted", ("site",))
restorers: Registry[Callable[[Any], None]] = Registry("way to restore a kind", ("row",))
# By kind: what is deleted for good once its days are over.
purgers: Registry[Callable[[datetime], None]] = Registry("way to purge a kind", ("before",))


def register(
    kind: str, model: Any, restore: Callable[[Any], None] | None = None, purged: bool = False
) -> None:
    """Have a model's rows with `deleted_at` listed and restored.

    `purged`: nothing rests on a row, so that it is deleted for good once its days are over; others stay.
    """

    def rows(site: Site) -> QuerySet[Any]:
        found: QuerySet[Any] = model._base_manager.filter(site=site, deleted_at__isnull=False)
        return found

    def purge_rows(before: datetime) -> None:
        model._base_manager.filter(deleted_at__lt=before).delete()

    rows_of.add(kind, rows)
    restorers.add(kind, restore or restore_row)
    if purged:
        purgers.add(kind, purge_rows)


def restore_row(row: models.Model) -> None:
    """Restore one that nothing else hangs on; raises Problem where another has its name by now."""
    try:
        with transaction.atomic():
            row.deleted_at = None  # type: ignore[attr-defined]
            row.save(update_fields=["deleted_at"])
    except IntegrityError:
        raise Problem("Another has this name by now. Rename that one first.", "name", 409) from None


def deleted_from(site: Site, now: datetime | None = None) -> list[Deleted]:
    """What was deleted in the last DAYS days, the latest first."""
    since = (now or datetime.now(UTC)) - timedelta(days=DAYS)
    found = [
        Deleted(kind, row.pk, str(row), row.deleted_at)
        for kind, rows in rows_of.all().items()
        for row in rows(site).filter(deleted_at__gte=since)
    ]
    return sorted(found, key=lambda d: d.deleted_at, reverse=True)


def restore(site: Site, kind: str, pk: int) -> None:
    """Restore one; raises Problem where there is none, or its place is taken."""
    rows = rows_of.all().get(kind)
    row = rows(site).filter(pk=pk).first() if rows else None
    if row is None:
        raise missing("deleted thing")
    restorers.all()[kind](row)


def purge(now: datetime | None = None) -> None:
    """Delete for good what was deleted more than DAYS days ago and nothing counts on."""
    before = (now or datetime.now(UTC)) - timedelta(days=DAYS)
    for of_kind in purgers.all().values():
        of_kind(before)
