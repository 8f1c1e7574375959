"""Fetches one page of a site's own, and nothing else on the network.

The host must be one of the site's; every address that its name stands for must be public; and the connection goes
to the very address that was looked at, so that a name which answers differently a moment later leads nowhere else.
Each redirect is held against the same rules.
"""

from __future__ import annotations

import http.client
import ssl
import time
from collections.abc import Collection
from dataclasses import dataclass
from urllib.parse import quote, urljoin, urlsplit

from django.conf import settings

from clabo.core.pages.addresses import AddressError, host_of
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.setup.sites.guard import public_address
from clabo.setup.sites.models import Site
from clabo.setup.sites.pinned import Pinned

MOST_BYTES = 2 * 1024 * 1024
MOST_SECONDS = 8.0
MOST_REDIRECTS = 4
_PORTS = {"http": 80, "https": 443}
_AGENT = "ClaboPageCheck/1.0 (checks its owner's own pages)"


@dataclass(frozen=True, slots=True)
class Fetched:
    """A page as it came: where it was found in the end, its status, its text, and what policies it stated."""

    url: str
    status: int
    text: str
    policies: list[str]
    redirects: list[str]
    cut: bool


def fetch_from(site: Site, url: str, kinds: Collection[str] = ("html",)) -> Fetched:
    """A page of the site's; raises Problem. The demo's pages lie in this machine: for its site that is no private network."""
    local = settings.CLABO_LOCAL_ORIGINS if site.is_demo else ()
    return fetch(url, [h.host for h in site.hosts.all()], kinds, local)


def fetch(
    url: str, hosts: Collection[str], kinds: Collection[str] = ("html",), local: Collection[str] = ()
) -> Fetched:
    """The page at `url`, which must lie on one of `hosts`; raises Problem saying why it cannot be had.

    `kinds` are parts of the content types that are read; others are left. `local` are origins in private networks
    that may be fetched all the same.
    """
    deadline = time.monotonic() + MOST_SECONDS
    redirects: list[str] = []
    while True:
        answer, connection = _ask(url, hosts, deadline, local)
        try:
            location = answer.getheader("location")
            if answer.status in (301, 302, 303, 307, 308) and location:
                if len(redirects) == MOST_REDIRECTS:
                    raise Problem(f"The page redirects more than {MOST_REDIRECTS} times.", "url")
                redirects.append(url)
                try:
                    url = urljoin(url, location)
                except ValueError:
                    raise Problem("The page redirects to what is no address.", "url") from None
                continue
            kind = (answer.getheader("content-type") or "").lower()
            if kind and not any(k in kind for k in kinds):
                raise Problem(f"This is no page: it says it is {kind[:60]}.", "url")
            body, cut = _read(answer, connection, deadline)
            return Fetched(
                url,
                answer.status,
                body.decode(_charset(kind), errors="replace"),
                answer.headers.get_all("content-security-policy") or [],
                redirects,
                cut,
            )
        finally:
            connection.close()


def _ask(
    url: str, hosts: Collection[str], deadline: float, local: Collection[str]
) -> tuple[http.client.HTTPResponse, http.client.HTTPConnection]:
    try:
        host = host_of(url)
        parts = urlsplit(url)
        port = parts.port or _PORTS[parts.scheme]
    except AddressError as error:
        raise Problem(f"This is not a page’s address: {say(error.told)}.", "url") from None
    except (ValueError, KeyError):
        raise Problem("This is not a page’s address.", "url") from None
    if host not in hosts:
        raise Problem(
            f"{host[:80]} is none of this site’s hosts. Add it under Settings if it should be.", "url"
        )
    if parts.username is not None or parts.password is not None:
        raise Problem("Leave user names and passwords out of the address.", "url")
    name = host.rsplit(":", 1)[0] if parts.port else host
    is_local = f"{parts.scheme}://{host}" in local
    address = public_address(name.strip("[]"), port, is_local)
    connection = Pinned(name, port, address, deadline, secure=parts.scheme == "https")
    path = quote((parts.path or "/") + (f"?{parts.query}" if parts.query else ""), safe="/?&=%:;,+$@!*'()~")
    try:
        connection.request(
            "GET",
            path,
            headers={
                "Host": host,
                "User-Agent": _AGENT,
                "Accept": "text/html",
                "Accept-Encoding": "identity",
            },
        )
        return connection.getresponse(), connection
    except TimeoutError:
        connection.close()
        raise Problem("The page did not answer within 8 seconds. Try again.", "url") from None
    except ssl.SSLError as error:
        connection.close()
        raise Problem(f"The page’s certificate cannot be trusted: {error.reason}.", "url") from None
    except (OSError, http.client.HTTPException, ValueError):
        connection.close()
        raise Problem("The page could not be reached. Open it in a browser to see why.", "url") from None


def _read(
    answer: http.client.HTTPResponse, connection: http.client.HTTPConnection, deadline: float
) -> tuple[bytes, bool]:
    body = bytearray()
    try:
        while len(body) < MOST_BYTES:
            if time.monotonic() >= deadline:
                raise TimeoutError
            piece = answer.read1(min(65536, MOST_BYTES - len(body)))
            if not piece:
                return bytes(body), False
            body += piece
    except TimeoutError:
        raise Problem("The page did not arrive within 8 seconds. Try again.", "url") from None
    except (OSError, http.client.HTTPException):
        raise Problem("The page broke off while it was read. Try again.", "url") from None
    return bytes(body), True


def _charset(kind: str) -> str:
    _, _, name = kind.partition("charset=")
    name = name.split(";")[0].strip(" \"'") or "utf-8"
    try:
        "".encode(name)
    except LookupError:
        return "utf-8"
    return name
