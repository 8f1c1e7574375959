"""Session, first account, members."""

from __future__ import annotations

from typing import Any, cast

from django.contrib.auth import login
from django.http import HttpRequest
from ninja import Router

from clabo.platform.accounts import services, tokens
from clabo.platform.accounts.access import person, workspace_for
from clabo.platform.accounts.models import Membership, Role, User
from clabo.platform.accounts.schemas import (
    AccountIn,
    FirstAccount,
    InvitationOut,
    Member,
    NewInvitation,
    NewRole,
    NewTokenOut,
    OfferOut,
    Session,
    SiteLink,
    TakeIn,
    TokenIn,
    TokenOut,
    WorkspaceLink,
    invitation_out,
    member_out,
    token_out,
)
from clabo.platform.problems import Problem

router = Router(tags=["accounts"])


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


@router.patch("/account", response=Session)
def change_account(request: HttpRequest, data: AccountIn) -> Session:
    services.rename(person(request), data.name)
    return session(request)


@router.post("/setup", response=Session, auth=None)
def setup(request: HttpRequest, data: FirstAccount) -> Session:
    user = services.make_first_account(**data.dict())
    login(request, user, backend="allauth.account.auth_backends.AuthenticationBackend")
    return session(request)


@router.get("/workspaces/{int:workspace_id}/members", response=list[Member])
def members(request: HttpRequest, workspace_id: int) -> list[Member]:
    workspace = workspace_for(request, workspace_id, Role.VIEWER)
    rows = Membership.objects.filter(workspace=workspace).select_related("user").order_by("user__email")
    return [member_out(m) for m in rows]


@router.get("/workspaces/{int:workspace_id}/invitations", response=list[InvitationOut])
def invitations(request: HttpRequest, workspace_id: int) -> list[InvitationOut]:
    workspace = workspace_for(request, workspace_id, Role.OWNER)
    return [invitation_out(i) for i in services.open_invitations(workspace)]


@router.post("/workspaces/{int:workspace_id}/invitations", response=InvitationOut)
def invite(request: HttpRequest, workspace_id: int, data: NewInvitation) -> InvitationOut:
    workspace = workspace_for(request, workspace_id, Role.OWNER)
    return invitation_out(services.invite(workspace, data.email, data.name, data.role, person(request)))


@router.delete("/workspaces/{int:workspace_id}/invitations/{int:invitation_id}", response={204: None})
def take_back(request: HttpRequest, workspace_id: int, invitation_id: int) -> tuple[int, None]:
    services.take_back(workspace_for(request, workspace_id, Role.OWNER), invitation_id)
    return 204, None


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


@router.get("/workspaces/{int:workspace_id}/tokens", response=list[TokenOut])
def live_tokens(request: HttpRequest, workspace_id: int) -> list[TokenOut]:
    workspace = workspace_for(request, workspace_id, Role.EDITOR)
    return [token_out(t) for t in tokens.live_tokens(workspace)]


@router.post("/workspaces/{int:workspace_id}/tokens", response=NewTokenOut)
def make_token(request: HttpRequest, workspace_id: int, data: TokenIn) -> NewTokenOut:
    workspace = workspace_for(request, workspace_id, Role.EDITOR)
    made, text = tokens.make_token(workspace, data.name, data.scope, data.days, person(request))
    return NewTokenOut(**token_out(made).dict(), token=text)


@router.delete("/workspaces/{int:workspace_id}/tokens/{int:token_id}", response={204: None})
def revoke_token(request: HttpRequest, workspace_id: int, token_id: int) -> tuple[int, None]:
    tokens.revoke(workspace_for(request, workspace_id, Role.EDITOR), token_id)
    return 204, None
