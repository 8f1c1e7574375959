"""Where a site's pages can be opened, and where its tag is served."""

from __future__ import annotations

from django.conf import settings

from clabo.setup.sites.models import Site


def origin_of(site: Site, host: str = "") -> str:
    """The origin at which the pages of `host` (by default the site's first) can be opened.

    A host under .example never resolves (RFC 2606): a host that stands for it, as the demo's does, is opened instead.
    A host with a port of its own is taken for one without encryption.
    """
    hosts = list(site.hosts.all())
    host = host or hosts[0].host
    if host.partition(":")[0].endswith(".example"):
        host = next((h.host for h in hosts if h.stands_for == host), host)
    return f"{'http' if ':' in host else 'https'}://{host}"


def tag_origin() -> str:
    """Where tags are served and hits are sent."""
    return str(settings.CLABO_COLLECT_URL or settings.PUBLIC_URL)
