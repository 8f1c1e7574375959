"""Making, changing and removing conversion rules."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from django.db import IntegrityError, transaction

from clabo.accounts.models import User
from clabo.accounts.problems import Problem
from clabo.conversions.models import Category, ConversionRule, RuleVersion
from clabo.core import rules
from clabo.sites.models import Site

_NAME = re.compile(r"[a-z][a-z0-9_]{1,59}")


@dataclass(frozen=True, slots=True)
class RuleContent:
    """What a person says of a conversion."""

    name: str
    category: str
    rule: dict[str, Any]
    counting: str
    value: Decimal | None


def checked(content: RuleContent) -> RuleContent:
    """`content` in its stored form; raises Problem naming the field."""
    if not _NAME.fullmatch(content.name):
        raise Problem(
            "Use small letters, digits and underscores, beginning with a letter, for example starter_kit_order.",
            "name",
        )
    if content.category not in Category.values:
        raise Problem(f"Choose one of {', '.join(Category.values)}.", "category")
    if content.counting not in rules.COUNTINGS:
        raise Problem(f"Choose one of {', '.join(rules.COUNTINGS)}.", "counting")
    value = content.value
    if value is not None and not (value.is_finite() and 0 <= value < Decimal("1e9")):
        raise Problem("A value lies between 0 and 1,000,000,000.", "value")
    try:
        rule = rules.as_json(rules.parse(content.rule))
    except rules.RuleError as error:
        raise Problem(str(error), error.field) from None
    return RuleContent(content.name, content.category, rule, content.counting, content.value)


def make_rule(site: Site, content: RuleContent, by: User | None) -> ConversionRule:
    """A new rule. The worker applies it to the past within seconds."""
    content = checked(content)
    return _save(ConversionRule(site=site, version=1), content, by)


def change_rule(rule: ConversionRule, content: RuleContent, by: User | None) -> ConversionRule:
    """A new version of `rule`; the version before stays readable."""
    content = checked(content)
    with transaction.atomic():
        locked = ConversionRule.objects.select_for_update().get(pk=rule.pk)
        locked.version += 1
        return _save(locked, content, by)


def remove_rule(rule: ConversionRule) -> None:
    """Take a rule out of reports; its conversions go with the next recount. Can be undone."""
    _set_removed(rule, datetime.now(UTC))


def restore_rule(rule: ConversionRule) -> None:
    """Undo a removal."""
    try:
        _set_removed(rule, None)
    except IntegrityError:
        raise Problem(
            "Another conversion has this name by now. Rename that one first.", "name", 409
        ) from None


def _set_removed(rule: ConversionRule, when: datetime | None) -> None:
    with transaction.atomic():
        locked = ConversionRule.objects.select_for_update().get(pk=rule.pk)
        locked.deleted_at = when
        locked.version += 1
        locked.save()


def _save(rule: ConversionRule, content: RuleContent, by: User | None) -> ConversionRule:
    rule.name, rule.category, rule.rule = content.name, content.category, content.rule
    rule.counting, rule.value = content.counting, content.value
    try:
        with transaction.atomic():
            rule.save()
            RuleVersion.objects.create(
                rule=rule,
                version=rule.version,
                made_by=by,
                content={
                    "name": rule.name,
                    "category": rule.category,
                    "rule": rule.rule,
                    "counting": rule.counting,
                    "value": None if rule.value is None else str(rule.value),
                },
            )
    except IntegrityError:
        raise Problem(
            "Another conversion of this site has this name. Choose a different one.", "name", 409
        ) from None
    return rule
