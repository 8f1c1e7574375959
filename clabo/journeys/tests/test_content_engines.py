"""Variants of what stands on pages of real frameworks, in Chromium and in Firefox: the right thing changed, and nothing else."""

from __future__ import annotations

import json
import os
import time
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from itertools import count
from typing import Any

from django.conf import settings

from clabo.core.splits.assignment import assign
from clabo.journeys.content_cases import CHECKS, CONTENT_CASES, ContentCase
from clabo.judge.splits import life, services
from clabo.judge.splits.models import Exposure, Hindrance, SplitTest
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.testing.browsing import ClaboCase
from clabo.testing.engines import drive
from clabo.testing.foreign import Answer, Foreign
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive

LIBRARIES = settings.BASE_DIR / "tag" / "fixtures" / "dist"
AT_ONCE = 3


class ContentEngine(ClaboCase):
    """Each case is a test on a page of its own; somebody of each half comes, uses the page and looks at it."""

    engine = ""
    # Names of cases; all where there are none.
    only: tuple[str, ...] = ()

    def play(self, cases: list[ContentCase], at_once: int = AT_ONCE) -> dict[str, list[str]]:
        """What is wrong with each case, by half: `name A`, `name B`."""
        site = make_site()
        own = Foreign()
        self.addCleanup(own.stop)
        site.hosts.create(host=own.host)
        for file in LIBRARIES.iterdir():
            own.answers[f"/lib/{file.name}"] = Answer(file.read_bytes(), "text/javascript")
        rule = make_rule(site, "/thanks", value=Decimal(59))
        tests = {case.name: self.started(site, rule, own, case) for case in cases}
        self.renewed()
        for case in cases:
            self.serve(site, own, case, tests[case.name])
        asked = [
            {
                "name": f"{case.name} {letter}",
                "url": f"{own.url}/{case.name}/?who={letter}",
                "steps": self.steps(case, letter),
                "hold": 300,
            }
            for case in cases
            for letter in "AB"
        ]
        wrong = drive(self.engine, asked, at_once)
        self.until(lambda: self.settled(), "all is stored")
        for case in cases:
            test = tests[case.name]
            exposed = "".join(sorted(Exposure.objects.filter(test=test).values_list("letter", flat=True)))
            if exposed != case.exposed:
                wrong[f"{case.name} B"].append(f"in the test are “{exposed}”")
            hindered = set(Hindrance.objects.filter(variant__test=test).values_list("why", flat=True))
            if hindered != set(case.hindered):
                wrong[f"{case.name} B"].append(f"hindered by {sorted(hindered)}")
        return wrong

    def started(self, site: Site, rule: ConversionRule, own: Foreign, case: ContentCase) -> SplitTest:
        address = f"http://{own.host}/{case.name}"
        receive([hit(site, datetime.now(UTC) - timedelta(hours=1), beacon(1, event(address)))])
        changes = json.loads(json.dumps(case.changes).replace("{base}", f"/{case.name}"))
        content = services.SplitContent(
            *(case.name, rule, [address], [50, 50], 100, 0.1, 0.5, "content", [[], changes])
        )
        return life.start(services.save_test(site, content))

    def serve(self, site: Site, own: Foreign, case: ContentCase, test: SplitTest) -> None:
        who = {
            letter: next(
                f"{n:032x}" for n in count(7) if "AB"[assign(f"{n:032x}", test.key, [50, 50]) or 0] == letter
            )
            for letter in "AB"
        }
        body = case.body.replace("{base}", f"/{case.name}").replace("{lib}", "/lib")
        for file in LIBRARIES.glob("*.html"):
            body = body.replace(f"<!--{file.stem}-->", file.read_text())
        is_somebody = (
            f"<script>const who = {json.dumps(who)}[new URLSearchParams(location.search).get('who')];"
            "if (who) document.cookie = `clabo_id=${who};path=/`</script>"
        )
        tag = f'<script async src="{self.clabo}/tag/{site.key}.js"></script>'
        if case.late:
            added = "document.head.append(document.createRange().createContextualFragment"
            tag = f"<script>setTimeout(() => {added}({json.dumps(tag).replace('</', f'<{chr(92)}/')})), {case.late})</script>"
        page = f"<!doctype html><html><head><title>{case.name}</title>{is_somebody}{tag}</head>{body}"
        headers = {name: value.replace("{collector}", self.clabo) for name, value in case.headers.items()}
        own.answers[f"/{case.name}/"] = Answer(page, headers=headers)
        own.answers[f"/{case.name}/other"] = Answer("<title>Other</title>The other page")

    def steps(self, case: ContentCase, letter: str) -> list[list[Any]]:
        wanted = (case.a if letter == "A" else case.b).replace("{base}", f"/{case.name}")
        check = f"(() => {{ {CHECKS} {wanted} }})()"
        # The control's link is the page's own matter; the variant's leads elsewhere, whoever handles it.
        end = "other" if letter == "B" else "kit"
        followed = f"(() => {{ {CHECKS} must('path', location.pathname, '/{case.name}/{end}') }})()"
        told = {"check": ["run", check], "followed": ["run", followed]}
        return [told.get(str(what), [what, *said]) for what, *said in case.steps]

    def settled(self) -> bool:
        """Whether whoever is to be in a test by now has been put there."""
        before = Exposure.objects.count(), Hindrance.objects.count()
        time.sleep(1.2)
        return before == (Exposure.objects.count(), Hindrance.objects.count())

    def check(self) -> None:
        only = () if os.environ.get("EVERY_CASE") else self.only
        cases = [
            c for c in CONTENT_CASES if os.environ.get("CASE", "") in c.name and (not only or c.name in only)
        ]
        wrong = self.play(cases)
        # A machine that is busy with other tests may be too slow for the waits that stand in the cases: what fails is
        # played once more with nothing beside it.
        again = [c for c in cases if wrong[f"{c.name} A"] or wrong[f"{c.name} B"]]
        if again:
            wrong |= self.play(again, at_once=1)
        for name, what in wrong.items():
            with self.subTest(case=name):
                self.assertEqual(what, [])


class Chromium(ContentEngine):
    engine = "chrome"

    def test_every_case(self) -> None:
        self.check()


class Firefox(ContentEngine):
    """Those in which the engine itself has a part; all of them with `EVERY_CASE=1`."""

    engine = "firefox"
    only = (
        "react-drawn-by-a-server",
        "vue-drawn-by-a-server",
        "svelte",
        "taken-over-too-late",
        "tag-that-comes-late",
        "a-block-on-a-page-that-never-rests",
        "moves-that-hang-on-each-other",
        "under-a-strict-policy",
    )

    def test_every_case(self) -> None:
        self.check()
