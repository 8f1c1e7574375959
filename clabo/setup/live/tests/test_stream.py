"""The live stream is for members, for as long as they are."""

from __future__ import annotations

import asyncio
from typing import Any
from unittest.mock import patch

from asgiref.sync import sync_to_async
from django.conf import settings
from django.test import Client

from clabo.platform.accounts.models import Membership, Role
from clabo.setup.live import stream
from clabo.testing.clearing import ClearedCase
from clabo.testing.traffic import make_site, make_user


async def _nobody(scope: Any, receive: Any, send: Any) -> None:
    raise AssertionError("not the stream's")


class Watching(ClearedCase):
    def scope(self, cookie: str) -> dict[str, Any]:
        return {
            "type": "http",
            "method": "GET",
            "path": f"/live/{self.site.pk}",
            "query_string": b"",
            "headers": [(b"cookie", cookie.encode())],
        }

    def setUp(self) -> None:
        self.site = make_site()
        self.member = make_user(self.site, Role.VIEWER, "vera@shop.example")
        client = Client()
        client.force_login(self.member, backend="allauth.account.auth_backends.AuthenticationBackend")
        name = settings.SESSION_COOKIE_NAME
        self.cookie = f"{name}={client.cookies[name].value}"

    def watch(self, cookie: str) -> list[Any]:
        """What is sent until the stream ends; the membership is taken away once it runs."""
        said: list[Any] = []

        async def one() -> None:
            async def receive() -> Any:
                await asyncio.sleep(60)

            async def send(message: Any) -> None:
                said.append(message)
                if len(said) == 3:
                    await sync_to_async(Membership.objects.filter(user=self.member).delete)()

            await asyncio.wait_for(stream.Stream(_nobody)(self.scope(cookie), receive, send), 20)

        with patch.object(stream, "LOOK_SECONDS", 0.05), patch.object(stream, "ASK_AGAIN_SECONDS", 0.1):
            asyncio.run(one())
        return said

    def test_a_removed_members_open_stream_ends(self) -> None:
        said = self.watch(self.cookie)
        self.assertEqual(said[0]["status"], 200)
        self.assertGreaterEqual(len(said), 4)
        self.assertEqual(said[-1], {"type": "http.response.body", "body": b""})

    def test_a_stranger_sees_nothing(self) -> None:
        self.assertEqual(self.watch("x=y")[0]["status"], 404)

    def test_one_person_takes_nobody_elses_place(self) -> None:
        other = make_user(self.site, Role.VIEWER, "otto@shop.example")
        client = Client()
        client.force_login(other, backend="allauth.account.auth_backends.AuthenticationBackend")
        name = settings.SESSION_COOKIE_NAME
        theirs = f"{name}={client.cookies[name].value}"
        statuses: list[int] = []

        async def all_at_once() -> None:
            app = stream.Stream(_nobody)

            async def receive() -> Any:
                await asyncio.sleep(60)

            async def send(message: Any) -> None:
                if "status" in message:
                    statuses.append(message["status"])

            watching = []
            for cookie in [self.cookie] * (stream.MOST_OF_ONE + 3) + [theirs]:
                watching.append(asyncio.ensure_future(app(self.scope(cookie), receive, send)))
                before = len(statuses)
                for _ in range(200):
                    if len(statuses) > before:
                        break
                    await asyncio.sleep(0.02)
            for one in watching:
                one.cancel()
            await asyncio.gather(*watching, return_exceptions=True)
            self.assertEqual(app._watchers.total(), 0)

        with patch.object(stream, "MOST_WATCHERS", stream.MOST_OF_ONE + 1):
            asyncio.run(all_at_once())
        self.assertEqual(statuses, [200] * stream.MOST_OF_ONE + [429] * 3 + [200])
