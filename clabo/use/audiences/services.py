"""Making and changing audiences."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import pairwise
from typing import Any

from django.db import IntegrityError, transaction

from clabo.core import audiences
from clabo.core.audiences import Definition
from clabo.core.pages.addresses import AS_WRITTEN
from clabo.core.rules import RuleError
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.variants import tests_of
from clabo.use.audiences.models import Audience, AudienceVersion
from clabo.use.audiences.queries import Others, lists_of, refers

MOST_AUDIENCES = 200


@dataclass(frozen=True, slots=True)
class AudienceContent:
    """What an audience says. `starts_empty`: only what is received from now on counts."""

    name: str
    definition: Any
    starts_empty: bool = False


def read_definition(site: Site, data: Any, of: int | None = None) -> Definition:
    """The definition that JSON states, of the audience with id `of`; raises Problem naming the field."""
    try:
        definition = audiences.parse(data, site.page_reading)
    except RuleError as error:
        raise Problem(say(error.told), f"definition.{error.field}".rstrip(".")) from None
    others = Others(site)
    known = set(ConversionRule.objects.filter(site=site).values_list("pk", flat=True))
    for path, node in audiences.nodes(definition):
        what = node.what if isinstance(node, audiences.Part) else None
        if isinstance(what, audiences.Converted) and what.conversion not in known:
            raise Problem("This conversion does not exist. Choose another.", f"definition.{path}.what")
        if isinstance(what, audiences.InAudience) and what.audience not in others.rows:
            raise Problem("This audience does not exist. Choose another.", f"definition.{path}.what")
        if isinstance(what, audiences.InList) and not lists_of(site).filter(pk=what.list).exists():
            raise Problem("This list does not exist. Choose another.", f"definition.{path}.what")
        if isinstance(what, audiences.SawVariant):
            tests = tests_of(site.pk)
            if what.letter not in (tests.letters.get(what.test, "") if tests else ""):
                raise Problem(
                    "No split test with this variant has run. Choose another.", f"definition.{path}.what"
                )
    if of is not None and others.leads_to(definition, of):
        raise Problem(
            "It would depend on itself. Remove the part that leads back to this audience.", "definition"
        )
    return definition


def _as_written(data: Any) -> dict[str, Any]:
    """What is stored of a definition that can be read: what tells pages apart on the site may change."""
    return audiences.as_json(audiences.parse(data, AS_WRITTEN))


def make_audience(site: Site, content: AudienceContent, by: User | None) -> Audience:
    """A new audience; raises Problem."""
    read_definition(site, content.definition)
    name = _name(content.name)
    if Audience.objects.filter(site=site, deleted_at=None).count() >= MOST_AUDIENCES:
        raise Problem(f"A site has at most {MOST_AUDIENCES} audiences. Delete one first.", status=409)
    with _named_once():
        made = Audience.objects.create(
            site=site,
            name=name,
            definition=_as_written(content.definition),
            empty_at=datetime.now(UTC) if content.starts_empty else None,
        )
        _note(made, by)
    return made


def change_audience(audience: Audience, content: AudienceContent, by: User | None) -> Audience:
    """The audience with other content, as a version of its own where that differs; raises Problem.

    Whether it started empty stays as it was.
    """
    read_definition(audience.site, content.definition, audience.pk)
    definition = _as_written(content.definition)
    name = _name(content.name)
    with _named_once():
        locked = Audience.objects.select_for_update().get(pk=audience.pk)
        if (locked.name, locked.definition) == (name, definition):
            return locked
        locked.name, locked.definition = name, definition
        locked.version += 1
        locked.save()
        _note(locked, by)
    return locked


def restore_version(audience: Audience, version: int, by: User | None) -> Audience:
    """The audience as it was in a version, as a new version; raises Problem."""
    found = audience.versions.filter(version=version).first()
    if found is None:
        raise Problem("This version does not exist.", "version", 404)
    return change_audience(audience, AudienceContent(found.name, found.definition), by)


def remove_audience(audience: Audience) -> None:
    """Take it away, until it is restored; raises Problem where others rest on it."""
    users = Others(audience.site).used_by(audience.pk)
    if users:
        names = ", ".join(f"“{u.name}”" for u in users)
        raise Problem(f"It is part of {names}. Remove it there first.", status=409)
    audience.deleted_at = datetime.now(UTC)
    audience.save(update_fields=["deleted_at"])


def restore_audience(audience: Audience) -> None:
    """Undo a removal; raises Problem where another has its name now, or what it rests on is gone."""
    others = Others(audience.site)
    definition = audiences.parse(audience.definition, AS_WRITTEN)
    if any(other not in others.rows for other in refers((definition, None))):
        raise Problem("An audience that it rests on is deleted. Restore that first.", status=409)
    with _named_once():
        audience.deleted_at = None
        audience.save(update_fields=["deleted_at"])


def make_bands(audience: Audience, cuts: list[int], by: User | None) -> list[Audience]:
    """An audience for each band of ages between neighbouring `cuts`, disjoint by construction; raises Problem.

    The bands are of the first part of what is included. Whoever is in a band is not in a younger one.
    """
    if len(cuts) < 3 or any(b <= a for a, b in pairwise(cuts)):
        raise Problem(
            "Give three cuts or more, each larger than the one before, for example 0, 14, 45.", "cuts"
        )
    if cuts[0] < 0 or cuts[-1] > audiences.LONGEST:
        raise Problem(f"Cuts are ages in days, 0 to {audiences.LONGEST}.", "cuts")
    definition = audiences.parse(audience.definition, AS_WRITTEN)
    if audiences.first_part(definition) is None:
        raise Problem("Nothing that this audience includes has an age.", "cuts")
    made = []
    with transaction.atomic():
        for start, end in pairwise(cuts):
            band = audiences.band(definition, cuts[0], start, end)
            name = f"{audience.name[:60]}, {start}–{end} days"
            made.append(make_audience(audience.site, AudienceContent(name, audiences.as_json(band)), by))
    return made


def _name(text: str) -> str:
    name = text.strip()
    if not name or len(name) > 80 or "\x00" in name:
        raise Problem("Give it a name of at most 80 characters.", "name")
    return name


@contextmanager
def _named_once() -> Iterator[None]:
    """Puts the name's constraint into words."""
    try:
        with transaction.atomic():
            yield
    except IntegrityError:
        raise Problem("Another audience has this name. Choose another.", "name", 409) from None


def _note(audience: Audience, by: User | None) -> None:
    AudienceVersion.objects.create(
        audience=audience,
        version=audience.version,
        made_by=by,
        name=audience.name,
        definition=audience.definition,
    )
