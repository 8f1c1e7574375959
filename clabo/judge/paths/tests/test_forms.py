"""A form's own steps against a plain loop over the visits that were made."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.core.audiences.predicates import read_what
from clabo.judge.paths.forms import form_reports
from clabo.judge.paths.walking import path_report
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.services import RuleContent, checked
from clabo.testing.traffic import START, beacon, event, hit, make_site, receive

CONTACT = {"id": "contact", "fields": ["mail", "name"]}
LETTER = {"action": "https://shop.example/letter", "fields": ["mail"]}
# Known by one field alone, which the first has too.
NAMELESS = {"fields": ["mail"]}
FORMS = [CONTACT, LETTER, NAMELESS]
Act = tuple[str, Any]
ACTS: st.SearchStrategy[Act] = st.one_of(
    st.tuples(st.just("view"), st.sampled_from(["/contact", "/about", "/"])),
    st.tuples(st.sampled_from(["begun", "tried", "form"]), st.sampled_from(range(3))),
    st.tuples(st.just("left"), st.tuples(st.sampled_from(range(3)), st.sampled_from(["mail", "name", ""]))),
)
VISITS = st.lists(st.lists(ACTS, min_size=1, max_size=9), min_size=1, max_size=7)


def told(act: Act, page: str) -> dict[str, Any]:
    """The event that an act is."""
    kind, what = act
    if kind == "view":
        return event(what)
    if kind == "left":
        return event(page, kind="left", element=FORMS[what[0]], properties={"field": what[1]})
    return event(page, kind=kind, element=FORMS[what])


def by_hand(visits: list[list[Act]], form: int) -> tuple[list[int], Counter[str], int]:
    """How many came to each step of a form, the last fields of those who gave up, and of how many none is known."""
    on: set[str] = set()
    for acts in visits:
        page = "/"
        for kind, what in acts:
            page = what if kind == "view" else page
            if kind in ("begun", "tried", "form") and what == form:
                on.add(page)
    counts, fields, unknown = [0, 0, 0, 0], Counter[str](), 0
    for acts in visits:
        at, step, field = 0, 0, ""
        page = "/"
        asked = [("view",), ("begun", "tried", "form"), ("tried", "form"), ("form",)]
        # One act may be several steps at once.
        for kind, what in acts:
            page = what if kind == "view" else page
            mine = page in on if kind == "view" else what == form
            while step < 4 and kind in asked[step] and mine and kind != "left":
                step += 1
            if kind == "left" and what[0] == form:
                field = what[1] or field
        for at in range(step):
            counts[at] += 1
        if step in (2, 3):
            fields.update([field] if field else [])
            unknown += not field
    return counts, fields, unknown


class FormSteps(TestCase):
    @settings(max_examples=25, deadline=None)
    @given(VISITS)
    def test_against_a_plain_loop(self, visits: list[list[Act]]) -> None:
        site = make_site()
        hits = []
        for n, acts in enumerate(visits):
            page = "/"
            for m, act in enumerate(acts):
                page = act[1] if act[0] == "view" else page
                at = START + timedelta(hours=n, seconds=40 * m)
                hits.append(hit(site, at, beacon(n + 1, told(act, page))))
        receive(hits)
        lens = read_lens(site, f"{START:%Y-%m-%d}..{START:%Y-%m-%d}")
        found = {str(sorted(r.traits.items())): r for r in form_reports(lens)}
        acted = {what for acts in visits for kind, what in acts if kind in ("begun", "tried", "form")}
        self.assertEqual(len(found), len(acted))
        for form in acted:
            traits = {k: sorted(v) if k == "fields" else v for k, v in FORMS[form].items()}
            report = found[str(sorted(traits.items()))]
            counts, fields, unknown = by_hand(visits, form)
            self.assertEqual([s.reached for s in report.steps], counts)
            self.assertEqual(
                ({f.field: f.count for f in report.left}, report.unknown), (dict(fields), unknown)
            )
            if report.rule is None:
                continue
            # The same form as steps of a path comes to the same numbers.
            steps = [{"form": {**report.rule, "stage": s}} for s in ("begun", "tried")] + [
                {"form": report.rule}
            ]
            pages = [{"page": {"match": "equals", "value": p.path}} for p in report.pages]
            path = path_report(lens, [read_what(s) for s in ({"any": pages}, *steps)])
            self.assertEqual(path.counts(), counts)

    def test_a_form_that_is_only_begun_counts_no_more_than_once_a_visit(self) -> None:
        rule = {"form": {"id": "contact", "stage": "begun"}}
        content = RuleContent("begun_form", "lead", rule, "every", None)
        with self.assertRaises(Problem) as refused:
            checked(content)
        self.assertEqual(refused.exception.field, "counting")
        self.assertEqual(checked(RuleContent("begun_form", "lead", rule, "visit", None)).rule, rule)
