"""The API against its own description: made-up calls of every route, signed in and not.

Looked for are server errors, and answers that the OpenAPI document does not foresee.
"""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import time
import urllib.request

from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore
from django.core.management import call_command

from bench.common import fresh_site, machine
from clabo.accounts.models import Role
from clabo.testing.traffic import START, make_user, receive, walk

EXAMPLES = os.environ.get("EXAMPLES", "40")
CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"


def read(url: str) -> bytes:
    with urllib.request.urlopen(url) as answer:  # noqa: S310
        return bytes(answer.read())


def free_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return int(free.getsockname()[1])


def signed_in() -> tuple[str, str]:
    """A session's key and the CSRF token that goes with it, of an owner of a site with some traffic."""
    site = fresh_site()
    call_command("createcachetable")
    owner = make_user(site, Role.OWNER, "owner@shop.example")
    receive([e for v in range(9) for e in walk(site, v, START, "/a", "/order/thank-you")])
    session = SessionStore()
    session["_auth_user_id"] = str(owner.pk)
    session["_auth_user_backend"] = "allauth.account.auth_backends.AuthenticationBackend"
    session["_auth_user_hash"] = owner.get_session_auth_hash()
    session.create()
    return str(session.session_key), "c" * 32


def main() -> int:
    session, token = signed_in()
    port = free_port()
    server = subprocess.Popen([sys.executable, "manage.py", "serve", "--port", str(port)])
    base = f"http://127.0.0.1:{port}"
    failed = 0
    try:
        for _ in range(100):
            try:
                read(f"{base}/health/live")
                break
            except OSError:
                time.sleep(0.1)
        schema = json.loads(read(f"{base}/api/openapi.json"))
        routes = sum(len(methods) for methods in schema["paths"].values())
        print(f"\n{machine()}\n\n{routes} routes, {EXAMPLES} examples of each phase\n")
        cookie = f"{settings.SESSION_COOKIE_NAME}={session}; {settings.CSRF_COOKIE_NAME}={token}"
        for name, headers in (
            ("an owner", [f"Cookie: {cookie}", f"X-CSRFToken: {token}"]),
            ("nobody", []),
        ):
            words = [w for h in headers for w in ("-H", h)]
            done = subprocess.run(
                [
                    *("schemathesis", "run", f"{base}/api/openapi.json", "--checks", CHECKS),
                    *("--max-examples", EXAMPLES, "--seed", "1", "--continue-on-failure"),
                    *("--suppress-health-check", "all", "--no-color", *words),
                ],
                env={**os.environ, "PYTHONPATH": ""},
                check=False,
            )
            print(
                f"As {name}: {'no violation' if not done.returncode else 'VIOLATIONS, see above'}\n",
                flush=True,
            )
            failed += bool(done.returncode)
    finally:
        server.terminate()
        server.wait(10)
    return failed


if __name__ == "__main__":
    sys.exit(main())
