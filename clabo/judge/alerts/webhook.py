"""One message to a webhook: an HTTPS POST to a public address, signed (HMAC-SHA256, RFC 2104)."""

from __future__ import annotations

import hashlib
import hmac
import http.client
import json
import socket
import ssl
import time
from typing import Any
from urllib.parse import urlsplit

from clabo.platform.problems import Problem
from clabo.setup.sites.guard import public_address
from clabo.setup.sites.pinned import Pinned

SECONDS = 10.0


class NotTaken(Exception):
    """The receiver did not take the message, or could not be reached."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.why = why


def checked(url: str) -> str:
    """A webhook's address in its stored form; raises Problem."""
    try:
        parts = urlsplit(url.strip())
        port = parts.port
    except ValueError:
        raise Problem("This is not an address.", "to") from None
    if parts.scheme != "https" or not parts.hostname or parts.fragment or parts.username is not None:
        raise Problem("A webhook's address begins with https://, and has no user name and no “#”.", "to")
    try:
        public_address(parts.hostname, port or 443, False)
    except Problem as problem:
        raise Problem(problem.detail, "to") from None
    return url.strip()


def signature(secret: str, timestamp: str, body: bytes) -> str:
    """What a receiver computes anew: the HMAC of the time, a point and the body, in hexadecimal.

    >>> signature("key", "1764680000", b"{}")[:16]
    '14f8683f655a5633'
    """
    return hmac.new(secret.encode(), timestamp.encode() + b"." + body, hashlib.sha256).hexdigest()


def send(url: str, secret: str, key: str, told: Any) -> None:
    """Send what is told once; raises NotTaken. The name is looked up and found to be public each time."""
    parts = urlsplit(url)
    body = json.dumps(told, separators=(",", ":")).encode()
    timestamp = str(int(time.time()))
    headers = {
        "Host": parts.netloc,
        "Content-Type": "application/json",
        "User-Agent": "Clabo/1.0",
        "Clabo-Message": key,
        "Clabo-Timestamp": timestamp,
        "Clabo-Signature": signature(secret, timestamp, body),
    }
    port, host = parts.port or 443, parts.hostname or ""
    deadline = time.monotonic() + SECONDS
    try:
        address = public_address(host, port, False)
    except Problem as problem:
        raise NotTaken(problem.detail) from None
    connection = Pinned(host, port, address, deadline, True)
    try:
        path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
        connection.request("POST", path, body, headers)
        connection.hurry()
        # What it says besides is read by nobody: it might come a byte at a time.
        answer = connection.getresponse()
    except TimeoutError:
        raise NotTaken(f"It did not answer within {SECONDS:.0f} seconds.") from None
    except ssl.SSLError as error:
        raise NotTaken(f"Its certificate cannot be trusted: {error.reason}.") from None
    except (OSError, http.client.HTTPException, socket.gaierror, ValueError):
        raise NotTaken("It could not be reached.") from None
    finally:
        connection.close()
    if not 200 <= answer.status < 300:
        raise NotTaken(f"It answered {answer.status}. A receiver answers 200 to 299.")
