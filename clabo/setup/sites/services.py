"""Making and changing sites."""

from __future__ import annotations

import re
import secrets
from collections.abc import Sequence
from datetime import UTC, datetime
from decimal import Decimal
from ipaddress import ip_network
from urllib.parse import urlsplit
from zoneinfo import available_timezones

from django.db import OperationalError, transaction

from clabo.core.money.attribution import WINDOWS
from clabo.core.pages.addresses import AddressError, host_of
from clabo.platform.accounts.models import Workspace
from clabo.platform.problems import Problem, missing
from clabo.setup.sites.hooks import settings_wait
from clabo.setup.sites.models import Consent, ProofKey, Site, SiteHost

# What was recorded is read by these: changed, they wait until all of it has been read anew.
READ_BY = ("currency", "time_zone", "meaningful_parameters", "keep_fragment", "attribution_window_days")
# What of `Site.waiting` says that the hosts have changed; they hold at once, for what comes in.
HOSTS = "hosts"

# Of a workspace, and of one site.
MOST_SITES, MOST_HOSTS = 200, 100
# Parameters that tell pages apart, own networks, frames' origins.
MOST_LISTED = 100

_CURRENCY = re.compile(r"[A-Z]{3}")


def make_site(workspace: Workspace, name: str, hosts: Sequence[str], currency: str, time_zone: str) -> Site:
    """A site with its hosts; raises Problem naming the field."""
    if Site.objects.filter(workspace=workspace).count() >= MOST_SITES:
        raise Problem(f"A workspace has at most {MOST_SITES} sites. Remove one first.", "name", 409)
    with transaction.atomic():
        site = Site(workspace=workspace)
        change_site(site, name=name, currency=currency, time_zone=time_zone)
        set_hosts(site, [(h, "") for h in hosts])
    return site


def change_site(
    site: Site,
    *,
    name: str | None = None,
    currency: str | None = None,
    time_zone: str | None = None,
    meaningful_parameters: Sequence[str] | None = None,
    keep_fragment: bool | None = None,
    attribution_window_days: int | None = None,
    margin: Decimal | None = None,
    consent: str | None = None,
    own_networks: Sequence[str] | None = None,
    frame_origins: Sequence[str] | None = None,
    audience_floor: int | None = None,
    audience_plenty: int | None = None,
) -> None:
    """Change what is given; raises Problem naming the field.

    What says how records are read (READ_BY) holds once all of them have been read so, which the worker does at once.
    """
    before = {field: getattr(site, field) for field in READ_BY}
    for listed, entries in (
        ("meaningful_parameters", meaningful_parameters),
        ("own_networks", own_networks),
        ("frame_origins", frame_origins),
    ):
        if entries is not None and len(entries) > MOST_LISTED:
            raise Problem(f"Give at most {MOST_LISTED}.", listed)
    if name is not None:
        site.name = name.strip()
        if not site.name:
            raise Problem("Give the site a name.", "name")
    if currency is not None:
        site.currency = currency.strip().upper()
        if not _CURRENCY.fullmatch(site.currency):
            raise Problem("A currency is three letters (ISO 4217), for example EUR.", "currency")
    if time_zone is not None:
        if time_zone not in available_timezones():
            raise Problem("This time zone is not known. It looks like Europe/Vienna.", "time_zone")
        site.time_zone = time_zone
    if meaningful_parameters is not None:
        site.meaningful_parameters = sorted({p.strip()[:60] for p in meaningful_parameters if p.strip()})
    if keep_fragment is not None:
        site.keep_fragment = keep_fragment
    if attribution_window_days is not None:
        if attribution_window_days not in WINDOWS:
            raise Problem(f"Choose one of {', '.join(map(str, WINDOWS))} days.", "attribution_window_days")
        site.attribution_window_days = attribution_window_days
    if consent is not None:
        if consent not in Consent.values:
            raise Problem(f"Choose one of {', '.join(Consent.values)}.", "consent")
        site.consent = consent
    if own_networks is not None:
        site.own_networks = [_network(n) for n in own_networks if n.strip()]
    if frame_origins is not None:
        site.frame_origins = [_origin(o) for o in frame_origins if o.strip()]
    if margin is not None:
        if not (margin.is_finite() and 0 < margin <= 1):
            raise Problem("The margin is a share between 0 and 1, for example 0.4.", "margin")
        site.margin = margin
    if audience_floor is not None:
        site.audience_floor = audience_floor
    if audience_plenty is not None:
        site.audience_plenty = audience_plenty
    if not 0 < site.audience_floor <= site.audience_plenty <= 10**9:
        raise Problem("Plenty is no fewer people than enough, and enough at least one.", "audience_plenty")
    if site.pk is None:
        site.save()
        return
    given = {
        "currency": currency,
        "time_zone": time_zone,
        "meaningful_parameters": meaningful_parameters,
        "keep_fragment": keep_fragment,
        "attribution_window_days": attribution_window_days,
    }
    asked = {field: getattr(site, field) for field, value in given.items() if value is not None}
    for field, value in before.items():
        setattr(site, field, value)
    with transaction.atomic():
        locked = _locked(site)
        waiting = {**(locked.waiting or {}), **asked}
        waiting = {f: v for f, v in waiting.items() if f == HOSTS or getattr(locked, f) != v}
        site.waiting = waiting or None
        fields = {f.name for f in Site._meta.local_concrete_fields} - {"id", *READ_BY}
        site.save(update_fields=fields)
        if site.waiting is not None:
            _wait(site)


