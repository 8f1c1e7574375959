"""Which adapter speaks with a channel."""

from __future__ import annotations

from clabo.delivery.adapter import Adapter
from clabo.delivery.models import AdChannel
from clabo.delivery.over_http import OverHttp


def adapter_of(channel: AdChannel) -> Adapter:
    """How to speak with a channel that can be spoken with."""
    return OverHttp(channel.base_url, channel.secret)
