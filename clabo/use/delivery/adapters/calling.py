"""One call to an outside service: to public addresses only, for a limited time, with an answer of limited size."""

from __future__ import annotations

import http.client
import json
import socket
import ssl
import time
from dataclasses import dataclass
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings

from clabo.platform.problems import Problem
from clabo.setup.sites.guard import public_address
from clabo.setup.sites.pinned import Pinned

# As long as services that are slow and not broken take.
MOST_SECONDS = 30.0
MOST_BYTES = 16 * 1024 * 1024
_PORTS = {"http": 80, "https": 443}


@dataclass(frozen=True, slots=True)
class Answer:
    """What came back: the status, its JSON (None where it is none), and the seconds after which to come again, if it said so."""

    status: int
    json: Any
    retry_after: float


class Away(Exception):
    """The service could not be reached, or asked to be left alone: to be tried again, after `wait` seconds where it said so."""

    def __init__(self, why: str, wait: float = 0.0) -> None:
        super().__init__(why)
        self.why, self.wait = why, wait


class Declined(Exception):
    """The service does not do what it was asked, and would not the next time either."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.why = why


class TooMuch(Declined):
    """It was asked too much at once, and may do a part of it."""


def checked_url(url: str) -> str:
    """A service's address in its stored form; raises Problem."""
    try:
        parts = urlsplit(url.strip())
        port = parts.port
    except ValueError:
        raise Problem("This is not an address.", "base_url") from None
    if parts.scheme not in _PORTS or not parts.hostname or parts.query or parts.fragment:
        raise Problem("An address begins with https:// and has no “?” and no “#”.", "base_url")
    if parts.username is not None or parts.password is not None:
        raise Problem("Leave user names and passwords out of the address.", "base_url")
    plain = url.strip().rstrip("/")
    if not _is_local(plain):
        if parts.scheme != "https":
            raise Problem(
                "The address begins with https://: the key must not be read on the way.", "base_url"
            )
        try:
            public_address(parts.hostname, port or _PORTS[parts.scheme], False)
        except Problem as problem:
            raise Problem(problem.detail, "base_url") from None
    return plain


def _is_local(url: str) -> bool:
    """Whether this is the practice network, which lies in this machine."""
    mine = settings.CLABO_NETWORK_URL
    return bool(mine) and (url == mine or url.startswith(mine + "/"))


def call(
    base_url: str,
    secret: str,
    method: str,
    path: str,
    body: Any = None,
    key: str = "",
    most: float = MOST_SECONDS,
) -> Answer:
    """Ask the service; raises Away or Declined.

    `key`, where given, lets it see that the same call is made again (Idempotency-Key).
    """
    parts = urlsplit(base_url)
    if parts.scheme not in _PORTS:
        raise Declined("This channel has no address that could be asked: it takes files.")
    deadline = time.monotonic() + most
    port = parts.port or _PORTS[parts.scheme]
    host = parts.hostname or ""
    try:
        address = public_address(host, port, _is_local(base_url))
    except Problem as problem:
        raise Away(problem.detail) from None
    connection = Pinned(host, port, address, deadline, parts.scheme == "https")
    headers = {
        "Host": parts.netloc,
        "Authorization": f"Bearer {secret}",
        "Accept": "application/json",
        "User-Agent": "Clabo/1.0",
    }
    sent = None
    if body is not None:
        sent = json.dumps(body, separators=(",", ":")).encode()
        headers["Content-Type"] = "application/json"
    if key:
        headers["Idempotency-Key"] = key
    try:
        connection.request(method, parts.path + path, sent, headers)
        connection.hurry()
        answer = connection.getresponse()
        text = bytearray()
        while piece := answer.read1(65536):
            text += piece
            connection.hurry()
            if len(text) > MOST_BYTES:
                raise Declined(f"It answered with more than {MOST_BYTES // 1024 // 1024} MB.")
    except TimeoutError:
        raise Away(f"It did not answer within {most:.0f} seconds.") from None
    except ssl.SSLError as error:
        raise Away(f"Its certificate cannot be trusted: {error.reason}.") from None
    except (OSError, http.client.HTTPException, socket.gaierror, ValueError):
        raise Away("It could not be reached.") from None
    finally:
        connection.close()
    return _understood(answer.status, bytes(text), answer.getheader("retry-after") or "")


def _seconds(asked: str) -> float:
    """What Retry-After says, in seconds: a number or a date (RFC 9110 §10.2.3); 0 where it says neither."""
    if asked.isascii() and asked.isdecimal():
        return float(asked[:9])
    try:
        until = parsedate_to_datetime(asked)
    except ValueError:
        return 0.0
    until = until if until.tzinfo else until.replace(tzinfo=UTC)
    return max(0.0, (until - datetime.now(UTC)).total_seconds())


def _understood(status: int, text: bytes, asked: str) -> Answer:
    wait = _seconds(asked)
    if status == 429:
        raise Away("It asks to be called less often.", max(wait, 1.0))
    if status in (408, 425) or status >= 500:
        raise Away(f"It answered that something went wrong on its side ({status}).", wait)
    try:
        said = json.loads(text) if text else None
    except (ValueError, RecursionError):
        said = None
    if status in (401, 403):
        raise Declined("It does not accept the key.")
    if not 200 <= status < 300:
        detail = said.get("detail") if isinstance(said, dict) else ""
        more = f": {detail[:200]}" if isinstance(detail, str) and detail else "."
        raise (TooMuch if status == 413 else Declined)(f"It does not do this ({status}){more}")
    if said is None and status != 204:
        raise Declined("Its answer is not JSON.")
    return Answer(status, said, wait)
