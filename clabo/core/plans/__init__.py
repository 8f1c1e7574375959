"""Plans: what one may bring, what is wrong with it, and how one that runs is read."""

from __future__ import annotations

from clabo.core.plans.checks import Facts, Finding, Shared, Weeks, checks
from clabo.core.plans.outlook import (
    Outlook,
    Past,
    Practice,
    Range,
    Worth,
    outlook,
    seen_so_often,
)
from clabo.core.plans.pulse import Chances, Pulse, pulse
from clabo.core.plans.reading import Tried, compared

__all__ = [
    "Chances",
    "Facts",
    "Finding",
    "Outlook",
    "Past",
    "Practice",
    "Pulse",
    "Range",
    "Shared",
    "Tried",
    "Weeks",
    "Worth",
    "checks",
    "compared",
    "outlook",
    "pulse",
    "seen_so_often",
]
