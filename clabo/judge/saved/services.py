"""Views kept, changed, shared and taken back."""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any

from django.contrib.auth.hashers import check_password, make_password
from django.db import transaction
from django.db.models import F

from clabo.judge.saved.models import SavedView, SharedLink
from clabo.judge.saved.running import answer_of
from clabo.platform.accounts.models import User, token_digest
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.models import Site

MOST_VIEWS = 200
MOST_LINKS = 50
MOST_DAYS = 400
_MOST_WORDS = 6000
# So many wrong passwords at one link in a quarter of an hour, and it is closed for the rest of it.
MOST_TRIES = 10
_TRIES_FOR = timedelta(minutes=15)


def views_of(site: Site) -> list[SavedView]:
    """The site's kept views, by name."""
    found = SavedView.objects.filter(site=site, deleted_at=None).select_related("made_by", "changed_by")
    return list(found.order_by("name"))


def view_of(site: Site, view_id: int) -> SavedView:
    """One of the site's kept views; raises Problem where it is none."""
    found = SavedView.objects.filter(site=site, pk=view_id, deleted_at=None).first()
    if found is None:
        raise missing("saved view")
    return found


def save_view(
    site: Site,
    name: str,
    place: str,
    words: Mapping[str, Any],
    by: User | None,
    view: SavedView | None = None,
) -> SavedView:
    """Keep a view, or change one; raises Problem. What it says must be readable now."""
    name = " ".join(name.split())
    if not name:
        raise Problem("Give the view a name.", "name")
    if len(json.dumps(words)) > _MOST_WORDS or "\\u0000" in json.dumps(words):
        raise Problem("This address is too long to be kept, or cannot be read.", "words")
    same = SavedView.objects.filter(site=site, name=name, deleted_at=None)
    if (same.exclude(pk=view.pk) if view else same).exists():
        raise Problem("Another view has this name. Choose one that tells them apart.", "name", 409)
    if view is None:
        if SavedView.objects.filter(site=site, deleted_at=None).count() >= MOST_VIEWS:
            raise Problem(f"There are {MOST_VIEWS} saved views. Delete some first.", status=409)
        view = SavedView(site=site, made_by=by)
    else:
        view.changed_by, view.changed_at = by, datetime.now(UTC)
    view.name, view.place, view.words = name, place, dict(words)
    # Whatever cannot be read is told now, not to whoever opens it.
    answer_of(view, only_read=True)
    view.save()
    return view


def copy(view: SavedView, by: User | None) -> SavedView:
    """The same under another name."""
    for number in range(1, MOST_VIEWS + 2):
        name = f"{view.name[:70]}, copy{f' {number}' if number > 1 else ''}"
        if not SavedView.objects.filter(site=view.site, name=name, deleted_at=None).exists():
            break
    return save_view(view.site, name, view.place, view.words, by)


def remove(view: SavedView) -> None:
    """Take a view away; its links and mails end with it."""
    now = datetime.now(UTC)
    SavedView.objects.filter(pk=view.pk).update(deleted_at=now)
    view.links.filter(revoked_at=None).update(revoked_at=now)
    view.mailings.filter(ended_at=None).update(ended_at=now)


def share(view: SavedView, days: int, password: str, by: User | None) -> tuple[SharedLink, str]:
    """A link to read the view by, and its token, which nobody can ask for again. Raises Problem."""
    if not 1 <= days <= MOST_DAYS:
        raise Problem(f"A link lasts between 1 and {MOST_DAYS} days.", "days")
    if password and len(password) < 8:
        raise Problem("A password has at least 8 characters.", "password")
    if live_links(view).count() >= MOST_LINKS:
        raise Problem(f"There are {MOST_LINKS} links to this view. Revoke some first.", status=409)
    token = secrets.token_urlsafe(24)
    link = SharedLink.objects.create(
        view=view,
        digest=token_digest(token),
        hint=token[:4],
        password=make_password(password) if password else "",
        made_by=by,
        expires_at=datetime.now(UTC) + timedelta(days=days),
    )
    return link, token


def live_links(view: SavedView) -> Any:
    """Links that can still be used, the newest first."""
    now = datetime.now(UTC)
    return (
        view.links.filter(revoked_at=None, expires_at__gt=now).select_related("made_by").order_by("-made_at")
    )


def revoke(view: SavedView, link_id: int) -> None:
    """End a link now; raises Problem where there is none."""
    if not live_links(view).filter(pk=link_id).update(revoked_at=datetime.now(UTC)):
        raise missing("link")


def behind(token: str, password: str) -> SharedLink:
    """The link with that token, for whoever knows its password; raises Problem, `password` its field where one is asked."""
    now = datetime.now(UTC)
    link = (
        SharedLink.objects.select_related("view__site", "made_by")
        .filter(digest=token_digest(token), revoked_at=None, expires_at__gt=now, view__deleted_at=None)
        .first()
    )
    if link is None:
        raise Problem("This link is not good, or not any more. Ask for a new one.", status=404)
    if link.password:
        _try(link, password)
    SharedLink.objects.filter(pk=link.pk).update(last_used_at=now, times=F("times") + 1)
    return link


def _try(link: SharedLink, password: str) -> None:
    if not password:
        raise Problem(
            "This view asks for a password. The person who sent you the link knows it.", "password", 401
        )
    now = datetime.now(UTC)
    # Counted before it is looked at, so that many at once are not more than many after each other.
    with transaction.atomic():
        locked = SharedLink.objects.select_for_update().get(pk=link.pk)
        if locked.tries_since is None or now - locked.tries_since > _TRIES_FOR:
            locked.tries, locked.tries_since = 0, now
        closed = locked.tries >= MOST_TRIES
        locked.tries += 1
        locked.save(update_fields=["tries", "tries_since"])
    if closed:
        raise Problem("Too many wrong passwords. Try again in a quarter of an hour.", "password", 429)
    if not check_password(password, link.password):
        raise Problem("This is not the password.", "password", 401)
    SharedLink.objects.filter(pk=link.pk).update(tries=0)
