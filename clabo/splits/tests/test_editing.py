"""Links that let a variant be written on the page: for whom, how long, and what they keep."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any

from django.test import Client

from clabo.accounts.models import Membership, Role
from clabo.problems import Problem
from clabo.splits import life, services
from clabo.splits.editing import edit_address
from clabo.splits.models import SplitTest, Variant
from clabo.splits.tests.test_split_tests import SplitCase
from clabo.testing.traffic import make_user

WORDS: dict[str, Any] = {"words": {"selector": "h1", "text": "Start with one hive"}}


class Editing(SplitCase):
    def setUp(self) -> None:
        super().setUp()
        self.person = make_user(self.site, Role.EDITOR, "edits@shop.example")
        self.draft = services.save_test(
            self.site, self.content(what="content", addresses=["/a"], changes=[[], []])
        )
        self.token = self.link().split("clabo=edit-")[1]
        # No cookie, and a strict check of forged forms: the token alone says who it is.
        self.client = Client(enforce_csrf_checks=True)

    def link(self, **more: Any) -> str:
        return edit_address(self.draft, "B", self.person, **more)

    def get(self, token: str) -> Any:
        return self.client.get(f"/edit/{token}.json", headers={"origin": "https://shop.example"})

    def post(self, body: Any, token: str = "") -> Any:
        data = body if isinstance(body, str | bytes) else json.dumps(body)
        return self.client.post(f"/edit/{token or self.token}.json", data, content_type="text/plain")

    def kept(self) -> list[Any]:
        return list(Variant.objects.get(test=self.draft, letter="B").changes)

    def test_what_is_written_is_kept_and_read_again(self) -> None:
        answer = self.post([WORDS])
        self.assertEqual((answer.status_code, answer["access-control-allow-origin"]), (200, "*"))
        self.assertEqual((answer["x-robots-tag"], answer["cache-control"]), ("noindex", "no-store"))
        self.assertEqual(self.kept(), [WORDS])
        self.assertEqual(
            self.get(self.token).json(), {"name": "Shorter story", "letter": "B", "changes": [WORDS]}
        )
        deed = self.draft.deeds.last()
        assert deed
        self.assertEqual((deed.what, deed.by), ("changed", self.person))

    def test_a_draft_whose_challenger_changes_nothing_cannot_start(self) -> None:
        with self.assertRaises(Problem) as caught:
            life.start(self.draft)
        self.assertIn("Say what B changes", caught.exception.detail)
        self.post([WORDS])
        self.assertEqual(life.start(SplitTest.objects.get(pk=self.draft.pk)).state, "running")
        for answer in (self.get(self.token), self.post([])):
            self.assertEqual(answer.status_code, 409)
        self.assertEqual(self.kept(), [WORDS])

    def test_nobody_else_and_not_for_ever(self) -> None:
        forged = [
            self.token[:-1] + ("0" if self.token[-1] != "0" else "1"),
            self.token.replace("-B-", "-C-"),
            self.token.replace(f"{self.draft.pk}-", f"{self.draft.pk + 1}-", 1),
            "x",
            "1-B-1-9999999999-" + "0" * 32,
        ]
        for token in forged:
            self.assertEqual(
                (self.get(token).status_code, self.post([], token).status_code), (404, 404), token
            )
        old = self.link(now=datetime.now(UTC) - timedelta(hours=3)).split("clabo=edit-")[1]
        self.assertEqual(self.get(old).status_code, 410)
        Membership.objects.filter(user=self.person).update(role=Role.VIEWER)
        self.assertEqual(self.post([WORDS]).status_code, 403)
        Membership.objects.filter(user=self.person).delete()
        self.assertEqual(self.get(self.token).status_code, 403)
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
            ([{"hide": {"selector": "h1"}}] * 31, 422, "changes"),
            ("[" + " " * 300_000 + "]", 413, ""),
        ):
            answer = self.post(body)
            self.assertEqual((answer.status_code, answer.json()["field"]), (status, field), str(body)[:80])
        self.assertEqual(self.client.put(f"/edit/{self.token}.json").status_code, 405)
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
