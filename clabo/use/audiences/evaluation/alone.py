"""What one browser may be told of itself: by what happened in it alone, unless it is proven who is at it.

Anybody can state anybody's e-mail address. Whoever does so must not learn by the answer what the one whose it is has done,
nor on which list they are.
"""

from __future__ import annotations

from uuid import UUID

from django.db.models import Q

from clabo.collect.events.models import Event, Identity, Statement, Visit, Visitor
from clabo.core import audiences
from clabo.core.audiences import Definition, InAudience, InList, What
from clabo.core.audiences.person import Person
from clabo.core.audiences.predicates import Happening
from clabo.setup.conversions.models import Conversion
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.people import Population
from clabo.use.audiences.evaluation.persons import histories, received
from clabo.use.audiences.models import Listed
from clabo.use.audiences.queries import Others


def memberships(site: Site, browser: UUID, audience_ids: list[int]) -> list[int]:
    """Which of these audiences the browser with this id is told that it is in."""
    known = Visitor.objects.filter(site=site, key=browser).select_related("joined_to").first()
    if known is None or not audience_ids:
        return []
    others = Others(site)
    population = Population(site, others)
    if speaks_for_person(known):
        number = (known.joined_to or known).number
        return [pk for pk in audience_ids if number in population.kept(pk, others.edition)]
    alone = _Alone(known, others, population)
    return [pk for pk in audience_ids if alone.member(pk)]


def speaks_for_person(browser: Visitor) -> bool:
    """Whether whatever was stated in all browsers of the person is proven, or nothing was, and there is only this one."""
    person = browser.joined_to_id or browser.pk
    group = Q(visitor=person) | Q(visitor__joined_to=person)
    return not Statement.objects.counted().filter(group, proven=False).exists() and (
        browser.joined_to_id is None or Statement.objects.filter(visitor=browser, proven=True).exists()
    )


class _Alone:
    """A browser whose past is that of itself alone."""

    def __init__(self, browser: Visitor, others: Others, population: Population) -> None:
        self.others = others
        self.today = population.today
        self.history = _own_history(population.site, browser)
        proven = Identity.objects.filter(statements__visitor=browser, statements__proven=True)
        hashes = {(i.kind, bytes(i.hash)) for i in proven}
        listed = Listed.objects.filter(list__site=population.site, hash__in=[hash_ for _, hash_ in hashes])
        rows = listed.values_list("list_id", "list__kind", "hash")
        self.lists = {pk for pk, kind, hash_ in rows if (kind, bytes(hash_)) in hashes}

    def member(self, audience_id: int) -> bool:
        """Whether they would be in, were there nobody but this browser."""
        other = self.others(audience_id)
        if other is None:
            return False
        definition, empty_at = other
        history = [h for h in self.history if empty_at is None or received(h) >= empty_at]
        return Person(history, self.today, self._belongs(definition)).member(definition)

    def _belongs(self, definition: Definition) -> dict[What, bool]:
        found: dict[What, bool] = {}
        for part in audiences.parts(definition):
            if isinstance(part.what, InAudience):
                found[part.what] = self.member(part.what.audience)
            elif isinstance(part.what, InList):
                found[part.what] = part.what.list in self.lists
        return found


def _own_history(site: Site, browser: Visitor) -> list[Happening]:
    """Of the person's history what this browser did: its events, their conversions, and visits that are all its own."""
    person = browser.joined_to_id or browser.pk
    via = None if browser.joined_to_id is None else browser.pk
    history = histories(site, [person])[person]
    done = [h.about for h in history if isinstance(h.about, Event)]
    events = {e.id for e in done if e.via_id == via}
    visits = {e.visit_id for e in done} - {e.visit_id for e in done if e.via_id != via}

    def is_own(h: Happening) -> bool:
        if isinstance(h.about, Event):
            return h.about.via_id == via
        if isinstance(h.about, Conversion):
            return h.about.event_id in events
        return (h.about.pk if isinstance(h.about, Visit) else h.about) in visits

    return [h for h in history if is_own(h)]
