"""Every route of the API, walked by those who must not get in."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client, TestCase
from django.test.client import encode_multipart
from procrastinate.contrib.django.models import ProcrastinateJob

from clabo.collect.bridges.models import BridgeLink
from clabo.collect.bridges.services import save_link
from clabo.collect.events.models import Event, Identity, Page, Visitor
from clabo.collect.pictures.models import PagePicture
from clabo.core.plans.ad_links import Parts
from clabo.core.trust.identities import digest
from clabo.judge.alerts.services import save_recipient
from clabo.judge.columns.services import make_column
from clabo.judge.decisions import services as deciding
from clabo.judge.decisions.models import Decision
from clabo.judge.notes.services import write
from clabo.judge.paths.services import keep_path, remove_path
from clabo.judge.saved import mailing
from clabo.judge.saved.services import save_view, share
from clabo.judge.splits.models import SplitTest, Variant
from clabo.platform.accounts import services
from clabo.platform.accounts.models import ApiToken, Membership, Role, User
from clabo.platform.accounts.scopes import READING_POSTS as READING_POSTS_OF_TOKENS
from clabo.platform.accounts.scopes import ROUTES, TELLING_POSTS, name_of
from clabo.platform.accounts.tokens import make_token, revoke
from clabo.platform.config.api import api
from clabo.platform.shapes import Shape
from clabo.setup.conversions.models import RuleVersion
from clabo.setup.monitoring import excluding
from clabo.setup.rehearsals import services as rehearsing
from clabo.setup.sites.models import ProofKey, Site
from clabo.setup.sites.services import make_proof_key
from clabo.testing.traffic import START, beacon, event, hit, make_rule, make_site, make_user, receive
from clabo.use.audiences.lists import make_list
from clabo.use.audiences.services import AudienceContent, make_audience
from clabo.use.delivery.models import AdChannel, AudienceUse
from clabo.use.links.services import save_link as keep_link
from clabo.use.outcomes.models import OutcomeImport
from clabo.use.plans.content import PlanContent
from clabo.use.plans.services import save_plan
from clabo.use.spend.models import Budget, SpendImport

# Open to everybody by design: who am I, and the first account, which has a token of its own.
# And a kit that was sent to somebody, by an address that cannot be guessed.
# So are an invitation and its taking.
OPEN = {
    ("get", "/api/session"),
    ("post", "/api/setup"),
    ("get", "/api/kit/{token}"),
    ("get", "/api/invitations/{token}"),
    ("post", "/api/invitations/{token}/take"),
    # Members of an audience, by a signed link that ends.
    ("get", "/api/members/{token}"),
    # A saved view, by a link that ends; and a mail that somebody wants no more of.
    ("post", "/api/shared/{token}"),
    ("post", "/api/unsubscribe/{token}"),
}
# One's own account, in whatever workspace: platform/accounts/tests/test_account.py.
OWN = {("patch", "/api/account")}
# What shows more than a viewer is to see.
CLOSED_GETS = {
    "/api/sites/{site_id}/views/{view_id}/uses",
    "/api/workspaces/{workspace_id}/tokens",
    "/api/workspaces/{workspace_id}/invitations",
    "/api/sites/{site_id}/alerts",
    "/api/sites/{site_id}/kit/links",
    "/api/workspaces/{workspace_id}/jobs",
    "/api/sites/{site_id}/audiences/{audience_id}/members",
    "/api/sites/{site_id}/audiences/{audience_id}/takings",
}
# Reads by another name than GET: nothing changes, so a viewer may.
READING_POSTS = {
    "/api/sites/{site_id}/conversions/preview",
    "/api/sites/{site_id}/tests/plan",
    "/api/sites/{site_id}/audiences/preview",
    "/api/sites/{site_id}/audiences/growth",
    "/api/sites/{site_id}/audiences/examples",
    "/api/sites/{site_id}/paths/report",
    "/api/sites/{site_id}/links/look",
    "/api/sites/{site_id}/plans/effect",
    "/api/sites/{site_id}/channels/{channel_id}/people",
}
ADA = digest("email", "ada@example.com")
RULE = {"page": {"match": "equals", "value": "/thank-you"}}
BRIDGE = {"slug": "partner", "target": "https://partner.example/"}
CONVERSION = {"name": "lead_form", "category": "lead", "rule": RULE, "counting": "visit"}
PATH = {"steps": [RULE, {"page": {"match": "equals", "value": "/a"}}]}
AUDIENCE = {"name": "Readers", "definition": {"include": {"what": RULE}}}
COLUMN = {"name": "Arrived", "numerator": "entries", "denominator": "clicks"}
VIEW: dict[str, Any] = {"name": "Week", "place": "pages", "words": {"period": "7d"}}
LINK = {"destination": "https://shop.example/a", "source": "meadow", "medium": "cpc", "campaign": "may"}
CHANNEL = {"name": "Meadow", "kind": "files", "source": "meadow"}
PLAN = {"name": "Keepers", "daily_budget": 10}
ALERTED = {"when": "at_once", "kinds": ["site_silent"]}
OUTCOMES = {"outcomes": [{"order": "1", "stage": "sold"}]}
MAPPING = {"columns": {"order": 0, "stage": 1}, "stages": {}, "day_order": "ymd", "decimal_mark": "."}
READING = {"columns": {"day": 0, "cost": 1}, "day_order": "ymd", "decimal_mark": ".", "source": "x"}


class RoutedCase(TestCase):
    """A site with one of everything that a route may name."""

    def setUp(self) -> None:
        self.site = make_site()
        self.owner = make_user(self.site, Role.OWNER, "owner@shop.example")
        self.viewer = make_user(self.site, Role.VIEWER, "viewer@shop.example")
        other = make_site()
        self.outsider = make_user(other, Role.OWNER, "owner@elsewhere.example")
        self.rule = make_rule(self.site, "/thank-you")
        RuleVersion.objects.create(rule=self.rule, version=1, content={**CONVERSION, "value": None})
        receive([hit(self.site, START, beacon(1, event("/a", person={"email": ADA})))])
        pages = [
            Page.objects.create(site=self.site, host="shop.example", path=path, first_at=START, last_at=START)
            for path in ("/c", "/b")
        ]
        self.page = pages[0]
        self.picture = PagePicture.objects.create(
            site=self.site,
            page=self.page,
            width="phone",
            taken_at=START,
            seen_at=START,
            height=1,
            whole=b"",
            small=b"",
            tiles=[],
        )
        self.decision = deciding.answer(self.site, "test:1", "A test", Decision.Answer.LATER, None)
        self.exclusion = excluding.exclude(self.site, "network", None, "a" * 16)
        self.invitation = services.invite(self.site.workspace, "new@shop.example", "", "viewer", None)
        self.test = SplitTest.objects.create(
            site=self.site, name="T", rule=self.rule, baseline=0.1, smallest_lift=0.5, planned_visitors=900
        )
        for letter, page in zip("AB", pages, strict=True):
            Variant.objects.create(test=self.test, letter=letter, host=page.host, path=page.path, share=50)
        self.batch = SpendImport.objects.create(
            site=self.site, file_name="f.csv", digest="0", stored_as="0", state="done", first_day=date.today()
        )
        self.outcomes = OutcomeImport.objects.create(
            site=self.site, file_name="o.csv", digest="0", state="done"
        )
        self.recipient = save_recipient(self.site, "mail", "a@b.example", "at_once", ["site_silent"], None)
        self.bridge = save_link(self.site, "suits", "https://partner.example/")
        self.rehearsal = rehearsing.begin(self.site, None)
        self.audience = make_audience(self.site, AudienceContent(**AUDIENCE), None)
        self.other_audience = make_audience(self.site, AudienceContent(**{**AUDIENCE, "name": "More"}), None)
        self.path = keep_path(self.site, "Way", PATH["steps"], None, None)
        self.gone = keep_path(self.site, "Old way", PATH["steps"], None, None)
        remove_path(self.gone)
        self.column = make_column(self.site, **COLUMN, mark="", mark_at=None, by=None)
        self.note = write(self.site, START.date(), "Price raised", None)
        self.view = save_view(self.site, "Week", "pages", VIEW["words"], None)
        self.view_link = share(self.view, 5, "", None)[0]
        self.mailing = mailing.add(self.view, "m@shop.example", "weekly", None)
        self.list = make_list(self.site, "Customers", "email", None).row
        self.channel = AdChannel.objects.create(
            site=self.site, name="Lantern", kind="files", source="lantern"
        )
        self.use = AudienceUse.objects.create(audience=self.other_audience, channel=self.channel)
        planning = AdChannel.objects.create(
            site=self.site, name="P", kind="http", source="p", told={"plans": True}
        )
        self.plan_in = {**PLAN, "channel": planning.pk, "aim": self.rule.pk}
        self.plan = save_plan(self.site, PlanContent("Bees", planning.pk, self.rule.pk), None)
        self.budget = Budget.objects.create(site=self.site, amount=Decimal(100))
        self.ad_link = keep_link(
            self.site, Parts(LINK["destination"], {k: v for k, v in LINK.items() if k != "destination"}), None
        )
        self.token, self.token_text = make_token(self.site.workspace, "Notebook", "reports", 30, self.owner)
        self.job = ProcrastinateJob.objects.get(task_name="mail")
        test_in = {
            "name": "T",
            "conversion": self.rule.pk,
            "addresses": ["/a", "/b"],
            "shares": [50, 50],
            "baseline": 0.1,
            "smallest_lift": 0.5,
        }
        self.bodies: dict[tuple[str, str], Any] = {
            ("post", "/api/workspaces/{workspace_id}/sites"): {"name": "S", "hosts": ["s.example"]},
            ("post", "/api/workspaces/{workspace_id}/invitations"): {"email": "n@shop.example"},
            ("post", "/api/sites/{site_id}/notes"): {"day": "2026-10-05", "text": "Sale"},
            ("post", "/api/sites/{site_id}/columns"): {**COLUMN, "name": "More"},
            ("post", "/api/sites/{site_id}/views"): {**VIEW, "name": "More"},
            ("put", "/api/sites/{site_id}/views/{view_id}"): VIEW,
            ("post", "/api/sites/{site_id}/views/{view_id}/links"): {},
            ("post", "/api/sites/{site_id}/views/{view_id}/mailings"): {"to": "n@shop.example"},
            ("post", "/api/workspaces/{workspace_id}/tokens"): {"name": "Notebook"},
            ("put", "/api/sites/{site_id}/pages/{page_id}/goal"): {"conversion": None},
            ("post", "/api/sites/{site_id}/hosts"): {"host": "www.shop.example"},
            ("post", "/api/sites/{site_id}/exclusions"): {"what": "network", "network": "b" * 16},
            ("patch", "/api/workspaces/{workspace_id}/members/{user_id}"): {"role": "viewer"},
            ("patch", "/api/sites/{site_id}"): {"name": "Renamed"},
            ("post", "/api/sites/{site_id}/conversions"): CONVERSION,
            ("put", "/api/sites/{site_id}/conversions/{rule_id}"): CONVERSION,
            ("post", "/api/sites/{site_id}/conversions/preview"): {"rule": RULE, "counting": "visit"},
            ("post", "/api/sites/{site_id}/bridges"): BRIDGE,
            ("put", "/api/sites/{site_id}/bridges/{link_id}"): BRIDGE,
            ("post", "/api/sites/{site_id}/rehearsals"): {},
            ("put", "/api/sites/{site_id}/conversions/{rule_id}/steps"): {"steps": "open /a"},
            ("post", "/api/sites/{site_id}/kit/share"): {},
            ("post", "/api/sites/{site_id}/coverage/pages"): {"pages": "/a"},
            ("post", "/api/sites/{site_id}/check-page"): {"url": "/a"},
            ("post", "/api/sites/{site_id}/spend/files/{import_id}/check"): READING,
            ("post", "/api/sites/{site_id}/spend/files/{import_id}/import"): READING,
            ("post", "/api/sites/{site_id}/alerts"): {**ALERTED, "by": "mail", "to": "a@shop.example"},
            ("put", "/api/sites/{site_id}/alerts/{recipient_id}"): ALERTED,
            ("post", "/api/sites/{site_id}/outcomes"): OUTCOMES,
            ("put", "/api/sites/{site_id}/outcomes/stages"): {
                "stages": [{"name": "Sold", "effect": "reached"}]
            },
            ("post", "/api/sites/{site_id}/outcomes/files/{file_id}/check"): MAPPING,
            ("post", "/api/sites/{site_id}/outcomes/files/{file_id}/import"): MAPPING,
            ("post", "/api/sites/{site_id}/tests"): test_in,
            ("post", "/api/sites/{site_id}/tests/plan"): test_in,
            ("put", "/api/sites/{site_id}/tests/{test_id}"): test_in,
            ("put", "/api/sites/{site_id}/tests/{test_id}/label"): {"name": "Another"},
            ("post", "/api/sites/{site_id}/tests/{test_id}/adopt"): {"letter": "B"},
            ("post", "/api/sites/{site_id}/tests/{test_id}/archive"): {"away": True},
            ("post", "/api/sites/{site_id}/tests/{test_id}/editor"): {"letter": "B"},
            ("post", "/api/sites/{site_id}/audiences"): AUDIENCE,
            ("put", "/api/sites/{site_id}/audiences/{audience_id}"): AUDIENCE,
            ("post", "/api/sites/{site_id}/audiences/{audience_id}/bands"): {"cuts": [0, 1, 2]},
            ("post", "/api/sites/{site_id}/paths"): {**PATH, "name": "More"},
            ("put", "/api/sites/{site_id}/paths/{path_id}"): {**PATH, "name": "Way"},
            ("post", "/api/sites/{site_id}/paths/report"): PATH,
            ("post", "/api/sites/{site_id}/paths/left"): {**PATH, "name": "Way"},
            ("post", "/api/sites/{site_id}/lists"): {"name": "More", "kind": "id"},
            ("post", "/api/sites/{site_id}/lists/{list_id}/hashes"): {"hashes": [ADA]},
            ("put", "/api/sites/{site_id}/identities/{identity_id}"): {"off": True},
            ("post", "/api/sites/{site_id}/decisions"): {"key": "audience:1", "answer": "later"},
            ("put", "/api/sites/{site_id}/ad-sides"): {"source": "meadow", "window_days": 7},
            ("post", "/api/sites/{site_id}/budgets"): {"source": "meadow", "amount": "500"},
            ("put", "/api/sites/{site_id}/budgets/{budget_id}"): {"amount": "600"},
            ("post", "/api/sites/{site_id}/links"): LINK,
            ("post", "/api/sites/{site_id}/links/look"): LINK,
            ("put", "/api/sites/{site_id}/link-naming"): {"lower": True, "space": "-", "required": []},
            ("post", "/api/sites/{site_id}/channels"): CHANNEL,
            ("put", "/api/sites/{site_id}/channels/{channel_id}"): CHANNEL,
            ("put", "/api/sites/{site_id}/channels/{channel_id}/heads"): {"members": {}, "conversions": {}},
            ("post", "/api/sites/{site_id}/channels/{channel_id}/spend"): {
                "first": "2026-10-01",
                "last": "2026-10-02",
            },
            ("post", "/api/sites/{site_id}/audiences/{audience_id}/uses"): {"channel": self.channel.pk},
            ("post", "/api/sites/{site_id}/plans"): self.plan_in,
            ("put", "/api/sites/{site_id}/plans/{plan_id}"): self.plan_in,
            ("post", "/api/sites/{site_id}/plans/effect"): self.plan_in,
            ("post", "/api/sites/{site_id}/channels/{channel_id}/people"): {"town": "Carrow"},
            **{
                ("post", f"/api/sites/{{site_id}}/audiences/{what}"): {"definition": AUDIENCE["definition"]}
                for what in ("preview", "growth", "examples")
            },
        }

    def routes(self) -> list[tuple[str, str]]:
        paths = api.get_openapi_schema()["paths"]
        return [(method, path) for path, methods in paths.items() for method in methods]

    def address(self, path: str, **other: Any) -> str:
        known = {
            "workspace_id": self.site.workspace_id,
            "site_id": self.site.pk,
            "rule_id": self.rule.pk,
            "test_id": self.test.pk,
            "import_id": self.batch.pk,
            "file_id": self.outcomes.pk,
            "recipient_id": self.recipient.pk,
            "user_id": self.viewer.pk,
            "version": 1,
            "page_id": self.page.pk,
            "picture_id": self.picture.pk,
            "decision_id": self.decision.pk,
            "exclusion_id": self.exclusion.pk,
            "job_id": self.job.pk,
            "invitation_id": self.invitation.pk,
            "link_id": self.bridge.pk,
            "rehearsal_id": self.rehearsal.pk,
            "audience_id": self.audience.pk,
            "path_id": self.path.pk,
            "kind": "path",
            "thing_id": self.gone.pk,
            "list_id": self.list.pk,
            "note_id": self.note.pk,
            "column_id": self.column.pk,
            "channel_id": self.channel.pk,
            "use_id": self.use.pk,
            "ad_link_id": self.ad_link.pk,
            "budget_id": self.budget.pk,
            "plan_id": self.plan.pk,
            "view_id": self.view.pk,
            "mailing_id": self.mailing.pk,
            "token_id": self.token.pk,
            **other,
        }
        # Asked for only where it is named: there are hundreds of addresses.
        looked_up: dict[str, Callable[[], object]] = {
            "key_id": lambda: make_proof_key(self.site).pk if not self.site.proof_keys.exists() else 0,
            "identity_id": lambda: Identity.objects.get().pk,
            "visitor_id": lambda: Visitor.objects.get(site=self.site).pk,
            "hit_id": lambda: Event.objects.get(site=self.site).id,
        }
        if "/views/" in path:
            known["link_id"] = self.view_link.pk

        def named(found: re.Match[str]) -> str:
            name = found[1]
            return str(known[name] if name in known else looked_up[name]())

        address = re.sub(r"\{(\w+)\}", named, path)
        if path.endswith("/compare"):
            address += "?a=1&b=2"
        if path.endswith("/beside"):
            address += "?page=1&page=2"
        if path.endswith("/overlap"):
            address += f"?of={self.audience.pk}&of={self.other_audience.pk}"
        if path.endswith("/proposed"):
            address += f"?conversion={self.rule.pk}"
        if path.endswith("/notes"):
            address += "?first=2026-10-01&last=2026-10-31"
        if path.endswith("/ways"):
            address += f"?page={self.page.pk}"
        if path.endswith("{site_id}/visitors"):
            address += "?find=" + Visitor.objects.get(site=self.site).key.hex
        return address

    def call(self, client: Client, method: str, path: str, **other: Any) -> Any:
        address = self.address(path, **other)
        if path.endswith(("/spend/files", "/outcomes/files")):
            return client.post(address, {"file": SimpleUploadedFile("f.csv", b"day,cost\n2026-01-01,1\n")})
        if path.endswith("/tests/pictures"):
            return client.post(address, {"picture": SimpleUploadedFile("f.png", b"")})
        body = self.bodies.get((method, path))
        return client.generic(
            method.upper(), address, json.dumps(body) if body is not None else "", "application/json"
        )

    def signed_in(self, user: User) -> Client:
        client = Client()
        client.force_login(user, backend="allauth.account.auth_backends.AuthenticationBackend")
        return client


class EveryRoute(RoutedCase):
    def test_strangers_are_asked_to_sign_in(self) -> None:
        self.assertGreater(len(self.routes()), 25)
        for method, path in self.routes():
            if (method, path) in OPEN:
                continue
            answer = self.call(Client(), method, path)
            self.assertEqual(answer.status_code, 401, (method, path))
            self.assertEqual(answer["content-type"], "application/problem+json", (method, path))

    def test_members_of_another_workspace_find_nothing(self) -> None:
        client = self.signed_in(self.outsider)
        for method, path in self.routes():
            if (method, path) in OPEN | OWN:
                continue
            answer = self.call(client, method, path)
            self.assertEqual(answer.status_code, 404, (method, path, answer.content))
            self.assertNotContains(answer, "lead_form", status_code=404)

    def test_viewers_look_and_change_nothing(self) -> None:
        client = self.signed_in(self.viewer)
        for method, path in self.routes():
            if (method, path) in OPEN | OWN:
                continue
            answer = self.call(client, method, path)
            if (method == "get" and path not in CLOSED_GETS) or path in READING_POSTS:
                # 404: pages 1 and 2 that are compared have no visits; the channel knows of no people.
                self.assertIn(answer.status_code, (200, 404), (method, path, answer.content))
                if answer.status_code == 404:
                    self.assertTrue(path.endswith(("/compare", "/beside", "{channel_id}/people")), path)
            else:
                self.assertEqual(answer.status_code, 403, (method, path, answer.content))
                self.assertIn("Ask an owner", answer.json()["detail"])

    def test_a_token_reads_and_tells_only_what_its_scope_names(self) -> None:
        """Every route of the URL map by every scope: closed unless it is in the list."""
        people = make_token(self.site.workspace, "Export", "people", 30, self.owner)[1]
        secrets = {*BridgeLink.objects.values_list("secret", flat=True)}
        secrets |= {*ProofKey.objects.values_list("secret", flat=True)}
        self.assertTrue(secrets)
        named = {
            (m, name_of(re.sub(r"\{\w+\}", "1", path))): path
            for m, path in self.routes()
            if path.startswith("/api/sites/")
        }
        outcomes = make_token(self.site.workspace, "CRM", "outcomes", 30, self.owner)[1]
        for scope, text in (("reports", self.token_text), ("people", people), ("outcomes", outcomes)):
            # Nothing in the list has gone.
            reading = {("post" if n in READING_POSTS_OF_TOKENS else "get", n) for n in ROUTES[scope]}
            telling = {("post", n) for n in TELLING_POSTS.get(scope, ())}
            self.assertEqual((reading | telling) - set(named), set())
            client = Client(headers={"authorization": f"Bearer {text}"})
            for method, path in self.routes():
                if (method, path) in OPEN:
                    continue
                answer = self.call(client, method, path)
                told = b"".join(answer) if answer.streaming else answer.content
                self.assertFalse(any(s.encode() in told for s in secrets), (method, path))
                name = name_of(re.sub(r"\{\w+\}", "1", path))
                if (method, name) in reading | telling and name is not None:
                    self.assertIn(answer.status_code, (200, 404), (scope, method, path))
                else:
                    self.assertEqual(answer.status_code, 403, (scope, method, path))
        self.token.refresh_from_db()
        self.assertIsNotNone(self.token.last_used_at)

    def test_a_reports_token_reads_of_nobody_in_particular(self) -> None:
        client = Client(headers={"authorization": f"Bearer {self.token_text}"})
        for path in (
            "visitors",
            "visitors/1",
            "live",
            "lists",
            "audiences/1/members",
            "kit",
            "proof-keys",
            "nothing",
        ):
            answer = client.get(f"/api/sites/{self.site.pk}/{path}")
            self.assertIn(answer.status_code, (403, 404), path)
            self.assertNotEqual((path, answer.status_code), ("visitors", 404))

    def test_a_token_ends(self) -> None:
        pages = f"/api/sites/{self.site.pk}/pages"
        client = Client(headers={"authorization": f"Bearer {self.token_text}"})
        elsewhere = Site.objects.exclude(pk=self.site.pk).get()
        Membership.objects.create(workspace=elsewhere.workspace, user=self.owner, role=Role.OWNER)
        self.assertEqual(client.get(pages).status_code, 200)
        self.assertEqual(client.get(f"/api/sites/{elsewhere.pk}/pages").status_code, 404)
        ApiToken.objects.update(made_by=self.viewer)
        self.assertEqual(client.get(pages).status_code, 200)
        Membership.objects.filter(user=self.viewer).delete()
        self.assertEqual(client.get(pages).status_code, 404)
        ApiToken.objects.update(made_by=self.owner, expires_at=START)
        self.assertEqual(client.get(pages).status_code, 401)
        other, text = make_token(self.site.workspace, "Other", "reports", 1, self.owner)
        client = Client(headers={"authorization": f"Bearer {text}"})
        self.assertEqual(client.get(pages).status_code, 200)
        revoke(self.site.workspace, other.pk)
        self.assertEqual(client.get(pages).status_code, 401)
        self.assertNotIn(text, str(ApiToken.objects.values_list()))

    def test_one_sites_things_are_not_found_through_another_of_the_same_people(self) -> None:
        other = make_site()
        Membership.objects.create(workspace=other.workspace, user=self.owner, role=Role.OWNER)
        client = self.signed_in(self.owner)
        for method, path in self.routes():
            if not re.search(
                r"\{(rule|test|import|hit|link|rehearsal|key|exclusion|audience|visitor|view|path|list|column|note|plan|thing|recipient)_id\}",
                path,
            ):
                continue
            answer = self.call(client, method, path, site_id=other.pk)
            self.assertEqual(answer.status_code, 404, (method, path, answer.content))

    def test_every_table_can_be_had_as_a_file(self) -> None:
        client, found = self.signed_in(self.owner), 0
        for path, methods in api.get_openapi_schema()["paths"].items():
            named = [p["name"] for p in methods.get("get", {}).get("parameters", ())]
            if "format" not in named or path.endswith(("/compare", "/beside", "{token}")):
                continue
            address = self.address(path)
            answer = client.get(f"{address}{'&' if '?' in address else '?'}format=csv")
            self.assertEqual((answer.status_code, answer["content-type"][:8]), (200, "text/csv"), path)
            self.assertTrue(b"".join(answer), path)
            found += 1
        self.assertGreater(found, 10)

    def test_private_answers_are_kept_by_no_cache(self) -> None:
        client = self.signed_in(self.owner)
        for method, path in self.routes():
            if method != "get" or "{token}" in path:
                continue
            kept = self.call(client, method, path).headers.get("cache-control", "")
            self.assertTrue("no-store" in kept or kept.startswith("private"), (path, kept))

    def test_a_body_that_is_no_json_or_too_deep_is_refused(self) -> None:
        client = self.signed_in(self.owner)
        # Some of these calls remove what others name.
        addresses = {(m, path): self.address(path) for m, path in self.routes() if "{token}" not in path}
        for (method, path), address in addresses.items():
            if method == "get" or (method, path) in OPEN or path.endswith(("/files", "/pictures")):
                continue
            call = getattr(client, method)
            body = encode_multipart("xx", {"a": "1"})
            for data, kind in (
                (body, "multipart/form-data; boundary=xx"),
                (b"a=1", "application/x-www-form-urlencoded"),
                (b"[" * 100_000 + b"]" * 100_000, "application/json"),
                (b'{"name": ' * 900 + b"1" + b"}" * 900, "application/json"),
            ):
                self.assertLess(call(address, data, kind).status_code, 500, (method, path, kind))

    def test_a_wrong_body_names_the_field(self) -> None:
        client = self.signed_in(self.owner)
        answer = client.post(
            f"/api/sites/{self.site.pk}/conversions",
            json.dumps({**CONVERSION, "counting": "sometimes"}),
            "application/json",
        )
        self.assertEqual((answer.status_code, answer.json()["field"]), (422, "counting"))

    def test_a_forged_form_from_elsewhere_is_refused(self) -> None:
        client = Client(enforce_csrf_checks=True)
        client.force_login(self.owner, backend="allauth.account.auth_backends.AuthenticationBackend")
        answer = client.post(f"/api/sites/{self.site.pk}/tests/{self.test.pk}/start")
        self.assertEqual(answer.status_code, 403)
        self.test.refresh_from_db()
        self.assertEqual(self.test.state, "draft")


def member() -> Client:
    client = Client()
    user = make_user(make_site(), Role.VIEWER, "reader@shop.example")
    client.force_login(user, backend="allauth.account.auth_backends.AuthenticationBackend")
    return client


class Description(TestCase):
    def test_the_page_rests_on_nothing_from_elsewhere(self) -> None:
        self.assertEqual(Client().get("/api/docs").status_code, 401)
        page = member().get("/api/docs").content.decode()
        self.assertEqual(set(re.findall(r'(?:src|href)="(/[a-z]+/|[a-z]+:)', page)), {"/static/"})
        self.assertEqual(Client().get("/static/ninja/swagger-ui-bundle.js").status_code, 200)

    def test_every_route_says_what_an_error_looks_like(self) -> None:
        self.assertEqual(Client().get("/api/openapi.json").status_code, 401)
        paths = member().get("/api/openapi.json").json()["paths"]
        for path, methods in paths.items():
            for method, operation in methods.items():
                content = operation["responses"]["4XX"]["content"]
                self.assertEqual(list(content), ["application/problem+json"], (method, path))

    def test_no_two_shapes_have_one_name(self) -> None:
        """The second would silently take the first one's place in the description."""
        names: dict[str, str] = {}
        for schema in _all_schemas(Shape):
            if schema.__module__.startswith("clabo."):
                self.assertNotIn(schema.__name__, names, schema.__module__)
                names[schema.__name__] = schema.__module__


def _all_schemas(of: type) -> list[type]:
    return [found for each in of.__subclasses__() for found in (each, *_all_schemas(each))]
