"""The shapes of saved views in the API, and how they are filled."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal, cast

from ninja import Field

from clabo.judge.reports.schemas import PagesOut
from clabo.judge.saved.models import Mailing, SavedView, SharedLink
from clabo.judge.sources.schemas import SourcesOut
from clabo.platform.shapes import Shape

Place = Literal["pages", "sources", "paths"]


class ViewIn(Shape):
    name: str = Field(max_length=80)
    place: Place
    # The address's words, as the interface writes them.
    words: dict[str, Any]


class ViewOut(ViewIn):
    id: int
    made_by: str
    made_at: datetime
    changed_by: str
    changed_at: datetime | None


class ShareViewIn(Shape):
    days: int = 30
    password: str = Field("", max_length=200)


class ViewLinkOut(Shape):
    id: int
    hint: str
    with_password: bool
    made_by: str
    made_at: datetime
    expires_at: datetime
    last_used_at: datetime | None
    times: int


class NewViewLinkOut(ViewLinkOut):
    # Said once: only its digest is kept.
    address: str


class MailingIn(Shape):
    to: str = Field(max_length=254)
    rhythm: Literal["weekly", "monthly"] = "weekly"


class MailingOut(Shape):
    id: int
    to: str
    rhythm: Literal["weekly", "monthly"]
    made_by: str
    made_at: datetime
    sent_on: date | None


class ViewUsesOut(Shape):
    """Who else sees a view: by links, and by mail."""

    links: list[ViewLinkOut]
    mailings: list[MailingOut]


class SharedViewIn(Shape):
    password: str = Field("", max_length=200)


class SharedViewOut(Shape):
    """A view as a stranger sees it: its table, and nothing else of the site."""

    name: str
    site: str
    place: Place
    words: dict[str, Any]
    expires_at: datetime
    pages: PagesOut | None
    sources: SourcesOut | None
    # Campaign sources whose visits and spend are made up.
    simulated: list[str]


class UnsubscribedOut(Shape):
    view: str
    to: str


def view_out(v: SavedView) -> ViewOut:
    return ViewOut(
        id=v.pk,
        name=v.name,
        place=cast(Any, v.place),
        words=v.words,
        made_by=str(v.made_by or ""),
        made_at=v.made_at,
        changed_by=str(v.changed_by or ""),
        changed_at=v.changed_at,
    )


def link_out(link: SharedLink) -> ViewLinkOut:
    return ViewLinkOut(
        id=link.pk,
        hint=link.hint,
        with_password=bool(link.password),
        made_by=str(link.made_by or ""),
        made_at=link.made_at,
        expires_at=link.expires_at,
        last_used_at=link.last_used_at,
        times=link.times,
    )


def mailing_out(m: Mailing) -> MailingOut:
    return MailingOut(
        id=m.pk,
        to=m.to,
        rhythm=cast(Any, m.rhythm),
        made_by=str(m.made_by or ""),
        made_at=m.made_at,
        sent_on=m.sent_on,
    )
