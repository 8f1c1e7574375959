"""Ten minutes of hits while everything that strangers, editors and files can do is done beside them (SECONDS, 600 by default).

What is counted: hits acknowledged, lost and doubled; how long a hit, a call of the API and another workspace's hit into the
reports take, attack by attack; how long it takes until each part is well again after it was killed.
"""

from __future__ import annotations

import http.client
import json
import os
import random
import signal
import socket
import subprocess
import sys
import threading
import time
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from io import BytesIO
from multiprocessing import Pipe, get_context
from pathlib import Path
from typing import Any
from urllib.parse import quote
from uuid import uuid4
from zipfile import ZIP_DEFLATED, ZipFile

import psycopg
from django.conf import settings
from django.test import Client
from PIL import Image

from bench.common import fresh_site, table
from bench.soundness.contract import free_port
from clabo.core.trust.identities import digest
from clabo.platform.accounts.models import Role
from clabo.setup.sites.models import Site
from clabo.testing.traffic import BROWSER, beacon, event, make_site, make_user

SECONDS = float(os.environ.get("SECONDS", "600"))
RATE, SENDERS, PAUSE = 300, 6, 2.0
# What is asked of hits and of the API (ms), of other workspaces' reports and of recovery (s).
AIMS = {"hit": 100.0, "api": 1000.0, "report": 5.0, "recovery": 10.0}


class Watch:
    """Waits by phase, gathered from all threads."""

    def __init__(self) -> None:
        self.phase = "quiet"
        self.waits: defaultdict[tuple[str, str], list[float]] = defaultdict(list)
        self.refused: defaultdict[str, int] = defaultdict(int)
        self.statuses: Counter[tuple[str, int]] = Counter()

    def note(self, what: str, seconds: float, phase: str) -> None:
        self.waits[phase, what].append(seconds)

    def p99(self, phase: str, what: str) -> float:
        found = sorted(self.waits[phase, what])
        return found[min(len(found) - 1, int(len(found) * 0.99))] if found else float("nan")


