"""A spend file of 200,000 rows: read, and taken in."""

from __future__ import annotations

import os
import resource
import tempfile
import time
from datetime import date, timedelta
from pathlib import Path

from bench.common import fresh_site, memory_of, table
from clabo.use.spend import services

ROWS = 200_000


def main() -> None:
    site = fresh_site()
    path = Path(tempfile.mkstemp(suffix=".csv")[1])
    with path.open("w") as file:
        file.write("day,source,campaign,ad group,ad,impressions,clicks,cost,landing\n")
        for i in range(ROWS):
            file.write(
                f"{date(2026, 1, 1) + timedelta(days=i % 300)},meadow,c{i // 300},g,a,100,10,1.25,/page-{i % 50}\n"
            )
    before = memory_of(os.getpid())
    began = time.perf_counter()
    with path.open("rb") as content:
        batch = services.upload(site, "large.csv", content, None)
    check = services.check(batch)
    checked = time.perf_counter() - began
    began = time.perf_counter()
    services.take_in(batch, check.reading)
    taken = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    table(
        [
            f"spend file, {ROWS:,} rows, {path.stat().st_size / 1e6:.0f} MB",
            "rows/s",
            "seconds",
            "MB before",
            "MB at most",
        ],
        [
            ["looked at", ROWS / checked, f"{checked:.1f}", f"{before:.0f}", ""],
            ["taken in", ROWS / taken, f"{taken:.1f}", "", f"{peak:.0f}"],
        ],
    )
    path.unlink()


if __name__ == "__main__":
    main()
