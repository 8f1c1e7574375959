"""Files and calls: what is proposed, what is refused, and who may do it."""

from __future__ import annotations

from datetime import timedelta
from typing import Any
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from clabo.core.trust.identities import digest
from clabo.platform.accounts.models import Role
from clabo.platform.accounts.tokens import make_token
from clabo.setup.conversions.models import Conversion
from clabo.testing.asking import Member
from clabo.testing.traffic import START, beacon, event, hit, make_rule, make_site, make_user, receive
from clabo.testing.uploads import own_uploads
from clabo.use.outcomes.models import Outcome, OutcomeImport
from clabo.use.outcomes.tasks import outcomes_by_the_hour, settle_file

FILE = """Deal no;Order ID;E-mail;Status;Closed at;Amount
1;L-1;;Closed won;05.11.2026;1.200,00
2;;p2@shop.example;Verloren;06.11.2026;
3;L-9;;Closed won;06.11.2026;300,00
4;L-1;;Reviewing;07.11.2026;
"""


class Outcomes(TestCase):
    def setUp(self) -> None:
        own_uploads(self)
        self.site = make_site(currency="EUR")
        rule = {"event": {"name": "lead"}}
        make_rule(self.site, "/", name="lead", rule=rule, counted_version=1)
        sold = {"outcome": {"stage": "sold"}}
        self.sold = make_rule(
            self.site, "/", name="sold", rule=sold, value_property="value", counted_version=1
        )
        for person in (1, 2):
            who = {"email": digest("email", f"p{person}@shop.example")}
            done = event("/done", kind="mark", name="lead", properties={"order": f"L-{person}"})
            receive([hit(self.site, START, beacon(person, event("/a", person=who), done))])
        self.member = Member(self.site)
        self.at = f"{self.member.base}/outcomes"

    def send(self, text: str = FILE) -> Any:
        file = SimpleUploadedFile("deals.csv", text.encode())
        return self.member.client.post(f"{self.at}/files", {"file": file})

    def test_a_file_from_upload_to_undo(self) -> None:
        check = self.send().json()
        self.assertEqual(
            check["mapping"]["columns"], {"order": 1, "email": 2, "stage": 3, "time": 4, "value": 5}
        )
        self.assertEqual(
            check["mapping"]["stages"], {"Closed won": "sold", "Verloren": "lost", "Reviewing": ""}
        )
        self.assertEqual((check["good"], check["bad_count"], check["importable"]), (3, 1, False))
        self.assertEqual(check["bad"][0]["line"], 5)
        self.assertEqual((check["tried"], check["matched"]), (3, 2))
        mapping = check["mapping"] | {"stages": check["mapping"]["stages"] | {"Reviewing": "-"}}
        one = f"/outcomes/files/{check['id']}"
        again = self.member.ask("POST", f"{one}/check", mapping)
        self.assertEqual((again["good"], again["left_aside"], again["importable"]), (3, 1, True))
        self.assertEqual(self.member.ask("POST", f"{one}/import", mapping)["rows"], 3)
        self.assertEqual(OutcomeImport.objects.get().stored_as, "")
        conversion = Conversion.objects.get(rule=self.sold)
        self.assertEqual((conversion.value, conversion.day.isoformat()), (1200, "2026-11-05"))
        told = self.member.ask("GET", "/outcomes")
        counts = {s["key"]: (s["told"], s["matched"], s["conversion"]) for s in told["stages"]}
        self.assertEqual(counts["sold"], (2, 1, self.sold.pk))
        self.assertEqual(counts["lost"], (1, 1, None))
        self.assertEqual([w["order"] for w in told["waiting"]], ["L-9"])
        # The same bytes once more are refused until the import is undone.
        same = self.send().json()
        self.assertEqual(same["same_file"]["file_name"], "deals.csv")
        self.member.ask("POST", f"/outcomes/files/{same['id']}/import", mapping, 409)
        self.member.ask("POST", f"{one}/undo", None, 204)
        self.assertFalse(Conversion.objects.filter(rule=self.sold).exists())
        self.assertEqual(self.member.ask("GET", "/outcomes")["waiting_count"], 0)

    def test_a_large_file_is_settled_by_the_worker(self) -> None:
        mapping = {
            "columns": {"order": 0, "stage": 1, "value": 2},
            "stages": {"sold": "sold"},
            "day_order": "ymd",
            "decimal_mark": ".",
        }
        with patch("clabo.use.outcomes.importing.AT_ONCE", 1):
            check = self.send("order,stage,amount\nL-1,sold,7\nL-2,sold,8\n").json()
            self.member.ask("POST", f"/outcomes/files/{check['id']}/import", mapping)
            self.assertFalse(Conversion.objects.filter(rule=self.sold).exists())
            self.assertEqual(self.member.ask("GET", "/outcomes")["waiting"][0]["why"], "")
            settle_file.now(self.site.pk, check["id"])
            self.assertEqual(Conversion.objects.filter(rule=self.sold).count(), 2)
            self.member.ask("POST", f"/outcomes/files/{check['id']}/undo", None, 204)
        settle_file.now(self.site.pk, check["id"])
        self.assertFalse(Conversion.objects.filter(rule=self.sold).exists())

    def test_no_address_is_kept(self) -> None:
        check = self.send("E-mail,Status\nada@shop.example,sold\n").json()
        self.member.ask("POST", f"/outcomes/files/{check['id']}/import", check["mapping"])
        outcome = Outcome.objects.get()
        self.assertEqual(outcome.identity, digest("email", "ada@shop.example"))
        self.assertNotIn("ada", str(self.member.ask("GET", "/outcomes")))

    def test_calls_by_a_token_of_their_own(self) -> None:
        by = make_user(self.site, Role.OWNER, "olga@shop.example")
        _, text = make_token(self.site.workspace, "CRM", "outcomes", 30, by)
        head = {"HTTP_AUTHORIZATION": f"Bearer {text}"}

        def call(*outcomes: dict[str, Any]) -> Any:
            return self.client.post(self.at, {"outcomes": outcomes}, "application/json", **head)

        sold = {"order": "L-1", "stage": "sold", "at": "2026-11-05T10:00:00Z", "value": 90}
        answer = call(sold, {"order": "L-7", "stage": "sold"}).json()
        self.assertEqual((answer["new"], answer["known"]), (2, 0))
        self.assertEqual([u["place"] for u in answer["unmatched"]], [1])
        self.assertEqual(call(sold).json(), {"new": 0, "known": 1, "unmatched": []})
        self.assertEqual(call(sold | {"value": 70}).json()["new"], 1)
        self.assertEqual(Conversion.objects.get(rule=self.sold).value, 70)
        self.assertEqual(call(sold | {"withdrawn": True}).json()["new"], 1)
        self.assertFalse(Conversion.objects.filter(rule=self.sold).exists())
        for wrong, field in (
            ({"stage": "sold"}, "outcomes.1.order"),
            ({"order": "L-1", "stage": "won"}, "outcomes.1.stage"),
            ({"email": "ada", "stage": "sold"}, "outcomes.1.email"),
        ):
            refused = call({"order": "L-2", "stage": "sold"}, wrong)
            self.assertEqual((refused.status_code, refused.json()["field"]), (422, field))
        self.assertFalse(Outcome.objects.filter(identity="L-2").exists())
        # It reads nothing, and changes nothing else.
        self.assertEqual(self.client.get(self.at, **head).status_code, 403)
        self.assertEqual(self.client.put(f"{self.at}/stages", {}, **head).status_code, 403)

    def test_what_was_told_too_early_is_found_later(self) -> None:
        self.member.ask("POST", "/outcomes", {"outcomes": [{"order": "L-3", "stage": "sold", "value": 5}]})
        done = event("/done", kind="mark", name="lead", properties={"order": "L-3"})
        receive([hit(self.site, START + timedelta(hours=1), beacon(3, event("/a"), done))])
        self.assertFalse(Conversion.objects.filter(rule=self.sold).exists())
        outcomes_by_the_hour.now()
        self.assertEqual(Conversion.objects.get(rule=self.sold).value, 5)

    def test_stages_of_ones_own(self) -> None:
        own = [
            {"name": "Called back", "effect": "reached"},
            {"key": "sold", "name": "Signed", "effect": "reached"},
            {"key": "refunded", "name": "Refunded", "effect": "refund"},
        ]
        found = self.member.ask("PUT", "/outcomes/stages", {"stages": own})
        self.assertEqual([s["key"] for s in found], ["called_back", "sold", "refunded"])
        self.member.ask("POST", "/outcomes", {"outcomes": [{"order": "L-1", "stage": "called_back"}]})
        for wrong in (
            own[1:],
            [own[0] | {"key": "called_back", "effect": "cancel"}, *own[1:]],
            [own[0] | {"key": "called_back"}, own[1], own[1] | {"key": "", "name": "signed"}],
        ):
            self.member.ask("PUT", "/outcomes/stages", {"stages": wrong}, 409)

    def test_viewers_see_and_do_not_change(self) -> None:
        viewer = Member(self.site, Role.VIEWER)
        self.assertEqual(len(viewer.ask("GET", "/outcomes")["stages"]), 5)
        told = {"outcomes": [{"order": "L-1", "stage": "sold"}]}
        viewer.ask("POST", "/outcomes", told, 403)
        self.member.ask("POST", "/outcomes", told)
