"""Session, first account, members."""

from __future__ import annotations

from typing import Any, Literal, cast

from django.contrib.auth import login
from django.http import HttpRequest
from ninja import Field, Router, Schema

from clabo.accounts import services
from clabo.accounts.access import person, workspace_for
from clabo.accounts.models import Membership, Role, User
from clabo.accounts.problems import Problem

router = Router(tags=["accounts"])
RoleName = Literal["owner", "editor", "viewer"]


class SiteLink(Schema):
    id: int
    name: str
    currency: str
    time_zone: str
    role: RoleName


class WorkspaceLink(Schema):
    id: int
    name: str
    role: RoleName
    sites: list[SiteLink]


class Session(Schema):
    """Who is signed in and what they can open. `setup_needed`: there is no account at all yet."""

    email: str | None = None
    name: str = ""
    setup_needed: bool = False
    workspaces: list[WorkspaceLink]


@router.get("/session", response=Session, auth=None)
def session(request: HttpRequest) -> Session:
    if not request.user.is_authenticated:
        return Session(setup_needed=not User.objects.exists(), workspaces=[])
    user = person(request)
    rows = Membership.objects.filter(user=user).select_related("workspace").order_by("workspace__name")
    return Session(
        email=user.email,
        name=str(user),
        workspaces=[
            WorkspaceLink(
                id=m.workspace_id,
                name=m.workspace.name,
                role=cast(Any, m.role),
                sites=[
                    SiteLink(
                        id=s.pk,
                        name=s.name,
                        currency=s.currency,
                        time_zone=s.time_zone,
                        role=cast(Any, m.role),
                    )
                    for s in m.workspace.sites.order_by("name")
                ],
            )
            for m in rows
        ],
    )


class FirstAccount(Schema):
    token: str = Field(max_length=300)
    name: str = Field(max_length=120)
    email: str = Field(max_length=254)
    password: str = Field(max_length=200)
    workspace: str = Field(max_length=120)


@router.post("/setup", response=Session, auth=None)
def setup(request: HttpRequest, data: FirstAccount) -> Session:
    user = services.make_first_account(**data.dict())
    login(request, user, backend="allauth.account.auth_backends.AuthenticationBackend")
    return session(request)


class Member(Schema):
    user_id: int
    name: str
    email: str
    role: RoleName
    has_signed_in: bool


class Invitation(Schema):
    """`link` lets a new person choose a password; empty for one who has an account."""

    member: Member
    link: str


class NewMember(Schema):
    email: str = Field(max_length=254)
    name: str = Field("", max_length=120)
    role: RoleName = "viewer"


class NewRole(Schema):
    role: RoleName


def _member(m: Membership) -> Member:
    return Member(
        user_id=m.user_id,
        name=m.user.name,
        email=m.user.email,
        role=cast(Any, m.role),
        has_signed_in=bool(m.user.last_login),
    )


@router.get("/workspaces/{int:workspace_id}/members", response=list[Member])
def members(request: HttpRequest, workspace_id: int) -> list[Member]:
    workspace = workspace_for(request, workspace_id, Role.VIEWER)
    rows = Membership.objects.filter(workspace=workspace).select_related("user").order_by("user__email")
    return [_member(m) for m in rows]


@router.post("/workspaces/{int:workspace_id}/members", response=Invitation)
def add_member(request: HttpRequest, workspace_id: int, data: NewMember) -> Invitation:
    workspace = workspace_for(request, workspace_id, Role.OWNER)
    membership, link = services.add_member(workspace, data.email, data.name, data.role)
    return Invitation(member=_member(membership), link=link)


@router.patch("/workspaces/{int:workspace_id}/members/{int:user_id}", response={204: None})
def change_member(request: HttpRequest, workspace_id: int, user_id: int, data: NewRole) -> tuple[int, None]:
    services.change_role(workspace_for(request, workspace_id, Role.OWNER), user_id, data.role)
    return 204, None


@router.delete("/workspaces/{int:workspace_id}/members/{int:user_id}", response={204: None})
def remove_member(request: HttpRequest, workspace_id: int, user_id: int) -> tuple[int, None]:
    workspace = workspace_for(request, workspace_id, Role.OWNER)
    if user_id == person(request).pk:
        raise Problem("You cannot remove yourself. Another owner can.", status=409)
    services.change_role(workspace, user_id, None)
    return 204, None
