"""The tag on pages that nobody here wrote, in Chromium and in Firefox: everything is seen, and nothing besides."""

from __future__ import annotations

import os
import time
from collections import Counter
from typing import Any

from django.conf import settings

from clabo.collect.events.models import Event, Kind, Page
from clabo.collect.ingest.models import REPEATED, Refusal
from clabo.journeys.cases import CASES, Case
from clabo.setup.sites.models import Site
from clabo.testing.browsing import ClaboCase
from clabo.testing.engines import drive
from clabo.testing.foreign import Answer, Foreign
from clabo.testing.traffic import make_site

TAG = settings.BASE_DIR / "tag"
AT_ONCE = 5


class Engine(ClaboCase):
    """All cases in one browser, several at a time, each on a site of its own below a path."""

    engine = ""

    def play(
        self, cases: list[Case], at_once: int = AT_ONCE
    ) -> tuple[dict[str, list[str]], dict[str, Counter[str]]]:
        """What each case's pages threw, and what was seen of it."""
        site = make_site()
        own = Foreign()
        self.addCleanup(own.stop)
        site.hosts.create(host=own.host)
        line = f"{self.clabo}/tag/{site.key}.js"
        from clabo.collect.install.kit import tag_lines

        lines = tag_lines(site)
        for file in (TAG / "fixtures" / "dist").iterdir():
            kind = "text/css" if file.suffix == ".css" else "text/javascript"
            own.answers[f"/lib/{file.name}"] = Answer(file.read_bytes(), kind)

        def told(text: str, case: Case) -> str:
            words = {
                "{tag}": lines.head.replace(lines.head.split('"')[3], line),
                "{early}": lines.early.replace(lines.head.split('"')[3], line),
                "{base}": f"/{case.name}",
                "{lib}": "/lib",
                "{line}": line,
                "{collector}": self.clabo,
                "{url}": f"{own.url}/{case.name}/",
            }
            for word, meant in words.items():
                text = text.replace(word, meant)
            return text

        asked = []
        for case in cases:
            for path, found in case.pages.items():
                answer = found if isinstance(found, Answer) else Answer(found)
                assert isinstance(answer.body, str)
                headers = {**{k: told(v, case) for k, v in case.headers.items()}, **answer.headers}
                if answer.kind.startswith("application/json"):
                    headers = {}
                own.answers[f"/{case.name}{path}"] = Answer(
                    told(answer.body, case), answer.kind, answer.status, headers, answer.later
                )
            steps: list[list[Any]] = []
            for what, *said in case.steps:
                said = [told(s, case) if isinstance(s, str) else s for s in said]
                if what == "open" and not said[0].startswith("http"):
                    said = [own.url + said[0]]
                steps.append([what, *said])
            asked.append(
                {"name": case.name, "url": f"{own.url}/{case.name}/", "steps": steps, "hold": case.hold}
            )
        thrown = drive(self.engine, asked, at_once)
        self.settled()
        return thrown, {case.name: self.seen(site, case) for case in cases}

    def settled(self) -> None:
        count, since = -1, time.monotonic()
        while time.monotonic() - since < 1.0:
            now = Event.objects.count()
            if now != count:
                count, since = now, time.monotonic()
            time.sleep(0.1)

    def seen(self, site: Site, case: Case) -> Counter[str]:
        found: Counter[str] = Counter()
        base = f"/{case.name}"
        of_site = Event.objects.filter(site=site)
        rows = of_site.filter(page__path__startswith=base + "/") | of_site.filter(page__path=base)
        for event in rows.select_related("page", "element"):
            traits: dict[str, Any] = event.element.traits if event.element else {}
            kind = event.get_kind_display().lower()
            path = event.page.path.removeprefix(base) or "/"
            if event.kind == Kind.VIEW:
                found[f"view {path}"] += 1
            elif event.kind == Kind.CLICK:
                found[f"click {traits.get('text')}"] += case.clicks
            elif event.kind in (Kind.FORM, Kind.TRIED):
                to = traits.get("action", "").partition(base + "/deep")[2]
                found[f"{kind} {traits.get('id')}" + (f" -> /deep{to}" if to else "")] += 1
            elif event.kind == Kind.MARK:
                value = (event.properties or {}).get("value")
                found[f"mark {event.name}" + (f" {value}" if value else "")] += 1
            elif event.kind == Kind.NOTE:
                found["note twice"] += 1
        if case.titles:
            for page in Page.objects.filter(site=site, path__startswith=base):
                found[f"title {page.path.removeprefix(base) or '/'} {page.title}"] += 1
        return +found

    def check(self, only: str = "") -> None:
        cases = [c for c in CASES if only in c.name]
        thrown, seen = self.play(cases)

        def fails(case: Case) -> bool:
            return thrown.get(case.name) != [] or seen[case.name] != Counter(case.expect)

        # A machine that is busy with other tests may be too slow for the waits that stand in the cases: what fails is
        # played once more with nothing beside it.
        for case in filter(fails, cases):
            anew, found = self.play([case], at_once=1)
            thrown, seen = {**thrown, **anew}, {**seen, **found}
        for case in cases:
            with self.subTest(case=case.name):
                self.assertEqual(thrown.get(case.name), [], "the page threw")
                self.assertEqual(dict(seen[case.name]), dict(Counter(case.expect)))
        # Nothing was refused: what comes of a page is fit for the collector.
        self.assertEqual(list(Refusal.objects.exclude(reason=REPEATED).values_list("reason", "sample")), [])


class Chromium(Engine):
    engine = "chrome"

    def test_every_case(self) -> None:
        self.check(os.environ.get("CASE", ""))


class Firefox(Engine):
    engine = "firefox"

    def test_every_case(self) -> None:
        self.check(os.environ.get("CASE", ""))
