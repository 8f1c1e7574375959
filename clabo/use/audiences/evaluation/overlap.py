"""How audiences overlap: every combination of up to six, with its size."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

from pyroaring import BitMap

from clabo.core import audiences
from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.people import Population
from clabo.use.audiences.models import Audience
from clabo.use.audiences.queries import Others

MOST = 6


@dataclass(frozen=True, slots=True)
class Overlap:
    """Sizes of the audiences, and of each combination that has people: who is in exactly these and in no other."""

    people: list[int]
    combinations: list[tuple[tuple[bool, ...], int]]
    together: int


def overlap(site: Site, those: list[Audience]) -> Overlap:
    """Of two to six audiences; the largest combination first. Raises Problem."""
    if not 2 <= len(those) <= MOST:
        raise Problem(f"Choose two to {MOST} audiences.", "of")
    population = Population(site, Others(site))
    definitions = [audiences.parse(a.definition, site.page_reading) for a in those]
    population.read(definitions)
    sets = [population.asked(d, a.empty_at) for a, d in zip(those, definitions, strict=True)]
    found = []
    everybody = BitMap.union(*sets)
    for combination in product((True, False), repeat=len(sets)):
        if not any(combination):
            continue
        people = BitMap.intersection(*[s for s, inside in zip(sets, combination, strict=True) if inside])
        for s, inside in zip(sets, combination, strict=True):
            if not inside:
                people = people - s
        if people:
            found.append((combination, len(people)))
    return Overlap(
        [len(s) for s in sets],
        sorted(found, key=lambda f: (-f[1], [not inside for inside in f[0]])),
        len(everybody),
    )
