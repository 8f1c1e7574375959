"""Changes to people and workspaces."""

from __future__ import annotations

from allauth.account.forms import default_token_generator
from allauth.account.utils import user_pk_to_url_str
from django.conf import settings
from django.contrib.auth.password_validation import validate_password
from django.core import signing
from django.core.exceptions import ValidationError
from django.core.mail import send_mail
from django.core.validators import validate_email
from django.db import connection, transaction

from clabo.accounts.models import Membership, Role, User, Workspace
from clabo.accounts.problems import Problem, missing

_SETUP_SALT = "clabo.first-account"
_SETUP_AGE = 7 * 24 * 3600


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
        user = User(email=_checked_email(email), name=name.strip())
        _check_password(password, user)
        user.set_password(password)
        user.save()
        owned = Workspace.objects.create(name=workspace.strip() or "Workspace")
        Membership.objects.create(workspace=owned, user=user, role=Role.OWNER)
    return user


def add_member(workspace: Workspace, email: str, name: str, role: str) -> tuple[Membership, str]:
    """Add somebody; a new person gets a mail with a link to choose a password, which is returned too."""
    email = _checked_email(email)
    link = ""
    with transaction.atomic():
        user = User.objects.filter(email=email).first()
        if user is None:
            user = User.objects.create_user(email, None, name=name.strip())
        if Membership.objects.filter(workspace=workspace, user=user).exists():
            raise Problem("This person is a member already.", "email", 409)
        membership = Membership.objects.create(workspace=workspace, user=user, role=role)
    if not user.has_usable_password():
        key = f"{user_pk_to_url_str(user)}-{default_token_generator.make_token(user)}"
        link = f"{settings.PUBLIC_URL}/welcome/{key}"
        send_mail(
            f"You have been added to {workspace.name} in Clabo",
            f"Choose a password to sign in:\n\n{link}\n",
            None,
            [email],
        )
    return membership, link


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