class Siege:
    """A server, a worker and a steady stream of hits, with whatever else is done beside them."""

    def __init__(self) -> None:
        self.site, self.other = fresh_site(), make_site(name="Other")
        make_user(self.site, Role.EDITOR, "ed@shop.example")
        self.cookies = signed_in(self.site)
        self.pictures = picture_bombs()
        self.answered: list[tuple[str, int, float]] = []
        self.watch, self.stop = Watch(), threading.Event()
        self.port = free_port()
        self.sent: set[str] = set()
        self.acknowledged: set[str] = set()
        self.fresh: dict[str, float] = {}
        self.processes = {
            "server": self.start("serve", "--port", str(self.port)),
            "worker": self.start("work"),
        }
        self.wait_for_server()

    def start(self, *words: str) -> subprocess.Popen[bytes]:
        environment = {
            **os.environ,
            "CLABO_SPOOL": str(settings.STATE_DIR / "spool"),
            "CLABO_LOG_LEVEL": "CRITICAL",
        }
        return subprocess.Popen(
            [sys.executable, "manage.py", *words],
            env=environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    def wait_for_server(self) -> None:
        for _ in range(400):
            with socket.socket() as trying:
                if trying.connect_ex(("127.0.0.1", self.port)) == 0:
                    return
            time.sleep(0.05)
        raise RuntimeError("the server did not start")

    # -- what goes on all the time -----------------------------------------------------------------

    def ask(self, method: str, path: str, body: Any = None, timeout: float = 30, **headers: str) -> int:
        """One call on a connection of its own; 0 where it broke."""
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=timeout)
        try:
            connection.request(method, path, body, {"user-agent": BROWSER, **headers})
            answer = connection.getresponse()
            answer.read()
        except (OSError, http.client.HTTPException):
            return 0
        finally:
            connection.close()
        return answer.status

    def send_hits(self, number: int) -> None:
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        due, count = time.monotonic(), 0
        while not self.stop.is_set():
            due += SENDERS / RATE
            time.sleep(max(0.0, due - time.monotonic()))
            due = max(due, time.monotonic() - 1)
            key, count = uuid4().hex, count + 1
            site = self.other if count % 10 == 0 else self.site
            body = beacon(
                number * 10**6 + count // 5, event("/order/thank-you" if count % 9 == 0 else "/a", id=key)
            )
            self.sent.add(key)
            phase, begun = self.watch.phase, time.monotonic()
            try:
                connection.request("POST", f"/hit/{site.key}", body, {"user-agent": BROWSER})
                answer = connection.getresponse()
                answer.read()
            except (OSError, http.client.HTTPException):
                connection.close()
                self.watch.refused[phase] += 1
                continue
            self.watch.note("hit", time.monotonic() - begun, phase)
            if answer.status == 204:
                self.acknowledged.add(key)
                if site is self.other:
                    self.fresh[key] = time.monotonic()
            else:
                self.watch.refused[phase] += 1

    def call_api(self) -> None:
        while not self.stop.is_set():
            for path in ("pages", "rail", "live"):
                phase, begun = self.watch.phase, time.monotonic()
                status = self.ask("GET", f"/api/sites/{self.site.pk}/{path}", cookie=self.cookies)
                if status == 200:
                    self.watch.note("api", time.monotonic() - begun, phase)
                else:
                    self.watch.refused[phase] += 1
                    self.watch.statuses[path, status] += 1
                time.sleep(0.2)

    def look_for_others(self) -> None:
        """How long the other workspace's hits take until they are stored."""
        while not self.stop.is_set():
            time.sleep(0.25)
            waiting = dict(self.fresh)
            if not waiting:
                continue
            try:
                stored = query(
                    "SELECT replace(id::text, '-', '') FROM events_event WHERE id = ANY(%s::uuid[])",
                    list(waiting),
                )
            except psycopg.Error:
                continue
            for (key,) in stored:
                if (at := self.fresh.pop(key, None)) is not None:
                    self.watch.note("report", time.monotonic() - at, self.watch.phase)

    # -- attacks -----------------------------------------------------------------------------------

    def attacked(self, attack: Callable[[], object]) -> None:
        """Have it done by a process of its own: what is measured here must not wait for who attacks."""
        told, tells = Pipe(duplex=False)

        def work() -> None:
            attack()
            tells.send(self.answered)

        process = get_context("fork").Process(target=work)
        process.start()
        tells.close()
        with suppress(EOFError):
            self.answered = told.recv()
        process.join()

    def many(self, calls: list[Callable[[], object]], at_once: int = 40) -> None:
        """All of these, so many at a time."""
        left = iter(calls)
        lock = threading.Lock()

        def work() -> None:
            while True:
                with lock:
                    call = next(left, None)
                if call is None or self.stop.is_set():
                    return
                call()

        threads = [threading.Thread(target=work, daemon=True) for _ in range(at_once)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(60)

    def sign_ins(self) -> None:
        body = json.dumps({"email": "ed@shop.example", "password": "wrong wrong"})
        path = "/_allauth/browser/v1/auth/login"
        self.many(
            [lambda: self.ask("POST", path, body, 60, **{"content-type": "application/json"})] * 300, 150
        )

    def questions(self) -> None:
        self.many([lambda: self.ask("GET", f"/in/{self.site.key}/{uuid4().hex}.json")] * 500, 100)

    def forged_keys(self) -> None:
        self.many([lambda: self.ask("POST", f"/hit/{uuid4().hex}", beacon(1, event()))] * 4000, 100)

    def idle_connections(self) -> None:
        opened = []
        for _ in range(4200):
            try:
                opened.append(socket.create_connection(("127.0.0.1", self.port), timeout=2))
            except OSError:
                break
        time.sleep(3)
        for one in opened:
            one.close()

    def late_events(self) -> None:
        """One visitor over 24 h of ages, 40,000 events, then a late one again and again."""

        def crowd(n: int) -> Callable[[], object]:
            events = [event(f"/p{k % 7}", age=n * 100_000 + k * 50) for k in range(50)]
            return lambda: self.ask("POST", f"/hit/{self.site.key}", beacon(77, *events))

        self.many([crowd(n) for n in range(800)], 8)
        for n in range(5):
            self.ask("POST", f"/hit/{self.site.key}", beacon(77, event("/late", age=80_000_000 + n)))
            time.sleep(1)

    def made_up_names(self) -> None:
        """New pages, sources, forms and names, 50 a request."""

        def one(n: int) -> Callable[[], object]:
            events = [
                event(
                    f"/made-up/{n}-{k}?utm_source=s{n}-{k}&utm_medium=cpc",
                    **(
                        {"kind": "mark", "name": f"n{n}-{k}"}
                        if k % 3
                        else {"kind": "form", "element": {"id": f"f{n}-{k}"}}
                    ),
                )
                for k in range(50)
            ]
            return lambda: self.ask("POST", f"/hit/{self.site.key}", beacon(10**8 + n, *events))

        self.many([one(n) for n in range(300)], 8)

    def bombs(self) -> None:
        """A workbook and pictures that unfold."""
        for data in (workbook_bomb(), b"PK\x03\x04" + os.urandom(1000)):
            self.upload("spend/files", "file", "bomb.xlsx", data)
        for data in self.pictures:
            self.upload("tests/pictures", "picture", "bomb.png", data)

    def editors_texts(self) -> None:
        """What one editor may store or ask: markup and definitions nested a thousand times, or a thousand parts wide."""
        nested = "<div>" * 900 + "x" + "</div>" * 900
        changes = [[], [{"html": {"selector": "h1", "place": "after", "html": nested}}]]
        test = {
            "name": "Deep",
            "what": "content",
            "addresses": ["/a"],
            "shares": [50, 50],
            "changes": changes,
        }
        test |= {"rule": 1, "traffic": 100, "baseline": 0.1, "smallest_lift": 0.5}
        page = {"what": {"page": {"match": "contains", "value": "a"}}, "from": 0, "to": 700, "times": 1}
        deep: dict[str, Any] = page
        for _ in range(50):
            deep = {"any": [deep]}
        wide = {"any": [{**page, "to": n + 1} for n in range(500)]}
        pattern = {
            "what": {"page": {"match": "pattern", "value": "(a+)+$" * 30}},
            "from": 0,
            "to": 700,
            "times": 1,
        }
        for path, body in (
            ("tests", test),
            *(("audiences/preview", {"definition": {"include": node}}) for node in (deep, wide, pattern)),
            ("paths/report", {"steps": [{"page": {"match": "contains", "value": "a"}}] * 8}),
        ):
            begun = time.monotonic()
            status = self.change(path, json.dumps(body).encode(), "application/json")
            self.answered.append((path, status, time.monotonic() - begun))

    def upload(self, path: str, field: str, name: str, data: bytes) -> int:
        edge = uuid4().hex
        head = (
            f'--{edge}\r\nContent-Disposition: form-data; name="{field}"; filename="{name}"\r\n\r\n'.encode()
        )
        body = head + data + f"\r\n--{edge}--\r\n".encode()
        return self.change(path, body, f"multipart/form-data; boundary={edge}")

    def change(self, path: str, body: bytes, kind: str) -> int:
        """A call of the signed-in owner's that changes something."""
        token = dict(c.split("=", 1) for c in self.cookies.split("; "))["clabo_csrf"]
        origin = f"http://127.0.0.1:{self.port}"
        said = {"content-type": kind, "cookie": self.cookies, "x-csrftoken": token}
        said |= {"referer": f"{origin}/", "origin": origin}
        return self.ask("POST", f"/api/sites/{self.site.pk}/{path}", body, 120, **said)

    def streams(self) -> None:
        """Two hundred windows of one member."""
        opened = []
        for _ in range(200):
            connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=5)
            try:
                connection.request("GET", f"/live/{self.site.pk}", headers={"cookie": self.cookies})
                opened.append(connection)
            except OSError:
                break
        time.sleep(3)
        for connection in opened:
            connection.close()

    def identities(self) -> None:
        """Browsers that say they are somebody whom they are not."""
        person = {"email": digest("email", "ada@example.com")}
        self.many(
            [
                lambda n=n: self.ask(
                    "POST", f"/hit/{self.site.key}", beacon(2 * 10**8 + n, event("/a", person=person))
                )  # type: ignore[misc]
                for n in range(200)
            ],
            8,
        )

    def nonsense(self) -> None:
        """Deep, large, trickled and forged bodies."""
        deep = b"[" * 100_000
        paths = ("/edit/draft", "/edit/open", f"/hit/{self.site.key}", f"/sale/{self.site.key}", "/api/setup")
        bodies = (deep, b"\xff" * 1000, b"{" * 500, b'{"a":' * 5000, b"x" * 900_000)
        kind = {"content-type": "application/json"}
        calls: list[Callable[[], object]] = [
            lambda p=path, b=body: self.ask("POST", p, b, 30, **kind)  # type: ignore[misc]
            for path in paths
            for body in bodies
        ]
        self.many(calls * 8, 20)

    def forged_sales(self) -> None:
        """Sales, values and orders that nobody made: NUL and worse by each way in, and stolen order numbers."""
        odd = [quote(t) for t in ("\x00", "\ufffe", "=1+1", "\u202e", "x" * 4000, "1e999")] + [
            "%ed%a0%80",
            "%ff",
        ]
        key = self.site.key
        calls: list[Callable[[], object]] = []
        for n in range(25):
            for text in odd:
                asked = (
                    f"/sale/{key}.gif?ref={text}&value={text}&order={text}&currency={text}",
                    f"/to/{key}/suits?pub={text}&clabo_p={text}",
                )
                calls += [lambda path=path: self.ask("GET", path) for path in asked]  # type: ignore[misc]
            stolen = event("/bought", order="A-1", value=10.0**n, currency="EUR")
            calls.append(
                lambda n=n, e=stolen: self.ask("POST", f"/hit/{key}", beacon(3 * 10**8 + n, e))  # type: ignore[misc]
            )
        self.many(calls, 20)

    def slow_bodies(self) -> None:
        """A gigabyte that is announced, and bodies that come a byte at a time."""
        opened = []
        for size in (1 << 30, 900):
            for _ in range(200):
                with suppress(OSError):
                    one = socket.create_connection(("127.0.0.1", self.port), timeout=2)
                    one.sendall(
                        f"POST /hit/{self.site.key} HTTP/1.1\r\nHost: x\r\nContent-Length: {size}\r\n\r\n".encode()
                    )
                    opened.append(one)
        for _ in range(8):
            for one in opened:
                with suppress(OSError):
                    one.sendall(b"x")
            time.sleep(0.5)
        for one in opened:
            one.close()

    def cut_connections(self) -> None:
        """Each of the database's connections in turn is ended, as a firewall does."""
        for _ in range(3):
            for (pid,) in query(
                "SELECT pid FROM pg_stat_activity WHERE pid <> pg_backend_pid() AND backend_type = 'client backend'"
            ):
                query("SELECT pg_terminate_backend(%s)", pid)
                time.sleep(0.2)

    # -- kills -------------------------------------------------------------------------------------

    def kill(self, what: str) -> float:
        """Kill one part as it stands, have it started again as the supervisor does, and wait until hits come through."""
        begun = time.monotonic()
        if what == "database":
            subprocess.run(
                ["bash", "tools/postgres.sh", "kill", str(POSTGRES)], check=False, capture_output=True
            )
            subprocess.run(
                ["bash", "tools/postgres.sh", "start", str(POSTGRES)], check=True, capture_output=True
            )
            begun = time.monotonic()
        else:
            self.processes[what].send_signal(signal.SIGKILL)
            self.processes[what].wait()
            words = ("serve", "--port", str(self.port)) if what == "server" else ("work",)
            self.processes[what] = self.start(*words)
        while True:
            key = uuid4().hex
            self.sent.add(key)
            if self.ask("POST", f"/hit/{self.site.key}", beacon(5, event("/alive", id=key)), 5) == 204:
                self.acknowledged.add(key)
                break
            time.sleep(0.1)
        while time.monotonic() - begun < 60:
            try:
                if query("SELECT 1 FROM events_event WHERE id = %s::uuid", key):
                    break
            except psycopg.Error:
                pass
            time.sleep(0.1)
        return time.monotonic() - begun

    # -- all of it ---------------------------------------------------------------------------------

    @contextmanager
    def life(self) -> Iterator[None]:
        works: list[Callable[[], None]] = [self.call_api, self.look_for_others]
        works += [lambda n=n: self.send_hits(n) for n in range(1, SENDERS + 1)]  # type: ignore[misc]
        threads = [threading.Thread(target=work, daemon=True) for work in works]
        for thread in threads:
            thread.start()
        try:
            yield
        finally:
            self.stop.set()
            for thread in threads:
                thread.join(30)

    def settle(self) -> tuple[int, int]:
        """Hits lost and doubled, once all that was acknowledged is stored."""
        end = time.monotonic() + 180
        spool = settings.STATE_DIR / "spool"
        while time.monotonic() < end:
            spooled = spool.is_dir() and any(not p.name.startswith(".") for p in spool.iterdir())
            if not spooled and not query("SELECT 1 FROM ingest_inboxbatch LIMIT 1"):
                break
            time.sleep(0.5)
        rows = query("SELECT replace(id::text, '-', ''), count(*) FROM events_event GROUP BY 1")
        stored = {str(key): int(count) for key, count in rows}
        return len(self.acknowledged - set(stored)), sum(count > 1 for count in stored.values())

    def end(self) -> None:
        for process in self.processes.values():
            process.terminate()
            process.wait()


