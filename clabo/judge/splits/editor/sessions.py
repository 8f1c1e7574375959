"""Links that open a page with the tag's editor, so that a draft's variant is written on the page itself.

The link's ticket stands in the address's fragment, which no server and no referrer is told. The tag takes it out at once and
exchanges it, once, for a token that holds for the origin that the page has, and that only the editor's own script knows.
"""

from __future__ import annotations

import json
import re
import secrets
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import wraps
from hashlib import sha256
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from django.db import transaction
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils.crypto import constant_time_compare, salted_hmac
from django.views.decorators.csrf import csrf_exempt

from clabo.core.rules.errors import RuleError
from clabo.core.splits.changes import Change, read_changes
from clabo.judge.splits.editor.elements import have_looked
from clabo.judge.splits.editor.images import MOST_BYTES as MOST_PICTURE
from clabo.judge.splits.editor.images import store_image
from clabo.judge.splits.models import Deed, EditSession, SplitTest, Variant
from clabo.judge.splits.services import note
from clabo.platform.accounts.models import Membership, Role, User
from clabo.platform.bodies import read_json
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.setup.sites.reach import origin_of

# A link is followed right away; what it is exchanged for lasts as long as one writes.
TICKET_FOR = timedelta(minutes=10)
GOOD_FOR = timedelta(hours=2)
MOST_BYTES = 200_000
_SALT = "clabo.judge.splits.editor.sessions"
_TICKET = re.compile(r"(\d{1,18})-([B-H])-(\d{1,18})-(\d{1,12})-[0-9a-f]{16}-[0-9a-f]{32}")
_BEARER = re.compile(r"Bearer ([\w-]{20,100})")


@dataclass(frozen=True, slots=True)
class Writing:
    """Who writes which variant of which draft."""

    test: SplitTest
    variant: Variant
    person: User


def edit_address(test: SplitTest, letter: str, person: User, now: datetime | None = None) -> str:
    """The test's page with the editor on it, once and for what this person may do; raises Problem."""
    if test.state != SplitTest.State.DRAFT:
        raise Problem("Only a draft can be written. Copy the test to write it anew.", status=409)
    if test.what != SplitTest.What.CONTENT:
        raise Problem("Only a test of what stands on a page is written there.", "letter")
    variant = next((v for v in test.variants.all() if v.letter == letter and letter != "A"), None)
    if variant is None:
        raise Problem("Choose one of the test’s challengers.", "letter")
    until = int(((now or datetime.now(UTC)) + TICKET_FOR).timestamp())
    said = f"{test.pk}-{letter}-{person.pk}-{until}-{secrets.token_hex(8)}"
    return f"{origin_of(test.site, variant.host)}{variant.path}#clabo=edit-{said}-{_signature(said)}"


def open_session(ticket: str, origin: str, now: datetime | None = None) -> tuple[str, Writing]:
    """A token in exchange for a link's ticket, for this origin alone and once; raises Problem."""
    now = now or datetime.now(UTC)
    parts = _TICKET.fullmatch(ticket)
    said, _, signature = ticket.rpartition("-")
    if not parts or not constant_time_compare(_signature(said), signature):
        raise Problem("This link is not one of ours.", status=404)
    if int(parts[4]) < now.timestamp():
        raise Problem("This link is over. Take a new one from the test.", status=410)
    writing = _writing(int(parts[1]), parts[2], int(parts[3]))
    if not writing.test.site.hosts.filter(host=urlsplit(origin).netloc.lower()).exists():
        raise Problem("A variant is written on the site’s own pages only.", status=403)
    token = secrets.token_urlsafe(32)
    EditSession.objects.filter(until__lt=now).delete()
    _, made = EditSession.objects.get_or_create(
        ticket=_digest(ticket),
        defaults={
            "token": _digest(token),
            "test": writing.test,
            "letter": writing.variant.letter,
            "person": writing.person,
            "origin": origin,
            "until": now + GOOD_FOR,
        },
    )
    if not made:
        raise Problem("This link has been used. Take a new one from the test.", status=410)
    return token, writing


