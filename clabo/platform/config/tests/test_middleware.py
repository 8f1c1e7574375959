"""What stands before everything else: sizes, times, proxies, health; and the server's limits on headers."""

from __future__ import annotations

import asyncio
import json
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.core.exceptions import ImproperlyConfigured
from django.db import connection
from django.test import SimpleTestCase, override_settings

from clabo.collect.ingest.models import InboxBatch
from clabo.judge.splits.editor.sessions import edit_address, open_session
from clabo.judge.splits.services import SplitContent, save_test
from clabo.platform.accounts.models import Role
from clabo.platform.config import middleware
from clabo.testing.clearing import ClearedCase
from clabo.testing.jobs import forget_jobs
from clabo.testing.processes import run_manage
from clabo.testing.traffic import make_rule, make_site, make_user, receive, walk


async def echo(scope: Any, receive: Any, send: Any) -> None:
    """Reads the whole body and answers with its length and the client's address."""
    length, more = 0, True
    while more:
        message = await receive()
        length += len(message.get("body", b""))
        more = message.get("more_body", False)
    body = json.dumps(
        {"length": length, "client": scope["client"][0], "scheme": scope.get("scheme")}
    ).encode()
    await send({"type": "http.response.start", "status": 200, "headers": []})
    await send({"type": "http.response.body", "body": body})


def ask(
    app: Any,
    path: str = "/api/session",
    chunks: tuple[bytes, ...] = (b"",),
    headers: tuple[tuple[bytes, bytes], ...] = (),
    pause: float = 0,
    client: str = "203.0.113.5",
) -> tuple[int, Any]:
    """Status and body of one request, whose body comes in pieces with pauses."""
    said: list[Any] = []

    async def one() -> None:
        pieces = list(chunks)

        async def receive() -> Any:
            await asyncio.sleep(pause)
            piece = pieces.pop(0)
            return {"type": "http.request", "body": piece, "more_body": bool(pieces)}

        async def send(message: Any) -> None:
            said.append(message)

        scope = {
            "type": "http",
            "method": "POST" if chunks != (b"",) else "GET",
            "path": path,
            "headers": list(headers),
            "client": (client, 1),
            "query_string": b"",
        }
        await app(scope, receive, send)

    asyncio.run(one())
    body = b"".join(m.get("body", b"") for m in said[1:])
    return said[0]["status"], json.loads(body) if body.startswith(b"{") else body


