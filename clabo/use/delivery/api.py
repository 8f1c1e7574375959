"""Channels: made, checked, given audiences, told of conversions, asked what they cost."""

from __future__ import annotations

import re
from collections.abc import Iterator

from django.http import HttpRequest, StreamingHttpResponse
from ninja import Router

from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.platform.outputs.answering import FILES, as_table
from clabo.setup.sites.access import site_for
from clabo.use.audiences.queries import audience_of
from clabo.use.delivery import channels, queries
from clabo.use.delivery.adapters import files
from clabo.use.delivery.models import AudienceUse
from clabo.use.delivery.schemas import (
    AdChannelIn,
    AdChannelOut,
    AgainOut,
    AudienceUseOut,
    DaysIn,
    HeadsJson,
    ReportOut,
    SpendReadOut,
    UseIn,
    channel_out,
    report_out,
    use_out,
)
from clabo.use.delivery.syncing import spending
from clabo.use.delivery.syncing.reporting import send_again
from clabo.use.delivery.tasks import deliver_later, report_later

router = Router(tags=["channels"])
HERE = "/sites/{int:site_id}/channels"
ONE = HERE + "/{int:channel_id}"
USE = "/sites/{int:site_id}/uses/{int:use_id}"


@router.get(HERE, response=list[AdChannelOut], openapi_extra=FILES)
@as_table("Channels", AdChannelOut)
def ad_channels(request: HttpRequest, site_id: int) -> list[AdChannelOut]:
    return [channel_out(c) for c in queries.channels_of(site_for(request, site_id))]


@router.post(HERE, response=AdChannelOut)
def make_channel(request: HttpRequest, site_id: int, data: AdChannelIn) -> AdChannelOut:
    site = site_for(request, site_id, Role.EDITOR)
    return channel_out(channels.save_channel(site, _content(data), person(request)))


@router.put(ONE, response=AdChannelOut)
def change_channel(request: HttpRequest, site_id: int, channel_id: int, data: AdChannelIn) -> AdChannelOut:
    site = site_for(request, site_id, Role.EDITOR)
    channel = channels.channel_of(site, channel_id)
    return channel_out(channels.save_channel(site, _content(data), person(request), channel))


@router.delete(ONE, response={204: None})
def remove_channel(request: HttpRequest, site_id: int, channel_id: int) -> tuple[int, None]:
    site = site_for(request, site_id, Role.EDITOR)
    channels.remove_channel(channels.channel_of(site, channel_id))
    return 204, None


@router.post(ONE + "/check", response=AdChannelOut)
def check_channel(request: HttpRequest, site_id: int, channel_id: int) -> AdChannelOut:
    site = site_for(request, site_id, Role.EDITOR)
    return channel_out(channels.check_now(channels.channel_of(site, channel_id)))


@router.put(ONE + "/heads", response=AdChannelOut)
def name_columns(request: HttpRequest, site_id: int, channel_id: int, data: HeadsJson) -> AdChannelOut:
    channel = channels.channel_of(site_for(request, site_id, Role.EDITOR), channel_id)
    files.set_heads(channel, data.members, data.conversions)
    return channel_out(channel)


@router.post(ONE + "/spend", response=SpendReadOut)
def read_spend(request: HttpRequest, site_id: int, channel_id: int, data: DaysIn) -> SpendReadOut:
    channel = channels.channel_of(site_for(request, site_id, Role.EDITOR), channel_id)
    read = spending.read_now(channel, data.first, data.last, person(request))
    return SpendReadOut(days=read.days, unchanged=read.unchanged, rows=read.rows)


@router.get(ONE + "/reports", response=list[ReportOut], openapi_extra=FILES)
@as_table("Reported conversions", ReportOut)
def reports(request: HttpRequest, site_id: int, channel_id: int) -> list[ReportOut]:
    channel = channels.channel_of(site_for(request, site_id), channel_id)
    return [report_out(r) for r in queries.log(channel)]


@router.post(ONE + "/reports/again", response=AgainOut)
def report_again(request: HttpRequest, site_id: int, channel_id: int) -> AgainOut:
    channel = channels.channel_of(site_for(request, site_id, Role.EDITOR), channel_id)
    count = send_again(channel)
    report_later(channel.site_id)
    return AgainOut(count=count)


@router.post(ONE + "/conversions-file")
def conversions_file(request: HttpRequest, site_id: int, channel_id: int) -> StreamingHttpResponse:
    channel = channels.channel_of(site_for(request, site_id, Role.EDITOR), channel_id)
    return _file(f"{channel.name} conversions", files.conversions_file(channel))


@router.get("/sites/{int:site_id}/uses", response=list[AudienceUseOut], openapi_extra=FILES)
@as_table("Audiences at channels", AudienceUseOut)
def audience_uses(request: HttpRequest, site_id: int) -> list[AudienceUseOut]:
    return [use_out(g) for g in queries.given(queries.uses_of(site_for(request, site_id)))]


@router.post("/sites/{int:site_id}/audiences/{int:audience_id}/uses", response=AudienceUseOut)
def use_audience(request: HttpRequest, site_id: int, audience_id: int, data: UseIn) -> AudienceUseOut:
    site = site_for(request, site_id, Role.EDITOR)
    channel = channels.channel_of(site, data.channel)
    return _use(channels.use_audience(audience_of(site, audience_id), channel, person(request)))


@router.delete(USE, response={204: None})
def end_use(request: HttpRequest, site_id: int, use_id: int) -> tuple[int, None]:
    channels.end_use(channels.use_of(site_for(request, site_id, Role.EDITOR), use_id))
    return 204, None


@router.post(USE + "/send", response=AudienceUseOut)
def send_use(request: HttpRequest, site_id: int, use_id: int) -> AudienceUseOut:
    use = channels.use_of(site_for(request, site_id, Role.EDITOR), use_id)
    deliver_later(use)
    return _use(use)


@router.post(USE + "/file")
def members_file(
    request: HttpRequest, site_id: int, use_id: int, what: files.What = "all"
) -> StreamingHttpResponse:
    use = channels.use_of(site_for(request, site_id, Role.EDITOR), use_id)
    return _file(f"{use.audience.name} {what}", files.members_file(use, what))


def _content(data: AdChannelIn) -> channels.ChannelContent:
    return channels.ChannelContent(**data.model_dump())


def _use(use: AudienceUse) -> AudienceUseOut:
    return use_out(queries.given([use])[0])


def _file(title: str, content: Iterator[bytes]) -> StreamingHttpResponse:
    response = StreamingHttpResponse(content, content_type="text/csv; charset=utf-8")
    name = re.sub(r"[^\w-]+", "-", title, flags=re.ASCII).strip("-") or "file"
    response["Content-Disposition"] = f'attachment; filename="{name}.csv"'
    return response
