"""Hits acknowledged after commit, against a bare ASGI handler on the same server, turn by turn in the same run.

Fails below LEAST of the bare handler's rate.
"""

from __future__ import annotations

import os
import re
import socket
import statistics
import subprocess
import sys
import time
from typing import Any

from bench.common import fresh_site, memory_of, table
from clabo.collect.ingest.models import InboxBatch

SECONDS, CONNECTIONS, PAIRS = 8, 64, 4
LEAST, P99 = 0.4, 25.0
# What a process loads besides once it answers.
SETTLE = 5.0


async def bare(scope: Any, receive: Any, send: Any) -> None:
    """Reads the body and answers 204: what the server can do at all."""
    if scope["type"] != "http":
        return
    more = True
    while more:
        more = (await receive()).get("more_body", False)
    await send({"type": "http.response.start", "status": 204, "headers": []})
    await send({"type": "http.response.body", "body": b""})


def serve(application: str) -> tuple[subprocess.Popen[bytes], int]:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    process = subprocess.Popen(
        [
            *(sys.executable, "manage.py", "serve", "--port", str(port)),
            *("--application", application),
        ],
        env={**os.environ},
    )
    for _ in range(200):
        with socket.socket() as trying:
            if trying.connect_ex(("127.0.0.1", port)) == 0:
                return process, port
        time.sleep(0.1)
    raise RuntimeError("the server did not start")


def load(url: str, wait: int = 0) -> tuple[float, float, float, int]:
    """Requests a second, median and 99th percentile in ms, answers that were no 2xx."""
    said = subprocess.run(
        [
            *("wrk", "-t1", f"-c{CONNECTIONS}", f"-d{SECONDS}s", "--latency", "-s", "bench/beacon.lua"),
            *(url, "--", str(wait)),
        ],
        capture_output=True,
        text=True,
        check=True,
    ).stdout

    def milliseconds(share: str) -> float:
        number, unit = re.search(rf"{share}%\s+([\d.]+)(us|ms|s)", said).groups()  # type: ignore[union-attr]
        return float(number) * {"us": 0.001, "ms": 1, "s": 1000}[unit]

    rate = float(re.search(r"Requests/sec:\s+([\d.]+)", said)[1])  # type: ignore[index]
    wrong = re.search(r"Non-2xx or 3xx responses: (\d+)", said)
    return rate, milliseconds("50"), milliseconds("99"), int(wrong[1]) if wrong else 0


def main() -> None:
    site = fresh_site()
    rows: list[list[object]] = []
    shares, late, wrong = [], [], 0
    for _ in range(PAIRS):
        process, port = serve("bench.speed.collector:bare")
        base, p50, p99, _ = load(f"http://127.0.0.1:{port}/")
        memory = f"{memory_of(process.pid):.0f}"
        rows.append(["bare handler, answers 204", base, "", f"{p50:.1f}", f"{p99:.1f}", memory])
        end(process)
        process, port = serve("clabo.platform.config.asgi:application")
        time.sleep(SETTLE)
        url = f"http://127.0.0.1:{port}/hit/{site.key}"
        before = InboxBatch.objects.count()
        rate, p50, p99, some = load(url)
        groups = InboxBatch.objects.count() - before
        shares.append(rate / base)
        memory = f"{memory_of(process.pid):.0f}"
        rows.append(["collector, full load", rate, f"{rate / base:.0%}", f"{p50:.1f}", f"{p99:.1f}", memory])
        half, p50, p99, others = load(url, round(CONNECTIONS / (rate / 2) * 1000))
        rows.append(["collector, about half load", half, "", f"{p50:.1f}", f"{p99:.1f}", memory])
        late.append(p99)
        wrong += some + others
        end(process)
    table(["one event a request, 64 connections", "events/s", "of bare", "p50 ms", "p99 ms", "MB"], rows)
    share, p99 = statistics.median(shares), statistics.median(late)
    print(
        f"Median: {share:.0%} of bare, p99 {p99:.0f} ms at half load. {rate * SECONDS / max(1, groups):.0f} requests a "
        f"commit at full load; {wrong} refused."
    )
    if share < LEAST or p99 > P99 or wrong:
        sys.exit(
            f"Not within its aims: {LEAST:.0%} of bare at least, p99 {P99:.0f} ms at most, nothing refused."
        )


def end(process: subprocess.Popen[bytes]) -> None:
    process.terminate()
    process.wait()


if __name__ == "__main__":
    main()
