"""Saved views: kept, changed, copied; shared by links; sent by mail."""

from __future__ import annotations

from typing import Any, cast

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from ninja import Router

from clabo.judge.reports.schemas import PagesOut
from clabo.judge.saved import mailing, services
from clabo.judge.saved.models import SavedView
from clabo.judge.saved.running import answer_of
from clabo.judge.saved.schemas import (
    MailingIn,
    MailingOut,
    NewViewLinkOut,
    SharedViewIn,
    SharedViewOut,
    ShareViewIn,
    UnsubscribedOut,
    ViewIn,
    ViewOut,
    ViewUsesOut,
    link_out,
    mailing_out,
    view_out,
)
from clabo.judge.saved.strangers import for_strangers
from clabo.judge.sources.schemas import SourcesOut
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.problems import Problem
from clabo.setup.sites.access import site_for
from clabo.use.delivery.queries import simulated_sources

router = Router(tags=["saved views"])
HERE = "/sites/{int:site_id}/views"
ONE = HERE + "/{int:view_id}"


def _view(request: HttpRequest, site_id: int, view_id: int) -> SavedView:
    return services.view_of(site_for(request, site_id, Role.EDITOR), view_id)


@router.get(HERE, response=list[ViewOut])
def saved_views(request: HttpRequest, site_id: int) -> list[ViewOut]:
    return [view_out(v) for v in services.views_of(site_for(request, site_id))]


@router.post(HERE, response=ViewOut)
def save_view(request: HttpRequest, site_id: int, data: ViewIn) -> ViewOut:
    site = site_for(request, site_id, Role.EDITOR)
    return view_out(services.save_view(site, data.name, data.place, data.words, person(request)))


@router.put(ONE, response=ViewOut)
def change_view(request: HttpRequest, site_id: int, view_id: int, data: ViewIn) -> ViewOut:
    view = _view(request, site_id, view_id)
    return view_out(services.save_view(view.site, data.name, data.place, data.words, person(request), view))


@router.post(ONE + "/copy", response=ViewOut)
def copy_view(request: HttpRequest, site_id: int, view_id: int) -> ViewOut:
    return view_out(services.copy(_view(request, site_id, view_id), person(request)))


@router.delete(ONE, response={204: None})
def remove_view(request: HttpRequest, site_id: int, view_id: int) -> tuple[int, None]:
    services.remove(_view(request, site_id, view_id))
    return 204, None


@router.get(ONE + "/uses", response=ViewUsesOut)
def view_uses(request: HttpRequest, site_id: int, view_id: int) -> ViewUsesOut:
    view = _view(request, site_id, view_id)
    return ViewUsesOut(
        links=[link_out(link) for link in services.live_links(view)],
        mailings=[mailing_out(m) for m in mailing.live(view)],
    )


@router.post(ONE + "/links", response=NewViewLinkOut)
def share_view(request: HttpRequest, site_id: int, view_id: int, data: ShareViewIn) -> NewViewLinkOut:
    view = _view(request, site_id, view_id)
    if view.place == SavedView.Place.PATHS:
        raise Problem("Only views of pages and sources can be shared.", status=409)
    link, token = services.share(view, data.days, data.password, person(request))
    return NewViewLinkOut(**link_out(link).dict(), address=f"{settings.PUBLIC_URL}/shared/{token}")


@router.delete(ONE + "/links/{int:link_id}", response={204: None})
def revoke_view_link(request: HttpRequest, site_id: int, view_id: int, link_id: int) -> tuple[int, None]:
    services.revoke(_view(request, site_id, view_id), link_id)
    return 204, None


@router.post(ONE + "/mailings", response=MailingOut)
def mail_view(request: HttpRequest, site_id: int, view_id: int, data: MailingIn) -> MailingOut:
    view = _view(request, site_id, view_id)
    return mailing_out(mailing.add(view, data.to, data.rhythm, person(request)))


@router.delete(ONE + "/mailings/{int:mailing_id}", response={204: None})
def end_mailing(request: HttpRequest, site_id: int, view_id: int, mailing_id: int) -> tuple[int, None]:
    mailing.end(_view(request, site_id, view_id), mailing_id)
    return 204, None


@router.post("/shared/{token}", response=SharedViewOut, auth=None)
def shared_view(
    request: HttpRequest, response: HttpResponse, token: str, data: SharedViewIn
) -> SharedViewOut:
    response["x-robots-tag"] = "noindex, nofollow"
    response["cache-control"] = "no-store"
    link = services.behind(token, data.password)
    answer = answer_of(link.view)
    if answer is not None:
        answer = for_strangers(link.view, answer)
    return SharedViewOut(
        name=link.view.name,
        site=link.view.site.name,
        place=cast(Any, link.view.place),
        words=link.view.words,
        expires_at=link.expires_at,
        pages=answer if isinstance(answer, PagesOut) else None,
        sources=answer if isinstance(answer, SourcesOut) else None,
        simulated=simulated_sources(link.view.site),
    )


@router.post("/unsubscribe/{token}", response=UnsubscribedOut, auth=None)
def unsubscribe(request: HttpRequest, token: str) -> UnsubscribedOut:
    ended = mailing.unsubscribe(token)
    return UnsubscribedOut(view=ended.view.name, to=ended.to)
