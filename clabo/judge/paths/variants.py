"""The variant of a split test that each visit is of: the one that its visitor had seen by its end."""

from __future__ import annotations

import numpy as np
from django.db.models import BigIntegerField
from django.db.models.functions import Cast, Extract

from clabo.core.paths.walk import Whole
from clabo.judge.paths.reading import Journeys
from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.variants import tests_of

NONE = "not in the test"


def read_test(site: Site, text: str) -> int:
    """The test's number in "test:<number>"; raises Problem where the site has none of it that ever ran."""
    number = text.partition(":")[2]
    tests = tests_of(site.pk)
    if not number.isdecimal() or tests is None or int(number) not in tests.names:
        raise Problem("This split test is not known any more. Choose another.", "by", 404)
    return int(number)


def arms_of(seen: Journeys, test: int) -> tuple[list[str], Whole]:
    """The letters in order, with those of no variant last; and the place in it of each visit.

    A visit before its visitor's first sight of the variant is of none: what was shown then was not the test's.
    """
    tests = tests_of(seen.lens.site.pk)
    letters = sorted(tests.letters[test]) if tests else []
    of_visit = np.full(len(seen), len(letters), dtype=np.int64)
    if tests is None or not len(seen):
        return [*letters, NONE], of_visit
    at = Cast(Extract("first_at", "epoch") * 1_000_000, BigIntegerField())
    rows = list(tests.exposures.filter(test_id=test).order_by().values_list("visitor__number", "letter", at))
    size = int(max([int(seen.people.max()), *(number for number, _, _ in rows)])) + 1
    # Whoever has seen none has seen it never.
    first, arm = np.full(size, np.iinfo(np.int64).max), np.full(size, len(letters), dtype=np.int64)
    for number, letter, when in rows:
        first[number], arm[number] = when, letters.index(letter)
    # When the visits of those who have seen one ended: at the last thing in them.
    theirs = np.flatnonzero(first[seen.people] != np.iinfo(np.int64).max)
    visit, times, _ = seen.of_visits(theirs)
    ended = np.zeros(len(theirs), dtype=np.int64)
    np.maximum.at(ended, visit, times)
    in_time = theirs[first[seen.people[theirs]] <= ended]
    of_visit[in_time] = arm[seen.people[in_time]]
    return [*letters, NONE], of_visit
