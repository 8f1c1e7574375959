"""Links that let a variant be written on the page: for whom, how long, and what they keep."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any

from django.test import Client

from clabo.judge.splits import life, services
from clabo.judge.splits.editor.sessions import edit_address
from clabo.judge.splits.models import EditSession, SplitTest, Variant
from clabo.judge.splits.tests.test_split_tests import SplitCase
from clabo.platform.accounts.models import Membership, Role
from clabo.platform.problems import Problem
from clabo.testing.traffic import make_user

ORIGIN = "https://shop.example"
WORDS: dict[str, Any] = {"words": {"selector": "h1", "text": "Start with one hive"}}


class Editing(SplitCase):
    def setUp(self) -> None:
        super().setUp()
        self.person = make_user(self.site, Role.EDITOR, "edits@shop.example")
        self.draft = services.save_test(
            self.site, self.content(what="content", addresses=["/a"], changes=[[], []])
        )
        # No cookie, and a strict check of forged forms: the token alone says who it is.
        self.client = Client(enforce_csrf_checks=True)
        self.token = self.opened(self.ticket()).json()["token"]

    def link(self, **more: Any) -> str:
        return edit_address(self.draft, "B", self.person, **more)

    def ticket(self, **more: Any) -> str:
        page, _, ticket = self.link(**more).partition("#clabo=edit-")
        self.assertEqual(page, f"{ORIGIN}/a")
        return ticket

    def opened(self, ticket: str, origin: str = ORIGIN) -> Any:
        return self.client.post("/edit/open", ticket, content_type="text/plain", headers={"origin": origin})

    def post(self, body: Any, token: str = "", origin: str = ORIGIN) -> Any:
        data = body if isinstance(body, str | bytes) else json.dumps(body)
        headers = {"origin": origin, "authorization": f"Bearer {token or self.token}"}
        return self.client.post("/edit/draft", data, content_type="text/plain", headers=headers)

    def kept(self) -> list[Any]:
        return list(Variant.objects.get(test=self.draft, letter="B").changes)

    def test_what_is_written_is_kept_and_read_again(self) -> None:
        answer = self.post([WORDS])
        self.assertEqual((answer.status_code, answer["access-control-allow-origin"]), (200, "*"))
        self.assertEqual((answer["x-robots-tag"], answer["cache-control"]), ("noindex", "no-store"))
        self.assertEqual(self.kept(), [WORDS])
        again = self.opened(self.ticket()).json()
        self.assertNotEqual(again.pop("token"), self.token)
        self.assertEqual(again, {"name": "Shorter story", "letter": "B", "changes": [WORDS]})
        deed = self.draft.deeds.last()
        assert deed
        self.assertEqual((deed.what, deed.by), ("changed", self.person))

    def test_a_draft_whose_challenger_changes_nothing_cannot_start(self) -> None:
        with self.assertRaises(Problem) as caught:
            life.start(self.draft)
        self.assertIn("Say what B changes", caught.exception.detail)
        self.post([WORDS])
        self.assertEqual(life.start(SplitTest.objects.get(pk=self.draft.pk)).state, "running")
        self.assertEqual(self.post([]).status_code, 409)
        self.assertEqual(self.kept(), [WORDS])

    def test_nobody_else_and_not_for_ever(self) -> None:
        ticket = self.ticket()
        forged = [
            ticket[:-1] + ("0" if ticket[-1] != "0" else "1"),
            ticket.replace("-B-", "-C-"),
            ticket.replace(f"{self.draft.pk}-", f"{self.draft.pk + 1}-", 1),
            "x",
            "1-B-1-9999999999-" + "0" * 16 + "-" + "0" * 32,
            "",
            "é" * 90,
            "x" * 100_000,
        ]
        for wrong in forged:
            self.assertEqual(self.opened(wrong).status_code, 404, wrong)
        old = self.ticket(now=datetime.now(UTC) - timedelta(minutes=11))
        self.assertEqual(self.opened(old).status_code, 410)
        # On the site's own pages, and once.
        for elsewhere in ("https://elsewhere.example", "null", "", "https://shop.example.elsewhere.example"):
            self.assertEqual(self.opened(ticket, elsewhere).status_code, 403)
        self.assertEqual(self.opened(ticket).status_code, 200)
        self.assertEqual(self.opened(ticket).status_code, 410)
        # What it was exchanged for holds there, and is no ticket.
        self.assertEqual(self.post([WORDS], origin="https://elsewhere.example").status_code, 404)
        self.assertEqual(self.post([WORDS], token="x" * 43).status_code, 404)
        self.assertEqual(self.post([WORDS], token=ticket).status_code, 404)
        self.assertEqual(self.opened(self.token).status_code, 404)
        kept = EditSession.objects.latest("pk")
        self.assertNotIn(self.token, (kept.token, kept.ticket))
        EditSession.objects.update(until=datetime.now(UTC))
        self.assertEqual(self.post([WORDS]).status_code, 410)
        EditSession.objects.update(until=datetime.now(UTC) + timedelta(hours=1))
        Membership.objects.filter(user=self.person).update(role=Role.VIEWER)
        self.assertEqual(self.post([WORDS]).status_code, 403)
        Membership.objects.filter(user=self.person).delete()
        self.assertEqual((self.post([]).status_code, self.opened(self.ticket()).status_code), (403, 403))
        self.assertEqual(self.kept(), [])

    def test_bad_input_names_the_field_and_loses_nothing(self) -> None:
        self.post([WORDS])
        for body, status, field in (
            ([{"link": {"selector": "a", "to": "javascript:alert(1)"}}], 422, "changes[0].link.to"),
            ([{"words": {"selector": "h1", "text": "a\0b"}}], 422, "changes[0].words.text"),
            ('[{"words": {"selector": "h1", "text": "\\ud800"}}]', 422, "changes[0].words.text"),
            ([{"words": {"selector": "h1 {}", "text": "x"}}], 422, "changes[0].words.selector"),
            ({"words": 1}, 422, "changes"),
            ("[", 422, ""),
            (b"\xff\xfe", 422, ""),
            ("[" * 50_000 + "]" * 50_000, 422, ""),
            ([{"hide": {"selector": "h1"}}] * 31, 422, "changes"),
            ("[" + " " * 300_000 + "]", 413, ""),
        ):
            answer = self.post(body)
            self.assertEqual((answer.status_code, answer.json()["field"]), (status, field), str(body)[:80])
        self.assertEqual(self.client.put("/edit/draft").status_code, 405)
        self.assertEqual(self.kept(), [WORDS])

    def test_a_link_is_for_a_draft_of_content_and_a_challenger(self) -> None:
        for test, letter in (
            (self.draft, "A"),
            (self.draft, "H"),
            (services.save_test(self.site, self.content()), "B"),
        ):
            with self.assertRaises(Problem) as caught:
                edit_address(test, letter, self.person)
            self.assertEqual(caught.exception.field, "letter")
        with self.assertRaises(Problem) as caught:
            edit_address(life.start(services.save_test(self.site, self.content())), "B", self.person)
        self.assertEqual(caught.exception.status, 409)
