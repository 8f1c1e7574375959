"""What a person says of a plan, held against what there is."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any
from urllib.parse import urlsplit
from uuid import UUID

from clabo.core import audiences
from clabo.core.plans.ad_links import LinkError, Naming, Parts, build
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Audience
from clabo.use.delivery.models import AdChannel
from clabo.use.delivery.syncing.status import runs_plans
from clabo.use.plans.calls import Seek, picture_mark
from clabo.use.plans.models import AdPlan

MOST_LINES, MOST_CREATIVES, MOST_LEFT_OUT, MOST_CAP = 10, 10, 20, 100
_PLACEMENT = re.compile(r"[a-z_]{1,30}")
_NOT_IN_KEYS = re.compile(r"[^a-z0-9]+")


@dataclass(frozen=True, slots=True)
class LineContent:
    """To whom: an audience by its id, or new people."""

    audience: int | None = None
    seek: dict[str, Any] | None = None
    share: Decimal = Decimal(1)


@dataclass(frozen=True, slots=True)
class CreativeContent:
    """What is shown, and the page it leads to: a path of the site's, or an address."""

    headline: str
    landing: str
    text: str = ""
    button: str = ""
    picture: str = ""
    share: Decimal = Decimal(1)


@dataclass(frozen=True, slots=True)
class PlanContent:
    """What a person says of a plan."""

    name: str
    channel: int
    aim: int
    lines: list[LineContent] = field(default_factory=list)
    left_out: list[int] = field(default_factory=list)
    creatives: list[CreativeContent] = field(default_factory=list)
    placements: list[str] = field(default_factory=list)
    daily_budget: Decimal = Decimal(10)
    highest_click: Decimal = Decimal("0.50")
    cap: int = 3
    first: date | None = None
    last: date | None = None
    sharing: str = AdPlan.Sharing.FIXED


@dataclass(frozen=True, slots=True)
class Line:
    """A line as it is: one of the two is given."""

    key: str
    audience: Audience | None
    seek: Seek | None
    share: Decimal

    @property
    def days(self) -> tuple[int, int]:
        """From and to which they came, by the first thing that the audience asks for; nought and nought where nothing tells."""
        part = audiences.first_part(audiences.parse(self.audience.definition)) if self.audience else None
        return (part.start, min(part.end, 1000)) if part else (0, 0)


@dataclass(frozen=True, slots=True)
class Creative:
    """A creative with its whole address."""

    key: str
    headline: str
    text: str
    button: str
    picture: str
    landing: str
    share: Decimal


@dataclass(frozen=True, slots=True)
class Written:
    """A plan whose parts all exist."""

    site: Site
    name: str
    channel: AdChannel
    aim: ConversionRule
    lines: list[Line]
    left_out: list[Audience]
    creatives: list[Creative]
    placements: list[str]
    daily_budget: Decimal
    highest_click: Decimal
    cap: int
    first: date | None
    last: date | None
    sharing: str

    def missing(self) -> tuple[str, str] | None:
        """What it lacks to begin: the field, and what to do."""
        if not self.lines:
            return "lines", "Say to whom it is shown."
        if not self.creatives:
            return "creatives", "Say what is shown: a headline, and the page it leads to."
        return None


