"""Changes to people and workspaces."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from allauth.account.models import EmailAddress
from django.conf import settings
from django.contrib.auth.password_validation import validate_password
from django.core import signing
from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import connection, transaction

from clabo.platform.accounts.models import (
    Invitation,
    Membership,
    Role,
    User,
    Workspace,
    new_invitation_token,
    token_digest,
)
from clabo.platform.jobs.tasks import mail
from clabo.platform.problems import Problem, missing

_SETUP_SALT = "clabo.first-account"
_SETUP_AGE = 7 * 24 * 3600
INVITATION_AGE = timedelta(days=7)
MOST_INVITATIONS = 100
MOST_MEMBERS = 500


def setup_token() -> str:
    """What allows whoever started the server to make the first account."""
    return signing.dumps("first account", salt=_SETUP_SALT)


def make_first_account(token: str, name: str, email: str, password: str, workspace: str) -> User:
    """The owner of the first workspace. Refused once anybody exists, and without a valid token."""
    try:
        signing.loads(token, salt=_SETUP_SALT, max_age=_SETUP_AGE)
    except signing.BadSignature:
        raise Problem(
            "This set-up link is not valid. Use the one that ./start printed.", "token", 403
        ) from None
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(727270002)")
        if User.objects.exists():
            raise Problem("The first account has been made already. Sign in instead.", status=409)
        email = _checked_email(email)
        _check_password(password, User(email=email, name=name.strip()))
        user = make_user(email, password, name)
        owned = Workspace.objects.create(name=workspace.strip() or "Workspace")
        Membership.objects.create(workspace=owned, user=user, role=Role.OWNER)
    return user


def make_user(email: str, password: str, name: str) -> User:
    """A person whose address is known to be theirs."""
    user = User.objects.create_user(email, password, name=name.strip())
    _verify(user)
    return user


def _verify(user: User) -> None:
    EmailAddress.objects.update_or_create(
        user=user, email=user.email, defaults={"verified": True, "primary": True}
    )


def is_verified(user: User) -> bool:
    """Whether the person's address is known to be theirs."""
    mine = EmailAddress.objects.filter(user=user, email__iexact=user.email, verified=True)
    return bool(mine.exists())


def invite(workspace: Workspace, email: str, name: str, role: str, by: User | None) -> Invitation:
    """Offer a role in the workspace to an address. The token goes there by mail, and to nobody else.

    An invitation that is open already is made anew: its older mail is good for nothing any more.
    """
    email = _checked_email(email)
    if Membership.objects.filter(workspace=workspace, user__email=email).exists():
        raise Problem("This person is a member already.", "email", 409)
    now = datetime.now(UTC)
    open_now = Invitation.objects.filter(workspace=workspace, expires_at__gt=now).exclude(email=email)
    if open_now.count() >= MOST_INVITATIONS:
        raise Problem(f"There are {MOST_INVITATIONS} open invitations. Take some back first.", "email", 409)
    if Membership.objects.filter(workspace=workspace).count() >= MOST_MEMBERS:
        raise Problem(f"A workspace has at most {MOST_MEMBERS} members. Remove one first.", "email", 409)
    token = new_invitation_token()
    invitation, _ = Invitation.objects.update_or_create(
        workspace=workspace,
        email=email,
        defaults={
            "role": role,
            "name": name.strip(),
            "digest": token_digest(token),
            "made_by": by,
            "expires_at": now + INVITATION_AGE,
        },
    )
    what = " ".join(workspace.name.split())
    who = " ".join(str(by).split()) if by else "An owner"
    mail.later(
        workspace_id=workspace.pk,
        subject=f"You are invited to {what} in Clabo",
        body=f"{who} invites you to {what} in Clabo, as {role}.\n\nTake it here until {invitation.expires_at:%d %B %Y}:\n\n"
        f"{settings.PUBLIC_URL}/join/{token}\n\nIf you know nothing of this, leave it.\n",
        to=email,
    )
    return invitation


def open_invitations(workspace: Workspace) -> list[Invitation]:
    """Those that can still be taken, by address."""
    found = Invitation.objects.filter(workspace=workspace, expires_at__gt=datetime.now(UTC))
    return list(found.order_by("email"))


def take_back(workspace: Workspace, invitation_id: int) -> None:
    """Make an invitation worth nothing; raises Problem where there is none."""
    if not Invitation.objects.filter(workspace=workspace, pk=invitation_id).delete()[0]:
        raise missing("invitation")


def invitation_behind(token: str) -> Invitation:
    """The invitation with that token, while it lasts; raises Problem."""
    found = (
        Invitation.objects.select_related("workspace", "made_by").filter(digest=token_digest(token)).first()
    )
    if found is None or found.expires_at <= datetime.now(UTC):
        raise Problem("This invitation is not valid any more. Ask for a new one.", "token", 404)
    return found


def has_account(invitation: Invitation) -> bool:
    """Whether somebody signs in with the invited address already."""
    user = User.objects.filter(email=invitation.email).first()
    return user is not None and user.has_usable_password()


def take(token: str, user: User | None, name: str, password: str) -> User:
    """Become a member. `user` is who is signed in; a person without an account makes one with `password`.

    The token came by mail to the invited address, and so whoever holds it and has no account yet has shown the address
    to be theirs. Raises Problem where somebody else is signed in, or an account exists that must sign in first.
    """
    with transaction.atomic():
        invitation = invitation_behind(token)
        if user is None:
            if has_account(invitation):
                raise Problem(f"Sign in as {invitation.email} first, then open the link again.", status=401)
            user = User.objects.filter(email=invitation.email).first() or User(email=invitation.email)
            user.name = name.strip() or user.name or invitation.name
            _check_password(password, user)
            user.set_password(password)
            user.save()
            _verify(user)
        elif user.email != invitation.email or not is_verified(user):
            raise Problem(
                f"This invitation is for {invitation.email}. You are signed in as {user.email}: sign out first.",
                status=403,
            )
        Membership.objects.get_or_create(
            workspace=invitation.workspace, user=user, defaults={"role": invitation.role}
        )
        invitation.delete()
    return user


def change_role(workspace: Workspace, user_id: int, role: str | None) -> None:
    """Give a member another role, or with None take the membership away. One owner always stays."""
    with transaction.atomic():
        Workspace.objects.select_for_update().get(pk=workspace.pk)
        membership = Membership.objects.filter(workspace=workspace, user_id=user_id).first()
        if membership is None:
            raise missing("member")
        owners = Membership.objects.filter(workspace=workspace, role=Role.OWNER)
        if membership.role == Role.OWNER and role != Role.OWNER and owners.count() == 1:
            raise Problem("A workspace needs an owner. Make somebody else an owner first.", "role", 409)
        if role is None:
            membership.delete()
        else:
            membership.role = role
            membership.save()


def _checked_email(email: str) -> str:
    email = email.strip().lower()
    try:
        validate_email(email)
    except ValidationError:
        raise Problem("This is not an e-mail address. It looks like name@host.example.", "email") from None
    return email


def _check_password(password: str, user: User) -> None:
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise Problem(" ".join(error.messages), "password") from None


def rename(user: User, name: str) -> None:
    """How the person is called, to their colleagues too; raises Problem."""
    if not name.strip():
        raise Problem("Enter the name that your colleagues know you by.", "name")
    user.name = name.strip()
    user.save(update_fields=["name"])
