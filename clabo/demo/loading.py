"""Fills an empty database with Brackenhive's last 90 days."""

from __future__ import annotations

import io
import multiprocessing
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from multiprocessing.queues import Queue
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

from django.conf import settings
from django.db import connection, transaction

from clabo.collect.bridges.services import save_link
from clabo.collect.events.models import Visit
from clabo.collect.ingest.beacon import Envelope
from clabo.collect.ingest.directory import TagSite, tag_site
from clabo.collect.ingest.inbox import store
from clabo.collect.install.coverage import list_pages
from clabo.collect.pictures.queries import landing_pages
from clabo.collect.pictures.services import store_look as keep_look
from clabo.collect.pictures.taking import take
from clabo.collect.pictures.tasks import have_taken
from clabo.collect.pipeline import runner
from clabo.collect.presence.merging import merge
from clabo.collect.presence.trails import closed_and_unpacked, pack
from clabo.core.pages.addresses import host_of
from clabo.core.trust.identities import digest
from clabo.demo import scenario
from clabo.demo.channels import Ad, channel_files
from clabo.demo.network import read_back, run_plans
from clabo.demo.outcomes import report_outcomes
from clabo.demo.simulator import Clicks, Simulator
from clabo.demo.site import Links, drawing, page_html
from clabo.judge.attribution_reconciliation.services import set_ad_side
from clabo.judge.columns.services import make_column
from clabo.judge.notes.services import write as write_note
from clabo.judge.paths.services import keep_path
from clabo.judge.saved.services import save_view as keep_view
from clabo.judge.splits.life import adopt, pause
from clabo.judge.splits.models import Deed, SplitTest
from clabo.judge.splits.services import Label, SplitContent, note, save_test
from clabo.platform.accounts.models import Membership, User, Workspace
from clabo.platform.accounts.services import make_user
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.conversions.services import RuleContent, make_rule
from clabo.setup.monitoring.tags import watch_site
from clabo.setup.rehearsals.services import save_steps
from clabo.setup.sites.models import Site
from clabo.setup.sites.services import change_site, make_site, set_hosts
from clabo.use.audiences.lists import make_list, put_on
from clabo.use.audiences.models import Audience
from clabo.use.audiences.services import AudienceContent, make_audience
from clabo.use.spend import services as spend
from clabo.use.spend.budgets import save as save_budget

T = TypeVar("T")
Progress = Callable[[float, str], None]
_GROUP = 500


def load(
    progress: Progress,
    days: int = scenario.DAYS,
    visits: int = scenario.VISITS,
    now: datetime | None = None,
    beside: bool = True,
    pictures: bool = False,
) -> Site:
    """Make the demo; `progress` is told the share done and what is being done.

    With `beside` the visits are made in a second process; with `pictures` a browser looks at the pages.
    """
    now = now or datetime.now(UTC)
    with transaction.atomic():
        site = make_demo_site()
        tests = _make_tests(site, User.objects.get(email=scenario.PEOPLE[0][1]), now)
    today = now.astimezone(ZoneInfo(scenario.TIME_ZONE)).date()
    clicks: list[Clicks] = []
    waiting: list[Envelope] = []
    parts = _simulated(tag_site(site), tests, today, days, visits / days, now)
    for number, part in enumerate(_beside(parts, days + 1) if beside else parts):
        if number == days:
            clicks = part  # type: ignore[assignment]
            break
        waiting += part  # type: ignore[arg-type]
        # A few days at a time: most of what a batch costs does not depend on its size.
        if len(waiting) > 9000 or number == days - 1:
            _take(waiting)
            waiting = []
        progress(0.9 * (number + 1) / days, f"visits of {today - timedelta(days=days - 1 - number):%-d %b}")
    progress(0.92, "spend of three ad channels")
    _import_spend(site, clicks)
    report_outcomes(site, now, User.objects.get(email=scenario.PEOPLE[0][1]))
    for source, amount in scenario.BUDGETS.items():
        save_budget(site, source, "", Decimal(amount), User.objects.get(email=scenario.PEOPLE[0][1]))
    set_ad_side(site, scenario.MEADOW, scenario.MEADOW_WINDOW_DAYS, True, "UTC")
    with connection.cursor() as cursor:
        # The planner believes tables that were filled a moment ago to be small or what they were before, and
        # reads them in ways that take seconds; by itself the database looks again after a minute.
        cursor.execute("ANALYZE")
    _settle(site, now)
    progress(0.94, "plans at the practice network")
    if has_run := run_plans(site, now):
        _take(has_run)
        read_back(site, now)
        _settle(site, now)
    watch_site(site, now)
    if pictures:
        progress(0.97, "how the pages look")
        _take_pictures(site, now)
    progress(1.0, "done")
    return site


