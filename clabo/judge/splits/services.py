"""Drafts of split tests, and what may be said of them at any time. What becomes of them: life.py."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import F, Q

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import Page
from clabo.core.evidence import SamplePlan, plan_rate_test
from clabo.core.pages.addresses import Address, AddressError
from clabo.core.rules.errors import RuleError
from clabo.core.splits.changes import read_changes
from clabo.core.splits.measures import Measure, read_measures
from clabo.core.splits.page_match import Place, read_places
from clabo.core.splits.targeting import Entrants, read_entrants
from clabo.core.splits.trigger import Trigger, read_trigger
from clabo.judge.splits.models import LETTERS, Deed, SplitTest, Variant
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.platform.wording import say
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.conversions.queries import rules_of
from clabo.setup.sites.fetching import fetch_from
from clabo.setup.sites.models import Site
from clabo.setup.sites.reach import origin_of
from clabo.use.audiences.models import Audience

MOST_NOTES = 5000
# Of a site, those that were put away apart.
MOST_TESTS = 500
# In percent.
MOST_HELD_OUT = 50
State = SplitTest.State
What = SplitTest.What


@dataclass(frozen=True, slots=True)
class Label:
    """What may be changed of a test at any time, for it changes nothing of what is measured."""

    name: str
    notes: str = ""
    ends_on: date | None = None
    ends_decided: bool = False
    ends_on_harm: bool = False


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
    # Who may be in it (core/splits/targeting.py), and how it stands to tests on the same page.
    who: Any = field(default_factory=dict)
    beside: str = ""
    # What it is read by besides (core/splits/measures.py).
    measures: Any = field(default_factory=list)
    # Of content, when it begins for somebody (core/splits/trigger.py).
    moment: Any = field(default_factory=dict)
    # Of content, the pages that it is on besides its own (core/splits/page_match.py).
    pages: Any = field(default_factory=list)
    label: Label | None = None
    # Of those in it, how many in a hundred are shown no variant and measured all the same.
    held_out: int = 0


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
    if not 1 <= content.traffic <= 100:
        raise Problem("Traffic is a whole percentage from 1 to 100.", "traffic")
    if not 0 <= content.held_out <= MOST_HELD_OUT:
        raise Problem(f"Hold out between 0 and {MOST_HELD_OUT} %: the test needs the others.", "held_out")
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


def save_test(
    site: Site, content: SplitContent, test: SplitTest | None = None, by: User | None = None
) -> SplitTest:
    """A new draft, or a draft changed. What runs or has ended can't be changed."""
    label = content.label or Label(content.name)
    entrants, measures = entrants_of(content), measures_of(site, content)
    moment = moment_of(content)
    check_audience(site, entrants, content.what)
    if content.beside not in ("", *SplitTest.Beside.values):
        raise Problem(f"Choose one of {', '.join(SplitTest.Beside.values)}.", "beside")
    planned = plan(content)
    pages = pages_of(site, content.addresses)
    changes, places = changes_of(content), places_of(site, content)
    if content.what == What.CONTENT:
        pages *= len(content.shares)
    if test is None and SplitTest.objects.filter(site=site, archived_at=None).count() >= MOST_TESTS:
        raise Problem(f"A site has at most {MOST_TESTS} tests. Archive or remove some first.", "name", 409)
    with transaction.atomic():
        if test:
            test = SplitTest.objects.select_for_update().get(pk=test.pk)
            if test.state != State.DRAFT:
                raise Problem("A test that has been started can’t be changed. Make a new one.", status=409)
            test.variants.all().delete()
        made = test is None
        test = test or SplitTest(site=site)
        put_label(test, label, datetime.now(UTC))
        test.rule, test.traffic, test.held_out = content.rule, content.traffic, content.held_out
        test.who, test.beside, test.elements = entrants.json(), content.beside, None
        test.moment, test.pages = moment.json(), [p.json() for p in places]
        test.measures = [m.json() for m in measures]
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
        note(test, Deed.What.MADE if made else Deed.What.CHANGED, by)
    return test


def note(test: SplitTest, what: Deed.What, by: User | None, now: datetime | None = None) -> None:
    """Write into the test's log what was done."""
    Deed.objects.create(test=test, what=what, by=by, at=now or datetime.now(UTC))


def put_label(test: SplitTest, label: Label, now: datetime) -> None:
    """Set name, notes and when the test ends by itself; raises Problem naming the field."""
    if not label.name.strip():
        raise Problem("Give the test a name that says what is different.", "name")
    if len(label.notes) > MOST_NOTES:
        raise Problem(f"Notes have at most {MOST_NOTES} characters.", "notes")
    if (
        label.ends_on
        and label.ends_on != test.ends_on
        and label.ends_on < now.astimezone(test.site.zone).date()
    ):
        raise Problem("That day is over. Choose today or a later one.", "ends_on")
    test.name, test.notes, test.ends_on = label.name.strip(), label.notes.strip(), label.ends_on
    test.ends_decided, test.ends_on_harm = label.ends_decided, label.ends_on_harm


