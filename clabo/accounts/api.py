"""Session, first account, members."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal, cast

from django.contrib.auth import login
from django.http import HttpRequest
from ninja import Field, Router, Schema

from clabo.accounts import services
from clabo.accounts.access import person, workspace_for
from clabo.accounts.models import Invitation, Membership, Role, User
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


class InvitationOut(Schema):
    """An offer that has not been taken yet. The link to take it goes to that address only."""

    id: int
    email: str
    name: str
    role: RoleName
    expires_at: datetime


class NewInvitation(Schema):
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


def _invitation(i: Invitation) -> InvitationOut:
    return InvitationOut(id=i.pk, email=i.email, name=i.name, role=cast(Any, i.role), expires_at=i.expires_at)


@router.get("/workspaces/{int:workspace_id}/invitations", response=list[InvitationOut])
def invitations(request: HttpRequest, workspace_id: int) -> list[InvitationOut]:
    workspace = workspace_for(request, workspace_id, Role.OWNER)
    return [_invitation(i) for i in services.open_invitations(workspace)]


@router.post("/workspaces/{int:workspace_id}/invitations", response=InvitationOut)
def invite(request: HttpRequest, workspace_id: int, data: NewInvitation) -> InvitationOut:
    workspace = workspace_for(request, workspace_id, Role.OWNER)
    return _invitation(services.invite(workspace, data.email, data.name, data.role, person(request)))


@router.delete("/workspaces/{int:workspace_id}/invitations/{int:invitation_id}", response={204: None})
def take_back(request: HttpRequest, workspace_id: int, invitation_id: int) -> tuple[int, None]:
    services.take_back(workspace_for(request, workspace_id, Role.OWNER), invitation_id)
    return 204, None


class OfferOut(Schema):
    """What whoever holds an invitation's token gets to see."""

    workspace: str
    invited_by: str
    email: str
    name: str
    role: RoleName
    # Somebody signs in with this address already, and must do so first.
    has_account: bool
    signed_in_as: str | None


class TakeIn(Schema):
    """Name and password are for who has no account yet."""

    name: str = Field("", max_length=120)
    password: str = Field("", max_length=200)


@router.get("/invitations/{token}", response=OfferOut, auth=None)
def offer(request: HttpRequest, token: str) -> OfferOut:
    found = services.invitation_behind(token)
    return OfferOut(
        workspace=found.workspace.name,
        invited_by=str(found.made_by or ""),
        email=found.email,
        name=found.name,
        role=cast(Any, found.role),
        has_account=services.has_account(found),
        signed_in_as=person(request).email if request.user.is_authenticated else None,
    )


@router.post("/invitations/{token}/take", response=Session, auth=None)
def take(request: HttpRequest, token: str, data: TakeIn) -> Session:
    me = person(request) if request.user.is_authenticated else None
    user = services.take(token, me, data.name, data.password)
    if me is None:
        login(request, user, backend="allauth.account.auth_backends.AuthenticationBackend")
    return session(request)


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
