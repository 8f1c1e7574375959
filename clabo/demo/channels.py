"""The three ad channels' exports, each written its own way."""

from __future__ import annotations

import csv
import io
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from urllib.parse import parse_qs

from clabo.demo import scenario
from clabo.demo.simulator import Clicks


@dataclass(frozen=True, slots=True)
class ChannelFile:
    """An export: its name, its bytes, and the source to import it under ("" where a column says it)."""

    name: str
    content: bytes
    source: str


# A day, campaign, ad group and ad.
Ad = tuple[date, str, str, str]


def channel_files(clicks: Sequence[Clicks], claims: Mapping[Ad, int], seed: int = 7) -> list[ChannelFile]:
    """One file for each channel, made from the clicks that the simulated visitors came by.

    `claims` are the first channel's own conversions by ad, as it has learnt of them.
    """
    chance = random.Random(seed)
    return [
        ChannelFile("meadow-feed-by-day.csv", _meadow(clicks, claims, chance), scenario.MEADOW),
        ChannelFile("lantern-bericht.csv", _lantern(clicks, chance), scenario.LANTERN),
        ChannelFile("hivepost-report.tsv", _post(clicks, chance), ""),
    ]


def _of(clicks: Sequence[Clicks], source: str) -> list[tuple[Clicks, dict[str, str]]]:
    found = []
    for c in clicks:
        words = {k: v[0] for k, v in parse_qs(c.stream.query).items()}
        if words["utm_source"] == source:
            found.append((c, words))
    return found


def _cost(c: Clicks, chance: random.Random) -> Decimal:
    return Decimal(str(round(c.clicks * c.stream.click_cost * chance.uniform(0.92, 1.08), 2)))


def _shown(c: Clicks, chance: random.Random) -> int:
    return round(c.clicks * c.stream.shown_per_click * chance.uniform(0.8, 1.2))


def _write(rows: Sequence[Sequence[object]], delimiter: str, encoding: str) -> bytes:
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter, lineterminator="\r\n").writerows(rows)
    return out.getvalue().encode(encoding)


def _meadow(clicks: Sequence[Clicks], claims: Mapping[Ad, int], chance: random.Random) -> bytes:
    left = dict(claims)
    rows: list[list[object]] = [
        [
            *("Date", "Campaign", "Ad group", "Ad", "Impressions", "Clicks", "Cost (EUR)", "Landing page"),
            *("Conversions", "Conversion value", "View-through conversions"),
        ]
    ]
    for c, words in _of(clicks, scenario.MEADOW):
        # All on the first of an ad's rows: it does not tell its landing pages apart in this.
        ad = (c.day, words["utm_campaign"], words["utm_term"], words["utm_content"])
        claimed = left.pop(ad, 0)
        # Some it never hears of, some are of people who told Clabo nothing, some have only seen the ad.
        heard = sum(chance.random() < 0.96 for _ in range(claimed)) + (chance.random() < 0.05)
        seen_only = int(chance.random() < 0.12)
        rows.append(
            [
                c.day.isoformat(),
                words["utm_campaign"],
                words["utm_term"],
                words["utm_content"],
                _shown(c, chance),
                c.clicks,
                _cost(c, chance),
                f"https://{scenario.HOST}{c.landing}",
                heard,
                heard * scenario.ORDER_VALUE,
                seen_only,
            ]
        )
    return _write(rows, ",", "utf-8-sig")


def _comma(value: Decimal) -> str:
    return f"{value:,.2f}".translate(str.maketrans(",.", ".,"))


def _lantern(clicks: Sequence[Clicks], chance: random.Random) -> bytes:
    rows: list[list[object]] = [
        ["Bericht für Brackenhive"],
        ["Tag", "Kampagne", "Anzeigengruppe", "Anzeige", "Impressionen", "Klicks", "Kosten", "Zielseite"],
    ]
    total = Decimal(0)
    for c, words in _of(clicks, scenario.LANTERN):
        cost = _cost(c, chance)
        total += cost
        rows.append(
            [
                f"{c.day:%d.%m.%Y}",
                words["utm_campaign"],
                words["utm_term"],
                words["utm_content"],
                _shown(c, chance),
                c.clicks,
                _comma(cost),
                c.landing,
            ]
        )
    rows.append(["Summe", "", "", "", "", "", _comma(total), ""])
    return _write(rows, ";", "latin-1")


def _post(clicks: Sequence[Clicks], chance: random.Random) -> bytes:
    rows: list[list[object]] = [
        ["day", "utm_source", "utm_campaign", "utm_term", "utm_content", "impressions", "clicks", "spend"]
    ]
    together: dict[tuple[str, ...], list[Decimal]] = {}
    for c, words in _of(clicks, scenario.POST):
        key = (
            c.day.isoformat(),
            scenario.POST,
            words["utm_campaign"],
            words["utm_term"],
            words["utm_content"],
        )
        sums = together.setdefault(key, [Decimal(0)] * 3)
        for i, value in enumerate((_shown(c, chance), c.clicks, _cost(c, chance))):
            sums[i] += Decimal(str(value))
    rows += [[*key, *sums] for key, sums in together.items()]
    # Printed in a magazine without campaign parameters: nothing on the site answers to it.
    for day in sorted({c.day for c in clicks})[::30]:
        rows.append([day.isoformat(), scenario.POST, "back-page", "print", "full-page", 0, 0, "120.00"])
    return _write(rows, "\t", "utf-8")
