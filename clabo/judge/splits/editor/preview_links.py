"""Links that show a variant as it would be, in any state of its test, without anything being counted."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils.crypto import constant_time_compare, salted_hmac

from clabo.core.splits.changes import read_changes
from clabo.judge.splits.models import SplitTest, Variant
from clabo.platform.problems import Problem
from clabo.setup.sites.reach import origin_of

GOOD_FOR = timedelta(hours=2)
_SALT = "clabo.judge.splits.editor.preview_links"
_TOKEN = re.compile(r"(\d{1,18})-(\d{1,12})-([0-9a-f]{32})")


def look_address(variant: Variant, now: datetime | None = None) -> str:
    """The page with what the variant has on it, for two hours; of a test of addresses just its address, where nothing is counted."""
    token = _token(variant.pk, int(((now or datetime.now(UTC)) + GOOD_FOR).timestamp()))
    joint = "&" if "?" in variant.path else "?"
    return f"{origin_of(variant.test.site, variant.host)}{variant.path}{joint}clabo=look-{token}"


def looked_at(token: str, now: datetime | None = None) -> Variant:
    """The variant that a link's token shows; raises Problem where it is over, or was never made here."""
    parts = _TOKEN.fullmatch(token)
    variant_id, until = (int(parts[1]), int(parts[2])) if parts else (0, 0)
    if not parts or not constant_time_compare(_token(variant_id, until), token):
        raise Problem("This link is not one of ours.", status=404)
    if until < (now or datetime.now(UTC)).timestamp():
        raise Problem("This link is over. Take a new one from the test.", status=410)
    found = Variant.objects.filter(pk=variant_id, test__deleted_at=None).select_related("test").first()
    if found is None:
        raise Problem("The test has been written anew. Take a new link from it.", status=410)
    return found


def _token(variant_id: int, until: int) -> str:
    said = f"{variant_id}-{until}"
    return f"{said}-{salted_hmac(_SALT, said, settings.SECRET_KEY, algorithm='sha256').hexdigest()[:32]}"


def look(request: HttpRequest, token: str) -> HttpResponse:
    """What the tag makes of the page: read from the site's own pages, so that any origin may."""
    try:
        variant = looked_at(token)
        test: SplitTest = variant.test
        changes = [c.for_tag() for c in read_changes(variant.changes)]
        answer = JsonResponse({"name": test.name, "letter": variant.letter, "changes": changes})
    except Problem as problem:
        answer = JsonResponse({"detail": problem.detail}, status=problem.status)
    answer["access-control-allow-origin"] = "*"
    answer["cache-control"] = "no-store"
    answer["x-robots-tag"] = "noindex"
    return answer
