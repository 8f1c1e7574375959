"""What was received. The site comes first in every key, so that data can be spread by site later."""

from __future__ import annotations

from hashlib import blake2b
from typing import Self, TypeVar

from django.db import models

from clabo.core.pages.traffic_source import CHANNELS
from clabo.core.trust.identities import KINDS as IDENTITIES
from clabo.platform.accounts.models import User
from clabo.setup.sites.models import Site


def fingerprint(*parts: str) -> str:
    """A short name for a combination of texts, for unique indexes over long values."""
    return blake2b("\x1f".join(parts).encode(), digest_size=16).hexdigest()


class Page(models.Model):
    """The inventory: every page of a site that was ever viewed (definitions: "Page")."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    host = models.CharField(max_length=260)
    path = models.TextField()
    title = models.CharField(max_length=300, blank=True)
    first_at = models.DateTimeField()
    last_at = models.DateTimeField()
    views = models.PositiveBigIntegerField(default=0)
    twice_at = models.DateTimeField(null=True)
    # Counted visits' views a day over the last four weeks, as of the last look at the page's rhythm.
    per_day = models.FloatField(null=True)
    # Silent since then, and longer than its rhythm allows: the tag has probably been taken off.
    stopped_at = models.DateTimeField(null=True)
    # More addresses than can be told apart are counted under this one.
    crowd = models.BooleanField(default=False, db_default=False)
    # It takes no room any more (room.py).
    spare = models.BooleanField(default=False, db_default=False)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "host", "path"), name="page_once"),)

    def __str__(self) -> str:
        return self.host + self.path


class Origin(models.Model):
    """Where visits come from: one row for each combination that occurs (definitions: "Channel")."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    channel = models.CharField(max_length=10, choices=[(c, c) for c in CHANNELS])
    source = models.CharField(max_length=260, blank=True)
    medium = models.CharField(max_length=200, blank=True)
    campaign = models.CharField(max_length=200, blank=True)
    ad_group = models.CharField(max_length=200, blank=True)
    ad = models.CharField(max_length=200, blank=True)
    # Of all the above: together they would not fit into one index entry.
    fingerprint = models.CharField(max_length=32)
    spare = models.BooleanField(default=False, db_default=False)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "fingerprint"), name="origin_once"),)


class NetworkDay(models.Model):
    """What one network made new on a day of the site: so much of it is told apart (allowance.py)."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    day = models.DateField()
    network = models.CharField(max_length=16)
    pages = models.PositiveIntegerField(default=0)
    origins = models.PositiveIntegerField(default=0)
    visitors = models.PositiveIntegerField(default=0)
    elements = models.PositiveIntegerField(default=0, db_default=0)
    names = models.PositiveIntegerField(default=0, db_default=0)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "day", "network"), name="network_day_once"),)


class Visitor(models.Model):
    """One first-party cookie id on one site."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    key = models.UUIDField()
    # From 1 on without gaps within the site: sets of visitors are sets of these (presence).
    number = models.PositiveIntegerField()
    first_at = models.DateTimeField()
    last_at = models.DateTimeField()
    visits = models.PositiveIntegerField(default=0)
    # How many events came of this browser on the last day that any came: so many are its own (busy.py).
    busy_on = models.DateField(null=True)
    busy = models.PositiveIntegerField(default=0, db_default=0)
    # And how many ever since this is counted.
    events = models.PositiveIntegerField(default=0, db_default=0)
    # The browser that stands for the person whose browser this is too; all that happened is put down to that one.
    joined_to = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, related_name="joined")

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("site", "key"), name="visitor_once"),
            models.UniqueConstraint(fields=("site", "number"), name="visitor_numbered_once"),
        )


