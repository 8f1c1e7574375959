"""The shapes of people and workspaces in the API, and how they are filled."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal, cast

from ninja import Field

from clabo.platform.accounts.models import ApiToken, Invitation, Membership
from clabo.platform.shapes import Shape

RoleName = Literal["owner", "editor", "viewer"]


class SiteLink(Shape):
    id: int
    name: str
    currency: str
    time_zone: str
    role: RoleName


class WorkspaceLink(Shape):
    id: int
    name: str
    role: RoleName
    sites: list[SiteLink]


class Session(Shape):
    """Who is signed in and what they can open. `setup_needed`: there is no account at all yet."""

    email: str | None = None
    name: str = ""
    setup_needed: bool = False
    workspaces: list[WorkspaceLink]


class FirstAccount(Shape):
    token: str = Field(max_length=300)
    name: str = Field(max_length=120)
    email: str = Field(max_length=254)
    password: str = Field(max_length=200)
    workspace: str = Field(max_length=120)


class AccountIn(Shape):
    name: str = Field(max_length=120)


class Member(Shape):
    user_id: int
    name: str
    email: str
    role: RoleName
    has_signed_in: bool


class InvitationOut(Shape):
    """An offer that has not been taken yet. The link to take it goes to that address only."""

    id: int
    email: str
    name: str
    role: RoleName
    expires_at: datetime


class NewInvitation(Shape):
    email: str = Field(max_length=254)
    name: str = Field("", max_length=120)
    role: RoleName = "viewer"


class NewRole(Shape):
    role: RoleName


def member_out(m: Membership) -> Member:
    return Member(
        user_id=m.user_id,
        name=m.user.name,
        email=m.user.email,
        role=cast(Any, m.role),
        has_signed_in=bool(m.user.last_login),
    )


def invitation_out(i: Invitation) -> InvitationOut:
    return InvitationOut(id=i.pk, email=i.email, name=i.name, role=cast(Any, i.role), expires_at=i.expires_at)


class OfferOut(Shape):
    """What whoever holds an invitation's token gets to see."""

    workspace: str
    invited_by: str
    email: str
    name: str
    role: RoleName
    # Somebody signs in with this address already, and must do so first.
    has_account: bool
    signed_in_as: str | None


class TakeIn(Shape):
    """Name and password are for who has no account yet."""

    name: str = Field("", max_length=120)
    password: str = Field("", max_length=200)


class TokenIn(Shape):
    name: str = Field(max_length=80)
    # "reports", or also lists of "people" (members of audiences, which takes an editor).
    scope: Literal["reports", "people", "outcomes"] = "reports"
    days: int = 90


class TokenOut(Shape):
    id: int
    name: str
    scope: Literal["reports", "people", "outcomes"]
    hint: str
    made_by: str
    made_at: datetime
    expires_at: datetime
    last_used_at: datetime | None


class NewTokenOut(TokenOut):
    # Said once: only its digest is kept.
    token: str


def token_out(t: ApiToken) -> TokenOut:
    fields = {n: getattr(t, n) for n in TokenOut.model_fields if n not in ("id", "made_by")}
    return TokenOut(id=t.pk, made_by=str(t.made_by), **fields)
