"""Who may see and change what. Every API function begins here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

from django.http import HttpRequest

from clabo.platform.accounts.models import Membership, Role, User, Workspace
from clabo.platform.problems import Problem, missing

_RANK = {Role.VIEWER: 0, Role.EDITOR: 1, Role.OWNER: 2}


def person(request: HttpRequest) -> User:
    """Who is signed in; the API's authentication has seen to it that somebody is."""
    return cast(User, request.user)


@dataclass(frozen=True, slots=True)
class Limit:
    """Somebody acts for a member, in one workspace and with no more than a role."""

    workspace_id: int
    role: Role


def act_for(user: User, workspace_id: int, role: Role) -> User:
    """The member, for one request, seeing and doing no more than that. Whoever is no member any more sees nothing."""
    user.limit = Limit(workspace_id, role)
    return user


def require(workspace_id: int, user: User, role: Role, what: str) -> Role:
    """The user's role in the workspace, at least `role`.

    To a stranger `what` does not exist (404); a member with too little gets told so (403).
    """
    membership = Membership.objects.filter(workspace_id=workspace_id, user=user).first()
    limit = user.limit
    if membership is None or (limit and limit.workspace_id != workspace_id):
        raise missing(what)
    own = Role(membership.role)
    if limit:
        own = min(own, limit.role, key=_RANK.__getitem__)
    if _RANK[own] < _RANK[role]:
        raise Problem(
            f"This takes the role “{role.value}”; yours is “{own.value}”. Ask an owner.", status=403
        )
    return own


def workspace_for(request: HttpRequest, workspace_id: int, role: Role) -> Workspace:
    """The workspace, if the signed-in person has at least `role` in it."""
    require(workspace_id, person(request), role, "workspace")
    return Workspace.objects.get(pk=workspace_id)
