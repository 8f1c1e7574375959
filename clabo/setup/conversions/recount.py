"""Applying a changed rule to what was recorded before."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Protocol

from django.db import connection, transaction
from django.db.models import F

from clabo.setup.conversions.limiting import limit_days
from clabo.setup.conversions.matching.selecting import Inventory
from clabo.setup.conversions.models import Conversion, ConversionRule, Recount
from clabo.setup.conversions.reconcile import Reconciled, events_of, reconcile
from clabo.setup.sites.locks import try_lock_site

CHUNK = 4000


def recount_all() -> None:
    """Recount every rule whose current version has not been applied to the past.

    Old and new change places in one transaction: reports show the one or the other, never a part. How many came and
    went is noted with the version.
    """
    waiting = ConversionRule.objects.exclude(counted_version=F("version")).order_by("pk")
    for site_id, rule_id in list(waiting.values_list("site_id", "pk")):
        recount_rule(site_id, rule_id)


class _Say(Protocol):
    def __call__(self, done: int, total: int) -> None: ...


def recount_rule(site_id: int, rule_id: int) -> bool:
    """Apply a rule's current version, where that is still to be done; False where somebody else works on the site."""
    with transaction.atomic():
        if not try_lock_site(site_id):
            return False
        # Another worker may have done it by now. Changed while it is counted, it is simply counted once more.
        rule = ConversionRule.objects.exclude(counted_version=F("version")).filter(pk=rule_id).first()
        if rule is None:
            return True
        with _progress(rule_id) as say:
            _apply(rule, say)
    return True


def _apply(rule: ConversionRule, say: _Say) -> None:
    known = Inventory(rule.site_id)
    concerned = set(
        Conversion.objects.filter(site_id=rule.site_id, rule=rule).values_list("visitor_id", flat=True)
    )
    if not rule.deleted_at:
        concerned |= set(events_of(rule, known).values_list("visitor_id", flat=True).distinct())
    changed = Reconciled()
    visitors = sorted(concerned)
    for start in range(0, len(visitors), CHUNK):
        say(start, len(visitors))
        some = visitors[start : start + CHUNK]
        changed += reconcile(rule.site_id, [rule], some, known=known, limited=False)[rule.pk]
    limit_days(rule)
    rule.versions.filter(version=rule.version).update(
        added=changed.added, removed=changed.removed, changed_since=changed.since
    )
    rule.counted_version = rule.version
    rule.save(update_fields=["counted_version"])


@contextmanager
def _progress(rule_id: int) -> Iterator[_Say]:
    """Lets others see how far it is, by a connection of its own: the recount itself is one transaction."""
    own = connection.get_new_connection(connection.get_connection_params())
    own.autocommit = True
    table = connection.ops.quote_name(Recount._meta.db_table)

    def say(done: int, total: int) -> None:
        own.execute(
            f"INSERT INTO {table} (rule_id, done, total) VALUES (%s, %s, %s) "
            "ON CONFLICT (rule_id) DO UPDATE SET done = EXCLUDED.done, total = EXCLUDED.total",
            [rule_id, done, total],
        )

    try:
        yield say
    finally:
        own.execute(f"DELETE FROM {table} WHERE rule_id = %s", [rule_id])
        own.close()
