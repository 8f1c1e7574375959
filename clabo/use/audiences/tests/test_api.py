"""What can be done with audiences over the API, and what is said of what cannot."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any
from unittest.mock import patch

from django.test import Client, TestCase

from clabo.collect.events.models import Visitor
from clabo.platform.accounts.models import Membership, Role
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk
from clabo.use.audiences import exporting
from clabo.use.audiences.models import Audience

KIT: dict[str, Any] = {
    "what": {"page": {"match": "equals", "value": "/kit"}},
    "from": 0,
    "to": 21,
    "times": 1,
}


class Audiences(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.rule = make_rule(self.site, "/order")
        self.member = Member(self.site)
        now = datetime.now(UTC) - timedelta(minutes=5)
        receive(walk(self.site, 1, now, "/kit", "/order", step=1) + walk(self.site, 2, now, "/kit"))
        receive([hit(self.site, now, beacon(3, event("/other")))])
        self.definition = {
            "include": KIT,
            "exclude": {"what": {"conversion": self.rule.pk}, "from": 0, "to": 365, "times": 1},
        }

    def make(self, name: str = "Lookers", definition: Any = None, **more: Any) -> Any:
        body = {"name": name, "definition": definition or self.definition, **more}
        return self.member.ask("POST", "/audiences", body)

    def refused(self, method: str, path: str, body: Any, status: int) -> Any:
        return self.member.ask(method, path, body, status=status)

    def test_it_is_made_changed_restored_deleted_and_brought_back(self) -> None:
        made = self.make()
        self.assertEqual(
            made["sentence"],
            "People who saw /kit in the last 21 days, but not those who made the conversion order in the last 365 days.",
        )
        self.assertEqual((made["people"], made["version"], made["enough"]), (1, 1, "not_yet"))
        path = f"/audiences/{made['id']}"
        longer = {**self.definition, "include": {**KIT, "to": 45}}
        body = {"name": "Lookers", "definition": longer}
        self.assertEqual(self.member.ask("PUT", path, body)["version"], 2)
        self.assertEqual(self.member.ask("PUT", path, body)["version"], 2, "nothing has changed")
        restored = self.member.ask("POST", f"{path}/versions/1/restore")
        self.assertEqual((restored["version"], restored["definition"]), (3, self.definition))
        self.assertEqual([v["version"] for v in self.member.ask("GET", f"{path}/versions")], [3, 2, 1])
        self.member.ask("DELETE", path, status=204)
        self.assertEqual(self.member.ask("GET", "/audiences"), [])
        self.member.ask("POST", f"/deleted/audience/{path.rpartition('/')[2]}/restore", status=204)
        self.assertEqual(len(self.member.ask("GET", "/audiences")), 1)

    def test_what_rests_on_another_keeps_it_and_never_on_itself(self) -> None:
        first = self.make("First")
        second = self.make("Second", {"include": {"what": {"audience": first["id"]}}})
        self.assertEqual(second["people"], 1)
        answer = self.refused("DELETE", f"/audiences/{first['id']}", None, 409)
        self.assertIn("Second", answer["detail"])
        round_trip = {"name": "First", "definition": {"include": {"what": {"audience": second["id"]}}}}
        answer = self.refused("PUT", f"/audiences/{first['id']}", round_trip, 422)
        self.assertIn("depend on itself", answer["detail"])
        listed = {a["name"]: a["used_by"] for a in self.member.ask("GET", "/audiences")}
        self.assertEqual(listed, {"First": ["the audience “Second”"], "Second": []})

    def test_what_cannot_be_read_names_the_field(self) -> None:
        for definition, field in (
            ({"include": {**KIT, "to": 0}}, "definition.include.to"),
            ({"include": {"all": [KIT, {"what": {"conversion": 10**6}}]}}, "definition.include.all[1].what"),
            ({"include": {"what": {"audience": 10**6}}}, "definition.include.what"),
            ({}, "definition.include"),
        ):
            answer = self.refused("POST", "/audiences/preview", {"definition": definition}, 422)
            self.assertEqual(answer["field"], field)
        self.make()
        same = {"name": "Lookers", "definition": self.definition}
        self.assertEqual(self.refused("POST", "/audiences", same, 409)["field"], "name")
        self.assertEqual(self.refused("POST", "/audiences", {**same, "name": " "}, 422)["field"], "name")

    def test_bands_share_nobody_and_are_made_together_or_not_at_all(self) -> None:
        made = self.make("Kit", {"include": KIT})
        bands = self.member.ask("POST", f"/audiences/{made['id']}/bands", {"cuts": [0, 14, 45]})
        self.assertEqual(
            [(b["name"], b["people"]) for b in bands], [("Kit, 0–14 days", 2), ("Kit, 14–45 days", 0)]
        )
        self.refused("POST", f"/audiences/{made['id']}/bands", {"cuts": [0, 7, 14, 45, 30]}, 422)
        self.refused("POST", f"/audiences/{made['id']}/bands", {"cuts": [0, 7, 12]}, 200)
        # One of the names is taken, so none is made.
        self.refused("POST", f"/audiences/{made['id']}/bands", {"cuts": [0, 9, 14, 45]}, 409)
        self.assertEqual(Audience.objects.count(), 5)

    def test_the_stairs_say_each_line(self) -> None:
        found = self.member.ask("POST", "/audiences/preview", {"definition": self.definition})
        self.assertEqual((found["people"], found["exact"]), (1, True))
        self.assertEqual(
            [(li["joint"], li["says"], li["when"], li["left"]) for li in found["lines"]],
            [
                ("who", "saw /kit", "in the last 21 days", 2),
                ("but not those who", "made the conversion order", "in the last 365 days", 1),
            ],
        )
        examples = self.member.ask("POST", "/audiences/examples", {"definition": self.definition})
        self.assertEqual([e["reason"] for e in examples["inside"]], ["saw /kit"])
        self.assertEqual([e["reason"] for e in examples["outside"]], ["made the conversion order"])

    def test_a_hit_counts_at_once_and_a_conversion_leads_out(self) -> None:
        made = self.make()
        receive([hit(self.site, datetime.now(UTC), beacon(4, event("/kit")))])
        path = f"/audiences/{made['id']}"
        self.assertEqual(self.member.ask("GET", "/audiences")[0]["people"], 2)
        receive([hit(self.site, datetime.now(UTC), beacon(4, event("/order")))])
        self.assertEqual(self.member.ask("GET", "/audiences")[0]["people"], 1)
        self.member.ask("DELETE", path, status=204)

    def test_start_empty(self) -> None:
        self.make("Later", {"include": KIT}, starts_empty=True)
        self.assertEqual(self.member.ask("GET", "/audiences")[0]["people"], 0)
        receive([hit(self.site, datetime.now(UTC) + timedelta(seconds=1), beacon(2, event("/kit")))])
        self.assertEqual(self.member.ask("GET", "/audiences")[0]["people"], 1)

    def test_a_person_is_found_and_told_why(self) -> None:
        self.make()
        visitor = Visitor.objects.get(key="0" * 31 + "1")
        found = self.member.ask("GET", f"/visitors?find={visitor.key.hex}")
        self.assertEqual([f["visitor"] for f in found], [visitor.pk])
        person = self.member.ask("GET", f"/visitors/{visitor.pk}")
        (audience,) = person["audiences"]
        self.assertEqual(audience["member"], False)
        self.assertEqual(
            [(li["excluded"], li["met"]) for li in audience["lines"]], [(False, True), (True, True)]
        )
        self.assertEqual([h["what"] for h in person["history"]], ["conversion", "view", "view", "visit"])
        self.refused("GET", "/visitors?find=%20", None, 422)

    def test_members_are_taken_out_by_a_link_that_ends_and_it_is_noted(self) -> None:
        made = self.make()
        path = f"/audiences/{made['id']}"
        url = self.member.ask("POST", f"{path}/link?form=jsonl")["url"]
        address = url[url.index("/api/") :]
        found = Client().get(address)
        self.assertEqual(b"".join(found.streaming_content).count(b"\n"), 1)
        for forged in (address[:-2] + "xx", address.replace("/members/", "/members/x")):
            self.assertEqual(Client().get(forged).status_code, 404)
        with patch.object(exporting, "LINK_SECONDS", -1):
            self.assertEqual(Client().get(address).status_code, 404)
        (noted,) = self.member.ask("GET", f"{path}/takings")
        self.assertEqual((noted["by_link"], noted["form"], noted["rows"]), (True, "jsonl", 1))
        # Whoever made it may not look any more: nor may whoever has the link.
        Membership.objects.update(role=Role.VIEWER)
        self.assertEqual(Client().get(address).status_code, 403)
        Audience.objects.update(deleted_at=datetime.now(UTC))
        self.assertEqual(Client().get(address).status_code, 404)
