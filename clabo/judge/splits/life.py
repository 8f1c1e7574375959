"""What becomes of a split test: draft, running, paused, ended, adopted; with who did it and when."""

from __future__ import annotations

from datetime import UTC, datetime

from django.db import transaction
from django.db.models import Q

from clabo.collect.events.models import Page
from clabo.core.pages.addresses import Address
from clabo.core.splits.changes import read_changes, touched
from clabo.judge.splits.models import LETTERS, Deed, Pause, SplitTest, Variant, new_key
from clabo.judge.splits.services import Label, leads_back, note, put_label, unseen
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem

State, Done = SplitTest.State, Deed.What
# Of everybody, held back at most while it is watched whether a winner lasts.
MOST_HELD_BACK = 50


# The tag carries what each of them needs.
MOST_RUNNING = 50


def start(test: SplitTest, now: datetime | None = None, by: User | None = None) -> SplitTest:
    """Let visitors in. The control page must have been seen with the tag, and no challenger may lead back to it."""
    if back := leads_back(test):
        raise Problem(
            f"{back.path} leads back to {test.variants.all()[0].path}: visitors sent there come back. Mend the redirect first.",
            "variants",
            409,
        )
    with transaction.atomic():
        test = _locked(test, {State.DRAFT}, "Only a draft can be started.")
        if SplitTest.objects.filter(site=test.site, state=State.RUNNING).count() >= MOST_RUNNING:
            raise Problem(f"At most {MOST_RUNNING} tests run at once on a site. End one first.", status=409)
        variants = list(test.variants.all())
        for page in unseen(test.site, list(dict.fromkeys(Address(v.host, v.path) for v in variants))):
            raise Problem(
                f"No hit has come from {page.path} yet. Put the tag on it, open it once, then start.",
                "variants",
                409,
            )
        for variant in variants[1:] if test.what == SplitTest.What.CONTENT else []:
            if not variant.changes:
                raise Problem(
                    f"Say what {variant.letter} changes before it starts, by hand or on the page.",
                    "variants",
                    409,
                )
        _stand_beside(test, variants, sharing_pages(test))
        test.state, test.started_at = State.RUNNING, now or datetime.now(UTC)
        test.save()
        note(test, Done.STARTED, by, now)
    return test


def sharing_pages(test: SplitTest) -> list[SplitTest]:
    """Tests on a page of this one that are under way, or whose winner Clabo shows."""
    found = (
        SplitTest.objects.filter(site=test.site_id)
        .exclude(pk=test.pk)
        .filter(Q(state__in=[State.RUNNING, State.PAUSED]) | Q(state=State.ADOPTED, shown=True))
        .prefetch_related("variants")
        .order_by("pk")
    )
    return [t for t in found if share_a_page(test, t)]


def share_a_page(one: SplitTest, other: SplitTest) -> bool:
    """A page of one is of the other, of their own pages and of all that have been seen."""
    ours, theirs = one.places(), other.places()
    own = {(v.host, v.path) for t in (one, other) for v in t.variants.all()}

    def both(host: str, path: str) -> bool:
        return any(p.holds(host, path) for p in ours) and any(p.holds(host, path) for p in theirs)

    if any(both(*page) for page in own):
        return True
    if not one.pages or not other.pages:
        return False
    seen = Page.objects.filter(site=one.site_id).values_list("host", "path")
    return any(both(host, path) for host, path in seen.iterator())


def room_beside(others: list[SplitTest]) -> tuple[str, int] | None:
    """The layer that a test apart from all of these can take its visitors from, and from which percentage on.

    None where they leave no room in one layer.
    """
    layers = {t.layer or t.salt or t.key for t in others}
    first = max((t.start_at + t.traffic for t in others), default=0)
    return (layers.pop(), first) if len(layers) == 1 and first < 100 else None


