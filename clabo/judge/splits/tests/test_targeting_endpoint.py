"""Who may be in a test that is for an audience, as the tag asks for it."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from django.db import OperationalError

from clabo.collect.events.models import Visitor
from clabo.collect.ingest.directory import tag_site
from clabo.core.trust.identities import digest
from clabo.core.trust.proof import sign_person
from clabo.judge.splits import life, services, targeting_endpoint
from clabo.judge.splits.models import SplitTest
from clabo.judge.splits.tests.test_split_tests import STARTED, SplitCase
from clabo.platform.problems import Problem
from clabo.setup.sites.services import make_proof_key
from clabo.testing.traffic import beacon, event, hit, receive, walk
from clabo.use.audiences.models import IdentityList, Listed
from clabo.use.audiences.services import AudienceContent, make_audience

WORDS = {"words": {"selector": "h1", "text": "Again?"}}


class Entering(SplitCase):
    def setUp(self) -> None:
        super().setUp()
        bought = {"include": {"what": {"conversion": self.rule.pk}, "from": 0, "to": 30}}
        self.audience = make_audience(self.site, AudienceContent("Bought", bought), None)
        now = datetime.now(UTC) - timedelta(hours=2)
        receive([*walk(self.site, 7, now, "/a", "/thank-you"), *walk(self.site, 8, now, "/a")])

    def of_audience(self, **more: object) -> services.SplitContent:
        return self.content(
            **{
                "what": "content",
                "addresses": ["/a"],
                "changes": [[], [WORDS]],
                "who": {"audience": self.audience.pk},
                **more,
            }
        )

    def asked(self, visitor: str, key: str = "") -> list[str]:
        answer = self.client.get(f"/in/{key or self.site.key}/{visitor}.json")
        self.assertEqual((answer.status_code, answer["access-control-allow-origin"]), (200, "*"))
        return list(answer.json()["in"])

    def test_members_are_in_and_nobody_else(self) -> None:
        test = services.save_test(self.site, self.of_audience())
        self.assertEqual(self.asked(f"{7:032x}"), [], "a draft is for nobody")
        life.start(test)
        self.assertEqual(self.asked(f"{7:032x}"), [test.key])
        for stranger in (f"{8:032x}", f"{9:032x}", "x", "0" * 31, "G" * 32):
            self.assertEqual(self.asked(stranger), [], stranger)
        self.assertEqual(self.asked(f"{7:032x}", "nosuchsite"), [])
        # It is looked at as it is now.
        receive(walk(self.site, 8, datetime.now(UTC) - timedelta(minutes=5), "/a", "/thank-you"))
        self.assertEqual(self.asked(f"{8:032x}"), [test.key])
        with patch.object(targeting_endpoint, "entered", side_effect=OperationalError("too long")):
            self.assertEqual(self.asked(f"{7:032x}"), [])

    def test_what_a_person_saw_on_another_browser(self) -> None:
        test = life.start(services.save_test(self.site, self.content()), STARTED)
        [first] = [n for n, _ in zip(self.people(test, "B"), range(1), strict=False)]
        other = next(self.people(test, "A"))
        now = datetime.now(UTC) - timedelta(hours=1)

        def told(visitor: int, key: str = "") -> dict[str, str]:
            answer = self.client.get(f"/same/{key or self.site.key}/{visitor:032x}.json")
            self.assertEqual((answer.status_code, answer["access-control-allow-origin"]), (200, "*"))
            return dict(answer.json()["variants"])

        key = make_proof_key(self.site).secret

        def person(visitor: int, proven: bool = True) -> dict[str, str]:
            proof = {"proof": sign_person(key, f"{visitor:032x}", customer="K-7")} if proven else {}
            return {"id": digest("id", "K-7"), **proof}

        said = event("/b", variants={test.key: "B"}, person=person(first))
        receive([hit(self.site, now, beacon(first, said))])
        # Of one browser there is nothing to tell.
        self.assertEqual(told(first), {})
        receive([hit(self.site, now, beacon(other, event("/c", person=person(other, proven=False))))])
        # Anybody could say so.
        self.assertEqual((told(first), told(other)), ({}, {}))
        receive([hit(self.site, now, beacon(other, event("/c", person=person(other))))])
        self.assertEqual((told(first), told(other)), ({test.key: "B"}, {test.key: "B"}))
        self.assertEqual((told(99), told(other, "nosuchsite")), ({}, {}))
        self.assertEqual(self.client.get(f"/same/{self.site.key}/x.json").json(), {"variants": {}})
        self.assertTrue(json.loads(tag_site(self.site).settings)["same"])
        life.end(test)
        self.assertEqual(told(other), {})
        self.assertNotIn("same", json.loads(tag_site(self.site).settings))

    def test_whoever_knows_an_address_learns_nothing_of_the_one_whose_it_is(self) -> None:
        """A made-up browser that states it; before and after it is proven whose it is."""
        listed = IdentityList.objects.create(site=self.site, name="Customers", kind="email")
        for name in ("ada", "bob"):
            Listed.objects.create(list=listed, hash=bytes.fromhex(digest("email", f"{name}@example.com")))
        on_list = {"include": {"what": {"list": listed.pk}}}
        either = {"include": {"any": [{"what": {"audience": self.audience.pk}}, *[on_list["include"]]]}}
        tests = []
        for name, definition, page in (("List", on_list, "/b"), ("Either", either, "/c")):
            audience = make_audience(self.site, AudienceContent(name, definition), None)
            content = self.of_audience(name=name, who={"audience": audience.pk}, addresses=[page])
            tests.append(life.start(services.save_test(self.site, content)).key)
        bought = life.start(services.save_test(self.site, self.of_audience())).key
        now = datetime.now(UTC) - timedelta(hours=1)
        key = make_proof_key(self.site).secret

        def state(visitor: int, name: str, proven: bool = False) -> None:
            person = {"email": digest("email", f"{name}@example.com")}
            if proven:
                person["proof"] = sign_person(key, f"{visitor:032x}", f"{name}@example.com")
            receive([hit(self.site, now, beacon(visitor, event("/c", person=person)))])

        # 7 has bought, and says who it is; 9 is made up, seen earlier than 7 by a stated age; 10 states who is on the list.
        state(7, "ada")
        early = event("/c", age=20 * 3600 * 1000, person={"email": digest("email", "ada@example.com")})
        receive([hit(self.site, now, beacon(9, early))])
        state(10, "bob")
        self.assertEqual(Visitor.objects.exclude(joined_to=None).count(), 1)
        for stranger in (9, 10):
            self.assertEqual(self.asked(f"{stranger:032x}"), [], stranger)
        # Whoever's it is is told of what they did there.
        self.assertEqual(set(self.asked(f"{7:032x}")), {bought, tests[1]})
        state(7, "ada", proven=True)
        self.assertFalse(Visitor.objects.exclude(joined_to=None).exists())
        self.assertEqual(set(self.asked(f"{7:032x}")), {bought, *tests})
        self.assertEqual((self.asked(f"{9:032x}"), self.asked(f"{10:032x}")), ([], []))
        # Another browser of hers, signed by the site's server, is her; a signature made for another is none.
        state(11, "ada", proven=True)
        self.assertEqual(set(self.asked(f"{11:032x}")), {bought, *tests})
        forged = {
            "email": digest("email", "ada@example.com"),
            "proof": sign_person(key, f"{7:032x}", "ada@example.com"),
        }
        receive([hit(self.site, now, beacon(12, event("/c", person=forged)))])
        self.assertEqual(self.asked(f"{12:032x}"), [])

    def test_what_is_asked_of_the_one_who_writes_it(self) -> None:
        for content, field in (
            (self.of_audience(who={"audience": self.audience.pk + 1}), "who.audience"),
            (self.of_audience(what="address", addresses=["/a", "/b"]), "who.audience"),
            (self.content(moment={"after": 3}), "moment"),
            (self.of_audience(moment={"after": 3, "leaving": True}), "moment"),
        ):
            with self.assertRaises(Problem) as caught:
                services.save_test(self.site, content)
            self.assertEqual(caught.exception.field, field)
        self.assertFalse(SplitTest.objects.exists())
