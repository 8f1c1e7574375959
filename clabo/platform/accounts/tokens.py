"""API tokens: made once, kept as a digest, and never able to change anything."""

from __future__ import annotations

import secrets
from datetime import UTC, datetime, timedelta

from django.db.models import QuerySet
from django.http import HttpRequest
from ninja.security import HttpBearer

from clabo.platform.accounts.access import act_for
from clabo.platform.accounts.models import ApiToken, Role, User, Workspace, token_digest
from clabo.platform.accounts.scopes import may_enter
from clabo.platform.problems import Problem, missing

MOST_DAYS = 400
MOST_TOKENS = 50
_PREFIX = "clabo_"
# Last use is worth a write once in a while only.
_NOTED_EVERY = timedelta(minutes=1)


def make_token(
    workspace: Workspace, name: str, scope: str, days: int, by: User, now: datetime | None = None
) -> tuple[ApiToken, str]:
    """A token and its text, which nobody can ask for again. Raises Problem."""
    now = now or datetime.now(UTC)
    name = " ".join(name.split())
    if not name:
        raise Problem("Give the token a name: what will use it.", "name")
    if not 1 <= days <= MOST_DAYS:
        raise Problem(f"A token lasts between 1 and {MOST_DAYS} days.", "days")
    if _live(workspace, now).count() >= MOST_TOKENS:
        raise Problem(f"There are {MOST_TOKENS} tokens. Revoke some first.", status=409)
    text = _PREFIX + secrets.token_urlsafe(32)
    token = ApiToken.objects.create(
        workspace=workspace,
        name=name,
        scope=scope,
        digest=token_digest(text),
        hint=text[: len(_PREFIX) + 4],
        made_by=by,
        expires_at=now + timedelta(days=days),
    )
    return token, text


def live_tokens(workspace: Workspace) -> list[ApiToken]:
    """Those that can be used, the newest first."""
    return list(_live(workspace, datetime.now(UTC)).select_related("made_by").order_by("-made_at"))


def _live(workspace: Workspace, now: datetime) -> QuerySet[ApiToken]:
    return ApiToken.objects.filter(workspace=workspace, revoked_at=None, expires_at__gt=now)


def revoke(workspace: Workspace, token_id: int) -> None:
    """End a token now; raises Problem where there is none."""
    if not _live(workspace, datetime.now(UTC)).filter(pk=token_id).update(revoked_at=datetime.now(UTC)):
        raise missing("token")


class ByToken(HttpBearer):
    """A program with a token (RFC 6750): it reads or tells, as the member who made the token could."""

    def authenticate(self, request: HttpRequest, token: str) -> ApiToken | None:
        now = datetime.now(UTC)
        found = (
            ApiToken.objects.select_related("made_by")
            .filter(digest=token_digest(token), revoked_at=None, expires_at__gt=now, made_by__is_active=True)
            .first()
        )
        if found is None:
            raise Problem(
                "This token is not known, has ended or was revoked. Make another under People.", status=401
            )
        if not may_enter(found.scope, request.method or "", request.path):
            raise Problem(
                "A token reads or tells only what its scope names below its sites (docs/api.md).",
                status=403,
            )
        if found.last_used_at is None or now - found.last_used_at > _NOTED_EVERY:
            ApiToken.objects.filter(pk=found.pk).update(last_used_at=now)
        most = Role.VIEWER if found.scope == ApiToken.Scope.REPORTS else Role.EDITOR
        request.user = act_for(found.made_by, found.workspace_id, most)
        return found
