"""Rehearsals: begun, watched while they go on, and kept when they end."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any

from clabo.collect.events.intake.parsing import rehearsal_visitor
from clabo.collect.events.models import KIND_NAMES, Event, Kind, Page
from clabo.core import rules
from clabo.core.message import Message
from clabo.core.pages.addresses import Address
from clabo.core.rules.rehearsal import Known, Line, Outcome, lines_of, outcome, parse_steps
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.platform.wording import say
from clabo.setup.conversions.matching.occurrences import occurrence
from clabo.setup.conversions.matching.seen import seen_on
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.conversions.queries import rules_of
from clabo.setup.rehearsals.models import Rehearsal, RehearsalSteps
from clabo.setup.sites.models import Site
from clabo.setup.sites.reach import origin_of


@dataclass(frozen=True, slots=True)
class RehearsedConversion:
    """One rule of a rehearsal: its lines with what came of each."""

    rule_id: int
    name: str
    rule: rules.Rule
    lines: list[tuple[Line, Outcome]]


def begin(
    site: Site, by: User | None, rule: ConversionRule | None = None, by_itself: bool = False
) -> Rehearsal:
    """A rehearsal of one conversion, or of all of the site's."""
    chosen = [rule] if rule else rules_of(site)
    if not chosen:
        raise Problem("Nothing counts as a conversion yet: there is nothing to rehearse.", "rule_id")
    known = _known(site)
    checked = [
        {
            "rule": r.pk,
            "name": r.name,
            "version": r.version,
            "language": r.rule,
            "lines": [asdict(line) for line in lines_of(rules.parse(r.rule, site.page_reading), known)],
        }
        for r in chosen
    ]
    return Rehearsal.objects.create(site=site, started_by=by, checked=checked, by_itself=by_itself)


def _known(site: Site) -> Known:
    pages = [Address(p.host, p.path) for p in Page.objects.filter(site=site).order_by("-views")[:2000]]
    seen = seen_on(site)
    return Known(
        pages,
        [
            (s.kind, s.element.traits, [Address(p.host, p.path) for p, _ in s.pages])  # type: ignore[misc]
            for s in seen
            if s.element
        ],
        [s.name for s in seen if s.kind == KIND_NAMES[Kind.MARK]],
    )


def rehearsal_of(site: Site, rehearsal_id: int) -> Rehearsal:
    """One rehearsal of the site; raises Problem."""
    found = Rehearsal.objects.filter(site=site, pk=rehearsal_id).first()
    if found is None:
        raise missing("rehearsal")
    return found


def hits_of(rehearsal: Rehearsal) -> list[Event]:
    """What happened in it, in order."""
    key = rehearsal_visitor(rehearsal.site_id, rehearsal.token)
    return list(
        Event.objects.filter(site_id=rehearsal.site_id, visitor__key=key)
        .select_related("page", "element")
        .order_by("time", "id")[:2000]
    )


def lines_so_far(rehearsal: Rehearsal) -> list[RehearsedConversion]:
    """How it stands now; once it has ended, how it ended."""
    happened = None
    if rehearsal.ended_at is None:
        happened = [occurrence(e, e.page, e.element) for e in hits_of(rehearsal)]
    found = []
    for each in rehearsal.checked:
        rule = rules.parse(each["language"], rehearsal.site.page_reading)
        lines = []
        for told in each["lines"]:
            came = told.get("outcome")
            line = _line(told)
            lines.append((line, _outcome(came) if came else outcome(line, rule, happened or [])))
        found.append(RehearsedConversion(each["rule"], each["name"], rule, lines))
    return found


def _line(kept: dict[str, Any]) -> Line:
    plain = {k: v for k, v in kept.items() if k not in ("says", "outcome")}
    return Line(says=Message(**kept["says"]), **plain)


def _outcome(kept: dict[str, Any]) -> Outcome:
    return Outcome(kept["status"], tuple(Message(**r) for r in kept["reasons"]), kept["attempts"])


def end(rehearsal: Rehearsal) -> None:
    """Keep what came of it; hits that come later change nothing any more."""
    if rehearsal.ended_at is not None:
        return
    stands = lines_so_far(rehearsal)
    for each, checked in zip(rehearsal.checked, stands, strict=True):
        for told, (_, came) in zip(each["lines"], checked.lines, strict=True):
            told["outcome"] = asdict(came)
    rehearsal.ended_at = datetime.now(UTC)
    rehearsal.save()


def counts(stands: list[RehearsedConversion]) -> dict[str, int]:
    """How many lines passed, failed and were not tried."""
    found = {"passed": 0, "failed": 0, "untried": 0}
    for checked in stands:
        for _, came in checked.lines:
            found[came.status] += 1
    return found


def save_steps(rule: ConversionRule, text: str) -> None:
    """Keep the steps of a rule, or none where `text` is empty; raises Problem naming the line."""
    try:
        steps = parse_steps(text)
    except rules.RuleError as error:
        raise Problem(say(error.told), error.field) from None
    if len(text) > 20_000:
        raise Problem("A list of steps has at most 20,000 characters.", "steps")
    if not steps:
        RehearsalSteps.objects.filter(rule=rule).delete()
        return
    RehearsalSteps.objects.update_or_create(rule=rule, defaults={"text": text})


def steps_of(rule: ConversionRule) -> str:
    """The stored steps, or empty."""
    found = RehearsalSteps.objects.filter(rule=rule).values_list("text", flat=True).first()
    return found or ""


def link(site: Site, rehearsal: Rehearsal, where: str) -> str:
    """The address that opens a page of the site inside the rehearsal."""
    host, slash, path = where.partition("/")
    address = f"{origin_of(site, host)}/{path if slash else ''}"
    return f"{address}{'&' if '?' in address else '?'}clabo=rehearse-{rehearsal.token}"
