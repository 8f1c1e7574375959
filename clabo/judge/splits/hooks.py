"""What split tests add to the pipeline and to the tag."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db.models import Exists, F, OuterRef, Q
from django.db.models.functions import Greatest

from clabo.collect.events.models import Event, Identity
from clabo.collect.events.storage.storing import StoredBatch
from clabo.core.splits.assignment import with_held_out
from clabo.core.splits.changes import read_changes, selectors, touched
from clabo.core.splits.targeting import read_entrants
from clabo.judge.splits.models import HELD_OUT, Exposure, Hindrance, SplitTest, Variant
from clabo.platform.db.arrays import in_array
from clabo.setup.sites.models import Site


def running_tests(sites: Sequence[Site]) -> dict[int, dict[str, Any]]:
    """The running tests of each site as its tag needs them, and the winners that Clabo shows to everybody."""
    tests = SplitTest.objects.filter(
        Q(state=SplitTest.State.RUNNING) | Q(state=SplitTest.State.ADOPTED, shown=True), site__in=sites
    )
    found: dict[int, dict[str, Any]] = {site.pk: {"tests": []} for site in sites}
    identified = set(
        Site.objects.filter(Exists(Identity.objects.filter(site=OuterRef("pk"))), pk__in=found)
        .order_by()
        .values_list("pk", flat=True)
    )
    for test in tests.order_by("pk").prefetch_related("variants"):
        variants = list(test.variants.all())
        shown = test.state == SplitTest.State.ADOPTED
        if shown:
            control, winner = variants[0], next(v for v in variants if v.letter == test.adopted)
            control.share, winner.share = 0, 100
            variants = [control, winner]
        found[test.site_id]["tests"].append(
            {
                "key": test.key,
                **({} if shown else _entry(test)),
                # All lie on one host (services.pages_of).
                "host": variants[0].host,
                "variants": _shares(test, variants, 0 if shown else test.held_out),
                **(_content(test, variants) if test.what == SplitTest.What.CONTENT else {}),
            }
        )
        if not shown and test.site_id in identified:
            found[test.site_id]["same"] = True
    return found


def _shares(test: SplitTest, variants: Sequence[Variant], held_out: int) -> list[tuple[str, str, float]]:
    """Letter, path and share of each; who is held out stays on the control's page, as if that were one more."""
    shares = with_held_out([v.share for v in variants], held_out)
    letters = [*((v.letter, v.path) for v in variants), (HELD_OUT, variants[0].path)]
    return [(letter, path, share) for (letter, path), share in zip(letters, shares, strict=False)]


def _entry(test: SplitTest) -> dict[str, Any]:
    """What says who is in it: nothing where everybody is."""
    slot = {"traffic": test.traffic, "start": test.start_at, "layer": test.layer}
    return {
        **({name: value for name, value in slot.items() if value} if test.traffic < 100 else {}),
        **({"salt": test.salt} if test.salt else {}),
        **({"who": who} if (who := read_entrants(test.who).for_tag()) else {}),
        **({"ask": True} if test.who.get("audience") else {}),
    }


def _content(test: SplitTest, variants: Sequence[Variant]) -> dict[str, Any]:
    """Of a test of content: its pages, what each variant changes there, and when."""
    places, moment = test.places(), test.moment
    # Whoever is held out sees nothing changed, at the same moment.
    none: list[list[Any]] = [[]] if test.held_out else []
    return {
        "where": [p.json() for p in places],
        # For what is to be kept out of sight early on: no page is left out by it.
        "on": "|".join(p.pattern() for p in places),
        "changes": [[c.for_tag() for c in read_changes(v.changes)] for v in variants] + none,
        # What waits for a moment is seen as it is until then.
        "hold": [[] if moment else touched(read_changes(v.changes)) for v in variants] + none,
        **({"moment": moment} if moment else {}),
    }


