"""Lists of identities: hashed in the browser that brings them, so that no address ever comes here."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from django.db import IntegrityError, transaction

from clabo.core.trust.identities import KINDS
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.finding import listed
from clabo.use.audiences.models import Audience, IdentityList, Listed
from clabo.use.audiences.queries import Others, lists_of

MOST_LISTS = 50
MOST_LISTED = 2_000_000


@dataclass(frozen=True, slots=True)
class Brought:
    """A list, how long it is, how many people of the site are on it, and what asks for it."""

    row: IdentityList
    size: int
    people: int
    used_by: list[Audience]


def brought(site: Site) -> list[Brought]:
    """All lists of the site, by name."""
    others = Others(site)
    return [
        Brought(row, row.listed.count(), len(listed(site.pk, row.pk)), others.on_list(row.pk))
        for row in lists_of(site)
    ]


def make_list(site: Site, name: str, kind: str, by: User | None) -> Brought:
    """A new list, still empty; raises Problem."""
    name = name.strip()
    if not name or len(name) > 80 or "\x00" in name:
        raise Problem("Give it a name of at most 80 characters.", "name")
    if kind not in KINDS:
        raise Problem(f"Choose one of {', '.join(KINDS)}.", "kind")
    if lists_of(site).count() >= MOST_LISTS:
        raise Problem(f"A site has at most {MOST_LISTS} lists. Delete one first.", status=409)
    try:
        with transaction.atomic():
            made = IdentityList.objects.create(site=site, name=name, kind=kind, made_by=by)
    except IntegrityError:
        raise Problem("Another list has this name. Choose another.", "name", 409) from None
    return Brought(made, 0, 0, [])


def put_on(row: IdentityList, hashes: Collection[str]) -> int:
    """Put identities on a list; what is on it already stays once. How many it has then; raises Problem."""
    size = row.listed.count()
    if size + len(hashes) > MOST_LISTED:
        raise Problem(f"A list has at most {MOST_LISTED} entries. Divide it.", "hashes", 409)
    Listed.objects.bulk_create(
        [Listed(list=row, hash=bytes.fromhex(h)) for h in dict.fromkeys(hashes)], ignore_conflicts=True
    )
    return row.listed.count()


def remove_list(row: IdentityList) -> None:
    """Take it away, with all that is on it; raises Problem where an audience asks for it."""
    if users := Others(row.site).on_list(row.pk):
        names = ", ".join(f"“{u.name}”" for u in users)
        raise Problem(f"It is part of {names}. Remove it there first.", status=409)
    row.delete()