class Identity(models.Model):
    """A hashed e-mail address or customer id (core/trust/identities.py).

    `off`: somebody has said that it joins nobody. `proven`: the site's server has signed it for some browser; from then on
    only what is signed counts of it.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    kind = models.CharField(max_length=5, choices=[(k, k) for k in IDENTITIES])
    hash = models.BinaryField(max_length=32)
    off = models.BooleanField(default=False)
    proven = models.BooleanField(default=False, db_default=False)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "kind", "hash"), name="identity_once"),)


class Statements(models.QuerySet["Statement"]):
    def counted(self) -> Self:
        """What is not contradicted: of an identity that is proven of some browser, only proven ones."""
        return self.filter(models.Q(identity__proven=False) | models.Q(proven=True))


class Statement(models.Model):
    """A page has stated an identity of a browser; `proven`: the site's server has signed it for that browser."""

    identity = models.ForeignKey(Identity, on_delete=models.CASCADE, related_name="statements")
    visitor = models.ForeignKey(Visitor, on_delete=models.CASCADE, related_name="statements")
    first_at = models.DateTimeField()
    proven = models.BooleanField(default=False, db_default=False)

    objects = Statements.as_manager()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("identity", "visitor"), name="stated_once"),)


class TrafficClass(models.IntegerChoices):
    """Whether a visit enters reports. Only COUNTED ones do; the others are kept and shown."""

    COUNTED = 0
    OWN = 1
    BOT = 2
    REHEARSAL = 3
    # Somebody has set them aside; see exclusions.py.
    ASIDE = 4


Row = TypeVar("Row", bound=models.Model, covariant=True)


class OfVisits(models.QuerySet[Row]):
    """What happened in visits."""

    def reported(self) -> Self:
        """What enters reports: nothing of own visits, bots, rehearsals, or of what was set aside.

        What a server reports of somebody whose visit is not known enters them too.
        """
        return self.filter(models.Q(visit__traffic_class=TrafficClass.COUNTED) | models.Q(visit=None))

    def in_counted_visits(self) -> Self:
        """The same without what has no visit: quicker where only what browsers did is asked for."""
        return self.filter(visit__traffic_class=TrafficClass.COUNTED)


class Device(models.IntegerChoices):
    """Device class, as the tag saw it."""

    DESKTOP = 1, "desktop"
    PHONE = 2, "phone"
    TABLET = 3, "tablet"


class Visit(models.Model):
    """A visitor's events with no longer gap (definitions: "Visit")."""

    # Unchecked foreign keys: the pipeline writes only what it has just stored or read.
    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False, db_constraint=False)
    visitor = models.ForeignKey(Visitor, on_delete=models.CASCADE, db_index=False, db_constraint=False)
    number = models.PositiveIntegerField()
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField()
    day = models.DateField()
    entry_page = models.ForeignKey(
        Page, on_delete=models.PROTECT, null=True, related_name="+", db_index=False, db_constraint=False
    )
    exit_page = models.ForeignKey(
        Page, on_delete=models.PROTECT, null=True, related_name="+", db_index=False, db_constraint=False
    )
    views = models.PositiveIntegerField(default=0)
    interacted = models.BooleanField(default=False)
    conversions = models.PositiveIntegerField(default=0)
    origin = models.ForeignKey(
        Origin, on_delete=models.PROTECT, related_name="+", db_index=False, db_constraint=False
    )
    channel = models.CharField(max_length=10)
    # Of the campaign parameters that began the visit; empty where it had none.
    campaign_fingerprint = models.CharField(max_length=32, blank=True)
    sub_ids = models.JSONField(null=True)
    referrer = models.CharField(max_length=500, blank=True)
    device = models.PositiveSmallIntegerField(choices=Device.choices)
    traffic_class = models.PositiveSmallIntegerField(
        choices=TrafficClass.choices, default=TrafficClass.COUNTED
    )
    # Which network its first hit came from, as a keyed hash: alike or not, and no more (see gate.network_of).
    network = models.CharField(max_length=16, blank=True, default="", db_default="")

    class Meta:
        indexes = (
            models.Index(fields=("site", "visitor", "started_at"), name="visit_by_visitor"),
            models.Index(fields=("site", "day", "entry_page"), name="visit_by_day"),
            models.Index(
                fields=("site", "ended_at"), name="visit_uncounted", condition=models.Q(traffic_class__gt=0)
            ),
            models.Index(
                fields=("site", "network"), name="visit_by_network", condition=~models.Q(network="")
            ),
        )


