"""A site with a channel at a practice network of the tests' own."""

from __future__ import annotations

import random
import tempfile
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

from django.test import TestCase, override_settings

from clabo.core.trust.identities import digest
from clabo.platform.accounts.models import Role
from clabo.setup.conversions.models import ConversionRule
from clabo.testing.asking import Member
from clabo.testing.network import KEY, Network
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, make_user, receive
from clabo.use.audiences.models import Audience
from clabo.use.audiences.services import AudienceContent, make_audience
from clabo.use.delivery.models import AdChannel, AudienceUse

KIT = {"what": {"page": {"match": "equals", "value": "/kit"}}, "from": 0, "to": 21, "times": 1}
ORDERED = {"what": {"page": {"match": "equals", "value": "/thank-you"}}, "from": 0, "to": 21, "times": 1}


class DeliveryCase(TestCase):
    """`site`, its `channel` over HTTP, and `rule`, the conversion that is reported."""

    network: Network
    rule: ConversionRule

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.network = Network(Path(folder.name))
        cls.addClassCleanup(cls.network.stop)
        there = override_settings(CLABO_NETWORK_URL=cls.network.url)
        there.enable()
        cls.addClassCleanup(there.disable)
        super().setUpClass()

    def setUp(self) -> None:
        self.network.switch()
        self.site = make_site(time_zone="UTC")
        self.rule = make_rule(self.site, "/thank-you", value=Decimal(59))
        self.member = Member(self.site)
        self.owner = make_user(self.site, Role.OWNER, f"maker-{self.site.pk}@shop.example")
        self.now = datetime.now(UTC) - timedelta(hours=3)
        made = self.member.ask("POST", "/channels", self.said())
        self.channel = AdChannel.objects.get(pk=made["id"])
        AdChannel.objects.update(since=self.now - timedelta(days=60))
        self.channel.refresh_from_db()

    def said(self, **changes: Any) -> dict[str, Any]:
        return {
            "name": "Practice",
            "kind": "http",
            "source": "practice",
            "click_parameter": "practiceclid",
            "base_url": self.network.url,
            "secret": KEY,
            "rules": [self.rule.pk],
            "agreed": True,
            **changes,
        }

    def seen(self, number: int, *names: str, path: str = "/kit", minutes: float = 0, proof: str = "") -> None:
        """Visitor `number` sees the page, and says to be each of `names`, perhaps with a proof."""
        at = self.now + timedelta(minutes=minutes)
        by = {"proof": proof} if proof else {}
        events = [event(path, person={"email": digest("email", f"{n}@example.com"), **by}) for n in names]
        receive([hit(self.site, at, beacon(number, *(events or [event(path)])))])

    def audience(self, **definition: Any) -> Audience:
        content = AudienceContent(f"Saw the kit {random.random()}", definition or {"include": KIT})
        return make_audience(self.site, content, self.owner)

    def use(self, audience: Audience) -> AudienceUse:
        made = self.member.ask("POST", f"/audiences/{audience.pk}/uses", {"channel": self.channel.pk})
        return AudienceUse.objects.get(pk=made["id"])

    def there(self, use: AudienceUse) -> set[tuple[str, str]]:
        return self.network.members(str(use.key))


def hashed(*names: str) -> set[tuple[str, str]]:
    return {("email", digest("email", f"{n}@example.com")) for n in names}
