"""The lens as a request states it."""

from __future__ import annotations

from typing import Literal

from django.http import HttpRequest

from clabo.core.money.attribution import Model
from clabo.platform.shapes import Shape
from clabo.setup.conversions.lens import Lens, read_lens
from clabo.setup.sites.access import site_for
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.narrowing import narrowed


class LensIn(Shape):
    """The words of the lens as they stand in the URL."""

    period: str = "28d"
    origin: str = "any"
    device: str = "any"
    conversion: int | None = None
    model: Model = "last_paid"
    compare: Literal["none", "before"] = "none"
    # Only visits of whoever is in this audience now.
    audience: int | None = None
    # Distinct visitors take longer to count than all the rest: only where their columns are shown.
    visitors: bool = False
    # A kept path: how far the visits that entered on each page got along it.
    path: int | None = None


class BesideIn(LensIn):
    """Two to four pages."""

    page: list[int]


class SeriesIn(LensIn):
    """Which pages (all without one), and how long a point is."""

    page: list[int] = []
    grain: Literal["day", "week"] = "day"


def lens_of(request: HttpRequest, site_id: int, words: LensIn) -> Lens:
    """The lens that a request states, for those who may see the site."""
    return lens_from(site_for(request, site_id), words)


def lens_from(site: Site, words: LensIn) -> Lens:
    """The lens that these words state; raises Problem."""
    lens = read_lens(site, words.period, words.origin, words.device, words.conversion, words.model)
    return narrowed(lens, words.audience)
