"""How long it takes to say what a plan for very many people may bring: identities counted on a part of them, and all."""

from __future__ import annotations

import tempfile
import time
from decimal import Decimal
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from pyroaring import BitMap

from bench.common import fresh_site, machine, table  # sets Django up first
from bench.speed.delivery import MEMBERS, fill, seen, use_of
from clabo.collect.presence.models import Atom
from clabo.setup.conversions.models import ConversionRule
from clabo.testing.network import Network
from clabo.use.delivery.syncing.status import ask
from clabo.use.plans import people
from clabo.use.plans.content import CreativeContent, LineContent, PlanContent, check
from clabo.use.plans.effect import effect


def main() -> None:
    print(machine())
    rows: list[list[object]] = []
    with tempfile.TemporaryDirectory() as folder:
        network = Network(Path(folder), apart=True)
        settings.CLABO_NETWORK_URL = network.url
        site = fresh_site()
        filled, use = 0, None
        for number in (10_000, 100_000, MEMBERS):
            fill(site, filled + 1, number)
            seen(site, Atom.objects.get(site=site, sort=Atom.Sort.EVENT), BitMap(range(1, number + 1)))
            filled = number
            if use is None:
                use = use_of(site, network)
                ask(use.channel)
            content = PlanContent(
                "For many",
                use.channel_id,
                ConversionRule.objects.get(site=site, name="order").pk,
                [LineContent(use.audience_id)],
                creatives=[CreativeContent("Bees like an early start", "/kit")],
                daily_budget=Decimal(100),
            )
            for says, counted in (("as it ships", people.COUNTED), ("all of them", 10 * MEMBERS)):
                took, found = [], None
                with patch.object(people, "COUNTED", counted):
                    for _ in range(3):
                        begun = time.monotonic()
                        found = effect(check(site, content))
                        took.append(time.monotonic() - begun)
                    begun = time.monotonic()
                    reach = people.PlanPeople(site).reach([use.audience], [], use.channel)
                    alone = time.monotonic() - begun
                rows.append(
                    [f"{number:,}", says, f"{min(took):.1f} s", f"{alone:.1f} s", f"{reach.identities[0]:,}"]
                )
                assert found and found.people == number
        network.stop()
    table(["people", "identities counted", "effect", "of that, people and identities", "identities"], rows)


if __name__ == "__main__":
    main()