def _settle(site: Site, now: datetime) -> None:
    """What the worker would do over night."""
    while merge(site.pk):
        pass
    for _, day in closed_and_unpacked(now):
        pack(site.pk, day)


def _take_pictures(site: Site, now: datetime) -> None:
    """A page as it was before its words were changed, and since; the others are looked at when they are served."""
    pages = {p.path: p for p in landing_pages(site, now)}
    for path, (days_ago, drawn, old) in scenario.REWRITTEN.items():
        html = page_html(scenario.BY_PATH[path], Links(str(settings.CLABO_DEMO_URL), forms=forms_origin()))
        before = html.replace(drawing(path), drawing(drawn))
        for text, earlier in old.items():
            before = before.replace(text, earlier)
        if path in pages:
            looked = [take(site, pages[path], said) for said in (before, html)]
            for at, taken in ((days_ago + 20, looked[0]), (days_ago + 1, looked[0]), (days_ago, looked[1])):
                keep_look(site, pages[path], taken, _midday(now, at))
    for page in pages.values():
        have_taken(site, page.pk)


def make_demo_site() -> Site:
    """The workspace with its people, site and conversions."""
    workspace = Workspace.objects.create(name="Brackenhive")
    for name, email, role in scenario.PEOPLE:
        user = make_user(email, scenario.PASSWORD, name)
        Membership.objects.create(workspace=workspace, user=user, role=role)
    site = make_site(workspace, "Brackenhive", [scenario.HOST], scenario.CURRENCY, scenario.TIME_ZONE)
    change_site(site, margin=Decimal("0.45"))
    Site.objects.filter(pk=site.pk).update(is_demo=True)
    site.is_demo = True
    set_hosts(site, [(scenario.HOST, ""), (host_of(settings.CLABO_DEMO_URL), scenario.HOST)])
    save_link(
        site, scenario.BRIDGE, settings.CLABO_DEMO_PARTNER_URL or scenario.PARTNER_URL, pixel_sales=True
    )
    list_pages(site, "/stockists\n/order\n/order/thank-you")
    for r in scenario.rules_of(forms_origin()):
        rule = make_rule(
            site,
            RuleContent(r.name, r.category, r.rule, r.counting, r.value, r.value_property, r.lifetime_factor),
            None,
        )
        if r.steps:
            save_steps(rule, r.steps)
        # Nothing is recorded yet, so the past is counted already.
        ConversionRule.objects.filter(pk=rule.pk).update(counted_version=rule.version)
    _make_audiences(site)
    _keep_paths(site)
    _keep_views(site)
    return site


def _make_audiences(site: Site) -> None:
    brought = make_list(site, scenario.UNWILLING, "email", None).row
    put_on(brought, [digest("email", scenario.address_of(n)) for n in range(0, scenario.KEEPERS, 40)])
    ids = dict(ConversionRule.objects.filter(site=site).values_list("name", "pk"))
    for audience in scenario.AUDIENCES:
        definition = {"include": audience.include} | (
            {"exclude": audience.exclude} if audience.exclude else {}
        )
        make_audience(
            site,
            AudienceContent(audience.name, _with_ids(definition, ids | {scenario.UNWILLING: brought.pk})),
            None,
        )


def _keep_views(site: Site) -> None:
    """Views, notes and a column, as somebody would have made them."""
    today = datetime.now(UTC).astimezone(site.zone).date()
    for name, place, words in scenario.VIEWS:
        keep_view(site, name, place, words, None)
    for ago, text in scenario.NOTES:
        write_note(site, today - timedelta(days=ago), text, None)
    for name, over, under, mark, bar in scenario.COLUMNS:
        make_column(site, name, over, under, mark, Decimal(bar), None)


def _keep_paths(site: Site) -> None:
    ids = dict(ConversionRule.objects.filter(site=site).values_list("name", "pk"))
    for name, steps, within in scenario.PATHS:
        keep_path(site, name, _with_ids(steps, ids), within, None)


def _with_ids(data: Any, ids: dict[str, int]) -> Any:
    """Conversions and lists by their ids instead of their names."""
    if isinstance(data, dict):
        return {k: ids[v] if k in ("conversion", "list") else _with_ids(v, ids) for k, v in data.items()}
    return [_with_ids(d, ids) for d in data] if isinstance(data, list) else data


def forms_origin() -> str:
    """Where the booking form's frame comes from."""
    return str(settings.CLABO_DEMO_FORMS_URL or scenario.FORMS_ORIGIN)


