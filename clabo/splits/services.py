"""Making, starting and ending split tests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

from django.db import transaction

from clabo.conversions.models import ConversionRule
from clabo.core.addresses import Address, AddressError
from clabo.core.changes import read_changes
from clabo.core.evidence import SamplePlan, plan_rate_test
from clabo.core.rules.errors import RuleError
from clabo.events.models import Page
from clabo.events.parsing import SiteReader
from clabo.problems import Problem, missing
from clabo.sites.fetching import fetch_from
from clabo.sites.models import Site
from clabo.sites.reach import origin_of
from clabo.splits.models import LETTERS, SplitTest, Variant
from clabo.wording import say

State = SplitTest.State
What = SplitTest.What


@dataclass(frozen=True, slots=True)
class SplitContent:
    """What a person says of a test; the first address is the control. Shares are percentages.

    A test of `what` "content" has one address, and for each variant its changes as JSON, none for the control.
    """

    name: str
    rule: ConversionRule
    addresses: Sequence[str]
    shares: Sequence[int]
    traffic: int
    baseline: float
    smallest_lift: float
    what: str = What.ADDRESS
    changes: Sequence[Any] = field(default_factory=list)


def plan(content: SplitContent) -> SamplePlan:
    """The visitors that the test needs; raises Problem naming the field."""
    if content.what not in What.values:
        raise Problem(f"Choose one of {', '.join(What.values)}.", "what")
    of_content = content.what == What.CONTENT
    arms = len(content.changes if of_content else content.addresses)
    if of_content and len(content.addresses) != 1:
        raise Problem("A test of content is on one page. Give its address.", "addresses.0")
    if len(content.shares) != arms or not 2 <= len(content.shares) <= len(LETTERS):
        raise Problem(f"A test has between 2 and {len(LETTERS)} variants, each with a share.", "shares")
    if any(s < 1 for s in content.shares) or sum(content.shares) != 100:
        raise Problem("The shares are whole percentages of at least 1 that sum to 100.", "shares")
    level = 1 - 0.05 / (len(content.shares) - 1)
    try:
        return plan_rate_test(
            content.baseline,
            content.smallest_lift,
            level=level,
            arms=len(content.shares),
            shares=content.shares,
        )
    except ValueError as error:
        field, _, message = str(error).partition(": ")
        raise Problem(f"This {message}.", field) from None


def save_test(site: Site, content: SplitContent, test: SplitTest | None = None) -> SplitTest:
    """A new draft, or a draft changed. What runs or has ended can't be changed."""
    if not content.name.strip():
        raise Problem("Give the test a name that says what is different.", "name")
    if not 1 <= content.traffic <= 100:
        raise Problem("Traffic is a whole percentage from 1 to 100.", "traffic")
    planned = plan(content)
    pages = pages_of(site, content.addresses)
    changes = changes_of(content)
    if content.what == What.CONTENT:
        pages *= len(content.shares)
    with transaction.atomic():
        if test:
            test = SplitTest.objects.select_for_update().get(pk=test.pk)
            if test.state != State.DRAFT:
                raise Problem("A test that has been started can't be changed. Make a new one.", status=409)
            test.variants.all().delete()
        test = test or SplitTest(site=site)
        test.name, test.rule, test.traffic = content.name.strip(), content.rule, content.traffic
        test.baseline, test.smallest_lift = content.baseline, content.smallest_lift
        test.planned_visitors, test.what = planned.total, content.what
        test.save()
        Variant.objects.bulk_create(
            [
                Variant(
                    test=test, letter=letter, host=page.host, path=page.path, share=share, changes=changed
                )
                for letter, page, share, changed in zip(LETTERS, pages, content.shares, changes, strict=False)
            ]
        )
    return test


def changes_of(content: SplitContent) -> list[list[dict[str, Any]]]:
    """What each variant changes, as it is stored; raises Problem naming the change that cannot be read."""
    if content.what != What.CONTENT:
        return [[] for _ in content.shares]
    found = []
    for place, data in enumerate(content.changes):
        try:
            found.append([c.json() for c in read_changes(data)])
        except RuleError as error:
            raise Problem(say(error.told), f"changes.{place}{error.field}") from None
        if place == 0 and found[0]:
            raise Problem("The control is the page as it is: it changes nothing.", "changes.0")
        if place and not found[-1]:
            raise Problem(f"Say what {LETTERS[place]} changes.", f"changes.{place}")
        if found[-1] in found[:-1]:
            raise Problem("Each variant needs changes of its own.", f"changes.{place}")
    return found


