"""The API against its own description: made-up calls of every route, signed in and not.

Looked for are server errors, and answers that the OpenAPI document does not foresee.
"""

from __future__ import annotations

import io
import json
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from dataclasses import asdict
from typing import Any

from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore
from django.core.management import call_command

from bench.common import fresh_site, machine
from clabo.collect.bridges.services import save_link
from clabo.collect.events.models import Event, Page
from clabo.collect.install.kit import share_kit
from clabo.judge.splits.models import SplitTest, Variant
from clabo.platform.accounts.models import Role, User
from clabo.platform.accounts.services import invite
from clabo.setup.conversions.models import ConversionRule, RuleVersion
from clabo.setup.conversions.services import RuleContent
from clabo.setup.monitoring.excluding import exclude
from clabo.setup.rehearsals import services as rehearsing
from clabo.setup.sites.models import Site
from clabo.setup.sites.services import make_proof_key
from clabo.testing.traffic import HOST, START, make_user, receive, walk
from clabo.use.spend import services as spend

EXAMPLES = os.environ.get("EXAMPLES", "40")
CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"


def read(url: str) -> bytes:
    with urllib.request.urlopen(url) as answer:  # noqa: S310
        return bytes(answer.read())


def free_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return int(free.getsockname()[1])


def things(site: Site, owner: User) -> dict[str, object]:
    """One of everything that an address can name, by the name that it has there."""
    receive([e for v in range(9) for e in walk(site, v, START, "/a", "/order/thank-you")])
    rule = ConversionRule.objects.filter(site=site).order_by("pk")[0]
    content = RuleContent(rule.name, rule.category, rule.rule, rule.counting, None)
    RuleVersion.objects.create(rule=rule, version=1, content=asdict(content))
    test = SplitTest.objects.create(
        site=site, name="T", rule=rule, baseline=0.1, smallest_lift=0.5, planned_visitors=900
    )
    for letter, path in zip("AB", ("/a", "/order/thank-you"), strict=True):
        Variant.objects.create(test=test, letter=letter, host=HOST, path=path, share=50)
    batch = spend.upload(site, "f.csv", io.BytesIO(b"day,cost\n2026-01-01,1\n"), owner)
    return {
        "site_id": site.pk,
        "workspace_id": site.workspace_id,
        "user_id": make_user(site, Role.VIEWER, "viewer@shop.example").pk,
        "invitation_id": invite(site.workspace, "new@shop.example", "", "viewer", owner).pk,
        "rule_id": rule.pk,
        "version": 1,
        "test_id": test.pk,
        "import_id": batch.pk,
        "page_id": Page.objects.filter(site=site)[0].pk,
        "hit_id": str(Event.objects.filter(site=site)[0].id),
        "link_id": save_link(site, "suits", "https://partner.example/").pk,
        "key_id": make_proof_key(site).pk,
        "exclusion_id": exclude(site, "network", owner, "a" * 16).pk,
        "rehearsal_id": rehearsing.begin(site, owner).pk,
        "token": share_kit(site, owner).token,
    }


def aimed(schema: dict[str, Any], known: dict[str, object]) -> str:
    """A copy of the description whose addresses name what is there: chance alone would find nothing but 404."""
    for methods in schema["paths"].values():
        for operation in methods.values():
            for parameter in operation.get("parameters", []):
                if parameter["in"] == "path" and parameter["name"] in known:
                    parameter["schema"]["enum"] = [known[parameter["name"]], known[parameter["name"]], 10**9]
                    if isinstance(known[parameter["name"]], str):
                        parameter["schema"]["enum"][2] = "nothing"
    with tempfile.NamedTemporaryFile("w", suffix=".json", delete=False) as file:
        json.dump(schema, file)
    return file.name


def signed_in() -> tuple[str, str, dict[str, object]]:
    """A session's key and the CSRF token that goes with it, of an owner of a site with one of everything."""
    site = fresh_site()
    call_command("createcachetable")
    owner = make_user(site, Role.OWNER, "owner@shop.example")
    known = things(site, owner)
    session = SessionStore()
    session["_auth_user_id"] = str(owner.pk)
    session["_auth_user_backend"] = "allauth.account.auth_backends.AuthenticationBackend"
    session["_auth_user_hash"] = owner.get_session_auth_hash()
    session.create()
    return str(session.session_key), "c" * 32, known


def main() -> int:
    session, token, known = signed_in()
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
                    *("schemathesis", "run", aimed(schema, known), "--url", base, "--checks", CHECKS),
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
