"""Views kept, shared with strangers, and sent by mail."""

from __future__ import annotations

import io
import json
import re
from base64 import b64decode
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from django.core import mail as outbox
from django.test import Client, TestCase
from openpyxl import load_workbook

from clabo.core.evidence import Counts, compare_rates
from clabo.judge.saved import mailing, services
from clabo.judge.saved.models import Mailing, SavedView, SharedLink
from clabo.judge.saved.running import answer_of
from clabo.platform.jobs.tasks import mail
from clabo.setup.conversions.models import ConversionRule
from clabo.testing.asking import Member
from clabo.testing.traffic import make_rule, make_site, receive, walk

NOON = datetime.now(UTC).replace(hour=10, minute=0, second=0, microsecond=0) - timedelta(days=2)
AD = "?utm_source=meadow&utm_medium=cpc"


class Views(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="UTC")
        self.rule = make_rule(self.site, "/thank-you")
        make_rule(self.site, "/secret-plan", name="secret_goal")
        hits = []
        for visitor in range(30):
            more = ["/thank-you"] if visitor % 3 == 0 else []
            hits += walk(self.site, visitor, NOON, f"/a{AD}", *more)
            hits += walk(self.site, 100 + visitor, NOON - timedelta(days=7), f"/a{AD}")
        receive(hits)
        self.member = Member(self.site)
        self.words = {"period": "7d", "origin": "source:meadow", "conversion": self.rule.pk, "sort": "-roas"}
        self.view = self.keep("Ads, a week", self.words)

    def keep(self, name: str, words: dict[str, Any], status: int = 200, place: str = "pages") -> Any:
        return self.member.ask("POST", "/views", {"name": name, "place": place, "words": words}, status)

    def shared(self, address: str, password: str = "", status: int = 200) -> Any:
        token = address.rpartition("/")[2]
        answer = Client().post(f"/api/shared/{token}", json.dumps({"password": password}), "application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return answer

    def test_kept_changed_copied_and_taken_away(self) -> None:
        self.assertEqual(self.view["words"], self.words)
        self.assertEqual(self.keep("Ads,  a week", {}, 409)["field"], "name")
        self.assertEqual(self.keep(" ", {}, 422)["field"], "name")
        self.assertEqual(self.keep("X", {"period": "lately"}, 422)["field"], "period")
        self.assertEqual(self.keep("X", {"period": ["7d"]}, 422)["field"], "words")
        self.assertEqual(self.keep("X", {"at": ["nonsense"]}, 422, "sources")["field"], "at")
        self.assertEqual(self.keep("X", {"columns": "x" * 9000}, 422)["field"], "words")
        one = f"/views/{self.view['id']}"
        changed = self.member.ask("PUT", one, {**self.view, "words": {**self.words, "sort": "entries"}})
        self.assertEqual(changed["words"]["sort"], "entries")
        self.assertTrue(changed["changed_by"])
        names = [self.member.ask("POST", one + "/copy")["name"] for _ in range(2)]
        self.assertEqual(names, ["Ads, a week, copy", "Ads, a week, copy 2"])
        address = self.member.ask("POST", one + "/links", {"days": 1})["address"]
        self.member.ask("POST", one + "/mailings", {"to": "a@b.example"})
        self.member.ask("DELETE", one, status=204)
        self.shared(address, status=404)
        self.assertFalse(mailing.due(datetime.now(UTC) + timedelta(days=40)))

    def test_a_stranger_sees_the_table_and_nothing_else(self) -> None:
        made = self.member.ask("POST", f"/views/{self.view['id']}/links", {"days": 7})
        answer = self.shared(made["address"])
        self.assertEqual((answer["x-robots-tag"], answer["cache-control"]), ("noindex, nofollow", "no-store"))
        said = answer.json()
        asked = self.member.ask("GET", f"/pages?period=7d&origin=source:meadow&conversion={self.rule.pk}")
        for mine, whole in zip(said["pages"]["rows"], asked["rows"], strict=True):
            for shown in ("path", "entries", "conversion_rate", "revenue", "spend", "roas"):
                self.assertEqual(mine[shown], whole[shown])
        self.assertNotIn(b"secret_goal", answer.content)
        self.assertIn(b"secret_goal", self.member.client.get(f"{self.member.base}/pages").content)
        self.assertEqual(said["pages"]["lens"]["sources"], [])
        token = made["address"].rpartition("/")[2]
        self.assertFalse(SharedLink.objects.filter(digest=token).exists())
        page = Client().get(f"/shared/{token}")
        self.assertEqual(
            (page["x-robots-tag"], page["referrer-policy"]), ("noindex, nofollow", "no-referrer")
        )
        uses = self.member.ask("GET", f"/views/{self.view['id']}/uses")["links"]
        self.assertEqual([(u["hint"], u["times"]) for u in uses], [(token[:4], 1)])
        self.member.ask("DELETE", f"/views/{self.view['id']}/links/{uses[0]['id']}", status=204)
        self.shared(made["address"], status=404)

    def test_a_stranger_reads_no_column_that_is_not_shown(self) -> None:
        own = [
            self.member.ask("POST", "/columns", {"name": n, "numerator": n, "denominator": "entries"})["id"]
            for n in ("begun_views", "clicks")
        ]
        for place, columns in (("pages", f"entries,own:{own[0]}"), ("sources", f"own:{own[0]},exit_rate")):
            view = self.keep(
                f"Few of {place}", {"period": "7d", "compare": "before", "columns": columns}, place=place
            )
            said = self.shared(self.member.ask("POST", f"/views/{view['id']}/links", {})["address"]).json()[
                place
            ]
            self.assertEqual([c["id"] for c in said["lens"]["own_columns"]], [own[0]])
            every = [
                *said["rows"],
                *said["before"].values(),
                *([said["total"]] if place == "sources" else []),
            ]
            self.assertTrue(any(r["entries"] for r in every))
            allowed = {"kind", "page_id", "host", "path", "title", "value", "name", "entries", "thin", "own"}
            for row in every:
                told = {k for k, v in row.items() if k not in allowed and v not in (None, 0, False, "0", [])}
                self.assertEqual(told, set(), row)
                self.assertLessEqual(set(row["own"]), {str(own[0])})

    def test_the_margin_and_a_lifetime_are_told_only_with_their_columns(self) -> None:
        self.site.margin = Decimal("0.25")
        self.site.save()
        ConversionRule.objects.update(lifetime_factor=Decimal(3))
        for columns, break_even, factor in (
            ("entries", None, None),
            ("entries,revenue", None, "3.0000"),
            ("spend,profit", 4.0, None),
        ):
            view = self.keep(columns, {"period": "7d", "columns": columns})
            address = self.member.ask("POST", f"/views/{view['id']}/links", {})["address"]
            lens = self.shared(address).json()["pages"]["lens"]
            self.assertEqual(
                (lens["break_even_roas"], lens["lifetime_factor"]), (break_even, factor), columns
            )
            for told in ("audiences", "sources", "channels"):
                self.assertEqual(lens[told], [])

    def test_a_link_ends_and_asks_for_its_password(self) -> None:
        links = f"/views/{self.view['id']}/links"
        for body, field in (
            ({"days": 0}, "days"),
            ({"days": 401}, "days"),
            ({"password": "short"}, "password"),
        ):
            self.assertEqual(self.member.ask("POST", links, body, 422)["field"], field)
        address = self.member.ask("POST", links, {"days": 1, "password": "long enough"})["address"]
        self.assertEqual(self.shared(address, status=401).json()["field"], "password")
        self.assertNotIn(b"/a", self.shared(address, "wrong one", 401).content)
        self.shared(address, "long enough")
        for _ in range(services.MOST_TRIES):
            self.shared(address, "wrong one", 401)
        self.shared(address, "long enough", 429)
        SharedLink.objects.update(tries_since=datetime.now(UTC) - timedelta(minutes=16))
        self.shared(address, "long enough")
        SharedLink.objects.update(expires_at=datetime.now(UTC))
        self.shared(address, "long enough", 404)

    def test_a_view_of_sources_and_one_of_a_path(self) -> None:
        self.keep("Where", {"period": "7d", "by": "source"}, place="sources")
        view = SavedView.objects.get(name="Where")
        answer = answer_of(view)
        assert answer
        self.assertEqual([r.name for r in answer.rows], ["meadow"])  # type: ignore[union-attr]
        path = self.keep("Way", {"path": 3}, place="paths")
        self.member.ask("POST", f"/views/{path['id']}/links", {}, 409)
        self.member.ask("POST", f"/views/{path['id']}/mailings", {"to": "a@b.example"}, 409)

    def test_mails_go_out_once_on_their_day_until_somebody_ends_them(self) -> None:
        one = f"/views/{self.view['id']}/mailings"
        self.assertEqual(self.member.ask("POST", one, {"to": "nobody"}, 422)["field"], "to")
        self.member.ask("POST", one, {"to": "ann@agency.example"})
        self.member.ask("POST", one, {"to": "Ann@agency.example"}, 409)
        self.member.ask("POST", one, {"to": "ann@agency.example", "rhythm": "monthly"})
        Mailing.objects.update(made_at=datetime(2026, 1, 1, tzinfo=UTC))
        monday = datetime(2026, 11, 30, 5, 59, tzinfo=UTC)
        self.assertEqual(mailing.due(monday), [])
        weekly, monthly = monday + timedelta(minutes=1), datetime(2026, 12, 1, 9, tzinfo=UTC)
        self.assertEqual([m.rhythm for m, _ in mailing.due(weekly)], ["weekly"])
        self.assertEqual([m.rhythm for m, _ in mailing.due(monthly)], ["monthly"])
        found, today = mailing.due(weekly)[0]
        with patch.object(type(mail), "later", autospec=True) as put:
            self.assertTrue(mailing.send(found, today))
            self.assertFalse(mailing.send(found, today))
        self.assertEqual(put.call_count, 1)
        mail.now(**put.call_args.kwargs)
        sent = outbox.outbox[-1]
        self.assertEqual((sent.to, sent.subject), (["ann@agency.example"], "Ads, a week: Shop"))
        link = re.search(r"/unsubscribe/(\S+)", sent.body)
        assert link
        self.assertEqual(sent.extra_headers["List-Unsubscribe"].count(link[1]), 1)
        book = load_workbook(io.BytesIO(sent.attachments[0][1]))  # type: ignore[index, arg-type]
        entries = [c.value for c in book["Table"][2]][[c.value for c in book["Table"][1]].index("entries")]
        self.assertEqual(entries, 30)
        self.assertEqual(mailing.due(weekly), [])
        answer = Client().post(f"/api/unsubscribe/{link[1]}")
        self.assertEqual(answer.json(), {"view": "Ads, a week", "to": "ann@agency.example"})
        self.assertEqual(mailing.due(weekly + timedelta(days=7)), [])
        self.assertEqual(Client().post(f"/api/unsubscribe/{link[1]}x").status_code, 404)

    def test_a_mail_says_what_changed_beyond_chance(self) -> None:
        view = SavedView.objects.get()
        _, body, attached = mailing.composed(view)
        expected = compare_rates(Counts(0, 30), Counts(10, 30)).difference
        self.assertIn(f"/a: {expected.low * 100:+.2f} to {expected.high * 100:+.2f} per 100 visits", body)
        self.assertTrue(b64decode(attached[0][1]).startswith(b"PK"))
        view.words = {**self.words, "period": "1d"}
        self.assertIn("No conversion rate differs", mailing.composed(view)[1])
        view.words = {**self.words, "conversion": 10**9}
        self.assertIn("cannot be read any more", mailing.composed(view)[1])
