"""A condition that nobody has thought of yet is added in one place, and known everywhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, ClassVar, Self
from unittest.mock import patch

from django.test import TestCase
from typing_extensions import TypedDict

from clabo.collect.ingest.directory import tag_site
from clabo.core import rules
from clabo.core.rules.errors import maybe_text, only
from clabo.core.rules.facts import Fact, Named, OfKind, PropertyTest
from clabo.core.rules.naming import proposed
from clabo.core.rules.rehearsal import Known, lines_of
from clabo.platform.wording import say
from clabo.platform.wording.rules.language import sentence
from clabo.setup.conversions.matching.rule_shape import rule_schema
from clabo.setup.conversions.models import Conversion
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_site, receive


class DanceShape(TypedDict):
    """Which dance."""

    to: str


@dataclass(frozen=True)
class BeesDanced(rules.Condition):
    """The hive's code has said that its bees danced."""

    to: str = ""

    key: ClassVar[str] = "danced"
    shape = DanceShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        only(data, {"to"})
        return cls(maybe_text(data, "to"))

    def json(self) -> dict[str, Any]:
        return {"to": self.to}

    def made_of(self) -> tuple[Fact, ...]:
        return OfKind("mark"), Named("dance", "event"), PropertyTest("to", "is", self.to)

    def asks_tag(self) -> tuple[str, dict[str, Any]] | None:
        return "dances", self.json()

    def name_words(self) -> str:
        return f"danced to {self.to}"


class Added(TestCase):
    def test_everywhere(self) -> None:
        with patch.dict(rules.CONDITIONS, {"danced": BeesDanced}):
            site = make_site()
            member = Member(site)
            language = {"danced": {"to": "lime trees"}}
            rule = rules.parse(language)
            self.assertEqual(rules.as_json(rule), language)
            self.assertIn("lime trees", sentence(rule))
            self.assertEqual(proposed(rule), "danced_to_lime_trees")
            [line] = lines_of(rule, Known())
            self.assertIn("lime trees", say(line.says))
            self.assertIn("danced", str(rule_schema()))

            now = datetime.now(UTC)
            for visitor, place in enumerate(("lime trees", "clover")):
                said = event("/a", kind="mark", name="dance", properties={"to": place})
                receive([hit(site, now - timedelta(minutes=9), beacon(visitor, said))])
            told = member.ask("POST", "/conversions/preview", {"rule": language, "counting": "every"})
            self.assertEqual((told["events"], told["near"][0]["events"]), (1, 1))
            self.assertIn("lime trees", told["near"][0]["reason"])
            made = {
                "name": "danced_to_lime_trees",
                "category": "other",
                "rule": language,
                "counting": "every",
            }
            member.ask("POST", "/conversions", made)
            self.assertIn(b'"dances":[{"to":"lime trees"}]', tag_site(site).settings)
            receive(
                [
                    hit(
                        site,
                        now,
                        beacon(7, event("/b", kind="mark", name="dance", properties={"to": "lime trees"})),
                    )
                ]
            )
            self.assertEqual(Conversion.objects.filter(visitor__isnull=False).count(), 1)
