"""How long a bridge link takes to forward: beside a bare handler, one click after the other, and 16 at once."""

from __future__ import annotations

import http.client
import statistics
import threading
import time

from bench.common import fresh_site, table
from bench.speed.collector import serve
from clabo.collect.bridges.services import save_link

CLICKS = 1500


def clicks(port: int, path: str, count: int, wanted: int) -> list[float]:
    """Milliseconds of each answer, over one connection."""
    connection = http.client.HTTPConnection("127.0.0.1", port)
    taken = []
    for _ in range(count):
        begun = time.perf_counter()
        connection.request("GET", path, headers={"User-Agent": "Mozilla/5.0 (X11; Linux x86_64) Bench/1.0"})
        answer = connection.getresponse()
        answer.read()
        taken.append((time.perf_counter() - begun) * 1000)
        assert answer.status == wanted, answer.status
    return taken


def at_once(port: int, path: str, wanted: int) -> list[float]:
    """The same over 16 connections at a time."""
    taken: list[float] = []
    threads = [
        threading.Thread(target=lambda: taken.extend(clicks(port, path, CLICKS // 16, wanted)))
        for _ in range(16)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return taken


def main() -> None:
    site = fresh_site()
    save_link(site, "partner", "https://partner.example/suits")
    rows: list[list[object]] = []
    for says, application, path, wanted in (
        ("bare handler", "bench.speed.collector:bare", "/", 204),
        (
            "bridge link",
            "clabo.platform.config.asgi:application",
            f"/to/{site.key}/partner?sub1=a&utm_source=b",
            302,
        ),
    ):
        process, port = serve(application)
        clicks(port, path, 50, wanted)
        for how, taken in (
            ("one by one", clicks(port, path, CLICKS, wanted)),
            ("16 at once", at_once(port, path, wanted)),
        ):
            taken.sort()
            median, late = statistics.median(taken), taken[int(len(taken) * 0.99)]
            rows.append([says, how, f"{median:.1f}", f"{late:.1f}"])
        process.terminate()
        process.wait()
    table(["", "", "median ms", "99th of 100 ms"], rows)


main()
