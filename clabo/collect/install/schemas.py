"""The shapes of the kit and coverage in the API, and how they are filled."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Literal

from ninja import Field

from clabo.collect.install import kit
from clabo.core.pages.tag_check import Verdict
from clabo.platform.shapes import Shape
from clabo.platform.wording.kit import piece_words
from clabo.setup.sites.models import Site


class KnownPage(Shape):
    id: int
    host: str
    path: str
    title: str
    views: int
    first_at: datetime
    last_at: datetime
    twice_at: datetime | None


class RefusedKind(Shape):
    reason: str
    day: str
    count: int
    sample: str
    last_at: datetime


class RefusedHostOut(Shape):
    host: str
    count: int
    last_at: datetime


class Pixel(Shape):
    head_line: str
    render_line: str
    pixel_line: str
    first_at: datetime | None
    last_at: datetime | None
    pages_total: int
    # How many pages are silent longer than their rhythm allows.
    stopped: int
    silent_since: datetime | None
    own_at: datetime | None
    pages: list[KnownPage]
    refusals: list[RefusedKind]
    # Hosts that have the tag and are none of the site's: their hits are refused.
    refused_hosts: list[RefusedHostOut]


class PieceOut(Shape):
    id: str
    title: str
    lines: list[str]
    place: Literal["head", "body", "frame", "header", "mail"]
    where: str
    pages: str
    proof: str


class SharedKit(Shape):
    """What whoever has the link gets to see: no more than what is to be pasted, and whether it has arrived."""

    site: str
    hosts: list[str]
    asked_by: str
    note: str
    expires_at: datetime
    first_at: datetime | None
    last_at: datetime | None
    pieces: list[PieceOut]


class ShareIn(Shape):
    email: str = Field("", max_length=254)
    note: str = Field("", max_length=1000)


class ShareOut(Shape):
    address: str
    expires_at: datetime
    mailed_to: str


def pieces_out(site: Site) -> list[PieceOut]:
    return [
        PieceOut(id=p.id, lines=p.lines, place=p.place, **asdict(piece_words(p.id))) for p in kit.kit(site)
    ]


class OpenKitOut(Shape):
    """A link that can be opened now. Its address is known to whoever made it."""

    id: int
    email: str
    note: str
    by: str
    created_at: datetime
    expires_at: datetime


class TagFindingOut(Shape):
    verdict: Verdict
    good: bool
    more: str = ""


class CoveredOut(Shape):
    host: str
    path: str
    title: str
    state: Literal["seen", "twice", "stopped", "unopened"]
    views: int
    per_day: float | None
    first_at: datetime | None
    last_at: datetime | None
    stopped_at: datetime | None
    source: str
    # Where it can be opened.
    address: str
    checked_at: datetime | None
    findings: list[TagFindingOut]


class CoverageOut(Shape):
    total: int
    by_state: dict[str, int]
    pages: list[CoveredOut]


class PagesIn(Shape):
    pages: str = Field("", max_length=500_000)
    sitemap: str = Field("", max_length=2048)


class ListedOut(Shape):
    added: int


class CheckIn(Shape):
    url: str = Field(max_length=2048)


class CheckedOut(Shape):
    url: str
    status: int
    redirects: list[str]
    title: str
    findings: list[TagFindingOut]
    last_hit_at: datetime | None
    # Silent for longer than it ever is.
    stopped: bool
    twice_at: datetime | None
    new_links: int
    frames: list[str]
