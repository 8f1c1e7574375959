"""Addresses of the collector's that other apps answer; each registers in its `AppConfig.ready()`."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol

from clabo.collect.ingest.directory import TagSite
from clabo.collect.ingest.http import Receive, Scope, Send
from clabo.platform.registry import Registry

if TYPE_CHECKING:
    from clabo.collect.ingest.asgi import Collector


class Route(Protocol):
    """Answers what begins with one of `prefixes`; the site's key follows, up to the next slash or `.gif`."""

    @property
    def prefixes(self) -> tuple[str, ...]:
        """What the paths begin with."""

    async def answer(self, site: TagSite, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer, or raise Refused."""

    def refresh(self) -> None:
        """Read again what is kept in memory; called every few seconds, from a thread of its own."""


routes: Registry[Callable[[Collector], Route]] = Registry("collector's route", ("collector",))