def _stand_beside(test: SplitTest, variants: list[Variant], others: list[SplitTest]) -> None:
    if not others:
        return
    names = " and ".join(f"“{t.name}”" for t in others[:3])
    if test.beside == SplitTest.Beside.APART:
        room = room_beside(others)
        if room is None or room[1] + test.traffic > 100:
            left = 100 - room[1] if room else 0
            raise Problem(
                f"{names} leave {left} % of the visitors, and this test wants {test.traffic} %. Take less, or end one first.",
                "traffic",
                409,
            )
        test.layer, test.start_at = room
        return
    if test.beside == SplitTest.Beside.CROSSED:
        of_content = SplitTest.What.CONTENT
        if test.what != of_content or any(t.what != of_content for t in others):
            raise Problem(
                f"Only tests of content can be crossed, and {names} share a page. Keep them apart, or end one first.",
                "beside",
                409,
            )
        mine, theirs = _touched([test]), _touched(others)
        if both := sorted(mine & theirs):
            raise Problem(
                f"{names} change {both[0]} too. Keep the tests apart, or end one first.", "beside", 409
            )
        return
    raise Problem(
        f"{variants[0].path} is in {names} too. Keep the tests apart, cross them, or end that one first.",
        "beside",
        409,
    )


def _touched(tests: list[SplitTest]) -> set[str]:
    return {s for t in tests for v in t.variants.all() for s in touched(read_changes(v.changes))}


def pause(test: SplitTest, now: datetime | None = None, by: User | None = None) -> SplitTest:
    """Let nobody in for now: everybody sees the control. Who was in it stays, and what they do still counts."""
    now = now or datetime.now(UTC)
    with transaction.atomic():
        test = _locked(test, {State.RUNNING}, "Only a running test can be paused.")
        Pause.objects.create(test=test, from_at=now)
        return _now(test, State.PAUSED, Done.PAUSED, by, now)


def resume(test: SplitTest, now: datetime | None = None, by: User | None = None) -> SplitTest:
    """Let visitors in again."""
    now = now or datetime.now(UTC)
    with transaction.atomic():
        test = _locked(test, {State.PAUSED}, "Only a paused test can go on.")
        test.pauses.filter(until_at=None).update(until_at=now)
        return _now(test, State.RUNNING, Done.RESUMED, by, now)


def end(
    test: SplitTest, now: datetime | None = None, by: User | None = None, why: Deed.What = Done.ENDED
) -> SplitTest:
    """Let nobody in any more. The result stays."""
    now = now or datetime.now(UTC)
    with transaction.atomic():
        test = _locked(test, {State.RUNNING, State.PAUSED}, "Only a test that runs or rests can be ended.")
        test.pauses.filter(until_at=None).update(until_at=now)
        test.ended_at = now
        return _now(test, State.ENDED, why, by, now)