def check(site: Site, content: PlanContent, kept: AdPlan | None = None) -> Written:
    """What was said, held against what there is; raises Problem naming the field.

    `kept`: the plan that it is of, whose keys stay.
    """
    name = _text(content.name, 80, "name", "Give it a name of at most 80 characters.")
    if not name:
        raise Problem("Give it a name of at most 80 characters.", "name")
    channel = AdChannel.objects.filter(site=site, pk=content.channel, deleted_at=None).first()
    if channel is None or not runs_plans(channel):
        raise Problem("Choose a channel that runs plans: the practice network does.", "channel")
    aim = ConversionRule.objects.filter(site=site, pk=content.aim, deleted_at=None).first()
    if aim is None:
        raise Problem("This conversion does not exist any more. Choose another.", "aim")
    _amount(content.daily_budget, "daily_budget", 1_000_000)
    _amount(content.highest_click, "highest_click", 1_000)
    if not 0 <= content.cap <= MOST_CAP:
        raise Problem(f"A cap is 1 to {MOST_CAP} times a week, or none.", "cap")
    if content.first and content.last and content.last < content.first:
        raise Problem("It ends before it begins.", "last")
    if content.sharing not in AdPlan.Sharing.values:
        raise Problem("A budget is fixed for each, or shared.", "sharing")
    if not all(_PLACEMENT.fullmatch(p) for p in content.placements) or len(set(content.placements)) < len(
        content.placements
    ):
        raise Problem("Choose placements that the channel has, each once.", "placements")
    lines = _lines(site, content.lines, kept)
    left_out = _audiences(site, content.left_out, "left_out")
    if len(left_out) > MOST_LEFT_OUT:
        raise Problem(f"At most {MOST_LEFT_OUT} audiences are left out.", "left_out")
    if {a.pk for a in left_out} & {line.audience.pk for line in lines if line.audience}:
        raise Problem("An audience is shown it and left out at once.", "left_out")
    return Written(
        site,
        name,
        channel,
        aim,
        lines,
        left_out,
        _creatives(site, content.creatives, kept),
        list(content.placements),
        content.daily_budget,
        content.highest_click,
        content.cap,
        content.first,
        content.last,
        content.sharing,
    )


def of_plan(plan: AdPlan) -> Written:
    """A kept plan."""
    lines = [
        Line(line.key, line.audience, Seek(**line.seek) if line.seek else None, line.share)
        for line in plan.lines.select_related("audience")
    ]
    creatives = [
        Creative(c.key, c.headline, c.text, c.button, c.picture, c.landing, c.share)
        for c in plan.creatives.all()
    ]
    return Written(
        plan.site,
        plan.name,
        plan.channel,
        plan.aim,
        lines,
        list(plan.left_out.order_by("name")),
        creatives,
        plan.placements,
        plan.daily_budget,
        plan.highest_click,
        plan.cap,
        plan.first,
        plan.last,
        plan.sharing,
    )


def as_asked(
    written: Written, campaign: str, today: date, lists: dict[int, UUID] | None = None
) -> dict[str, Any]:
    """The plan as its channel takes it. `lists`: how that calls audiences; without, they are only numbered."""

    def key(audience: Audience) -> str:
        return str(lists[audience.pk]) if lists else str(audience.pk)

    asked: dict[str, Any] = {
        "campaign": campaign,
        "lines": [
            {
                "id": line.key,
                "lists": [key(line.audience)] if line.audience else [],
                "seek": line.seek.model_dump() if line.seek else None,
                "days": line.days,
                "share": float(line.share),
            }
            for line in written.lines
        ],
        "left_out": [key(a) for a in written.left_out] if lists is not None else [],
        "highest_click": float(written.highest_click),
        "daily_budget": float(written.daily_budget),
        "cap": written.cap,
        "first": (written.first or today).isoformat(),
        "last": written.last.isoformat() if written.last else None,
        "sharing": written.sharing,
        "creatives": [
            {
                "id": c.key,
                "headline": c.headline,
                "text": c.text,
                "button": c.button,
                "picture": picture_mark(c.picture),
                "landing": c.landing,
                "share": float(c.share),
            }
            for c in written.creatives
        ],
    }
    if written.placements:
        asked["placements"] = written.placements
    return asked


def slug(text: str, taken: Iterable[str], most: int = 40) -> str:
    """A name for links, that none of `taken` is.

    >>> slug("Guide readers, 0–14 days", []), slug("A b", ["a-b"])
    ('guide-readers-0-14-days', 'a-b-2')
    """
    plain = _NOT_IN_KEYS.sub("-", text.lower()).strip("-")[:most].strip("-") or "x"
    known, number, found = set(taken), 1, plain
    while found in known:
        number += 1
        found = f"{plain}-{number}"
    return found


