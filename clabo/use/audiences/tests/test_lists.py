"""Lists of identities: brought as hashes, asked for by audiences, and what joins somebody's browsers."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from django.test import TestCase

from clabo.collect.events.models import Identity, Visitor
from clabo.core.trust.identities import digest
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_site, receive

ADA, BOB, EVE = (digest("email", f"{name}@example.com") for name in ("ada", "bob", "eve"))


class Lists(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.member = Member(self.site)
        self.now = datetime.now(UTC) - timedelta(minutes=5)
        self.seen(1, ADA)
        self.seen(2, BOB)
        self.seen(3)

    def seen(self, number: int, identity: str = "", minutes: int = 0) -> None:
        person = {"person": {"email": identity}} if identity else {}
        at = self.now + timedelta(minutes=minutes)
        receive([hit(self.site, at, beacon(number, event("/kit", **person)))])

    def bring(self, name: str = "Customers", *hashes: str) -> Any:
        made = self.member.ask("POST", "/lists", {"name": name, "kind": "email"})
        if hashes:
            self.member.ask("POST", f"/lists/{made['id']}/hashes", {"hashes": list(hashes)})
        return made

    def test_whoever_is_on_it_can_be_left_out(self) -> None:
        brought = self.bring("Customers", ADA, EVE, ADA)
        kit = {"what": {"page": {"match": "equals", "value": "/kit"}}, "from": 0, "to": 21, "times": 1}
        definition = {"include": kit, "exclude": {"what": {"list": brought["id"]}}}
        made = self.member.ask("POST", "/audiences", {"name": "Not yet", "definition": definition})
        self.assertEqual(made["people"], 2)
        self.assertEqual(
            made["sentence"],
            "People who saw /kit in the last 21 days, but not those who are on the list Customers.",
        )
        found = self.member.ask("GET", "/lists")[0]
        self.assertEqual((found["size"], found["people"]), (2, 1))
        self.assertEqual(found["used_by"], ["the audience “Not yet”"])
        # One more identity on it, or one more statement, tells at once.
        self.member.ask("POST", f"/lists/{brought['id']}/hashes", {"hashes": [BOB]})
        self.assertEqual(self.member.ask("GET", "/audiences")[0]["people"], 1)
        self.seen(3, EVE)
        self.assertEqual(self.member.ask("GET", "/audiences")[0]["people"], 0)
        answer = self.member.ask("DELETE", f"/lists/{brought['id']}", status=409)
        self.assertIn("“Not yet”", answer["detail"])
        self.member.ask("DELETE", f"/audiences/{made['id']}", status=204)
        self.member.ask("DELETE", f"/lists/{brought['id']}", status=204)

    def test_what_is_no_hash_is_refused_and_nothing_of_it_kept(self) -> None:
        brought = self.bring()
        for wrong in ("ada@example.com", ADA.upper(), ADA[:-1], ADA + "0", ""):
            body = {"hashes": [BOB, wrong]}
            self.member.ask("POST", f"/lists/{brought['id']}/hashes", body, status=422)
        self.assertEqual(self.member.ask("GET", "/lists")[0]["size"], 0)
        for body in ({"name": " ", "kind": "email"}, {"name": "A", "kind": "phone"}):
            self.member.ask("POST", "/lists", body, status=422)
        self.member.ask("POST", "/lists", {"name": "Customers", "kind": "id"}, status=409)

    def test_a_list_that_is_not_there_names_the_field(self) -> None:
        body = {"definition": {"include": {"what": {"list": 999}}}}
        answer = self.member.ask("POST", "/audiences/preview", body, status=422)
        self.assertEqual(answer["field"], "definition.include.what")

    def test_two_browsers_of_one_person_are_shown_as_one_and_taken_apart(self) -> None:
        self.seen(4, ADA, minutes=1)
        found = self.member.ask("GET", f"/visitors?find={ADA}")
        self.assertEqual([f["key"] for f in found], [f"{1:032x}"])
        for number in (1, 4):
            pk = Visitor.objects.get(key=f"{number:032x}").pk
            person = self.member.ask("GET", f"/visitors/{pk}")
            self.assertEqual(person["browsers"], [f"{1:032x}", f"{4:032x}"])
        self.assertEqual([(i["hash"], i["browsers"]) for i in person["identities"]], [(ADA, 2)])
        path = f"/identities/{Identity.objects.get(hash=bytes.fromhex(ADA)).pk}"
        self.member.ask("PUT", path, {"off": True}, status=204)
        self.assertEqual(len(self.member.ask("GET", f"/visitors/{pk}")["browsers"]), 1)
        self.member.ask("PUT", path, {"off": False}, status=204)
        self.assertEqual(len(self.member.ask("GET", f"/visitors/{pk}")["browsers"]), 2)
