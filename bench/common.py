"""What the benchmarks share: a fresh database, made-up hits, a table."""

from __future__ import annotations

import os
import platform
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "clabo.platform.config.settings")
django.setup()

from django.core.management import call_command  # noqa: E402
from django.db import connection  # noqa: E402

from clabo.setup.sites.models import Site  # noqa: E402
from clabo.testing.traffic import HOST, make_rule, make_site  # noqa: E402


def fresh_site() -> Site:
    """An empty database with one site and three conversions."""
    with connection.cursor() as cursor:
        # Whatever layout an earlier version has left.
        cursor.execute("DROP SCHEMA public CASCADE")
        cursor.execute("CREATE SCHEMA public")
    call_command("migrate", verbosity=0)
    call_command("createcachetable", verbosity=0)
    site = make_site()
    for name, path in (("order", "/order/thank-you"), ("lead", "/guide/thank-you"), ("booking", "/booked")):
        make_rule(site, path, name=name, counting="visit", counted_version=1)
    return site


def machine() -> str:
    """One line about where this was measured."""
    model = next(
        (
            line.partition(":")[2].strip()
            for line in Path("/proc/cpuinfo").read_text().splitlines()
            if "model name" in line
        ),
        platform.machine(),
    )
    return f"{os.cpu_count()} cores, {model}, {datetime.now(UTC):%Y-%m-%d}"


def memory_of(pid: int) -> float:
    """Resident memory of a process in MB."""
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) / 1024
    return 0.0


def table(head: Sequence[str], rows: Sequence[Sequence[object]]) -> None:
    """Print as Markdown, to be pasted into docs/benchmarks.md."""
    print(f"\n{machine()}\n")
    print("| " + " | ".join(head) + " |")
    print("|" + "---|" * len(head))
    for row in rows:
        print("| " + " | ".join(f"{c:,.0f}" if isinstance(c, float) else str(c) for c in row) + " |")
    print(flush=True)


__all__ = ["HOST", "fresh_site", "machine", "memory_of", "table"]
