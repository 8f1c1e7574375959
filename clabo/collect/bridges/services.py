"""Making and changing bridge links."""

from __future__ import annotations

import re
import secrets
from datetime import UTC, datetime
from urllib.parse import urlsplit

from clabo.collect.bridges.models import BridgeLink
from clabo.core.pages.addresses import AddressError, host_of
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.setup.sites.models import Site

_SLUG = re.compile(r"[a-z0-9][a-z0-9-]{0,59}")


_NAME = re.compile(r"[A-Za-z][\w-]{0,39}")


MOST_LINKS = 500


def save_link(
    site: Site,
    slug: str,
    target: str,
    reference_name: str = "ref",
    free_names: list[str] | None = None,
    pixel_sales: bool = False,
    link: BridgeLink | None = None,
) -> BridgeLink:
    """A new bridge link, or `link` changed; raises Problem naming the field."""
    slug, target, reference_name = slug.strip(), target.strip(), reference_name.strip() or "ref"
    if not _SLUG.fullmatch(slug):
        raise Problem("Use small letters, digits and hyphens, for example suits-partner.", "slug")
    try:
        host = host_of(target)
        if urlsplit(target).username is not None:
            raise AddressError("address_user")
    except AddressError as error:
        raise Problem(f"This is not an address to forward to: {say(error.told)}.", "target") from None
    if any(h.host == host for h in site.hosts.all()):
        raise Problem("This page is the site’s own: it carries the tag and needs no bridge link.", "target")
    if not _NAME.fullmatch(reference_name):
        raise Problem("A parameter’s name begins with a letter, for example ref.", "reference_name")
    names = [n.strip() for n in free_names or [] if n.strip()]
    for name in names:
        if not _NAME.fullmatch(name) or name.startswith("clabo"):
            raise Problem(f"“{name[:40]}” is no parameter’s name to pass on.", "free_names")
    same = BridgeLink.objects.filter(site=site, slug=slug, deleted_at=None)
    if (same.exclude(pk=link.pk) if link else same).exists():
        raise Problem("Another bridge link of this site has this name.", "slug", 409)
    if link is None and BridgeLink.objects.filter(site=site, deleted_at=None).count() >= MOST_LINKS:
        raise Problem(f"A site has at most {MOST_LINKS} bridge links.", "slug", 409)
    link = link or BridgeLink(site=site, secret=secrets.token_hex(24))
    link.slug, link.target, link.reference_name = slug, target, reference_name
    link.free_names, link.pixel_sales = names, pixel_sales
    link.save()
    return link


def remove_link(link: BridgeLink) -> None:
    """The link leads nowhere any more; what it counted stays."""
    link.deleted_at = datetime.now(UTC)
    link.save()


def restore_link(link: BridgeLink) -> None:
    """Undo `remove_link`; raises Problem where the name is taken by now."""
    if BridgeLink.objects.filter(site=link.site_id, slug=link.slug, deleted_at=None).exists():
        raise Problem("Another bridge link has this name by now. Rename that one first.", "slug", 409)
    link.deleted_at = None
    link.save()
