"""Keeping paths, and making audiences of those who left one."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from django.db import IntegrityError, transaction

from clabo.core.audiences import LONGEST, Converted, Happened, What
from clabo.core.audiences.definition import LONGEST_WITHIN
from clabo.core.audiences.predicates import read_what
from clabo.core.pages.addresses import AS_WRITTEN, PageReading
from clabo.core.paths.page_flow import NOTHING
from clabo.core.rules import RuleError
from clabo.judge.paths.models import Path
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem, missing
from clabo.platform.wording import say
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Audience
from clabo.use.audiences.services import AudienceContent, make_audience

MOST_STEPS = 8
MOST_PATHS = 100


def read_steps(site: Site, data: Sequence[Any], reading: PageReading | None = None) -> list[What]:
    """The steps that JSON states, as the site reads addresses unless told otherwise; raises Problem naming the one that
    cannot be read.
    """
    if not 2 <= len(data) <= MOST_STEPS:
        raise Problem(f"A path has 2 to {MOST_STEPS} steps.", "steps")
    known = set(ConversionRule.objects.filter(site=site, deleted_at=None).values_list("pk", flat=True))
    found: list[What] = []
    for place, one in enumerate(data):
        field = f"steps[{place}]"
        try:
            what = read_what(one, reading or site.page_reading)
        except RuleError as error:
            raise Problem(say(error.told), f"{field}.{error.field}".rstrip(".")) from None
        if not isinstance(what, Happened | Converted):
            raise Problem("A step is a page, an event or a conversion.", field)
        if isinstance(what, Converted) and what.conversion not in known:
            raise Problem("This conversion does not exist. Choose another.", field)
        found.append(what)
    return found


def read_within(within: int | None) -> int | None:
    """Seconds between the first and the last step, or None for within a visit; raises Problem."""
    if within is not None and not 1 <= within <= LONGEST_WITHIN:
        raise Problem(f"Give 1 to {LONGEST_WITHIN} seconds, or nothing for within one visit.", "within")
    return within


def path_of(site: Site, path_id: int) -> Path:
    """One of the site's kept paths; raises Problem where it is none."""
    found = Path.objects.filter(site=site, pk=path_id, deleted_at=None).first()
    if found is None:
        raise missing("path")
    return found


def keep_path(
    site: Site, name: str, steps: Sequence[Any], within: int | None, by: User | None, path: Path | None = None
) -> Path:
    """Keep a path, or change one; raises Problem."""
    # Stored, it outlives the settings.
    read = read_steps(site, steps, AS_WRITTEN)
    name = name.strip()
    if not name or len(name) > 80 or "\x00" in name:
        raise Problem("Give it a name of at most 80 characters.", "name")
    if path is None and Path.objects.filter(site=site, deleted_at=None).count() >= MOST_PATHS:
        raise Problem(f"A site has at most {MOST_PATHS} paths. Delete one first.", status=409)
    path = path or Path(site=site, made_by=by)
    path.name, path.steps, path.within = name, [what.json() for what in read], read_within(within)
    try:
        with transaction.atomic():
            path.save()
    except IntegrityError:
        raise Problem("Another path has this name. Choose another.", "name", 409) from None
    return path


def remove_path(path: Path) -> None:
    """Take it away, until it is restored."""
    path.deleted_at = datetime.now(UTC)
    path.save(update_fields=["deleted_at"])


def audiences_of_left(
    site: Site,
    name: str,
    steps: Sequence[Any],
    within: int | None,
    days: int,
    at: int | None,
    by: User | None,
) -> list[Audience]:
    """An audience of who left at step `at` (from 1 on), or one for every step but the last; raises Problem.

    Each holds who did the steps up to there in order within the last `days` days, minus who did the next one too.
    """
    # Stored, it outlives the settings.
    read = read_steps(site, steps, AS_WRITTEN)
    if not 1 <= days <= LONGEST:
        raise Problem(f"Give 1 to {LONGEST} days.", "days")
    if at is not None and not 1 <= at < len(read):
        raise Problem(f"Give a step from 1 to {len(read) - 1}.", "at")
    parts = [{"what": what.json(), "from": 0, "to": days, "times": 1} for what in read]
    longest = {} if within is None else {"within": read_within(within)}
    made = []
    with transaction.atomic():
        for place in [at] if at is not None else range(1, len(read)):
            definition = {
                "include": {"sequence": parts[:place], **longest},
                "exclude": {"sequence": parts[: place + 1], **longest},
            }
            title = f"{name.strip()[:50] or 'Path'}, left at {place}"
            made.append(make_audience(site, AudienceContent(title, definition), by))
    return made


def read_around(said: Sequence[str]) -> dict[int, int]:
    """Distances and what stands there, as an address states them; raises Problem."""
    found: dict[int, int] = {}
    for text in said:
        distance, _, page = text.partition(":")
        if distance not in ("-3", "-2", "-1", "1", "2", "3") or not (
            page == "none" or (page.isascii() and page.isdigit() and len(page) < 19)
        ):
            raise Problem(
                "Each is <distance>:<page>, the distance -3 to 3, the page its number or none.", "at"
            )
        found[int(distance)] = NOTHING if page == "none" else int(page)
    return found