def expose_batch(batch: StoredBatch) -> None:
    """Bring the exposures of everybody whom the batch may have given one, or moved one, up to date."""
    concerned = {e.visitor_id for e in batch.events if e.variants} | set(batch.restitched)
    if not concerned and not batch.led_back and not batch.hindered:
        return
    tests = {
        t.key: t
        for t in SplitTest.objects.filter(site_id=batch.site_id)
        .exclude(state=SplitTest.State.DRAFT)
        .prefetch_related("variants", "pauses")
    }
    if tests and concerned:
        expose(batch.site_id, tests, concerned)
    for key, visitor, time in batch.led_back:
        if key in tests:
            _note_led_back(tests[key], visitor, time)
    for key, why, place, visitor, time in batch.hindered:
        if key in tests:
            _note_hindrance(tests[key], why, place, visitor, time)


def _note_hindrance(test: SplitTest, why: str, place: int, visitor: UUID, time: datetime) -> None:
    """A page could not show the test as meant. Selectors are counted through over all variants."""
    variants = list(test.variants.all())
    if test.assigned(visitor.hex, variants) is None:
        return
    asked = [(v, selector) for v in variants for selector in selectors(read_changes(v.changes))]
    if not test.open_at(time) or place >= len(asked):
        return
    variant, selector = (variants[0], "") if why == Hindrance.Why.LATE else asked[place]
    known, _ = Hindrance.objects.get_or_create(
        variant=variant, selector=selector, why=why, defaults={"last_at": time}
    )
    Hindrance.objects.filter(pk=known.pk).update(times=F("times") + 1, last_at=Greatest("last_at", time))


def _note_led_back(test: SplitTest, visitor: UUID, time: datetime) -> None:
    """Somebody who was sent on to a variant has come back to the control without having done anything."""
    variants = list(test.variants.all())
    letter = test.assigned(visitor.hex, variants)
    # Anybody can say so: only whoever is sent on anywhere can be led back.
    if not letter or not test.open_at(time):
        return
    Variant.objects.filter(test=test, letter=letter).exclude(letter="A").update(
        led_back=F("led_back") + 1, led_back_at=Greatest("led_back_at", time)
    )


def expose(site_id: int, tests: Mapping[str, SplitTest], visitors: Collection[int]) -> None:
    """Make the exposures of `visitors` to `tests` (by key) what their stored events say.

    Each is the first event, in a visit that enters reports, at which the tag claims a variant that the visitor's
    hash confirms: whatever order events arrive in, and whatever visits they are stitched into.
    """
    found: dict[tuple[int, int], Exposure] = {}
    zone = Site.objects.only("time_zone").get(pk=site_id).zone
    rows = (
        Event.objects.in_counted_visits()
        .filter(in_array("visitor_id", visitors), site_id=site_id, variants__isnull=False)
        .order_by("time", "id")
        .values_list("time", "visitor_id", "visitor__key", "via__key", "visit_id", "variants")
    )
    for time, visitor_id, visitor_key, via_key, visit_id, claims in rows:
        for key, letter in (claims or {}).items():
            test = tests.get(key)
            if test is None or (test.pk, visitor_id) in found or not test.open_at(time):
                continue
            variants = list(test.variants.all())
            # The hash is of the id that the browser has.
            if test.assigned((via_key or visitor_key).hex, variants) == letter:
                found[test.pk, visitor_id] = Exposure(
                    test=test,
                    site_id=site_id,
                    visitor_id=visitor_id,
                    letter=letter,
                    first_at=time,
                    day=time.astimezone(zone).date(),
                    visit_id=visit_id,
                )
    stored = Exposure.objects.filter(in_array("visitor_id", visitors), test__in=tests.values())
    gone = [e.pk for e in stored if (e.test_id, e.visitor_id) not in found]
    Exposure.objects.filter(pk__in=gone).delete()
    Exposure.objects.bulk_create(
        found.values(),
        update_conflicts=True,
        unique_fields=["test", "visitor"],
        update_fields=["letter", "first_at", "day", "visit_id"],
    )