class Bodies(ClearedCase):
    def test_what_is_too_large_is_refused_before_it_is_read(self) -> None:
        app = middleware.Bounds(echo)
        told = ((b"content-length", str(1 << 30).encode()),)
        self.assertEqual(ask(app, chunks=(b"x",), headers=told)[0], 413)
        piece = b"x" * (middleware.MOST_BYTES // 2)
        self.assertEqual(ask(app, chunks=(piece, piece))[1]["length"], middleware.MOST_BYTES)
        self.assertEqual(ask(app, chunks=(piece, piece, b"x", b"never read"))[0], 413)

    def test_what_trickles_is_refused(self) -> None:
        with patch.object(middleware, "MOST_SECONDS", 0.2):
            status, body = ask(middleware.Bounds(echo), chunks=(b"x",) * 50, pause=0.05)
        self.assertEqual((status, body["title"]), (408, "Too slow"))

    def test_a_large_file_is_taken_only_from_somebody_signed_in(self) -> None:
        status, _ = ask(middleware.Bounds(echo), "/api/sites/1/spend/files", chunks=(b"x" * 100,))
        self.assertEqual(status, 401)

    def test_a_picture_from_whoever_may_write_the_draft(self) -> None:
        site = make_site()
        rule = make_rule(site, "/thank-you")
        receive(walk(site, 1, datetime.now(UTC), "/a"))
        content = SplitContent("Words", rule, ["/a"], [50, 50], 100, 0.1, 0.5, "content", [[], []])
        person = make_user(site, Role.EDITOR, "ed@shop.example")
        ticket = edit_address(save_test(site, content), "B", person).partition("#clabo=edit-")[2]
        origin = (b"origin", b"https://shop.example")
        by = (
            origin,
            (b"authorization", f"Bearer {open_session(ticket, 'https://shop.example')[0]}".encode()),
        )
        app = middleware.Bounds(echo)
        picture = (b"x" * (3 << 20),)
        status, body = ask(app, "/edit/picture", chunks=picture, headers=by)
        self.assertEqual((status, body["length"]), (200, 3 << 20))
        self.assertEqual(ask(app, "/edit/picture", chunks=picture * 3, headers=by)[0], 413)
        # Of others no more than of anybody, and of the API's members who are signed in.
        self.assertEqual(ask(app, "/edit/picture", chunks=picture, headers=(origin,))[0], 413)
        self.assertEqual(ask(app, "/edit/draft", chunks=picture, headers=by)[0], 413)
        self.assertEqual(ask(app, f"/api/sites/{site.pk}/tests/pictures", chunks=picture)[0], 401)


class Proxies(SimpleTestCase):
    forwarded = ((b"x-forwarded-for", b"1.2.3.4, 198.51.100.7, 10.0.0.2"), (b"x-forwarded-proto", b"https"))

    def seen_as(self, of: str, *trusted: str) -> tuple[str, str | None]:
        with override_settings(CLABO_TRUSTED_PROXIES=list(trusted)):
            body = ask(middleware.TrustedProxies(echo), headers=self.forwarded, client=of)[1]
        return body["client"], body["scheme"]

    def test_only_named_ones_are_believed(self) -> None:
        self.assertEqual(self.seen_as("10.0.0.1"), ("10.0.0.1", None))
        self.assertEqual(self.seen_as("203.0.113.5", "10.0.0.0/8"), ("203.0.113.5", None))
        # What stands before the last address that is no proxy of ours can be made up.
        self.assertEqual(self.seen_as("10.0.0.1", "10.0.0.0/8"), ("198.51.100.7", "https"))


class Health(ClearedCase):
    def test_ready_names_what_is_not(self) -> None:
        # Left by others: these tables are no model's, and nothing clears them.
        forget_jobs()
        app = middleware.Health(echo)
        self.assertEqual(ask(app, "/health/live"), (200, {"live": True}))
        with tempfile.TemporaryDirectory() as folder, override_settings(CLABO_SPOOL_DIR=Path(folder)):
            self.assertEqual(ask(app, "/health/ready")[0], 200)
            (Path(folder) / "0-1-1-x").write_bytes(b"")
            status, body = ask(app, "/health/ready")
            self.assertEqual((status, body["spool"]), (503, "1 files wait for the database"))
            (Path(folder) / "0-1-1-x").unlink()
            InboxBatch.objects.create(site_id=1, payload=b"", requests=1, received_at="2026-01-01T00:00:00Z")
            self.assertIn("2026-01-01", ask(app, "/health/ready")[1]["worker"])
            long_ago = int(datetime(2026, 1, 1, tzinfo=UTC).timestamp())
            with connection.cursor() as cursor:
                cursor.execute(
                    "INSERT INTO procrastinate_periodic_defers (task_name, defer_timestamp, periodic_id) "
                    "VALUES ('tags', %s, '')",
                    [long_ago],
                )
            self.addCleanup(forget_jobs)
            self.assertIn("2026-01-01", ask(app, "/health/ready")[1]["jobs"])
            # One that has read no site yet knows nobody's hits.
            status, body = ask(middleware.Health(echo, lambda: False), "/health/ready")
            self.assertEqual((status, body["ready"]), (503, False))
            self.assertIn("none has been read", body["sites"])
        self.assertIn(b"Disallow: /", ask(app, "/robots.txt")[1])


class Secret(SimpleTestCase):
    def test_without_a_secret_nothing_is_served(self) -> None:
        done = run_manage("shell", "-c", "import clabo.platform.config.asgi", CLABO_SECRET="")
        self.assertIn(ImproperlyConfigured.__name__, done.stderr)
        self.assertIn("CLABO_SECRET is not set", done.stderr)

    def test_what_only_reports_need_is_not_loaded_before_hits_are_taken(self) -> None:
        seen = (
            "import sys, clabo.platform.config.asgi; print({'scipy.stats', 'scipy.special'} & {*sys.modules})"
        )
        self.assertEqual(run_manage("shell", "-c", seen).stdout.split("\n")[-2:], ["set()", ""])

    def test_a_deployment_behind_https_has_nothing_to_be_warned_of(self) -> None:
        done = run_manage(
            "check", "--deploy", "--fail-level", "WARNING", CLABO_PUBLIC_URL="https://clabo.shop.example"
        )
        self.assertEqual(done.returncode, 0, done.stderr)