class Kind(models.IntegerChoices):
    """What happened; the names are those of `clabo.core.rules.KINDS`.

    MARK is an event from the site's own code, NOTE the tag's word on the set-up. TRIED is a form whose
    sending did not visibly succeed, BEGUN one that something was entered into, LEFT one that was left so, with
    its last field. STEP and SALE come over bridge links. LOADED says how long a page took.
    OUTCOME is what became of an earlier event, by a file or a call.
    """

    VIEW = 1
    MARK = 2
    NOTE = 3
    FORM = 4
    TRIED = 5
    CLICK = 6
    MESSAGE = 7
    SHOWN = 8
    STAY = 9
    SCROLL = 10
    STEP = 11
    SALE = 12
    BEGUN = 13
    LEFT = 14
    LOADED = 15
    OUTCOME = 16


# What a server reports later: it belongs to a visitor and makes no visit (definitions: "Touching events").
SERVER_KINDS = frozenset({Kind.SALE.value, Kind.OUTCOME.value})

KIND_NAMES: dict[int, str] = {kind.value: kind.name.lower() for kind in Kind}


class Element(models.Model):
    """What was acted on: a form, a clicked element, the shape of a frame's message, an element that appeared.

    `traits` is what the tag said of it (docs/data-formats.md); never what a visitor entered.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    kind = models.PositiveSmallIntegerField(choices=Kind.choices)
    traits = models.JSONField()
    fingerprint = models.CharField(max_length=32)
    first_at = models.DateTimeField()
    last_at = models.DateTimeField()
    times = models.PositiveBigIntegerField(default=0)
    spare = models.BooleanField(default=False, db_default=False)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "kind", "fingerprint"), name="element_once"),)


class EventName(models.Model):
    """The inventory of names of events from code."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False)
    name = models.CharField(max_length=64)
    spare = models.BooleanField(default=False, db_default=False)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "name"), name="event_name_once"),)


class Event(models.Model):
    """One event. Partitioned by month of event time; see platform/db/partitions.py."""

    objects = OfVisits["Event"].as_manager()

    pk = models.CompositePrimaryKey("site_id", "time", "id")
    # Unchecked foreign keys, as in Visit.
    site = models.ForeignKey(Site, on_delete=models.DO_NOTHING, db_constraint=False, db_index=False)
    time = models.DateTimeField()
    id = models.UUIDField()
    kind = models.PositiveSmallIntegerField(choices=Kind.choices)
    visitor = models.ForeignKey(Visitor, on_delete=models.DO_NOTHING, db_constraint=False, db_index=False)
    # The browser that it happened in, where that is not the one that stands for the person.
    via = models.ForeignKey(
        Visitor, on_delete=models.DO_NOTHING, null=True, related_name="+", db_constraint=False, db_index=False
    )
    # None: reported by a server, of somebody whose visit is not known.
    visit = models.ForeignKey(
        Visit, on_delete=models.DO_NOTHING, null=True, db_constraint=False, db_index=False
    )
    page = models.ForeignKey(Page, on_delete=models.DO_NOTHING, db_constraint=False, db_index=False)
    query = models.TextField(blank=True)
    # Only where it is not one of the site's own pages.
    referrer = models.CharField(max_length=500, blank=True)
    name = models.CharField(max_length=64, blank=True)
    properties = models.JSONField(null=True)
    element = models.ForeignKey(
        Element, on_delete=models.DO_NOTHING, null=True, db_constraint=False, db_index=False
    )
    # The visit's page views up to this event, its own included.
    views = models.PositiveIntegerField(default=1, db_default=1)
    # The order number that the site's code gave, if any.
    order = models.CharField(max_length=100, blank=True, db_default="")
    # Order, value and currency carry the site's own signature (core/trust/proof.py).
    proven = models.BooleanField(default=False, db_default=False)
    # What its own request said: device class, and whether it came from a bot, an own visit or a rehearsal.
    device = models.PositiveSmallIntegerField(
        choices=Device.choices, default=Device.DESKTOP, db_default=Device.DESKTOP
    )
    traffic_class = models.PositiveSmallIntegerField(
        choices=TrafficClass.choices, default=TrafficClass.COUNTED, db_default=TrafficClass.COUNTED
    )
    # A step whose address says where its visit came from, as a view's always does.
    campaign = models.BooleanField(default=False, db_default=False)
    # When the server took it in: of two events with one order number the first received counts.
    received = models.DateTimeField()
    # The event that a server's report refers to: the step over a bridge link, or what an outcome is of.
    reference = models.UUIDField(null=True)
    # Which variants the tag says its page showed: test key to letter.
    variants = models.JSONField(null=True)

    class Meta:
        indexes = (
            models.Index(fields=("site", "id"), name="event_by_id"),
            models.Index(fields=("site", "visitor", "time"), name="event_by_visitor"),
            models.Index(fields=("site", "page", "time"), name="event_by_page"),
            models.Index(
                fields=("site", "kind", "time"), name="event_by_kind", condition=models.Q(kind__gt=Kind.VIEW)
            ),
            models.Index(
                fields=("site", "element", "time"),
                name="event_by_element",
                condition=models.Q(element__isnull=False),
            ),
            models.Index(fields=("site", "name", "time"), name="event_by_name", condition=~models.Q(name="")),
            models.Index(fields=("site", "order"), name="event_by_order", condition=~models.Q(order="")),
            models.Index(
                fields=("site", "reference"),
                name="event_by_reference",
                condition=models.Q(reference__isnull=False),
            ),
            models.Index(fields=("site", "via"), name="event_by_via", condition=models.Q(via__isnull=False)),
            models.Index(
                fields=("site", "visitor"),
                name="event_of_server",
                condition=models.Q(kind__in=[Kind.SALE, Kind.OUTCOME]),
            ),
            models.Index(
                fields=("site", "visitor", "time"),
                name="event_by_claim",
                condition=models.Q(variants__isnull=False),
            ),
        )


