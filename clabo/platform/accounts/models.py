"""Users sign in by e-mail; a workspace holds sites and has members with a role."""

from __future__ import annotations

import hashlib
import secrets
from typing import Any, ClassVar

from django.contrib.auth.models import AbstractBaseUser, BaseUserManager, PermissionsMixin
from django.db import models


class UserManager(BaseUserManager["User"]):
    """Makes users; e-mail addresses are kept lower-cased."""

    def create_user(self, email: str, password: str | None = None, **fields: Any) -> User:
        if not email:
            raise ValueError("email: a user needs an e-mail address")
        user = self.model(email=self.normalize_email(email).lower(), **fields)
        user.set_password(password)
        user.save(using=self._db)
        return user


class User(AbstractBaseUser, PermissionsMixin):
    """A person."""

    email = models.EmailField(unique=True)
    name = models.CharField(max_length=120, blank=True)
    is_active = models.BooleanField(default=True)
    joined_at = models.DateTimeField(auto_now_add=True)

    objects = UserManager()

    # Where a program acts for the person: how far (access.Limit).
    limit: Any = None

    USERNAME_FIELD = "email"
    REQUIRED_FIELDS: ClassVar[list[str]] = []

    def __str__(self) -> str:
        return self.name or self.email


class Workspace(models.Model):
    """A team and its sites; nothing is visible across workspaces."""

    name = models.CharField(max_length=120)
    created_at = models.DateTimeField(auto_now_add=True)
    members: models.ManyToManyField[User, Membership] = models.ManyToManyField(User, through="Membership")

    def __str__(self) -> str:
        return self.name


class Role(models.TextChoices):
    """What a member may do: a viewer reads, an editor changes, an owner also manages people."""

    OWNER = "owner"
    EDITOR = "editor"
    VIEWER = "viewer"


class Membership(models.Model):
    """One person's role in one workspace."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE)
    user = models.ForeignKey(User, on_delete=models.CASCADE)
    role = models.CharField(max_length=10, choices=Role.choices)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("workspace", "user"), name="one_role_per_person"),
            models.CheckConstraint(condition=models.Q(role__in=Role.values), name="role_is_known"),
        )


def new_invitation_token() -> str:
    """Long enough that nobody comes upon it by chance."""
    return secrets.token_urlsafe(24)


def token_digest(token: str) -> str:
    """What is kept of an invitation's token: enough to know it again, and not to use it."""
    return hashlib.sha256(token.encode()).hexdigest()


class Invitation(models.Model):
    """An offer of membership in one workspace, mailed to one address.

    It is taken by whoever holds its token *and* is signed in with that address, verified.
    """

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="invitations")
    email = models.EmailField()
    role = models.CharField(max_length=10, choices=Role.choices)
    name = models.CharField(max_length=120, blank=True)
    digest = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("workspace", "email"), name="one_invitation_per_address"),
        )


class ApiToken(models.Model):
    """What lets a program read as a member of one workspace may: no more than the member, and never longer than it says."""

    class Scope(models.TextChoices):
        REPORTS = "reports"
        # Also lists of people: members of audiences with their hashed identities.
        PEOPLE = "people"
        # Only tells what became of leads and orders, and reads nothing.
        OUTCOMES = "outcomes"

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=80)
    scope = models.CharField(max_length=10, choices=Scope.choices, default=Scope.REPORTS)
    digest = models.CharField(max_length=64, unique=True)
    # Its first characters, by which its holder knows it again.
    hint = models.CharField(max_length=12)
    made_by = models.ForeignKey(User, on_delete=models.CASCADE)
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    last_used_at = models.DateTimeField(null=True)
    revoked_at = models.DateTimeField(null=True)

    class Meta:
        indexes = (models.Index(fields=("workspace", "-made_at"), name="token_by_workspace"),)
