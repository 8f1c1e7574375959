"""A site, for those who may see or change it."""

from __future__ import annotations

from django.http import HttpRequest

from clabo.platform.accounts.access import person, require
from clabo.platform.accounts.models import Role
from clabo.platform.problems import missing
from clabo.setup.sites.models import Site


def site_for(request: HttpRequest, site_id: int, role: Role = Role.VIEWER) -> Site:
    """The site, if the signed-in person has at least `role` in its workspace; raises Problem."""
    site = Site.objects.filter(pk=site_id).first()
    if site is None:
        raise missing("site")
    require(site.workspace_id, person(request), role, "site")
    return site
