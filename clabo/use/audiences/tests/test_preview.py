"""Every figure that a screen shows of a definition, recomputed person by person on random histories."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import replace
from datetime import date, timedelta
from typing import Any
from unittest.mock import patch

import pyarrow.parquet as pq
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Statement, Visitor
from clabo.collect.pipeline.tests.test_runner import Act, envelopes_of, histories
from clabo.core import audiences
from clabo.core.audiences.person import Person
from clabo.setup.sites.models import Site
from clabo.testing.traffic import START, receive
from clabo.use.audiences import exporting
from clabo.use.audiences.evaluation import people, persons, preview
from clabo.use.audiences.evaluation.overlap import overlap
from clabo.use.audiences.evaluation.persons import histories as pasts
from clabo.use.audiences.services import AudienceContent, make_audience
from clabo.use.audiences.tests.test_people import DEFINITIONS, belonging, site_with_all, with_ids

NOW = START + timedelta(days=2)


class Clock(people.Population):
    """A population as of NOW, whoever asks."""

    def __init__(self, *args: Any, **named: Any) -> None:
        super().__init__(*args, **{**named, "now": NOW})


class OneByOne:
    """The same site by plain loops over histories."""

    def __init__(self, site: Site, ids: dict[str, int]) -> None:
        on_lists = belonging(site, ids)
        self.today = NOW.astimezone(site.zone).date()
        numbers = dict(Visitor.objects.filter(site=site).values_list("pk", "number"))
        self.past = {numbers[pk]: history for pk, history in pasts(site, list(numbers)).items()}
        self.belongs = {numbers[pk]: on_lists[pk] for pk in numbers}

    def members(self, definition: audiences.Definition, ago: int = 0) -> set[int]:
        day = self.today - timedelta(days=ago)
        return {
            number
            for number, history in self.past.items()
            if Person([h for h in history if h.day <= day], day, self.belongs[number]).member(definition)
        }


class Figures(TestCase):
    @settings(max_examples=25, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(histories, st.lists(DEFINITIONS, min_size=3, max_size=3), st.sampled_from([5, 25]))
    def test_they_are_what_each_persons_history_says(
        self, history: list[Act], datas: list[Any], stretch: int
    ) -> None:
        site, ids = site_with_all()
        receive(envelopes_of(site, [replace(act, second=act.second * stretch) for act in history]))
        written = [with_ids(d, ids) for d in datas]
        kept = [make_audience(site, AudienceContent(f"A{i}", d), None) for i, d in enumerate(written[:2])]
        definition = audiences.parse(written[2])
        by_hand = OneByOne(site, ids)
        now = by_hand.members(definition)
        others = [by_hand.members(audiences.parse(d)) for d in written[:2]]
        with patch.object(preview, "Population", Clock):
            found = preview.preview(site, definition)
            changed = preview.preview(site, definition, kept[0])
            grown = preview.growth(site, definition)
            sizes = preview.sizes(site, kept)
        self.assertEqual(found.people, len(now))
        self.assertEqual(found.steps[-1].left, len(now))
        shared = {o.audience: (o.people, o.both) for o in found.overlaps}
        self.assertEqual(shared, {a.pk: (len(o), len(o & now)) for a, o in zip(kept, others, strict=True)})
        self.assertEqual([o.audience for o in changed.overlaps], [kept[1].pk])
        self.assertEqual(changed.change, preview.Change(len(now - others[0]), len(others[0] - now)))
        for point in found.curve[:: max(1, len(found.curve) // 6)]:
            assert found.varied is not None
            longer = audiences.with_length(definition, found.varied, point.days)
            self.assertEqual(point.people, len(by_hand.members(longer)), point)
        days = [by_hand.members(definition, ago) for ago in range(5)]
        for ago, day in enumerate(grown.days[:-5:-1]):
            expected = preview.Day(
                len(days[ago]), len(days[ago] - days[ago + 1]), len(days[ago + 1] - days[ago])
            )
            self.assertEqual(day, expected)
        for audience, data in zip(kept, written, strict=False):
            week_ago = by_hand.members(audiences.parse(data), 7)
            now_in = by_hand.members(audiences.parse(data))
            self.assertEqual(sizes[audience.pk], preview.Size(len(now_in), len(week_ago)))
        self.overlaps(site, kept, others)
        self.examples(site, definition, now)

    def overlaps(self, site: Site, kept: list[Any], others: list[set[int]]) -> None:
        with patch("clabo.use.audiences.evaluation.overlap.Population", Clock):
            found = overlap(site, kept)
        a, b = others
        expected = {(True, True): a & b, (True, False): a - b, (False, True): b - a}
        self.assertEqual(dict(found.combinations), {k: len(v) for k, v in expected.items() if v})
        self.assertEqual((found.people, found.together), ([len(a), len(b)], len(a | b)))

    def examples(self, site: Site, definition: audiences.Definition, now: set[int]) -> None:
        with patch.object(persons, "Population", Clock):
            found = persons.examples(site, definition)
        self.assertLessEqual({e.visitor.number for e in found.inside}, now)
        self.assertFalse({e.visitor.number for e in found.outside} & now)
        for example in found.outside:
            self.assertEqual(example.excluded, example.line.path.startswith("exclude"))

    @settings(max_examples=20, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(histories, DEFINITIONS, st.sampled_from([5, 25]))
    def test_files_hold_every_member_and_what_has_changed(
        self, history: list[Act], data: Any, stretch: int
    ) -> None:
        site, ids = site_with_all()
        receive(envelopes_of(site, [replace(act, second=act.second * stretch) for act in history]))
        audience = make_audience(site, AudienceContent("=A,1", with_ids(data, ids)), None)
        definition = audiences.parse(audience.definition)
        by_hand = OneByOne(site, ids)
        keys = {v.number: v.key.hex for v in Visitor.objects.filter(site=site)}
        since = by_hand.today - timedelta(days=1)
        with patch.object(exporting, "Population", Clock):
            files = {
                form: b"".join(exporting.written(exporting.rows(audience), form)) for form in exporting.KINDS
            }
            later = list(exporting.rows(audience, since))
        rows = list(csv.DictReader(io.StringIO(files["csv"].decode())))
        members = by_hand.members(definition)
        self.assertEqual({r["visitor"] for r in rows}, {keys[n] for n in members})
        self.assertEqual(len(rows), len(members))
        by_key = {v: n for n, v in keys.items()}
        for row in rows:
            number, came = by_key[row["visitor"]], (by_hand.today - date.fromisoformat(row["since"])).days
            self.assertIn(number, by_hand.members(definition, came))
            if came < 100:
                self.assertNotIn(number, by_hand.members(definition, came + 1))
        for row in rows:
            said = {
                bytes(s.identity.hash).hex()
                for s in Statement.objects.filter(identity__site=site).select_related(
                    "identity", "visitor__joined_to"
                )
                if (s.visitor.joined_to or s.visitor).key.hex == row["visitor"]
                and (s.proven or not s.identity.statements.filter(proven=True).exists())
            }
            self.assertEqual(set(row["email_hashes"].split()), said)
            self.assertEqual(row["id_hashes"], "")
        lines = [json.loads(line) for line in files["jsonl"].decode().splitlines()]
        self.assertEqual([{k: v or "" for k, v in line.items()} for line in lines], rows)
        table = pq.read_table(io.BytesIO(files["parquet"])).to_pylist()
        self.assertEqual([{k: "" if v is None else str(v) for k, v in line.items()} for line in table], rows)
        before = by_hand.members(definition, 1)
        told = {(r.visitor, r.change) for batch in later for r in batch}
        self.assertEqual(
            told,
            {(keys[n], "added") for n in members - before} | {(keys[n], "removed") for n in before - members},
        )