def written_by(token: str, origin: str, now: datetime | None = None) -> Writing:
    """What the editor on a page may write; raises Problem where it is over, is another page's, or they may no longer."""
    session = EditSession.objects.filter(token=_digest(token)).first()
    if session is None or session.origin != origin:
        raise Problem("The editor is not open here. Take a new link from the test.", status=404)
    if session.until < (now or datetime.now(UTC)):
        raise Problem("The editor has been open for too long. Take a new link from the test.", status=410)
    return _writing(session.test_id, session.letter, session.person_id)


def bearer(told: str) -> str:
    """The token in an Authorization header (RFC 6750), or nothing."""
    found = _BEARER.fullmatch(told)
    return found[1] if found else ""


def _writing(test_id: int, letter: str, person_id: int) -> Writing:
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


def _signature(said: str) -> str:
    return salted_hmac(_SALT, said, settings.SECRET_KEY, algorithm="sha256").hexdigest()[:32]


def _digest(secret: str) -> str:
    return sha256(secret.encode()).hexdigest()


Answer = Callable[[HttpRequest], dict[str, Any]]


def _told(answer: Answer) -> Callable[[HttpRequest], HttpResponse]:
    """A view of POST from whatever origin the page has: the ticket or token says who it is, and no cookie does."""

    @csrf_exempt
    @wraps(answer)
    def view(request: HttpRequest) -> HttpResponse:
        response: HttpResponse
        if request.method == "OPTIONS":
            response = HttpResponse(status=204)
            response["access-control-allow-headers"] = "authorization"
            response["access-control-max-age"] = "600"
        else:
            try:
                if request.method != "POST":
                    raise Problem("The editor sends everything with POST.", status=405)
                response = JsonResponse(answer(request))
            except Problem as problem:
                said = {"detail": problem.detail, "field": problem.field}
                response = JsonResponse(said, status=problem.status)
        response["access-control-allow-origin"] = "*"
        response["cache-control"] = "no-store"
        response["x-robots-tag"] = "noindex"
        return response

    return view


def _by(request: HttpRequest) -> Writing:
    return written_by(bearer(request.headers.get("authorization", "")), request.headers.get("origin", ""))


@_told
def edit_open(request: HttpRequest) -> dict[str, Any]:
    """Exchanges the link's ticket, which is the body, for a token, and says what the draft holds."""
    if len(request.body) > 200:
        raise Problem("This link is not one of ours.", status=404)
    ticket = request.body.decode("ascii", "replace")
    token, writing = open_session(ticket, request.headers.get("origin", ""))
    return {"token": token, **_draft(writing)}


@_told
def edit_draft(request: HttpRequest) -> dict[str, Any]:
    """Keeps what was written."""
    writing = _by(request)
    write(writing, _sent(request))
    writing.variant.refresh_from_db()
    return _draft(writing)


@_told
def edit_picture(request: HttpRequest) -> dict[str, Any]:
    """Keeps a picture for the draft; the body is the file."""
    writing = _by(request)
    # Not `body`, which takes no more than a form may hold.
    return {"address": store_image(writing.test.site, request.read(MOST_PICTURE + 1))}


def _draft(writing: Writing) -> dict[str, Any]:
    changes = [_for_editor(c) for c in read_changes(writing.variant.changes)]
    return {"name": writing.test.name, "letter": writing.variant.letter, "changes": changes}


def _sent(request: HttpRequest) -> object:
    if len(request.body) > MOST_BYTES:
        raise Problem("That is more than a variant can change.", status=413)
    try:
        # Half a surrogate pair is refused by the text that has it.
        return read_json(request.body, json.loads)
    except ValueError:
        raise Problem("Send the changes as JSON, nested no deeper than they are read.", status=422) from None
