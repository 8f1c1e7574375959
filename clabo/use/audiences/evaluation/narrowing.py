"""A lens narrowed to the people of an audience."""

from __future__ import annotations

from dataclasses import replace

from clabo.collect.events.models import Visitor
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens, People
from clabo.use.audiences.evaluation.people import Population
from clabo.use.audiences.queries import Others, audience_of


def narrowed(lens: Lens, audience_id: int | None) -> Lens:
    """The same lens, on the visits of whoever is in the audience now; raises Problem. None: on everybody's."""
    if audience_id is None:
        return lens
    audience = audience_of(lens.site, audience_id)
    others = Others(lens.site)
    members = Population(lens.site, others).kept(audience_id, others.edition)
    ids = Visitor.objects.filter(in_array("number", members), site=lens.site).values_list("id", flat=True)
    return replace(lens, people=People(audience_id, audience.name, tuple(ids)))
