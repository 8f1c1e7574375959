"""What the collector keeps: accepted requests, who was there to take them, and what was refused."""

from __future__ import annotations

from django.db import models

from clabo.setup.sites.models import Site


class InboxBatch(models.Model):
    """One site's part of a group commit of the collector: accepted requests of a few milliseconds, undecoded.

    The pipeline deletes a row in the transaction that stores its events, so the rows that exist
    are the cursor.
    """

    # No foreign key: what is in the inbox must not keep a site from being removed.
    site_id = models.BigIntegerField()
    payload = models.BinaryField()
    requests = models.PositiveIntegerField()
    received_at = models.DateTimeField()

    class Meta:
        indexes = (models.Index(fields=("site_id", "id"), name="inbox_by_site"),)


class Attendance(models.Model):
    """A time during which one server process took hits in. See attendance.py."""

    from_at = models.DateTimeField()
    until_at = models.DateTimeField(db_index=True)


class DailySalt(models.Model):
    """A random secret of one day (UTC), deleted when the day is over. See salts.py."""

    day = models.DateField(unique=True)
    salt = models.BinaryField()


# Not refused, but dropped: an event that had been stored before.
REPEATED = "repeated"


class Refusal(models.Model):
    """How many requests were refused on a day, and why; `sample` is the last one's detail."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, null=True)
    day = models.DateField()
    reason = models.CharField(max_length=40)
    count = models.PositiveBigIntegerField()
    sample = models.CharField(max_length=300)
    last_at = models.DateTimeField()

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "day", "reason"), name="refusal_once_a_day", nulls_distinct=False
            ),
        )


class RefusedHost(models.Model):
    """A host whose pages have the site's tag and which is none of the site's: its hits are refused."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    host = models.CharField(max_length=253)
    count = models.PositiveBigIntegerField(default=0)
    last_at = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "host"), name="refused_host_once"),)