def pages_of(site: Site, addresses: Sequence[str]) -> list[Address]:
    """The pages that these addresses show; raises Problem naming the one that cannot be used."""
    reading = SiteReader.of(site)
    main = next((h.host for h in site.hosts.all() if not h.stands_for), "")
    found: list[Address] = []
    for place, text in enumerate(addresses):
        name = f"addresses.{place}"
        text = text.strip()
        if text.startswith("/"):
            text = main + text
        try:
            page = reading.page(text if "://" in text else "https://" + text)
        except AddressError as error:
            raise Problem(f"This is not an address: {say(error.told)}.", name) from None
        if page.host not in reading.hosts:
            raise Problem(f"{page.host} is not one of this site's hosts. Add it under Pixel first.", name)
        if found and page.host != found[0].host:
            raise Problem(
                "All addresses must be on the same host: a visitor's id does not cross hosts.", name
            )
        if page in found:
            raise Problem("Each variant needs an address of its own.", name)
        found.append(page)
    return found


def unseen(site: Site, pages: Sequence[Address]) -> list[Address]:
    """Those of the pages that no hit has come from."""
    known = Page.objects.filter(site=site, path__in=[p.path for p in pages]).values_list("host", "path")
    seen = {Address(host, path) for host, path in known}
    return [p for p in pages if p not in seen]


def leads_back(test: SplitTest) -> Variant | None:
    """A challenger whose address, when asked for, redirects to the control; None too where that cannot be seen."""
    if test.what == What.CONTENT:
        return None
    reading = SiteReader.of(test.site)
    control, *challengers = test.variants.all()
    for variant in challengers:
        try:
            fetched = fetch_from(test.site, origin_of(test.site, variant.host) + variant.path)
            shown = reading.page(fetched.url)
        except (Problem, AddressError):
            continue
        if fetched.redirects and shown == Address(control.host, control.path):
            return variant
    return None


def start(test: SplitTest, now: datetime | None = None) -> SplitTest:
    """Let visitors in. The control page must have been seen with the tag, and no challenger may lead back to it."""
    if back := leads_back(test):
        raise Problem(
            f"{back.path} leads back to {test.variants.all()[0].path}: whoever is sent there comes back. Mend the redirect first.",
            "variants",
            409,
        )
    with transaction.atomic():
        test = _locked(test, State.DRAFT, "Only a draft can be started.")
        variants = list(test.variants.all())
        for page in unseen(test.site, list(dict.fromkeys(Address(v.host, v.path) for v in variants))):
            raise Problem(
                f"No hit has come from {page.path} yet. Put the tag on it, open it once, then start.",
                "variants",
                409,
            )
        for variant in variants:
            busy = SplitTest.objects.filter(
                site=test.site_id,
                state=State.RUNNING,
                variants__host=variant.host,
                variants__path=variant.path,
            ).first()
            if busy:
                raise Problem(
                    f"{variant.path} is in the running test “{busy.name}”. End that first.", "variants", 409
                )
        test.state, test.started_at = State.RUNNING, now or datetime.now(UTC)
        test.save()
    return test


def end(test: SplitTest, now: datetime | None = None) -> SplitTest:
    """Let nobody in any more. The result stays."""
    with transaction.atomic():
        test = _locked(test, State.RUNNING, "Only a running test can be ended.")
        test.state, test.ended_at = State.ENDED, now or datetime.now(UTC)
        test.save()
    return test


def resting_pages(site: Site) -> dict[Address, datetime]:
    """The challengers of ended tests, which nobody is shown any more, and since when: a day after the end.

    A challenger that goes on being visited after that has been taken over, and is a page like any other.
    """
    ended = Variant.objects.filter(
        test__site=site, test__state=SplitTest.State.ENDED, test__what=What.ADDRESS
    ).exclude(letter="A")
    found: dict[Address, datetime] = {}
    for host, path, at in ended.values_list("host", "path", "test__ended_at"):
        assert at
        found[Address(host, path)] = max(at + timedelta(days=1), found.get(Address(host, path), at))
    return found


def remove(test: SplitTest) -> None:
    """Remove a draft. What has run is kept."""
    with transaction.atomic():
        _locked(test, State.DRAFT, "Only a draft can be removed; what has run is kept.").delete()


def _locked(test: SplitTest, state: str, otherwise: str) -> SplitTest:
    test = SplitTest.objects.select_for_update().get(pk=test.pk)
    if test.state != state:
        raise Problem(otherwise, status=409)
    return test


def test_of(site: Site, test_id: int) -> SplitTest:
    """One test of the site; raises Problem."""
    test = SplitTest.objects.filter(site=site, pk=test_id).select_related("rule").first()
    if test is None:
        raise missing("split test")
    return test