def adopt(
    test: SplitTest,
    letter: str,
    shown: bool = False,
    held_back: int = 0,
    now: datetime | None = None,
    by: User | None = None,
) -> SplitTest:
    """Take a variant over; ends the test where it still runs.

    With `shown`, Clabo shows it to everybody until the site's own page has it; with `held_back` (a percentage of everybody)
    some go on seeing the control, and a test of its own watches whether the difference lasts.
    """
    now = now or datetime.now(UTC)
    variants = {v.letter: v for v in test.variants.all()}
    if letter not in variants:
        raise Problem("Choose one of the test’s variants.", "letter")
    most = min(MOST_HELD_BACK, variants["A"].share * (100 - test.held_out) // 100)
    if not 0 <= held_back <= most:
        raise Problem(
            f"Hold back between 0 and {most} %: no more than saw the control.",
            "held_back",
        )
    if letter == "A" and (shown or held_back):
        raise Problem("The control is what everybody sees by itself.", "letter")
    with transaction.atomic():
        if test.state in (State.RUNNING, State.PAUSED):
            test = end(test, now, by)
        test = _locked(test, {State.ENDED}, "Only a test that has run can be adopted.")
        test.adopted, test.adopted_at = letter, now
        test.shown = shown and not held_back
        test = _now(test, State.ADOPTED, Done.ADOPTED, by, now)
        if held_back:
            _watch(test, variants[letter], held_back, now, by)
    return test


def _watch(test: SplitTest, winner: Variant, held_back: int, now: datetime, by: User | None) -> None:
    """A test of the winner against those held back: of who saw the control before, so that nobody is shown it anew."""
    salt = test.salt or test.key
    name = f"{test.name[:100]}: does it last?"
    follow = SplitTest.objects.get(pk=test.pk)
    follow.pk, follow.key, follow.salt = None, new_key(), salt
    follow._state.adding = True
    follow.name, follow.notes, follow.follows = name, "", test
    follow.state, follow.started_at, follow.ended_at = State.RUNNING, now, None
    follow.adopted, follow.adopted_at, follow.shown = "", None, False
    follow.ends_on, follow.ends_decided, follow.ends_on_harm = None, False, False
    follow.traffic, follow.start_at, follow.layer, follow.held_out = 100, 0, "", 0
    follow.save()
    control = test.variants.get(letter="A")
    Variant.objects.bulk_create(
        [
            Variant(test=follow, letter="A", host=control.host, path=control.path, share=held_back),
            Variant(
                test=follow,
                letter="B",
                host=winner.host,
                path=winner.path,
                share=100 - held_back,
                changes=winner.changes,
            ),
        ]
    )
    note(follow, Done.STARTED, by, now)


def hand_over(test: SplitTest, now: datetime | None = None, by: User | None = None) -> SplitTest:
    """The site's own page has the winner now: Clabo shows it no longer."""
    with transaction.atomic():
        test = _locked(test, {State.ADOPTED}, "Only a winner that Clabo shows can be handed over.")
        if not test.shown:
            raise Problem("Clabo does not show this winner.", status=409)
        test.shown = False
        return _now(test, State.ADOPTED, Done.HANDED_OVER, by, now)


def archive(test: SplitTest, away: bool, by: User | None = None) -> SplitTest:
    """Out of the list, or back into it. Nothing else changes."""
    with transaction.atomic():
        over = {State.DRAFT, State.ENDED, State.ADOPTED}
        test = _locked(test, over, "End the test first: what runs stays in the list.")
        test.archived_at = datetime.now(UTC) if away else None
        return _now(test, test.state, Done.ARCHIVED if away else Done.BROUGHT_BACK, by, None)


def relabel(test: SplitTest, label: Label, by: User | None = None) -> SplitTest:
    """Another name, other notes, another day to end on; in any state."""
    with transaction.atomic():
        test = _locked(test, set(State), "")
        put_label(test, label, datetime.now(UTC))
        return _now(test, test.state, Done.NOTED, by, None)


def copy(test: SplitTest, by: User | None = None) -> SplitTest:
    """A draft that is written as the test is."""
    with transaction.atomic():
        variants = list(test.variants.all())
        made = SplitTest(
            site=test.site,
            name=f"{test.name[:110]}, again",
            rule=test.rule,
            **{
                name: getattr(test, name)
                for name in (
                    "what",
                    "traffic",
                    "held_out",
                    "who",
                    "measures",
                    "moment",
                    "pages",
                    "beside",
                    "baseline",
                    "smallest_lift",
                    "planned_visitors",
                )
            },
        )
        made.save()
        Variant.objects.bulk_create(
            Variant(test=made, letter=letter, host=v.host, path=v.path, share=v.share, changes=v.changes)
            for letter, v in zip(LETTERS, variants, strict=False)
        )
        note(made, Done.MADE, by)
    return made


def remove(test: SplitTest) -> None:
    """Delete a draft, until it is restored. What has run is kept."""
    with transaction.atomic():
        locked = _locked(test, {State.DRAFT}, "Only a draft can be deleted; what has run is kept.")
        locked.deleted_at = datetime.now(UTC)
        locked.save(update_fields=["deleted_at"])


def _now(test: SplitTest, state: str, done: Deed.What, by: User | None, now: datetime | None) -> SplitTest:
    test.state = state
    test.save()
    note(test, done, by, now)
    return test


def _locked(test: SplitTest, states: set[SplitTest.State], otherwise: str) -> SplitTest:
    test = SplitTest.objects.select_for_update().get(pk=test.pk)
    if test.state not in states:
        raise Problem(otherwise, status=409)
    return test