def _make_tests(site: Site, owner: User, now: datetime) -> dict[str, tuple[datetime, datetime | None]]:
    spans: dict[str, tuple[datetime, datetime | None]] = {}
    audiences = dict(Audience.objects.filter(site=site).values_list("name", "pk"))
    for t in scenario.TESTS:
        rule = ConversionRule.objects.get(site=site, name=t.rule)
        addresses = [t.control] if t.changes else [t.control, t.challenger]
        content = SplitContent(t.name, rule, addresses, t.shares, 100, t.baseline, t.lift)
        if t.changes:
            changes = [[], list(t.changes), *map(list, t.more)]
            content = replace(content, what=SplitTest.What.CONTENT, changes=changes)
        content = replace(
            content,
            who={"devices": list(t.devices)} | ({"audience": audiences[t.audience]} if t.audience else {}),
            held_out=t.held_out,
            measures=list(t.measures),
            label=Label(t.name, t.notes),
        )
        test = save_test(site, content, by=owner)
        if t.draft:
            continue
        began = _midday(now, t.began_days_ago)
        ended = None if t.ended_days_ago is None else _midday(now, t.ended_days_ago)
        state = SplitTest.State.ENDED if ended else SplitTest.State.RUNNING
        # Started in the past, which the service rightly does not offer.
        SplitTest.objects.filter(pk=test.pk).update(key=t.key, state=state, started_at=began, ended_at=ended)
        Deed.objects.filter(test=test).update(at=began)
        note(test, Deed.What.STARTED, owner, began)
        spans[t.key] = (began, ended)
        rests = None if t.paused_days_ago is None else _midday(now, t.paused_days_ago)
        if rests:
            pause(test, rests, owner)
            spans[t.key] = (began, rests)
        if ended:
            note(test, Deed.What.ENDED, owner, ended)
        if t.adopted and ended:
            adopt(test, t.adopted, t.shown, now=ended + timedelta(hours=1), by=owner)
    return spans


def _simulated(
    tag: TagSite,
    tests: dict[str, tuple[datetime, datetime | None]],
    today: date,
    days: int,
    per_day: float,
    now: datetime,
) -> Iterator[list[Envelope] | list[Clicks]]:
    """Each day's requests; last the clicks that were paid for."""
    simulator = Simulator(tag, tests, forms_origin=forms_origin(), now=now)
    for number in range(days):
        yield simulator.day(today - timedelta(days=days - 1 - number), per_day, until=now)
    yield simulator.paid_clicks()


def _beside(parts: Iterator[T], count: int) -> Iterator[T]:
    """The `count` parts, made ahead in a process of its own, so that both cores have something to do."""
    # The child must not share this process's connection.
    connection.close()
    context = multiprocessing.get_context("fork")
    queue: Queue[T] = context.Queue(maxsize=6)

    def make() -> None:
        for part in parts:
            queue.put(part)

    child = context.Process(target=make, daemon=True)
    child.start()
    for _ in range(count):
        yield queue.get()
    child.join()


def _midday(now: datetime, days_ago: int) -> datetime:
    day: date = now.date() - timedelta(days=days_ago)
    return datetime.combine(day, time(10), UTC)


def _take(requests: list[Envelope]) -> None:
    for start in range(0, len(requests), _GROUP):
        group = requests[start : start + _GROUP]
        store(group)
    runner.drain()


def _import_spend(site: Site, clicks: list[Clicks]) -> None:
    for file in channel_files(clicks, _claims(site)):
        batch = spend.upload(site, file.name, io.BytesIO(file.content), None)
        reading = spend.propose(batch)[1].reading
        spend.take_in(batch, replace(reading, source=file.source))


def _claims(site: Site) -> Counter[Ad]:
    """Orders by the last click of the first channel's, up to four weeks before, once a click, in days of UTC.

    It knows nothing of other channels.
    """
    visits: defaultdict[int, list[Visit]] = defaultdict(list)
    of_channel = Visit.objects.filter(site=site, origin__source=scenario.MEADOW, views__gt=0)
    for visit in of_channel.select_related("origin").order_by("started_at"):
        visits[visit.visitor_id].append(visit)
    found: Counter[Ad] = Counter()
    claimed: set[int] = set()
    orders = Conversion.objects.filter(site=site, rule__name=scenario.ORDER, visitor_id__in=list(visits))
    for order in orders.order_by("time"):
        earliest = order.time - timedelta(days=scenario.MEADOW_WINDOW_DAYS)
        clicks = [v for v in visits[order.visitor_id] if earliest <= v.started_at <= order.time]
        if clicks and clicks[-1].pk not in claimed:
            click = clicks[-1]
            claimed.add(click.pk)
            if origin := click.origin:
                day = click.started_at.astimezone(UTC).date()
                found[day, origin.campaign, origin.ad_group, origin.ad] += 1
    return found
