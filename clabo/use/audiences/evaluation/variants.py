"""What split tests tell audiences: they stand above them, so they bring it along (judge/splits/apps.py)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django.db.models import QuerySet

from clabo.platform.registry import Registry


@dataclass(frozen=True, slots=True)
class Tests:
    """A site's split tests that ever ran: their names and letters by id; and who saw which variant first when.

    The rows of `exposures` have `test_id`, `letter`, `first_at` and `visitor`, of visits that enter reports.
    """

    names: dict[int, str]
    letters: dict[int, str]
    exposures: QuerySet[Any]


sources: Registry[Callable[[int], Tests]] = Registry("source of variants", ("site_id",))


def tests_of(site_id: int) -> Tests | None:
    """The site's, where anything knows of split tests."""
    return next((source(site_id) for source in sources.all().values()), None)
