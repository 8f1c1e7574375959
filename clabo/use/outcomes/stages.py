"""A site's stages: read, and set."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from clabo.core.outcomes.stages import EFFECTS, MOST_STAGES, key_of
from clabo.core.outcomes.stages import Stage as Step
from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site
from clabo.use.outcomes.models import Outcome, Stage

USUAL = (
    Step("qualified", "Qualified", "reached"),
    Step("sold", "Sold", "reached"),
    Step("lost", "Lost", "reached"),
    Step("refunded", "Refunded", "refund"),
    Step("cancelled", "Cancelled", "cancel"),
)


def stages_of(site: Site) -> list[Step]:
    """The site's stages in their order; the usual ones until it has set its own."""
    return [s.step for s in Stage.objects.filter(site=site)] or list(USUAL)


def set_stages(site: Site, wanted: Sequence[tuple[str, str, str]]) -> list[Step]:
    """Make the site's stages these (key or empty for a new one, name, effect), in this order. Raises Problem."""
    if not 1 <= len(wanted) <= MOST_STAGES:
        raise Problem(f"A site has between one and {MOST_STAGES} stages.", "stages")
    known = {s.key: s for s in stages_of(site)}
    used = set(Outcome.objects.filter(site=site, current=True).values_list("stage", flat=True).distinct())
    made: list[Step] = []
    for place, (key, name, effect) in enumerate(wanted):
        field, name = f"stages.{place}", name.strip()
        key = key or key_of(name)
        if not key or not 1 <= len(name) <= 60:
            raise Problem("Give the stage a name of at most 60 characters, with a letter in it.", field)
        if effect not in EFFECTS:
            raise Problem(f"A stage does one of: {', '.join(EFFECTS)}.", field)
        if any(key == s.key or name.casefold() == s.name.casefold() for s in made):
            raise Problem(f"There is a stage {name} already. Choose another name.", field, 409)
        if key in used and key in known and known[key].effect != effect:
            raise Problem(
                f"{name} has outcomes, so what it does stays as it is. Add another stage instead.", field, 409
            )
        made.append(Step(key, name, effect))
    for gone in known.keys() - {s.key for s in made}:
        if gone in used:
            raise Problem(
                f"{known[gone].name} has outcomes. Undo their imports first, or keep the stage.",
                "stages",
                409,
            )
    with transaction.atomic():
        Stage.objects.filter(site=site).delete()
        Stage.objects.bulk_create(
            Stage(site=site, key=s.key, name=s.name, effect=s.effect, place=n) for n, s in enumerate(made)
        )
    return made
