"""What became of the demo's contact requests: a file as an office would send it."""

from __future__ import annotations

import csv
import random
from datetime import datetime, timedelta
from io import BytesIO, StringIO

from clabo.collect.events.models import Statement
from clabo.platform.accounts.models import User
from clabo.setup.conversions.models import Conversion
from clabo.setup.sites.models import Site
from clabo.use.outcomes import importing

FILE_NAME = "contacts-followed-up.csv"
# So far back the office has looked, and how long it leaves a request alone.
DAYS, RESTS = 60, timedelta(days=2)
QUALIFIED, SOLD, REFUNDED = 0.55, 0.4, 0.08
_HEAD = ("Mail hash", "Status", "Changed at", "Amount", "Row ID")


def report_outcomes(site: Site, now: datetime, by: User) -> None:
    """Take a file in that says what became of the requests of the last 60 days, as far as their address is known."""
    rows = _rows(site, now)
    if not rows:
        return
    text = StringIO()
    table = csv.writer(text, lineterminator="\n")
    table.writerows([_HEAD, *rows])
    batch = importing.upload(site, FILE_NAME, BytesIO(text.getvalue().encode()), by)
    importing.take_in(batch, importing.check(batch).mapping)


def _rows(site: Site, now: datetime) -> list[tuple[str, ...]]:
    requests = Conversion.objects.reported().filter(
        site=site, rule__name="contact_request", time__gte=now - timedelta(days=DAYS), time__lte=now - RESTS
    )
    mails = dict(
        Statement.objects.counted()
        .filter(visitor__site=site, identity__kind="email")
        .order_by("-id")
        .values_list("visitor_id", "identity__hash")
    )
    made: list[tuple[str, ...]] = []
    for number, (visitor, at) in enumerate(requests.order_by("time").values_list("visitor_id", "time")):
        if visitor not in mails:
            continue
        chance = random.Random(f"{number} {at:%Y-%m-%d %H:%M}")
        stages = [("Qualified" if chance.random() < QUALIFIED else "Lost", chance.uniform(0.5, 3), "")]
        if stages[0][0] == "Qualified" and chance.random() < SOLD:
            stages.append(
                ("Sold", stages[-1][1] + chance.uniform(2, 16), f"{chance.lognormvariate(5.4, 0.6):.2f}")
            )
            if chance.random() < REFUNDED:
                stages.append(("Refunded", stages[-1][1] + chance.uniform(1, 6), ""))
        for stage, days, amount in stages:
            when = at + timedelta(days=days)
            if when < now:
                told = f"{when.astimezone(site.zone):%Y-%m-%d %H:%M}"
                made.append((bytes(mails[visitor]).hex(), stage, told, amount, f"{number}-{stage}"))
    return made
