"""Links that open a page with the tag's editor, so that a draft's variant is written on the page itself."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils.crypto import constant_time_compare, salted_hmac
from django.views.decorators.csrf import csrf_exempt

from clabo.accounts.models import Membership, Role, User
from clabo.core.changes import Change, read_changes
from clabo.core.rules.errors import RuleError
from clabo.problems import Problem
from clabo.sites.reach import origin_of
from clabo.splits.elements import have_looked
from clabo.splits.kept import MOST_BYTES as MOST_PICTURE
from clabo.splits.kept import keep_picture
from clabo.splits.models import Deed, SplitTest, Variant
from clabo.splits.services import note
from clabo.wording import say

GOOD_FOR = timedelta(hours=2)
MOST_BYTES = 200_000
_SALT = "clabo.splits.editing"
_TOKEN = re.compile(r"(\d{1,18})-([B-H])-(\d{1,18})-(\d{1,12})-([0-9a-f]{32})")


@dataclass(frozen=True, slots=True)
class Writing:
    """Who writes which variant of which draft."""

    test: SplitTest
    variant: Variant
    person: User


def edit_address(test: SplitTest, letter: str, person: User, now: datetime | None = None) -> str:
    """The test's page with the editor on it, for two hours and for what this person may do; raises Problem."""
    if test.state != SplitTest.State.DRAFT:
        raise Problem("Only a draft can be written. Copy the test to write it anew.", status=409)
    if test.what != SplitTest.What.CONTENT:
        raise Problem("Only a test of what stands on a page is written there.", "letter")
    variant = next((v for v in test.variants.all() if v.letter == letter and letter != "A"), None)
    if variant is None:
        raise Problem("Choose one of the test’s challengers.", "letter")
    until = int(((now or datetime.now(UTC)) + GOOD_FOR).timestamp())
    joint = "&" if "?" in variant.path else "?"
    token = _token(test.pk, letter, person.pk, until)
    return f"{origin_of(test.site, variant.host)}{variant.path}{joint}clabo=edit-{token}"


def written_by(token: str, now: datetime | None = None) -> Writing:
    """What a link's token lets somebody write; raises Problem where it is over, was never made here, or they may no longer."""
    parts = _TOKEN.fullmatch(token)
    if not parts:
        raise Problem("This link is not one of ours.", status=404)
    test_id, letter, person_id, until = int(parts[1]), parts[2], int(parts[3]), int(parts[4])
    if not constant_time_compare(_token(test_id, letter, person_id, until), token):
        raise Problem("This link is not one of ours.", status=404)
    if until < (now or datetime.now(UTC)).timestamp():
        raise Problem("This link is over. Take a new one from the test.", status=410)
    test = SplitTest.objects.filter(pk=test_id).select_related("site").first()
    if test is None or test.state != SplitTest.State.DRAFT:
        raise Problem("The test is no draft any more, so that it cannot be written.", status=409)
    membership = Membership.objects.filter(
        user=person_id, workspace=test.site.workspace_id, user__is_active=True
    ).first()
    if membership is None or membership.role not in (Role.EDITOR, Role.OWNER):
        raise Problem("You may not write this site’s tests any more.", status=403)
    variant = test.variants.filter(letter=letter).first()
    if variant is None:
        raise Problem("The draft has no such variant any more.", status=410)
    return Writing(test, variant, membership.user)


def write(writing: Writing, data: object) -> None:
    """Keep what was written; raises Problem."""
    try:
        changes = [c.json() for c in read_changes(_as_written(data))]
    except RuleError as error:
        raise Problem(say(error.told), f"changes{error.field}") from None
    with transaction.atomic():
        test = SplitTest.objects.select_for_update().get(pk=writing.test.pk)
        if test.state != SplitTest.State.DRAFT:
            raise Problem("The test has been started meanwhile, so that it cannot be written.", status=409)
        test.variants.filter(letter=writing.variant.letter).update(changes=changes)
        SplitTest.objects.filter(pk=test.pk).update(elements=None)
        have_looked(test)
        note(test, Deed.What.CHANGED, writing.person)


# What the tag applies in place of what somebody wrote.
_DERIVED = ("nodes", "rules")


def _for_editor(change: Change) -> dict[str, Any]:
    """What was written, and what is made of it on the page."""
    return {change.key: change.json()[change.key] | change.for_tag()[change.key]}


def _as_written(data: object) -> object:
    return [_one_as_written(one) for one in data] if isinstance(data, list) else data


def _one_as_written(one: object) -> object:
    if not isinstance(one, dict):
        return one
    return {
        key: {n: v for n, v in inner.items() if n not in _DERIVED} if isinstance(inner, dict) else inner
        for key, inner in one.items()
    }


def _token(test_id: int, letter: str, person_id: int, until: int) -> str:
    said = f"{test_id}-{letter}-{person_id}-{until}"
    return f"{said}-{salted_hmac(_SALT, said, settings.SECRET_KEY, algorithm='sha256').hexdigest()[:32]}"


@csrf_exempt
def edit(request: HttpRequest, token: str) -> HttpResponse:
    """What the editor reads and keeps, from whatever origin the page has: the token says who it is, and no cookie does."""
    try:
        writing = written_by(token)
        if request.method == "POST":
            write(writing, _sent(request))
        elif request.method != "GET":
            raise Problem("Read the draft with GET, and keep it with POST.", status=405)
        name, letter = writing.test.name, writing.variant.letter
        writing.variant.refresh_from_db()
        changes = [_for_editor(c) for c in read_changes(writing.variant.changes)]
        answer = JsonResponse({"name": name, "letter": letter, "changes": changes})
    except Problem as problem:
        answer = JsonResponse({"detail": problem.detail, "field": problem.field}, status=problem.status)
    answer["access-control-allow-origin"] = "*"
    answer["cache-control"] = "no-store"
    answer["x-robots-tag"] = "noindex"
    return answer


@csrf_exempt
def edit_picture(request: HttpRequest, token: str) -> HttpResponse:
    """Keeps a picture for the draft that the token is of; the body is the file."""
    try:
        writing = written_by(token)
        if request.method != "POST":
            raise Problem("Send the picture with POST.", status=405)
        # Not `body`, which takes no more than a form may hold.
        answer = JsonResponse({"address": keep_picture(writing.test.site, request.read(MOST_PICTURE + 1))})
    except Problem as problem:
        answer = JsonResponse({"detail": problem.detail, "field": problem.field}, status=problem.status)
    answer["access-control-allow-origin"] = "*"
    answer["cache-control"] = "no-store"
    return answer


def _sent(request: HttpRequest) -> object:
    if len(request.body) > MOST_BYTES:
        raise Problem("That is more than a variant can change.", status=413)
    try:
        return json.loads(request.body)
    except ValueError:
        raise Problem("Send the changes as JSON.", status=422) from None
