"""Who of an audience may be known to a channel: hashed identities of people who agreed."""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import Count

from clabo.audiences.models import Audience
from clabo.audiences.people import Population
from clabo.audiences.queries import Others
from clabo.audiences.stays import FURTHEST
from clabo.core import audiences
from clabo.core.identities import KINDS, MOST_BROWSERS
from clabo.db.arrays import in_array
from clabo.delivery.adapter import Member
from clabo.events.models import Identity, Statement, Visitor
from clabo.sites.models import Consent

CHUNK = 20_000


class Wanted:
    """The members of an audience by now; `people` is how many there are, with an identity or without."""

    def __init__(self, audience: Audience) -> None:
        self.audience = audience
        site = audience.site
        self.people = 0
        self._numbers: list[int] = []
        if site.consent == Consent.NAMELESS:
            # Nobody there has an id, and nobody was asked.
            return
        population = Population(site, Others(site), reach=FURTHEST)
        definition = audiences.parse(audience.definition)
        population.read([definition])
        self._numbers = list(population.asked(definition, audience.empty_at))
        self.people = len(self._numbers)

    def __iter__(self) -> Iterator[list[Member]]:
        """Their identities, some thousand people at a time; one may come more than once."""
        site = self.audience.site
        several = Identity.objects.filter(site=site).annotate(browsers=Count("statements"))
        # Somebody's test address, or the shop's own, stands for nobody.
        crowded = set(several.filter(browsers__gt=MOST_BROWSERS).values_list("pk", flat=True))
        for start in range(0, len(self._numbers), CHUNK):
            some = self._numbers[start : start + CHUNK]
            pks = list(
                Visitor.objects.filter(in_array("number", some), site=site).values_list("id", flat=True)
            )
            browsers = [
                *pks,
                *Visitor.objects.filter(in_array("joined_to_id", pks)).values_list("id", flat=True),
            ]
            stated = Statement.objects.filter(in_array("visitor_id", browsers), identity__off=False)
            rows = stated.values_list("identity_id", "identity__kind", "identity__hash")
            yield [Member(KINDS.index(kind), bytes(hash_)) for pk, kind, hash_ in rows if pk not in crowded]
