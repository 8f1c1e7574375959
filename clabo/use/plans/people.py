"""Whom a plan is for, out of the site's own audiences: exact, and in sets, so that who is in two of them is counted once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from django.db import connection
from pyroaring import BitMap

from clabo.collect.events.models import Page
from clabo.core import audiences
from clabo.core.audiences import Converted, Definition, Part
from clabo.setup.sites.models import Consent, Site
from clabo.use.audiences.evaluation.people import Population
from clabo.use.audiences.evaluation.stays import FURTHEST
from clabo.use.audiences.models import Audience
from clabo.use.audiences.queries import Others
from clabo.use.delivery.models import AdChannel
from clabo.use.delivery.syncing.members import clear_up, lay_out_wanted
from clabo.use.delivery.syncing.status import list_status
from clabo.use.plans.models import AdPlan

# Where nothing tells yet how many of the people a channel knows.
USUAL_KNOWN = 0.6
LEAST_MEMBERS = 50
YEAR = 365
# Of more people than these the identities are counted on so many of them, drawn by chance.
COUNTED = 20_000


@dataclass(frozen=True, slots=True)
class Reach:
    """People of each line (none of them in an earlier one), those of the site's own together, and how many identities of
    each line may be sent (`rough`: counted on a part of them); `known`: what share of identities the channel knows, and
    whether that is its own word."""

    lines: list[BitMap]
    everybody: BitMap
    identities: list[int]
    rough: bool
    known: float
    told: bool


def drawing() -> np.random.Generator:
    """The same chance each time, so that a figure does not move while a plan is written."""
    return np.random.default_rng(1)


def about(number: float) -> int:
    """Of an estimate, the digits that say something."""
    return int(float(f"{number:.3g}"))


class PlanPeople:
    """The people of plans of one site as of now."""

    def __init__(self, site: Site) -> None:
        self._site = site
        self._population = Population(site, Others(site), reach=FURTHEST)

    def of(self, those: list[Audience | None], left_out: list[Audience]) -> list[BitMap]:
        """Of each line; new people are nobody of the site's."""
        asked = {
            a.pk: audiences.parse(a.definition, self._site.page_reading) for a in [*those, *left_out] if a
        }
        self._population.read(asked.values())
        out = BitMap()
        for other in left_out:
            out |= self._population.asked(asked[other.pk], other.empty_at)
        found: list[BitMap] = []
        seen = out
        for a in those:
            here = self._population.asked(asked[a.pk], a.empty_at) - seen if a else BitMap()
            found.append(here)
            seen = seen | here
        return found

    def reach(self, those: list[Audience | None], left_out: list[Audience], channel: AdChannel) -> Reach:
        """Of a plan's lines, with what of them may be known to a channel."""
        lines = self.of(those, left_out)
        everybody = BitMap().union(*lines)
        identities, rough = [0] * len(lines), any(len(people) > COUNTED for people in lines)
        if self._site.consent != Consent.NAMELESS:
            identities = [self._identities(people) for people in lines]
        share, told = share_known(channel)
        return Reach(lines, everybody, identities, rough, share, told)

    def _identities(self, people: BitMap) -> int:
        """How many identities of these people may be sent, in the mean where there are many of them.

        Of n people with one identity each or none, the estimate's standard deviation is at most n / (2 sqrt(COUNTED)).
        """
        if not people:
            return 0
        counted = people
        if len(people) > COUNTED:
            drawn = drawing().choice(len(people), COUNTED, replace=False)
            counted = BitMap(np.asarray(people.to_array())[drawn])
        count = lay_out_wanted(self._site.pk, counted)
        clear_up()
        return count if counted is people else about(count * len(people) / len(counted))

    def converted(self, rule_id: int, people: BitMap) -> int:
        """How many of these have converted within a year."""
        definition = Definition(Part(Converted(rule_id), 0, YEAR))
        self._population.read([definition])
        return len(self._population.asked(definition, None) & people)

    def shared(self, people: BitMap, besides: int | None) -> list[tuple[AdPlan, int]]:
        """Other plans that run, and how many of these people are shown them, too; the most first."""
        running = AdPlan.objects.filter(site=self._site, state=AdPlan.State.RUNNING).exclude(pk=besides or 0)
        found = []
        for other in running.prefetch_related("lines__audience", "left_out"):
            theirs = self.of([line.audience for line in other.lines.all()], list(other.left_out.all()))
            if both := len(BitMap().union(*theirs) & people):
                found.append((other, both))
        return sorted(found, key=lambda f: -f[1])


def share_known(channel: AdChannel) -> tuple[float, bool]:
    """Of the identities on a channel's lists, the share of those it knows; whether it has told."""
    lists = [s for use in channel.uses.filter(ended_at=None) if (s := list_status(use)) and s.ready]
    members = sum(s.members for s in lists)
    if members < LEAST_MEMBERS:
        return USUAL_KNOWN, False
    return sum(s.known for s in lists) / members, True


def buyers_of(site: Site, rule_id: int) -> int | None:
    """An audience of exactly those who have converted; None where there is none."""
    for audience in Audience.objects.filter(site=site, deleted_at=None).order_by("pk"):
        definition = audiences.parse(audience.definition, site.page_reading)
        part = definition.include
        plain = isinstance(part, Part) and part.what == Converted(rule_id) and part.start == 0
        if plain and definition.exclude is None and audience.empty_at is None:
            return audience.pk
    return None


def left_last(site: Site, people: BitMap, page: Page) -> int:
    """How many of these people ended their last visit on a page, or had begun it there, and did not convert in it."""
    if not people:
        return 0
    with connection.cursor() as cursor:
        cursor.execute(
            """
            SELECT count(*) FROM (
                SELECT DISTINCT ON (v.visitor_id) v.entry_page_id, v.exit_page_id, v.conversions FROM events_visit v
                JOIN events_visitor w ON w.id = v.visitor_id
                WHERE v.site_id = %s AND w.site_id = %s AND w.number = ANY(%s) AND v.views > 0
                ORDER BY v.visitor_id, v.started_at DESC
            ) last WHERE last.conversions = 0 AND %s IN (last.entry_page_id, last.exit_page_id)
            """,
            (site.pk, site.pk, list(people), page.pk),
        )
        return int(cursor.fetchone()[0])