def _locked(site: Site) -> Site:
    """The site's row, which nobody else changes until the transaction ends; raises Problem while it is read anew."""
    try:
        with transaction.atomic():
            return Site.objects.select_for_update(nowait=True, no_key=True).get(pk=site.pk)
    except OperationalError:
        raise Problem(
            "An earlier change of the settings is being applied to what was recorded. Try again in a minute.",
            status=409,
        ) from None


def _wait(site: Site) -> None:
    for ask in settings_wait.all().values():
        ask(site.pk)
    # Where there was nothing to read, they hold already.
    site.refresh_from_db(fields=[*READ_BY, "waiting"])
    site.__dict__.pop("page_reading", None)


def _network(text: str) -> str:
    try:
        network = ip_network(text.strip(), strict=False)
    except ValueError:
        raise Problem(
            f"“{text[:60]}” is no network. It looks like 203.0.113.0/24 or 203.0.113.7.", "own_networks"
        ) from None
    if network.prefixlen < (8 if network.version == 4 else 19):
        raise Problem(f"{network} is half the world. Name your own network only.", "own_networks")
    return str(network)


def _origin(text: str) -> str:
    try:
        parts = urlsplit(text.strip() if "://" in text else "https://" + text.strip())
        return f"{parts.scheme.lower()}://{host_of(parts.geturl())}"
    except (AddressError, ValueError):
        raise Problem(
            f"“{text[:80]}” is no origin. It looks like https://forms.example.", "frame_origins"
        ) from None


def set_hosts(site: Site, hosts: Sequence[tuple[str, str]]) -> None:
    """Replace the site's hosts by (host, the host it stands for or "")."""
    wanted: dict[str, str] = {}
    for host, stands_for in hosts:
        wanted[_host(host)] = _host(stands_for) if stands_for.strip() else ""
    if len(wanted) > MOST_HOSTS:
        raise Problem(f"A site has at most {MOST_HOSTS} hosts. Make another site for the rest.", "hosts")
    if not wanted:
        raise Problem("Give at least one host, for example www.brackenhive.example.", "hosts")
    for host, other in wanted.items():
        if other and (other not in wanted or wanted[other]):
            raise Problem(f"{host} can only stand for another host of this list.", "hosts")
    with transaction.atomic():
        locked = _locked(site)
        before = {h.host: h.stands_for for h in site.hosts.all()}
        site.hosts.all().delete()
        SiteHost.objects.bulk_create(
            [SiteHost(site=site, host=host, stands_for=other) for host, other in wanted.items()]
        )
        site.__dict__.pop("page_reading", None)
        if before and before != wanted:
            site.waiting = {**(locked.waiting or {}), HOSTS: True}
            site.save(update_fields=["waiting"])
            _wait(site)


def add_host(site: Site, host: str, stands_for: str = "") -> None:
    """One more host of the site; raises Problem."""
    hosts = [(h.host, h.stands_for) for h in site.hosts.all()]
    set_hosts(site, [*hosts, (host, stands_for)])


def make_proof_key(site: Site) -> ProofKey:
    """A new key that the site's server signs orders with; the one in force holds beside it until it is ended.

    Raises Problem where two are in force already.
    """
    with transaction.atomic():
        Site.objects.select_for_update().get(pk=site.pk)
        if site.proof_keys.filter(ended_at=None).count() >= 2:
            raise Problem(
                "Two keys hold already. End the older one once your server uses the newer.", status=409
            )
        return ProofKey.objects.create(site=site, secret=secrets.token_hex(24))


def end_proof_key(site: Site, key_id: int) -> None:
    """A key proves nothing from now on; what it has proven stays proven. Raises Problem."""
    if not site.proof_keys.filter(pk=key_id, ended_at=None).update(ended_at=datetime.now(UTC)):
        raise missing("key")


def _host(text: str) -> str:
    text = text.strip()
    try:
        return host_of(text if "://" in text else "https://" + text)
    except AddressError:
        raise Problem(
            f"“{text[:80]}” is not a host. It looks like www.brackenhive.example.", "hosts"
        ) from None
