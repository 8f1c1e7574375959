"""Audiences as they are kept."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from django.db.models import QuerySet

from clabo.core import audiences
from clabo.core.audiences import Definition
from clabo.platform.problems import missing
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Audience, IdentityList


def audiences_of(site: Site) -> list[Audience]:
    """The site's, by name."""
    return list(Audience.objects.filter(site=site, deleted_at=None).order_by("name"))


def audience_of(site: Site, audience_id: int) -> Audience:
    """One of the site's; raises Problem where it is none."""
    found = Audience.objects.filter(site=site, pk=audience_id, deleted_at=None).first()
    if found is None:
        raise missing("audience")
    return found


def lists_of(site: Site) -> QuerySet[IdentityList]:
    """The site's lists of identities, by name."""
    return IdentityList.objects.filter(site=site).order_by("name")


def list_of(site: Site, list_id: int) -> IdentityList:
    """One of the site's; raises Problem where it is none."""
    found = lists_of(site).filter(pk=list_id).first()
    if found is None:
        raise missing("list")
    return found


class Others:
    """The site's audiences as definitions refer to them, deleted ones not; read once."""

    def __init__(self, site: Site) -> None:
        self.rows = {a.pk: a for a in audiences_of(site)}
        self._read: dict[int, Definition] = {}
        self._reading = site.page_reading
        # Changes whenever one of them does, or what it means.
        self.edition = (repr(self._reading), *((pk, a.version) for pk, a in sorted(self.rows.items())))

    def __call__(self, audience_id: int) -> tuple[Definition, datetime | None] | None:
        row = self.rows.get(audience_id)
        if row is None:
            return None
        if audience_id not in self._read:
            self._read[audience_id] = audiences.parse(row.definition, self._reading)
        return self._read[audience_id], row.empty_at

    def used_by(self, audience_id: int) -> list[Audience]:
        """The audiences whose definition rests on this one."""
        return [row for row in self.rows.values() if audience_id in set(refers(self(row.pk)))]

    def on_list(self, list_id: int) -> list[Audience]:
        """The audiences whose definition asks for a list."""
        found = []
        for row in self.rows.values():
            known = self(row.pk)
            whats = [part.what for part in audiences.parts(known[0])] if known else []
            if audiences.InList(list_id) in whats:
                found.append(row)
        return found

    def leads_to(self, definition: Definition, audience_id: int) -> bool:
        """Whether the definition rests on this audience, through however many others."""
        waiting, seen = list(refers((definition, None))), set()
        while waiting:
            other = waiting.pop()
            if other == audience_id:
                return True
            if other not in seen:
                seen.add(other)
                waiting += refers(self(other))
        return False


def refers(known: tuple[Definition, datetime | None] | None) -> Iterator[int]:
    """The ids of the audiences that a definition refers to."""
    for part in audiences.parts(known[0]) if known else ():
        if isinstance(part.what, audiences.InAudience):
            yield part.what.audience