POSTGRES = Path(settings.STATE_DIR).parent / "postgres-bench"


def query(sql: str, *params: Any) -> list[tuple[Any, ...]]:
    with psycopg.connect(os.environ["DATABASE_URL"], connect_timeout=5) as connection:
        return connection.execute(sql, params).fetchall()


def signed_in(site: Site) -> str:
    """Cookies of an editor who is signed in."""
    client = Client()
    user = make_user(site, Role.OWNER, "owner@shop.example")
    client.force_login(user, backend="allauth.account.auth_backends.AuthenticationBackend")
    client.get("/sign-in")
    return "; ".join(f"{name}={cookie.value}" for name, cookie in client.cookies.items())


def picture_bombs() -> list[bytes]:
    """Pictures of many pixels in few bytes, that are drawn or refused."""
    made = []
    for size, kind in (
        ((3900, 4000), "PNG"),
        ((6000, 6000), "PNG"),
        ((7000, 7000), "JPEG"),
        ((20_000, 20_000), "GIF"),
    ):
        out = BytesIO()
        Image.new("L", size).save(out, kind)
        made.append(out.getvalue())
    return made


def workbook_bomb() -> bytes:
    """A small workbook whose one row has the number two thousand million."""
    main = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
    relations = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
    package = "http://schemas.openxmlformats.org/package/2006"
    out = BytesIO()
    with ZipFile(out, "w", ZIP_DEFLATED) as archive:
        archive.writestr(
            "[Content_Types].xml",
            f'<Types xmlns="{package}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
            '<Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/>'
            '<Override PartName="/xl/s.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>',
        )
        archive.writestr(
            "_rels/.rels",
            f'<Relationships xmlns="{package}/relationships"><Relationship Id="a" Type="{relations}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        )
        archive.writestr(
            "xl/workbook.xml",
            f'<workbook {main} xmlns:r="{relations}"><sheets><sheet name="S" sheetId="1" r:id="b"/></sheets></workbook>',
        )
        archive.writestr(
            "xl/_rels/workbook.xml.rels",
            f'<Relationships xmlns="{package}/relationships"><Relationship Id="b" Type="{relations}/worksheet" Target="s.xml"/></Relationships>',
        )
        archive.writestr(
            "xl/s.xml",
            f'<worksheet {main}><sheetData><row r="2000000000"><c r="A2000000000"><v>1</v></c></row></sheetData></worksheet>',
        )
    return out.getvalue()


def main() -> None:
    random.seed(20261201)
    siege = Siege()
    attacks: dict[str, Callable[[], object]] = {
        "quiet": lambda: None,
        "late events of one browser": siege.late_events,
        "300 sign-ins at once": siege.sign_ins,
        "500 questions of tags": siege.questions,
        "4,000 forged keys": siege.forged_keys,
        "4,200 idle connections": siege.idle_connections,
        "15,000 made-up pages, sources, forms, names": siege.made_up_names,
        "workbook and picture bombs": siege.bombs,
        "texts and questions of one editor": siege.editors_texts,
        "200 live streams of one member": siege.streams,
        "200 browsers that say they are Ada": siege.identities,
        "deep, large and forged bodies": siege.nonsense,
        "forged sales, values and orders": siege.forged_sales,
        "gigabytes announced, bodies byte by byte": siege.slow_bodies,
        "each connection of the database cut in turn": siege.cut_connections,
    }
    kills = ("worker", "server", "database")
    each = max(4.0, SECONDS / (len(attacks) + len(kills)))
    recovered: dict[str, float] = {}
    begun = datetime.now(UTC)
    with siege.life():
        # What is done for the first time is slower.
        siege.watch.phase = "warming up"
        time.sleep(10)
        for name, attack in attacks.items():
            siege.watch.phase = name
            until = time.monotonic() + each
            siege.attacked(attack)
            time.sleep(max(PAUSE, until - time.monotonic()))
        for what in kills:
            siege.watch.phase = f"{what} killed"
            recovered[what] = siege.kill(what)
            time.sleep(each)
        siege.watch.phase = "quiet again"
        time.sleep(each)
    lost, doubled = siege.settle()
    siege.end()
    rows: list[list[object]] = []
    for name in [*attacks, *(f"{what} killed" for what in kills), "quiet again"]:
        watch = siege.watch
        hit, api, report = (watch.p99(name, what) for what in ("hit", "api", "report"))
        hits = len(watch.waits[name, "hit"])
        back = recovered.get(name.removesuffix(" killed"), float("nan"))
        fits = hit * 1000 <= AIMS["hit"] and api * 1000 <= AIMS["api"] and report <= AIMS["report"]
        if name.endswith("killed"):
            fits = back <= AIMS["recovery"]
        rows.append(
            [
                *(name, hits, watch.refused[name], f"{hit * 1000:.0f}", f"{api * 1000:.0f}", f"{report:.1f}"),
                *(f"{back:.1f}" if back == back else "", "yes" if fits else "**no**"),
            ]
        )
    head = ["beside 300 hits/s", "hits", "refused or broken", "p99 of hits, ms", "p99 of the API, ms"]
    table([*head, "p99 until in others' reports, s", "well again after, s", "within its aims"], rows)
    print(f"The API's answers that were no 200: {dict(siege.watch.statuses)}")
    print(
        "One editor's: "
        + ", ".join(f"{path} {status} in {took:.1f} s" for path, status, took in siege.answered)
    )
    took = (datetime.now(UTC) - begun).total_seconds()
    print(
        f"{took:.0f} s; {len(siege.sent):,} hits sent, {len(siege.acknowledged):,} acknowledged, {lost} lost, {doubled} doubled."
    )


if __name__ == "__main__":
    main()