def _lines(site: Site, contents: Sequence[LineContent], kept: AdPlan | None) -> list[Line]:
    if len(contents) > MOST_LINES:
        raise Problem(f"A plan is for at most {MOST_LINES} audiences.", "lines")
    those = _audiences(site, [c.audience for c in contents if c.audience is not None], "lines")
    by_id = {a.pk: a for a in those}
    known = {line.audience_id: line.key for line in kept.lines.all() if line.audience_id} if kept else {}
    seeking = [line.key for line in kept.lines.all() if line.seek] if kept else []
    found: list[Line] = []
    for c in contents:
        _share(c.share, "lines")
        if (c.audience is None) == (c.seek is None):
            raise Problem("Each line is for an audience or for new people.", "lines")
        taken = {*(line.key for line in found), *known.values(), *seeking}
        if c.audience is not None:
            audience = by_id[c.audience]
            found.append(Line(known.get(audience.pk) or slug(audience.name, taken), audience, None, c.share))
        else:
            key = seeking.pop(0) if seeking else slug("new people", taken)
            found.append(Line(key, None, _seek(c.seek or {}), c.share))
    return found


def _seek(said: dict[str, Any]) -> Seek:
    try:
        return Seek(**said)
    except ValueError:
        raise Problem("New people are sought by a place, interests, age and devices.", "lines") from None


def _audiences(site: Site, ids: Sequence[int], field_name: str) -> list[Audience]:
    found = list(Audience.objects.filter(site=site, deleted_at=None, pk__in=ids).order_by("name"))
    if len(set(ids)) < len(ids):
        raise Problem("An audience is named twice.", field_name)
    if len(found) < len(ids):
        raise Problem("One of these audiences does not exist any more.", field_name)
    return found


def _creatives(site: Site, contents: Sequence[CreativeContent], kept: AdPlan | None) -> list[Creative]:
    if len(contents) > MOST_CREATIVES:
        raise Problem(f"A plan has at most {MOST_CREATIVES} creatives.", "creatives")
    known = (
        {(c.headline, c.text, c.button, c.picture, c.landing): c.key for c in kept.creatives.all()}
        if kept
        else {}
    )
    host = site.hosts.filter(stands_for="").order_by("pk").values_list("host", flat=True).first() or ""
    found: list[Creative] = []
    for number, c in enumerate(contents):
        at = f"creatives.{number}"
        headline = _text(c.headline, 90, f"{at}.headline", "A headline has at most 90 characters.")
        if not headline:
            raise Problem("A creative has a headline.", f"{at}.headline")
        text = _text(c.text, 200, f"{at}.text", "A text has at most 200 characters.")
        button = _text(c.button, 30, f"{at}.button", "A button has at most 30 characters.")
        picture = _text(c.picture, 300, f"{at}.picture", "This is none of the kept pictures.")
        if picture and urlsplit(picture).scheme not in ("http", "https"):
            raise Problem("This is none of the kept pictures.", f"{at}.picture")
        _share(c.share, at)
        said = c.landing.strip()
        try:
            landing = build(
                Parts(f"https://{host}{said}" if said.startswith("/") else said), Naming(required=frozenset())
            )
        except LinkError as error:
            raise Problem(say(error.told), f"{at}.landing") from None
        taken, words = (
            {*(one.key for one in found), *known.values()},
            (headline, text, button, picture, landing),
        )
        if words in {(one.headline, one.text, one.button, one.picture, one.landing) for one in found}:
            raise Problem("Two creatives are alike.", at)
        key = known.get(words) or slug(headline, taken)
        found.append(Creative(key, headline, text, button, picture, landing, c.share))
    return found


def _text(text: str, most: int, field_name: str, wrong: str) -> str:
    plain = " ".join(text.replace("\x00", "").split())
    if len(plain) > most:
        raise Problem(wrong, field_name)
    return plain


def _amount(amount: Decimal, field_name: str, most: int) -> None:
    if not amount.is_finite() or not 0 < amount <= most or amount != round(amount, 2):
        raise Problem(f"Give an amount above 0 and up to {most:,}, in cents.", field_name)


def _share(share: Decimal, field_name: str) -> None:
    if not share.is_finite() or not 0 < share <= 100 or share != round(share, 2):
        raise Problem("A share is a number above 0 and up to 100.", field_name)
