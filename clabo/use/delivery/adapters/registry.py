"""Which adapter speaks with a channel."""

from __future__ import annotations

from clabo.use.delivery.adapters.adapter import Adapter
from clabo.use.delivery.adapters.over_http import OverHttp
from clabo.use.delivery.models import AdChannel


def adapter_of(channel: AdChannel) -> Adapter:
    """How to speak with a channel that can be spoken with."""
    return OverHttp(channel.base_url, channel.secret)
