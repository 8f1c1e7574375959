"""Runs manage.py in a process of its own, with other settings than the tests have."""

from __future__ import annotations

import os
import secrets
import subprocess
import sys

from django.conf import settings


def run_manage(*words: str, **environment: str) -> subprocess.CompletedProcess[str]:
    """What `manage.py WORDS` said, with these environment variables besides a good secret."""
    inherited = {k: v for k, v in os.environ.items() if k != "DJANGO_ALLOW_ASYNC_UNSAFE"}
    return subprocess.run(
        [sys.executable, "manage.py", *words],
        cwd=settings.BASE_DIR,
        env={**inherited, "CLABO_SECRET": secrets.token_urlsafe(50), **environment},
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )
