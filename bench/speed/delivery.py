"""A million members to a channel; a minute of everything going wrong; how soon conversions are reported."""

from __future__ import annotations

import os
import random
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from uuid import uuid4

from django.conf import settings
from django.db import connection, connections
from pyroaring import BitMap

from bench.common import fresh_site, machine, table  # sets Django up first
from clabo.collect.events.models import Kind, Page
from clabo.collect.pipeline import runner
from clabo.collect.presence.models import Atom, DayPresence
from clabo.platform.accounts.models import Role
from clabo.platform.jobs.worker import JobWorker
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.testing.network import KEY, Network
from clabo.testing.traffic import beacon, event, hit, make_user, receive
from clabo.use.audiences.services import AudienceContent, make_audience
from clabo.use.delivery.adapters.calling import Declined
from clabo.use.delivery.models import AdChannel, AudienceUse, Delivered, Report
from clabo.use.delivery.syncing import sending

MEMBERS = 1_000_000
CHAOS_MEMBERS, CHAOS_SECONDS = 60_000, 60
RATE, FEED_SECONDS = 50, 60
SEEN = {"what": {"page": {"match": "equals", "value": "/kit"}}, "from": 0, "to": 21, "times": 1}


def fill(site: Site, first: int, last: int) -> None:
    """Visitors numbered so, each of whom has stated an e-mail address, and saw /kit today."""
    now = datetime.now(UTC)
    with connection.cursor() as cursor:
        statements = """
            INSERT INTO events_visitor (site_id, key, number, first_at, last_at, visits)
            SELECT %(site)s, md5(n::text)::uuid, n, now(), now(), 1 FROM generate_series(%(first)s::int, %(last)s::int) n;
            INSERT INTO events_identity (site_id, kind, hash, off)
            SELECT %(site)s, 'email', sha256(n::text::bytea), false FROM generate_series(%(first)s::int, %(last)s::int) n;
            INSERT INTO events_statement (identity_id, visitor_id, first_at)
            SELECT i.id, v.id, now() FROM events_visitor v
            JOIN events_identity i ON i.hash = sha256(v.number::text::bytea) AND i.site_id = v.site_id
            WHERE v.site_id = %(site)s AND v.number BETWEEN %(first)s AND %(last)s"""
        for statement in statements.split(";"):
            # Else the next is planned as if nobody were there.
            cursor.execute("ANALYZE")
            cursor.execute(statement, {"site": site.pk, "first": first, "last": last})
        cursor.execute("ANALYZE")
    page, _ = Page.objects.get_or_create(
        site=site, host="shop.example", path="/kit", defaults={"first_at": now, "last_at": now}
    )
    atom, _ = Atom.objects.get_or_create(site=site, sort=Atom.Sort.EVENT, kind=Kind.VIEW, page=page)
    seen(site, atom, BitMap(range(first, last + 1)))


def seen(site: Site, atom: Atom, people: BitMap) -> None:
    """These and no others saw the page today."""
    day = datetime.now(UTC).astimezone(site.zone).date()
    last = DayPresence.objects.filter(site=site).order_by("-generation").first()
    DayPresence.objects.update_or_create(
        site=site,
        atom=atom,
        day=day,
        defaults={"people": people.serialize(), "generation": (last.generation if last else 0) + 1},
    )


def use_of(site: Site, network: Network) -> AudienceUse:
    """An audience of everybody who saw /kit, at a channel."""
    by = make_user(site, Role.OWNER, f"o{uuid4().hex}@shop.example")
    channel = AdChannel.objects.create(
        site=site,
        name="Practice",
        kind="http",
        source="practice",
        click_parameter="practiceclid",
        base_url=network.url,
        secret=KEY,
        agreed_at=datetime.now(UTC),
    )
    audience = make_audience(site, AudienceContent("Saw the kit", {"include": SEEN}), by)
    return AudienceUse.objects.create(audience=audience, channel=channel)


def patiently(use: AudienceUse) -> None:
    """Deliver until it is done, whatever the channel does meanwhile."""
    while True:
        try:
            sending.deliver(use, patience=30)
            return
        except (sending.Waits, Declined):
            AdChannel.objects.update(rests_until=None, failures=0)


def child() -> None:
    """In a process of its own: deliver, and say how much memory that took."""
    _, _, number, url = sys.argv
    settings.CLABO_NETWORK_URL = url
    patiently(AudienceUse.objects.get(pk=number))
    print(peak())


def peak() -> float:
    """The most memory that this process has had, in MB: its own, not that of who began it."""
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmHWM"):
            return int(line.split()[1]) / 1024
    return 0.0


def beside(use: AudienceUse, network: Network) -> subprocess.Popen[str]:
    """The same, started."""
    words = [sys.executable, __file__, "child", str(use.pk), network.url]
    return subprocess.Popen(words, stdout=subprocess.PIPE, text=True, env=dict(os.environ))


def differing(use: AudienceUse, network: Network, wanted: BitMap) -> tuple[int, int]:
    """How many are lost, and how many are there who must not be or twice: both sides' lists are compared."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT encode(sha256(n::text::bytea), 'hex') FROM unnest(%s) n", [list(wanted)])
        should = {row[0] for row in cursor.fetchall()}
    there = [hash_ for _, hash_ in network.members(str(use.key))]
    ours = {
        bytes(h).hex() for h in Delivered.objects.filter(use=use, refused="").values_list("hash", flat=True)
    }
    return len(should - set(there)) + len(should - ours), len(set(there) - should) + len(ours - should)


def million(folder: Path) -> list[list[object]]:
    """All of them once, nothing new, then a hundredth that came and went; beside it a plain loop."""
    site = fresh_site()
    fill(site, 1, MEMBERS)
    network = Network(folder, apart=True)
    use, rows = use_of(site, network), []
    atom = Atom.objects.get(site=site, sort=Atom.Sort.EVENT)
    words = "import bench.speed.delivery as d; print(d.peak())"
    idle = subprocess.run([sys.executable, "-c", words], capture_output=True, text=True, check=True)
    plain_memory = float(idle.stdout.split()[-1])
    everybody = BitMap(range(1, MEMBERS + 1))
    for what, people in (
        ("1,000,000 members, all new", everybody),
        ("the same again, nothing has changed", everybody),
        ("10,000 came and 10,000 went", BitMap(range(10_001, MEMBERS + 1))),
    ):
        seen(site, atom, people)
        if people is not everybody:
            fill_more = BitMap(range(MEMBERS + 1, MEMBERS + 10_001))
            fill(site, MEMBERS + 1, MEMBERS + 10_000)
            people = people | fill_more
            seen(site, atom, people)
        begun = time.monotonic()
        said = beside(use, network).communicate()[0]
        seconds = time.monotonic() - begun
        lost, odd = differing(use, network, people)
        rows.append(
            [what, f"{seconds:.1f} s", f"{float(said.split()[-1]) - plain_memory:.0f} MB more", lost, odd]
        )
    begun = time.monotonic()
    plain(site, network)
    rows.append(["a plain loop: read, and sent whole", f"{time.monotonic() - begun:.1f} s", "", "–", "–"])
    network.stop()
    return rows


def plain(site: Site, network: Network) -> None:
    """What one would write in ten lines: no memory of what was sent, no second try."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT encode(i.hash, 'hex') FROM events_statement s JOIN events_identity i ON i.id = s.identity_id "
            "JOIN events_visitor v ON v.id = s.visitor_id WHERE v.site_id = %s",
            [site.pk],
        )
        while some := cursor.fetchmany(sending.BATCH):
            add = [{"kind": "email", "hash": row[0]} for row in some]
            body = {"name": "plain", "add": add, "remove": []}
            network.ask("POST", "/v1/lists/plain/changes", body, Idempotency_Key=uuid4().hex)


def chaos(folder: Path) -> list[list[object]]:
    """Everything goes wrong for a minute while people come and go; then both sides' lists are compared."""
    site = fresh_site()
    fill(site, 1, CHAOS_MEMBERS)
    network = Network(folder, apart=True)
    use = use_of(site, network)
    atom = Atom.objects.get(site=site, sort=Atom.Sort.EVENT)
    chance, people = random.Random(1), BitMap(range(1, CHAOS_MEMBERS + 1))
    killed = {"network": 0, "delivery": 0, "switched": 0}
    until = time.monotonic() + CHAOS_SECONDS
    process = beside(use, network)
    while time.monotonic() < until:
        network.switch(refuse=0.05, calls=chance.choice([3, 10, 1000]), slow=chance.choice([0, 0, 10]))
        killed["switched"] += 1
        time.sleep(chance.uniform(1, 4))
        for _ in range(500):
            people ^= BitMap([chance.randrange(1, CHAOS_MEMBERS + 1)])
        seen(site, atom, people)
        if chance.random() < 0.4:
            network.kill()
            killed["network"] += 1
            time.sleep(chance.uniform(0.2, 2))
            network.start()
        if chance.random() < 0.4 or process.poll() is not None:
            killed["delivery"] += process.poll() is None
            process.kill()
            process.wait()
            process = beside(use, network)
    process.kill()
    process.wait()
    network.switch(refuse=0.05)
    AdChannel.objects.update(rests_until=None, failures=0)
    settings.CLABO_NETWORK_URL = network.url
    patiently(use)
    patiently(use)
    lost, odd = differing(use, network, people)
    network.stop()
    said = ", ".join(f"{what} {n}×" for what, n in killed.items())
    return [[f"{CHAOS_SECONDS} s, {said}, 5 % refused, 10 s answers, 429", "", "", lost, odd]]


def feedback(folder: Path) -> list[list[object]]:
    """Conversions at a rate, through pipeline and jobs; how long from the hit until the channel has answered."""
    site = fresh_site()
    network = Network(folder, apart=True)
    settings.CLABO_NETWORK_URL = network.url
    use = use_of(site, network)
    rule = ConversionRule.objects.get(site=site, name="order")
    ConversionRule.objects.filter(pk=rule.pk).update(value=Decimal(59))
    use.channel.rules.set([rule])
    AdChannel.objects.update(since=datetime.now(UTC) - timedelta(days=1))
    asked = ("POST", "/practice/clicks", {"landing": "https://shop.example/kit"})
    links = [network.ask(*asked).json["link"] for _ in range(RATE * FEED_SECONDS)]
    stopping = threading.Event()

    def pipeline() -> None:
        while not stopping.is_set():
            if runner.run_once() < 0:
                time.sleep(0.2)
        connections.close_all()

    worker, thread = JobWorker(), threading.Thread(target=pipeline)
    worker.start()
    thread.start()
    begun = time.monotonic()
    for second in range(FEED_SECONDS):
        now = datetime.now(UTC)
        hits = []
        for place in range(RATE):
            visitor = second * RATE + place
            hits.append(hit(site, now, beacon(visitor, event(links[visitor]))))
            hits.append(hit(site, now, beacon(visitor, event("/order/thank-you"))))
        receive(hits, process=False)
        time.sleep(max(0.0, begun + second + 1 - time.monotonic()))
    wanted = RATE * FEED_SECONDS
    while (
        Report.objects.filter(state="taken").count() < wanted
        and time.monotonic() < begun + FEED_SECONDS + 120
    ):
        time.sleep(0.5)
    stopping.set()
    thread.join()
    worker.stop()
    lags = sorted(
        (r.answered_at - r.time).total_seconds()
        for r in Report.objects.filter(state="taken")
        if r.answered_at
    )
    db = network.ask(
        "GET", f"/v1/spend?first={datetime.now(UTC):%Y-%m-%d}&last={datetime.now(UTC):%Y-%m-%d}"
    ).json
    there = sum(row["conversions"] for row in db["rows"])
    network.stop()
    at = lambda share: lags[min(len(lags) - 1, int(share * len(lags)))]  # noqa: E731
    return [
        [
            f"{wanted:,} at {RATE} a second",
            f"{at(0.5):.1f} s",
            f"{at(0.99):.1f} s",
            f"{lags[-1]:.1f} s",
            there,
        ]
    ]


def main() -> None:
    print(machine())
    parts: list[tuple[list[str], Callable[[Path], list[list[object]]]]] = [
        (["A list at a channel", "took", "memory", "lost", "too many"], million),
        (["A list at a channel", "took", "memory", "lost", "too many"], chaos),
        (["Conversions reported", "median", "p99", "longest", "counted there"], feedback),
    ]
    for head, part in parts:
        with tempfile.TemporaryDirectory() as folder:
            table(head, part(Path(folder)))


if __name__ == "__main__":
    child() if sys.argv[1:2] == ["child"] else main()
