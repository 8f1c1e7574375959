"""What a site's rules ask its tag to listen for."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from clabo.core import rules
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site

Where = list[dict[str, str]]


def listening(sites: Sequence[Site]) -> dict[int, dict[str, Any]]:
    """The parts of each site's rules that the tag must know: what to look for, and on which pages."""
    found: dict[int, dict[str, Any]] = {}
    readings = {site.pk: site.page_reading for site in sites}
    stored = ConversionRule.objects.filter(site__in=sites, deleted_at=None).order_by("pk")
    for site_id, rule in stored.values_list("site_id", "rule"):
        asked = found.setdefault(site_id, {})
        for leaf, where in _with_pages(rules.parse(rule, readings[site_id]), []):
            _ask(asked, leaf, where)
    return found


def _with_pages(rule: rules.Rule, where: Where) -> Iterator[tuple[rules.Condition, Where]]:
    """Each condition with what must hold of the page, as far as the tag can tell."""
    if isinstance(rule, rules.AllOf):
        parts = [p for p in rule.parts if isinstance(p, rules.Condition)]
        pages = [page for p in parts if (page := p.place())]
        for part in rule.parts:
            yield from _with_pages(part, where + pages)
    elif isinstance(rule, rules.AnyOf):
        for part in rule.parts:
            yield from _with_pages(part, where)
    elif isinstance(rule, rules.Not):
        yield from _with_pages(rule.part, where)
    else:
        yield rule, where


def _ask(asked: dict[str, Any], condition: rules.Condition, where: Where) -> None:
    wanted = condition.asks_tag()
    if wanted is None:
        return
    key, entry = wanted
    entry = {**entry, "where": where} if where else entry
    if entry not in asked.setdefault(key, []):
        asked[key].append(entry)