def check_audience(site: Site, entrants: Entrants, what: str) -> None:
    """An audience must exist, and only the part of the tag that changes pages asks for it; raises Problem."""
    if entrants.audience is None:
        return
    if what != What.CONTENT:
        raise Problem("Only a test of what stands on a page can be for an audience.", "who.audience")
    if not Audience.objects.filter(site=site, pk=entrants.audience, deleted_at=None).exists():
        raise Problem("This audience no longer exists. Choose another.", "who.audience")


def measures_of(site: Site, content: SplitContent) -> list[Measure]:
    """What it is read by besides; raises Problem naming what cannot be read."""
    try:
        found = read_measures(content.measures)
    except RuleError as error:
        raise Problem(say(error.told), f"measures{error.field}") from None
    known = {r.pk: r for r in rules_of(site)}
    for place, measure in enumerate(found):
        name = f"measures[{place}].conversion"
        if measure.conversion and measure.conversion not in known:
            raise Problem("This conversion no longer exists. Choose another.", name)
        if measure.what == "value" and measure.conversion and not known[measure.conversion].has_value:
            raise Problem(
                "This conversion has no value. Give it one under Conversions, or read its rate.", name
            )
        if measure.what == "rate" and measure.conversion == content.rule.pk:
            raise Problem("This is what decides the test already.", name)
    return found


def moment_of(content: SplitContent) -> Trigger:
    """When it begins for somebody; raises Problem naming what cannot be read."""
    try:
        moment = read_trigger(content.moment)
    except RuleError as error:
        raise Problem(say(error.told), f"moment.{error.field}".rstrip(".")) from None
    if moment != Trigger() and content.what != What.CONTENT:
        raise Problem("Only what changes on a page can wait for a moment.", "moment")
    return moment


def places_of(site: Site, content: SplitContent) -> list[Place]:
    """The pages that a test of content is on besides its own; raises Problem naming what cannot be read."""
    try:
        found = read_places(content.pages)
    except RuleError as error:
        raise Problem(say(error.told), f"pages{error.field}") from None
    if found and content.what != What.CONTENT:
        raise Problem("Only what changes on a page can be on several.", "pages")
    if not found:
        return []
    hosts, own = SiteReader.of(site).hosts, pages_of(site, content.addresses)[0].host
    whole = []
    for place, one in enumerate(found):
        # Addresses are written without their host, or copied out of a browser.
        value = one.value.split("://", 1)[-1]
        if one.match != "contains":
            value = own + value if value.startswith("/") else value
            host, slash, rest = value.partition("/")
            if not slash or host not in hosts:
                raise Problem(
                    f"Begin with / or with one of the site’s hosts, such as {own}.", f"pages[{place}].value"
                )
            value = f"{host}/{rest.rstrip('/') if one.match == 'equals' else rest}"
        whole.append(Place(one.match, value))
    return list(dict.fromkeys(whole))


def entrants_of(content: SplitContent) -> Entrants:
    """Who may be in it; raises Problem naming what cannot be read."""
    try:
        return read_entrants(content.who)
    except RuleError as error:
        raise Problem(say(error.told), f"who.{error.field}".rstrip(".")) from None


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
        # One that is empty is written on the page later on.
        if found[-1] and found[-1] in found[:-1]:
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
            raise Problem(f"{page.host} is not one of this site’s hosts. Add it under Pixel first.", name)
        if found and page.host != found[0].host:
            raise Problem(
                "All addresses must be on the same host: a visitor’s id does not cross hosts.", name
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


def resting_pages(site: Site) -> dict[Address, datetime]:
    """The challengers of ended tests, which nobody is shown any more, and since when: a day after the end. Not winners.

    A challenger that goes on being visited after that has been taken over, and is a page like any other.
    """
    ended = Variant.objects.filter(
        test__site=site, test__state__in=[State.ENDED, State.ADOPTED], test__what=What.ADDRESS
    ).exclude(Q(letter="A") | Q(letter=F("test__adopted")))
    found: dict[Address, datetime] = {}
    for host, path, at in ended.values_list("host", "path", "test__ended_at"):
        assert at
        found[Address(host, path)] = max(at + timedelta(days=1), found.get(Address(host, path), at))
    return found


def test_of(site: Site, test_id: int) -> SplitTest:
    """One test of the site; raises Problem."""
    test = SplitTest.objects.filter(site=site, pk=test_id).select_related("rule").first()
    if test is None:
        raise missing("split test")
    return test
