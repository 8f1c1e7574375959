"""Making, changing and removing conversion rules."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from django.db import IntegrityError, transaction

from clabo.core import rules
from clabo.core.pages.addresses import AS_WRITTEN
from clabo.core.rules.naming import NAME
from clabo.core.trust import daily_value_limit
from clabo.platform.accounts.models import User
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.setup.conversions.models import Category, ConversionRule, RuleVersion
from clabo.setup.conversions.tasks import recount_later
from clabo.setup.sites.models import Site


@dataclass(frozen=True, slots=True)
class RuleContent:
    """What a person says of a conversion."""

    name: str
    category: str
    rule: dict[str, Any]
    counting: str
    value: Decimal | None
    value_property: str = ""
    lifetime_factor: Decimal | None = None
    proven_only: bool = False
    visitor_day_limit: Decimal | None = daily_value_limit.VISITOR
    network_day_limit: Decimal | None = daily_value_limit.NETWORK
    site_day_limit: Decimal | None = daily_value_limit.SITE


# Of a site.
MOST_RULES = 200
_LIMITS = ("visitor_day_limit", "network_day_limit", "site_day_limit")


def checked(content: RuleContent) -> RuleContent:
    """`content` in its stored form; raises Problem naming the field."""
    if not NAME.fullmatch(content.name):
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
        parsed = rules.parse(content.rule, AS_WRITTEN)
    except rules.RuleError as error:
        raise Problem(say(error.told), error.field) from None
    if content.counting == "every" and any(leaf.repeats() for leaf in rules.leaves(parsed)):
        raise Problem(
            "A form that is begun, tried and sent is told of three times. Count it once a visit or a visitor.",
            "counting",
        )
    rule = rules.as_json(parsed)
    factor = content.lifetime_factor
    if factor is not None and not (factor.is_finite() and 0 < factor <= 1000):
        raise Problem(
            "A lifetime factor lies above 0 and is at most 1,000, for example 2.5.", "lifetime_factor"
        )
    if value is None and not content.value_property and factor is not None:
        raise Problem("A factor needs a value to multiply.", "lifetime_factor")
    if content.value_property and value is not None:
        raise Problem("The value is either fixed or taken from the event, not both.", "value_property")
    if content.proven_only and content.value_property not in ("", "value"):
        raise Problem(
            "A proven order’s value is the property “value”: that is what the proof is of. Take that one, or a fixed value.",
            "value_property",
        )
    for name in _LIMITS:
        most = getattr(content, name)
        if most is not None and not (most.is_finite() and 0 < most < Decimal("1e10")):
            raise Problem("A day’s limit lies above 0 and under 10,000,000,000; leave it out for none.", name)
    if len(content.value_property) > 60:
        raise Problem("A property’s name has at most 60 characters.", "value_property")
    return replace(content, rule=rule)


def make_rule(site: Site, content: RuleContent, by: User | None) -> ConversionRule:
    """A new rule. The worker applies it to the past within seconds."""
    content = checked(content)
    if ConversionRule.objects.filter(site=site, deleted_at=None).count() >= MOST_RULES:
        raise Problem(f"A site has at most {MOST_RULES} conversions. Remove one first.", status=409)
    return _save(ConversionRule(site=site, version=1), content, by)


def change_rule(rule: ConversionRule, content: RuleContent, by: User | None) -> ConversionRule:
    """A new version of `rule`; the version before stays readable."""
    content = checked(content)
    with transaction.atomic():
        locked = ConversionRule.objects.select_for_update().get(pk=rule.pk)
        locked.version += 1
        return _save(locked, content, by)


def restore_version(rule: ConversionRule, version: int, by: User | None) -> ConversionRule:
    """Make an older version the newest one; raises Problem where it does not exist."""
    old = rule.versions.filter(version=version).first()
    if old is None:
        raise Problem("There is no such version.", "version", 404)
    content = dict(old.content)
    for money in ("value", "lifetime_factor", *(n for n in _LIMITS if n in content)):
        content[money] = None if content.get(money) is None else Decimal(content[money])
    return change_rule(rule, RuleContent(**content), by)


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
        recount_later(locked)


def _save(rule: ConversionRule, content: RuleContent, by: User | None) -> ConversionRule:
    rule.name, rule.category, rule.rule = content.name, content.category, content.rule
    rule.counting, rule.value = content.counting, content.value
    rule.value_property, rule.lifetime_factor = content.value_property, content.lifetime_factor
    rule.proven_only = content.proven_only
    for name in _LIMITS:
        setattr(rule, name, getattr(content, name))
    try:
        with transaction.atomic():
            rule.save()
            RuleVersion.objects.create(
                rule=rule,
                version=rule.version,
                made_by=by,
                content={k: str(v) if isinstance(v, Decimal) else v for k, v in asdict(content).items()},
            )
            recount_later(rule)
    except IntegrityError:
        raise Problem(
            "Another conversion of this site has this name. Choose a different one.", "name", 409
        ) from None
    return rule