class Exclusion(models.Model):
    """What somebody has taken out of reports: a network, a visitor, or a period; undone, it is as if never made."""

    class What(models.TextChoices):
        NETWORK = "network"
        VISITOR = "visitor"
        PERIOD = "period"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    what = models.CharField(max_length=10, choices=What.choices)
    network = models.CharField(max_length=16, blank=True, default="")
    visitor = models.ForeignKey(Visitor, on_delete=models.CASCADE, null=True, related_name="+")
    # Visits that began from then to then; open where it is None.
    from_at = models.DateTimeField(null=True)
    until_at = models.DateTimeField(null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    undone_at = models.DateTimeField(null=True)
    # How many visits it took out, or put back, when it was last applied; None while that is still to be done.
    visits = models.PositiveIntegerField(null=True)


class TrafficDay(models.Model):
    """Counts of one day, page, origin and device, of counted visits only; kept by rollups.py.

    `entries`, `begun_views` (views in visits that began here), `bounces` and `exits` belong to the
    day that the visit began; `views` (of the page itself) to the day of the view.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False)
    day = models.DateField()
    page = models.ForeignKey(Page, on_delete=models.CASCADE, related_name="+", db_index=False)
    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, related_name="+", db_index=False)
    device = models.PositiveSmallIntegerField(choices=Device.choices)
    entries = models.IntegerField(default=0)
    views = models.IntegerField(default=0)
    begun_views = models.IntegerField(default=0)
    bounces = models.IntegerField(default=0)
    exits = models.IntegerField(default=0)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "day", "page", "origin", "device"), name="traffic_day_once"
            ),
        )


class DayVersion(models.Model):
    """Changes whenever a statement changes a day's rows of a table; kept by triggers (platform/db/daychanges.py)."""

    of_table = models.TextField()
    # Not a reference: it outlives a site that is removed, row by row, after it.
    site_id = models.BigIntegerField()
    day = models.DateField()
    version = models.BigIntegerField()

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("of_table", "site_id", "day"), name="day_version_once"),
        )
